package present

import (
	"fmt"
	"io"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/present/picture"
)

var cellPictures = map[forward.Both]picture.Mark{
	forward.TwoWay:      picture.Open,
	forward.OneWay:      picture.Half,
	forward.Broken:      picture.Full,
	forward.BothUnknown: picture.Question,
}

// MatrixPicture draws one matrix.
func MatrixPicture(w io.Writer, m *audit.Matrix, as string) error {
	n := m.Tally()
	g := picture.Grid{
		Title: fmt.Sprintf(
			"%s: %d two-way, %d one-way, %d broken, %d unknown",
			familyName(m.Family),
			n[forward.TwoWay],
			n[forward.OneWay],
			n[forward.Broken],
			n[forward.BothUnknown],
		),
		Note: "Packets go from the row's network to the column's, replies back.",
		Key: []picture.KeyEntry{
			{Mark: picture.Open, Text: "two-way"},
			{Mark: picture.Half, Text: "one-way: the reply is lost"},
			{Mark: picture.Full, Text: "broken: the packet is lost"},
			{
				Mark: picture.Question,
				Text: "unknown",
			},
			{Mark: picture.NoMark, Partly: true, Text: "some addresses or ways differ"},
		},
	}
	if k := picture.NamesApart(len(m.Ends)); k > 1 {
		g.Note += fmt.Sprintf(" One network of %d is named; -as csv names all.", k)
	}
	for i, e := range m.Ends {
		g.Names = append(g.Names, endLabel(e))
		marks, partly := []picture.Mark{}, []bool{}
		for j, c := range m.Cells[i] {
			mark := cellPictures[c.Verdict]
			if i == j || c.Same {
				mark = picture.NoMark
			}
			marks, partly = append(marks, mark), append(partly, c.Partly && !c.Same)
		}
		g.Marks, g.Partly = append(g.Marks, marks), append(g.Partly, partly)
	}
	return draw(w, g.Drawing(), as)
}

// draw writes a drawing in one of the picture forms.
func draw(w io.Writer, d picture.Drawing, as string) error {
	if as == "svg" {
		return d.SVG(w)
	}
	return d.PNG(w)
}
