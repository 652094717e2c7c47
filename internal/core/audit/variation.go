package audit

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// variation is the sweep of an overlay.
type variation struct {
	*worker
	basis  *Basis
	always []int32    // devices that are asked at every range
	beside []int32    // those that are asked where a destination is beside what differs
	there  []replaced // those that have other routes to some destinations, by the first of these
	active []replaced // of there: those that hold the current range
	turned []int32    // nodes that do something else than in the basis
	back   reverse    // who leads to each node
	sets   [][]int32  // of each node: the start sets that it is in
	others []int32    // devices that are asked only where they have other routes
	unused []bool     // start sets from which nobody sends any more; nil for none
	differ *topology.Disturbance
}

// replaced is a range in which a device has other routes.
type replaced struct {
	span
	prefix netip.Prefix
	device int32
}

// seek finds out which devices must be asked again, and where.
func (v *variation) seek(is *topology.Topology, differ *topology.Disturbance) {
	v.differ = differ
	v.sets = make([][]int32, len(v.graph.lookupPoints))
	for i, set := range v.starts {
		for _, n := range set.nodes {
			v.sets[n] = append(v.sets[n], int32(i))
		}
	}
	for i, d := range v.devices {
		before := v.basis.a.devices[i]
		if is.Network.Numbered(before.Number()) == nil {
			continue
		}
		// what goes into a tunnel hangs on devices elsewhere
		if differ.Anywhere[before.Number()] || d.Tunnels().Len() > 0 || d != before && !v.seekRoutes(int32(i), before, d) {
			v.always = append(v.always, int32(i))
			continue
		}
		v.others = append(v.others, int32(i))
		if differ.Beside[before.Number()] {
			v.beside = append(v.beside, int32(i))
		}
	}
	slices.SortFunc(v.there, func(x, y replaced) int { return x.first.compare(y.first) })
}

// seekRoutes notes where a device has other routes. It is false where those may decide over other destinations too:
// next hops that are looked up, and tables that are asked one after the other.
func (v *variation) seekRoutes(i int32, was, is *network.Device) bool {
	if is.Rules().Len() > 0 || is.Steers() || is.Tunnels().Len() > 0 {
		return false
	}
	var there []replaced
	for _, t := range is.Tables().All() {
		old := was.Table(t.Name, t.Family)
		if old == nil || old.Captured() != t.Captured() || v.basis.lookedUp(t) {
			return false
		}
		if t.Family != v.fam || t == old {
			continue
		}
		for _, x := range []*network.Table{old, t} {
			for p := range x.ReplacedPrefixes() {
				there = append(there, replaced{spanOf(p), p, i})
			}
		}
	}
	v.there = append(v.there, there...)
	return true
}

// sweep goes through the ranges of the basis, cut where the overlay's regions and other routes begin and end.
func (v *variation) sweep() {
	cuts := v.cuts()
	next := 0
	for _, s := range v.basis.swept.spots {
		for at := s.first; ; {
			for next < len(cuts) && !at.less(cuts[next]) {
				next++
			}
			last := s.last
			if next < len(cuts) && !s.last.less(cuts[next]) {
				last = cuts[next].previous()
			}
			v.rangeOf(s, span{at, last})
			if last == s.last {
				break
			}
			at = last.next()
		}
	}
	v.groups = append(v.groupEnds(v.ends), v.groupBeyond()...)
}

// cuts are where the overlay's regions begin, and the routes among which devices choose otherwise now: the basis has
// one range for neighbouring prefixes that led the same way.
func (v *variation) cuts() []number {
	out := slices.Clone(v.addressFacts.cuts)
	cut := func(s span) { out = append(out, s.first, s.last.next()) }
	for _, d := range v.always {
		for _, i := range v.tables[d] {
			r := v.cursors[i].table.Routes()
			for k := range r.Len() {
				fh, fl, lh, ll := r.Span(k)
				cut(span{number{fh, fl}, number{lh, ll}})
			}
		}
	}
	for _, x := range v.there {
		cut(x.span)
		for _, i := range v.tables[x.device] {
			for g := range v.cursors[i].table.Inside(x.prefix) {
				cut(spanOf(v.cursors[i].table.Routes().Prefix(g.Lo)))
			}
		}
	}
	slices.SortFunc(out, number.compare)
	return slices.Compact(out)
}

