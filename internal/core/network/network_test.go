package network_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// rows writes a table as text: prefix, protocol, preference, where it leads, state.
func rows(t *network.Table) []string {
	var out []string
	for i := range t.Routes().Len() {
		r := t.Routes().At(i)
		s := r.Prefix.String() + " " + r.Protocol.String()
		for _, h := range r.NextHops {
			s += " " + h.Address.String()
		}
		if r.Is(route.Active) {
			s += " active"
		}
		if r.Is(route.Installed) {
			s += " installed"
		}
		out = append(out, s)
	}
	return out
}

func TestMerge(t *testing.T) {
	for _, tt := range []struct {
		name, in string
		want     []string
		differ   []network.DifferenceKind
	}{
		{"the same candidate seen twice is one route",
			"a: ospf 10.1.0.0/16 pref 110 metric 20 via 10.0.0.2 dev e0\na: ospf 10.1.0.0/16 pref 110 metric 20 via 10.0.0.2 dev e0\n" +
				"a: kernel: ospf 10.1.0.0/16 metric 20 via 10.0.0.2 dev e0",
			[]string{"10.1.0.0/16 ospf 10.0.0.2 active installed"}, nil},
		{"a protocol's own list adds evidence, not a second route",
			"a: database: rip 10.1.0.0/16 metric 2 via 10.0.0.2\na: rip 10.1.0.0/16 pref 120 metric 2 via 10.0.0.2 dev e0\na: database: rip 10.1.0.0/16 metric 3 via 10.0.0.3",
			[]string{"10.1.0.0/16 rip 10.0.0.2 active installed", "10.1.0.0/16 rip 10.0.0.3"}, nil},
		{"one capture with the table in two forms, the one without metrics",
			"a: kernel: other 10.1.0.0/16 metric 50 via 10.0.0.2 dev e0\na: kernel: static 10.1.0.0/16 via 10.0.0.2 dev e0\na: kernel: static 10.1.0.0/16 metric 90 via 10.0.0.3 dev e0",
			[]string{"10.1.0.0/16 other 10.0.0.2 active installed", "10.1.0.0/16 static 10.0.0.3"}, nil},
		{"what forwards wins over what was chosen, and the difference is kept",
			"a: ospf 10.1.0.0/16 pref 110 metric 20 via 10.0.0.2 dev e0 via 10.0.1.2 dev e1\na: kernel: ospf 10.1.0.0/16 metric 20 via 10.0.0.2 dev e0",
			[]string{"10.1.0.0/16 ospf 10.0.0.2 10.0.1.2 active", "10.1.0.0/16 ospf 10.0.0.2 active installed"},
			[]network.DifferenceKind{network.OtherNextHops}},
		{"chosen, but not in what forwards",
			"a: static 10.1.0.0/16 pref 1 via 10.0.0.2 dev e0\na: kernel: static 10.2.0.0/16 via 10.0.0.2 dev e0",
			[]string{"10.1.0.0/16 static 10.0.0.2 active", "10.2.0.0/16 static 10.0.0.2 active installed"},
			[]network.DifferenceKind{network.NotInstalled, network.NotChosen}},
		{"the kernel uses the lowest metric of one prefix",
			"a: kernel: static 10.1.0.0/16 metric 50 via 10.0.0.2 dev e0\na: kernel: dhcp 10.1.0.0/16 metric 20 via 10.0.0.3 dev e0",
			[]string{"10.1.0.0/16 static 10.0.0.2", "10.1.0.0/16 dhcp 10.0.0.3 active installed"}, nil},
		{"a kernel route without a metric has metric 0",
			"a: kernel: static 10.1.0.0/16 metric 1 via 10.0.0.2 dev e0\na: kernel: dhcp 10.1.0.0/16 via 10.0.0.3 dev e0",
			[]string{"10.1.0.0/16 static 10.0.0.2", "10.1.0.0/16 dhcp 10.0.0.3 active installed"}, nil},
		{"a loopback's own address is a local route in the kernel, no difference",
			"a: direct 10.9.9.1/32 dev lo\na: kernel: local 10.9.9.1/32 receive dev lo",
			[]string{"10.9.9.1/32 direct invalid IP active installed", "10.9.9.1/32 local invalid IP active installed"}, nil},
		{"a refused route stays a candidate when something else forwards",
			"a: static 10.1.0.0/16 pref 1 via 10.0.0.2 dev e0 rejected\na: kernel: bgp 10.1.0.0/16 via 10.0.0.3 dev e0",
			[]string{"10.1.0.0/16 static 10.0.0.2 active", "10.1.0.0/16 bgp 10.0.0.3 active installed"},
			[]network.DifferenceKind{network.NotChosen}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			tab := coretest.Build(tt.in).Device("a").Table("default", route.IPv4)
			require.Equal(t, tt.want, rows(tab))
			var kinds []network.DifferenceKind
			for _, d := range tab.Differences().All() {
				kinds = append(kinds, d.Kind)
			}
			require.Equal(t, tt.differ, kinds)
		})
	}
}

