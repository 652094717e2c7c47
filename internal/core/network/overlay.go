package network

import (
	"iter"
	"net/netip"
	"slices"

	"zarvek/internal/core/prefixes"
	"zarvek/internal/core/route"
)

// patch is what a table of an overlay has in place of some prefixes' routes of a captured table. It is small beside
// the table: everything else, the index included, is shared.
type patch struct {
	over  *Table // the captured table
	rows  map[netip.Prefix][]route.Route
	more  map[int][]route.Mark // further evidence of replaced rows that were there before, by row
	index prefixes.Index       // replaced prefixes that have routes: their first row

	lengths lengths // of replaced prefixes
}

func (p *patch) has(q netip.Prefix) bool { _, ok := p.rows[q]; return ok }

// overlay returns a table like t in which some prefixes have other routes.
func (t *Table) overlay(rows map[netip.Prefix][]route.Route) *Table {
	over := t
	if t.patch != nil {
		over = t.patch.over
		for q, r := range t.patch.rows {
			if _, ok := rows[q]; !ok {
				rows[q] = r
			}
		}
	}
	p := &patch{over: over, rows: rows, more: map[int][]route.Mark{}}
	out := &Table{
		Name: over.Name, Family: over.Family, Kernel: over.Kernel, Chosen: over.Chosen, HighestWins: over.HighestWins,
		Undecided: over.Undecided,
		Classful:  over.Classful, Whole: over.Whole, Filtered: over.Filtered, Lacks: over.Lacks, Weak: over.Weak,
		Supposed:  over.Supposed,
		PathTypes: over.PathTypes, FirstHops: over.FirstHops,
		ByRule: over.ByRule, CutAt: over.CutAt, more: over.more, unread: over.unread, scopes: over.scopes,
		index: over.index, patch: p,
	}
	var with []route.Replacement
	for q, r := range rows {
		with = append(with, route.Replacement{Prefix: q, Routes: r})
	}
	slices.SortFunc(with, func(a, b route.Replacement) int { return a.Prefix.Compare(b.Prefix) })
	out.rows = over.rows.Replace(with)
	for _, w := range with {
		p.lengths.add(w.Prefix.Bits())
		lo, _ := out.rows.Find(w.Prefix, out.rows.Len())
		if len(w.Routes) > 0 {
			p.index.Put(w.Prefix, uint32(lo))
		}
		was, found := over.Exact(w.Prefix)
		for i := was.Lo; found && i < was.Hi; i++ {
			for k, r := range w.Routes {
				if m := over.more[i]; len(m) > 0 && r.Mark == over.rows.At(i).Mark {
					p.more[lo+k] = m
				}
			}
		}
	}
	for _, d := range over.differences {
		if !p.has(d.Prefix) {
			out.differences = append(out.differences, d)
		}
	}
	for q, d := range over.contradictions {
		if p.has(q) {
			continue
		}
		if out.contradictions == nil {
			out.contradictions = map[netip.Prefix]*Difference{}
		}
		out.contradictions[q] = d
	}
	return out
}

// patched returns the group of a replaced prefix.
func (t *Table) patched(p netip.Prefix) (Group, bool) {
	lo, ok := t.patch.index.Exact(p)
	if !ok {
		return Group{}, false
	}
	return t.group(int(lo)), true
}

// captured returns the group whose first row in the captured table is lo.
func (t *Table) captured(lo uint32) Group {
	if t.patch == nil {
		return t.group(int(lo))
	}
	return t.group(t.rows.FromList(int(lo)))
}

// coveringPatched is Covering of an overlay: two streams, both longest prefix first, merged.
func (t *Table) coveringPatched(p netip.Prefix) iter.Seq[Group] {
	return func(yield func(Group) bool) {
		type row struct{ bits, lo int }
		var room [4]row // there are few
		over := room[:0]
		for q, lo := range t.patch.index.Covering(p) {
			over = append(over, row{q.Bits(), int(lo)})
		}
		for b, at := range t.supernets(p) {
			for len(over) > 0 && over[0].bits >= b.Bits() {
				if !yield(t.group(over[0].lo)) {
					return
				}
				over = over[1:]
			}
			if !t.patch.has(b) && !yield(t.captured(at)) {
				return
			}
		}
		for _, x := range over {
			if !yield(t.group(x.lo)) {
				return
			}
		}
	}
}

// insidePatched is Inside of an overlay: rows stand in the order of their prefixes, so what lies in p is one stretch
// of them.
func (t *Table) insidePatched(p netip.Prefix) iter.Seq[Group] {
	return func(yield func(Group) bool) {
		i, _ := t.rows.Find(p, t.rows.Len())
		for i < t.rows.Len() && p.Contains(t.rows.Prefix(i).Addr()) {
			g := t.group(i)
			if t.rows.Prefix(i).Bits() > p.Bits() && !yield(g) {
				return
			}
			i = g.Hi
		}
	}
}

// Replaced yields, of a table in an overlay, every prefix whose routes are not those of the captured table, with the
// captured rows and those of the overlay.
func (t *Table) Replaced() iter.Seq2[[]route.Route, []route.Route] {
	return func(yield func(was, is []route.Route) bool) {
		if t.patch == nil {
			return
		}
		for q, is := range t.patch.rows {
			var was []route.Route
			if g, ok := t.patch.over.Exact(q); ok {
				for _, r := range t.patch.over.Members(g) {
					was = append(was, r)
				}
			}
			if !yield(was, is) {
				return
			}
		}
	}
}

// Replaces reports whether Replaced tells of a prefix.
func (t *Table) Replaces(p netip.Prefix) bool { return t.patch != nil && t.patch.has(p) }

// ReplacedPrefixes yields the prefixes that Replaced tells of, without reading their rows.
func (t *Table) ReplacedPrefixes() iter.Seq[netip.Prefix] {
	return func(yield func(netip.Prefix) bool) {
		if t.patch == nil {
			return
		}
		for p := range t.patch.rows {
			if !yield(p) {
				return
			}
		}
	}
}

// Captured returns the captured table behind one of an overlay; a captured table is its own.
func (t *Table) Captured() *Table {
	if t.patch != nil {
		return t.patch.over
	}
	return t
}
