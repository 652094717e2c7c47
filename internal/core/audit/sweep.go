package audit

import (
	"encoding/binary"
	"slices"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/selection"
	"zarvek/internal/core/topology"
)

// worker sweeps one part of the address space. It shares with the others what does not change, and the registry.
type worker struct {
	*auditor
	cursors      []*cursor
	heap         []awaited // cursors by their next point
	moveSet      moveList
	causes       map[causeKey]int32
	now          []int32 // what each node does, in moveSet
	branching    int     // nodes with more than one next one now
	hash         classHash
	memo         [][]int32 // by node and state: 1 + number in moveSet; 0: not found out yet
	states       []map[string]int32
	state        []int32 // of each device
	onIt         []bool  // of each device: its state depends on the destination itself
	sol          *solver
	classes      map[classHash]int32
	found        []class
	ends         []end
	worthTelling []spanList // by cause: ranges that are worth telling, in order
	outIDs       map[outcome]int32
	lastOut      []numbered              // of each start set: the outcome that was not fine last
	beyond       map[beyondKey]*spanList // where ways are told apart: ranges in which nobody can be
	spots        []spot                  // where they are kept: all ranges

	point   number // the first address of the current range
	region  int    // in addressFacts
	place   region
	dirty   []int32
	isDirty []bool
	changes []turn
	text    []byte
	ranges  int
	passed  int // routes since progress was told
}

// class is what becomes of the packets to one class of destinations.
type class struct {
	bad    []int32   // causes that are worth telling though nobody captured is behind
	now    []int32   // what each node does, where ways are told apart
	column []int32   // outcomes by start set; nil until an end of the class is met
	sum    classHash // of the column
	silent answers
}

// answers says whether anybody has the destinations of a class. The zero answers is that it was not looked at.
type answers uint8

const (
	notLooked answers = iota
	somebody
	nobody // a neighbour entry shows it
)

// lookForAnswers notes in a class with a column whether anybody answers. Unused are the start sets of the column from
// which nobody sends any more; nil for none.
func (c *class) lookForAnswers(reg *registry, unused []bool) {
	c.silent = somebody
	for i, o := range c.column {
		if unused != nil && unused[i] {
			continue
		}
		if reg.silent(o) {
			c.silent = nobody
			return
		}
	}
}

// numbered is an outcome with its number.
type numbered struct {
	outcome
	id    int32
	known bool
}

// turn is a node that does something else from the point on.
type turn struct{ node, moves int32 }

// newWorker makes what one goroutine sweeps with; workers share nothing that is written.
func (a *auditor) newWorker() *worker {
	n := len(a.graph.lookupPoints)
	w := &worker{
		auditor: a,
		causes:  map[causeKey]int32{},
		now:     make([]int32, n),
		memo:    make([][]int32, n),
		classes: map[classHash]int32{},
		state:   make([]int32, len(a.devices)),
		onIt:    make([]bool, len(a.devices)),
		isDirty: make([]bool, len(a.devices)),
		states:  make([]map[string]int32, len(a.devices)),
		outIDs:  map[outcome]int32{},
		lastOut: make([]numbered, len(a.starts)),
	}
	w.moveSet.byText = map[string]int32{}
	w.sol = newSolver(w)
	for i, d := range a.devices {
		w.states[i] = map[string]int32{}
		for _, t := range familyTables(d, a.fam) {
			w.cursors = append(w.cursors, &cursor{table: t, device: i, acts: newActions(t)})
		}
	}
	return w
}

// sweep goes through one part of the space.
func (w *worker) sweep(part span, progress func(int)) {
	w.begin(part.first)
	steps := 0
	for {
		at, ok := w.nextPoint()
		if !ok || part.last.less(at) {
			break
		}
		if steps++; steps&0xfff == 0 {
			progress(w.passed)
			w.passed = 0
		}
		w.step(at)
	}
	w.emit(part.last)
	progress(w.passed)
	w.passed = 0
}

// begin puts everything at the first point of a part.
func (w *worker) begin(at number) {
	w.point, w.heap = at, w.heap[:0]
	for i, c := range w.cursors {
		c.start(at, w.fam)
		if !c.done {
			w.push(int32(i))
		}
	}
	w.region = w.addressFacts.regionAt(at)
	w.place = w.addressFacts.regions[w.region]
	w.hash, w.branching = classHash{}, 0
	for d := range w.devices {
		w.refresh(int32(d))
		for _, n := range w.graph.byDevice[d] {
			w.now[n] = w.does(n, int32(d), at)
			w.branching += w.branches(w.now[n])
			h := mix(n, w.now[n])
			w.hash.a, w.hash.b = w.hash.a^h.a, w.hash.b^h.b
			w.sol.turned(n)
		}
	}
}

