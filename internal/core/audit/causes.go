package audit

import (
	"cmp"
	"math"
	"net/netip"
	"slices"

	"zarvek/internal/core/forward"
)

// byCause gathers the pairs and ranges of one cause, which become one finding.
type byCause struct {
	cause *cause
	split int32
	hint  hint // of a missing route: where it should lead
	lostPairs
	place uint64 // of the first pair, in the order of all
	spans []span
}

// causes gathers what is lost by what it is lost at.
type causes struct {
	a       *auditor
	byKey   map[causesKey]int32
	list    []*byCause
	hints   []hint    // the first is the zero hint
	hintOf  [][]int32 // by cause and network: 1 + index in hints; 0: not asked yet; empty where there is none
	numbers map[hint]int32
}

type causesKey struct{ cause, split, hint int32 }

func (a *auditor) newCauses() *causes {
	return &causes{a: a, byKey: map[causesKey]int32{}, hints: []hint{{}}, numbers: map[hint]int32{{}: 0},
		hintOf: make([][]int32, a.reg.causes.len())}
}

// at is the number in list of what is lost at a cause.
func (c *causes) at(k causesKey) int32 {
	i, ok := c.byKey[k]
	if !ok {
		i = int32(len(c.list))
		c.byKey[k] = i
		c.add(k)
	}
	return i
}

func (c *causes) add(k causesKey) *byCause {
	g := &byCause{cause: c.a.reg.causeAt(k.cause), split: k.split, hint: c.hints[k.hint], place: math.MaxUint64}
	c.list = append(c.list, g)
	return g
}

// meet notes a pair that may be the first.
func (g *byCause) meet(from, to int32) { g.place = min(g.place, uint64(to)<<32|uint64(from)) }

// mayHint reports whether a cause is a missing route of a device that has somewhere to send to.
func (c *causes) mayHint(number int32) bool {
	x := c.a.reg.causeAt(number)
	if x.key.verdict != forward.NoRoute && x.key.verdict != forward.Leaves || x.device == nil {
		return false
	}
	if c.hintOf[number] == nil {
		c.hintOf[number] = []int32{}
		if c.a.hints().neighbours(x.device) {
			c.hintOf[number] = make([]int32, len(c.a.nets))
		}
	}
	return len(c.hintOf[number]) > 0
}

// hintFor numbers where a missing route of a cause to a network should lead.
func (c *causes) hintFor(number, net int32) int32 {
	if !c.mayHint(number) {
		return 0
	}
	x := c.a.reg.causeAt(number)
	known := &c.hintOf[number][net]
	if *known == 0 {
		h := c.newHint(x, c.a.nets[net])
		i, ok := c.numbers[h]
		if !ok {
			i = int32(len(c.hints))
			c.numbers[h] = i
			c.hints = append(c.hints, h)
		}
		*known = i + 1
	}
	return *known - 1
}

// newHint finds where a missing route of a cause to a network should lead. That nobody routes networks between devices
// is a matter of its own, and one of the device, whichever neighbours they lie at.
func (c *causes) newHint(x *cause, net netip.Prefix) hint {
	worth := c.a.worth(net)
	if worth == Note && x.key.verdict == forward.NoRoute {
		return hint{betweenDevices: c.a.hints().leads(x.device, x.key.table, net)}
	}
	l, ok := c.a.hints().toward(x.device, x.key.table, net)
	if !ok {
		return hint{}
	}
	return hint{hop: l.hop, ifname: l.ifname, worth: worth}
}

// gather parts what is lost by cause, in the order of the first pairs.
func (c *causes) gather(lost lostPairs) {
	of := make([]int32, len(lost.pairs))
	var counts []int
	for i, p := range lost.pairs {
		if p.cause < 0 {
			of[i] = -1
			continue
		}
		n := c.at(causesKey{p.cause, p.split, c.hintFor(p.cause, c.a.netOf[c.a.lostTo(p)])})
		of[i] = n
		if int(n) == len(counts) {
			counts = append(counts, 0)
		}
		counts[n]++
	}
	all := make([]pair, len(lost.pairs))
	for n, g := range c.list {
		g.pairs, all = all[:0:counts[n]], all[counts[n]:]
	}
	for i, p := range lost.pairs {
		if of[i] >= 0 {
			g := c.list[of[i]]
			g.pairs = append(g.pairs, p)
			g.meet(p.from, p.to)
		}
	}
	for _, b := range lost.blocks {
		if b.cause >= 0 {
			c.part(b)
		}
	}
	slices.SortStableFunc(c.list, func(x, y *byCause) int { return cmp.Compare(x.place, y.place) })
}

// part gives a block to its cause, in parts where missing routes should lead different ways.
func (c *causes) part(b block) {
	if !c.mayHint(b.cause) {
		g := c.list[c.at(causesKey{b.cause, b.split, 0})]
		g.blocks = append(g.blocks, b)
		g.meet(b.from[0], b.to[0].first)
		return
	}
	byHint := map[int32]*runs{}
	var order []int32
	var net int32 = -1
	var here *runs
	for d := range b.to.all() {
		if n := c.a.netOf[d]; n != net {
			net = n
			h := c.hintFor(b.cause, n)
			if byHint[h] == nil {
				byHint[h] = &runs{}
				order = append(order, h)
			}
			here = byHint[h]
		}
		here.add(d)
	}
	for _, h := range order {
		g := c.list[c.at(causesKey{b.cause, b.split, h})]
		g.blocks = append(g.blocks, block{b.fate, b.from, *byHint[h]})
		g.meet(b.from[0], (*byHint[h])[0].first)
	}
}
