package bird

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

var readTests = []struct {
	name, in     string
	want, unread []string
}{
	{"plain, two tables", `BIRD 2.0.12 ready.
Table master4:
0.0.0.0/0            unicast [static1 2026-11-24] * (200)
	via 172.28.61.1 on wan0
10.61.16.0/24        unicast [direct1 2026-11-24] * (240)
	dev hall0
10.61.32.0/24        unicast [ospf1 09:12:31.001] * I (150/20) [10.61.254.3]
	via 172.28.61.6 on line1 weight 1
	via 172.28.61.10 on line2 weight 3
                     unicast [uplink 09:12:31.001] (100) [AS64999i]
	via 172.28.61.14 on line3
10.61.33.0/24        unicast [ospf1 09:12:31.001] * E2 (150/10/10000) [10.61.254.3]
	via 172.28.61.6 on line1
10.61.40.0/21        blackhole [static1 2026-11-24] * (200)

Table yard6:
fd6b:32::/64         unreachable [static2 2026-11-24] * (200)
`, []string{"3 0.0.0.0/0 static 200/- via 172.28.61.1 dev wan0: active installed", "5 10.61.16.0/24 direct 240/- dev hall0: active installed",
		"7 10.61.32.0/24 ospf/intra-area 150/20 via 172.28.61.6 dev line1 via 172.28.61.10 dev line2 weight 3: active installed",
		"10 10.61.32.0/24 bgp 100/- via 172.28.61.14 dev line3", "12 10.61.33.0/24 ospf/external-2 150/10000 via 172.28.61.6 dev line1: active installed",
		"14 10.61.40.0/21 static 200/- blackhole: active installed", "17 (yard6) fd6b:32::/64 static 200/- unreachable: active installed"}, nil},
	{"with attributes", `Table master4:
10.61.32.0/24        unicast [far 09:12:31.001] * (100) [i]
	via 172.28.61.6 on line1
	Type: BGP univ
	BGP.origin: IGP
	BGP.as_path: 
	BGP.next_hop: 172.28.61.6
10.61.34.0/24        unicast [rip1 09:12:31.001] * (120/3)
	via 172.28.61.6 on line1
	Type: RIP univ
	RIP.metric: 3
`, []string{"2 10.61.32.0/24 bgp 100/- via 172.28.61.6 dev line1: active installed", "8 10.61.34.0/24 rip 120/3 via 172.28.61.6 dev line1: active installed"}, nil},
	{
		"version 1: the next hop on the route's line",
		"10.61.32.0/24      via 172.28.61.6 on line1 [ospf1 09:12:31] * I (150/20) [10.61.254.3]\n10.61.16.0/24      dev hall0 [direct1 2026-11-24] * (240)\n10.61.40.0/21      blackhole [static1 2026-11-24] * (200)\n",
		[]string{
			"1 10.61.32.0/24 ospf/intra-area 150/20 via 172.28.61.6 dev line1: active installed",
			"2 10.61.16.0/24 direct 240/- dev hall0: active installed",
			"3 10.61.40.0/21 static 200/- blackhole: active installed",
		},
		nil,
	},
	{
		"bad values",
		"Table master4:\n10.61.32.0/33        unicast [ospf1 09:12:31.001] * I (150/20) [10.61.254.3]\n\tvia 172.28.61.6 on line1\n10.61.33.0/24        unicast [ospf1 09:12:31.001] * I (-1/20) [10.61.254.3]\n10.61.34.0/24        unicast [ospf1 09:12:31.001] * I (150/20) [10.61.254.3]\n\tvia 172.28.61.600 on line1\nwhat\n",
		[]string{"5 10.61.34.0/24 ospf/intra-area 150/20: active installed"},
		[]string{
			`2 prefix length out of range: "10.61.32.0/33"`,
			"3 a continuation without a route before it",
			`4 not a number in range: "(-1/20)"`,
			`6 not an address: "172.28.61.600"`,
			"7 not in the form of this layout",
		},
	},
}

func TestRead(t *testing.T) {
	for _, tt := range readTests {
		t.Run(tt.name, func(t *testing.T) {
			in := []byte(tt.in)
			r := layouttest.Laws(t, Read, in)
			require.Equal(t, tt.want, layouttest.Words(in, r))
			require.Equal(t, tt.unread, layouttest.Unread(in, r))
			require.True(t, r.Facts.Tables[0].HighestWins)
			layouttest.Variants(t, Read, tt.in)
			require.Positive(t, recognise(in))
		})
	}
}

func FuzzRead(f *testing.F) {
	for _, tt := range readTests {
		f.Add([]byte(tt.in))
	}
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestRowsOfALargeTableSayWhatTheySayAlone: what rows have in common is read once.
func TestRowsOfALargeTableSayWhatTheySayAlone(t *testing.T) {
	for _, prefix := range []func(int) string{layouttest.IPv4, func(i int) string { return "9" + layouttest.IPv6(i)[2:] }} {
		layouttest.Alone(t, Read, "Table master4:\n", "\n", "\n", layouttest.Rows(4000, prefix,
			"<P                > unicast [ospf1 09:12:31.001] * I (150/<M>) [10.61.254.3]\n\tvia 172.28.61.6 on line1",
			"<P                > unicast [ospf1 09:13:31.001] E2 (150/<M>/<M>) [10.61.254.3]\n\tvia 172.28.61.6 on line1",
			"<P                > unicast [ospf1 09:13:31.001] E2 (150/20/20) [10.61.254.3]\n\tvia 172.28.61.6 on line1",
			"<P                > unicast [ospf1 09:13:31.001] E2 (150/20/<M>) [10.61.254.3]\n\tvia 172.28.61.6 on line1",
			"<P                > unicast [peer1 09:12:31.001] (100) [AS65001i]\n\tvia 172.28.61.6 on line1\n\tvia 172.28.61.9 on line2",
			"<P                > unicast [rip1 09:12:31.001] * (120/<M>)\n\tvia 172.28.61.6 on line1",
			"<P> via 172.28.61.6 on line1 [static1 09:12] * (200)",
			"<P> via 172.28.61.6 on line1 [static1 0<M>] * (<M>)",
			"<P                > blackhole [static1 09:12:31.001] * (200)",
			"<P                > unicast [ 09:12:31.001] * (200)",
		))
	}
}

// TestABadPrefixIsNotThatOfTheRowsBelow, wherever on its line it stands.
func TestABadPrefixIsNotThatOfTheRowsBelow(t *testing.T) {
	for _, blanks := range []string{"", "  "} {
		in := []byte("Table master4:\n10.1.0.0/16          unicast [static1 2026-11-01] * (200)\n\tvia 172.28.1.1 on e0\n" +
			blanks + "10.2.0.300/24        unicast [static1 2026-11-01] * (200)\n                     unicast [ospf1 2026-11-01] (150/20)\n" +
			"\tvia 172.28.1.2 on e1\n")
		r := layouttest.Laws(t, Read, in)
		require.Equal(t, 1, r.Facts.Tables[0].Routes.Len())
		require.Len(t, r.Unread, 3)
	}
}
