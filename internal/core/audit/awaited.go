package audit

// awaited is a cursor in the heap with its next point beside it, so that comparing needs no look at the cursor.
type awaited struct {
	next   number
	cursor int32
}

// push, sink and popTop keep the heap.
func (w *worker) push(c int32) {
	x := awaited{w.cursors[c].next, c}
	w.heap = append(w.heap, x)
	i := len(w.heap) - 1
	for i > 0 {
		up := (i - 1) / 2
		if !x.next.less(w.heap[up].next) {
			break
		}
		w.heap[i] = w.heap[up]
		i = up
	}
	w.heap[i] = x
}

// sink lets the top find its place.
func (w *worker) sink() {
	h := w.heap
	if len(h) == 0 {
		return
	}
	x, i := h[0], 0
	for {
		small := 2*i + 1
		if small >= len(h) {
			break
		}
		if r := small + 1; r < len(h) && h[r].next.less(h[small].next) {
			small = r
		}
		if !h[small].next.less(x.next) {
			break
		}
		h[i] = h[small]
		i = small
	}
	h[i] = x
}

func (w *worker) popTop() {
	n := len(w.heap) - 1
	w.heap[0] = w.heap[n]
	w.heap = w.heap[:n]
	w.sink()
}
