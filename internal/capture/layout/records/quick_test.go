package records

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/route"
)

// TestRecordsOfALargeTableSayWhatTheySayAlone: what records have in common is read once.
func TestRecordsOfALargeTableSayWhatTheySayAlone(t *testing.T) {
	bare := func(i int) string { return strings.TrimSuffix(layouttest.IPv4(i), "/24") }
	both := func(i int) string {
		if i%7 == 0 {
			return layouttest.IPv6(i)
		}
		return layouttest.IPv4(i)
	}
	rows := layouttest.Rows(3000, bare,
		"Destination  : <P             >  PrefixLength : 24\nNextHop      : 10.61.0.9         Preference   : 255\n"+
			"Cost         : <M      >         Protocol     : BGP\nInterface    : d0\n",
		"Destination  : <P             >  PrefixLength : 24\nNextHop      : 10.61.0.9         Preference   : 255\n"+
			"Cost         : <M>\nProtocol     : BGP\nInterface    : d0\n",
		"Destination: <P>  Mask: 255.255.0.0\nNextHop: 10.61.0.8  Preference: 10\nCost: <M>  Metric: 7  Protocol: OSPF  Interface: d1\n",
		"Destination: <P>  Mask: 255.255.0.0\nNextHop: 10.61.0.8  Preference: 10\nCost: 7  Metric: <M>  Protocol: OSPF  Interface: d1\n",
		"Destination: <P>  Mask: 255.255.0.0\nNextHop: 10.61.0.8  Preference: 10\nCost: <M>  Protocol: OSPF  Interface: d1\n",
		"Destination: <P>  Mask: 255.255.0.0\nNextHop: 10.61.0.8  Preference: 10\nCost: <M> Protocol: OSPF  Interface: d1\n",
		"Destination: <P>  PrefixLength: 24\nNextHop: 10.61.0.8  Preference: 0  Protocol: Direct\nInterface: d1\n",
		"Destination: <P>  PrefixLength: 32\nNextHop: 10.61.0.8  Preference: <M>  Protocol: Static\nInterface: NULL0\n",
		"Destination: <P>  PrefixLength: 24\n\nNextHop: 10.61.0.8  Preference: 60  Protocol: Static\nInterface: d1\n",
		"Destination: <P>  PrefixLength: 24\nNextHop: 10.61.0.8  Preference: 60  Protocol: Static\n\nInterface: d1\n",
		"Destination: <P>  PrefixLength: 24\nNextHop: 10.61.0.8  Preference: 60  Protocol: Static\nInterface: d1\nMood: good\n",
		"Destination: <P>  PrefixLength: 24\nNextHop: 10.61.0.8  Preference: 60  Protocol: Static\nInterface: d1\n",
		"Destination: <P>  PrefixLength: 24\nNextHop: 10.61.0.8  Preference: 60  Protocol: Static\nInterface: d1\n\n"+
			"NextHop: 10.61.0.7  Interface: d2\n", // it goes on
	)
	layouttest.Alone(t, Read, "", "\n", "", rows)
	layouttest.Laws(t, Read, []byte(strings.Join(rows, "\n")))
	layouttest.Alone(t, Read, "", "\n", "", layouttest.Rows(3000, both,
		"Destination : <P>\nNextHop : 10.61.0.9  Preference : 255  Protocol : BGP\nMetric : <M>  Interface : d0\n",
		"Destination : <P>\nNextHop : FE80::9  Preference : 255  Protocol : RIP\nMetric : <M>  Interface : d0\n",
	))
	bareToo := func(i int) string { // without a length these say nothing
		if i%5 == 0 {
			return bare(i)
		}
		return both(i)
	}
	layouttest.Alone(t, Read, "", "\n", "", layouttest.Rows(3000, bareToo,
		"Destination : <P>\nNextHop : 10.61.0.9  Preference : 255  Protocol : BGP\nMetric : <M>  Interface : d0\n",
	))
	bareBoth := func(i int) string { p, _, _ := strings.Cut(both(i), "/"); return p }
	layouttest.Alone(t, Read, "", "\n", "", layouttest.Rows(3000, bareBoth,
		"Destination : <P>\nPrefixLength : 32  NextHop : 10.61.0.9  Preference : 255  Protocol : BGP\nMetric : <M>  Interface : d0\n",
	))
	own := Read([]byte("Destination: 10.1.0.7  PrefixLength: 32\nNextHop: 10.1.0.9  Protocol: Direct\nInterface: d1\n\n" +
		"Destination: 10.1.0.9  PrefixLength: 32\nNextHop: 10.1.0.9  Protocol: Direct\nInterface: d1\n"))
	require.Equal(t, route.Local, own.Facts.Tables[0].Routes.At(1).Protocol, "the device's own address")
}

// TestRecordsOfEachTable: a record of another table is none of the one above, whatever it says.
func TestRecordsOfEachTable(t *testing.T) {
	record := func(p string) string {
		return "Destination: " + p + "  PrefixLength: 24\nNextHop: 10.61.0.8  Preference: 60  Protocol: Static\nInterface: d1\n\n"
	}
	r := Read([]byte("Routing Tables: Public\n" + record("10.1.0.0") + record("10.2.0.0") +
		"Routing Tables: hall\n" + record("10.3.0.0") + record("10.4.0.0")))
	require.Len(t, r.Facts.Tables, 2)
	for i, name := range []string{"default", "hall"} {
		require.Equal(t, name, r.Facts.Tables[i].Name)
		require.Equal(t, 2, r.Facts.Tables[i].Routes.Len())
	}
}

// TestBegins: the first line of a record, by its destination.
func TestBegins(t *testing.T) {
	for line, want := range map[string]string{
		"Destination: 10.1.0.0":                  "10.1.0.0",
		"  Destination  :  fd61::/64  Mask: 9":   "fd61::/64",
		"Destination: 10.1.0.0/16 ":              "10.1.0.0/16",
		"Destination: 10.1.0.0 Mask: 9":          "", // one blank parts no pairs
		"Destination: 10.1.0.0/ ":                "",
		"Destination:10.1.0.0":                   "",
		"Destinations: 9":                        "",
		"Destination: hall":                      "",
		"Destination: ":                          "",
		"Destination":                            "",
		"A Destination: 10.1.0.0":                "",
		"Destination: 10.1.0.0/16x             ": "",
	} {
		f, ok := begins([]byte(line))
		require.Equal(t, want != "", ok, line)
		if ok {
			require.Equal(t, want, line[f.lo:f.hi])
		}
	}
}
