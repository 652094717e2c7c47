package keyed

import (
	"strings"
	"testing"

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
	layouttest.Laws(t, Read, []byte(head+strings.Join(rows, ",\n")+tail))
}
