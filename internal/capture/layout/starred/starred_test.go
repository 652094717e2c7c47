package starred

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/route"
)

const fullForm = `
inet.0: 8 destinations, 9 routes (8 active, 0 holddown, 0 hidden)
+ = Active Route, - = Last Active, * = Both

0.0.0.0/0          *[Static/5] 2w3d 04:05:06
                    >  to 172.28.61.1 via cable-0/0/0.0
10.61.16.0/24      *[Direct/0] 2w3d 04:05:06
                    > via hall-0/0/1.0
10.61.16.1/32      *[Local/0] 2w3d 04:05:06
                      Local via hall-0/0/1.0
10.61.32.0/24      *[OSPF/10] 1d 02:03:04, metric 20
                    >  to 172.28.61.6 via cable-0/0/1.0
                       to 172.28.61.10 via cable-0/0/2.0
                    [BGP/170] 3d 01:02:03, localpref 100, from 10.61.254.9
                      AS path: 64999 I, validation-state: unverified
                    >  to 172.28.61.6 via cable-0/0/1.0
10.61.40.0/21      *[Aggregate/130] 1d 02:03:04
                       Reject
10.61.48.0/21      *[Static/5] 00:00:09
                       Discard
10.61.64.0/24      *[Static/5] 00:00:09
                       to table shop.inet.0
224.0.0.5/32       *[OSPF/10] 2w3d 04:05:06, metric 1
                       MultiRecv

shop.inet.0: 1 destinations, 2 routes (1 active, 0 holddown, 0 hidden)

10.61.64.0/24      *[Direct/0] 00:00:09
                    >  via shop-0/0/3.0

inet6.0: 1 destinations, 1 routes (1 active, 0 holddown, 0 hidden)

fd6b:6a65:6c76:32:1:2:3:0/112
                   *[RIP/100] 00:00:09, metric 2
                    >  to fe80::1 via cable-0/0/1.0

mpls.0: 1 destinations, 1 routes (1 active, 0 holddown, 0 hidden)

299776             *[LDP/9] 00:00:09, metric 1
                    > to 172.28.61.6 via cable-0/0/1.0, Pop
`

const terseForm = `inet.0: 4 destinations, 4 routes (4 active, 0 holddown, 0 hidden)
+ = Active Route, - = Last Active, * = Both

A V Destination        P Prf   Metric 1   Metric 2  Next hop        AS path
* ? 0.0.0.0/0          S   5                       >172.28.61.1
* ? 10.61.16.0/24      D   0                       >hall-0/0/1.0
* ? 10.61.32.0/24      O  10         20            >172.28.61.6
                                                    172.28.61.10
  ?                    B 170        100            >172.28.61.6     64999 I
* ? 10.61.40.0/21      A 130                        Reject
`

const forwardingForm = `Routing table: default.inet
Internet:
Destination        Type RtRef Next hop           Type Index    NhRef Netif
default            user     1 172.28.61.1        ucst      551     4 cable-0/0/0.0
default            perm     0                    rjct       36     1
10.61.16.0/24      intf     0                    rslv      560     1 hall-0/0/1.0
10.61.16.1/32      intf     0 10.61.16.1         locl      558     2
10.61.48.0/21      user     0                    dscd       34     2
`

