package settle

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/change"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// threeOf is a with links to the exits b and c, which have a network in common behind them by d and e.
const threeOf = `
	a: addr 172.16.0.1/30 e0
	a: direct 172.16.0.0/30 dev e0
	a: link e0 up
	a: addr 172.16.1.1/30 e1
	a: direct 172.16.1.0/30 dev e1
	a: link e1 up
	b: addr 172.16.0.2/30 e0
	b: direct 172.16.0.0/30 dev e0
	b: link e0 up
	b: addr 172.16.2.1/30 e2
	b: direct 172.16.2.0/30 dev e2
	b: link e2 up
	c: addr 172.16.1.2/30 e1
	c: direct 172.16.1.0/30 dev e1
	c: link e1 up
	d: addr 172.16.2.2/30 e2
	d: direct 172.16.2.0/30 dev e2
	d: link e2 up
`

// TestWhatOthersAnnounce: what a device has by BGP may change with what another one has, however well its own next hop
// is.
func TestWhatOthersAnnounce(t *testing.T) {
	p := netip.MustParsePrefix("10.7.0.0/24")
	far := change.Change{change.InterfaceDown{Device: "b", Interface: "e2"}, change.InterfaceDown{Device: "d", Interface: "e2"}}
	for _, tt := range []struct {
		name, in string
		change   change.Change
		want     string
	}{
		{"who announced it lost it", "a: bgp 10.7.0.0/24 pref 20 via 172.16.0.2 dev e0\nb: static 10.7.0.0/24 pref 1 via 172.16.2.2 dev e2",
			far, "untold"},
		{"who announced it has it by another way", "a: bgp 10.7.0.0/24 pref 20 via 172.16.0.2 dev e0\n" +
			"b: static 10.7.0.0/24 pref 1 via 172.16.2.2 dev e2\nb: static 10.7.0.0/24 pref 9 blackhole candidate", far, "untold"},
		{"what failed leads elsewhere", "a: bgp 10.7.0.0/24 pref 20 via 172.16.1.2 dev e1\nc: static 10.7.0.0/24 pref 1 blackhole\n" +
			"a: bgp 10.9.0.0/24 pref 20 via 172.16.0.2 dev e0", far, "bgp 172.16.1.2%e1"},
		{"another one has it now, and may announce it", "a: bgp 10.7.0.0/24 pref 20 via 172.16.1.2 dev e1\n" +
			"c: static 10.7.0.0/24 pref 1 blackhole\na: bgp 10.9.0.0/24 pref 20 via 172.16.0.2 dev e0\n" +
			"b: bgp 10.7.0.0/24 pref 20 via 172.16.2.2 dev e2\nb: static 10.7.0.0/24 pref 200 blackhole candidate", far, "untold"},
		{"a link comes up, and a neighbour with it", "a: bgp 10.7.0.0/24 pref 20 via 172.16.1.2 dev e1\na: link e7 down",
			change.Change{change.InterfaceUp{Device: "a", Interface: "e7"}}, "untold"},
		{"a link comes up elsewhere, and there is one exit", "a: bgp 10.7.0.0/24 pref 20 via 172.16.1.2 dev e1\nb: link e7 down",
			change.Change{change.InterfaceUp{Device: "b", Interface: "e7"}}, "bgp 172.16.1.2%e1"},
		{"the way to one of two exits got longer", "a: bgp 10.7.0.0/24 pref 200 via 172.20.0.9\na: ospf/intra-area 172.20.0.9/32 pref 110 metric 5 via 172.16.0.2 dev e0\n" +
			"a: static 172.20.0.9/32 pref 130 via 172.16.1.2 dev e1 candidate\nb: direct 172.20.0.9/32 dev lo\nb: addr 172.20.0.9/32 lo\n" +
			"b: bgp 10.7.0.0/24 pref 20 via 172.16.2.2 dev e2\nc: bgp 10.7.0.0/24 pref 20 via 172.31.0.1 dev e9",
			change.Change{change.InterfaceDown{Device: "a", Interface: "e0"}}, "untold"},
		{"the way to the only exit got longer", "a: bgp 10.7.0.0/24 pref 200 via 172.20.0.9\na: ospf/intra-area 172.20.0.9/32 pref 110 metric 5 via 172.16.0.2 dev e0\n" +
			"a: static 172.20.0.9/32 pref 130 via 172.16.1.2 dev e1 candidate\nb: direct 172.20.0.9/32 dev lo\nb: addr 172.20.0.9/32 lo\n" +
			"b: bgp 10.7.0.0/24 pref 20 via 172.16.2.2 dev e2",
			change.Change{change.InterfaceDown{Device: "a", Interface: "e0"}}, "bgp 172.20.0.9%"},
		{"nobody had it, and another one has it now", "c: link e9 down\nc: addr 10.7.0.1/24 e9\na: bgp 10.9.0.0/24 pref 20 via 172.16.1.2 dev e1\nc: static 10.9.0.0/24 pref 1 blackhole",
			change.Change{change.InterfaceUp{Device: "c", Interface: "e9"}}, "untold"},
		{"it is said to speak, and a neighbour may come back", "a: runs bgp e7 area 0.0.0.0\nc: runs bgp e1 area 0.0.0.0\na: link e7 down\na: addr 172.31.9.1/30 e7\n" +
			"c: static 10.7.0.0/24 pref 1 blackhole", change.Change{change.InterfaceUp{Device: "a", Interface: "e7"}}, "untold"},
		{"its own way is gone, and others have it", "a: static 10.7.0.0/24 pref 1 via 172.16.0.2 dev e0\na: bgp 10.9.0.0/24 pref 20 via 172.16.1.2 dev e1\n" +
			"c: bgp 10.7.0.0/24 pref 20 via 172.31.0.1 dev e9",
			change.Change{change.InterfaceDown{Device: "a", Interface: "e0"}}, "untold"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			n := coretest.Build(threeOf + tt.in)
			edited, err := tt.change.On(n)
			require.NoError(t, err)
			after := New(topology.Build(n)).Run(edited)
			require.False(t, after.Oscillates)
			require.Equal(t, tt.want, plainWords(inUse(after.Network, "a")[p]))
		})
	}
}

