package keyed

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

// TestRoutesOfALargeTableSayWhatTheySayAlone: what objects have in common is read once.
func TestRoutesOfALargeTableSayWhatTheySayAlone(t *testing.T) {
	both := func(i int) string {
		if i%7 == 0 {
			return layouttest.IPv6(i)
		}
		return layouttest.IPv4(i)
	}
	const head, tail = "{\"vrfs\":{\"hall\":{\"routes\":{\n", "}}}}\n"
	rows := layouttest.Rows(4000, both,
		`"<P>":{"routeType":"eBGP","routeAction":"forward","preference":200,"metric":<M>,"vias":[{"nexthopAddr":"10.61.0.9","interface":"d0"}]}`,
		"\"<P>\" : {\n  \"routeType\": \"eBGP\",\n  \"metric\": <M>,\n\n  \"vias\": [{\"nexthopAddr\": \"10.61.0.8\", \"interface\": \"d0\"}]\n}",
		"\"<P>\":\n{\"routeType\":\"eBGP\",\"metric\":<M>,\"vias\":[{\"nexthopAddr\":\"10.61.0.8\",\"interface\":\"d0\"}]}",
		`"<P>":{"routeType":"RIP","metric":<M>,"vias":[{"nexthopAddr":"10.61.0.9","interface":"d0"}]}`,
		`"<P>":{"routeType":"connected","vias":[{"interface":"d0"}]}`,
		`"<P>":{"routeType":"static","preference":<M>,"vias":[{"interface":"Null0"}]}`,
		`"<P>":{"routeType":"static","metric":"<M>","vias":[{"interface":"d1"}]}`,
		`"<P>":{"routeType":"static","metric":-<M>,"vias":[{"interface":"d1"}]}`,
		`"<P>":{"routeType":"static","hardwareProgrammed":false,"metric":<M>,"vias":[{"interface":"d1"}]}`,
		`"1<P>":{"routeType":"static","metric":<M>,"vias":[{"interface":"d1"}]}`,
		`"<P>":{"routeType":"static","metric":<M>,"vias":[]}`,
		`"<P>":{"metric":1,"routeType":"static","metric":<M>,"vias":[{"interface":"d1"}]}`,
	)
	layouttest.Alone(t, Read, head, ",\n", tail, rows)
	shapes := make([]string, 60) // more than are known by their shape
	for i := range shapes {
		shapes[i] = fmt.Sprintf(`"<P>":{%s"routeType":"static","metric":<M>,"vias":[{"interface":"d%d"}]}`, strings.Repeat(" ", i), i%7)
	}
	layouttest.Alone(t, Read, head, ",\n", tail, layouttest.Rows(4000, both, shapes...))
	for _, sep := range []string{",\n", ",         "} {
		layouttest.Laws(t, Read, []byte(head+strings.Join(rows, sep)+tail))
	}
}

// TestRoutesOfEachInstance: what an object led to in one instance is no route of the next.
func TestRoutesOfEachInstance(t *testing.T) {
	instance := func(name string, net int) string {
		routes := make([]string, 4)
		for i := range routes {
			routes[i] = fmt.Sprintf(`"10.%d.%d.0/24":{"routeType":"static","vias":[{"interface":"d%d"}]}`, net, i, i%2)
		}
		return fmt.Sprintf(`"%s":{"routes":{%s}}`, name, strings.Join(routes, ","))
	}
	r := Read([]byte(`{"vrfs":{` + instance("default", 1) + "," + instance("hall", 2) + "}}"))
	require.Len(t, r.Facts.Tables, 2)
	for i := range r.Facts.Tables {
		require.Equal(t, 4, r.Facts.Tables[i].Routes.Len(), r.Facts.Tables[i].Name)
	}
}
