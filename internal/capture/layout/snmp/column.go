package snmp

import (
	"bytes"
	"math"

	"zarvek/internal/capture/layout"
)

// A walk goes down one column after the other, each with the same rows in the same order. So where the first column
// has told which routes there are, the next line is most likely that of the next one, and its index is known already.

// column is where a walk is in a table of routes.
type column struct {
	head   []byte    // what a line of the column begins with, up to its index; nil where the walk is in no such table
	base   []uint32  // the numbers that head stands for
	oid    []uint32  // of the last line that goesOn looked at
	number uint32    // of the column, as routeRow counts them
	next   int       // the place of the row that the next line is likely to tell of
	at     *routeRow // that the last line told of
}

var integerValue = []byte(" = INTEGER: ")

// goesDown takes a line that tells of the next row of the column the walk is in; false where it does not, or not in the
// common form.
func (r *reader) goesDown(line []byte) bool {
	if r.head == nil || r.next >= len(r.order) {
		return false
	}
	row := r.order[r.next]
	rest, ok := bytes.CutPrefix(line, r.head)
	if !ok || row.index == nil {
		return false
	}
	if rest, ok = bytes.CutPrefix(rest, row.index); !ok {
		return false
	}
	value, ok := bytes.CutPrefix(rest, integerValue)
	if !ok {
		return false
	}
	v, ok := plainInteger(value)
	if !ok {
		return false
	}
	row.set(r.number, v, true)
	r.next++
	r.Collector.Read++
	r.hexOpen = false
	return true
}

// goesOn takes a line of the column that the walk is in, behind all rows met so far: mostly the next row of the first
// column. False where it is no such line, not in the common form, or not right.
func (r *reader) goesOn(line []byte, lo, hi int) bool {
	if r.head == nil || r.next != len(r.order) {
		return false
	}
	rest, ok := bytes.CutPrefix(line, r.head)
	if !ok {
		return false
	}
	index, value, ok := bytes.Cut(rest, integerValue)
	if !ok {
		return false
	}
	oid, ok := plainNumbers(append(r.oid[:0], r.base...), index)
	r.oid = oid
	if _, fits := plainInteger(value); !ok || !fits {
		return false
	}
	if used, err := r.binding(oid, string(bytes.TrimSpace(value)), lo, hi); err != nil || !used {
		return false
	}
	if r.at.index == nil {
		r.at.index = index
	}
	r.next = r.at.place + 1
	r.Collector.Read++
	r.hexOpen = false
	return true
}

// plainNumbers reads numbers of 32 bits with dots between them, behind others.
func plainNumbers(out []uint32, text []byte) ([]uint32, bool) {
	v, digits := uint64(0), 0
	for i := 0; i <= len(text); i++ {
		if i == len(text) || text[i] == '.' {
			if digits == 0 || v > math.MaxUint32 || len(out) >= usualIndex {
				return out, false
			}
			out = append(out, uint32(v))
			v, digits = 0, 0
			continue
		}
		d := text[i] - '0'
		if digits++; d > 9 || digits > 10 {
			return out, false
		}
		v = v*10 + uint64(d)
	}
	return out, true
}

// plainInteger reads "3" and "local(3)", as integer does, but only what a walk usually prints.
func plainInteger(text []byte) (uint64, bool) {
	if i := bytes.IndexByte(text, '('); i >= 0 && text[len(text)-1] == ')' {
		text = text[i+1 : len(text)-1]
	}
	return layout.Uint(text)
}

// enter notes where the walk is after a line with an identifier.
func (r *reader) enter(line []byte, oid []uint32) {
	r.head = nil
	if r.inRoutes = r.at != nil; !r.inRoutes {
		return
	}
	base := 5 // numbers in front of the index
	switch {
	case starts(oid, 4, 24, 7, 1):
		r.number = oid[4] - 7
	case starts(oid, 4, 24, 4, 1):
		r.number = oldColumns[oid[4]]
	default:
		return
	}
	left, _, _ := bytes.Cut(line, []byte(" ="))
	n := bytes.Index(left, []byte("::"))
	if n >= 0 {
		base = 1 // a name stands for them
	} else {
		base += len(mib2)
		n = 0
		if left[0] == '.' {
			n = 1
		}
	}
	for ; base > 0; base-- {
		i := bytes.IndexByte(left[n:], '.')
		if i < 0 {
			return
		}
		n += i + 1
	}
	if r.at.index == nil {
		r.at.index = left[n:]
	}
	r.head, r.next = left[:n], r.at.place+1
	r.base = append(r.base[:0], oid[:5]...)
}
