package settle

import (
	"slices"

	"zarvek/internal/core/route"
)

// findAlone finds the routers that were told a prefix by several neighbours at one distance, and use one of them. Where
// neighbours tell distances alone, such a router goes on as before when a further way comes that is no shorter (RFC
// 2453 section 3.9.2); whether others use both no text says.
func (in *instance) findAlone() {
	in.alone = make([]bool, len(in.nodes))
	if !in.byVectors() {
		return
	}
	for _, p := range in.sorted {
		for _, e := range in.entries[p] {
			if e.own || len(e.arcs) != 1 || !e.metric.Known || in.equal[e.node] > 1 || in.alone[e.node] {
				continue
			}
			in.alone[e.node] = slices.ContainsFunc(in.out[e.node], func(i int) bool {
				a := &in.arcs[i]
				if i == e.arcs[0] || a.to < 0 || !a.proven || a.silent || !a.cost.Known {
					return false
				}
				told, ok := in.tells(a.to, e)
				return ok && told+a.cost.Value == e.metric.Value
			})
		}
	}
}

// tells is the distance that a node tells another one, whose entry is given: not by the way on which it would come back
// (split horizon, RFC 2453 section 3.4.3).
func (in *instance) tells(n int, to entry) (uint64, bool) {
	p := to.row.Prefix
	switch f, ok := in.entryOf(p, n); {
	case slices.Contains(in.holders[p], n):
		return in.plain.Value, in.plain.Known && in.attaches(n, p)
	case !ok || !f.metric.Known:
		return 0, false
	default:
		return f.metric.Value, !slices.ContainsFunc(f.arcs, func(i int) bool { return in.arcs[i].to == to.node })
	}
}

// stays reports whether a node that uses one of several equal ways goes on by the one that it has: nothing on it died,
// and none is shorter. Least and most bound the best way.
func (s *search) stays(n int, e *entry, least, most uint64) bool {
	return s.in.alone[n] && !s.in.hasty[n] && len(e.arcs) == 1 && e.metric == route.N(least) && least == most &&
		!s.dead[e.arcs[0]] && !s.broken(e)
}
