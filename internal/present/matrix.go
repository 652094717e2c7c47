package present

import (
	"cmp"
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
)

// cellMarks are what a cell of the terminal's matrix shows; the key above it tells them.
var cellMarks = map[forward.Both]string{
	forward.TwoWay:      "=",
	forward.OneWay:      ">",
	forward.Broken:      "×",
	forward.BothUnknown: "?",
}

// MatrixText writes the matrices in a form that fits the width.
func MatrixText(w io.Writer, all []*audit.Matrix, v View) error {
	total := map[forward.Both]int{}
	pairs := 0
	for _, m := range all {
		for k, n := range m.Tally() {
			total[k] += n
			pairs += n
		}
	}
	v.headline(
		w,
		total[forward.TwoWay] == pairs,
		"%s: %s two-way, %s one-way, %s broken, %s unknown",
		count(pairs, "pair", "pairs"),
		grouped(
			total[forward.TwoWay],
		),
		grouped(total[forward.OneWay]),
		grouped(total[forward.Broken]),
		grouped(total[forward.BothUnknown]),
	)
	for _, m := range all {
		if len(m.Ends) < 2 {
			continue
		}
		fmt.Fprintf(w, "\n%s, from the row's network to the column's\n", familyName(m.Family))
		fmt.Fprintln(w, "  =  two-way   >  one-way, the reply is lost      ×  broken, the packet is lost")
		fmt.Fprintln(w, "  ?  unknown   +  some addresses or ways differ   .  one network or device")
		v.grid(w, m)
		v.endings(w, m)
	}
	return nil
}

// grid writes the cells, as many columns side by side as the width has room for.
func (v View) grid(w io.Writer, m *audit.Matrix) {
	first := 0
	for _, e := range m.Ends {
		first = max(first, len(endLabel(e)))
	}
	digits := len(strconv.Itoa(len(m.Ends)))
	cell := max(digits, 2) + 1
	width := v.page()
	room := max((width-4-digits-first)/cell, 4)
	blocks := (len(m.Ends) + room - 1) / room
	room = (len(m.Ends) + blocks - 1) / blocks
	for lo := 0; lo < len(m.Ends); lo += room {
		hi := min(lo+room, len(m.Ends))
		line := strings.Repeat(" ", digits+2+first+2)
		for j := lo; j < hi; j++ {
			line += fmt.Sprintf("%*d", cell, j+1)
		}
		fmt.Fprintln(w, "\n"+line)
		for i, e := range m.Ends {
			line := fmt.Sprintf("%*d  %-*s  ", digits, i+1, first, endLabel(e))
			for j := lo; j < hi; j++ {
				c := m.Cells[i][j]
				s := cellMarks[c.Verdict]
				if c.Partly {
					s += "+"
				}
				if c.Same {
					s = "."
				}
				line += strings.Repeat(" ", cell-2) + fmt.Sprintf("%-2s", s)
			}
			fmt.Fprintln(w, strings.TrimRight(line, " "))
		}
	}
}

func endLabel(e audit.MatrixEnd) string {
	if e.Name != "" {
		return Clean(e.Name)
	}
	return e.Prefix.String()
}

// endings lists where packets and replies end, the most frequent first.
func (v View) endings(w io.Writer, m *audit.Matrix) {
	type place struct {
		device string
		ending forward.Verdict
		reply  bool
	}
	n := map[place]int{}
	example := map[place]string{}
	for i, row := range m.Cells {
		for j, c := range row {
			if c.Same || c.Worst == forward.TwoWay {
				continue
			}
			p := place{c.Device, c.Ending, c.Reply}
			if n[p]++; n[p] == 1 {
				example[p] = endLabel(m.Ends[i]) + " to " + endLabel(m.Ends[j])
			}
		}
	}
	if len(n) == 0 {
		return
	}
	var order []place
	for p := range n {
		order = append(order, p)
	}
	slices.SortFunc(order, func(a, b place) int {
		return cmp.Or(
			cmp.Compare(n[b], n[a]),
			cmp.Compare(a.device, b.device),
			cmp.Compare(a.ending, b.ending),
			cmp.Compare(fmt.Sprint(a.reply), fmt.Sprint(b.reply)),
		)
	})
	rows := [][]string{{"device", "how", "what ends there", "pairs", "such as"}}
	for _, p := range order {
		what := "packets"
		if p.reply {
			what = "replies"
		}
		rows = append(rows, []string{Clean(p.device), p.ending.String(), what, grouped(n[p]), example[p]})
	}
	fmt.Fprintln(w, "\nWhere they end:")
	columns(w, "  ", rows)
}

