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

func addr(s string) netip.Addr { return netip.MustParseAddr(s) }

func find(in, a string) topology.OnLink {
	n := coretest.Build(in)
	return topology.Build(n).Find(n.Device("a"), "e0", addr(a), false)
}

// TestALinkWithLinkLocalAddressesOnly: the one device that has the address can only be on this link.
func TestALinkWithLinkLocalAddressesOnly(t *testing.T) {
	in := "a: static fd61::/64 via fe80::b dev e0\nb: addr fe80::b/64 f0\nb: direct fd61::/64 dev lan"
	l := find(in, "fe80::b")
	require.Equal(t, topology.Device, l.Answer)
	require.Equal(t, "b", l.Device.Name)
	require.NotEqual(t, topology.Device, find(in+"\nc: addr fe80::b/64 g0", "fe80::b").Answer, "two have it")
	require.NotEqual(
		t,
		topology.Device,
		find(
			in+"\nb: addr 10.0.0.2/30 f0\nb: direct 10.0.0.0/30 dev f0\nc: addr 10.0.0.1/30 g0\nc: direct 10.0.0.0/30 dev g0",
			"fe80::b",
		).Answer,
		"it is on another link",
	)
}

// TestThreeDevicesOnANetworkForTwo: nobody's address is deduced there, and nothing fails.
func TestThreeDevicesOnANetworkForTwo(t *testing.T) {
	topo := topology.Build(
		coretest.Build("a: direct 10.0.0.0/30 dev e0\nb: direct 10.0.0.0/30 dev e0\nc: direct 10.0.0.0/30 dev e0"),
	)
	_, ok := topo.DeducedOwner(addr("10.0.0.1"))
	require.False(t, ok)
}

// TestTwoDevicesWithOneLinkLayerAddress: the entry names neither.
func TestTwoDevicesWithOneLinkLayerAddress(t *testing.T) {
	l := find(
		"a: direct 10.0.0.0/24 dev e0\na: neigh 10.0.0.9 e0 alive 02:00:00:00:00:09\nb: link f0 up 02:00:00:00:00:09\nc: link g0 up 02:00:00:00:00:09",
		"10.0.0.9",
	)
	require.Equal(t, topology.Host, l.Answer)
	l = find(
		"a: direct 10.0.0.0/24 dev e0\na: neigh 10.0.0.9 e0 alive 02:00:00:00:00:09\nb: link f0 up 02:00:00:00:00:09",
		"10.0.0.9",
	)
	require.Equal(t, topology.Device, l.Answer)
}

// TestAnInterfaceThatIsUp has its address whether or not its network is in a table.
func TestAnInterfaceThatIsUp(t *testing.T) {
	down := func(in string) bool {
		n := coretest.Build("a: static 10.9.0.0/16 via 10.5.0.1\n" + in)
		return topology.Build(n).Owners(addr("10.0.0.1"))[0].Down
	}
	require.False(t, down("a: addr 10.0.0.1/24 e0\na: link e0 up"))
	require.True(t, down("a: addr 10.0.0.1/24 e0\na: link e0 down"))
	require.True(t, down("a: addr 10.0.0.1/24 e0"), "the table was captured and lacks the network")
	n := coretest.Build("a: addr 10.0.0.1/24 e0")
	require.False(t, topology.Build(n).Owners(addr("10.0.0.1"))[0].Down, "no table was captured")
}

// TestDeducedOnlyWhereNoOtherAnswers: a live entry on the link competes; a dead one or one of another link does not.
func TestDeducedOnlyWhereNoOtherAnswers(t *testing.T) {
	in := "a: direct 10.0.0.0/24 dev e0\na: neigh 10.0.0.9 e0 alive\nb: direct 10.0.0.0/24 dev f0\n"
	require.Equal(t, topology.Device, find(in, "10.0.0.9").Answer)
	require.Equal(t, topology.Host, find(in+"a: neigh 10.0.0.8 e0 alive", "10.0.0.9").Answer)
	require.Equal(t, topology.Device, find(in+"a: neigh 10.0.0.8 e0 failed", "10.0.0.9").Answer)
	require.Equal(t, topology.Device, find(in+"a: neigh 10.0.0.8 e7 alive", "10.0.0.9").Answer)
}

