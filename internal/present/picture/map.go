package picture

import (
	"image/color"
	"math"
	"slices"
)

// NodeStyle is how a node looks. The zero NodeStyle is a captured device.
type NodeStyle uint8

const (
	Solid    NodeStyle = iota // a captured device
	Bar                       // a shared segment
	Dashed                    // pointed at, not captured
	CutEdges                  // what lies beyond
)

// A MapLine is one line in a node's box.
type MapLine struct {
	Text   string
	Indent bool
	Strong Emphasis
}

// Emphasis is what a line stands out for. The zero Emphasis is nothing.
type Emphasis uint8

const (
	Plain Emphasis = iota
	Weak
	Start // of the packet's way
	Fail  // something ends there
)

// A MapNode is one box.
type MapNode struct {
	Title  string
	Lines  []MapLine
	Style  NodeStyle
	Badges []string // numbers of findings
}

// A MapEdge joins two boxes.
type MapEdge struct {
	A, B       int
	Middle     []string // what stands at its middle, one line each
	EndA, EndB string   // what stands at its ends
	Dashed     bool     // concluded, not read
	Down       bool
}

// A MapWay is a way along edges from box to box.
type MapWay struct {
	Steps []MapStep
	Back  bool
}

// A MapStep goes along one edge, from A to B or the other way.
type MapStep struct {
	Edge    int
	Reverse bool
}

// A Map is boxes joined by edges, ways over them, and words below.
type Map struct {
	Title string
	Nodes []MapNode
	Edges []MapEdge
	Ways  []MapWay
	Notes []MapNote
}

// A MapNote is one entry below the map; Badge "" begins with nothing.
type MapNote struct{ Badge, Text string }

var (
	titleFont = Font{Size: 11, Bold: true}
	lineFont  = Font{Size: 9}
	smallFont = Font{Size: 8}
	headFont  = Font{Size: 14, Bold: true}
)

const (
	boxPad   = 7.0
	lineStep = 11.5
	margin   = 20.0
	badgeR   = 7.0
)

// size is how large a node's box must be for its text.
func (n MapNode) size() (w, h float64) {
	w, h = titleFont.Width(n.Title), 16.0
	if n.Title == "" {
		h = 3
	}
	if len(n.Badges) > 0 {
		w += 6 + float64(len(n.Badges))*(2*badgeR+2)
	}
	for _, l := range n.Lines {
		x := l.font().Width(l.Text)
		if l.Indent {
			x += 10
		}
		w, h = max(w, x), h+lineStep
	}
	if n.Style == CutEdges {
		w += 6
	}
	return w + 2*boxPad, h + 2*boxPad - 4
}

func (l MapLine) font() Font {
	if l.Strong == Start || l.Strong == Fail {
		return Font{Size: 9, Bold: true}
	}
	return lineFont
}

// placed is a map with everything in its place.
type placed struct {
	m      Map
	boxes  []Box
	paths  [][]Point // of edges
	labels []label
	width  float64
	height float64
	legend float64 // where the words below begin
	lost   int     // labels for which there was no room
	beside float64 // how far labels are from their edges
}

type label struct {
	box  Box
	text []string
	font Font
}

// Drawing lays the map out: wider between boxes until every label has room.
func (m Map) Drawing() Drawing {
	edges := make([][2]int, len(m.Edges))
	for i, e := range m.Edges {
		edges[i] = [2]int{e.A, e.B}
	}
	var best *placed
	if len(m.Nodes) > 0 {
		g := planGrid(len(m.Nodes), edges, 1.3)
		for gap := 1.0; gap < 3; gap += 0.35 {
			p := m.place(g, gap)
			if best == nil || p.lost < best.lost {
				best = p
			}
			if p.lost == 0 {
				break
			}
		}
	} else {
		best = &placed{m: m, width: 300, height: 40, legend: 40}
	}
	best.finish()
	return Drawing{best.width, best.height, best.draw}
}

