package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// findVeiled finds the prefixes whose paths go on beyond a node that uses something else there, so that its table
// need not show the protocol's own path: who is attached to a link's network may count a way by the other end, which
// costs less than its own interface.
func (in *instance) findVeiled() {
	in.veiled = map[netip.Prefix]bool{}
	for _, at := range in.shared {
		p := in.sorted[at]
		in.veiled[p] = slices.ContainsFunc(in.ends[p], func(n int) bool { return in.passesOn(n, p) }) ||
			slices.ContainsFunc(in.entries[p], in.beyondOwner)
	}
}

// beyondOwner reports whether an entry's metric is, or may be, not that of its next hop's own network.
func (in *instance) beyondOwner(e entry) bool {
	return !in.byVectors() && slices.ContainsFunc(e.arcs, func(i int) bool {
		a := &in.arcs[i]
		far, ok := in.entryOf(e.row.Prefix, a.to)
		return ok && far.own && (!a.cost.Known || !far.metric.Known || e.metric != route.N(a.cost.Value+far.metric.Value))
	})
}

// passesOn reports whether a node at which next hops end is on the way to another one: it announces nothing of what it
// has, as its configuration tells, and uses that in place of its own path, which its table does not show.
func (in *instance) passesOn(n int, p netip.Prefix) bool {
	before := &run{now: in.topo.Network}
	return before.keepsTo(in, n, p) && slices.ContainsFunc(in.sharers(p, n), func(m int) bool {
		_, hands := before.handedFrom(in, m, p)
		return hands
	})
}