// rangeOf finds what becomes of packets to a range that was part of one.
func (v *variation) rangeOf(was spot, here span) {
	v.point = here.first
	v.region = v.addressFacts.regionAt(here.first)
	v.place = v.addressFacts.regions[v.region]
	below := v.basis.a.addressFacts.at(here.first)
	if v.place.nobody() && below.nobody() {
		return // as the address of a network itself: no packet is sent there, before and after
	}
	v.active = slices.DeleteFunc(v.active, func(r replaced) bool { return r.last.less(here.first) })
	for len(v.there) > 0 && !here.first.less(v.there[0].first) {
		if !v.there[0].last.less(here.first) {
			v.active = append(v.active, v.there[0])
		}
		v.there = v.there[1:]
	}
	now := v.found[was.class].now
	v.changes, v.hash = v.changes[:0], was.hash
	turns := func(n, m int32) {
		if m == now[n] || slices.ContainsFunc(v.changes, func(c turn) bool { return c.node == n }) {
			return
		}
		v.changes = append(v.changes, turn{n, m})
		h, g := mix(n, now[n]), mix(n, m)
		v.hash.a, v.hash.b = v.hash.a^h.a^g.a, v.hash.b^h.b^g.b
	}
	ask := func(d int32, point func(*cursor, number, route.Family)) {
		for _, i := range v.tables[d] {
			point(v.cursors[i], here.first, v.fam)
		}
		v.refresh(d)
		for _, n := range v.graph.byDevice[d] {
			turns(n, v.does(n, d, here.first))
		}
	}
	for _, d := range v.always {
		ask(d, (*cursor).runTo)
	}
	for _, r := range v.active {
		id, ok := v.asBelow(r.device, here.first)
		if !ok {
			ask(r.device, (*cursor).jump)
			continue
		}
		for _, n := range v.graph.byDevice[r.device] {
			turns(n, v.basis.swept.memo[n][id]-1)
		}
	}
	again := []int32(nil)
	switch {
	case !slices.EqualFunc(below.homes, v.place.homes, sameNumber): // where packets belong decides what an arrival is
		again = v.others
	case len(v.beside) > 0 && v.differ.Touches(here.first.addr(v.fam)):
		again = v.beside
	}
	for _, d := range again {
		ask(d, (*cursor).jump)
	}
	id := v.classOf(was.class)
	if c := &v.found[id]; c.silent == notLooked {
		c.lookForAnswers(v.reg, v.unused)
	}
	v.close(here, id)
}

// asBelow returns the number of what a device that differs in routes alone does at a point, where it did the same for
// other destinations in the basis, for which its moves were found.
func (v *variation) asBelow(d int32, at number) (id int32, ok bool) {
	if len(v.tables[d]) != 1 || v.fresh[d] || slices.Contains(v.place.irregular, v.devices[d]) {
		return 0, false
	}
	c, below := v.cursors[v.tables[d][0]], v.basis.swept.cursors[v.tables[d][0]].acts
	if c.table.CutAt.IsValid() {
		return 0, false
	}
	id = noAction
	a := at.addr(v.fam)
	for g := range c.table.Search(netip.PrefixFrom(a, a.BitLen())) { // longest first
		n, forwards, known := below.seen(c.table, g)
		if !known {
			return 0, false
		}
		if forwards {
			id = n
			break
		}
	}
	return id, !below.addressFacts[id] && !slices.ContainsFunc(v.graph.byDevice[d], func(n int32) bool {
		memo := v.basis.swept.memo[n]
		return int(id) >= len(memo) || memo[id] == 0
	})
}

func sameNumber(x, y *network.Device) bool { return x.Number() == y.Number() }

// classOf returns the number of the current range's class, which differs from one of the basis by the changes.
func (v *variation) classOf(below int32) int32 {
	id := below
	if len(v.changes) > 0 {
		known, ok := v.basis.swept.classes[v.hash]
		if !ok {
			known, ok = v.classes[v.hash]
		}
		if id = known; !ok {
			id = int32(len(v.found))
			v.classes[v.hash] = id
			c := v.found[below]
			c.now = slices.Clone(c.now)
			v.turned = v.turned[:0]
			for _, t := range v.changes {
				c.now[t.node] = t.moves
				v.turned = append(v.turned, t.node)
			}
			v.found = append(v.found, c)
			v.solveAgain(&v.found[id], v.turned)
			return id
		}
	}
	if c := &v.found[id]; len(c.column) < len(v.starts) {
		v.solveAgain(c, nil)
	}
	return id
}

// findUnused notes the start sets of the basis from which nobody sends any more, as those of a device that is gone.
func (v *variation) findUnused() {
	used := make([]bool, len(v.starts))
	for i := range v.addressFacts.regions {
		if s := v.addressFacts.regions[i].start; s >= 0 {
			used[s] = true
		}
	}
	if !slices.Contains(used, false) {
		return
	}
	v.unused = used
	for i := range used {
		v.unused[i] = !used[i]
	}
	for i := range v.found { // who answers was found with them
		v.found[i].silent = notLooked
	}
}

// solveAgain finds the outcomes of a class, of which the column is that of another class in which only some nodes did
// something else, for fewer start sets.
func (v *variation) solveAgain(c *class, turned []int32) {
	v.now = c.now
	column := make([]int32, len(v.starts))
	v.sol.begin()
	var redo []int32
	for i := copy(column, c.column); i < len(column); i++ {
		redo = append(redo, int32(i))
	}
	if len(turned) > 0 {
		for _, n := range v.back.all(v.worker, turned) {
			redo = append(redo, v.sets[n]...)
		}
		slices.Sort(redo)
		redo = slices.Compact(redo)
	}
	for _, i := range redo {
		for _, n := range v.starts[i].nodes {
			v.sol.reach(n)
		}
		column[i] = v.outcomeFrom(int(i))
	}
	c.column, c.sum = column, hashColumn(column)
	c.silent = notLooked
}

// close ends a range of a class.
func (v *variation) close(s span, id int32) {
	if v.place.someone() {
		v.addEnd(s, id)
		return
	}
	v.addBeyond(s, id)
}