// TestUnknownAddresses: where an interface comes up of which no address was captured, no prediction of a protocol that
// may speak there is sure.
func TestUnknownAddresses(t *testing.T) {
	p := netip.MustParsePrefix("10.7.0.0/24")
	learned := "b: link e9 down\na: ospf/intra-area 10.7.0.0/24 pref 110 metric 20 via 172.16.0.2 dev e0\nb: ospf/intra-area 10.7.0.0/24 pref 110 metric 10 dev lan candidate\n"
	for _, tt := range []struct{ name, in, want string }{
		{"other addresses of the device are listed, so that it has none", "", "ospf 172.16.0.2%e0"},
		{"its address is known", "b: addr 172.16.9.1/30 e9", "ospf 172.16.0.2%e0"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			n := coretest.Build(pairOf + learned + tt.in)
			edited, err := change.Change{change.InterfaceUp{Device: "b", Interface: "e9"}}.On(n)
			require.NoError(t, err)
			require.Equal(t, tt.want, plainWords(inUse(New(topology.Build(n)).Run(edited).Network, "a")[p]))
		})
	}
	six := "a: addr fd6b:1::1/64 e0\na: direct fd6b:1::/64 dev e0\na: link e0 up\nb: addr fd6b:1::2/64 e0\nb: direct fd6b:1::/64 dev e0\n" +
		"b: link e0 up\nb: direct fd6b:7::/64 dev lan\nb: addr fd6b:7::1/64 lan\na: ospf/intra-area fd6b:7::/64 pref 110 metric 20 via fd6b:1::2 dev e0\n" +
		"b: ospf/intra-area fd6b:7::/64 pref 110 metric 10 dev lan candidate\nb: link e9 down\n"
	n := coretest.Build(six)
	edited, err := change.Change{change.InterfaceUp{Device: "b", Interface: "e9"}}.On(n)
	require.NoError(t, err)
	after := New(topology.Build(n)).Run(edited)
	q := netip.MustParsePrefix("fd6b:7::/64")
	got := after.Network.Device("a").Table("default", route.IPv6).RoutesTo(q)
	require.Len(t, got, 1)
	require.True(t, got[0].Is(route.Untold), "a kernel drops the addresses of an interface that is down")
}

// TestWhatGoesRound: a network that nobody has any more may go round between two protocols where several devices hand
// routes from one to the other and back; where one does it is gone.
func TestWhatGoesRound(t *testing.T) {
	p := netip.MustParsePrefix("172.16.0.0/30")
	const one = "a: direct 10.6.0.0/24 dev lan\nc: bgp 10.6.0.0/24 pref 20 via 172.16.1.1 dev e1\n" +
		"b: ospf 10.62.0.0/24 pref 110 metric 20 via 172.16.2.2 dev e2\na: bgp 10.62.0.0/24 pref 20 via 172.16.0.2 dev e0\n"
	const other = "a: ospf 10.61.0.0/24 pref 110 metric 20 via 172.16.9.2 dev e9\nc: bgp 10.61.0.0/24 pref 20 via 172.16.1.1 dev e1\n"
	for in, want := range map[string]bool{one: false, one + other: true} {
		n := coretest.Build(threeOf + in)
		edited, err := change.Change{change.InterfaceDown{Device: "a", Interface: "e0"},
			change.InterfaceDown{Device: "b", Interface: "e0"}}.On(n)
		require.NoError(t, err)
		after := New(topology.Build(n)).Run(edited).Network
		require.Empty(t, n.Device("c").Table("default", route.IPv4).RoutesTo(p))
		open := false
		for _, r := range after.Device("c").Table("default", route.IPv4).RoutesTo(p) {
			open = open || r.Is(route.Untold)
		}
		require.Equal(t, want, open, in)
	}
}
