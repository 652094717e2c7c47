package picture

import (
	"math"
	"math/rand/v2"
	"slices"
)

// cell is a place on the grid that nodes are put on.
type cell struct{ col, row int }

// gridPlan gives every node a cell of its own: first as forces between nodes want it, then by exchanging
// nodes as long as that shortens edges, parts crossings, and takes edges off other nodes. The same graph gives the same
// plan.
type gridPlan struct {
	n     int
	edges [][2]int
	near  [][]int // edges of each node
	at    []cell
	cols  int
	rows  int
	taken map[cell]int
}

// planGrid puts n nodes on a grid, 1.4 cells a node and aspect times as wide as high: forces find the neighbourhood,
// exchanges of cells take out crossings.
func planGrid(n int, edges [][2]int, aspect float64) *gridPlan {
	g := &gridPlan{n: n, near: make([][]int, n), at: make([]cell, n), taken: map[cell]int{}}
	for _, e := range edges {
		if e[0] != e[1] {
			g.near[e[0]], g.near[e[1]] = append(g.near[e[0]], len(g.edges)), append(g.near[e[1]], len(g.edges))
			g.edges = append(g.edges, e)
		}
	}
	g.cols = max(int(math.Ceil(math.Sqrt(float64(n)*1.4*aspect))), 1)
	g.rows = max(int(math.Ceil(float64(n)*1.4/float64(g.cols))), 1)
	g.start(forces(n, g.edges))
	g.improve()
	g.shrink()
	return g
}

// start puts nodes into the free cells nearest to where forces left them.
func (g *gridPlan) start(free []Point) {
	lo, hi := free[0], free[0]
	for _, p := range free {
		lo, hi = Point{min(lo.X, p.X), min(lo.Y, p.Y)}, Point{max(hi.X, p.X), max(hi.Y, p.Y)}
	}
	w, h := max(hi.X-lo.X, 1e-9), max(hi.Y-lo.Y, 1e-9)
	for i, p := range free {
		want := Point{(p.X - lo.X) / w * float64(g.cols-1), (p.Y - lo.Y) / h * float64(g.rows-1)}
		best, near := cell{}, math.Inf(1)
		for c := range g.cols {
			for r := range g.rows {
				if _, full := g.taken[cell{c, r}]; full {
					continue
				}
				if d := math.Hypot(float64(c)-want.X, float64(r)-want.Y); d < near {
					best, near = cell{c, r}, d
				}
			}
		}
		g.at[i], g.taken[best] = best, i
	}
}

// maxWork bounds how long nodes are exchanged.
const maxWork = 150_000_000

// improve exchanges nodes, or moves one to a free cell, as long as the cost falls; early on it may rise a little, to
// leave a bad corner.
func (g *gridPlan) improve() {
	if g.n < 2 || len(g.edges) == 0 {
		return
	}
	rnd := rand.New(rand.NewPCG(3, 9))
	each := len(g.edges) * (2*len(g.edges)/g.n + 4) // what one look costs, about
	rounds := min(60_000, maxWork/max(each*8, 1))
	for round := range rounds {
		i := rnd.IntN(g.n)
		to := cell{rnd.IntN(g.cols), rnd.IntN(g.rows)}
		if rnd.IntN(3) > 0 && len(g.near[i]) > 0 { // near to a neighbour, mostly
			e := g.edges[g.near[i][rnd.IntN(len(g.near[i]))]]
			o := g.at[e[0]+e[1]-i]
			to = cell{o.col + rnd.IntN(3) - 1, o.row + rnd.IntN(3) - 1}
		}
		if to.col < 0 || to.row < 0 || to.col >= g.cols || to.row >= g.rows || to == g.at[i] {
			continue
		}
		j, full := g.taken[to]
		if !full {
			j = -1
		}
		before := g.cost(i, j)
		from := g.at[i]
		g.move(i, j, from, to)
		heat := 2.0 * (1 - float64(round)/float64(rounds)*1.3)
		if after := g.cost(i, j); after > before && (heat <= 0 || rnd.Float64() > math.Exp((before-after)/heat)) {
			g.move(i, j, to, from)
		}
	}
}

