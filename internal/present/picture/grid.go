package picture

import (
	"math"
	"strconv"
)

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
	gridMost   = 125 // networks with a cell of that size; more share the room of these
	gridLeast  = 0.75
)

// gridScale is how wide the cells of a grid of n networks are, and the size of their names. A picture that grows with
// the square of what it shows can neither be drawn nor looked at.
func gridScale(n int) (cell, name float64) {
	if n <= gridMost {
		return gridCell, 9
	}
	return max(gridMost*gridCell/float64(n), gridLeast), 7
}

// NamesApart tells that of n networks every first, second, third ... has its name beside the grid: so many that they
// can be read.
func NamesApart(n int) int {
	cell, name := gridScale(n)
	return int(math.Ceil((name + 1) / cell))
}

// Drawing lays the grid out.
func (g Grid) Drawing() Drawing {
	cell, size := gridScale(len(g.Names))
	name, title := Font{Size: size}, Font{Size: 14, Bold: true}
	draw := (*Pen).mark
	if cell < gridCell {
		draw = (*Pen).block
	}
	label := 0.0
	for i, n := range g.Names {
		label = max(label, name.Width(n+"  "+strconv.Itoa(i+1)))
	}
	note := Font{Size: 9}
	key := 0.0
	for _, k := range g.Key {
		key += gridCell + 6 + note.Width(k.Text) + 18
	}
	left, top := gridMargin+label+8, gridMargin+68+label
	n := float64(len(g.Names)) * cell
	w := max(left+n+gridMargin, gridMargin*2+max(key, title.Width(g.Title), note.Width(g.Note)))
	return Drawing{w, top + n + gridMargin, func(p *Pen) {
		p.Text(title, Ink, Point{gridMargin, gridMargin + 12}, g.Title)
		p.Text(note, Ink, Point{gridMargin, gridMargin + 28}, g.Note)
		x := gridMargin
		for _, k := range g.Key {
			sample := Box{x, gridMargin + 36, gridCell, gridCell}
			draw(p, sample, k.Mark, k.Partly)
			if cell < gridCell { // the block of what is two-way is empty
				p.Box(sample, 0, nil, Stroke{Width: 0.6, Color: Middle})
			}
			p.Text(note, Ink, Point{x + gridCell + 6, gridMargin + 47}, k.Text)
			x += gridCell + 6 + note.Width(k.Text) + 18
		}
		for i := 0; i < len(g.Names); i += NamesApart(len(g.Names)) {
			at := left + float64(i)*cell
			y := top + float64(i)*cell
			if i%2 == 1 && cell == gridCell { // bands guide the eye along a row and up a column
				p.Box(Box{gridMargin, y, left + n - gridMargin, cell}, 0, Shade, Stroke{})
			}
			num, base := strconv.Itoa(i+1), cell/2+name.Size*0.38
			p.Text(name, Ink, Point{gridMargin, y + base}, g.Names[i])
			p.Text(name, Faint, Point{left - 5 - name.Width(num), y + base}, num)
			p.Upward(name, Ink, Point{at + base, top - 6}, num+"  "+g.Names[i])
		}
		g.cells(func(i, j, wide int, m Mark, partly bool) {
			draw(p, Box{left + float64(j)*cell, top + float64(i)*cell, float64(wide) * cell, cell}, m, partly)
		})
		p.Box(Box{left, top, n, n}, 0, nil, Stroke{Width: 0.6, Color: Middle})
		apart := 5
		for float64(apart)*cell < 3*gridCell {
			apart *= 2
		}
		for i := apart; i < len(g.Names); i += apart {
			at := float64(i) * cell
			p.Line(Stroke{Width: 0.6, Color: Middle}, Point{left + at, top}, Point{left + at, top + n})
			p.Line(Stroke{Width: 0.6, Color: Middle}, Point{left, top + at}, Point{left + n, top + at})
		}
	}}
}

// cells gives each cell to draw. Where they are small, those beside each other that show the same are one.
func (g Grid) cells(draw func(row, column, wide int, m Mark, partly bool)) {
	joined := len(g.Names) > gridMost
	for i, row := range g.Marks {
		for j := 0; j < len(row); {
			wide := 1
			for joined && j+wide < len(row) && row[j+wide] == row[j] && g.Partly[i][j+wide] == g.Partly[i][j] {
				wide++
			}
			draw(i, j, wide, row[j], g.Partly[i][j])
			j += wide
		}
	}
}

// block draws cells too small for a mark: how much of them is filled tells one from the other.
func (p *Pen) block(b Box, m Mark, partly bool) {
	switch m {
	case NoMark:
		p.Box(b, 0, Shade, Stroke{})
	case Half:
		p.Box(Box{b.X, b.Y + b.H/2, b.W, b.H / 2}, 0, Ink, Stroke{})
	case Full:
		p.Box(b, 0, Alarm, Stroke{})
	case Question:
		p.Box(b, 0, Middle, Stroke{})
	}
	if partly {
		p.Box(Box{b.X, b.Y + b.H*0.3, b.W, b.H * 0.2}, 0, Faint, Stroke{})
	}
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