// place turns cells into boxes and finds room for edges and labels.
func (m Map) place(g *gridPlan, gap float64) *placed {
	p := &placed{m: m, boxes: make([]Box, len(m.Nodes)), beside: 4}
	if len(m.Ways) > 0 {
		p.beside = 7
	}
	colW, rowH := make([]float64, g.cols), make([]float64, g.rows)
	for i, n := range m.Nodes {
		w, h := n.size()
		p.boxes[i] = Box{W: w, H: h}
		colW[g.at[i].col], rowH[g.at[i].row] = max(colW[g.at[i].col], w), max(rowH[g.at[i].row], h)
	}
	gapX, gapY := 92*gap, 62*gap
	if len(m.Edges) == 0 {
		gapX, gapY = 30, 24
	}
	x := starts(colW, gapX, margin)
	y := starts(rowH, gapY, margin+34)
	for i := range p.boxes {
		b, c := &p.boxes[i], g.at[i]
		b.X, b.Y = x[c.col]+(colW[c.col]-b.W)/2, y[c.row]+(rowH[c.row]-b.H)/2
	}
	p.width = x[g.cols-1] + colW[g.cols-1] + margin
	p.legend = y[g.rows-1] + rowH[g.rows-1] + margin
	for _, e := range m.Edges {
		p.paths = append(p.paths, p.route(e.A, e.B))
	}
	p.labelEdges()
	return p
}

func starts(sizes []float64, gap, first float64) []float64 {
	out := make([]float64, len(sizes))
	at := first
	for i, s := range sizes {
		out[i] = at
		at += s + gap
	}
	return out
}

// route is the way of an edge between two boxes: straight where no other box is on it, else around the one that is,
// by one or two of its corners.
func (p *placed) route(a, b int) []Point {
	from, to := p.boxes[a].Mid(), p.boxes[b].Mid()
	line := []Point{from, to}
	for range 3 { // going round one box may meet the next
		k, hit := p.firstHit(line, a, b)
		if hit < 0 {
			break
		}
		o := p.boxes[hit].Grown(14)
		c := []Point{{o.X, o.Y}, {o.X + o.W, o.Y}, {o.X + o.W, o.Y + o.H}, {o.X, o.Y + o.H}}
		var tries [][]Point
		for i := range c {
			tries = append(tries, []Point{c[i]}, []Point{c[i], c[(i+1)%4]}, []Point{c[i], c[(i+3)%4]})
		}
		best := math.Inf(1)
		var way []Point
		for _, t := range tries {
			whole := slices.Concat(line[:k], t, line[k:])
			if cost := length(whole) + 4000*float64(p.countHits(whole, a, b)); cost < best {
				best, way = cost, whole
			}
		}
		line = way
	}
	line[0] = edgeOf(p.boxes[a], line[1])
	line[len(line)-1] = edgeOf(p.boxes[b], line[len(line)-2])
	return line
}

// firstHit returns the first piece of a line that runs over another box, by its second point, and the box; -1 for none.
func (p *placed) firstHit(line []Point, a, b int) (piece, box int) {
	for k := 1; k < len(line); k++ {
		if h := p.hits(line[k-1], line[k], a, b); h >= 0 {
			return k, h
		}
	}
	return 0, -1
}

// countHits counts the boxes that the pieces of a line run over, its own ends' too where a bend leads back over them.
func (p *placed) countHits(line []Point, a, b int) int {
	n := 0
	for k := 1; k < len(line); k++ {
		for i, box := range p.boxes {
			if (i != a || k > 1) && (i != b || k < len(line)-1) && cuts(box.Grown(4), line[k-1], line[k]) {
				n++
			}
		}
	}
	return n
}

// hits returns the first other box that a line runs over, -1 for none.
func (p *placed) hits(from, to Point, a, b int) int {
	for i, box := range p.boxes {
		if i != a && i != b && cuts(box.Grown(4), from, to) {
			return i
		}
	}
	return -1
}

// cuts reports whether a line has a point in a box (the slab method).
func cuts(b Box, from, to Point) bool {
	t0, t1 := 0.0, 1.0
	for _, s := range [][4]float64{{from.X, to.X - from.X, b.X, b.X + b.W}, {from.Y, to.Y - from.Y, b.Y, b.Y + b.H}} {
		if math.Abs(s[1]) < 1e-9 {
			if s[0] < s[2] || s[0] > s[3] {
				return false
			}
			continue
		}
		lo, hi := (s[2]-s[0])/s[1], (s[3]-s[0])/s[1]
		t0, t1 = max(t0, min(lo, hi)), min(t1, max(lo, hi))
	}
	return t0 <= t1
}

// edgeOf is where a line from the middle of a box to a point leaves it.
func edgeOf(b Box, to Point) Point {
	m := b.Mid()
	dx, dy := to.X-m.X, to.Y-m.Y
	t := 1.0
	if dx != 0 {
		t = min(t, b.W/2/math.Abs(dx))
	}
	if dy != 0 {
		t = min(t, b.H/2/math.Abs(dy))
	}
	return Point{m.X + dx*t, m.Y + dy*t}
}

