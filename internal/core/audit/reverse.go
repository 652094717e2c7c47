package audit

import "slices"

// reverse finds the nodes from which others are reached. It keeps its room.
type reverse struct {
	first, from []int32 // who leads to node n: from[first[n]:first[n+1]]
	met         []bool
	todo        []int32
}

// all returns some nodes and all that lead to them, by what nodes do now. A node that sends a device's own packets
// counts as leading to the one that does the same with those of others.
func (r *reverse) all(w *worker, targets []int32) []int32 {
	n := len(w.now)
	r.first = append(r.first[:0], make([]int32, n+1)...)
	r.met = append(r.met[:0], make([]bool, n)...)
	edges := func(visit func(from, to int32)) {
		for i := range int32(n) {
			for _, m := range w.moveSet.all[w.now[i]].next {
				visit(i, m)
			}
			if m := w.graph.received[i]; i >= int32(w.graph.transit) && m >= 0 {
				visit(i, m)
			}
		}
	}
	edges(func(_, to int32) { r.first[to]++ })
	sum := int32(0)
	for i, k := range r.first {
		sum += k
		r.first[i] = sum
	}
	r.from = slices.Grow(r.from[:0], int(sum))[:sum]
	edges(func(from, to int32) {
		r.first[to]--
		r.from[r.first[to]] = from
	})
	r.todo = r.todo[:0]
	for _, t := range targets {
		r.met[t] = true
		r.todo = append(r.todo, t)
	}
	for i := 0; i < len(r.todo); i++ {
		x := r.todo[i]
		for _, y := range r.from[r.first[x]:r.first[x+1]] {
			if !r.met[y] {
				r.met[y] = true
				r.todo = append(r.todo, y)
			}
		}
	}
	return r.todo
}