func TestMergeKeepsBothLinesAndTheDaemonsNumbers(t *testing.T) {
	tab := coretest.Build("a: ospf 10.1.0.0/16 pref 110 metric 30 via 10.0.0.2 dev e0\na: kernel: ospf 10.1.0.0/16 metric 20 via 10.0.0.2 dev e0").
		Device("a").
		Table("default", route.IPv4)
	require.Len(t, tab.Evidence(0), 2)
	require.Equal(t, route.N(30), tab.Routes().At(0).Metric, "the kernel's metric is the daemon's own constant")
}

func TestAProtocolsListAloneDecidesNothing(t *testing.T) {
	tab := coretest.Build("a: database: rip 10.1.0.0/16 metric 2 via 10.0.0.2").Device("a").Table("default", route.IPv4)
	require.True(t, tab.Undecided)
}

func TestAWalkCountsOnlyWhereNothingBetterWasCaptured(t *testing.T) {
	d := coretest.Build("a: walk: static 10.1.0.0/16 via 10.0.0.2 dev e0").Device("a")
	require.True(t, d.Table("default", route.IPv4).Weak)
	d = coretest.Build("a: walk: static 10.1.0.0/16 via 10.0.0.2 dev e0\na: static 10.2.0.0/16 via 10.0.0.2 dev e0").
		Device("a")
	require.False(t, d.Table("default", route.IPv4).Weak)
	require.Equal(t, []string{"10.2.0.0/16 static 10.0.0.2 active installed"}, rows(d.Table("default", route.IPv4)))
}

func TestCovering(t *testing.T) {
	tab := coretest.Build("a: static 0.0.0.0/0 via 10.0.0.1\na: static 10.0.0.0/8 via 10.0.0.2\na: static 10.1.0.0/16 via 10.0.0.3\n"+
		"a: ospf 10.1.0.0/16 via 10.0.0.4 candidate\na: static 10.1.2.0/24 via 10.0.0.5").
		Device("a").
		Table("default", route.IPv4)
	var got []string
	for g := range tab.Covering(netip.MustParsePrefix("10.1.9.9/32")) {
		got = append(got, tab.Routes().Prefix(g.Lo).String()+"×"+string(rune('0'+g.Hi-g.Lo)))
	}
	require.Equal(t, []string{"10.1.0.0/16×2", "10.0.0.0/8×1", "0.0.0.0/0×1"}, got)
}

