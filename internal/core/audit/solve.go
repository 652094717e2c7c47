package audit

import (
	"math/bits"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
)

// solver finds what becomes of the packets of one class from every node at once: strongly connected components (Tarjan
// 1972) in the order in which they are finished, so that every successor's outcome is known before.
type solver struct {
	w       *worker
	low     []int32 // 0: not met; in the order of meeting, from 1
	onStack []bool
	stack   []int32
	calls   []call
	out     []outcome
	loopIDs map[string]int32
	met     int32
	members []*network.Device
	key     []byte
	onward  []uint64 // a bit for each node: there is a next one
	ended   []uint64 // and one for those without that do something else since the last solve
}

type call struct {
	node  int32
	child int
	order int32
}

func newSolver(w *worker) *solver {
	n := len(w.graph.lookupPoints)
	return &solver{
		w:       w,
		low:     make([]int32, n),
		onStack: make([]bool, n),
		out:     make([]outcome, n),
		loopIDs: map[string]int32{},
		onward:  make([]uint64, (n+63)/64),
		ended:   make([]uint64, (n+63)/64),
	}
}

// turned notes that a node does something else now.
func (s *solver) turned(n int32) {
	i, bit := n/64, uint64(1)<<(n%64)
	if len(s.movesOf(n).next) > 0 {
		s.onward[i], s.ended[i] = s.onward[i]|bit, s.ended[i]&^bit
		return
	}
	s.onward[i], s.ended[i] = s.onward[i]&^bit, s.ended[i]|bit
}

// solve fills s.out for every node by what they do now. Where packets end at once only what has turned is looked at: of
// many devices that know nothing of each other few do anything else from one range to the next.
func (s *solver) solve() {
	s.begin()
	each(s.ended, func(n int32) { s.out[n] = s.combine(n) })
	clear(s.ended)
	each(s.onward, s.settle)
}

// each calls a function for the number of every bit that is set, in order.
func each(set []uint64, do func(int32)) {
	for i, word := range set {
		for ; word != 0; word &= word - 1 {
			do(int32(i*64 + bits.TrailingZeros64(word)))
		}
	}
}

// settle fills s.out for a node from which packets go on; all below it are done.
func (s *solver) settle(n int32) {
	if int(n) >= s.w.graph.transit {
		if received := s.w.graph.received[n]; received >= 0 && s.w.now[received] == s.w.now[n] {
			s.out[n] = s.out[received]
			return
		}
		s.out[n] = s.combine(n)
		return
	}
	switch {
	case s.low[n] != 0:
	case s.w.branching == 0:
		s.chain(n)
	default:
		s.visit(n)
	}
}

// begin forgets all outcomes.
func (s *solver) begin() {
	clear(s.low)
	s.met = 0
}

// reach fills s.out for one node.
func (s *solver) reach(n int32) {
	if int(n) < s.w.graph.transit {
		if s.low[n] == 0 {
			s.visit(n)
		}
		return
	}
	if received := s.w.graph.received[n]; received >= 0 && s.w.now[received] == s.w.now[n] {
		s.reach(received)
		s.out[n] = s.out[received]
		return
	}
	for _, m := range s.movesOf(n).next {
		s.reach(m)
	}
	s.out[n] = s.combine(n)
}

// settled marks a node of which the outcome is known, where no node has more than one next one.
const settled = -1

// chain follows the one way on from a node where no node has two: no components need to be searched then. A node on the
// way is marked with its place on it, from 1.
func (s *solver) chain(n int32) {
	way := s.stack[:0]
	for {
		way = append(way, n)
		s.low[n] = int32(len(way))
		next := s.movesOf(n).next
		if len(next) == 0 {
			break
		}
		if n = next[0]; s.low[n] == settled {
			break
		}
		if at := s.low[n]; at > 0 {
			s.round(way[at-1:])
			for _, x := range way[at-1:] {
				s.low[x] = settled
			}
			way = way[:at-1]
			break
		}
	}
	for i := len(way) - 1; i >= 0; i-- {
		s.out[way[i]] = s.combine(way[i])
		s.low[way[i]] = settled
	}
	s.stack = way[:0]
}

func (s *solver) movesOf(n int32) *moves { return &s.w.moveSet.all[s.w.now[n]] }

