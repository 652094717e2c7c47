package settle

import "container/heap"

// distances solves the least distance of every node against the direction of the arcs, from those of some nodes on
// (Dijkstra 1959). Over is the whole way by an arc, whose far end has a distance; endless where it cannot be used.
func (in *instance) distances(from map[int]uint64, over func(arc int, far uint64) uint64) []uint64 {
	dist := make([]uint64, len(in.nodes))
	for n := range dist {
		dist[n] = endless
	}
	q := &queue{}
	reach := func(n int, d uint64) {
		if d < dist[n] {
			dist[n] = d
			heap.Push(q, reached{n, d})
		}
	}
	for n, d := range from {
		reach(n, d)
	}
	for q.Len() > 0 {
		x := heap.Pop(q).(reached)
		if x.dist > dist[x.node] {
			continue
		}
		for _, i := range in.into[x.node] {
			reach(in.arcs[i].from, over(i, x.dist))
		}
	}
	return dist
}

// get returns the distance of a node, endless where it has none.
func get(from map[int]uint64, n int) uint64 {
	if d, ok := from[n]; ok {
		return d
	}
	return endless
}

type reached struct {
	node int
	dist uint64
}

// queue is a heap of nodes by distance.
type queue []reached

func (q queue) Len() int           { return len(q) }
func (q queue) Less(i, k int) bool { return q[i].dist < q[k].dist }
func (q queue) Swap(i, k int)      { q[i], q[k] = q[k], q[i] }
func (q *queue) Push(x any)        { *q = append(*q, x.(reached)) }
func (q *queue) Pop() any {
	last := (*q)[len(*q)-1]
	*q = (*q)[:len(*q)-1]
	return last
}