func dist(a, b Point) float64 { return math.Hypot(a.X-b.X, a.Y-b.Y) }

// along is the point of a path at a part of its length.
func along(path []Point, part float64) Point {
	total := 0.0
	for i := 1; i < len(path); i++ {
		total += dist(path[i-1], path[i])
	}
	left := total * part
	for i := 1; i < len(path); i++ {
		d := dist(path[i-1], path[i])
		if left <= d && d > 0 {
			t := left / d
			return Point{path[i-1].X + (path[i].X-path[i-1].X)*t, path[i-1].Y + (path[i].Y-path[i-1].Y)*t}
		}
		left -= d
	}
	return path[len(path)-1]
}

func length(path []Point) float64 {
	total := 0.0
	for i := 1; i < len(path); i++ {
		total += dist(path[i-1], path[i])
	}
	return total
}

// labelEdges finds a place for every label at which it meets no box, no other label and, if there is one, no edge.
func (p *placed) labelEdges() {
	for i, e := range p.m.Edges {
		path := p.paths[i]
		long := max(length(path), 1)
		if e.EndA != "" {
			d := room(e.EndA, path[0], path[1])
			p.label(
				[]string{e.EndA},
				smallFont,
				path,
				i,
				[]float64{d / long, (d + 9) / long, (d + 20) / long, (d + 34) / long},
			)
		}
		if e.EndB != "" {
			n := len(path)
			d := room(e.EndB, path[n-1], path[n-2])
			p.label(
				[]string{e.EndB},
				smallFont,
				path,
				i,
				[]float64{1 - d/long, 1 - (d+9)/long, 1 - (d+20)/long, 1 - (d+34)/long},
			)
		}
	}
	for i, e := range p.m.Edges {
		if len(e.Middle) > 0 {
			p.label(e.Middle, smallFont, p.paths[i], i, []float64{0.5, 0.42, 0.58, 0.34, 0.66, 0.27, 0.73})
		}
	}
}

// room is how far from a box the middle of a label must be on a line that leaves it.
func room(text string, from, to Point) float64 {
	n := max(dist(from, to), 1e-9)
	return 5 + math.Abs(to.X-from.X)/n*smallFont.Width(text)/2 + math.Abs(to.Y-from.Y)/n*5
}

// label puts one label beside the path, at the first of the parts of its length where there is room.
func (p *placed) label(text []string, f Font, path []Point, edge int, parts []float64) {
	w := 0.0
	for _, s := range text {
		w = max(w, f.Width(s))
	}
	h := float64(len(text)) * 9.5
	best, found := Box{}, math.Inf(1)
	for _, part := range parts {
		at := along(path, min(max(part, 0.02), 0.98))
		near := along(path, min(max(part+0.02, 0.04), 1))
		dx, dy := near.X-at.X, near.Y-at.Y
		n := max(math.Hypot(dx, dy), 1e-9)
		for _, side := range []float64{1, -1} {
			nx, ny := -dy/n*side, dx/n*side
			away := p.beside + math.Abs(nx)*w/2 + math.Abs(ny)*h/2
			b := Box{at.X + nx*away - w/2, at.Y + ny*away - h/2, w, h}
			cost := p.trouble(b, edge)
			if cost < found {
				best, found = b, cost
			}
		}
		if found == 0 {
			break
		}
	}
	if found >= hard {
		p.lost++
	}
	p.labels = append(p.labels, label{best, text, f})
}

// hard is the trouble of a label that meets a box or another label.
const hard = 100.0

// trouble is how badly a label's box would lie there: meeting boxes and labels counts more than lying on a line of
// another edge.
func (p *placed) trouble(b Box, edge int) float64 {
	cost := 0.0
	for _, o := range p.boxes {
		if b.Grown(1).Meets(o) {
			cost += hard
		}
	}
	for _, l := range p.labels {
		if b.Grown(1).Meets(l.box) {
			cost += hard
		}
	}
	if b.X < 2 || p.width > 0 && b.X+b.W > p.width-2 {
		cost += hard
	}
	for i, path := range p.paths {
		for k := 1; i != edge && k < len(path); k++ {
			if cuts(b, path[k-1], path[k]) {
				cost += 3
			}
		}
	}
	return cost
}

var nodeFill = map[NodeStyle]color.Color{Solid: Shade, Bar: Paper, Dashed: Paper, CutEdges: Paper}