// nextPoint is the next address at which a table changes, or what lies at addresses.
func (w *worker) nextPoint() (number, bool) {
	var at number
	ok := false
	if len(w.heap) > 0 {
		at, ok = w.heap[0].next, true
	}
	if w.region+1 < len(w.addressFacts.cuts) {
		if cut := w.addressFacts.cuts[w.region+1]; !ok || cut.less(at) {
			return cut, true
		}
	}
	return at, ok
}

// step moves to a point: what changes there ends the range before it.
func (w *worker) step(at number) {
	for len(w.heap) > 0 && w.heap[0].next == at {
		c := w.cursors[w.heap[0].cursor]
		was, i := c.now, c.i
		c.advance()
		w.passed += c.i - i
		if c.done {
			w.popTop()
		} else {
			w.heap[0].next = c.next
			w.sink()
		}
		if c.now != was {
			w.markDirty(int32(c.device))
		}
	}
	old := w.place
	moved := false
	if w.region+1 < len(w.addressFacts.cuts) && w.addressFacts.cuts[w.region+1] == at {
		w.region++
		w.place = w.addressFacts.regions[w.region]
		moved = true
		for d := range w.devices {
			if w.onIt[d] {
				w.markDirty(int32(d))
			}
		}
		for _, list := range [][]*network.Device{old.irregular, w.place.irregular} {
			for _, d := range list {
				w.markDirty(w.deviceIndex[d])
			}
		}
	}
	w.changes = w.changes[:0]
	for _, d := range w.dirty {
		w.isDirty[d] = false
		w.refresh(d)
		for _, n := range w.graph.byDevice[d] {
			if m := w.does(n, d, at); m != w.now[n] {
				w.changes = append(w.changes, turn{n, m})
			}
		}
	}
	w.dirty = w.dirty[:0]
	if len(w.changes) == 0 && !(moved && (old.someone() || w.place.someone())) {
		return
	}
	here := w.place
	w.place = old
	w.emit(at.previous())
	w.place, w.point = here, at
	for _, c := range w.changes {
		h, g := mix(c.node, w.now[c.node]), mix(c.node, c.moves)
		w.hash.a, w.hash.b = w.hash.a^h.a^g.a, w.hash.b^h.b^g.b
		w.branching += w.branches(c.moves) - w.branches(w.now[c.node])
		w.now[c.node] = c.moves
		w.sol.turned(c.node)
	}
}

// branches is 1 for moves to more than one next node, else 0.
func (w *worker) branches(m int32) int {
	if len(w.moveSet.all[m].next) > 1 {
		return 1
	}
	return 0
}

func (w *worker) markDirty(d int32) {
	if !w.isDirty[d] {
		w.isDirty[d] = true
		w.dirty = append(w.dirty, d)
	}
}

// refresh numbers what a device's tables say at the point.
func (w *worker) refresh(d int32) {
	tables := w.tables[d]
	w.onIt[d] = w.fresh[d]
	for _, i := range tables {
		c := w.cursors[i]
		w.onIt[d] = w.onIt[d] || c.acts.addressFacts[c.now]
	}
	if len(tables) == 1 {
		w.state[d] = w.cursors[tables[0]].now
		return
	}
	w.text = w.text[:0]
	for _, i := range tables {
		w.text = binary.LittleEndian.AppendUint32(w.text, uint32(w.cursors[i].now))
	}
	id, ok := w.states[d][string(w.text)]
	if !ok {
		id = int32(len(w.states[d]))
		w.states[d][string(w.text)] = id
	}
	w.state[d] = id
}

// does returns what a node does with packets to the point, as a number in the moveSet.
func (w *worker) does(n, d int32, at number) int32 {
	local := w.onIt[d] || slices.Contains(w.place.irregular, w.devices[d])
	s := w.state[d]
	if !local {
		if m := w.memo[n]; int(s) < len(m) && m[s] != 0 {
			return m[s] - 1
		}
	}
	dst := at.addr(w.fam)
	find := func(t *network.Table) selection.Match {
		for _, i := range w.tables[d] {
			if c := w.cursors[i]; c.table == t {
				if w.fresh[d] {
					return selection.Longest(t, dst)
				}
				if c.group < 0 {
					return selection.Match{}
				}
				return selection.At(t, t.Group(c.group))
			}
		}
		return selection.Match{}
	}
	m := w.record(w.walker.Moves(dst, w.graph.lookupPoints[n], find), w.home)
	if !local {
		for int(s) >= len(w.memo[n]) {
			w.memo[n] = append(w.memo[n], make([]int32, max(8, int(s)+1-len(w.memo[n])))...)
		}
		w.memo[n][s] = m + 1
	}
	return m
}

// someone reports whether anybody may be expected there.
func (r *region) someone() bool { return r.start >= 0 || r.down >= 0 }

// nobody reports whether no host and no device can be there, though a network is.
func (r *region) nobody() bool { return r.net.IsValid() && !r.someone() }