func TestRead(t *testing.T) {
	for _, tt := range []struct {
		name, in string
		want     []string
		unread   []string
	}{
		{"full", fullForm, []string{
			"5 0.0.0.0/0 static 5/- via 172.28.61.1 dev cable-0/0/0.0: active installed", "7 10.61.16.0/24 direct 0/- dev hall-0/0/1.0: active installed",
			"9 10.61.16.1/32 local 0/- receive dev hall-0/0/1.0: active installed",
			"11 10.61.32.0/24 ospf 10/20 via 172.28.61.6 dev cable-0/0/1.0 * via 172.28.61.10 dev cable-0/0/2.0: active installed",
			"17 10.61.40.0/21 aggregate 130/- unreachable: active installed",
			"19 10.61.48.0/21 static 5/- blackhole: active installed", "21 10.61.64.0/24 static 5/- in shop: active installed",
			"23 224.0.0.5/32 ospf 10/1 multicast: active installed", "14 10.61.32.0/24 bgp 170/- via 172.28.61.6 dev cable-0/0/1.0", "28 (shop) 10.61.64.0/24 direct 0/- dev shop-0/0/3.0: active installed",
			"34 fd6b:6a65:6c76:32:1:2:3:0/112 ripng 100/2 via fe80::1 dev cable-0/0/1.0: active installed"},
			[]string{"26 the heading counts 2 routes, 1 were read"}},
		{"terse", terseForm, []string{
			"5 0.0.0.0/0 static 5/- via 172.28.61.1: active installed", "6 10.61.16.0/24 direct 0/- dev hall-0/0/1.0: active installed",
			"7 10.61.32.0/24 ospf 10/20 via 172.28.61.6 * via 172.28.61.10: active installed", "9 10.61.32.0/24 bgp 170/- via 172.28.61.6",
			"10 10.61.40.0/21 aggregate 130/- unreachable: active installed"}, []string{"1 the heading counts 4 routes, 5 were read"}},
		{"forwarding", forwardingForm, []string{
			"4 0.0.0.0/0 other -/0 via 172.28.61.1 dev cable-0/0/0.0", "5 0.0.0.0/0 other -/1 unreachable", "6 10.61.16.0/24 direct -/0 dev hall-0/0/1.0",
			"7 10.61.16.1/32 local -/0 receive", "8 10.61.48.0/21 other -/0 blackhole"}, nil},
		{"a next hop that has not answered yet", forwardingForm[:strings.Index(forwardingForm, "default  ")] + `10.61.64.0/24      user     0 172.28.61.6        hold      601     4 cable-0/0/1.0
10.61.72.0/24      user     0                    ulst  1048576     2
                              172.28.61.6        hold      601     4 cable-0/0/1.0
10.61.96.0/24      user     0                    dscd       34     2
`, []string{"7 10.61.96.0/24 other -/0 blackhole"}, []string{
			`4 not in the form of this layout: whether a route that is called "hold" is in use is not known`,
			"5 the lines below it that tell its next hops are missing, or one of them could not be read",
			`6 not in the form of this layout: whether a route that is called "hold" is in use is not known`}},
		{"next hops below a row of the forwarding table", forwardingForm + `10.61.64.0/24      user     0                    indr  1048574     2
                              172.28.61.6        ucst      601     4 cable-0/0/1.0
10.61.72.0/24      user     0                    indr  1048577     2
                                                 ulst  1048575     2
                              172.28.61.6        ucst      601     4 cable-0/0/1.0
                              172.28.61.10       Push 299776       ucst      602     4 cable-0/0/2.0
10.61.80.0/24      user     0                    ulst  1048576     2
                              172.28.61.6        ucst      601     4 cable-0/0/1.0
                              172.28.61.300      ucst      602     4 cable-0/0/2.0
10.61.88.0/24      user     0                    ulst  1048578     2
10.61.96.0/24      user     0                    dscd       34     2
`, []string{
			"4 0.0.0.0/0 other -/0 via 172.28.61.1 dev cable-0/0/0.0", "5 0.0.0.0/0 other -/1 unreachable", "6 10.61.16.0/24 direct -/0 dev hall-0/0/1.0",
			"7 10.61.16.1/32 local -/0 receive", "8 10.61.48.0/21 other -/0 blackhole",
			"9 10.61.64.0/24 other -/0 via 172.28.61.6 dev cable-0/0/1.0", "11 10.61.72.0/24 other -/0 via 172.28.61.6 dev cable-0/0/1.0 via 172.28.61.10 dev cable-0/0/2.0 encapsulated",
			"19 10.61.96.0/24 other -/0 blackhole"},
			[]string{"15 the lines below it that tell its next hops are missing, or one of them could not be read", "16 the lines below it that tell its next hops are missing, or one of them could not be read", "17 not in the form of this layout", "18 the lines below it that tell its next hops are missing, or one of them could not be read"}},
		{"hidden routes are candidates that cannot be used, a bad line costs itself", "inet.0: 3 destinations, 3 routes (1 active, 0 holddown, 1 hidden)\n10.1.0.0/16         [BGP ] 1d, localpref 100\n                      Unusable\n10.2.0.0/33        *[Static/5] 1d\n                    > to 10.0.0.1 via e0\n10.3.0.0/16        *[Static/5] 1d\n                    > to 10.0.0.300 via e0\n10.4.0.0/16        *[Static/5] 1d\n                    > to 10.0.0.3 via e0\n",
			[]string{"2 10.1.0.0/16 bgp -/-: unusable", "6 10.3.0.0/16 static 5/-: active installed", "8 10.4.0.0/16 static 5/- via 10.0.0.3 dev e0: active installed"},
			[]string{`4 prefix length out of range: "10.2.0.0/33"`, "5 a continuation without a route before it", `7 not an address: "10.0.0.300"`}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			in := []byte(tt.in)
			r := layouttest.Laws(t, Read, in)
			require.Equal(t, tt.want, layouttest.Words(in, r))
			require.Equal(t, tt.unread, layouttest.Unread(in, r))
			layouttest.Variants(t, Read, tt.in)
			require.Positive(t, recognise(in))
		})
	}
}

