package route

import (
	"net/netip"
	"slices"
	"sort"
)

// Rows is a sorted List that nobody can change any more, possibly with some stretches replaced by others. Replacing
// costs what is replaced: the records of the List are shared, however many there are. The zero Rows is empty. Rows is
// safe for concurrent use.
type Rows struct {
	recs  []record
	attrs []*Attributes
	long  longMetrics
	extra []*Attributes // of replaced rows, numbered behind attrs
	more  longMetrics   // of those
	cuts  []cut         // in order; nil for Rows of a List alone
	n     int
	*counted
}

// cut is one stretch of the List that other rows stand for.
type cut struct {
	at, drop int // records of the List that are left out
	with     []record
	start    int // row number of the first of with
}

// Freeze makes Rows of the list, which must be sorted and must not be used afterwards.
func (l *List) Freeze() Rows {
	return Rows{recs: l.recs, attrs: l.attrs, long: l.long, n: len(l.recs), counted: &counted{census: l.census}}
}

// MapAttributes replaces all shared attributes by what f makes of them, which must be of the same protocol and action.
// Nothing may have been replaced in r yet.
func (r *Rows) MapAttributes(f func(*Attributes) *Attributes) {
	for i, a := range r.attrs {
		r.attrs[i] = f(a)
	}
}

// A Replacement is all routes that stand for one prefix in place of those that a table has; none to take it out.
type Replacement struct {
	Prefix netip.Prefix
	Routes []Route
}

// Replace returns the rows of the List behind r with some prefixes' routes replaced. Earlier replacements are
// forgotten: the caller names all. They must be sorted by prefix, as Sort does, each prefix once.
func (r *Rows) Replace(with []Replacement) Rows {
	out := Rows{recs: r.recs, attrs: r.attrs, long: r.long, n: len(r.recs)}
	base := Rows{recs: r.recs, attrs: r.attrs, n: len(r.recs)}
	shift := 0
	known := map[*Attributes]int{}
	for _, w := range with {
		at, _ := base.Find(w.Prefix, base.n)
		end := at
		for end < base.n && base.Prefix(end) == w.Prefix {
			end++
		}
		c := cut{at: at, drop: end - at, start: at + shift}
		for _, x := range w.Routes {
			id, ok := known[x.Attributes]
			if !ok {
				id = len(out.extra)
				out.extra, known[x.Attributes] = append(out.extra, x.Attributes), id
			}
			if x.Prefix = w.Prefix; x.long() {
				id = len(out.extra)
				out.extra = append(out.extra, x.Attributes)
				out.more.set(AttrID(len(out.attrs)+id), x.Metric.Value)
			}
			c.with = append(c.with, newRecord(x, uint32(len(out.attrs)+id)))
		}
		shift += len(c.with) - c.drop
		out.cuts = append(out.cuts, c)
	}
	out.n += shift
	return out
}

// rec returns the record of row i.
func (r *Rows) rec(i int) *record {
	if r.cuts == nil {
		return &r.recs[i]
	}
	return r.behindCuts(i)
}

func (r *Rows) behindCuts(i int) *record {
	// The last cut that starts at or before i. Of two with one start the first has no rows of its own left.
	k := sort.Search(len(r.cuts), func(k int) bool { return r.cuts[k].start > i }) - 1
	if k < 0 {
		return &r.recs[i]
	}
	c := &r.cuts[k]
	if in := i - c.start; in < len(c.with) {
		return &c.with[in]
	}
	return &r.recs[i-c.start-len(c.with)+c.at+c.drop]
}

// FromList returns the row number of record i of the List, which must not have been replaced.
func (r *Rows) FromList(i int) int {
	k := sort.Search(len(r.cuts), func(k int) bool { return r.cuts[k].at > i }) - 1
	if k < 0 {
		return i
	}
	c := &r.cuts[k]
	return i - c.at - c.drop + c.start + len(c.with)
}

// InList returns the number of row i in the List, false for a row that replaces others.
func (r *Rows) InList(i int) (int, bool) {
	k := sort.Search(len(r.cuts), func(k int) bool { return r.cuts[k].start > i }) - 1
	if k < 0 {
		return i, true
	}
	c := &r.cuts[k]
	in := i - c.start
	return in - len(c.with) + c.at + c.drop, in >= len(c.with)
}

// Len returns the number of routes.
func (r *Rows) Len() int { return r.n }

// Prefix returns the prefix of route i.
func (r *Rows) Prefix(i int) netip.Prefix { return r.rec(i).prefix() }

// At returns route i, counted from 0. Do not change its attributes.
func (r *Rows) At(i int) Route {
	x := r.rec(i)
	long := r.long
	if int(x.id()) >= len(r.attrs) {
		long = r.more
	}
	return x.route(r.Attributes(x.id()), long)
}

// Used returns the name of route i's shared attributes and its state, without the cost of a whole Route.
func (r *Rows) Used(i int) (AttrID, State) {
	x := r.rec(i)
	return x.id(), x.state
}

// Shared returns how many attributes are shared: their names are the numbers below.
func (r *Rows) Shared() int { return len(r.attrs) + len(r.extra) }

// Attributes returns shared attributes by their name. Do not change them.
func (r *Rows) Attributes(id AttrID) *Attributes {
	if int(id) < len(r.attrs) {
		return r.attrs[id]
	}
	return r.extra[int(id)-len(r.attrs)]
}

// SamePrefix reports whether routes i and j have one prefix.
func (r *Rows) SamePrefix(i, j int) bool { return samePrefix(r.rec(i), r.rec(j)) }

// Find returns where, among the first n routes, the first route of a prefix stands, or would stand.
func (r *Rows) Find(p netip.Prefix, n int) (int, bool) {
	var want record
	want.bits = uint8(p.Bits())
	want.setPrefix(p)
	if r.cuts == nil {
		return slices.BinarySearchFunc(r.recs[:n], want, compare)
	}
	return sort.Find(n, func(i int) int { return compare(want, *r.rec(i)) })
}

// Lengths returns the set of prefix lengths that rows have: bit n of it is that of length n.
func (r *Rows) Lengths() (out [3]uint64) {
	for i := range r.n {
		bits := r.rec(i).bits
		out[bits/64] |= 1 << (bits % 64)
	}
	return out
}

// Span returns the first and the last address of route i's prefix as numbers of 128 bits; those of IPv4 have 32.
func (r *Rows) Span(i int) (firstHi, firstLo, lastHi, lastLo uint64) {
	x := r.rec(i)
	hi, lo := x.address()
	switch {
	case x.attr&v6flag == 0:
		return 0, lo, 0, lo | (1<<(32-x.bits) - 1)
	case x.bits == 0:
		return 0, 0, ^uint64(0), ^uint64(0)
	case x.bits <= 64:
		return hi, 0, hi | (1<<(64-x.bits) - 1), ^uint64(0)
	}
	return hi, lo, hi, lo | (1<<(128-x.bits) - 1)
}

func samePrefix(a, b *record) bool {
	if a.bits != b.bits || (a.attr^b.attr)&v6flag != 0 {
		return false
	}
	aHi, aLo := a.address()
	bHi, bLo := b.address()
	return aHi == bHi && aLo == bLo
}
