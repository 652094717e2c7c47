package route

import (
	"cmp"
	"encoding/binary"
	"maps"
	"net/netip"
	"slices"
)

// A List is the routes of one table of one family, in the order in which they were added.
// It keeps 32 bytes a route without pointers, so that a table of a million costs no more than its capture does, and
// makes Route values when asked. The zero List is empty and ready to use; a List is not safe for concurrent writes.
type List struct {
	recs  []record
	attrs []*Attributes
	long  longMetrics
	// eachOnce: they are in the order of Sort, and each prefix has one; false where nobody has looked
	eachOnce bool
	census   *Census // nil: it must be taken
}

// record is one route. Size: 32 bytes.
type record struct {
	hi, lo uint64 // the address, IPv4 in the low 32 bits of lo; the metric, in the half that the address leaves free
	attr   uint32 // the AttrID and flags
	file   uint32
	off    uint32
	length uint16 // of the evidence in bytes, at most 65535
	bits   uint8  // prefix length
	state  State
}

// AttrID names shared attributes within one List.
type AttrID uint32

// Share adds attributes for later use by Add. The caller must not change them afterwards.
func (l *List) Share(a *Attributes) AttrID {
	l.attrs = append(l.attrs, a)
	return AttrID(len(l.attrs) - 1)
}

// Attributes returns shared attributes by their name. Do not change them.
func (l *List) Attributes(id AttrID) *Attributes { return l.attrs[id] }

// Grow makes room for n more routes.
func (l *List) Grow(n int) { l.recs = slices.Grow(l.recs, n) }

// Len returns the number of routes.
func (l *List) Len() int { return len(l.recs) }

// Add appends a route with shared attributes in place of its own. Its prefix must be valid; the host bits are cleared.
func (l *List) Add(r Route, id AttrID) {
	if r.long() {
		id = l.shareLong(id, r.Metric.Value)
	}
	if len(l.recs) == cap(l.recs) { // a large table grows in few steps
		l.Grow(len(l.recs) + 1)
	}
	l.recs, l.eachOnce, l.census = append(l.recs, newRecord(r, uint32(id))), false, nil
}

// AddRoute appends a route with attributes of its own.
func (l *List) AddRoute(r Route) { l.Add(r, l.Share(r.Attributes)) }

func newRecord(r Route, id uint32) record {
	x := record{attr: id, state: r.State,
		file: r.Mark.File, off: r.Mark.Off, length: uint16(min(r.Mark.End-r.Mark.Off, 65535))}
	if x.setPrefix(r.Prefix); r.Metric.Known {
		x.attr |= measured
		if half := x.free(); half != nil {
			*half = r.Metric.Value
		}
	}
	return x
}

func (r *record) setPrefix(p netip.Prefix) {
	r.bits = uint8(p.Bits())
	if p.Addr().Is4() {
		a := p.Addr().As4()
		r.lo = uint64(binary.BigEndian.Uint32(a[:]) &^ (1<<(32-r.bits) - 1))
		return
	}
	p = p.Masked()
	a := p.Addr().As16()
	r.hi, r.lo = binary.BigEndian.Uint64(a[:8]), binary.BigEndian.Uint64(a[8:])
	r.attr |= v6flag
}

// The two top bits of attr.
const (
	v6flag   = 1 << 31 // the prefix is one of IPv6
	measured = 1 << 30 // the metric is known
	flags    = v6flag | measured
)

func (r *record) id() AttrID { return AttrID(r.attr &^ flags) }

// route returns the Route of a record with these attributes.
func (r *record) route(a *Attributes, long longMetrics) Route {
	out := Route{Prefix: r.prefix(), Attributes: a, State: r.state,
		Mark: Mark{File: r.file, Off: r.off, End: r.off + uint32(r.length)}}
	if r.attr&measured != 0 {
		if half := r.free(); half != nil {
			out.Metric = N(*half)
		} else {
			out.Metric = N(long[r.id()])
		}
	}
	return out
}

// address returns the address of the prefix, that of IPv4 in the low 32 bits of lo.
func (r *record) address() (hi, lo uint64) {
	switch {
	case r.attr&v6flag == 0:
		return 0, r.lo
	case r.bits <= 64:
		return r.hi, 0
	}
	return r.hi, r.lo
}

// free returns the half that no bit of the prefix is in, which holds the metric; nil where there is none.
func (r *record) free() *uint64 {
	switch {
	case r.attr&v6flag == 0:
		return &r.hi
	case r.bits <= 64:
		return &r.lo
	}
	return nil
}