func TestALargeTableCoversAsASmallOneDoes(t *testing.T) {
	facts := network.TableFacts{Name: "default", Family: route.IPv4}
	id := facts.Routes.Share(&route.Attributes{Protocol: route.BGP})
	add := func(p string) {
		facts.Routes.Add(route.Route{Prefix: netip.MustParsePrefix(p), State: route.Active}, id)
	}
	for _, p := range []string{"0.0.0.0/0", "10.0.0.0/7", "11.0.0.0/8", "10.0.0.0/15"} {
		add(p)
	}
	for i := range 1 << 17 {
		add(netip.PrefixFrom(netip.AddrFrom4([4]byte{10 + byte(i>>16), byte(i >> 8), byte(i), 0}), 24).String())
	}
	var b network.Builder
	b.Add("a", network.Facts{Tables: []network.TableFacts{facts}}, 0)
	tab := b.Build().Device("a").Table("default", route.IPv4)
	covering := func(a string) (got []string) {
		for g := range tab.Covering(netip.MustParsePrefix(a + "/32")) {
			got = append(got, tab.Routes().Prefix(g.Lo).String())
		}
		return got
	}
	require.Equal(t, []string{"10.1.2.0/24", "10.0.0.0/15", "10.0.0.0/7", "0.0.0.0/0"}, covering("10.1.2.9"))
	for range 1 << 17 / 64 { // until it is worth an index
		tab.Covering(netip.MustParsePrefix("10.1.2.9/32"))
	}
	require.Equal(t, []string{"11.255.2.0/24", "11.0.0.0/8", "10.0.0.0/7", "0.0.0.0/0"}, covering("11.255.2.9"))
	n := b.Build()
	x := n.Draft() // what an overlay does not replace is found in both halves too
	x.SetRoutes("a", "default", netip.MustParsePrefix("10.0.0.0/15"), nil)
	tab = x.Freeze().Device("a").Table("default", route.IPv4)
	require.Equal(t, []string{"11.255.2.0/24", "11.0.0.0/8", "10.0.0.0/7", "0.0.0.0/0"}, covering("11.255.2.9"))
	require.Equal(t, []string{"10.1.2.0/24", "10.0.0.0/7", "0.0.0.0/0"}, covering("10.1.2.9"))
	for _, p := range []string{"0.0.0.0/0", "10.0.0.0/24", "11.255.255.0/24"} {
		g, ok := tab.Exact(netip.MustParsePrefix(p))
		require.True(t, ok)
		require.Equal(t, p, tab.Routes().Prefix(g.Lo).String())
	}
}

func TestIncompleteOnlyBehindTheLastLine(t *testing.T) {
	tab := coretest.Build("a: static 10.1.0.0/16 via 10.0.0.1\na: static 10.5.0.0/16 via 10.0.0.1\na: cut").
		Device("a").
		Table("default", route.IPv4)
	require.False(t, tab.Incomplete(netip.MustParseAddr("10.1.2.3")))
	require.True(t, tab.Incomplete(netip.MustParseAddr("10.5.0.0")))
	require.True(t, tab.Incomplete(netip.MustParseAddr("10.9.2.3")))
}

func TestOwnAddresses(t *testing.T) {
	d := coretest.Build(`
		a: addr 10.0.0.1/30 eth0
		a: local 10.0.1.1/32 receive dev eth1
		a: direct 10.9.9.1/32 dev lo0
		a: direct 10.9.9.2/32 dev ppp0     # the far end of a link as likely as the own one
		a: local 0.0.0.0/32 receive        # what a device takes in, and nobody's address
		a: local 255.255.255.255/32 receive
		a: local 224.0.0.5/32 receive
		a: direct 10.2.0.0/16 dev eth2
		a: local 10.2.0.0/32 receive dev eth2
		a: local 10.2.255.255/32 receive dev eth2
		a: direct 10.2.255.254/31 dev eth3
		a: direct 10.3.0.0/24 dev eth4
		a: local 10.3.0.255/32 receive dev eth4
		a: direct 10.4.0.0/31 dev eth5     # both are hosts' (RFC 3021)
		a: local 10.4.0.0/32 receive dev eth5
	`).Device("a")
	for addr, want := range map[string]int{
		"10.0.0.1": 1, "10.0.1.1": 1, "10.9.9.1": 1, "10.9.9.2": 0, "0.0.0.0": 0, "255.255.255.255": 0, "224.0.0.5": 0,
		"10.2.0.0": 0, "10.2.255.255": 1, "10.3.0.255": 0, "10.4.0.0": 1,
	} {
		require.Len(t, d.Own(netip.MustParseAddr(addr)), want, addr)
	}
}

