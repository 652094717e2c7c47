package present

import (
	"fmt"
	"strconv"
	"strings"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
)

// reportPart is one part of a document as the page's template takes it. One of its forms is set.
type reportPart struct {
	Answer string
	Entry  *reportEntry
	Title  string
	Lines  []string
	Text   string
}

type reportEntry struct {
	ID, Class, Number, Strong, Words string
	Rows                             []reportRow
	Captured                         []reportCaptured
}

type reportRow struct {
	Name  string
	Words []string
}

type reportCaptured struct {
	Place string
	Lines []string
}

// parts makes a document's parts ready for the page; entries have identifiers that begin with a name.
func (v View) parts(d document, name string) []reportPart {
	var out []reportPart
	for i, p := range d.parts {
		switch x := p.(type) {
		case answer:
			if i > 0 || name != "finding" { // the findings' own answer is the page's
				out = append(out, reportPart{Answer: x.words})
			}
		case entry:
			class, _, _ := strings.Cut(x.strong, " ")
			if class == "not" {
				class = "unclear"
			}
			e := &reportEntry{ID: fmt.Sprintf("%s-%d", name, x.number), Class: class, Number: strconv.Itoa(x.number),
				Strong: x.strong, Words: x.words}
			for _, r := range x.rows {
				e.Rows = append(e.Rows, reportRow{r.name, r.words})
			}
			for _, c := range v.captured(x.capturedBehind) {
				e.Captured = append(e.Captured, reportCaptured{c.place, c.lines})
			}
			out = append(out, reportPart{Entry: e})
		case listing:
			out = append(out, reportPart{Title: x.title, Lines: x.lines})
		case paragraph:
			out = append(out, reportPart{Text: x.words})
		}
	}
	return out
}

type reportGrid struct {
	Name, Note string
	Ends       []reportEnd
	Rows       []reportGridRow
}

type reportEnd struct{ Number, Name string }

type reportGridRow struct {
	Number, Name string
	Cells        []reportCell
}

type reportCell struct {
	Same                      bool
	Class, Mark, Words, Trace string
}

var cellClasses = map[forward.Both]string{forward.TwoWay: "two", forward.OneWay: "one", forward.Broken: "lost",
	forward.BothUnknown: "unk"}

// reportMatrix is the matrices with the traces that their cells lead to: in a small one every cell has its own, in a
// large one those that are not two-way share one for each place at which packets end.
func (v View) reportMatrix(r ReportView) reportSection {
	out := reportSection{ID: "matrix", Name: "Who reaches whom"}
	traced := map[string]string{}
	for _, m := range r.Matrices {
		if len(m.Ends) < 2 {
			continue
		}
		show, note := worthShowing(m)
		every := len(show) <= maxTraced
		if !every {
			note += " A cell that is not two-way leads to one trace for all that end at the same place."
		}
		g := reportGrid{Name: familyName(m.Family), Note: strings.TrimSpace(note)}
		for _, i := range show {
			g.Ends = append(g.Ends, reportEnd{strconv.Itoa(i + 1), endLabel(m.Ends[i])})
		}
		for _, i := range show {
			row := reportGridRow{Number: strconv.Itoa(i + 1), Name: endLabel(m.Ends[i])}
			for _, k := range show {
				c := m.Cells[i][k]
				cell := reportCell{Same: c.Same, Class: cellClasses[c.Verdict], Mark: cellMarks[c.Verdict]}
				if c.Partly {
					cell.Mark += "+"
				}
				if !c.Same && (every || c.Worst != forward.TwoWay) {
					key := fmt.Sprint(m.Family, i, k)
					if !every {
						key = fmt.Sprint(m.Family, c.Ending, c.Device, c.Reply, c.Verdict)
					}
					if traced[key] == "" {
						traced[key] = "trace-" + strconv.Itoa(len(traced)+1)
						out.Traces = append(out.Traces, v.reportTrace(traced[key], r.Trace(c.From, c.To)))
					}
					cell.Trace, cell.Words = traced[key], endLabel(m.Ends[i])+" to "+endLabel(m.Ends[k])+": "+
						c.Verdict.String()
				}
				row.Cells = append(row.Cells, cell)
			}
			g.Rows = append(g.Rows, row)
		}
		out.Grids = append(out.Grids, g)
	}
	return out
}

// worthShowing chooses the ends of a matrix: all, or in a large one those with a cell that is not two-way.
func worthShowing(m *audit.Matrix) (show []int, note string) {
	bad := func(i int) bool {
		for k := range m.Ends {
			if !m.Cells[i][k].Same && (m.Cells[i][k].Worst != forward.TwoWay || m.Cells[k][i].Worst != forward.TwoWay) {
				return true
			}
		}
		return false
	}
	for i := range m.Ends {
		if len(m.Ends) <= maxGrid || bad(i) {
			show = append(show, i)
		}
	}
	if len(m.Ends) > maxGrid {
		note = fmt.Sprintf("Of %s those are shown that do not reach, or are not reached by, all others.",
			count(len(m.Ends), "network", "networks"))
		if len(show) > maxGrid {
			note += fmt.Sprintf(" They are %d; the first %d stand here, zarvek matrix has all.", len(show), maxGrid)
			show = show[:maxGrid]
		}
	}
	return show, note
}

type reportTrace struct {
	ID, Answer string
	Ways       []reportWay
}

type reportWay struct {
	Name string
	Hops []reportHop
}

type reportHop struct{ Device, Taken, By, Onward, Place string }

// reportTrace is one trip with its answer, to which cells of the matrix lead.
func (v View) reportTrace(id string, rt forward.RoundTrip) reportTrace {
	src, dst := endName(rt.Source), endName(rt.Destination)
	t := reportTrace{ID: id, Answer: rt.Verdict.String() + ": " + headlineOf(rt, src, dst)}
	t.Ways = append(t.Ways, v.reportWays("Out", rt.Forward, rt.Destination)...)
	if rt.Return != nil {
		back := "Back"
		if rt.ReturnAlone {
			back = "Back, if a packet did get there"
		}
		t.Ways = append(t.Ways, v.reportWays(back, *rt.Return, rt.Source)...)
	}
	return t
}

// reportWays are the branches of one direction, each with its hops; beyond maxBranches they are counted.
func (v View) reportWays(name string, d forward.Direction, dst forward.End) []reportWay {
	var out []reportWay
	for i, b := range d.Branches {
		if i == maxBranches {
			out = append(out, reportWay{Name: fmt.Sprintf("%s: and %s", name,
				count(len(d.Branches)-i, "more branch", "more branches"))})
			break
		}
		share := ""
		if len(d.Branches) > 1 {
			share = fmt.Sprintf(", %.0f %% of the packets", b.Share*100)
		}
		w := reportWay{Name: fmt.Sprintf("%s%s: %s%s, %s", name, share, b.Verdict, where(b), because(b, dst.Address))}
		for _, h := range b.Hops {
			row := v.hopRow(h)
			by := row[2]
			if by == "-" {
				by = ""
			}
			w.Hops = append(w.Hops, reportHop{row[0], row[1], by, row[3], row[4]})
		}
		out = append(out, w)
	}
	return out
}
