package audit

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/topology"
)

// startSet is the nodes where packets of one source start: one, or several where several devices attach to its network.
type startSet struct {
	nodes   []int32
	returns []bool // whether the device must be asked if its packets come back to it
	// held says how little is known of by which of the nodes packets start; unsettled is the cause that it is not
	held      topology.Held
	unsettled int32
}

// settle leaves an outcome undecided that hangs on where packets start.
func (s *startSet) settle(all *outcome) {
	lost := all.verdict > forward.Unknown
	switch {
	case s.held == topology.HeldByOne && lost && all.arrives, s.held == topology.HeldPerhaps && lost,
		s.held == topology.HeldByNone:
		all.verdict, all.cause, all.split = forward.Unknown, s.unsettled, -1
		all.arrives = all.arrives && s.held != topology.HeldByNone
	}
}

// end is a range of addresses that somebody may have: hosts of an attached network, or a captured device.
type end struct {
	span   span
	net    netip.Prefix
	owner  *network.Device // nil: hosts
	start  int             // -1: nobody there can send
	down   int32           // the cause that the network is down; -1: it is not
	exact  bool
	policy int
	class  classHash
	column []int32   // outcomes of packets to it, by start set
	sum    classHash // of the column
	at     classAt
}

// classAt is a class and the worker that found it, whose numbers it speaks in.
type classAt struct {
	w  *worker
	id int32
}

// A group is the ends of one network that nothing tells apart: whoever sends there, and wherever they send, the same
// happens.
type group struct {
	end
	spans []span
	rep   netip.Addr // one of its addresses
}

// groupEnds puts ends together.
func (a *auditor) groupEnds(ends []end) []*group {
	type key struct {
		down   int32
		net    netip.Prefix
		owner  *network.Device
		start  int
		policy int
		column classHash
		own    number // tells ends apart that need a look each
	}
	byKey := map[key]*group{}
	var out []*group
	apart := slices.Contains(a.sensitive, true)
	for _, e := range ends {
		k := key{down: e.down, net: e.net, owner: e.owner, start: e.start, column: e.sum}
		if apart {
			k.policy, k.column = e.policy, e.class // a source check looks at what devices do with it as a destination
		}
		if e.exact {
			k.own = e.span.first
		}
		g := byKey[k]
		if g == nil {
			g = &group{end: e, rep: e.span.first.addr(a.fam)}
			byKey[k] = g
			out = append(out, g)
		}
		if n := len(g.spans); n > 0 && g.spans[n-1].last.next() == e.span.first {
			g.spans[n-1].last = e.span.last
		} else {
			g.spans = append(g.spans, e.span)
		}
	}
	a.numberNets(out)
	return out
}

// numberNets numbers the networks of groups in order, and counts the groups of hosts in each.
func (a *auditor) numberNets(groups []*group) {
	for _, g := range groups {
		a.nets = append(a.nets, g.net)
	}
	slices.SortFunc(a.nets, netip.Prefix.Compare)
	a.nets = slices.Compact(a.nets)
	for _, g := range groups {
		i, _ := slices.BinarySearchFunc(a.nets, g.net, netip.Prefix.Compare)
		a.netOf = append(a.netOf, int32(i))
	}
	a.netGroups = newNetGroups(a.netOf, len(a.nets))
	a.hostGroups = make([]int, len(a.nets))
	for i, g := range groups {
		if g.owner == nil {
			a.hostGroups[a.netOf[i]]++
		}
	}
}

func hashColumn(c []int32) classHash {
	h := classHash{1, 2}
	for _, v := range c {
		h.a = scramble(h.a ^ uint64(uint32(v)))
		h.b = scramble(h.b + uint64(uint32(v))*0x9e3779b97f4a7c15)
	}
	return h
}