// TestSegmentsWithWrongMasks: interfaces of two devices whose addresses lie in each other's networks share a segment,
// two of one device do not.
func TestSegmentsWithWrongMasks(t *testing.T) {
	segments := func(in string) int { return len(topology.Build(coretest.Build(in)).Segments()) }
	require.Equal(
		t,
		1,
		segments(
			"a: addr 10.0.0.1/24 e0\na: direct 10.0.0.0/24 dev e0\nb: addr 10.0.0.2/25 f0\nb: direct 10.0.0.0/25 dev f0",
		),
	)
	require.Equal(
		t,
		2,
		segments(
			"a: addr 10.0.0.1/24 e0\na: direct 10.0.0.0/24 dev e0\na: addr 10.0.0.2/25 e1\na: direct 10.0.0.0/25 dev e1",
		),
	)
	require.Equal(
		t,
		2,
		segments(
			"a: addr 10.0.0.200/24 e0\na: direct 10.0.0.0/24 dev e0\nb: addr 10.0.0.2/25 f0\nb: direct 10.0.0.0/25 dev f0",
		),
	)
	// One that is down stands with those of its network, and with nobody else.
	require.Equal(
		t,
		2,
		segments(
			"a: addr 10.0.0.1/24 e0\na: direct 10.0.0.0/24 dev e0\nb: addr 10.0.0.2/24 f0\nb: link f0 down\nc: addr 10.7.0.1/24 g0\nc: direct 10.7.0.0/24 dev g0",
		),
	)
}

func TestAnycast(t *testing.T) {
	topo := topology.Build(
		coretest.Build(
			"a: addr fd61:1::/64 e0\na: direct fd61:1::/64 dev e0\na: addr fd61:2::/127 e1\na: direct fd61:2::/127 dev e1",
		),
	)
	require.True(t, topo.Anycast(addr("fd61:1::")))
	require.False(t, topo.Anycast(addr("fd61:2::")), "a /127 has none (RFC 6164)")
}

// TestTransitLooksAtItsOwnHosts: a host anywhere else does not make a network one of hosts.
func TestTransitLooksAtItsOwnHosts(t *testing.T) {
	in := "a: addr 10.0.0.1/24 e0\na: direct 10.0.0.0/24 dev e0\nb: addr 10.0.0.2/24 f0\nb: direct 10.0.0.0/24 dev f0\nb: neigh 10.0.0.1 f0 alive\n"
	net := netip.MustParsePrefix("10.0.0.0/24")
	require.True(
		t,
		topology.Build(coretest.Build(in+"a: direct 10.7.0.0/24 dev lan\na: neigh 10.7.0.9 lan alive")).Transit(net),
	)
	require.False(t, topology.Build(coretest.Build(in+"a: neigh 10.0.0.9 e0 alive")).Transit(net))
}

// TestAttachmentsAreNetworks: host routes, and attached rows without an interface, are none.
func TestAttachmentsAreNetworks(t *testing.T) {
	topo := topology.Build(
		coretest.Build(
			"a: direct 10.0.0.9/32 dev e0\na: direct 10.1.0.0/24\na: direct fe80::/64 dev e0\na: direct 10.2.0.0/24 dev e0",
		),
	)
	require.Equal(t, []netip.Prefix{netip.MustParsePrefix("10.2.0.0/24")}, topo.Networks())
}

// TestTheOtherEndOfALink is another device, never the own interface that is down.
func TestTheOtherEndOfALink(t *testing.T) {
	l := find(
		"a: addr 10.0.0.1/30 e0\na: direct 10.0.0.0/30 dev e0\na: addr 10.0.0.1/30 e7\na: link e7 down",
		"10.0.0.2",
	)
	require.Nil(t, l.OtherEnd)
	l = find(
		"a: addr 10.0.0.1/29 e0\na: direct 10.0.0.0/30 dev e0\nb: addr 10.0.0.3/30 f0\nb: direct 10.0.0.0/30 dev f0",
		"10.0.0.2",
	)
	require.NotNil(t, l.OtherEnd)
}