func (r *record) prefix() netip.Prefix {
	if r.attr&v6flag == 0 {
		var a [4]byte
		binary.BigEndian.PutUint32(a[:], uint32(r.lo))
		return netip.PrefixFrom(netip.AddrFrom4(a), int(r.bits))
	}
	var a [16]byte
	hi, lo := r.address()
	binary.BigEndian.PutUint64(a[:8], hi)
	binary.BigEndian.PutUint64(a[8:], lo)
	return netip.PrefixFrom(netip.AddrFrom16(a), int(r.bits))
}

// Prefix returns the prefix of route i.
func (l *List) Prefix(i int) netip.Prefix { return l.recs[i].prefix() }

// At returns route i, counted from 0.
func (l *List) At(i int) Route {
	r := &l.recs[i]
	return r.route(l.attrs[r.id()], l.long)
}

// Used returns the name of route i's shared attributes and its state, without the cost of a whole Route.
func (l *List) Used(i int) (AttrID, State) {
	r := &l.recs[i]
	return r.id(), r.state
}

// Shared returns how many attributes are shared: their names are the numbers below.
func (l *List) Shared() int { return len(l.attrs) }

// MapMarks replaces the evidence of every route by what f makes of it.
func (l *List) MapMarks(f func(Mark) Mark) {
	for i := range l.recs {
		r := &l.recs[i]
		m := f(Mark{r.file, r.off, r.off + uint32(r.length)})
		r.file, r.off, r.length = m.File, m.Off, uint16(min(m.End-m.Off, 65535))
	}
}

// MapAttributes replaces all shared attributes by what f makes of them, which must be of the same protocol and action.
func (l *List) MapAttributes(f func(*Attributes) *Attributes) {
	for i, a := range l.attrs {
		l.attrs[i] = f(a)
	}
}

// Sort orders the routes by family, address and length, shorter prefixes first; routes of one prefix keep their order.
func (l *List) Sort() {
	if l.eachOnce = l.EachOnce(); !l.Sorted() {
		l.census = nil
		slices.SortStableFunc(l.recs, compare)
	}
}

// Sorted reports whether the routes are in the order of Sort.
func (l *List) Sorted() bool { return l.eachOnce || slices.IsSortedFunc(l.recs, compare) }

func compare(a, b record) int {
	aHi, aLo := a.address()
	bHi, bLo := b.address()
	return cmp.Or(
		cmp.Compare(a.attr&v6flag, b.attr&v6flag),
		cmp.Compare(aHi, bHi),
		cmp.Compare(aLo, bLo),
		cmp.Compare(a.bits, b.bits),
	)
}

// Window returns an empty list that keeps its first n records in room that l has reserved beyond its first skip ones,
// so that Append of it to l moves them where they are. L must not grow past skip before that.
func (l *List) Window(skip, n int) List {
	if skip < len(l.recs) || skip+n > cap(l.recs) {
		return List{}
	}
	return List{recs: l.recs[skip : skip : skip+n]}
}

// Pick returns the routes of the given numbers as a list of their own.
func (l *List) Pick(numbers []int) List {
	out := List{recs: make([]record, 0, len(numbers)), attrs: slices.Clone(l.attrs), long: maps.Clone(l.long)}
	for _, i := range numbers {
		out.recs = append(out.recs, l.recs[i])
	}
	return out
}

// Append adds all routes of o, with every state changed by state.
func (l *List) Append(o *List, state func(State) State) {
	base := uint32(len(l.attrs))
	l.eachOnce, l.census = false, nil
	l.attrs = append(l.attrs, o.attrs...)
	for id, metric := range o.long {
		l.long.set(AttrID(base)+id, metric)
	}
	l.Grow(len(o.recs))
	for _, r := range o.recs {
		r.attr, r.state = (uint32(r.id())+base)|r.attr&flags, state(r.state)
		l.recs = append(l.recs, r)
	}
}

// SetState replaces the state of route i.
func (l *List) SetState(i int, s State) {
	if l.recs[i].state != s {
		l.recs[i].state, l.census = s, nil
	}
}

// SetAttributes gives route i other attributes of the list in place of its own, with the same metric.
func (l *List) SetAttributes(i int, id AttrID) {
	r := l.At(i)
	if r.long() {
		id = l.shareLong(id, r.Metric.Value)
	}
	at := &l.recs[i]
	at.attr, l.census = uint32(id)|at.attr&flags, nil
}

// SamePrefix reports whether routes i and j have one prefix.
func (l *List) SamePrefix(i, j int) bool { return samePrefix(&l.recs[i], &l.recs[j]) }