// home reports whether the current region's addresses belong to a device.
func (w *worker) home(d *network.Device) bool {
	return len(w.place.homes) == 0 || slices.Contains(w.place.homes, d)
}

// emit closes the current range at its last address.
func (w *worker) emit(last number) {
	w.ranges++
	id, ok := w.classes[w.hash]
	solved := false
	if !ok {
		id = int32(len(w.found))
		w.classes[w.hash] = id
		w.sol.solve()
		solved = true
		w.found = append(w.found, class{bad: w.alone()})
		if w.tellWays {
			w.found[id].now = slices.Clone(w.now)
		}
	}
	c := &w.found[id]
	s := span{w.point, last}
	for _, b := range c.bad {
		for int(b) >= len(w.worthTelling) {
			w.worthTelling = append(w.worthTelling, spanList{})
		}
		w.worthTelling[b].add(s)
	}
	if !w.place.someone() && !w.tellWays {
		return
	}
	if c.column == nil {
		if !solved {
			w.sol.solve()
		}
		c.column = w.column()
		c.sum = hashColumn(c.column)
	}
	if w.keepsRanges {
		w.spots = append(w.spots, spot{s, id, w.hash})
	}
	if !w.place.someone() {
		w.addBeyond(s, id)
		return
	}
	w.addEnd(s, id)
}

// addEnd keeps a range of a class in which somebody may be.
func (w *worker) addEnd(s span, id int32) {
	c := &w.found[id]
	w.ends = append(
		w.ends,
		end{
			span:   s,
			net:    w.place.net,
			owner:  w.place.owner,
			start:  w.place.start,
			down:   w.place.down,
			exact:  w.place.exact,
			column: c.column,
			sum:    c.sum,
			class:  w.hash,
			policy: w.addressFacts.policyAt(s.first),
			at:     classAt{w, id},
		},
	)
}

// alone lists the causes of the class just solved that are worth telling though nobody captured is behind.
func (w *worker) alone() []int32 {
	var out []int32
	for n := range w.graph.transit {
		if !w.graph.entered[n] {
			continue
		}
		for _, b := range w.moveSet.all[w.now[n]].bad {
			if !slices.Contains(out, b) {
				out = append(out, b)
			}
		}
		if o := &w.sol.out[n]; o.verdict == forward.Loops && !slices.Contains(out, o.cause) {
			out = append(out, o.cause)
		}
	}
	return out
}

// column lists the outcomes of the class just solved by start set.
func (w *worker) column() []int32 {
	out := make([]int32, len(w.starts))
	for i := range w.starts {
		out[i] = w.outcomeFrom(i)
	}
	return out
}

// outcomeFrom numbers the outcome of one start set, of whose nodes the outcomes are known.
func (w *worker) outcomeFrom(start int) int32 {
	set := w.starts[start]
	last := &w.lastOut[start]
	if n := set.nodes[0]; len(set.nodes) == 1 && !set.returns[0] && !w.tellWays && set.held != topology.HeldByNone {
		switch o := &w.sol.out[n]; {
		case o.verdict == forward.Arrives && !o.elsewhere && !o.beyondDestination:
			return fine
		case last.known && *o == last.outcome && set.held == topology.HeldByThese: // of most start sets it seldom changes
			return last.id
		}
	}
	var all outcome
	for j, n := range set.nodes {
		o := w.sol.out[n]
		if set.returns[j] && w.comesBack(n) {
			o.beyondDestination = true
		}
		if j == 0 {
			all = o
			continue
		}
		if !slices.ContainsFunc(set.nodes[:j], func(m int32) bool { return w.sol.out[m].way == o.way }) {
			all.way += o.way
		}
		if o.verdict > all.verdict {
			all.verdict, all.cause, all.split = o.verdict, o.cause, o.split
		}
		all.arrives, all.elsewhere, all.beyondDestination = all.arrives || o.arrives, all.elsewhere || o.elsewhere,
			all.beyondDestination || o.beyondDestination
	}
	if all.verdict == forward.Arrives {
		all.cause, all.split = -1, -1
	}
	set.settle(&all)
	if last.known && last.outcome == all {
		return last.id
	}
	id, ok := w.outIDs[all]
	if !ok {
		id = w.reg.outcome(all)
		w.outIDs[all] = id
	}
	*last = numbered{all, id, true}
	return id
}

// comesBack reports whether a device's own packets may meet it again.
func (w *worker) comesBack(n int32) bool {
	d := w.graph.device[n]
	seen := map[int32]bool{}
	todo := []int32{n}
	for len(todo) > 0 {
		x := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		for _, y := range w.moveSet.all[w.now[x]].next {
			if w.graph.device[y] == d {
				return true
			}
			if !seen[y] {
				seen[y] = true
				todo = append(todo, y)
			}
		}
	}
	return false
}
