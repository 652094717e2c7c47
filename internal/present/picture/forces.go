package picture

import (
	"math"
	"slices"
)

// mostPairs bounds how many pairs of nodes push each other, over all rounds.
const mostPairs = 150_000_000

// forces lays a graph out freely, by the method of Fruchterman and Reingold (1991): all nodes push each other, edges
// pull, and steps get shorter from round to round. The unit is the length that edges would like to have.
func forces(n int, edges [][2]int) []Point {
	at := spiral(n, edges)
	rounds := min(300, max(5, mostPairs/(n*n)))
	push := make([]Point, n)
	for round := range rounds {
		clear(push)
		for i := range at {
			for j := range i {
				away(at, push, i, j)
			}
		}
		for _, e := range edges {
			pull(at, push, e[0], e[1])
		}
		longest := math.Sqrt(float64(n)) / 4 * (1 - float64(round)/float64(rounds))
		for i, p := range push {
			if l := math.Hypot(p.X, p.Y); l > 0 {
				step := min(l, longest)
				at[i].X += p.X / l * step
				at[i].Y += p.Y / l * step
			}
		}
	}
	return at
}

// away adds how two nodes push each other: the more, the nearer they are.
func away(at, push []Point, i, j int) {
	dx, dy := at[i].X-at[j].X, at[i].Y-at[j].Y
	d2 := max(dx*dx+dy*dy, 1e-4)
	push[i].X += dx / d2
	push[i].Y += dy / d2
	push[j].X -= dx / d2
	push[j].Y -= dy / d2
}

// pull adds how an edge pulls its ends together: the more, the longer it is.
func pull(at, push []Point, i, j int) {
	dx, dy := at[i].X-at[j].X, at[i].Y-at[j].Y
	d := math.Hypot(dx, dy)
	push[i].X -= dx * d
	push[i].Y -= dy * d
	push[j].X += dx * d
	push[j].Y += dy * d
}

// spiral puts the nodes on a spiral, an equal area for each, those with most edges first and neighbours behind each
// other: no two are at one place.
func spiral(n int, edges [][2]int) []Point {
	near := make([][]int, n)
	for _, e := range edges {
		near[e[0]], near[e[1]] = append(near[e[0]], e[1]), append(near[e[1]], e[0])
	}
	byDegree := make([]int, n)
	for i := range byDegree {
		byDegree[i] = i
	}
	slices.SortStableFunc(byDegree, func(a, b int) int { return len(near[b]) - len(near[a]) })
	met := make([]bool, n)
	var order []int
	for _, first := range byDegree {
		if met[first] {
			continue
		}
		met[first] = true
		order = append(order, first)
		for next := len(order) - 1; next < len(order); next++ {
			for _, o := range near[order[next]] {
				if !met[o] {
					met[o] = true
					order = append(order, o)
				}
			}
		}
	}
	out := make([]Point, n)
	golden := math.Pi * (3 - math.Sqrt(5))
	for k, i := range order {
		r, turn := math.Sqrt(float64(k)+0.5), float64(k)*golden
		out[i] = Point{r * math.Cos(turn), r * math.Sin(turn)}
	}
	return out
}
