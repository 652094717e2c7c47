package compare

import (
	"fmt"
	"net/netip"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// both is the two networks of one family, before and after, on the same addresses.
type both struct {
	fam    route.Family
	reach  [2]*audit.Reach
	ends   [2][]audit.ReachEnd
	joints []*joint
	topo   [2]*topology.Topology
	// notCompared are devices that were not captured, or not all of their tables, on one of the two sides.
	notCompared []string
}

// difference is one pair of joint ends that fare otherwise.
type difference struct {
	from, to      int
	kind          Kind
	before, after audit.Fate
}

// pairs finds every pair of one family that differs, and groups them.
func (r *Result) pairs(before *Base, after *forward.Walker, fam route.Family, oneNetwork bool, m *meter) {
	b := newBoth(before, after, fam, m.add)
	if !oneNetwork {
		for _, m := range r.Missing {
			if !m.Neighbours {
				b.notCompared = append(b.notCompared, m.Device)
			}
		}
	}
	rows := make([][]difference, len(b.joints))
	var wg sync.WaitGroup
	var same, at atomic.Int64
	for range runtime.GOMAXPROCS(0) {
		wg.Go(func() {
			for i := int(at.Add(1)) - 1; i < len(rows); i = int(at.Add(1)) - 1 {
				if !b.source(b.joints[i]) {
					continue
				}
				for k := range b.joints {
					if b.nobody(b.joints[k]) {
						continue
					}
					if d, ok := b.differ(i, k); ok {
						rows[i] = append(rows[i], d)
					} else {
						same.Add(1)
					}
				}
			}
		})
	}
	wg.Wait()
	r.Same += int(same.Load())
	r.Groups = append(r.Groups, b.group(slices.Concat(rows...))...)
}

// newBoth sweeps two networks and joins their ends; step is told how many routes it went through.
func newBoth(before *Base, after *forward.Walker, fam route.Family, step func(int)) *both {
	b := &both{fam: fam, topo: [2]*topology.Topology{before.walker.Topology(), after.Topology()}}
	var wg sync.WaitGroup
	wg.Go(func() { b.reach[0], b.ends[0] = before.sweep(fam, step) })
	wg.Go(func() {
		b.reach[1] = audit.NewReach(after, fam, step)
		b.ends[1] = b.reach[1].Ends()
	})
	wg.Wait()
	b.joints = join(b.ends[0], b.ends[1])
	return b
}

// source reports whether packets may come from a joint end, before or after.
func (b *both) source(j *joint) bool {
	for i := range 2 {
		if e := b.ends[i][j.ends[i]]; e.Sends || e.Down {
			return true
		}
	}
	return false
}

// nobody reports whether no host or device can be at a joint end, before and after.
func (b *both) nobody(j *joint) bool {
	return b.ends[0][j.ends[0]].Nobody && b.ends[1][j.ends[1]].Nobody
}

// differ compares the fates of packets of a pair.
func (b *both) differ(from, to int) (difference, bool) {
	s, d := b.joints[from], b.joints[to]
	if from == to || b.heardOnce(s) || b.heardOnce(d) {
		return difference{}, false
	}
	x := b.reach[0].Fate(s.ends[0], d.ends[0], s.rep, d.rep)
	y := b.reach[1].Fate(s.ends[1], d.ends[1], s.rep, d.rep)
	if x.Followed != y.Followed { // ways are numbered in two manners
		one := x.OneDirection && y.OneDirection
		x, y = b.reach[0].Follow(s.rep, d.rep, one), b.reach[1].Follow(s.rep, d.rep, one)
	}
	kind, ok := judge(x, y)
	return difference{from, to, kind, x, y}, ok
}

// heardOnce reports whether nobody answers at a joint end by the neighbour entries of one side, while the other side
// has none of the devices beside it: that is no change of the network.
func (b *both) heardOnce(j *joint) bool {
	x, y := b.ends[0][j.ends[0]], b.ends[1][j.ends[1]]
	if x.Silent == y.Silent {
		return false
	}
	side, net := 1, x.Net
	if y.Silent {
		side, net = 0, y.Net
	}
	return !slices.ContainsFunc(b.topo[side].AttachedTo(net), func(a topology.Attachment) bool {
		return a.Device.Neighbours().Len() > 0
	})
}

// level orders fates; the higher, the more arrives.
type level uint8

const (
	lost level = iota
	half
	fine
	untold
)

// levelOf weighs a fate. One of which only the packets' own way counts is weighed by that, where that is so before and
// after.
func levelOf(f audit.Fate, oneDirection bool) level {
	if oneDirection {
		switch {
		case f.Forward == forward.Arrives || f.Forward == forward.Leaves:
			return fine
		case f.Forward == forward.Unknown:
			return untold
		}
		return lost
	}
	switch f.Both {
	case forward.TwoWay:
		return fine
	case forward.OneWay:
		return half
	case forward.Broken:
		return lost
	}
	return untold
}

// judge says what the difference of two fates is, and false where there is none.
func judge(x, y audit.Fate) (Kind, bool) {
	one := x.OneDirection && y.OneDirection
	a, b := levelOf(x, one), levelOf(y, one)
	switch {
	case a == fine && b == fine:
		return OtherWay, x.Out != y.Out || x.Back != y.Back
	case a == b:
		if x.Ending != y.Ending || x.Reply != y.Reply {
			return OtherEnd, true
		}
		other := x.Out != y.Out || x.Back != y.Back
		if a == half {
			return OtherWay, other
		}
		return OtherEnd, other && a == lost
	case b == untold && a == fine:
		return Worse, true
	case a == untold && b == fine:
		return Better, true
	case a == untold || b == untold:
		return Unclear, true
	case b < a:
		return Worse, true
	}
	return Better, true
}

// group puts differences together whose ways part at one decision.
func (b *both) group(all []difference) []Group {
	byKey := map[string]*Group{}
	seen := map[string]map[Pair]bool{}
	var order []string
	for i := range all {
		d := &all[i]
		was, is, reply := b.part(d)
		if d.kind == Better && b.hangsOnMissing(was, is) {
			d.kind = Unclear
		}
		parts := fmt.Sprint(describe(was), "|", describe(is))
		key := d.cause(parts, was.Start || is.Start)
		g := byKey[key]
		if g == nil {
			g = &Group{Kind: d.kind, Family: b.fam, example: -1, partings: map[string]bool{}}
			byKey[key], seen[key] = g, map[Pair]bool{}
			order = append(order, key)
		}
		if n := b.telling(d); n > g.example {
			g.example, g.Was, g.Is, g.Reply = n, was, is, reply
			g.Before, g.After = d.before, d.after
			g.From, g.To = b.joints[d.from].rep, b.joints[d.to].rep
		}
		g.turn(d)
		g.partings[parts] = true
		g.Partings = len(g.partings)
		p := b.pair(d)
		if !seen[key][p] {
			seen[key][p] = true
			g.Pairs = append(g.Pairs, p)
			if !p.Beyond && !p.Link {
				g.Hosts++
			}
		}
	}
	var out []Group
	for _, k := range order {
		slices.SortFunc(byKey[k].Pairs, comparePairs)
		out = append(out, *byKey[k])
	}
	return out
}

// hangsOnMissing reports whether ways part at a device that one of the two sides lacks captures of: that is no change
// of the network.
func (b *both) hangsOnMissing(was, is audit.Step) bool {
	for _, s := range []audit.Step{was, is} {
		for _, name := range append(s.Starts, s.Device) {
			if slices.Contains(b.notCompared, name) {
				return true
			}
		}
	}
	return false
}

// cause is what the pairs of a group have in common: where packets are lost now, or were, else the decision at which
// the ways part.
func (d *difference) cause(parts string, start bool) string {
	switch d.kind {
	case OtherWay:
		return fmt.Sprint(d.kind, "|", parts)
	case Better:
		return fmt.Sprint(d.kind, "|", d.before.Ending, "|", d.before.Device, "|", start)
	}
	return fmt.Sprint(d.kind, "|", d.after.Ending, "|", d.after.Device, "|", start)
}

// hosts reports whether a network may have hosts, before or after.
func (b *both) hosts(p netip.Prefix) bool {
	for _, t := range b.topo {
		if len(t.AttachedTo(p)) > 0 {
			return t.HasHosts(p)
		}
	}
	return false
}

// telling weighs how well a pair stands for others: hosts before devices, and those before addresses that nobody has.
func (b *both) telling(d *difference) int {
	n := 0
	if !d.before.OneDirection && !d.after.OneDirection {
		n += 4
	}
	for _, j := range []*joint{b.joints[d.from], b.joints[d.to]} {
		if b.hosts(b.netOf(j)) {
			n += 8
		}
		if b.ends[0][j.ends[0]].Owner == "" && b.ends[1][j.ends[1]].Owner == "" {
			n++
		}
	}
	return n
}

// turn counts a difference among those of the group that turned alike.
func (g *Group) turn(d *difference) {
	one := d.before.OneDirection && d.after.OneDirection
	for i := range g.Turns {
		t := &g.Turns[i]
		if t.Before.Both == d.before.Both && t.After.Both == d.after.Both && one == t.oneDirection() &&
			(!one || t.Before.Forward == d.before.Forward && t.After.Forward == d.after.Forward) {
			t.Pairs++
			return
		}
	}
	g.Turns = append(g.Turns, Turn{d.before, d.after, 1})
}

func (t Turn) oneDirection() bool { return t.Before.OneDirection && t.After.OneDirection }

func comparePairs(x, y Pair) int {
	if c := x.To.Compare(y.To); c != 0 {
		return c
	}
	return x.From.Compare(y.From)
}

// pair names the networks of a difference.
func (b *both) pair(d *difference) Pair {
	p := Pair{From: b.netOf(b.joints[d.from]), To: b.netOf(b.joints[d.to])}
	if !p.To.IsValid() {
		p.Beyond = true
		p.To = b.joints[d.to].all[0].Prefixes()[0]
	}
	p.Link = !b.hosts(p.From) || !p.Beyond && !b.hosts(p.To)
	return p
}

// netOf is the network of a joint end, that of before where both have one.
func (b *both) netOf(j *joint) netip.Prefix {
	for i := range 2 {
		if n := b.ends[i][j.ends[i]].Net; n.IsValid() {
			return n
		}
	}
	return netip.Prefix{}
}

// part finds the decision at which the ways of a difference part, on the way that decides it.
func (b *both) part(d *difference) (was, is audit.Step, reply bool) {
	switch d.kind {
	case OtherWay:
		reply = d.before.Out == d.after.Out
	case Better:
		reply = d.before.Reply
	default:
		reply = d.after.Reply
	}
	for range 2 {
		if was, is, ok := b.partOn(d, reply); ok {
			return was, is, reply
		}
		reply = !reply
	}
	return audit.Step{}, audit.Step{}, reply
}

func (b *both) partOn(d *difference, reply bool) (was, is audit.Step, ok bool) {
	s, t := b.joints[d.from], b.joints[d.to]
	if d.before.Followed {
		return audit.PartByPackets(b.reach[0], b.reach[1], s.rep, t.rep, reply)
	}
	if reply {
		s, t = t, s
	}
	return audit.Part(b.reach[0], b.reach[1], s.ends, t.ends, t.rep)
}

// describe is a step in one line, for telling steps apart.
func describe(s audit.Step) string {
	var b strings.Builder
	fmt.Fprint(&b, s.Device, " ", s.Table, " ", s.Start, s.Starts)
	for _, m := range s.Moves {
		fmt.Fprint(&b, "; ", m.Verdict, " ", m.Reason.Code, " ", m.Hop.Prefix, " ", m.Hop.NextHop, " ",
			m.Hop.OutInterface)
	}
	return b.String()
}
