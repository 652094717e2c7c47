package audit

import (
	"iter"
	"math"
	"runtime"
	"slices"
	"sync"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
)

// A block is every pair of some groups and some others, packets between which end in one way. Where neither end needs a
// look of its own, the outcome at the place where packets start tells it for all who start there: a network that has
// fallen apart has few blocks of very many pairs.
type block struct {
	fate
	from []int32 // groups, in order
	to   runs
}

// fate is what becomes of the pairs of a block.
type fate struct {
	both         forward.Both
	cause, split int32
}

// holds reports whether a pair is in the block.
func (b *block) holds(from, to int32) bool {
	_, f := slices.BinarySearch(b.from, from)
	t, ok := b.to.atLeast(to)
	return f && ok && t == to
}

// lostPairs is pairs of groups that are not two-way, one by one in the order of their destinations and sources, and in
// blocks. No pair is in it twice.
type lostPairs struct {
	pairs  []pair
	blocks []block
}

func (l *lostPairs) empty() bool { return len(l.pairs) == 0 && len(l.blocks) == 0 }

// all yields every pair, in the order of the destinations and sources.
func (l *lostPairs) all() iter.Seq[pair] {
	return func(yield func(pair) bool) {
		rest, last := l.pairs, int32(-1)
		for {
			to := int32(math.MaxInt32)
			if len(rest) > 0 {
				to = rest[0].to
			}
			for _, b := range l.blocks {
				if t, ok := b.to.atLeast(last + 1); ok {
					to = min(to, t)
				}
			}
			if to == math.MaxInt32 {
				return
			}
			last = to
			var here []pair
			for ; len(rest) > 0 && rest[0].to == to; rest = rest[1:] {
				here = append(here, rest[0])
			}
			for _, b := range l.blocks {
				if t, ok := b.to.atLeast(to); !ok || t != to {
					continue
				}
				for _, from := range b.from {
					here = append(here, pair{from: from, to: to, both: b.both, cause: b.cause, split: b.split})
				}
			}
			slices.SortFunc(here, func(x, y pair) int { return int(x.from) - int(y.from) })
			for _, p := range here {
				if !yield(p) {
					return
				}
			}
		}
	}
}

// oneTo reports whether there are blocks alone, all to the same groups.
func (l *lostPairs) oneTo() bool {
	return len(l.pairs) == 0 && len(l.blocks) > 0 &&
		!slices.ContainsFunc(l.blocks, func(b block) bool { return !slices.Equal(b.to, l.blocks[0].to) })
}

// first is the first of all; there must be one.
func (l *lostPairs) first() pair {
	for p := range l.all() {
		return p
	}
	return pair{}
}

// troubles says where to look for pairs that are not two-way.
type troubles struct {
	a       *auditor
	byStart [][]int32 // groups by the start set of what they send, without exact
	back    [][]int32 // by start set: groups of which packets from there have an outcome that is not fine; few of them
	most    []bool    // by start set: they are most, and are not listed
	exact   []int32   // groups that need a look in every pair
	whole   []bool    // of each outcome: that of all who start there, whoever it is
	// the start sets of those who may need no routing to reach a group: of its device, and in its network
	ofDevice       map[*network.Device][]int32
	inNet, hostsIn [][]int32
}

// newTroubles sorts groups by where they start and notes which outcomes need a look. It reads every column once: time
// and room grow with groups times start sets.
func (a *auditor) newTroubles() *troubles {
	n := len(a.starts)
	t := &troubles{a: a, byStart: make([][]int32, n), back: make([][]int32, n),
		ofDevice: map[*network.Device][]int32{}, inNet: make([][]int32, len(a.nets)),
		hostsIn: make([][]int32, len(a.nets))}
	bad := make([]int, n)
	for _, g := range a.groups {
		for s, o := range g.column {
			if o != fine {
				bad[s]++
			}
		}
	}
	for _, n := range bad {
		t.most = append(t.most, 2*n > len(a.groups))
	}
	for i, g := range a.groups {
		for s, o := range g.column {
			if o != fine && !t.most[s] {
				t.back[s] = append(t.back[s], int32(i))
			}
		}
		switch start := int32(g.start); {
		case g.exact:
			t.exact = append(t.exact, int32(i))
		case start >= 0:
			t.byStart[start] = append(t.byStart[start], int32(i))
			net := a.netOf[i]
			t.inNet[net] = appendNew(t.inNet[net], start)
			if g.owner != nil {
				t.ofDevice[g.owner] = appendNew(t.ofDevice[g.owner], start)
			} else {
				t.hostsIn[net] = appendNew(t.hostsIn[net], start)
			}
		}
	}
	for i := range a.reg.outcomes.len() {
		o := a.reg.outcomes.at(i)
		t.whole = append(t.whole, o.verdict != forward.Arrives && !o.beyondDestination && !o.elsewhere)
	}
	return t
}

