package columns

import (
	"strconv"

	"zarvek/internal/capture/layout"
	"zarvek/internal/lazyregexp"
)

// Many devices count the rows of a table, above or below them. A table of which fewer are there is a part of one.

var (
	countAbove = lazyregexp.New(`(?i)^\s*(?:destinations\s*:\s*\d+\s+routes` +
		`|destination count\s*:\s*\d+\s+fib entry count)\s*:\s*(\d+)`)
	countOf    = lazyregexp.New(`(?i)^\s*(\d+) out of (\d+) total\b`)
	countBelow = lazyregexp.New(`(?i)^\s*(?:total routes? shown|no\.? of routes|number of routes` +
		`|total number of routes|total routes|(?:ipv[46] )?routes total)\s*[:=]?\s*(\d+)\s*$`)
)

// count takes a line that counts rows.
func (r *reader) count(s string, lo, hi int) {
	r.release()
	if countBelow.MatchString(s) {
		r.owes = false
	}
	if m := countAbove.FindStringSubmatch(s); m != nil {
		r.compare()
		r.says, _ = strconv.Atoi(m[1])
		r.counted, r.rows = layout.Passed{Mark: layout.Mark(lo, hi)}, 0
	} else if m := countOf.FindStringSubmatch(s); m != nil {
		shown, _ := strconv.Atoi(m[1])
		all, _ := strconv.Atoi(m[2])
		r.Partial(r.table, shown < all || r.rows < shown, lo, hi)
		r.counted, r.rows = layout.Passed{}, 0
	} else if m := countBelow.FindStringSubmatch(s); m != nil && r.rows > 0 && !r.counted.Mark.Known() {
		n, _ := strconv.Atoi(m[1])
		r.Partial(r.table, r.rows < n, lo, hi)
		r.rows = 0
	}
}

// compare compares the rows with the line above them that counts them.
func (r *reader) compare() {
	r.release()
	if m := r.counted.Mark; m.Known() {
		r.Partial(r.table, r.rows < r.says, int(m.Off), int(m.End))
	}
	r.counted, r.rows = layout.Passed{}, 0
}

// countedAtTheEnd matches a title of tables below which their rows are always counted.
var countedAtTheEnd = lazyregexp.New(`^VIRTUAL ROUTER: \S+ \(id \d+\)` +
	`|^(?:IPv[46] )?Route Table \((?:Router|Service): ?\S+\)$`)

// unfinished marks the table above as cut off where the count that ends each such table is missing.
func (r *reader) unfinished() {
	if r.release(); r.owes && r.rows > 0 {
		r.CutLast()
	}
	r.owes = false
}
