package chart_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/chart"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

func outlined(text string) []string {
	return outline(chart.Make(topology.Build(coretest.Build(text)), 0))
}

const link = "a: addr 172.28.1.1/30 up\na: direct 172.28.1.0/30 dev up\n"

// TestANeighboursNetworkIsNoStub: only the network that the neighbour is on becomes a link; other own networks stay.
func TestANeighboursNetworkIsNoStub(t *testing.T) {
	got := outlined(
		"a: addr 10.61.1.1/30 lan\na: direct 10.61.1.0/30 dev lan\n" + link + "a: ospf 10.62.1.0/24 metric 20 via 172.28.1.2 dev up",
	)
	require.Contains(t, got, "a has 10.61.1.0/30 on lan")
	require.NotContains(t, got, "a has 172.28.1.0/30 on up")
}

// TestANeighbourThatHasAnswered is one that was seen.
func TestANeighbourThatHasAnswered(t *testing.T) {
	learned := func(more string) bool {
		c := chart.Make(topology.Build(coretest.Build(link+"a: static 10.62.1.0/24 via 172.28.1.2 dev up\n"+more)), 0)
		for _, n := range c.Nodes {
			if n.Kind == chart.Neighbour {
				return n.Learned
			}
		}
		t.Fatal("no neighbour")
		return false
	}
	require.False(t, learned(""))
	require.True(t, learned("a: neigh 172.28.1.2 up alive"))
}

// TestEveryNextHopIsLookedAt: a captured one, or one elsewhere, among several does not hide the others.
func TestEveryNextHopIsLookedAt(t *testing.T) {
	got := outlined(
		"a: addr 10.61.5.1/24 x\na: direct 10.61.5.0/24 dev x\nb: addr 10.61.5.2/24 x\nb: direct 10.61.5.0/24 dev x\n" +
			"a: ospf 10.62.1.0/24 metric 20 via 10.61.5.2 dev x via 10.61.5.9 dev x",
	)
	require.Contains(t, got, "neighbour [10.61.5.9] .. beyond 0[10.62.1.0/24]false")
	got = outlined(
		link + "a: static 10.62.1.0/24 via 172.28.9.9 dev up\nb: addr 172.28.9.9/24 y\nb: direct 172.28.9.0/24 dev y",
	)
	require.NotContains(
		t,
		got,
		"a .. neighbour [172.28.9.9] ",
		"an address that is a captured device's on another link is no neighbour",
	)
	for _, line := range got {
		require.NotContains(t, line, "neighbour")
	}
}

// TestANeighbourThatTwoDevicesPointAt on a shared segment is drawn once.
func TestANeighbourThatTwoDevicesPointAt(t *testing.T) {
	text := ""
	for i, d := range []string{"a", "b", "c"} {
		text += d + ": addr 10.61.5." + string(
			rune('1'+i),
		) + "/24 x\n" + d + ": direct 10.61.5.0/24 dev x\n" + d + ": static 0.0.0.0/0 via 10.61.5.9 dev x\n"
	}
	n := 0
	for _, x := range chart.Make(topology.Build(coretest.Build(text)), 0).Nodes {
		if x.Kind == chart.Neighbour {
			n++
		}
	}
	require.Equal(t, 1, n)
}

// TestNeighboursOfTwoInterfaces are two, even where there is one of each family.
func TestNeighboursOfTwoInterfaces(t *testing.T) {
	n := 0
	for _, x := range chart.Make(topology.Build(coretest.Build(link+"a: addr fd61:2::1/64 lan\na: direct fd61:2::/64 dev lan\n"+
		"a: ospf 10.62.1.0/24 metric 20 via 172.28.1.2 dev up\na: ospf fd61:7::/64 metric 20 via fd61:2::2 dev lan")), 0).Nodes {
		if x.Kind == chart.Neighbour {
			n++
			require.Len(t, x.Address, 1)
		}
	}
	require.Equal(t, 2, n)
}

// TestTheFirstOwnAddressIsDrawn, and never the one that all routers of a network share.
func TestTheFirstOwnAddressIsDrawn(t *testing.T) {
	c := chart.Make(
		topology.Build(
			coretest.Build(
				"a: addr fd61:2::/64 lan\na: addr fd61:2::1/64 lan\na: addr fd61:2::2/64 lan\na: direct fd61:2::/64 dev lan",
			),
		),
		0,
	)
	require.Equal(t, netip.MustParseAddr("fd61:2::1"), c.Nodes[0].Stubs[0].Address)
}

// TestHostRoutesAreNoNetworks on a map.
func TestHostRoutesAreNoNetworks(t *testing.T) {
	require.Empty(t, outlined("a: addr 10.254.0.1/32 lo\na: direct 10.254.0.1/32 dev lo"))
	c := chart.Make(
		topology.Build(coretest.Build(link+"a: addr fd61:2::1/64 lan\na: direct fd61:2::/64 dev lan")),
		route.IPv4,
	)
	require.Len(t, c.Nodes[0].Stubs, 1, "of one family")
}

// TestBetweenOverTheRightSegment: a segment of others does not count.
func TestBetweenOverTheRightSegment(t *testing.T) {
	text := ""
	for _, d := range []string{"a", "b", "c"} {
		text += d + ": direct 10.61.5.0/24 dev x\n"
	}
	for _, d := range []string{"c", "d", "e"} {
		text += d + ": direct 10.61.6.0/24 dev y\n"
	}
	c := chart.Make(topology.Build(coretest.Build(text)), 0)
	for _, pair := range [][2]string{{"a", "b"}, {"a", "c"}, {"c", "d"}, {"d", "e"}} {
		way := c.Between(c.Find(pair[0]), c.Find(pair[1]))
		require.Len(t, way, 2, pair)
		require.Equal(t, c.Edges[way[0]].B, c.Edges[way[1]].B)
		require.Equal(t, []int{c.Find(pair[0]), c.Find(pair[1])}, []int{c.Edges[way[0]].A, c.Edges[way[1]].A})
	}
	require.Empty(t, c.Between(c.Find("a"), c.Find("e")))
}

func TestJoinedAndBehind(t *testing.T) {
	c := chart.Make(topology.Build(coretest.Build(link+`
		a: addr 172.28.2.1/30 wan
		a: direct 172.28.2.0/30 dev wan
		a: rip 10.62.1.0/24 metric 1 via 172.28.1.2 dev up via 172.28.2.2 dev wan
		a: rip 10.62.2.0/24 metric 2 via 172.28.1.2 dev up
		a: rip 10.62.3.0/24 metric 3 via 172.28.1.2 dev up`)), 0)
	joined := c.Joined()
	require.Len(t, joined, 1)
	require.Equal(t, "10.62.1.0/24", joined[0].Network.String())
	require.Len(t, joined[0].Neighbours, 2)
	for _, e := range c.Edges {
		if n := c.Nodes[e.B]; n.Kind == chart.Beyond && n.Distance == 1 && e.A == joined[0].Neighbours[0] {
			require.Len(t, c.Behind(e.B), 3)
		}
	}
}
