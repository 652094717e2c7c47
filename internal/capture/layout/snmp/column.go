package snmp

import "bytes"

// A walk goes down one column after the other, each with the same rows in the same order. So where the first column
// has told which routes there are, the next line is most likely that of the next one, and its index is known already.

// column is where a walk is in a table of routes.
type column struct {
	head   []byte    // what a line of the column begins with, up to its index; nil where the walk is in no such table
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
	if !ok || row.column(r.number, string(bytes.TrimSpace(value))) != nil {
		return false
	}
	r.next++
	r.Collector.Read++
	r.hexOpen = false
	return true
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
}
