package topology_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// TestNetworksThatSeveralLinksHave: VRFs may use the same networks, and no address tells which link an interface is on.
func TestNetworksThatSeveralLinksHave(t *testing.T) {
	const (
		here = "a: direct 10.0.0.0/30 dev e0 in red\na: addr 10.0.0.1/30 e0\n"
		also = "a: direct 10.0.0.0/30 dev e1\na: addr 10.0.0.1/30 e1\n"
		main = "b: direct 10.0.0.0/30 dev f0\nb: addr 10.0.0.2/30 f0\n"
		red  = "c: direct 10.0.0.0/30 dev g0 in red\nc: addr 10.0.0.2/30 g0\n"
	)
	for _, x := range []struct {
		name, in   string
		answer     topology.Answer
		device     string
		confidence topology.Confidence
	}{
		{"used once: the other end may have it in its main table", here + main, topology.Device, "b", topology.Known},
		{"used twice: VRFs of one name are one", here + also + main + red, topology.Device, "c", topology.Deduced},
		{"used twice, and the other end is in a VRF of another name", here + also + main + "c: direct 10.0.0.0/30 dev g0 in 7",
			topology.Reused, "", topology.NotKnown},
		{"more devices than the link has room for", here + main + "c: direct 10.0.0.0/30 dev g0 in red\nd: direct 10.0.0.0/30 dev h0",
			topology.Device, "c", topology.Deduced},
		{"one of the same VRF may have the address too", "a: direct 10.0.0.0/24 dev e0 in red\na: addr 10.0.0.1/24 e0\n" +
			"b: direct 10.0.0.0/24 dev f0\nb: addr 10.0.0.2/24 f0\nc: direct 10.0.0.0/24 dev g0 in red", topology.Reused, "", topology.NotKnown},
		{"a VRF of another name, beside one whose address is not shown", "a: direct 10.0.0.0/24 dev e0 in red\na: addr 10.0.0.1/24 e0\n" +
			"b: direct 10.0.0.0/24 dev f0 in yard\nb: addr 10.0.0.2/24 f0\nc: direct 10.0.0.0/24 dev g0 in 7", topology.Reused, "", topology.NotKnown},
		{"another VRF beside one whose main table has the address", "a: direct 10.0.0.0/24 dev e0 in red\na: addr 10.0.0.1/24 e0\n" +
			"b: direct 10.0.0.0/24 dev f0\nb: addr 10.0.0.2/24 f0\nc: direct 10.0.0.0/24 dev g0 in 7", topology.Reused, "", topology.NotKnown},
		{"two have the same address", "a: direct 10.0.0.0/24 dev e0 in red\na: addr 10.0.0.1/24 e0\n" +
			"b: direct 10.0.0.0/24 dev f0\nb: addr 10.0.0.2/24 f0\nd: direct 10.0.0.0/24 dev h0\nd: addr 10.0.0.1/24 h0", topology.Reused, "", topology.NotKnown},
		{"a mask of another length is of another link where the table is another", here + "b: direct 10.0.0.0/29 dev f0\nb: addr 10.0.0.2/29 f0\n" +
			"c: direct 10.0.0.0/30 dev g0 in 7", topology.Device, "c", topology.Deduced},
		{"the address in another VRF, on a link that is none of these", here + "b: direct 10.0.0.0/24 dev f0\nb: addr 10.0.0.2/24 f0",
			topology.Reused, "b", topology.NotKnown},
		{"the link-layer address tells", here + also + main + "b: link f0 up 02:b0\nc: direct 10.0.0.0/30 dev g0 in 7\na: neigh 10.0.0.2 e0 alive 02:b0",
			topology.Device, "b", topology.Known},
	} {
		t.Run(x.name, func(t *testing.T) {
			n := coretest.Build(x.in)
			requireOwner(t, topology.Build(n).Find(n.Device("a"), "e0", addr("10.0.0.2"), true), x.answer, x.device,
				x.confidence)
		})
	}
}

