package audit

import (
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
)

// A pair is what becomes of packets from one group to another and of the replies: the verdict of a round trip.
type pair struct {
	from, to int32 // groups
	both     forward.Both
	back     bool  // the reply decides
	cause    int32 // that decides; -1: none
	split    int32 // device where equal ways part of which one fails; -1: none
}

func (p pair) key() [2]int32 { return [2]int32{p.from, p.to} }

// pairs judges every pair of groups; those that are two-way are left out. Only those are looked at one by one of which
// either direction's outcome is not fine, and that no block tells.
func (a *auditor) pairs(tell func(int)) lostPairs {
	n := len(a.groups)
	t := a.newTroubles()
	out := make([][]pair, n)
	var wg sync.WaitGroup
	var at atomic.Int64
	for range runtime.GOMAXPROCS(0) {
		wg.Go(func() {
			var some []int32
			var bad []pair
			b := newBlocked(t)
			for d := int(at.Add(1)) - 1; d < n; d = int(at.Add(1)) - 1 {
				some = a.suspects(some[:0], d, b)
				bad = a.pairsTo(bad[:0], d, some)
				out[d] = slices.Clone(bad)
				tell(n)
			}
		})
	}
	wg.Wait()
	all := slices.Concat(out...)
	for _, p := range all {
		if len(a.oneSided) > 0 && len(a.oneSided[p.key()]) > 0 {
			a.halfSeen = append(a.halfSeen, p)
		}
	}
	return lostPairs{all, a.blocks(t)}
}

// suspects appends the groups from which packets to one group, or replies from it, have an outcome that is not fine;
// without those whose pairs a block tells.
func (a *auditor) suspects(some []int32, d int, b *blocked) []int32 {
	to, t := a.groups[d], b.troubles
	if to.exact || a.overlaps {
		for i := range a.groups {
			some = append(some, int32(i))
		}
		return some
	}
	b.at(d)
	replies := to.start >= 0 && t.most[to.start] // most of those to it are not fine
	for s, o := range to.column {
		switch {
		case o != fine && b.tells(s):
		case o != fine:
			some = append(some, t.byStart[s]...)
		case replies:
			for _, i := range t.byStart[s] {
				if a.groups[i].column[to.start] != fine {
					some = append(some, i)
				}
			}
		}
	}
	if to.start >= 0 && !replies {
		for _, i := range t.back[to.start] {
			if g := a.groups[i]; g.start >= 0 && (g.exact || !b.tells(g.start)) {
				some = append(some, i)
			}
		}
	}
	some = append(some, t.exact...)
	slices.Sort(some)
	return slices.Compact(some)
}

// pairsTo appends the pairs of some groups to one group that are not two-way.
func (a *auditor) pairsTo(out []pair, d int, some []int32) []pair {
	to := a.groups[d]
	alike := a.twins.inTurn()
	for _, s := range some {
		from := a.groups[s]
		if from.start < 0 {
			continue
		}
		o := to.column[from.start]
		if to.start < 0 {
			if from.net != to.net && a.reg.outcomes.at(o).verdict > forward.Unknown {
				out = append(out, pair{from: s, to: int32(d), both: forward.Broken, cause: to.down, split: -1})
			}
			continue
		}
		b := from.column[to.start]
		if o|b == fine && !from.exact && !to.exact && !a.mixed(from, to) || from == to || same(from, to) {
			continue
		}
		if alike.fine(s, int32(d)) {
			continue
		}
		if p, ok := a.judge(s, int32(d), o, b); ok {
			if g := a.groups[a.lostTo(p)]; g.down >= 0 && (p.both == forward.Broken || p.both == forward.OneWay) {
				p.cause, p.split = g.down, -1
			}
			out = append(out, p)
		}
	}
	a.followed.Add(alike.passed)
	return out
}

// same reports whether packets between two groups need no routing: they are one device, or the hosts of one network and
// who else is in it.
func same(x, y *group) bool {
	if x.owner != nil && y.owner != nil {
		return x.owner == y.owner
	}
	return x.net == y.net
}

// mixed reports whether hosts on one side take the other for a neighbour although it is in another network.
func (a *auditor) mixed(x, y *group) bool {
	return a.overlaps && x.net != y.net &&
		(x.owner == nil && x.net.Contains(y.rep) || y.owner == nil && y.net.Contains(x.rep))
}