// move puts i on a cell and what was there, j, on i's.
func (g *gridPlan) move(i, j int, from, to cell) {
	delete(g.taken, from)
	g.at[i], g.taken[to] = to, i
	if j >= 0 {
		g.at[j], g.taken[from] = from, j
	}
}

// cost is that of the edges of two nodes, and of edges that run over them.
func (g *gridPlan) cost(i, j int) float64 {
	total := 0.0
	for _, e := range g.near[i] {
		total += g.edgeCost(e)
	}
	if j >= 0 {
		for _, e := range g.near[j] {
			total += g.edgeCost(e)
		}
	}
	for k, e := range g.edges {
		for _, n := range []int{i, j} {
			if n >= 0 && e[0] != n && e[1] != n && g.over(k, g.at[n]) {
				total += overCost
			}
		}
	}
	return total
}

const (
	overCost  = 9.0 // an edge over a node
	crossCost = 2.5 // two edges that cross
)

// edgeCost is how bad an edge lies: its length in cells, what it runs over and what it crosses.
func (g *gridPlan) edgeCost(k int) float64 {
	e := g.edges[k]
	a, z := g.at[e[0]], g.at[e[1]]
	dx, dy := float64(a.col-z.col), float64(a.row-z.row)
	total := dx*dx + dy*dy + math.Abs(dx*dy)*0.3
	lo, hi := cell{min(a.col, z.col), min(a.row, z.row)}, cell{max(a.col, z.col), max(a.row, z.row)}
	for c := lo.col; c <= hi.col; c++ {
		for r := lo.row; r <= hi.row; r++ {
			at := cell{c, r}
			if _, full := g.taken[at]; full && at != a && at != z && g.over(k, at) {
				total += overCost
			}
		}
	}
	for m, o := range g.edges {
		if m != k && o[0] != e[0] && o[0] != e[1] && o[1] != e[0] && o[1] != e[1] &&
			crossing(a, z, g.at[o[0]], g.at[o[1]]) {
			total += crossCost
		}
	}
	return total
}

// over reports whether an edge runs over a cell that is none of its ends.
func (g *gridPlan) over(k int, c cell) bool {
	a, z := g.at[g.edges[k][0]], g.at[g.edges[k][1]]
	if c == a || c == z {
		return false
	}
	dx, dy := float64(z.col-a.col), float64(z.row-a.row)
	px, py := float64(c.col-a.col), float64(c.row-a.row)
	t := (px*dx + py*dy) / (dx*dx + dy*dy)
	if t <= 0 || t >= 1 {
		return false
	}
	return math.Abs(px-t*dx) < 0.5 && math.Abs(py-t*dy) < 0.5
}

func crossing(a, b, c, d cell) bool {
	side := func(p, q, r cell) int { return (q.col-p.col)*(r.row-p.row) - (q.row-p.row)*(r.col-p.col) }
	return side(a, b, c)*side(a, b, d) < 0 && side(c, d, a)*side(c, d, b) < 0
}

// shrink takes empty columns and rows out.
func (g *gridPlan) shrink() {
	squeeze := func(get func(*cell) *int) int {
		used := map[int]bool{}
		for i := range g.at {
			used[*get(&g.at[i])] = true
		}
		var order []int
		for v := range used {
			order = append(order, v)
		}
		slices.Sort(order)
		for i := range g.at {
			v := get(&g.at[i])
			*v, _ = slices.BinarySearch(order, *v)
		}
		return len(order)
	}
	g.cols = squeeze(func(c *cell) *int { return &c.col })
	g.rows = squeeze(func(c *cell) *int { return &c.row })
}
