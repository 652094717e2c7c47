package audit

// reverse finds the nodes from which others are reached. It keeps its room.
type reverse struct {
	last  []int32 // of each node: the last edge that leads to it, as a place in edges; -1: none
	edges []edgeTo
	met   []bool
	todo  []int32
}

// edgeTo is a node that leads to another one, and the edge to that before it; -1: none.
type edgeTo struct{ from, before int32 }

// all returns some nodes and all that lead to them, by what nodes do now. A node that sends a device's own packets
// counts as leading to the one that does the same with those of others.
func (r *reverse) all(w *worker, targets []int32) []int32 {
	n := len(w.now)
	r.last, r.edges = r.last[:0], r.edges[:0]
	r.met = append(r.met[:0], make([]bool, n)...)
	for range n {
		r.last = append(r.last, -1)
	}
	lead := func(from, to int32) {
		r.edges = append(r.edges, edgeTo{from, r.last[to]})
		r.last[to] = int32(len(r.edges) - 1)
	}
	for i := range int32(n) {
		for _, m := range w.sol.movesOf(i).next {
			lead(i, m)
		}
		if m := w.graph.received[i]; i >= int32(w.graph.transit) && m >= 0 {
			lead(i, m)
		}
	}
	r.todo = r.todo[:0]
	for _, t := range targets {
		r.met[t] = true
		r.todo = append(r.todo, t)
	}
	for i := 0; i < len(r.todo); i++ {
		for e := r.last[r.todo[i]]; e >= 0; e = r.edges[e].before {
			if x := r.edges[e].from; !r.met[x] {
				r.met[x] = true
				r.todo = append(r.todo, x)
			}
		}
	}
	return r.todo
}
