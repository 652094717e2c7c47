package audit

import "zarvek/internal/core/forward"

// byCause gathers the pairs and ranges of one cause, which become one finding.
type byCause struct {
	cause *cause
	split int32
	hint  hint // of a missing route: where it should lead
	pairs []pair
	spans []span
}

// causes gathers what is lost by what it is lost at.
type causes struct {
	a       *auditor
	byKey   map[causesKey]int32
	list    []*byCause
	hints   []hint    // the first is the zero hint
	hintOf  [][]int32 // by cause and network: 1 + index in hints; 0: not asked yet
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
		c.list = append(c.list, &byCause{cause: c.a.reg.causeAt(k.cause), split: k.split, hint: c.hints[k.hint]})
	}
	return i
}

// hintFor numbers where a missing route of a cause to a network should lead.
func (c *causes) hintFor(number, net int32) int32 {
	x := c.a.reg.causeAt(number)
	if x.key.verdict != forward.NoRoute && x.key.verdict != forward.Leaves || x.device == nil {
		return 0
	}
	if c.hintOf[number] == nil {
		c.hintOf[number] = make([]int32, len(c.a.nets))
	}
	known := &c.hintOf[number][net]
	if *known == 0 {
		var h hint
		if l, ok := c.a.hints().toward(x.device, x.key.table, c.a.nets[net]); ok {
			// that nobody routes networks between devices is a matter of its own
			h = hint{l.hop, l.ifname, c.a.worth(c.a.nets[net])}
		}
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

// gather parts the pairs by cause.
func (c *causes) gather(lost []pair) {
	of := make([]int32, len(lost))
	var counts []int
	for i, p := range lost {
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
	all := make([]pair, len(lost))
	for n, g := range c.list {
		g.pairs, all = all[:0:counts[n]], all[counts[n]:]
	}
	for i, p := range lost {
		if of[i] >= 0 {
			g := c.list[of[i]]
			g.pairs = append(g.pairs, p)
		}
	}
}