// MatrixCSV writes a line for each pair.
func MatrixCSV(out io.Writer, all []*audit.Matrix) error {
	w := csv.NewWriter(out)
	if err := w.Write([]string{"source", "destination", "verdict", "worst", "lost", "ending", "device", "partly",
		"source-address", "destination-address"}); err != nil {
		return err
	}
	for _, m := range all {
		for i, row := range m.Cells {
			for j, c := range row {
				if c.Same {
					continue
				}
				if err := w.Write([]string{defuse(endLabel(m.Ends[i])), defuse(endLabel(m.Ends[j])), c.Verdict.String(),
					c.Worst.String(), lostWord(c), c.Ending.String(), defuse(c.Device),
					strconv.FormatBool(c.Partly), c.From.String(), c.To.String()}); err != nil {
					return err
				}
			}
		}
	}
	w.Flush()
	return w.Error()
}

// lostWord says which direction decides.
func lostWord(c audit.Cell) string {
	switch {
	case c.Worst == forward.TwoWay:
		return ""
	case c.Reply:
		return "reply"
	}
	return "packet"
}

type jsonMatrixEnd struct {
	Prefix  string  `json:"prefix"`
	Name    *string `json:"name"`
	Address string  `json:"address"`
	Link    bool    `json:"link-only"`
}

type jsonMatrixCell struct {
	Source      string  `json:"source"`
	Destination string  `json:"destination"`
	Verdict     string  `json:"verdict"`
	Worst       string  `json:"worst"`
	Lost        *string `json:"lost"`
	Ending      *string `json:"ending"`
	Device      *string `json:"device"`
	Partly      bool    `json:"partly"`
	From        string  `json:"source-address"`
	To          string  `json:"destination-address"`
}

type jsonMatrix struct {
	Family   string           `json:"family"`
	Networks []jsonMatrixEnd  `json:"networks"`
	Pairs    []jsonMatrixCell `json:"pairs"`
}

// MatrixJSON writes all as one document.
func MatrixJSON(w io.Writer, all []*audit.Matrix) error {
	doc := struct {
		Matrices []jsonMatrix `json:"matrices"`
	}{[]jsonMatrix{}}
	for _, m := range all {
		j := jsonMatrix{Family: m.Family.String(), Networks: []jsonMatrixEnd{}, Pairs: []jsonMatrixCell{}}
		for _, e := range m.Ends {
			j.Networks = append(j.Networks, jsonMatrixEnd{e.Prefix.String(), text(e.Name), e.Address.String(), e.Link})
		}
		for i, row := range m.Cells {
			for k, c := range row {
				if !c.Same {
					j.Pairs = append(
						j.Pairs,
						jsonMatrixCell{
							jsonLabel(m.Ends[i]),
							jsonLabel(m.Ends[k]),
							c.Verdict.String(),
							c.Worst.String(),
							text(lostWord(c)),
							text(c.Ending.String()),
							text(c.Device),
							c.Partly,
							c.From.String(),
							c.To.String(),
						},
					)
				}
			}
		}
		doc.Matrices = append(doc.Matrices, j)
	}
	return writeJSON(w, doc)
}

// jsonLabel is a network's prefix or a host's name, as it is: JSON escapes by itself.
func jsonLabel(e audit.MatrixEnd) string {
	if e.Name != "" {
		return e.Name
	}
	return e.Prefix.String()
}
