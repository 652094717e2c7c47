package audit

import (
	"cmp"
	"net/netip"
	"slices"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
)

// A Matrix is every network of a family against every other, or every host of the notes.
type Matrix struct {
	Family route.Family
	Ends   []MatrixEnd
	Cells  [][]Cell // by source and destination; nothing is asked of a cell of one end with itself
}

// A MatrixEnd is one network or host. Address is the one that stands for it: a trace from and to it tells the same.
type MatrixEnd struct {
	Prefix  netip.Prefix
	Name    string // of a host, "" for networks
	Address netip.Addr
	Link    bool // a network between devices, in which no host is known
}

// A Cell is what becomes of packets from one end to another and of their replies: that of the most addresses of both.
type Cell struct {
	Verdict forward.Both
	Worst   forward.Both // of any of the addresses
	// the reply decides; like what follows it is of Verdict, or of Worst where that alone is bad
	Reply  bool
	Ending forward.Verdict // of the direction that decides
	Device string          // at which that ends, "" where none is known
	Partly bool            // not all of the addresses, or not all of the equal ways, fare alike
	From   netip.Addr      // addresses of which it is true
	To     netip.Addr
	Same   bool // one network, or one device: no routing is needed
}

// MakeMatrix judges all pairs of one family. Hosts asks for the hosts of the notes in place
// of networks.
func MakeMatrix(w *forward.Walker, fam route.Family, hosts bool) *Matrix {
	a := newAuditor(w, fam)
	a.sweepAll(func(int) {})
	if hosts {
		return a.hostMatrix()
	}
	m := &Matrix{Family: fam}
	byNet := map[netip.Prefix][]int32{}
	topo := w.Topology()
	for _, n := range topo.Networks() {
		if route.FamilyOf(n.Addr()) != fam {
			continue
		}
		members := a.members(n)
		if len(members) == 0 {
			continue
		}
		byNet[n] = members
		m.Ends = append(m.Ends, MatrixEnd{Prefix: n, Address: a.groups[members[0]].rep, Link: topo.Transit(n)})
	}
	for _, from := range m.Ends {
		row := make([]Cell, len(m.Ends))
		for j, to := range m.Ends {
			if from.Prefix == to.Prefix {
				row[j].Same = true
				continue
			}
			row[j] = a.cell(byNet[from.Prefix], byNet[to.Prefix])
		}
		m.Cells = append(m.Cells, row)
	}
	return m
}

// members are the groups that stand for a network, the most addresses first: its hosts, else its devices' own
// addresses. Single hosts that nobody answers for stand for nothing.
func (a *auditor) members(n netip.Prefix) []int32 {
	var hosts, own []int32
	for i, g := range a.groups {
		switch {
		case g.net != n || g.start < 0:
		case g.owner == nil && !a.silent(g):
			hosts = append(hosts, int32(i))
		case g.owner != nil:
			own = append(own, int32(i))
		}
	}
	if len(hosts) == 0 {
		return own
	}
	slices.SortStableFunc(hosts, func(x, y int32) int { return cmp.Compare(a.groups[y].size(), a.groups[x].size()) })
	return hosts
}

// silent reports whether a neighbour entry says that nobody answers for a group.
func (a *auditor) silent(g *group) bool {
	if c := &g.at.w.found[g.at.id]; c.silent != notLooked {
		return c.silent == nobody
	}
	return slices.ContainsFunc(g.column, a.reg.silent)
}

// size is how many addresses a group has, as far as a float tells.
func (g *group) size() float64 {
	n := 0.0
	for _, s := range g.spans {
		n += (float64(s.last.hi)-float64(s.first.hi))*(1<<63)*2 + float64(s.last.lo) - float64(s.first.lo) + 1
	}
	return n
}