func appendNew(list []int32, x int32) []int32 {
	if slices.Contains(list, x) {
		return list
	}
	return append(list, x)
}

// blocked tells which pairs to a group are in blocks. It is of one goroutine.
type blocked struct {
	*troubles
	group *group
	none  bool    // of the group's pairs
	mark  int32   // of the group, in kin
	kin   []int32 // of each start set: the last group that somebody who starts there may reach without routing
}

func newBlocked(t *troubles) *blocked {
	return &blocked{troubles: t, kin: make([]int32, len(t.byStart))}
}

// at goes to a group.
func (b *blocked) at(d int) {
	b.group, b.mark = b.a.groups[d], int32(d)+1
	if b.none = b.a.overlaps || b.group.exact || b.group.start < 0 || b.group.down >= 0; b.none {
		return
	}
	near := [][]int32{b.inNet[b.a.netOf[d]], nil}
	if b.group.owner != nil {
		near = [][]int32{b.hostsIn[b.a.netOf[d]], b.ofDevice[b.group.owner]}
	}
	for _, list := range near {
		for _, s := range list {
			b.kin[s] = b.mark
		}
	}
}

// tells reports whether the pairs from one start set to the group are in a block, but for those of exact groups.
func (b *blocked) tells(start int) bool {
	return !b.none && b.whole[b.group.column[start]] && b.kin[start] != b.mark
}

// blocks finds the blocks, in the order of their first pairs.
func (a *auditor) blocks(t *troubles) []block {
	parts := make([]blockList, min(runtime.GOMAXPROCS(0), max(len(a.groups), 1)))
	var wg sync.WaitGroup
	for i := range parts {
		wg.Go(func() {
			parts[i] = newBlockList(t)
			b := newBlocked(t)
			for d := len(a.groups) * i / len(parts); d < len(a.groups)*(i+1)/len(parts); d++ {
				b.at(d)
				if b.none {
					continue
				}
				for s, o := range b.group.column {
					if b.whole[o] && len(t.byStart[s]) > 0 && b.tells(s) {
						parts[i].add(s, o, int32(d))
					}
				}
			}
		})
	}
	wg.Wait()
	all := parts[0]
	for _, p := range parts[1:] {
		for i, x := range p.list {
			b := &all.list[all.at(p.keys[i])]
			for _, s := range x.to {
				b.to.join(s)
			}
		}
	}
	return all.list
}

// blockList gathers blocks by start sets and what happens to what is sent there.
type blockList struct {
	*troubles
	list   []block
	keys   []blockKey // of each in list
	byKey  map[blockKey]int32
	last   []int32 // of each start set: the last outcome
	lastIn []int32 // and the number in list of its block
}

type blockKey struct {
	start int
	fate
}

func newBlockList(t *troubles) blockList {
	return blockList{troubles: t, byKey: map[blockKey]int32{}, last: make([]int32, len(t.byStart)),
		lastIn: make([]int32, len(t.byStart))}
}

// at is the number in list of a block.
func (l *blockList) at(k blockKey) int32 {
	i, ok := l.byKey[k]
	if !ok {
		i = int32(len(l.list))
		l.byKey[k] = i
		l.list, l.keys = append(l.list, block{fate: k.fate, from: l.byStart[k.start]}), append(l.keys, k)
	}
	return i
}

// add puts packets from a start set to a group, of that outcome, into their block.
func (l *blockList) add(start int, outcome, to int32) {
	if l.last[start] != outcome { // 0 is fine, and in no block
		o := l.a.reg.outcomes.at(outcome)
		k := blockKey{start, fate{forward.BothUnknown, o.cause, -1}}
		if o.verdict > forward.Unknown {
			k.fate = fate{forward.Broken, o.cause, o.split}
		}
		l.last[start], l.lastIn[start] = outcome, l.at(k)
	}
	b := &l.list[l.lastIn[start]]
	b.to.add(to)
}
