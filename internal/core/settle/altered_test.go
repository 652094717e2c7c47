package settle

import (
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/change"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// triangle is three routers, each linked with both others at cost 10, and a lan at c.
var triangle = map[string]string{
	"a": `addr 172.16.0.1/30 e0
direct 172.16.0.0/30 dev e0
addr 172.16.1.1/30 e1
direct 172.16.1.0/30 dev e1
ospf/intra-area 172.16.0.0/30 pref 110 metric 10 dev e0 candidate
ospf/intra-area 172.16.1.0/30 pref 110 metric 10 dev e1 candidate
ospf/intra-area 172.16.2.0/30 pref 110 metric 20 via 172.16.0.2 dev e0 via 172.16.1.2 dev e1
ospf/intra-area 10.7.0.0/24 pref 110 metric 20 via 172.16.1.2 dev e1`,
	"b": `addr 172.16.0.2/30 e0
direct 172.16.0.0/30 dev e0
addr 172.16.2.1/30 e1
direct 172.16.2.0/30 dev e1
ospf/intra-area 172.16.0.0/30 pref 110 metric 10 dev e0 candidate
ospf/intra-area 172.16.2.0/30 pref 110 metric 10 dev e1 candidate
ospf/intra-area 172.16.1.0/30 pref 110 metric 20 via 172.16.0.1 dev e0 via 172.16.2.2 dev e1
ospf/intra-area 10.7.0.0/24 pref 110 metric 20 via 172.16.2.2 dev e1`,
	"c": `addr 172.16.1.2/30 e0
direct 172.16.1.0/30 dev e0
addr 172.16.2.2/30 e1
direct 172.16.2.0/30 dev e1
addr 10.7.0.1/24 lan
direct 10.7.0.0/24 dev lan
ospf/intra-area 172.16.1.0/30 pref 110 metric 10 dev e0 candidate
ospf/intra-area 172.16.2.0/30 pref 110 metric 10 dev e1 candidate
ospf/intra-area 10.7.0.0/24 pref 110 metric 10 dev lan candidate
ospf/intra-area 172.16.0.0/30 pref 110 metric 20 via 172.16.1.1 dev e0 via 172.16.2.1 dev e1`,
}

// withoutTheLink is what happens to a's routes to the lan where the link between a and c fails.
func withoutTheLink(t *testing.T, n *network.Snapshot) (kinds []Kind) {
	edited, err := change.Change{change.CarrierLost{Device: "a", Interface: "e1"}, change.CarrierLost{Device: "c", Interface: "e0"}}.On(n)
	require.NoError(t, err)
	for _, m := range New(topology.Build(n)).Run(edited).Moves {
		if m.Device == "a" && m.Prefix == netip.MustParsePrefix("10.7.0.0/24") {
			kinds = append(kinds, m.Kind)
		}
	}
	return kinds
}

// TestWhatAConfigurationAlters: where some device's configuration changes what the protocol makes of its routes, in a
// way that is not told, no other way is predicted.
func TestWhatAConfigurationAlters(t *testing.T) {
	for other, want := range map[route.Protocol]Kind{route.Other: Predicted, route.ISIS: Predicted, route.OSPF: Untold} {
		var b network.Builder
		for i, name := range []string{"a", "b", "c"} {
			f := coretest.Facts(triangle[name], uint32(i+1))
			if name == "b" && other != route.Other {
				f.Protocols = []network.ProtocolInterface{{Protocol: other, Other: true, Mark: route.Mark{File: 2, Off: 90, End: 91}}}
			}
			b.Add(name, f, 0)
		}
		kinds := withoutTheLink(t, b.Build())
		require.Equal(t, []Kind{want}, kinds, other.String())
	}
}

// TestWhatComesWithALink: what a device behind a link announces is new to all others when the link comes up, though
// nothing of its own table changes and no table showed that it speaks the protocol.
func TestWhatComesWithALink(t *testing.T) {
	alone := func(text string) string { // without what leads over the links to c
		return strings.Join(slices.DeleteFunc(strings.Split(text, "\n"), func(l string) bool {
			return strings.Contains(l, "dev e1") || strings.Contains(l, "10.7.0.0")
		}), "\n") + "\nlink e1 down"
	}
	c := coretest.Facts("addr 172.16.1.2/30 e0\nlink e0 down\naddr 172.16.2.2/30 e1\nlink e1 down\n"+
		"static 10.70.0.0/24 pref 1 blackhole", 3)
	c.Redistributed = []network.Redistribution{{Protocol: route.OSPF, Source: route.Static}}
	for _, told := range []bool{true, false} { // by a configuration, or by nothing
		if !told {
			c.Redistributed = nil
		}
		comesWithALink(t, c, alone)
	}
}

func comesWithALink(t *testing.T, c network.Facts, alone func(string) string) {
	var b network.Builder
	b.Add("a", coretest.Facts(alone(triangle["a"]), 1), 0)
	b.Add("b", coretest.Facts(alone(triangle["b"]), 2), 0)
	b.Add("c", c, 0)
	n := b.Build()
	p := netip.MustParsePrefix("10.70.0.0/24")
	require.Empty(t, n.Device("a").Table("default", route.IPv4).RoutesTo(p))
	edited, err := change.Change{change.InterfaceUp{Device: "a", Interface: "e1"}, change.InterfaceUp{Device: "c", Interface: "e0"}}.On(n)
	require.NoError(t, err)
	after := New(topology.Build(n)).Run(edited).Network
	require.NotEmpty(t, after.Device("a").Table("default", route.IPv4).RoutesTo(p), "it may learn of it")
}

// TestHiddenAreas: where a metric does not grow along the way to a network on which the protocol runs, there are areas
// that no capture shows: a link that nobody uses for it fails, and its routes may change.
func TestHiddenAreas(t *testing.T) {
	for metric, want := range map[string][]Kind{"30": nil, "20": {Untold}} {
		var b network.Builder
		for i, name := range []string{"a", "b", "c"} {
			text := strings.ReplaceAll(triangle[name], "ospf/intra-area", "ospf")
			if name == "a" { // it goes by b
				text = strings.Replace(text, "10.7.0.0/24 pref 110 metric 20 via 172.16.1.2 dev e1",
					"10.7.0.0/24 pref 110 metric "+metric+" via 172.16.0.2 dev e0", 1)
			}
			b.Add(name, coretest.Facts(text, uint32(i+1)), 0)
		}
		kinds := withoutTheLink(t, b.Build())
		require.Equal(t, want, kinds, "metric %s", metric)
	}
}
