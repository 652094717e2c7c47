package picture

import (
	"bytes"
	"fmt"
	"image/color"
	"image/png"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// randomMap is a connected network of n devices with some more links, some shared segments and neighbours.
func randomMap(seed uint64, n int) Map {
	rnd := rand.New(rand.NewPCG(seed, 1))
	m := Map{Title: "a network"}
	for i := range n {
		node := MapNode{
			Title: fmt.Sprintf("station-%02d", i),
			Style: []NodeStyle{Solid, Solid, Solid, Solid, Bar, Dashed, CutEdges}[rnd.IntN(7)],
		}
		for k := range rnd.IntN(5) {
			node.Lines = append(
				node.Lines,
				MapLine{
					Text:   fmt.Sprintf("10.%d.%d.0/24 on hall%d", 61+k, i, k),
					Indent: k == 1,
					Strong: Emphasis(rnd.IntN(4)),
				},
			)
		}
		if rnd.IntN(5) == 0 {
			node.Badges = []string{"1", "12"}
		}
		m.Nodes = append(m.Nodes, node)
		if i > 0 {
			m.Edges = append(
				m.Edges,
				MapEdge{
					A:      rnd.IntN(i),
					B:      i,
					Middle: []string{fmt.Sprintf("172.28.%d.0/30", i)},
					EndA:   "line1 .1",
					EndB:   "line2 .2",
					Dashed: rnd.IntN(4) == 0,
					Down:   rnd.IntN(9) == 0,
				},
			)
		}
	}
	for range n / 6 {
		if a, b := rnd.IntN(n), rnd.IntN(n); a != b {
			m.Edges = append(m.Edges, MapEdge{A: a, B: b, EndA: "x .1"})
		}
	}
	return m
}

// TestNothingOverlaps: no two boxes meet, no label meets a box or another label, and every text fits into its box.
func TestNothingOverlaps(t *testing.T) {
	for seed := range uint64(4) {
		m := randomMap(seed, 40)
		edges := [][2]int{}
		for _, e := range m.Edges {
			edges = append(edges, [2]int{e.A, e.B})
		}
		g := planGrid(len(m.Nodes), edges, 1.3)
		var p *placed
		for gap := 1.0; gap < 3 && (p == nil || p.lost > 0); gap += 0.35 {
			p = m.place(g, gap)
		}
		require.Zero(t, p.lost, "seed %d: labels without room", seed)
		for i, a := range p.boxes {
			for _, b := range p.boxes[i+1:] {
				require.False(t, a.Grown(8).Meets(b), "seed %d: boxes", seed)
			}
			for _, l := range m.Nodes[i].Lines {
				require.LessOrEqual(t, l.font().Width(l.Text)+2*boxPad, a.W)
			}
			require.LessOrEqual(t, titleFont.Width(m.Nodes[i].Title)+2*boxPad, a.W)
		}
		for i, l := range p.labels {
			for _, b := range p.boxes {
				require.False(t, l.box.Meets(b), "seed %d: label %v on a box", seed, l.text)
			}
			for _, o := range p.labels[i+1:] {
				require.False(t, l.box.Meets(o.box), "seed %d: labels %v and %v", seed, l.text, o.text)
			}
		}
	}
}

// TestSameMapSamePicture: nothing depends on the order of maps or on time.
func TestSameMapSamePicture(t *testing.T) {
	var one, two bytes.Buffer
	require.NoError(t, randomMap(3, 25).Drawing().SVG(&one))
	require.NoError(t, randomMap(3, 25).Drawing().SVG(&two))
	require.Equal(t, one.String(), two.String())
}

// TestFormsAgree: both forms of a drawing are well-formed and of its size; an empty one too.
func TestForms(t *testing.T) {
	m := randomMap(5, 12)
	m.Ways = []MapWay{
		{Steps: []MapStep{{Edge: 0}, {Edge: 1, Reverse: true}}},
		{Back: true, Steps: []MapStep{{Edge: 0, Reverse: true}}},
	}
	m.Notes = []MapNote{{Badge: "1", Text: strings.Repeat("a long word ", 60)}}
	m.Nodes[0].Title = `<b>&"x"`
	grid := Grid{
		Title:  "t",
		Names:  []string{"a", "b"},
		Marks:  [][]Mark{{NoMark, Half}, {Full, Question}},
		Partly: [][]bool{{false, true}, {false, false}},
		Key:    []KeyEntry{{Open, false, "two-way"}},
	}
	for _, d := range []Drawing{m.Drawing(), (Map{Title: "nothing"}).Drawing(), grid.Drawing()} {
		var b bytes.Buffer
		require.NoError(t, d.PNG(&b))
		img, err := png.Decode(&b)
		require.NoError(t, err)
		require.InDelta(t, d.Width*dpi/72, img.Bounds().Dx(), 2)
		require.InDelta(t, d.Height*dpi/72, img.Bounds().Dy(), 2)
		b.Reset()
		require.NoError(t, d.SVG(&b))
		require.NotContains(t, b.String(), "<b>")
	}
	var b bytes.Buffer
	require.ErrorContains(t, Drawing{Width: 1e6, Height: 10}.PNG(&b), "take -as svg")
}

// TestLargeGrids: a grid of many networks takes the room of a smaller one, and what is alike in a row is drawn once;
// each mark can be told from the others, and so can their pictures in grey.
func TestLargeGrids(t *testing.T) {
	svg := func(n int, mark func(i, j int) Mark) (Drawing, int) {
		var g Grid
		for i := range n {
			row := make([]Mark, n)
			for j := range n {
				row[j] = mark(i, j)
			}
			g.Names, g.Marks, g.Partly = append(g.Names, "10.61.0.0/24"), append(g.Marks, row), append(g.Partly, make([]bool, n))
		}
		var b bytes.Buffer
		require.NoError(t, g.Drawing().SVG(&b))
		return g.Drawing(), strings.Count(b.String(), "<path")
	}
	broken := func(i, j int) Mark {
		if i == j {
			return NoMark
		}
		return Full
	}
	small, _ := svg(gridMost, broken)
	large, paths := svg(4*gridMost, broken)
	require.InDelta(t, small.Width, large.Width, 20)
	require.Less(t, paths, 4*4*gridMost)
	require.Equal(t, []int{1, 1, 2, 3}, []int{NamesApart(gridMost), NamesApart(gridMost + 1), NamesApart(2*gridMost + 50), NamesApart(4*gridMost + 50)})

	seen := map[string]Mark{}
	for _, m := range []Mark{NoMark, Open, Half, Full, Question} {
		d := Drawing{20, 20, func(p *Pen) { p.block(Box{0, 0, 20, 20}, m, false) }}
		var b bytes.Buffer
		require.NoError(t, d.PNG(&b))
		img, err := png.Decode(&b)
		require.NoError(t, err)
		look := ""
		for _, y := range []int{5, 20} {
			c := color.GrayModel.Convert(img.At(13, y)).(color.Gray).Y
			look += fmt.Sprint(c/12, " ")
		}
		require.NotContains(t, seen, look, "%v looks like %v", m, seen[look])
		seen[look] = m
	}
}