// visit is the depth-first search from one node, without recursion.
func (s *solver) visit(root int32) {
	s.enter(root)
	for len(s.calls) > 0 {
		c := &s.calls[len(s.calls)-1]
		next := s.movesOf(c.node).next
		if c.child < len(next) {
			m := next[c.child]
			c.child++
			switch {
			case s.low[m] == 0:
				s.enter(m)
			case s.onStack[m]:
				s.low[c.node] = min(s.low[c.node], s.low[m])
			}
			continue
		}
		node, order := c.node, c.order
		s.calls = s.calls[:len(s.calls)-1]
		if n := len(s.calls); n > 0 {
			up := s.calls[n-1].node
			s.low[up] = min(s.low[up], s.low[node])
		}
		if s.low[node] == order {
			s.finish(node)
		}
	}
}

func (s *solver) enter(n int32) {
	s.met++
	s.low[n] = s.met
	s.onStack[n] = true
	s.stack = append(s.stack, n)
	s.calls = append(s.calls, call{node: n, order: s.met})
}

// finish takes the component of root off the stack and gives its nodes their outcome.
func (s *solver) finish(root int32) {
	i := len(s.stack) - 1
	for s.stack[i] != root {
		i--
	}
	group := s.stack[i:]
	s.stack = s.stack[:i]
	for _, n := range group {
		s.onStack[n] = false
	}
	if len(group) == 1 {
		self := false
		for _, m := range s.movesOf(root).next {
			self = self || m == root
		}
		if !self {
			s.out[root] = s.combine(root)
			return
		}
	}
	s.round(group)
}

// round gives the nodes of a loop their outcome.
func (s *solver) round(group []int32) {
	o := outcome{verdict: forward.Loops, split: -1, cause: s.loop(group)}
	for _, n := range group {
		m := s.movesOf(n)
		if s.w.tellWays {
			o.way += waySum("round", s.w.graph.lookupPoints[n].Device().Name, m.sum)
		}
		o.arrives, o.elsewhere, o.beyondDestination = o.arrives ||
			m.arrives, o.elsewhere ||
			m.elsewhere, o.beyondDestination || m.beyondDestination ||
			s.w.graph.beyondDestination[n]
		for _, x := range m.next {
			if far := &s.out[x]; !contains(group, x) {
				if s.w.tellWays {
					o.way += scramble(far.way)
				}
				o.arrives, o.elsewhere, o.beyondDestination = o.arrives ||
					far.arrives, o.elsewhere ||
					far.elsewhere, o.beyondDestination ||
					far.beyondDestination
			}
		}
	}
	for _, n := range group {
		s.out[n] = o
	}
}

func contains(list []int32, x int32) bool {
	for _, v := range list {
		if v == x {
			return true
		}
	}
	return false
}

// loop numbers the loop of a component.
func (s *solver) loop(group []int32) int32 {
	s.key, s.members = s.key[:0], s.members[:0]
	for _, n := range group {
		s.key = append(s.key, byte(n), byte(n>>8), byte(n>>16))
	}
	if id, ok := s.loopIDs[string(s.key)]; ok {
		return id
	}
	for _, n := range group {
		s.members = append(s.members, s.w.graph.lookupPoints[n].Device())
	}
	id := s.w.reg.loop(s.members)
	s.loopIDs[string(s.key)] = id
	return id
}

// combine is the outcome of a node from its endings and its successors' outcomes.
func (s *solver) combine(n int32) outcome {
	m := s.movesOf(n)
	o := outcome{
		verdict:           m.worst,
		cause:             m.cause,
		split:             -1,
		arrives:           m.arrives,
		elsewhere:         m.elsewhere,
		beyondDestination: m.beyondDestination || s.w.graph.beyondDestination[n],
	}
	if s.w.tellWays {
		o.way = waySum("at", s.w.graph.lookupPoints[n].Device().Name, m.sum)
	}
	whole := m.cause >= 0 // the worst way fails from here on whatever equal way is taken further on
	for _, x := range m.next {
		far := &s.out[x]
		if s.w.tellWays {
			o.way += scramble(far.way)
		}
		if far.verdict > o.verdict {
			o.verdict, o.cause, o.split, whole = far.verdict, far.cause, far.split, !far.arrives
		}
		o.arrives, o.elsewhere, o.beyondDestination = o.arrives ||
			far.arrives, o.elsewhere ||
			far.elsewhere, o.beyondDestination ||
			far.beyondDestination
	}
	if o.arrives && o.verdict > forward.Unknown && whole && m.ways > 1 {
		o.split = s.w.graph.device[n]
	}
	return o
}
