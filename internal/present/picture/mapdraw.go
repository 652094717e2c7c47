package picture

import (
	"image/color"
	"math"
	"strings"
)

// finish adds the words below and fixes the size.
func (p *placed) finish() {
	p.width = max(p.width, headFont.Width(p.m.Title)+2*margin, 420)
	y := p.legend + 16
	for _, n := range p.m.Notes {
		y += float64(len(broken(n.Text, lineFont, p.width-2*margin-24)))*12.5 + 4
	}
	p.height = y + margin + 16
}

// broken breaks a text into lines of at most a width.
func broken(s string, f Font, width float64) []string {
	var out []string
	line := ""
	for word := range strings.FieldsSeq(s) {
		next := strings.TrimLeft(line+" "+word, " ")
		if line != "" && f.Width(next) > width {
			out = append(out, line)
			next = word
		}
		line = next
	}
	return append(out, line)
}

// draw paints from the back to the front: lines, ways, labels on paper of their own, boxes, notes.
func (p *placed) draw(pen *Pen) {
	pen.Text(headFont, Ink, Point{margin, margin + 8}, p.m.Title)
	for i, e := range p.m.Edges {
		s := Stroke{Width: 1.2, Color: Ink}
		if e.Dashed {
			s = Stroke{Width: 1.1, Color: Faint, Dash: []float64{5, 3}}
		}
		pen.Line(s, p.paths[i]...)
		if e.Down {
			pen.cross(along(p.paths[i], 0.5), 6)
		}
	}
	p.drawWays(pen)
	for _, l := range p.labels {
		pen.Box(l.box.Grown(1), 0, Paper, Stroke{})
		for i, s := range l.text {
			pen.Text(l.font, Ink, Point{l.box.X, l.box.Y + 7.5 + float64(i)*9.5}, s)
		}
	}
	for i, n := range p.m.Nodes {
		pen.node(n, p.boxes[i])
	}
	p.drawKey(pen)
	y := p.legend + 34
	for _, n := range p.m.Notes {
		x := margin
		if n.Badge != "" {
			pen.badge(Point{x + badgeR, y - 3}, n.Badge)
			x += 24
		}
		for _, line := range broken(n.Text, lineFont, p.width-2*margin-24) {
			pen.Text(lineFont, Ink, Point{x, y}, line)
			y += 12.5
		}
		y += 4
	}
}

// cross marks where something ends or is down.
func (p *Pen) cross(at Point, r float64) {
	p.Box(Box{at.X - r, at.Y - r, 2 * r, 2 * r}, r*0.6, Paper, Stroke{Width: 1.4, Color: Alarm})
	s := Stroke{Width: 1.6, Color: Alarm}
	q := r * 0.5
	p.Line(s, Point{at.X - q, at.Y - q}, Point{at.X + q, at.Y + q})
	p.Line(s, Point{at.X - q, at.Y + q}, Point{at.X + q, at.Y - q})
}

// badge is a finding's number.
func (p *Pen) badge(at Point, s string) {
	f := Font{Size: 8, Bold: true}
	p.Box(Box{at.X - badgeR, at.Y - badgeR, 2 * badgeR, 2 * badgeR}, 3.5, Alarm, Stroke{})
	p.Text(f, Paper, Point{at.X - f.Width(s)/2, at.Y + 2.9}, s)
}

// node draws one box with its words.
func (p *Pen) node(n MapNode, b Box) {
	s := Stroke{Width: 1.4, Color: Ink}
	corner := 0.0
	switch n.Style {
	case Bar:
		s = Stroke{Width: 2.4, Color: Ink}
		corner = 4
	case Dashed:
		s = Stroke{Width: 1.2, Color: Ink, Dash: []float64{4, 3}}
	case CutEdges:
		s = Stroke{Width: 1, Color: Faint, Dash: []float64{1.5, 2.5}}
		corner = 10
	}
	p.Box(b, corner, nodeFill[n.Style], s)
	x, y := b.X+boxPad, b.Y+boxPad+9
	if n.Style == CutEdges {
		x += 3
	}
	if n.Title != "" {
		p.Text(titleFont, Ink, Point{x, y}, n.Title)
		for i, s := range n.Badges {
			p.badge(Point{b.X + b.W - boxPad - badgeR - float64(len(n.Badges)-1-i)*(2*badgeR+2), y - 4}, s)
		}
		y += 13.5
	}
	for _, l := range n.Lines {
		at := Point{x, y}
		if l.Indent {
			at.X += 10
		}
		var c color.Color = Ink
		switch l.Strong {
		case Weak:
			c = Faint
		case Start:
			c = Way
		case Fail:
			c = Alarm
		}
		p.Text(l.font(), c, at, l.Text)
		y += lineStep
	}
}