// judge finds the verdict of one pair from two outcomes, or by following a packet where they do not tell; false where
// it is two-way and nothing is to be said.
func (a *auditor) judge(s, d, out, back int32) (pair, bool) {
	from, to := a.groups[s], a.groups[d]
	o, b := a.reg.outcomes.at(out), a.reg.outcomes.at(back)
	p := pair{from: s, to: d, cause: -1, split: -1}
	lost := b.verdict
	if b.elsewhere && lost < forward.NextHopLost {
		lost = forward.NextHopLost
	}
	if (o.beyondDestination || b.beyondDestination) && o.comesHome() && b.comesHome() {
		if twoWay, known := a.passed(&p); known {
			a.followed.Add(1)
			return p, !twoWay
		}
	}
	switch {
	case from.exact || to.exact || o.beyondDestination || o.elsewhere || a.mixed(from, to):
		return a.follow(p)
	case o.verdict > forward.Unknown:
		p.both, p.cause, p.split = forward.Broken, o.cause, o.split
	case o.verdict != forward.Arrives:
		p.both, p.cause = forward.BothUnknown, o.cause
	case b.beyondDestination || b.elsewhere:
		return a.follow(p)
	case lost > forward.Unknown:
		p.both, p.back, p.cause, p.split = forward.OneWay, true, b.cause, b.split
	case lost != forward.Arrives:
		p.both, p.back, p.cause = forward.BothUnknown, true, b.cause
	default:
		return p, false
	}
	return p, true
}

// follow judges a pair by a packet and its reply, where that was not done for a pair that it may be exchanged for.
// Lost is false where it is two-way and nothing is to be said.
func (a *auditor) follow(p pair) (_ pair, lost bool) {
	a.followed.Add(1)
	if a.twins == nil {
		p, lost, _ = a.trace(p)
		return p, lost
	}
	if q, lost, ok := a.twins.known(p); ok {
		return q, lost
	}
	p, lost, oneSided := a.trace(p)
	a.twins.tell(p, lost, oneSided)
	return p, lost
}

// trace traces one packet of a pair and its reply. It keeps, and tells, whether a stateful device sees one direction
// only.
func (a *auditor) trace(p pair) (_ pair, lost, oneSided bool) {
	rt := a.walker.Trace(a.groups[p.from].rep, a.groups[p.to].rep)
	p.both = rt.Followed()
	if oneSided = len(rt.OneSided) > 0; oneSided {
		a.sideLock.Lock()
		a.oneSided[p.key()] = rt.OneSided
		a.sideLock.Unlock()
	}
	dir := &rt.Forward
	if rt.Forward.Verdict == forward.Arrives {
		if rt.Return == nil || rt.Return.Verdict == forward.Arrives {
			return p, oneSided, oneSided
		}
		dir, p.back = rt.Return, true
	}
	worst, ok := dir.Worst()
	if !ok {
		return p, true, oneSided
	}
	p.cause = a.causeOf(worst)
	if p.both == forward.Broken || p.both == forward.OneWay {
		p.split = a.splitOf(dir, worst)
	}
	return p, true, oneSided
}

// causeOf numbers what ended a branch.
func (a *auditor) causeOf(b forward.Branch) int32 {
	var last forward.Hop
	if n := len(b.Hops); n > 0 {
		last = b.Hops[n-1]
	}
	if b.Verdict == forward.Loops {
		var loop []*network.Device
		for _, h := range b.Hops[slices.IndexFunc(b.Hops,
			func(h forward.Hop) bool { return h.Device == last.Device }):] {
			loop = append(loop, a.devices[a.byName[h.Device]])
		}
		return a.reg.loop(loop)
	}
	var d *network.Device
	if i, ok := a.byName[b.Where]; ok {
		d = a.devices[i]
	}
	return a.reg.cause(d, keyOf(b.Where, b.Verdict, last, b.Reason), last, b.Reason)
}

// splitOf finds the device at which a way that arrives parts from the branch that does not; -1 where none arrives.
func (a *auditor) splitOf(d *forward.Direction, worst forward.Branch) int32 {
	best := -1
	for _, b := range d.Branches {
		if b.Verdict != forward.Arrives || len(b.Hops) == 0 || len(worst.Hops) == 0 ||
			b.Hops[0].Device != worst.Hops[0].Device {
			continue
		}
		i := 0
		for i+1 < min(len(b.Hops), len(worst.Hops)) && b.Hops[i+1].Device == worst.Hops[i+1].Device {
			i++
		}
		best = max(best, i)
	}
	if best < 0 {
		return -1
	}
	return int32(a.byName[worst.Hops[best].Device])
}
