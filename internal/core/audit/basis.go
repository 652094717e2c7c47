package audit

import (
	"maps"
	"net/netip"
	"slices"
	"sync"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A Basis is the Reach of some networks alone that those of overlays go on from: only what differs there is looked at
// again. It exists because hundreds of failures are compared with one network, and each of them touches little of it.
// It is safe for concurrent use.
type Basis struct {
	*Reach
	nets  []netip.Prefix
	swept *worker
	plain bool // no device looks at more than destinations
	// of captured tables, by pointer: whether a next hop of some route is looked up
	looksUp sync.Map
}

// spot is a range of a sweep that is kept.
type spot struct {
	span
	class int32
	hash  classHash
}

// NewBasis is NewReachOf for going on from.
func NewBasis(w *forward.Walker, fam route.Family, nets []netip.Prefix) *Basis {
	a := reachAuditor(w, fam, nets)
	a.keepsRanges = true // one worker, whose numbers all others go on from
	workers := a.sweepAll(func(int) {})
	b := &Basis{Reach: &Reach{a: a}, nets: nets, swept: workers[0], plain: !slices.Contains(a.sensitive, true)}
	for i := range b.swept.found {
		b.swept.found[i].lookForAnswers(a.reg, nil)
	}
	return b
}

// On returns the Reach of an overlay of the basis' network. Addresses that nobody can have before and after may be left
// out of it.
func (b *Basis) On(after *forward.Walker) *Reach {
	if v, ok := b.vary(after); ok {
		v.sweep()
		return &Reach{a: v.auditor, above: b}
	}
	return NewReachOf(after, b.a.fam, b.nets)
}

// vary prepares the sweep of an overlay; false where nothing can be taken from the basis.
func (b *Basis) vary(after *forward.Walker) (*variation, bool) {
	was, is := b.a.walker.Topology(), after.Topology()
	if !b.plain || was.Network.Numbers() != is.Network.Numbers() || !was.Network.Hosts().Same(is.Network.Hosts()) ||
		len(is.Shared()) > 0 {
		return nil, false
	}
	a := b.a.above(after)
	disturbed := was.Disturbed(is)
	if !a.lookAgain(b.a, disturbed.Anywhere) {
		return nil, false
	}
	a.findDowns()
	a.newGround()
	v := &variation{worker: a.newWorker(), basis: b}
	v.moveSet = b.swept.moveSet.above()
	v.found = slices.Clone(b.swept.found)
	v.findUnused()
	v.seek(is, disturbed)
	return v, true
}

// above is an auditor of an overlay that numbers everything as a does, and what is new behind it.
func (a *auditor) above(after *forward.Walker) *auditor {
	return &auditor{
		walker: after, fam: a.fam, devices: slices.Clone(a.devices), deviceIndex: maps.Clone(a.deviceIndex),
		byName: a.byName, tables: a.tables, fresh: a.fresh, sensitive: a.sensitive, spaces: a.spaces,
		starts: slices.Clip(a.starts), startIndex: maps.Clone(a.startIndex), reg: a.reg.above(), tellWays: true,
		keepsRanges: true,
	}
}

// lookAgain puts the devices of the overlay in the places of those below. Devices that are gone stay: nothing leads to
// them. It is false where one has tables or lookup points that it did not have, or looks at more than destinations.
func (a *auditor) lookAgain(below *auditor, disturbed []bool) bool {
	g := below.graph
	g.lookupPoints, g.index = slices.Clone(g.lookupPoints), maps.Clone(g.index)
	a.graph = g
	for i, was := range below.devices {
		d := a.walker.Topology().Network.Numbered(was.Number())
		if d == was || d == nil {
			continue
		}
		if a.walker.Sensitive(d, a.fam) || len(familyTables(d, a.fam)) != len(a.tables[i]) {
			return false
		}
		a.devices[i], a.deviceIndex[d] = d, int32(i)
		if !disturbed[d.Number()] { // its routes alone differ
			for _, n := range g.byDevice[i] {
				p := g.lookupPoints[n].Of(d)
				a.graph.lookupPoints[n], a.graph.index[p] = p, n
			}
			continue
		}
		points := a.walker.LookupPoints(d, a.fam)
		for _, name := range append(a.walker.Topology().Interfaces(d), "") {
			points = append(points, a.walker.SentBy(d, name))
		}
		for _, p := range points {
			n := slices.IndexFunc(g.byDevice[i],
				func(n int32) bool { return below.graph.lookupPoints[n].Key() == p.Key() })
			if n < 0 {
				return false
			}
			a.graph.lookupPoints[g.byDevice[i][n]], a.graph.index[p] = p, g.byDevice[i][n]
		}
	}
	a.overlaps = a.overlapping()
	return true
}

// lookedUp reports whether some route of a table has a next hop without an interface, or of which the way is looked up.
func (b *Basis) lookedUp(t *network.Table) bool {
	below := t.Captured()
	known, ok := b.looksUp.Load(below)
	if !ok {
		known = looksUp(below.Routes(), 0)
		b.looksUp.Store(below, known)
	}
	return known.(bool) || t != below && looksUp(t.Routes(), below.Routes().Shared())
}

// looksUp is lookedUp of the attributes from one number on.
func looksUp(r *route.Rows, from int) bool {
	for id := from; id < r.Shared(); id++ {
		if slices.ContainsFunc(r.Attributes(route.AttrID(id)).NextHops, func(h route.NextHop) bool {
			return h.Address.IsValid() && (h.Interface == "" || h.Resolves) || h.Table != ""
		}) {
			return true
		}
	}
	return false
}