// cell is the first pair of two lists of groups, with the worst of all beside it.
func (a *auditor) cell(from, to []int32) Cell {
	main, worst := Cell{Same: true}, Cell{Same: true}
	seen := map[forward.Both]bool{}
	for _, s := range from {
		for _, d := range to {
			c := a.cellOf(s, d)
			if c.Same {
				continue
			}
			if main.Same {
				main = c
			}
			if seen[c.Verdict] = true; worst.Same || badness(c) > badness(worst) {
				worst = c
			}
		}
	}
	if main.Verdict == forward.TwoWay && worst.Verdict != forward.TwoWay {
		verdict := main.Verdict
		main = worst
		main.Verdict = verdict
	}
	main.Worst, main.Partly = worst.Verdict, main.Partly || len(seen) > 1
	return main
}

// badness orders verdicts of round trips.
func badness(c Cell) int {
	return map[forward.Both]int{forward.TwoWay: 0, forward.BothUnknown: 1, forward.OneWay: 2,
		forward.Broken: 3}[c.Verdict]
}

// cellOf judges one pair of groups.
func (a *auditor) cellOf(s, d int32) Cell {
	from, to := a.groups[s], a.groups[d]
	c := Cell{From: from.rep, To: to.rep}
	if s == d || same(from, to) {
		c.Same = true
		return c
	}
	p, ok := a.judge(s, d, to.column[from.start], from.column[to.start])
	if !ok {
		c.Verdict, c.Worst = forward.TwoWay, forward.TwoWay
		return c
	}
	c.Verdict, c.Worst, c.Reply, c.Partly = p.both, p.both, p.back, p.split >= 0
	if p.cause >= 0 {
		k := a.reg.causeAt(p.cause).key
		c.Device, c.Ending = k.device, k.verdict
	}
	return c
}

// hostMatrix follows packets between the hosts of the notes, since their own settings count too.
func (a *auditor) hostMatrix() *Matrix {
	m := &Matrix{Family: a.fam}
	for _, h := range a.walker.Topology().Network.Hosts().All() {
		if route.FamilyOf(h.Address) == a.fam {
			m.Ends = append(
				m.Ends,
				MatrixEnd{Prefix: netip.PrefixFrom(h.Address, h.Address.BitLen()), Name: h.Name, Address: h.Address},
			)
		}
	}
	for _, from := range m.Ends {
		row := make([]Cell, len(m.Ends))
		for j, to := range m.Ends {
			row[j] = a.hostCell(from, to)
		}
		m.Cells = append(m.Cells, row)
	}
	return m
}

// hostCell traces from one host to another, since a host is no whole network.
func (a *auditor) hostCell(from, to MatrixEnd) Cell {
	if from.Address == to.Address {
		return Cell{Same: true}
	}
	rt := a.walker.Trace(from.Address, to.Address)
	c := Cell{Verdict: rt.Verdict, Worst: rt.Verdict, From: from.Address, To: to.Address}
	dir := &rt.Forward
	if rt.Forward.Verdict == forward.Arrives && rt.Return != nil {
		dir, c.Reply = rt.Return, true
	}
	if worst, ok := dir.Worst(); ok && rt.Verdict != forward.TwoWay {
		c.Device, c.Ending = worst.Where, worst.Verdict
		c.Partly = slices.ContainsFunc(
			dir.Branches,
			func(b forward.Branch) bool { return b.Verdict == forward.Arrives },
		)
	}
	return c
}

// Tally counts the cells by verdict, those of one end with itself left out.
func (m *Matrix) Tally() map[forward.Both]int {
	n := map[forward.Both]int{}
	for _, row := range m.Cells {
		for _, c := range row {
			if !c.Same {
				n[c.Verdict]++
			}
		}
	}
	return n
}

// Fine reports whether everything is two-way.
func (m *Matrix) Fine() bool {
	for _, row := range m.Cells {
		for _, c := range row {
			if !c.Same && c.Worst != forward.TwoWay {
				return false
			}
		}
	}
	return true
}

// Without returns the matrix without the networks of links between devices.
func (m *Matrix) Without() *Matrix {
	out := &Matrix{Family: m.Family}
	var keep []int
	for i, e := range m.Ends {
		if !e.Link {
			keep = append(keep, i)
			out.Ends = append(out.Ends, e)
		}
	}
	for _, i := range keep {
		var row []Cell
		for _, j := range keep {
			row = append(row, m.Cells[i][j])
		}
		out.Cells = append(out.Cells, row)
	}
	return out
}
