package columns

import (
	"bytes"
	"net/netip"
	"slices"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// A likeRow is a row as it was read, for those that say the same of other prefixes.
type likeRow struct {
	cells    rowCells
	held     held
	shared   layout.Shared // where its attributes are kept, once they are
	isShared bool
}

// A quickRow is a row that says the same as another one: the last one read, not yet added.
type quickRow struct {
	like   *likeRow // nil: there is none
	prefix netip.Prefix
	likeness
	lo, hi int
}

// quick reads a line of which all behind the destination stood at the same place in a row above, with nothing but rows
// between. What such a row says depends on its prefix in no way that ordinary does not tell of.
func (r *reader) quick(line []byte, lo, hi int) bool {
	if !r.seen.Some() || r.pending != nil || r.lost {
		return false
	}
	w, ok := firstDestination(line)
	if !ok {
		return false
	}
	l := r.likeness(line, w, false)
	like, ok := r.seen.Known()
	if !ok {
		l = r.likeness(line, w, true)
		like, ok = r.seen.Known()
	}
	if !ok {
		return false
	}
	p, ok := r.quickPrefix(line, w, like)
	if !ok || !ordinary(p, &like.held) {
		return false
	}
	r.releaseQuick()
	r.release()
	if !like.isShared {
		return false
	}
	r.quickly = quickRow{like, p, l, lo, hi}
	r.rows++
	r.Collector.Read++
	return true
}

// quickPrefix is prefix of a row of which all but the destination is that of another one.
func (r *reader) quickPrefix(line []byte, w firstWord, like *likeRow) (netip.Prefix, bool) {
	switch {
	case like.cells.cell[mask] != "":
		a, ok := layout.IPv4(line[w.lo:w.hi])
		return netip.PrefixFrom(a, like.held.prefix.Bits()), ok
	case w.slash:
		p, end, ok := layout.QuickPrefix(line, w.lo)
		return p, ok && end == w.hi
	}
	cells := like.cells
	cells.cell[destination] = string(line[w.lo:w.hi])
	p, err := r.prefix(&cells)
	return p, err == nil
}

// releaseQuick adds the row that was read quickly, if the last one was.
func (r *reader) releaseQuick() {
	if q := &r.quickly; q.like != nil {
		r.AddShared(q.prefix, q.like.shared.With(q.metric), q.like.held.state, layout.Mark(q.lo, q.hi))
		q.like = nil
	}
}

// unfold makes the row that was read quickly, if the last one was, one that lines below may go on with.
func (r *reader) unfold() {
	q := &r.quickly
	if q.like == nil {
		return
	}
	r.lastRow = q.like.cells
	c := &r.lastRow
	c.cell[destination], c.lo, c.hi = string(q.destination), q.lo, q.hi
	h := q.like.held
	if h.prefix, h.lo, h.hi = q.prefix, q.lo, q.hi; q.metric.Known {
		h.attr.Metric, c.cell[metric] = q.metric, string(q.digits)
	}
	r.held, r.holds, r.last, q.like = h, true, c, nil
}

// remember keeps the row that the line from lo on was read as.
func (r *reader) remember(line []byte, lo int) {
	if !r.holds || r.held.lo != lo || r.last == nil || r.pending != nil || r.lower != nil || r.section > bsd ||
		!ordinary(r.held.prefix, &r.held) {
		return
	}
	w, ok := firstDestination(line)
	if !ok {
		return
	}
	l := r.likeness(line, w, true)
	if l.metric.Known && l.metric != r.held.attr.Metric {
		return
	}
	h := r.held
	h.attr.NextHops = slices.Clip(h.attr.NextHops) // rows below may add to those of each
	like := &likeRow{cells: *r.last, held: h}
	r.held.like = like
	r.seen.Keep(like)
}

// ordinary reports whether a row is a route by a neighbour's address to some network but its own: no rule for what is
// attached, for the device itself or for multicast has looked at its prefix.
func ordinary(p netip.Prefix, h *held) bool {
	a := &h.attr
	return a.Special == route.None && a.Protocol != route.Direct && a.Protocol != route.Local &&
		len(a.NextHops) == 1 && a.NextHops[0].Address.IsValid() && !p.Contains(a.NextHops[0].Address) &&
		!p.IsSingleIP() && p.Bits() > 0 && !p.Addr().IsMulticast()
}

// likeness is what of a row is its own.
type likeness struct {
	destination, digits []byte
	metric              route.Number
}

// likeness makes the key of a line that begins with a destination: what stands where behind it, but for the metric,
// which is the number under the metric's name. Where the words stand counts, so the key has what each of the two takes.
// Sure tells that the metric may be another word of the line, of the same digits: there is none then. A row that is
// remembered is sure; one that is like it has its metric at the same place.
func (r *reader) likeness(line []byte, w firstWord, sure bool) (l likeness) {
	l.destination = line[w.lo:w.hi]
	at := -1
	if i := slices.IndexFunc(r.cols, func(c column) bool { return c.kind == metric }); i >= 0 {
		if lo, hi := numberUnder(line, r.cols[i]); lo > w.hi && (!sure || isAlone(line[w.hi:], line[lo:hi])) {
			at, l.digits = lo-w.hi, line[lo:hi]
		}
	}
	slash := byte(0)
	if w.slash {
		slash = 1
	}
	places := [...]byte{byte(min(w.lo, 255)), byte(min(w.hi-w.lo, 255)), byte(len(l.digits)), slash}
	l.metric = r.seen.Key(at, places[:], line[w.hi:])
	return l
}

// isAlone reports whether just one word of a line is of these digits: else the metric may be another one of them.
func isAlone(line, digits []byte) bool {
	n := 0
	for w := range bytes.FieldsSeq(line) {
		if bytes.Equal(w, digits) {
			n++
		}
	}
	return n == 1
}

// numberUnder returns the bounds of the word that stands under a column's name where it is a number.
func numberUnder(line []byte, c column) (lo, hi int) {
	for lo = c.lo; lo < len(line) && lo < c.hi && line[lo] == ' '; lo++ {
	}
	if lo >= len(line) || lo == c.hi {
		return 0, 0
	}
	for lo > 0 && line[lo-1] != ' ' {
		lo--
	}
	for hi = lo; hi < len(line) && line[hi] != ' '; hi++ {
		if line[hi] < '0' || line[hi] > '9' {
			return 0, 0
		}
	}
	return lo, hi
}