func FuzzRead(f *testing.F) {
	for _, s := range []string{fullForm, terseForm, forwardingForm} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestAFurtherCandidateWhosePrefixIsGone is not the prefix above's: the table's heading counts more routes than there
// are.
func TestAFurtherCandidateWhosePrefixIsGone(t *testing.T) {
	const text = `inet.0: 2 destinations, 3 routes (2 active, 0 holddown, 0 hidden)
+ = Active Route, - = Last Active, * = Both

10.61.8.0/24       *[OSPF/10] 00:12:31, metric 20
                    >  to 172.28.61.6 via cable0
10.61.9.0/24       *[BGP/170] 1d 02:03:04, localpref 100
                    >  to 172.28.61.26 via cable1
                    [BGP/170] 1d 02:03:04, localpref 90
                    >  to 172.28.61.30 via cable1
`
	require.Equal(t, 3, readRoutes(t, text))
	gone := strings.Replace(text, "10.61.9.0/24       *[BGP/170] 1d 02:03:04, localpref 100\n                    >  to 172.28.61.26 via cable1\n", "", 1)
	require.Equal(t, 1, readRoutes(t, gone))
	r := Read([]byte(gone))
	require.True(t, r.Facts.Tables[0].Filtered.Known())
	require.Contains(t, fmt.Sprint(r.Unread), "its prefix may be missing")
}

// TestLinesOfARouteWhoseFirstLineIsGone are not the route's above, and a hidden route that is shown is counted.
func TestLinesOfARouteWhoseFirstLineIsGone(t *testing.T) {
	const text = `inet.0: 2 destinations, 3 routes (2 active, 0 holddown, 1 hidden)

10.61.8.0/24       *[Direct/0] 00:12:31
                    >  via lo0.0
10.61.9.0/24       *[BGP/170] 1d 02:03:04, localpref 100
                      AS path: 64921 I, validation-state: unverified
                    >  to 172.28.61.26 via cable1
10.61.9.0/25        [BGP ] 1d 02:03:04, localpref 90
                      AS path: 64921 I, validation-state: unverified
                    >  to 172.28.61.30 via cable1
`
	require.Equal(t, 3, readRoutes(t, text))
	gone := strings.Replace(text, "10.61.9.0/24       *[BGP/170] 1d 02:03:04, localpref 100\n", "", 1)
	r := Read([]byte(gone))
	require.Equal(t, 2, r.Facts.Tables[0].Routes.Len())
	require.Len(t, r.Facts.Tables[0].Routes.At(0).NextHops, 1)
	require.True(t, r.Facts.Tables[0].Filtered.Known(), "one of three is missing")
}

func readRoutes(t *testing.T, text string) int {
	r := layouttest.Laws(t, Read, []byte(text))
	return r.Facts.Tables[0].Routes.Len()
}

// TestRowsOfALargeTableSayWhatTheySayAlone: what rows have in common is read once.
func TestRowsOfALargeTableSayWhatTheySayAlone(t *testing.T) {
	layouttest.Alone(t, Read, "+ = Active Route, - = Last Active, * = Both\n\n", "\n", "\n", layouttest.Rows(4000, layouttest.IPv4,
		"<P>     *[BGP/170] 01:02:03, MED <M>, localpref 100\n          AS path: 65001 <M> I\n        >  to 100.70.3.1 via lift2.0",
		"<P>     *[BGP/170] 01:02:03, localpref 90, from 100.70.1.1\n          AS path: 65002 I, validation-state: unverified\n        >  to 100.70.3.1 via lift2.0, Push 1",
		"<P>     *[BGP/170] 01:02:03\n          AS path: I\n           to 100.70.3.1 via lift2.0\n        >  to 100.70.3.9 via lift3.0",
		"<P>     *[BGP/170] 01:02:03\n          AS path: \n        >  to 100.70.3.1 via lift2.0",
		"<P>     *[OSPF/10] 01:02:03, metric <M>\n        >  to 100.70.3.1 via lift2.0",
		"<P>     *[OSPF/10] 01:02:03, metric x<M>\n        >  to 100.70.3.1 via lift2.0",
		"<P>     *[Static/5] 01:02:03\n           Discard",
		"<P>     *[Direct/0] 01:02:03\n        >  via lift2.0",
	))
	in := []byte("10.1.0.0/16 *[BGP/170] 01:02:03, MED 70, localpref 90\n      AS path: 65001 I\n    > to 100.70.3.1 via lift2.0\n")
	require.Equal(t, route.N(70), Read(in).Facts.Tables[0].Routes.At(0).MultiExit())
}

// TestABrokenHeading: whose the rows below it are nobody knows.
func TestABrokenHeading(t *testing.T) {
	const rows = "10.61.16.0/24      *[Static/5] 1w2d 03:04:05\n                    > to 172.28.61.2 via up2.0\n"
	r := Read([]byte("inet.0: 1 destinations, 1 routes (1 active, 0 holddown, 0 hidden)\n" + rows +
		"NIGHT.inet.0; 1 destinations, 1 routes (1 active, 0 holddown, 0 hidden)\n" + rows))
	require.Equal(t, 1, r.Routes())
	require.Len(t, r.Unread, 3)
}

// TestAWayBehindASign is read as one without.
func TestAWayBehindASign(t *testing.T) {
	in := []byte("inet.0: 1 destinations, 1 routes (1 active, 0 holddown, 0 hidden)\n" +
		"10.61.32.0/24      *[OSPF/10] 1d 02:03:04, metric 20\n                    +to 172.28.61.6 via line1\n")
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, "line1", r.Facts.Tables[0].Routes.At(0).NextHops[0].Interface)
}
