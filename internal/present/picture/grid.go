package picture

import "strconv"

// Mark is what a cell of a grid shows.
type Mark uint8

const (
	NoMark   Mark = iota // nothing is asked
	Open                 // two-way: a small dot
	Half                 // one-way: a triangle
	Full                 // broken: filled, with a cross
	Question             // unknown
)

// A Grid is a matrix of marks with names at its rows and columns.
type Grid struct {
	Title, Note string
	Names       []string
	Marks       [][]Mark
	Partly      [][]bool
	Key         []KeyEntry
}

// KeyEntry explains one mark.
type KeyEntry struct {
	Mark   Mark
	Partly bool
	Text   string
}

const (
	gridCell   = 15.0
	gridMargin = 18.0
)

// Drawing lays the grid out.
func (g Grid) Drawing() Drawing {
	name, title := Font{Size: 9}, Font{Size: 14, Bold: true}
	label := 0.0
	for i, n := range g.Names {
		label = max(label, name.Width(n+"  "+strconv.Itoa(i+1)))
	}
	key := 0.0
	for _, k := range g.Key {
		key += gridCell + 6 + name.Width(k.Text) + 18
	}
	left, top := gridMargin+label+8, gridMargin+68+label
	n := float64(len(g.Names)) * gridCell
	w := max(left+n+gridMargin, gridMargin*2+max(key, title.Width(g.Title), name.Width(g.Note)))
	return Drawing{w, top + n + gridMargin, func(p *Pen) {
		p.Text(title, Ink, Point{gridMargin, gridMargin + 12}, g.Title)
		p.Text(name, Ink, Point{gridMargin, gridMargin + 28}, g.Note)
		x := gridMargin
		for _, k := range g.Key {
			p.mark(Box{x, gridMargin + 36, gridCell, gridCell}, k.Mark, k.Partly)
			p.Text(name, Ink, Point{x + gridCell + 6, gridMargin + 47}, k.Text)
			x += gridCell + 6 + name.Width(k.Text) + 18
		}
		for i, text := range g.Names {
			at := left + float64(i)*gridCell
			y := top + float64(i)*gridCell
			if i%2 == 1 { // bands guide the eye along a row and up a column
				p.Box(Box{gridMargin, y, left + n - gridMargin, gridCell}, 0, Shade, Stroke{})
			}
			num := strconv.Itoa(i + 1)
			p.Text(name, Ink, Point{gridMargin, y + 11}, text)
			p.Text(name, Faint, Point{left - 5 - name.Width(num), y + 11}, num)
			p.Upward(name, Ink, Point{at + 11, top - 6}, num+"  "+text)
		}
		for i, row := range g.Marks {
			for j, m := range row {
				p.mark(
					Box{left + float64(j)*gridCell, top + float64(i)*gridCell, gridCell, gridCell},
					m,
					g.Partly[i][j],
				)
			}
		}
		p.Box(Box{left, top, n, n}, 0, nil, Stroke{Width: 0.6, Color: Middle})
		for i := 5; i < len(g.Names); i += 5 {
			at := float64(i) * gridCell
			p.Line(Stroke{Width: 0.6, Color: Middle}, Point{left + at, top}, Point{left + at, top + n})
			p.Line(Stroke{Width: 0.6, Color: Middle}, Point{left, top + at}, Point{left + n, top + at})
		}
	}}
}

// mark draws one cell.
func (p *Pen) mark(b Box, m Mark, partly bool) {
	in := b.Grown(-2)
	mid := b.Mid()
	switch m {
	case NoMark:
		p.Line(Stroke{Width: 0.6, Color: Middle}, Point{in.X, in.Y + in.H}, Point{in.X + in.W, in.Y})
	case Open:
		p.Box(Box{mid.X - 1.5, mid.Y - 1.5, 3, 3}, 0.8, Faint, Stroke{})
	case Half:
		p.Shape(
			Middle,
			Stroke{Width: 1, Color: Ink},
			Point{in.X + 1, in.Y + 1},
			Point{in.X + in.W - 1, mid.Y},
			Point{in.X + 1, in.Y + in.H - 1},
		)
	case Full:
		p.Box(in, 0, Alarm, Stroke{})
		s := Stroke{Width: 1.4, Color: Paper}
		p.Line(s, Point{in.X + 2.5, in.Y + 2.5}, Point{in.X + in.W - 2.5, in.Y + in.H - 2.5})
		p.Line(s, Point{in.X + 2.5, in.Y + in.H - 2.5}, Point{in.X + in.W - 2.5, in.Y + 2.5})
	case Question:
		f := Font{Size: 10, Bold: true}
		p.Text(f, Faint, Point{mid.X - f.Width("?")/2, mid.Y + 3.6}, "?")
	}
	if partly {
		p.Shape(
			Paper,
			Stroke{Width: 0.8, Color: Ink},
			Point{b.X + b.W - 6, b.Y + b.H - 1},
			Point{b.X + b.W - 1, b.Y + b.H - 1},
			Point{b.X + b.W - 1, b.Y + b.H - 6},
		)
	}
}