// Out and back have strokes of their own: a wide line, and a row of short dashes.
var wayStroke = map[bool]Stroke{
	false: {Width: 2.6, Color: Way},
	true:  {Width: 2.6, Color: WayIn, Dash: []float64{2.5, 3.5}},
}

// drawWays draws each way beside its edges, out on one side and back on the other.
func (p *placed) drawWays(pen *Pen) {
	for _, w := range p.m.Ways {
		for _, s := range w.Steps {
			path := append([]Point{}, p.paths[s.Edge]...)
			if s.Reverse {
				for i, j := 0, len(path)-1; i < j; i, j = i+1, j-1 {
					path[i], path[j] = path[j], path[i]
				}
			}
			path = beside(path, 3.4)
			pen.Line(wayStroke[w.Back], path...)
			pen.arrow(wayStroke[w.Back].Color, path)
		}
	}
}

// beside moves a path to its right side.
func beside(path []Point, d float64) []Point {
	out := make([]Point, len(path))
	for i := range path {
		a, b := path[max(i-1, 0)], path[min(i+1, len(path)-1)]
		n := max(dist(a, b), 1e-9)
		out[i] = Point{path[i].X - (b.Y-a.Y)/n*d, path[i].Y + (b.X-a.X)/n*d}
	}
	return out
}

// arrow puts a head at three quarters of a path.
func (p *Pen) arrow(c color.Color, path []Point) {
	tip, tail := along(path, 0.78), along(path, 0.7)
	a := math.Atan2(tip.Y-tail.Y, tip.X-tail.X)
	const long, wide = 10.0, 5.5
	back := Point{tip.X - long*math.Cos(a), tip.Y - long*math.Sin(a)}
	p.Shape(
		c,
		Stroke{},
		tip,
		Point{back.X - wide*math.Sin(a), back.Y + wide*math.Cos(a)},
		Point{back.X + wide*math.Sin(a), back.Y - wide*math.Cos(a)},
	)
}

// drawKey explains the strokes that the map uses.
func (p *placed) drawKey(pen *Pen) {
	x, y := margin, p.legend+12
	entry := func(sample func(Box), text string) {
		if x+34+lineFont.Width(text) > p.width-margin && x > margin {
			return // the words below say the same
		}
		sample(Box{x, y - 9, 26, 12})
		pen.Text(lineFont, Ink, Point{x + 31, y}, text)
		x += 31 + lineFont.Width(text) + 16
	}
	line := func(s Stroke) func(Box) {
		return func(b Box) { pen.Line(s, Point{b.X, b.Y + 6}, Point{b.X + b.W, b.Y + 6}) }
	}
	for _, w := range []bool{false, true} {
		for _, have := range p.m.Ways {
			if have.Back == w && len(have.Steps) > 0 {
				entry(line(wayStroke[w]), map[bool]string{false: "the packet", true: "the reply"}[w])
				break
			}
		}
	}
	uses := func(f func(MapEdge) bool) bool {
		for _, e := range p.m.Edges {
			if f(e) {
				return true
			}
		}
		return false
	}
	if uses(func(e MapEdge) bool { return !e.Dashed }) {
		entry(line(Stroke{Width: 1.2, Color: Ink}), "link, both ends captured")
	}
	if uses(func(e MapEdge) bool { return e.Dashed }) {
		entry(line(Stroke{Width: 1.1, Color: Faint, Dash: []float64{5, 3}}), "deduced")
	}
	if uses(func(e MapEdge) bool { return e.Down }) {
		entry(func(b Box) { pen.cross(b.Mid(), 5) }, "an interface is down")
	}
	seen := map[NodeStyle]bool{}
	for _, n := range p.m.Nodes {
		seen[n.Style] = true
	}
	if seen[Dashed] {
		entry(
			func(b Box) { pen.Box(b, 0, Paper, Stroke{Width: 1.2, Color: Ink, Dash: []float64{4, 3}}) },
			"pointed at, not captured",
		)
	}
	if seen[Bar] {
		entry(func(b Box) { pen.Box(b, 3, Paper, Stroke{Width: 2.4, Color: Ink}) }, "shared segment")
	}
	if seen[CutEdges] {
		entry(func(b Box) { pen.Box(b, 4, Paper, Stroke{Width: 1, Color: Faint, Dash: []float64{1.5, 2.5}}) }, "beyond")
	}
}
