package columns

import "strings"

// ruled takes the bounds of the columns from a ruler below their names, where it is drawn for each of them apart; false
// where the line is none.
func (r *reader) ruled(s string) bool {
	if strings.Trim(s, "-= \t") != "" || len(r.cols) < 2 {
		return false
	}
	w := words(s)
	if len(w) != len(r.cols) {
		return false
	}
	for i, c := range r.cols {
		if w[i].lo >= c.hi || c.lo >= w[i].hi {
			return false // drawn for other columns
		}
	}
	for i := range r.cols {
		r.cols[i].lo, r.cols[i].hi = min(w[i].lo, r.cols[i].lo), max(w[i].hi, r.cols[i].hi)
	}
	return true
}
