package chart

import (
	"net/netip"
	"slices"
)

// A Join is a network that lies one hop behind several neighbours that nobody captured: each of them is attached to
// it, so it joins them.
type Join struct {
	Network    netip.Prefix
	Neighbours []int // in Nodes
}

// Joined returns the networks that join neighbours, in order.
func (c *Chart) Joined() []Join {
	at := map[netip.Prefix][]int{}
	for _, e := range c.Edges {
		if n := c.Nodes[e.B]; n.Kind == Beyond && n.Distance == 1 {
			for _, p := range n.Networks {
				at[p] = append(at[p], e.A)
			}
		}
	}
	var out []Join
	for p, nodes := range at {
		if len(nodes) > 1 {
			out = append(out, Join{p, nodes})
		}
	}
	slices.SortFunc(out, func(a, b Join) int { return a.Network.Compare(b.Network) })
	return out
}

// Behind returns a node beyond a neighbour and those that lie behind it, nearest first.
func (c *Chart) Behind(n int) []int {
	out := []int{n}
	for again := true; again; {
		again = false
		for _, e := range c.Edges {
			if e.A == out[len(out)-1] && c.Nodes[e.B].Kind == Beyond {
				out, again = append(out, e.B), true
				break
			}
		}
	}
	return out
}
