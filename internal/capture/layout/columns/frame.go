package columns

import (
	"regexp"
	"strings"

	"zarvek/internal/capture/layout"
)

// A frame is a table that is drawn with bars between its cells. What has no room in a cell goes on in the line below,
// of which the first cell is empty then, be it in the middle of a word; so a row, and the names of the columns, are put
// together before they are read. The zero frame has no row yet.
type frame struct {
	cells  []string
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
		f.cells, f.widths = make([]string, len(parts)), make([]int, len(parts))
	}
	for i, part := range parts {
		more, was := strings.TrimSpace(part), f.cells[i]
		if was != "" && more != "" && f.widths[i] < len(part)-2 {
			was += " "
		}
		if f.cells[i] = was + more; more != "" {
			f.widths[i] = len(more) // where it fills the cell, a word may go on
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
	names := row.flat()
	lo, hi := row.lines[0][0], row.lines[len(row.lines)-1][1]
	var err error
	if cols, k := heading(names); k == whole {
		r.cols, r.lower, r.half, r.last, r.inKey = cols, nil, nil, nil, false
		r.Pass(lo, row.lines[0][1], layout.Names)
	} else {
		for i, c := range row.cells {
			row.cells[i] = strings.TrimSpace(inParentheses.ReplaceAllStringFunc(c, blanks))
		}
		if len(r.cols) == len(row.cells) {
			r.exact = row.cells
		}
		err = r.line(row.flat(), lo, hi)
		r.exact = nil
	}
	for i, l := range row.lines {
		switch {
		case err != nil && i == 0:
			r.leave(names, l[0], l[1], err)
		case err != nil:
			r.LeaveUnread(l[0], l[1], err)
		case i > 0:
			r.Pass(l[0], l[1], layout.Part)
		}
	}
}

// flat writes the cells of a row into one line, each as wide as any may be that went on below.
func (f *frame) flat() string {
	var b strings.Builder
	for _, s := range f.cells {
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
var inParentheses = regexp.MustCompile(`\([^()]*\)|\bNone\b`)

// blanks puts blanks in the place of such a word, but of one that says that packets are thrown away.
func blanks(s string) string {
	if word := strings.Trim(s, "()"); discardOf(word) != 0 {
		return " " + word + strings.Repeat(" ", len(s)-len(word)-1)
	}
	return strings.Repeat(" ", len(s))
}
