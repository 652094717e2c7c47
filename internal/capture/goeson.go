package capture

import (
	"bytes"
	"cmp"
	"net/netip"
	"slices"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// goesOn reports whether a line seems to go on from the row above it: it is set in, or begins with a sign, and has an
// address.
func goesOn(line []byte) bool {
	if len(line) == 0 || line[0] > ' ' && bytes.IndexByte([]byte("+-=*>|~#@^&"), line[0]) < 0 {
		return false
	}
	for w := range bytes.FieldsSeq(line) {
		w, _, _ = bytes.Cut(bytes.Trim(w, ",;()[]\"'*>+"), []byte{'%'}) // the table or the interface of an address
		if _, ok := layout.Addr(w); ok {
			return true
		}
	}
	return false
}

// rowsAbove finds the rows that lines go on from. A next hop that was not read is one that the row lacks.
type rowsAbove struct {
	part   *Part
	source *Source
	ends   []rowEnd // of the rows that were read, in the order of the text; nil until asked for
}

type rowEnd struct {
	at      uint32
	prefix  netip.Prefix
	heading route.Mark // of a prefix whose routes stand on the lines below
}

// mostBetween bounds how far above a line its row is looked for.
const mostBetween = 4000

// find returns the prefix of the row that a line at a place goes on from: nothing but lines that go on stand between.
// It is invalid where there is none. Below a row that was read it must seem to go on, and is beside it; below a prefix
// that stands alone any line is a route to it.
func (r *rowsAbove) find(at uint32, goes bool) (prefix netip.Prefix, beside bool) {
	if r.ends == nil {
		for _, p := range r.part.Passed {
			if p.As == layout.PrefixHeading {
				r.ends = append(r.ends, rowEnd{at: p.Mark.End, heading: p.Mark})
			}
		}
		for i := range r.part.Facts.Tables {
			rows := &r.part.Facts.Tables[i].Routes
			for k := range rows.Len() {
				x := rows.At(k)
				r.ends = append(r.ends, rowEnd{at: x.Mark.End, prefix: x.Prefix})
			}
		}
		slices.SortStableFunc(r.ends, func(a, b rowEnd) int { return cmp.Compare(a.at, b.at) })
	}
	n, _ := slices.BinarySearchFunc(r.ends, at, func(e rowEnd, at uint32) int { return cmp.Compare(e.at, at+1) })
	if n == 0 || at-r.ends[n-1].at > mostBetween {
		return netip.Prefix{}, false
	}
	last := r.ends[n-1]
	if !goes && !last.heading.Known() {
		return netip.Prefix{}, false
	}
	between := r.source.Text(route.Mark{Off: last.at, End: at})
	for lo, hi := range layout.Lines(between) {
		line := appendClean(nil, between[lo:hi])
		if !layout.Blank(line) && (!last.heading.Known() && !goesOn(line) || writtenPrefix(line).IsValid()) {
			return netip.Prefix{}, false
		}
	}
	if last.heading.Known() {
		return writtenPrefix(appendClean(nil, r.source.Text(last.heading))), false
	}
	return last.prefix, true
}
