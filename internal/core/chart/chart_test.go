package chart_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/chart"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/topology"
)

// outline writes a chart as one line a node and edge.
func outline(c *chart.Chart) []string {
	var out []string
	name := func(i int) string {
		n := c.Nodes[i]
		switch n.Kind {
		case chart.Device:
			return n.Device.Name
		case chart.Segment:
			return fmt.Sprint("segment ", n.Networks)
		case chart.Neighbour:
			return fmt.Sprint("neighbour ", n.Address)
		}
		return fmt.Sprintf("beyond %d%v%v", n.Distance, n.Networks, n.Default)
	}
	for _, n := range c.Nodes {
		for _, s := range n.Stubs {
			line := fmt.Sprintf("%s has %s on %s", n.Device.Name, s.Prefix, s.Interface)
			if s.Down {
				line += " down"
			}
			out = append(out, line)
		}
	}
	for _, e := range c.Edges {
		kind := "--"
		if e.Deduced {
			kind = ".."
		}
		if e.Down {
			kind += "x"
		}
		var nets []string
		for _, n := range e.Nets {
			nets = append(nets, n.Prefix.String())
		}
		out = append(
			out,
			strings.TrimSpace(fmt.Sprintf("%s %s %s %s", name(e.A), kind, name(e.B), strings.Join(nets, " "))),
		)
	}
	return out
}

func TestMake(t *testing.T) {
	for _, tt := range []struct {
		name, text string
		want       []string
	}{
		{"a link with both ends known, and what hangs on one device", `
			a: addr 172.28.1.1/30 up
			a: direct 172.28.1.0/30 dev up
			a: addr 10.61.1.1/24 lan
			a: direct 10.61.1.0/24 dev lan
			b: addr 172.28.1.2/30 up
			b: direct 172.28.1.0/30 dev up`, []string{"a has 10.61.1.0/24 on lan", "a -- b 172.28.1.0/30"}},
		{"an end without a captured address is deduced", `
			a: addr 172.28.1.1/30 up
			a: direct 172.28.1.0/30 dev up
			b: direct 172.28.1.0/30 dev up`, []string{"a .. b 172.28.1.0/30"}},
		{"three share a segment", `
			a: addr 10.61.5.1/24 x
			a: direct 10.61.5.0/24 dev x
			b: addr 10.61.5.2/24 x
			b: direct 10.61.5.0/24 dev x
			c: addr 10.61.5.3/24 x
			c: direct 10.61.5.0/24 dev x`, []string{"a -- segment [10.61.5.0/24] 10.61.5.0/24", "b -- segment [10.61.5.0/24] 10.61.5.0/24", "c -- segment [10.61.5.0/24] 10.61.5.0/24"}},
		{"both families of a link are one edge", `
			a: addr 172.28.1.1/30 up
			a: direct 172.28.1.0/30 dev up
			a: addr fd6b:1::1/64 up
			a: direct fd6b:1::/64 dev up
			b: addr 172.28.1.2/30 up
			b: direct 172.28.1.0/30 dev up
			b: addr fd6b:1::2/64 up
			b: direct fd6b:1::/64 dev up`, []string{"a -- b 172.28.1.0/30 fd6b:1::/64"}},
		{"one device alone: neighbours, and what is behind them at as many hops as RIP tells", `
			a: addr 172.28.1.1/30 up
			a: direct 172.28.1.0/30 dev up
			a: rip 10.62.1.0/24 metric 2 via 172.28.1.2 dev up
			a: rip 10.62.2.0/24 metric 4 via 172.28.1.2 dev up
			a: rip 10.62.3.0/24 metric 2 via 172.28.1.2 dev up
			a: static 0.0.0.0/0 via 172.28.1.2 dev up`, []string{"a .. neighbour [172.28.1.2] 172.28.1.0/30", "neighbour [172.28.1.2] .. beyond 0[]true",
			"neighbour [172.28.1.2] .. beyond 2[10.62.1.0/24 10.62.3.0/24]false", "beyond 2[10.62.1.0/24 10.62.3.0/24]false .. beyond 4[10.62.2.0/24]false"}},
		{"other protocols' metrics count no hops", `
			a: addr 172.28.1.1/30 up
			a: direct 172.28.1.0/30 dev up
			a: ospf 10.62.1.0/24 metric 20 via 172.28.1.2 dev up`, []string{"a .. neighbour [172.28.1.2] 172.28.1.0/30", "neighbour [172.28.1.2] .. beyond 0[10.62.1.0/24]false"}},
		{"what is on the map already is not beyond", `
			a: addr 172.28.1.1/30 up
			a: direct 172.28.1.0/30 dev up
			a: ospf 10.61.2.0/24 via 172.28.1.2 dev up
			b: addr 10.61.2.1/24 lan
			b: direct 10.61.2.0/24 dev lan`, []string{"b has 10.61.2.0/24 on lan", "a .. neighbour [172.28.1.2] 172.28.1.0/30"}},
		{"a link with an interface that is down", `
			a: addr 172.28.1.1/30 up
			a: direct 172.28.1.0/30 dev up
			b: addr 172.28.1.2/30 up
			b: link up down`, []string{"a --x b 172.28.1.0/30"}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			c := chart.Make(topology.Build(coretest.Build(tt.text)), 0)
			require.ElementsMatch(t, tt.want, outline(c))
			for i := range c.Nodes {
				if c.Nodes[i].Kind == chart.Device {
					require.Equal(t, i, c.Find(c.Nodes[i].Device.Name))
				}
			}
		})
	}
}

func TestBetween(t *testing.T) {
	c := chart.Make(topology.Build(coretest.Build(`
		a: direct 10.61.5.0/24 dev x
		b: direct 10.61.5.0/24 dev x
		c: direct 10.61.5.0/24 dev x
		a: direct 172.28.1.0/30 dev up
		b: direct 172.28.1.0/30 dev up`)), 0)
	require.Len(t, c.Between(c.Find("a"), c.Find("b")), 1, "the link, not the way over the segment")
	require.Len(t, c.Between(c.Find("b"), c.Find("c")), 2, "over the segment")
	require.Empty(t, c.Between(c.Find("a"), c.Find("a")))
	require.Equal(t, -1, c.Find("d"))
}