func TestCapturesOfDifferentMoments(t *testing.T) {
	in := func(texts ...string) *network.Table {
		var b network.Builder
		for i, text := range texts {
			b.Add("a", coretest.Facts(text, uint32(i+1)), 0)
		}
		return b.Build().Device("a").Table("default", route.IPv4)
	}
	for _, tt := range []struct {
		name          string
		one, two      string
		contradictory bool
	}{
		{"another next hop", "ospf 10.9.0.0/24 via 10.0.0.2", "ospf 10.9.0.0/24 via 10.0.1.2", true},
		{"another protocol and next hop", "ospf 10.9.0.0/24 via 10.0.0.2", "static 10.9.0.0/24 via 10.0.1.2", true},
		{"discarded now", "ospf 10.9.0.0/24 via 10.0.0.2", "static 10.9.0.0/24 blackhole", true},
		{"what forwards, twice", "kernel: ospf 10.9.0.0/24 via 10.0.0.2", "kernel: ospf 10.9.0.0/24 via 10.0.1.2", true},
		{"the same in two forms", "ospf 10.9.0.0/24 via 10.0.0.2 dev e0", "ospf 10.9.0.0/24 via 10.0.0.2", false},
		{"one shows more ways", "ospf 10.9.0.0/24 via 10.0.0.2 via 10.0.1.2", "ospf 10.9.0.0/24 via 10.0.1.2", false},
		{"a routing table and what forwards", "ospf 10.9.0.0/24 via 10.0.0.2", "kernel: ospf 10.9.0.0/24 via 10.0.1.2", false},
		{"a candidate", "ospf 10.9.0.0/24 via 10.0.0.2", "static 10.9.0.0/24 via 10.0.1.2 candidate", false},
		{"two names of one interface", "direct 10.9.0.0/24 dev e0", "direct 10.9.0.0/24 dev ether0", false},
		{"BGP's next hops are announced or resolved", "bgp 10.9.0.0/24 via 10.0.0.2", "bgp 10.9.0.0/24 via 10.0.1.2", false},
	} {
		t.Run(tt.name, func(t *testing.T) {
			tab := in(tt.one, tt.two)
			require.Equal(t, tt.contradictory, tab.Contradiction(netip.MustParsePrefix("10.9.0.0/24")) != nil)
		})
	}
}

// TestOneRouteInTwoListings: the table shows the preference and how a next hop is resolved, BGP's own list what it
// compared. Together they are one route, whichever comes first.
func TestOneRouteInTwoListings(t *testing.T) {
	const table = "a: bgp 10.9.0.0/16 pref 200 metric 0 via 10.0.0.9\n"
	const list = "a: database: bgp/internal 10.9.0.0/16 metric 0 via 10.0.0.9 len 2 lp 100 as 65001 peer 2\n"
	for _, in := range []string{table + list, list + table} {
		rows := coretest.Build(in).Device("a").Table("default", route.IPv4).RoutesTo(netip.MustParsePrefix("10.9.0.0/16"))
		require.Len(t, rows, 1)
		require.Equal(t, route.N(200), rows[0].Preference)
		require.Equal(t, route.N(2), rows[0].BGP.Length)
		require.True(t, rows[0].Is(route.Installed))
	}
	whole := coretest.Build(table+list).Device("a").Table("default", route.IPv4)
	require.True(t, whole.ListsBGP)
	require.False(t, coretest.Build(table).Device("a").Table("default", route.IPv4).ListsBGP)
}

// TestADiscriminatorThatIsTheMetricComesWithIt: of two captures of one path only BGP's own list may tell either.
func TestADiscriminatorThatIsTheMetricComesWithIt(t *testing.T) {
	hop := []route.NextHop{{Address: netip.MustParseAddr("10.1.0.9")}}
	bare := &route.Attributes{Protocol: route.BGP, Preference: route.N(20), NextHops: hop}
	told := &route.Attributes{Protocol: route.BGP, BGP: route.BGPPath{Length: route.N(1), ByMetric: true}, NextHops: hop}
	p := netip.MustParsePrefix("10.9.0.0/16")
	var table, list network.TableFacts
	table = network.TableFacts{Name: "default", Family: route.IPv4}
	table.Routes.AddRoute(route.Route{Prefix: p, Attributes: bare, State: route.Active | route.Installed, Mark: route.Mark{File: 1, End: 1}})
	list = network.TableFacts{Name: "default", Family: route.IPv4, Kind: network.Database}
	list.Routes.AddRoute(route.Route{Prefix: p, Attributes: told, Metric: route.N(70), Mark: route.Mark{File: 2, End: 1}})
	var b network.Builder
	b.Add("a", network.Facts{Tables: []network.TableFacts{table}}, 0)
	b.Add("a", network.Facts{Tables: []network.TableFacts{list}}, 1)
	routes := b.Build().Device("a").Table("default", route.IPv4).RoutesTo(p)
	require.Len(t, routes, 1)
	require.Equal(t, route.N(70), routes[0].MultiExit())
}