// TestADownInterfaceStandsInItsOwnNetwork, whichever device is named first.
func TestADownInterfaceStandsInItsOwnNetwork(t *testing.T) {
	topo := topology.Build(
		coretest.Build(
			"a: addr 10.7.0.1/24 e0\na: direct 10.7.0.0/24 dev e0\nb: addr 10.0.0.2/24 f0\nb: link f0 down\nc: addr 10.0.0.1/24 g0\nc: direct 10.0.0.0/24 dev g0",
		),
	)
	for _, s := range topo.Segments() {
		for _, at := range s {
			require.Equal(t, s[0].Prefix, at.Prefix)
		}
	}
}

// TestHostRoutesAttachNothing, whatever interface they name.
func TestHostRoutesAttachNothing(t *testing.T) {
	topo := topology.Build(coretest.Build("a: direct 172.28.0.9/32 dev e0\na: direct 172.29.0.0/24"))
	require.Empty(t, topo.Attachments())
}

// TestAnEmptyTableTakesNoAddressAway: one that was printed with nothing in it says nothing of an interface.
func TestAnEmptyTableTakesNoAddressAway(t *testing.T) {
	var b network.Builder
	f := coretest.Facts("addr 10.0.0.1/24 e0", 1)
	f.Tables = []network.TableFacts{{Name: "default", Family: route.IPv4, Kind: network.Candidates}}
	b.Add("a", f, 0)
	n := b.Build()
	require.NotNil(t, n.Device("a").Table("default", route.IPv4))
	require.False(t, topology.Build(n).Owners(addr("10.0.0.1"))[0].Down)
}

// TestADeviceThatAnswersForAnother: one whose list of addresses is whole does not have what it answers for, and passes
// it on.
func TestADeviceThatAnswersForAnother(t *testing.T) {
	const in = "a: direct 10.0.0.0/24 dev e0\na: neigh 10.0.0.9 e0 alive 02:00:00:00:00:09\nb: link f0 up 02:00:00:00:00:09\nb: addr 10.0.0.2/24 f0\n"
	l := find(in, "10.0.0.9")
	require.Equal(t, topology.Device, l.Answer)
	require.False(t, l.Proxy, "its list may lack some")
	for _, more := range []string{"b: addr 127.0.0.1/8 lo", "c: addr 10.0.0.9/32 lo"} { // all of its own, somebody else's
		l = find(in+more, "10.0.0.9")
		require.Equal(t, topology.Device, l.Answer, more)
		require.Equal(t, "b", l.Device.Name, more)
		require.True(t, l.Proxy, more)
	}
}

// TestTheOtherEndHasNoSuchAddress: on a link for two the other address is the far end's, unless a list of all of its
// addresses lacks it. A loopback address that a table of routes shows is no such list.
func TestTheOtherEndHasNoSuchAddress(t *testing.T) {
	const link = "a: addr fd6b::1/126 e0\na: direct fd6b::/126 dev e0\na: addr 172.16.0.1/30 e0\nb: addr 172.16.0.2/30 e0\nb: addr ::1/128 lo\n"
	for more, want := range map[string]topology.Answer{
		"b: link lo up\nb: link e0 up": topology.Silent,
		"b: link e0 up":                topology.Device,
		"":                             topology.Device,
	} {
		top := topology.Build(coretest.Build(link + more))
		got := top.Find(top.Network.Device("a"), "e0", netip.MustParseAddr("fd6b::2"), false)
		require.Equal(t, want, got.Answer, more)
		if want != topology.Device {
			require.Equal(t, "b", got.OtherEnd.Name)
		}
	}
}

