package audit

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/forward"
)

// A Step is what a device does at the place where the ways of two snapshots part.
type Step struct {
	Device string
	Table  string
	Moves  []forward.Move // empty where the snapshot has no such device or table
	Start  bool           // the ways part before any device: packets start elsewhere
	Starts []string       // the devices at which they do, where Start is set
}

// Part finds the first device, in the order of the ways, at which packets from an end of before to dst do something
// else than those of after; both are of one pair of addresses. False where every device on the way does the same.
func Part(before, after *Reach, s, d [2]int, dst netip.Addr) (was, is Step, found bool) {
	x, y := before.node(s[0], d[0]), after.node(s[1], d[1])
	elsewhere := func() (was, is Step, found bool) {
		return Step{Start: true, Starts: x.starts()}, Step{Start: true, Starts: y.starts()}, true
	}
	if x.start < 0 || y.start < 0 {
		return elsewhere()
	}
	todo := y.a.starts[y.start].nodes
	same := func(m, n int32) bool { return alike(x.key(m), y.key(n)) }
	if !slices.EqualFunc(x.a.starts[x.start].nodes, todo, same) {
		return elsewhere()
	}
	todo = slices.Clone(todo)
	seen := map[int32]bool{}
	for i := 0; i < len(todo); i++ {
		n := todo[i]
		if seen[n] {
			continue
		}
		seen[n] = true
		m, ok := x.find(y.key(n))
		there := y.moves(n)
		if !ok || x.moves(m).sum != there.sum {
			return x.step(y.key(n), dst), y.step(y.key(n), dst), true
		}
		todo = append(todo, there.next...)
	}
	return Step{}, Step{}, false
}

// standpoint is one destination's class, with the place where packets start.
type standpoint struct {
	a     *auditor
	at    classAt
	start int
}

func (r *Reach) node(s, d int) standpoint {
	return standpoint{r.a, r.a.groups[d].at, r.a.groups[s].start}
}

func (p standpoint) key(n int32) forward.PointKey { return p.a.graph.lookupPoints[n].Key() }

func (p standpoint) moves(n int32) *moves {
	return &p.at.w.moveSet.all[p.at.w.found[p.at.id].now[n]]
}

// starts names the devices at which packets start.
func (p standpoint) starts() []string {
	var out []string
	if p.start < 0 {
		return nil
	}
	for _, n := range p.a.starts[p.start].nodes {
		if name := p.key(n).Device; !slices.Contains(out, name) {
			out = append(out, name)
		}
	}
	return out
}

// alike reports whether two keys are of one point: where no rule of one snapshot looks at the interface, its key has
// none.
func alike(j, k forward.PointKey) bool {
	if j.Ingress == "" || k.Ingress == "" {
		j.Ingress, k.Ingress = "", ""
	}
	return j == k
}

func (p standpoint) find(k forward.PointKey) (int32, bool) {
	i, ok := p.a.byName[k.Device]
	if !ok {
		return 0, false
	}
	for _, n := range p.a.graph.byDevice[i] {
		if alike(p.key(n), k) {
			return n, true
		}
	}
	return 0, false
}

func (p standpoint) step(k forward.PointKey, dst netip.Addr) Step {
	s := Step{Device: k.Device, Table: k.Table}
	if n, ok := p.find(k); ok {
		s.Moves = p.a.walker.Moves(dst, p.a.graph.lookupPoints[n], nil)
	}
	return s
}

// PartByPackets is Part for pairs that are judged by a packet each: it compares the branches hop by hop. Reply asks for
// the way of the answer.
func PartByPackets(before, after *Reach, src, dst netip.Addr, reply bool) (was, is Step, found bool) {
	x, y := before.a.walker.Trace(src, dst), after.a.walker.Trace(src, dst)
	one, two := &x.Forward, &y.Forward
	if reply {
		one, two = x.Return, y.Return
	}
	if one == nil || two == nil {
		return startAt(""), startAt(""), (one == nil) != (two == nil)
	}
	for i := range max(len(one.Branches), len(two.Branches)) {
		b, c := branchAt(one, i), branchAt(two, i)
		for k := range max(len(b.Hops), len(c.Hops), 1) {
			was, is = stepOf(b, k), stepOf(c, k)
			if k == 0 && was.Device != is.Device {
				return startAt(was.Device), startAt(is.Device), true
			}
			if !sameMove(was, is) {
				return was, is, true
			}
		}
	}
	return Step{}, Step{}, false
}

// startAt is the step of packets that start at a device, "" for nowhere.
func startAt(device string) Step {
	s := Step{Start: true}
	if device != "" {
		s.Starts = []string{device}
	}
	return s
}

// branchAt is the branch of that number, the last one where there are fewer.
func branchAt(d *forward.Direction, i int) forward.Branch {
	if len(d.Branches) == 0 {
		return forward.Branch{}
	}
	return d.Branches[min(i, len(d.Branches)-1)]
}

// stepOf is the step of a branch at its hop k, empty behind its end.
func stepOf(b forward.Branch, k int) Step {
	if k >= len(b.Hops) {
		return Step{Device: b.Where}
	}
	m := forward.Move{Hop: b.Hops[k], Verdict: forward.GoesOn}
	if k == len(b.Hops)-1 {
		m.Verdict, m.Delivery, m.Reason = b.Verdict, b.Delivery, b.Reason
	}
	return Step{Device: b.Hops[k].Device, Table: b.Hops[k].Table, Moves: []forward.Move{m}}
}

// sameMove reports whether two steps of one place lead the same way.
func sameMove(x, y Step) bool {
	if len(x.Moves) != len(y.Moves) || x.Device != y.Device || x.Table != y.Table {
		return false
	}
	return slices.EqualFunc(x.Moves, y.Moves, func(m, n forward.Move) bool {
		return m.Verdict == n.Verdict && m.Reason.Code == n.Reason.Code && m.Hop.NextHop == n.Hop.NextHop &&
			m.Hop.OutInterface == n.Hop.OutInterface
	})
}