// TestTheMainTablesOfReusedNetworks are on one link where both devices have the network in several tables: one that has
// it once may be the other end of any.
func TestTheMainTablesOfReusedNetworks(t *testing.T) {
	const here = "a: direct 10.0.0.0/30 dev e0\na: addr 10.0.0.1/30 e0\na: direct 10.0.0.0/30 dev e1 in red\na: addr 10.0.0.1/30 e1\n"
	const there = "b: direct 10.0.0.0/30 dev f0\nb: addr 10.0.0.2/30 f0\n"
	n := coretest.Build(here + there + "b: direct 10.0.0.0/30 dev f1 in red\nb: addr 10.0.0.2/30 f1")
	got := topology.Build(n).Find(n.Device("a"), "e0", addr("10.0.0.2"), false)
	require.Equal(t, topology.Device, got.Answer)
	require.Equal(t, "f0", got.Interface)
	n = coretest.Build(here + there)
	require.Equal(t, topology.Reused, topology.Build(n).Find(n.Device("a"), "e0", addr("10.0.0.2"), false).Answer)
}

// TestTheTableOfAnInterfaceThatNoneNames: it is up and has an address, and the main table, captured whole, shows the
// networks of others alone.
func TestTheTableOfAnInterfaceThatNoneNames(t *testing.T) {
	const others = "a: direct 10.1.0.0/24 dev e0\na: link e0 up\na: link e1 up\n"
	for _, x := range []struct {
		name, in string
		untold   bool
	}{
		{"no table has it", others + "a: addr 10.0.0.1/32 e1", true},
		{"its network is attached", others + "a: addr 10.0.0.1/32 e1\na: direct 10.0.0.0/24 dev e1", false},
		{"a route leads out of it", others + "a: addr 10.0.0.1/32 e1\na: static 10.7.0.0/16 dev e1", false},
		{"it is down", others + "a: link e1 down\na: addr 10.0.0.1/32 e1", false},
		{"it has no address", others, false},
		{"an address of the link alone", others + "a: addr fe80::1/64 e1", false},
		{"the main table is cut before it", others + "a: addr 10.2.0.1/32 e1\na: cut", false},
		{"the main table shows no attached networks", "a: link e1 up\na: addr 10.0.0.1/32 e1\na: static 10.7.0.0/16 via 10.1.0.2 dev e0", false},
	} {
		n := coretest.Build(x.in)
		require.Equal(t, x.untold, topology.Build(n).InVRF(n.Device("a"), "e1"), x.name)
	}
}

// TestAnAddressWhoseNetworkWasNotRead: the row of the network has no next hops, so that its interface may be on the link.
func TestAnAddressWhoseNetworkWasNotRead(t *testing.T) {
	own := network.TableFacts{Name: "default", Family: route.IPv4, Unread: []network.UnreadRow{{Prefix: netip.MustParsePrefix("10.0.0.0/24")}}}
	own.Routes.AddRoute(route.Route{Prefix: netip.MustParsePrefix("10.7.0.0/16"), State: route.Active | route.Installed, Attributes: &route.Attributes{Protocol: route.Static,
		NextHops: []route.NextHop{{Address: addr("10.6.0.1"), Interface: "f9"}}}})
	var b network.Builder
	link := network.TableFacts{Name: "default", Family: route.IPv4}
	link.Routes.AddRoute(route.Route{Prefix: netip.MustParsePrefix("10.0.0.0/24"), State: route.Active | route.Installed, Attributes: &route.Attributes{Protocol: route.Direct,
		NextHops: []route.NextHop{{Interface: "e0"}}}})
	b.Add("a", network.Facts{Tables: []network.TableFacts{link}}, 0)
	b.Add("b", network.Facts{Tables: []network.TableFacts{own}, Addresses: []network.Address{{Prefix: netip.MustParsePrefix("10.0.0.2/32"), Interface: "f0"}}}, 1)
	n := b.Build()
	require.Equal(t, topology.Deduced, topology.Build(n).Find(n.Device("a"), "e0", addr("10.0.0.2"), false).Confidence)
}

