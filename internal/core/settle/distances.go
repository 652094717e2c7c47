package settle

// distances solves the least distance of every node against the direction of the arcs, from those of some nodes on
// (Dijkstra 1959). Over is the whole way by an arc, whose far end has a distance; endless where it cannot be used.
func (in *instance) distances(from map[int]uint64, over func(arc int, far uint64) uint64) []uint64 {
	dist := make([]uint64, len(in.nodes))
	for n := range dist {
		dist[n] = endless
	}
	starts := make([]reached, 0, len(from))
	for n, d := range from {
		starts = append(starts, reached{n, d})
	}
	in.nearer(dist, starts, over)
	return dist
}

// nearer lowers distances to what is reached from some nodes on.
func (in *instance) nearer(dist []uint64, from []reached, over func(arc int, far uint64) uint64) {
	q := make(queue, 0, len(from)+16)
	reach := func(n int, d uint64) {
		if d < dist[n] {
			dist[n] = d
			q.push(reached{n, d})
		}
	}
	for _, x := range from {
		reach(x.node, x.dist)
	}
	for len(q) > 0 {
		x := q.pop()
		if x.dist > dist[x.node] {
			continue
		}
		for _, i := range in.into[x.node] {
			reach(in.arcs[i].from, over(i, x.dist))
		}
	}
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

// queue is a heap of nodes by distance. It is asked for every prefix of every failure, so that the boxes in which
// container/heap hands its elements over would be most of the work.
type queue []reached

func (q *queue) push(x reached) {
	h := append(*q, x)
	i := len(h) - 1
	for i > 0 && x.dist < h[(i-1)/2].dist {
		h[i] = h[(i-1)/2]
		i = (i - 1) / 2
	}
	h[i], *q = x, h
}

// pop takes out the nearest node.
func (q *queue) pop() reached {
	h := *q
	top, x := h[0], h[len(h)-1]
	h = h[:len(h)-1]
	i := 0
	for child := 1; child < len(h); child = 2*i + 1 {
		if child+1 < len(h) && h[child+1].dist < h[child].dist {
			child++
		}
		if x.dist <= h[child].dist {
			break
		}
		h[i] = h[child]
		i = child
	}
	if len(h) > 0 {
		h[i] = x
	}
	*q = h
	return top
}