// TestAListWithoutTheAddressOfTheLink: an interface with an IPv6 address has one of the link (RFC 4291, section 2.1); a
// list without it lacks lines, so that the interface may have any. One with no IPv6 address at all has none.
func TestAListWithoutTheAddressOfTheLink(t *testing.T) {
	const link = "a: direct fd00::/127 dev e0\na: link e0 up\nb: addr ::1/128 lo\nb: link lo up\nb: link f0 up\n"
	for _, x := range []struct {
		in     string
		answer topology.Answer
	}{
		{link + "b: addr fd00::1/127 f0\nb: direct fd00::/127 dev f0", topology.Device},
		{link + "b: addr fd00::1/127 f0\nb: direct fd00::/127 dev f0\nb: addr fe80::7/64 f0", topology.Silent},
	} {
		n := coretest.Build(x.in)
		got := topology.Build(n).Find(n.Device("a"), "e0", netip.MustParseAddr("fe80::9"), true)
		require.Equal(t, x.answer, got.Answer, x.in)
	}
}

// TestAnAddressThatAWideMaskPutsOnALink is not there where the list of its device shows the networks of its interfaces,
// nor surely where it was asked for and has not answered.
func TestAnAddressThatAWideMaskPutsOnALink(t *testing.T) {
	const in = "a: direct 10.0.0.0/8 dev e0\na: addr 10.0.0.1/8 e0\nb: addr 10.7.0.1/32 lo\nb: link lo up\n"
	require.Equal(t, topology.Device, find(in, "10.7.0.1").Answer, "a list without networks")
	require.Equal(t, topology.Conflict, find(in+"a: neigh 10.7.0.1 e0 pending", "10.7.0.1").Answer)
	require.Equal(t, topology.Elsewhere, find(in+"b: addr 127.0.0.1/8 lo", "10.7.0.1").Answer)
	learned := func(in, a string) topology.OnLink {
		n := coretest.Build(in)
		return topology.Build(n).Find(n.Device("a"), "e0", addr(a), true)
	}
	const bare = "a: link e0 up\nb: addr 10.7.0.1/32 lo\nb: link lo up\n"
	require.Equal(t, topology.Device, learned(bare, "10.7.0.1").Answer, "on a link without networks")
	require.Equal(t, topology.Conflict, learned(bare+"a: neigh 10.7.0.1 e0 pending", "10.7.0.1").Answer)
}

// TestANextHopWithoutAnInterface is used on the link whose network has it.
func TestANextHopWithoutAnInterface(t *testing.T) {
	in := "a: direct 10.0.0.0/24 dev e0\na: addr 10.0.0.1/24 e0\na: direct 10.0.1.0/24 dev e1\na: addr 10.0.1.1/24 e1\n" +
		"b: direct 10.0.0.0/24 dev f0\nb: addr 10.0.0.5/24 f0\na: static 10.9.0.0/16 via "
	for hop, far := range map[string]bool{"10.0.0.2": true, "10.0.0.3": false, "10.0.1.2": false} {
		topo := topology.Build(coretest.Build(in + hop))
		require.Equal(t, far, topo.FarEnd(netip.MustParseAddr("10.0.0.2")), hop)
	}
}

// TestWhoAnswersForAnother is not at the far end itself.
func TestWhoAnswersForAnother(t *testing.T) {
	const in = "a: direct 10.0.0.0/24 dev e0\na: addr 10.0.0.1/24 e0\na: static 10.9.0.0/16 via 10.0.0.7 dev e0\n" +
		"b: direct 10.0.0.0/24 dev f0\nb: addr 10.0.0.5/24 f0\nb: link f0 up 02:00:00:00:00:0b\n" +
		"a: neigh 10.0.0.7 e0 alive 02:00:00:00:00:0b\n"
	at, ok := topology.Build(coretest.Build(in)).FarEndOf(netip.MustParseAddr("10.0.0.7"))
	require.True(t, ok)
	require.Equal(t, "b", at.Device.Name)
	_, ok = topology.Build(coretest.Build(in + "b: addr 127.0.0.1/8 lo")).FarEndOf(netip.MustParseAddr("10.0.0.7"))
	require.False(t, ok, "all its addresses were captured")
}