// TestSeveralThatMayHaveTheAddress: lists show no networks, so that one of two interfaces may be on the link.
func TestSeveralThatMayHaveTheAddress(t *testing.T) {
	const link = "a: direct 10.0.0.0/24 dev e0\na: addr 10.0.0.1/24 e0\nb: addr 10.0.0.2/32 f0\nb: link f0 up\n"
	n := coretest.Build(link)
	require.Equal(t, topology.Deduced, topology.Build(n).Find(n.Device("a"), "e0", addr("10.0.0.2"), false).Confidence)
	n = coretest.Build(link + "c: addr 10.0.0.2/32 g0\nc: link g0 up")
	require.Equal(t, topology.Reused, topology.Build(n).Find(n.Device("a"), "e0", addr("10.0.0.2"), false).Answer)
}

// TestOwnAddressesOfSeveralTables: a local route without an interface is of the one that its table attaches.
func TestOwnAddressesOfSeveralTables(t *testing.T) {
	n := coretest.Build("a: direct 10.0.0.0/30 dev e0 in red\na: local 10.0.0.1/32 receive in red\n" +
		"a: direct 10.0.0.0/30 dev e1 in yard\na: local 10.0.0.1/32 receive in yard\na: addr 10.0.0.1/30 e1\na: addr 10.0.0.1/30 e0")
	got := map[string]string{}
	for _, o := range topology.Build(n).Owners(addr("10.0.0.1")) {
		got[o.Interface] = o.Table
	}
	require.Equal(t, map[string]string{"e0": "red", "e1": "yard"}, got)
}

// TestTablesThatOnlyRulesLeadTo hold copies of what the main table has: a network in one of them is no second link.
func TestTablesThatOnlyRulesLeadTo(t *testing.T) {
	of := func(name string, byRule bool, ifname string) network.TableFacts {
		f := network.TableFacts{Name: name, Family: route.IPv4, ByRule: byRule}
		f.Routes.AddRoute(route.Route{Prefix: netip.MustParsePrefix("10.0.0.0/30"), State: route.Active | route.Installed,
			Attributes: &route.Attributes{Protocol: route.Direct, NextHops: []route.NextHop{{Interface: ifname}}}})
		return f
	}
	var b network.Builder
	b.Add("a", network.Facts{Tables: []network.TableFacts{of("default", false, "e0")}}, 0)
	b.Add("b", network.Facts{Tables: []network.TableFacts{of("default", false, "f0"), of("100", true, "f0")},
		Addresses: []network.Address{{Prefix: netip.MustParsePrefix("10.0.0.2/30"), Interface: "f0"}}}, 0)
	b.Add("c", network.Facts{Tables: []network.TableFacts{of("default", false, "g0")}}, 0)
	n := b.Build()
	requireOwner(t, topology.Build(n).Find(n.Device("a"), "e0", addr("10.0.0.2"), false), topology.Device, "b", topology.Known)
}

// TestARouteThatNamesAnInterface anew tells in which table it is, so that an overlay with it is no longer attached alike.
func TestARouteThatNamesAnInterfaceAnew(t *testing.T) {
	n := coretest.Build("a: direct 10.1.0.0/24 dev e0\na: link e1 up\na: addr 10.0.0.1/32 e1")
	was := topology.Build(n)
	require.True(t, was.InVRF(n.Device("a"), "e1"))
	x := n.Draft()
	p := netip.MustParsePrefix("10.7.0.0/16")
	x.SetRoutes("a", "default", p, []route.Route{{Prefix: p, State: route.Active | route.Installed,
		Attributes: &route.Attributes{Protocol: route.Static, NextHops: []route.NextHop{{Interface: "e1"}}}}})
	after := x.Freeze()
	is := was.On(after)
	require.False(t, is.InVRF(after.Device("a"), "e1"))
	require.True(t, was.Disturbed(is).Anywhere[after.Device("a").Number()])
}

// TestTheTableOfNoInterface is the main one, wherever addresses without an interface are.
func TestTheTableOfNoInterface(t *testing.T) {
	n := coretest.Build("a: local 10.9.9.1/32 receive in red\na: local 10.9.8.1/32 receive\na: direct 10.1.0.0/24 dev e0 in red")
	require.Equal(t, "default", topology.Build(n).TableOf(n.Device("a"), ""))
}
