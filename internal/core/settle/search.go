package settle

import (
	"math"
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// endless is a metric that nothing reaches.
const endless = math.MaxUint64 / 4

// answerKind says what a node would have of a prefix. The zero answerKind is that it cannot be told.
type answerKind uint8

const (
	open    answerKind = iota
	nowhere            // no path
	found
)

type answer struct {
	kind   answerKind
	arcs   []int
	metric route.Number
	final  bool // of open: no other bounds would tell more
}

// A search is the paths to one prefix: for each node the least and the most that its distance can be. OSPF's paths
// within the prefix's area come before those from another area (RFC 2328 section 11), so those are solved first and the
// others begin with them.
type search struct {
	in        *instance
	dead      []bool
	origins   []origin
	constant  bool         // the metric does not count the way (external type 2)
	other     bool         // that metric may be another one than before
	told      route.Number // it is this one
	mixed     bool         // paths of kinds that nobody compares by metric
	inside    []bool       // the prefix's area
	hasInside bool         // there is an area to tell from others
	beyond    bool         // who has no way to an own network of the protocol may have one that comes from outside
	takesPart []bool
	area      string         // of the prefix, where configurations tell areas
	kinds     [2]string      // of prefix, for paths inside and all others; where there are areas
	apart     bool           // a border router lost the backbone: what it makes of that, implementations disagree on
	exact     map[int]uint64 // of arcs straight to an origin: the whole metric, as captured

	floor       []uint64 // of each node: what it had before, where nothing can have got nearer
	least, most []uint64
	any         []uint64 // the least of paths of whatever kind
}

// newSearch solves the distances of a prefix from its origins, over the arcs that are not dead (Dijkstra 1959, once
// with the least and once with the most that each arc may cost).
func newSearch(in *instance, p netip.Prefix, origins []origin, lost bool, dead []bool) *search {
	origins, beyond := in.innermost(origins)
	n := len(in.nodes)
	s := &search{in: in, beyond: beyond, dead: dead, origins: origins, exact: map[int]uint64{}, takesPart: make([]bool, n),
		inside: make([]bool, n)}
	var ranks [ranksOfPaths]bool
	top := 0
	list := in.entries[p]
	for k := range list {
		e := &list[k]
		s.takesPart[e.node] = true
		if !e.own {
			ranks[e.rank] = true
			top = max(top, e.rank)
		}
		s.inside[e.node] = e.rank == 0
	}
	for _, o := range origins {
		s.takesPart[o.node], s.inside[o.node] = true, true
	}
	for _, m := range in.holders[p] { // what it knows by the protocol is not shown beside what it uses
		s.takesPart[m] = true
	}
	if s.in.grown || len(in.entries[p]) == 0 { // who had no way may get one
		for n := range s.takesPart {
			s.takesPart[n] = true
		}
	}
	if in.byArea && in.areas {
		s.area = in.areaOf(p)
	}
	s.constant, s.hasInside = ranks[3], ranks[1] && (ranks[0] || s.area != "")
	if len(in.entries[p]) == 0 && len(origins) > 0 &&
		!slices.ContainsFunc(origins, func(o origin) bool { return !o.external }) {
		s.constant = in.protocol == route.OSPF
	}
	kinds := 0
	for _, has := range ranks {
		if has {
			kinds++
		}
	}
	s.mixed = kinds > 1 && !(ranks[0] && ranks[1] && kinds == 2)
	s.mixed = s.mixed || in.parted[p]
	if in.areas {
		s.kinds = [2]string{in.kindOfPrefix(p, 0), in.kindOfPrefix(p, top)}
	}
	if s.constant {
		s.other, s.told = lost, toldAlike(origins)
		s.mixed = s.mixed || len(origins) > 1 && !s.told.Known &&
			(lost || len(in.entries[p]) == 0 || !oneMetric(in.entries[p]))
		for i := range s.origins {
			s.origins[i].least = 0
			if s.origins[i].most < endless {
				s.origins[i].most = 0
			}
		}
	}
	s.findExact(p)
	s.findFloor(p)
	s.solve()
	return s
}

// innermost are the origins that count: paths to the protocol's own networks come before those to what is from outside,
// whatever the metrics (RFC 2328 section 11). Beyond tells that some were left out.
func (in *instance) innermost(origins []origin) (out []origin, beyond bool) {
	own := func(o origin) bool { return o.attached && !o.fresh }
	if in.protocol != route.OSPF || !slices.ContainsFunc(origins, own) {
		return origins, false
	}
	out = slices.DeleteFunc(slices.Clone(origins), func(o origin) bool { return o.external })
	return out, len(out) < len(origins)
}

// toldAlike is the external metric with which all origins announce a prefix, not known where they may differ.
func toldAlike(origins []origin) (m route.Number) {
	for _, o := range origins {
		if !o.told.Known || m.Known && m != o.told {
			return route.Number{}
		}
		m = o.told
	}
	return m
}

// oneMetric reports whether all entries have the same known metric.
func oneMetric(list []entry) bool {
	return !slices.ContainsFunc(list, func(e entry) bool { return !e.metric.Known || e.metric != list[0].metric })
}

// findExact finds the arcs straight to an origin of which the whole metric was captured.
func (s *search) findExact(p netip.Prefix) {
	if s.constant {
		return
	}
	list := s.in.entries[p]
	for k := range list {
		e := &list[k]
		for _, i := range e.arcs {
			to := s.in.arcs[i].to
			at := slices.IndexFunc(s.origins, func(o origin) bool { return o.node == to })
			if at < 0 || !e.metric.Known || s.origins[at].most >= endless || s.origins[at].fresh {
				continue
			}
			if _, has := s.in.entryOf(p, to); !has && len(s.in.sharers(p, to)) == 0 {
				s.exact[i] = e.metric.Value
			}
		}
	}
}

// findFloor notes that distances only grow where things fail. With several areas a border router that loses a path
// within its area may take a shorter one over others.
func (s *search) findFloor(p netip.Prefix) {
	if s.in.areas || s.in.grown || s.constant || s.mixed ||
		slices.ContainsFunc(s.origins, func(o origin) bool { return o.fresh }) {
		return
	}
	s.floor = make([]uint64, len(s.in.nodes))
	list := s.in.entries[p]
	for k := range list {
		if e := &list[k]; e.metric.Known {
			s.floor[e.node] = e.metric.Value
		}
	}
}

// unchanged reports whether a node's path is still there at the metric that it had: what failed made no other one
// better.
func (s *search) unchanged(e *entry) bool {
	nothingNearer := s.floor != nil || s.in.areas && (e.rank == 0 || e.rank == 1 && s.insideIntact())
	if s.in.grown || !e.metric.Known || !nothingNearer || s.constant || s.mixed || len(e.arcs) == 0 ||
		s.in.byVectors() && s.broken(e) {
		return false
	}
	return !slices.ContainsFunc(e.arcs, func(i int) bool {
		_, high := s.total(i)
		return high != e.metric.Value
	})
}

// keeps reports whether a node goes on as before for sure.
func (s *search) keeps(e *entry) bool {
	return !s.in.blind && !s.in.hidden && (!s.apart || e.rank == 0) && s.unchanged(e)
}

// broken reports whether something died on a node's path, however far away: where neighbours tell distances alone, the
// next one may have had none for a moment, and of equal ones another is used since (RFC 2453 section 3.9.2).
func (s *search) broken(e *entry) bool {
	seen := map[int]bool{}
	for todo := []entry{*e}; len(todo) > 0; todo = todo[1:] {
		for _, i := range todo[0].arcs {
			to := s.in.arcs[i].to
			if s.dead[i] {
				return true
			}
			if far, ok := s.in.entryOf(e.row.Prefix, to); ok && !seen[to] {
				seen[to] = true
				todo = append(todo, far)
			}
		}
	}
	return false
}

// insideIntact reports whether every node of the prefix's area still has a path within it: then no border router
// announces it at another cost than its own distance, and distances from outside only grow too.
func (s *search) insideIntact() bool {
	if !s.hasInside || slices.ContainsFunc(s.origins, func(o origin) bool { return o.fresh }) {
		return false
	}
	for n, inside := range s.inside {
		if inside && s.most[n] >= endless {
			return false
		}
	}
	return true
}

// solve finds the bounds of all distances.
func (s *search) solve() {
	least, high := map[int]uint64{}, map[int]uint64{}
	for _, o := range s.origins {
		least[o.node], high[o.node] = o.least, o.most
	}
	within := func(i int) bool { return s.ofInside(i) }
	s.most = s.dijkstra(high, s.high, within, false)
	if s.least = s.most; !s.exactly() {
		s.least = s.dijkstra(least, s.low, within, true)
	}
	s.any = s.least
	if !s.hasInside && s.area == "" {
		return
	}
	s.any = s.dijkstra(least, s.low, func(int) bool { return true }, true)
	for n := range s.in.nodes {
		if s.inside[n] {
			high[n] = s.most[n]
		}
	}
	beyond := func(i int) bool { return !s.inside[s.in.arcs[i].from] }
	s.most = s.dijkstra(high, s.high, beyond, false)
	for n := range s.in.nodes {
		if !s.inside[n] { // a border router may be passed on the way to another one, though it goes another way itself
			s.least[n] = s.any[n]
		}
	}
}

// exactly reports whether the least distances are the greatest ones: every cost is known, and no distance that was
// found is below one that was captured.
func (s *search) exactly() bool {
	if !s.in.exact || s.in.areas || slices.ContainsFunc(s.origins, func(o origin) bool { return o.least != o.most }) {
		return false
	}
	for n, d := range s.floor {
		if s.most[n] < d {
			return false
		}
	}
	return true
}

// ofInside reports whether an arc may be on a path within the prefix's area; where areas are not told apart all are.
func (s *search) ofInside(i int) bool {
	a := &s.in.arcs[i]
	if s.area != "" {
		return a.area == s.area
	}
	return !s.hasInside || s.inside[a.from] && (a.to < 0 || s.inside[a.to])
}

// low is what an arc costs at least, endless where it cannot be used.
func (s *search) low(i int) uint64 {
	a := &s.in.arcs[i]
	switch {
	case s.dead[i], a.silent, a.to >= 0 && !s.takesPart[a.to]:
		return endless
	case a.cost.Known:
		return a.cost.Value
	}
	return a.least
}

// high is what an arc costs at most, endless where it may not be usable.
func (s *search) high(i int) uint64 {
	a := &s.in.arcs[i]
	switch {
	case s.dead[i], a.to < 0, !a.proven, !s.takesPart[a.to]:
		return endless
	case s.area != "" && a.area == s.area: // within the prefix's area
	case s.in.areas && !a.carries[s.kindFrom(a.from)]:
		return endless // it may be in another area
	}
	if a.cost.Known {
		return a.cost.Value
	}
	return most(s.in.protocol)
}

// kindFrom is the kind of the prefix's paths at a node.
func (s *search) kindFrom(n int) string {
	if s.hasInside && s.inside[n] {
		return s.kinds[0]
	}
	return s.kinds[1]
}

// straight returns the captured metric of an arc straight to an origin. From another area it may be that of a way by
// another border router.
func (s *search) straight(i int) (uint64, bool) {
	if len(s.exact) == 0 {
		return 0, false
	}
	x, ok := s.exact[i]
	return x, ok && !s.dead[i] && (s.inside[s.in.arcs[i].from] || !s.in.areas)
}

// total is what the whole way over an arc is at least and at most.
func (s *search) total(i int) (least, high uint64) {
	a := &s.in.arcs[i]
	if s.inside[a.from] && (s.hasInside || s.area != "") && !s.ofInside(i) {
		return endless, endless
	}
	if x, ok := s.straight(i); ok {
		return x, x
	}
	if a.to < 0 {
		if s.dead[i] {
			return endless, endless
		}
		return 1, endless // who is there was not captured
	}
	if s.hasInside && !s.inside[a.from] {
		return plus(s.low(i), s.any[a.to]), plus(s.high(i), s.most[a.to])
	}
	return plus(s.low(i), s.least[a.to]), plus(s.high(i), s.most[a.to])
}

func plus(a, b uint64) uint64 { return min(a+b, endless) }

// dijkstra solves distances from some nodes. Outside tells that a device that was not captured may have any way.
func (s *search) dijkstra(from map[int]uint64, cost func(int) uint64, allowed func(int) bool, outside bool) []uint64 {
	lift := func(_ int, d uint64) uint64 { return d }
	if outside && s.floor != nil {
		lift = func(n int, d uint64) uint64 { return max(d, s.floor[n]) }
	}
	start := map[int]uint64{}
	for n, d := range from {
		start[n] = lift(n, d)
	}
	for i := range s.in.arcs {
		if a := &s.in.arcs[i]; outside && a.to < 0 && !s.dead[i] && allowed(i) {
			start[a.from] = min(get(start, a.from), lift(a.from, 1))
		}
	}
	return s.in.distances(start, func(i int, far uint64) uint64 {
		switch x, ok := s.straight(i); {
		case !allowed(i):
			return endless
		case ok:
			return lift(s.in.arcs[i].from, x)
		}
		return lift(s.in.arcs[i].from, plus(cost(i), far))
	})
}

// answer is what a node would use. Where the bounds leave that open it is asked again without the ways that lead back
// through the node itself.
func (s *search) answer(n int, e entry, had bool) answer {
	a := s.answerOnce(n, e, had)
	if a.kind == open && !a.final && !s.mixed {
		alone := *s
		alone.dead = slices.Clone(s.dead)
		for _, i := range s.in.into[n] {
			alone.dead[i] = true
		}
		alone.solve()
		a = alone.answerOnce(n, e, had)
	}
	if had && s.mayKeep(n, &e, a) {
		return answer{final: true}
	}
	return a
}

// answerOnce finds the way of one router to one prefix after the change, with all costs that the equations allow: one
// answer where the least and the greatest possible costs agree, else that it cannot be told.
func (s *search) answerOnce(n int, e entry, had bool) answer {
	switch {
	case had && s.keeps(&e):
		return answer{kind: found, arcs: sorted(e.arcs), metric: e.metric}
	case s.in.blind, s.in.hidden, s.apart:
		return answer{final: true}
	}
	var ways []arcWay
	best := uint64(endless)
	for _, i := range s.in.out[n] {
		least, high := s.total(i)
		if had && e.rank == 0 && e.metric.Known && !s.in.areas && !s.in.grown && !slices.Contains(e.arcs, i) &&
			least < endless {
			least = max(least, s.in.refused(e)) // it was not better before either
			high = max(high, least)
		}
		if least < endless {
			ways = append(ways, arcWay{i, least, high})
			best = min(best, high)
		}
	}
	switch {
	case len(ways) == 0 && (s.any[n] < endless || s.beyond):
		return answer{} // it may learn from another area what it had within its own
	case len(ways) == 0:
		return answer{kind: nowhere}
	case s.mixed || best >= endless:
		return answer{}
	}
	won := slices.DeleteFunc(slices.Clone(ways), func(w arcWay) bool { return w.least > best })
	if len(won) == 0 {
		return answer{} // captured metrics contradict each other
	}
	exact := !slices.ContainsFunc(won, func(w arcWay) bool { return w.least != w.most })
	if had && len(won) > 1 && exact && s.stays(n, &e, won[0].least, won[0].most) &&
		slices.ContainsFunc(won, func(w arcWay) bool { return w.arc == e.arcs[0] }) {
		return answer{kind: found, arcs: sorted(e.arcs), metric: e.metric}
	}
	limit := s.in.paths[n]
	if len(won) > 1 && (!exact || s.in.selects[n] || s.in.byVectors() || limit > 0 && uint64(len(won)) > limit) {
		return answer{}
	}
	a := answer{kind: found}
	if s.in.ospfForIPv6() && s.in.besideOthers(won) {
		return answer{} // a daemon was seen to leave out one of the adjacencies to one neighbour
	}
	for _, w := range won {
		if !s.in.arcs[w.arc].hop.IsValid() {
			return answer{} // by which address it would name the neighbour is not known
		}
		if s.in.protocol == route.ISIS && s.beside(w.arc, won[0].least) {
			return answer{} // by which of several adjacencies a neighbour is reached is told in several ways
		}
		a.arcs = append(a.arcs, w.arc)
	}
	slices.Sort(a.arcs)
	switch {
	case s.constant && s.told.Known:
		a.metric = s.told
	case s.constant && had && !s.other:
		a.metric = e.metric
	case exact && !s.constant:
		a.metric = route.N(won[0].least)
	}
	if s.in.areas && (!had || !exact) {
		return answer{} // areas may keep a path from it, or make one that is not the shortest
	}
	if !s.in.known { // there may be several areas, and the captures do not show them
		return answer{final: exact}
	}
	if s.infinite(a.metric) {
		return answer{kind: nowhere}
	}
	return a
}

// arcWay is an arc, and what the whole way over it is at least and at most.
type arcWay struct {
	arc         int
	least, most uint64
}

// besideOthers reports whether of some ways several lead to one neighbour, and another one to another.
func (in *instance) besideOthers(ways []arcWay) bool {
	neighbours := map[int]int{}
	for _, w := range ways {
		neighbours[in.arcs[w.arc].to]++
	}
	return len(neighbours) > 1 && len(neighbours) < len(ways)
}

// beside reports whether another way to the same neighbour lives beside an arc, of another metric: IS-IS (ISO 10589
// annex C.2) counts the best one, and a daemon was seen to send by the other.
func (s *search) beside(i int, best uint64) bool {
	a := &s.in.arcs[i]
	return slices.ContainsFunc(s.in.out[a.from], func(k int) bool {
		least, high := s.total(k)
		return k != i && !s.dead[k] && a.to >= 0 && s.in.arcs[k].to == a.to && (least != best || high != best)
	})
}

// infinite reports whether RIP takes a metric for none (RFC 2453 section 3.4).
func (s *search) infinite(m route.Number) bool {
	return s.in.byVectors() && m.Known && m.Value > most(s.in.protocol)
}
