package columns

import (
	"cmp"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
)

// row reads a row, or what goes on from the row before.
func (r *reader) row(s string, lo, hi int) error {
	w := words(s)
	marks := ""
	if r.best != "" && len(w) > 1 && isMarks(w[0].text) && (isNumber(w[1].text) || isDestination(w[1].text)) {
		marks, w = w[0].text, w[1:]
	}
	w = r.withoutSign(w)
	if r.section == bsd && len(w) > 0 && w[0].lo == 0 && len(w[0].text) <= 3 && isNumber(w[0].text) {
		w[0].text += "/8" // the zeros and the length are left out
	}
	// "Default Route" and "Default" stand for the prefix of length 0.
	w = joinPair(w, "default", "route")
	w = joinInterface(joinPair(joinPair(w, "black", "hole"), "no", "route"))
	if r.section == host {
		w = joinOnLink(w)
	}
	// a number of the row that has no column
	if len(w) > 1 && isNumber(strings.TrimSuffix(w[0].text, ")")) && w[0].hi <= r.cols[0].lo {
		w = r.withoutSign(w[1:])
	}
	if len(w) > 40 {
		return errRow
	}
	if len(w) == 1 && len(r.exact) == 0 && isDestination(w[0].text) { // the rest of the row is on the next line
		r.leavePending(errHalf)
		r.pending = &rowCells{lo: lo, hi: hi}
		r.pending.cell[destination] = w[0].text
		return nil
	}
	cols := r.cols
	if r.lower != nil && r.pending != nil {
		return r.secondLine(s, lo, hi)
	}
	cells, ok := r.exact, len(r.exact) > 0
	if !ok {
		cells, ok = r.align(w, cols)
	}
	if !ok || len(r.exact) > 0 && !fit(cells, cols) {
		return errRow
	}
	row := rowCells{lo: lo, hi: hi, marks: marks}
	row.fill(cols, cells)
	if row.cell[destination] == "" && marks == "" && r.last != nil {
		row.marks = r.last.marks
	}
	if r.lower != nil {
		if row.cell[destination] == "" {
			return errRow
		}
		r.pending = &row
		return nil
	}
	// a sign of the key where an interface should stand: the words are out of place
	if name := row.cell[ifname]; len(name) <= 2 && r.legend[name] != "" && r.shows(flags) {
		return errRow
	}
	if r.glued(cols, cells) || r.oddNumber(&row) || r.oddFlags(row.cell[flags]) {
		return errRow
	}
	if row.cell[destination] == "" && inDestination(w, cols) || swallows(cells, cols) {
		return errRow
	}
	above := r.pending
	if row.cell[destination] != "" {
		r.leavePending(errHalf)
		above = nil
	} else {
		switch {
		case above != nil:
			row.cell[destination], row.lo = above.cell[destination], above.lo
		case r.last != nil && row.cell[gateway] != "": // a further next hop
			if _, ok := layout.Addr([]byte(strings.Trim(row.cell[gateway], "+[]"))); !ok {
				return errRow // of words nobody knows whether they belong there
			}
			row.more = true
			for _, k := range [...]kind{destination, mask, length} {
				row.cell[k] = r.last.cell[k]
			}
			if row.cell[protocol] == "" {
				for _, k := range [...]kind{protocol, preference, metric} {
					if row.cell[k] == "" {
						row.cell[k] = r.last.cell[k]
					}
				}
				if row.cell[flags] == "" {
					row.cell[flags] = r.last.cell[flags]
				}
			}
		default:
			return errRow
		}
	}
	return r.complete(&row, above)
}

// inDestination reports whether words stand where a row's destination should.
func inDestination(w []word, cols []column) bool {
	at := slices.IndexFunc(cols, func(c column) bool { return c.kind == destination })
	if at < 0 || at+1 >= len(cols) {
		return false
	}
	next := cols[at+1].lo
	return at == 0 && w[0].lo < next && w[0].lo <= cols[0].lo || slices.ContainsFunc(w, func(x word) bool {
		return (at == 0 || x.lo >= cols[at-1].hi) && x.hi <= next
	})
}

// swallows reports whether a cell that nobody asks about holds another row, which lost the line end in front of it.
func swallows(cells []string, cols []column) bool {
	for i, c := range cols {
		if c.kind != ignored && c.kind != age || !strings.Contains(cells[i], "/") {
			continue
		}
		if cell := strings.Fields(cells[i]); len(cell) > 1 && slices.ContainsFunc(cell, isPrefix) {
			return true
		}
	}
	return false
}

func isPrefix(word string) bool {
	_, err := layout.Prefix([]byte(word), false)
	return err == nil
}

// fit reports whether cells whose columns are certain hold what those do.
func fit(cells []string, cols []column) bool {
	for i, c := range cols {
		if cells[i] != "" && c.kind != ignored && c.kind != gateway && formOf(cells[i]).score(cells[i], c.kind) == never {
			return false
		}
	}
	return true
}

// withoutSign leaves out a sign in front of a row that the key gives routes by several ways.
func (r *reader) withoutSign(w []word) []word {
	if len(w) == 0 || !strings.Contains("+#~!@^&*", w[0].text[:1]) || !equalWays.MatchString(r.legend[w[0].text[:1]]) {
		return w
	}
	if w[0].text = w[0].text[1:]; w[0].text == "" {
		return w[1:]
	}
	w[0].lo++
	return w
}

// complete adds a row that is whole, of which another line may hold the beginning.
func (r *reader) complete(row, above *rowCells) error {
	if err := r.add(row); err != nil {
		if above != nil {
			r.leavePending(err)
		}
		return err
	}
	r.last, r.pending = row, nil
	r.rows++
	r.Collector.Read++
	if above != nil {
		r.Collector.Read++
	}
	return nil
}

// leavePending leaves the beginning of a row unread, whose end did not come.
func (r *reader) leavePending(why error) {
	if p := r.pending; p != nil {
		r.pending = nil
		r.LeaveUnread(p.lo, p.hi, why)
	}
}

// secondLine reads the lower line of a row that takes two.
func (r *reader) secondLine(s string, lo, hi int) error {
	cells, ok := r.align(joinPair(words(apartBrackets.Replace(s)), "black", "hole"), r.lower)
	if !ok {
		return errRow
	}
	row := *r.pending
	row.fill(r.lower, cells)
	if m := quotedInterface.FindStringSubmatch(cmp.Or(row.cell[gateway], row.cell[ifname])); m != nil {
		row.cell[gateway], row.cell[ifname] = m[1], m[2]
	}
	row.hi = hi
	return r.complete(&row, r.pending)
}

// add makes a route of the cells of one row. A route tool of Linux prints large metrics as signed numbers, so that -1
// is the largest.
func (r *reader) add(row *rowCells) error {
	p, err := r.prefix(row)
	if err != nil {
		return err
	}
	a := layout.Attributes{}
	if pref, met, both := strings.Cut(strings.Trim(row.cell[metric], "[]"), "/"); both {
		row.cell[preference], row.cell[metric] = pref, met
	}
	if a.Preference, err = numberCell(row.cell[preference]); err != nil {
		return err
	}
	if r.section == netTools && row.cell[metric] == "-1" {
		row.cell[metric] = "4294967295" // printed as a signed number
	}
	if a.Metric, err = numberCell(row.cell[metric]); err != nil {
		return err
	}
	return r.finish(row, p, a)
}

func (r *reader) kind() network.Kind {
	if r.section == device && !r.fib {
		return network.Candidates
	}
	return network.ForwardingTable
}
