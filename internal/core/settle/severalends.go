package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// ospfForIPv6 reports whether an instance is OSPF version 3 (RFC 5340), of which a daemon was seen to go wrong where the
// paths of several origins or adjacencies come together.
func (in *instance) ospfForIPv6() bool { return in.protocol == route.OSPF && in.family == route.IPv6 }

// fromSeveral reports whether a node's captured paths to a prefix end at several routers, which announce it at one
// metric. Next hops that lead to somebody who was not captured end there.
func (in *instance) fromSeveral(p netip.Prefix, n int) bool {
	if in.captured != nil {
		in = in.captured
	}
	var ends []int
	seen := map[int]bool{n: true}
	for todo := []int{n}; len(todo) > 0; todo = todo[1:] {
		e, knows := in.entryOf(p, todo[0])
		if !knows || e.own {
			ends = append(ends, todo[0])
			continue
		}
		for _, i := range e.arcs {
			to := in.arcs[i].to
			switch {
			case to < 0:
				ends = append(ends, -1-i)
			case !seen[to]:
				seen[to] = true
				todo = append(todo, to)
			}
		}
	}
	return len(ends) > 1
}

// mayKeep reports whether a daemon may keep a path of OSPF for IPv6 for another one that is found: one was seen to keep a
// longer path where two routers had announced the network at the same metric, and now no longer did.
func (s *search) mayKeep(n int, e *entry, a answer) bool {
	return s.in.ospfForIPv6() && a.kind == found && !slices.Equal(a.arcs, sorted(e.arcs)) &&
		s.in.fromSeveral(e.row.Prefix, n)
}
