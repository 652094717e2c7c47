package columns

import (
	"bytes"
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// A likeRow is a row as it was read, for those that say the same of other prefixes.
type likeRow struct {
	cells rowCells
	held  held
}

// quick reads a line of which all behind the destination stood at the same place in a row above, with nothing but rows
// between. What such a row says depends on its prefix in no way that ordinary does not tell of.
func (r *reader) quick(line []byte, lo, hi int) bool {
	if !r.seen.Some() || r.pending != nil || r.lost || !destinationBegins(line) {
		return false
	}
	l := r.likeness(line)
	like, ok := r.seen.Known()
	if !ok {
		return false
	}
	r.lastRow = like.cells
	cells := &r.lastRow
	r.last = nil // until it is whole
	cells.cell[destination], cells.lo, cells.hi = string(l.destination), lo, hi
	p, err := r.prefix(cells)
	h := like.held
	if err != nil || !ordinary(p, &h) {
		return false
	}
	if h.prefix, h.lo, h.hi = p, lo, hi; l.metric.Known {
		h.attr.Metric, cells.cell[metric] = l.metric, string(l.digits)
	}
	r.hold(h, false)
	r.last = cells
	r.rows++
	r.Collector.Read++
	return true
}

// remember keeps the row that the line from lo on was read as.
func (r *reader) remember(line []byte, lo int) {
	if !r.holds || r.held.lo != lo || r.last == nil || r.pending != nil || r.lower != nil || r.section > bsd ||
		!ordinary(r.held.prefix, &r.held) {
		return
	}
	l := r.likeness(line)
	if l.metric.Known && l.metric != r.held.attr.Metric {
		return
	}
	h := r.held
	h.attr.NextHops = slices.Clip(h.attr.NextHops) // rows below may add to those of each
	r.seen.Keep(&likeRow{*r.last, h})
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
func (r *reader) likeness(line []byte) (l likeness) {
	start := len(line) - len(bytes.TrimLeft(line, " "))
	end := start + bytes.IndexByte(line[start:], ' ')
	if end < start {
		end = len(line)
	}
	l.destination = line[start:end]
	at := -1
	if i := slices.IndexFunc(r.cols, func(c column) bool { return c.kind == metric }); i >= 0 {
		if lo, hi := numberUnder(line, r.cols[i]); lo > end && isAlone(line[end:], line[lo:hi]) {
			at, l.digits = lo-end, line[lo:hi]
		}
	}
	slash := byte(0)
	if bytes.IndexByte(l.destination, '/') >= 0 {
		slash = 1
	}
	places := [...]byte{byte(min(start, 255)), byte(min(end-start, 255)), byte(len(l.digits)), slash}
	l.metric = r.seen.Key(at, places[:], line[end:])
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
