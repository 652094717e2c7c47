package columns

import (
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/lazyregexp"
)

// A frame is a table that is drawn with bars between its cells. What has no room in a cell goes on in the line below,
// of which the first cell is empty then, be it in the middle of a word; so a row, and the names of the columns, are put
// together before they are read. The zero frame has no row yet.
type frame struct {
	cells  []string
	pieces [][]string // of each cell, by line
	widths []int
	lines  [][2]int // bounds of each
}

// line takes a line of a frame.
func (f *frame) line(r *reader, line []byte, lo, hi int) {
	parts := strings.Split(strings.Trim(strings.TrimRight(string(line), " \t"), "|"), "|")
	if len(f.cells) != len(parts) || strings.TrimSpace(parts[0]) != "" || len(f.lines) == mostLines {
		f.end(r)
	}
	if len(f.cells) == 0 {
		f.cells, f.widths, f.pieces = make([]string, len(parts)), make([]int, len(parts)), make([][]string, len(parts))
	}
	for i, part := range parts {
		more, was := strings.TrimSpace(part), f.cells[i]
		if was != "" && more != "" && f.widths[i] < len(part)-2 {
			was += " "
		}
		if f.cells[i] = was + more; more != "" {
			f.widths[i] = len(more) // where it fills the cell, a word may go on
			f.pieces[i] = append(f.pieces[i], more)
		}
	}
	f.lines = append(f.lines, [2]int{lo, hi})
}

// end reads the row that was put together.
func (f *frame) end(r *reader) {
	if len(f.lines) == 0 {
		return
	}
	row := *f
	*f = frame{}
	names := flat(row.cells)
	lo, hi := row.lines[0][0], row.lines[len(row.lines)-1][1]
	read := 1 // lines, from the first on
	var err error
	if cols, k := heading(names); k == whole {
		r.cols, r.lower, r.half, r.last, r.inKey = cols, nil, nil, nil, false
		r.Pass(lo, row.lines[0][1], layout.Names)
	} else {
		rows := row.ways(r.cols)
		if err = errRow; len(rows) > 0 {
			err = nil
		}
		read = max(1, min(len(rows), len(row.lines)))
		for n, cells := range rows {
			if len(r.cols) == len(cells) {
				r.exact = cells
			}
			err = r.line(flat(cells), lo, hi)
			if r.exact = nil; err != nil { // the ways before are of the same row
				r.takeBack(n)
				break
			}
		}
	}
	for i, l := range row.lines {
		switch {
		case err != nil && i == 0:
			r.leave(names, l[0], l[1], err)
		case err != nil:
			r.LeaveUnread(l[0], l[1], err)
		case i >= read:
			r.Pass(l[0], l[1], layout.Part)
		}
	}
}

// takeBack forgets the row that is held, of which a number of ways was read.
func (r *reader) takeBack(ways int) {
	if ways > 0 {
		r.holds, r.last = false, nil
		r.rows -= ways
		r.Collector.Read -= ways
	}
}

// ways makes a row of cells for each next hop: further ones stand below the first in its cell, and their interfaces
// below its. None where nobody knows which interface is whose.
func (f *frame) ways(cols []column) [][]string {
	cells := make([]string, len(f.cells))
	for i, c := range f.cells {
		cells[i] = strings.TrimSpace(inParentheses.ReplaceAllStringFunc(c, blanks))
	}
	of := func(k kind) int { return slices.IndexFunc(cols, func(c column) bool { return c.kind == k }) }
	hops, links := of(gateway), of(ifname)
	if len(cols) != len(cells) || hops < 0 {
		return [][]string{cells}
	}
	to := strings.Fields(cells[hops])
	if len(to) < 2 || slices.ContainsFunc(to, func(s string) bool { _, ok := layout.Addr([]byte(s)); return !ok }) {
		return [][]string{cells}
	}
	if links >= 0 && len(f.pieces[links]) != len(to) && len(f.pieces[links]) > 0 || len(f.lines) < len(to) {
		return nil
	}
	var out [][]string
	for n, hop := range to {
		one := slices.Clone(cells)
		if n > 0 {
			one = make([]string, len(cells))
		}
		if one[hops] = hop; links >= 0 && len(f.pieces[links]) > 0 {
			one[links] = f.pieces[links][n]
		}
		out = append(out, one)
	}
	return out
}

// flat writes cells into one line, each as wide as any may be that went on below.
func flat(cells []string) string {
	var b strings.Builder
	for _, s := range cells {
		b.WriteString(s)
		b.WriteString(strings.Repeat(" ", max(1, slot-len(s))))
	}
	return strings.TrimRight(b.String(), " ")
}

// mostLines is how many lines a row of a frame may take.
const mostLines = 40

// slot is how wide a cell is where rows of a frame are written out, in bytes.
const slot = 28

// inParentheses matches what a cell of a framed table says beside its value; nothing is the word for an empty one.
var inParentheses = lazyregexp.New(`\([^()]*\)|\bNone\b`)

// blanks puts blanks in the place of such a word, but of one that says that packets are thrown away.
func blanks(s string) string {
	if word := strings.Trim(s, "()"); discardOf(word) != 0 {
		return " " + word + strings.Repeat(" ", len(s)-len(word)-1)
	}
	return strings.Repeat(" ", len(s))
}
