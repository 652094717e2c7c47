package audit

import (
	"cmp"
	"fmt"
	"math/big"
	"net/netip"
	"slices"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
)

// byCause gathers the pairs and ranges of one cause, which become one finding.
type byCause struct {
	cause *cause
	split int32
	hint  Repair // of a missing route: where it should lead
	pairs []pair
	spans []span
}

// lostFindings makes a finding of every cause that pairs or ranges end at.
func (a *auditor) lostFindings() []Finding {
	type key struct {
		cause, split int32
		hint         Repair
	}
	all := map[key]*byCause{}
	var order []*byCause
	get := func(c, split int32, hint Repair) *byCause {
		k := key{c, split, hint}
		g := all[k]
		if g == nil {
			g = &byCause{cause: a.reg.causes[c], split: split, hint: hint}
			all[k] = g
			order = append(order, g)
		}
		return g
	}
	hints := a.hints()
	for _, p := range a.lost {
		if p.cause < 0 {
			continue
		}
		hint := Repair{}
		if c := a.reg.causes[p.cause]; (c.key.verdict == forward.NoRoute || c.key.verdict == forward.Leaves) &&
			c.device != nil {
			net := a.lostTo(p).net
			hint = hints.toward(c.device, c.key.table, net)
			if hint.Prefix = (netip.Prefix{}); hint.NextHop.IsValid() {
				hint.worth = a.worth(net) // that nobody routes networks between devices is a matter of its own
			}
		}
		g := get(p.cause, p.split, hint)
		g.pairs = append(g.pairs, p)
	}
	for _, g := range order {
		g.spans = a.lostSpans(g.pairs)
	}
	first := map[*cause]*byCause{}
	for _, g := range order { // the ranges of a cause go with its pairs
		if have := first[g.cause]; have == nil || have.split >= 0 && g.split < 0 {
			first[g.cause] = g
		}
	}
	for id, list := range a.worthTelling {
		if len(list) == 0 {
			continue
		}
		g := first[a.reg.causes[id]]
		if g == nil {
			g = get(int32(id), -1, Repair{})
		}
		g.spans = append(list, g.spans...)
	}
	var out []Finding
	for _, g := range order {
		f := Finding{
			Family:  a.fam,
			Verdict: g.cause.key.verdict,
			Table:   g.cause.key.table,
			Device:  g.cause.key.device,
			pairs:   g.pairs,
			of:      a,
		}
		f.spans, f.count = merged(g.spans)
		f.Losses = a.losses(g.pairs)
		f.OneWay = oneWay(f.Losses)
		if g.split >= 0 {
			f.Split = a.devices[g.split].Name
		}
		a.detail(&f, g)
		f.Weak = f.Hop.Weak || slices.ContainsFunc(f.Loop, func(h forward.Hop) bool { return h.Weak })
		if a.classify(&f, g) {
			f.identify(a.name(g))
			out = append(out, f)
		}
	}
	return a.mergeSwallowed(out)
}

// oneWay reports whether one direction alone is lost: of every lost packet's pair the other one's packets arrive.
func oneWay(losses []Loss) bool {
	unanswered := map[[2]netip.Prefix]bool{}
	for _, l := range losses {
		if l.Reply {
			unanswered[[2]netip.Prefix{l.From, l.To}] = true
		}
	}
	return len(unanswered) > 0 &&
		!slices.ContainsFunc(
			losses,
			func(l Loss) bool { return !l.Reply && !unanswered[[2]netip.Prefix{l.To, l.From}] },
		)
}

// name is what tells a cause from others of its kind and device, in every run: no number that another device or route
// could change.
func (a *auditor) name(g *byCause) string {
	k, split := g.cause.key, ""
	if g.split >= 0 {
		split = a.devices[g.split].Name
	}
	return fmt.Sprint(
		k.verdict,
		k.prefix,
		k.address,
		k.ifname,
		k.final,
		g.cause.loop,
		split,
		g.hint.NextHop,
		g.hint.Interface,
		uint64(g.hint.worth),
	)
}

// lostTo is the group whose packets are lost on the way: the reply's where the reply is.
func (a *auditor) lostTo(p pair) *group {
	if p.back {
		return a.groups[p.from]
	}
	return a.groups[p.to]
}

func (a *auditor) lostFrom(p pair) *group {
	if p.back {
		return a.groups[p.to]
	}
	return a.groups[p.from]
}

// lostSpans are the addresses to which packets of pairs are lost: whole networks where nobody in them is reached.
// What no host has, a network's own and its broadcast address, goes with its neighbours.
func (a *auditor) lostSpans(pairs []pair) []span {
	lost := map[*group]bool{}
	var out []span
	whollyLost := map[netip.Prefix]bool{}
	for _, p := range pairs {
		g := a.lostTo(p)
		if lost[g] {
			continue
		}
		lost[g] = true
		whollyLost[g.net] = true
		whole := spanOf(g.net)
		for _, s := range g.spans {
			if s.first.previous() == whole.first {
				s.first = whole.first
			}
			if s.last.next() == whole.last {
				s.last = whole.last
			}
			out = append(out, s)
		}
	}
	for _, g := range a.groups {
		if !lost[g] {
			delete(whollyLost, g.net)
		}
	}
	for net := range whollyLost {
		out = append(out, spanOf(net))
	}
	return out
}

// merged puts spans in order, joins those that meet, and counts their addresses. It may change spans.
func merged(spans []span) ([]span, *big.Int) {
	if order := func(x, y span) int { return cmp.Or(x.first.compare(y.first), x.last.compare(y.last)) }; !slices.IsSortedFunc(
		spans,
		order,
	) {
		slices.SortFunc(spans, order)
	}
	out := spans[:0]
	for _, s := range spans {
		n := len(out)
		switch {
		case n == 0 || out[n-1].last.next().less(s.first):
			out = append(out, s)
		case out[n-1].last.less(s.last):
			out[n-1].last = s.last
		}
	}
	var total number // of 2^128 addresses no audit ever tells
	for _, s := range out {
		total = total.plus(s.last.minus(s.first)).next()
	}
	n := new(big.Int).SetUint64(total.hi)
	return out, n.Lsh(n, 64).Add(n, new(big.Int).SetUint64(total.lo))
}

// losses lists the pairs of networks once. What concerns only some of the groups of hosts in them is partly.
func (a *auditor) losses(pairs []pair) []Loss {
	type key struct{ nets, hosts uint64 } // hosts: the groups, 0 for a device's own address
	all := make([]key, 0, len(pairs))
	for _, p := range pairs {
		k := key{nets: uint64(a.netOf[p.from])<<33 | uint64(a.netOf[p.to])<<1 | uint64(bit(p.back))}
		if p.split < 0 {
			k.hosts = a.hostGroup(p.from)<<32 | a.hostGroup(p.to)
		}
		all = append(all, k)
	}
	slices.SortFunc(
		all,
		func(x, y key) int { return cmp.Or(cmp.Compare(x.nets, y.nets), cmp.Compare(x.hosts, y.hosts)) },
	)
	all = slices.Compact(all)
	var out []Loss
	for len(all) > 0 {
		k := all[0].nets
		from, to := k>>33, k>>1&0xffffffff
		wantFrom, wantTo := a.hostGroups[from] > 0, a.hostGroups[to] > 0
		n := 0 // pairs of just those that stand for the networks
		for len(all) > 0 && all[0].nets == k {
			if h := all[0].hosts; (h>>32 > 0) == wantFrom && (h&0xffffffff > 0) == wantTo {
				n++
			}
			all = all[1:]
		}
		out = append(
			out,
			Loss{
				From:   a.nets[from],
				To:     a.nets[to],
				Reply:  k&1 != 0,
				Partly: n < max(a.hostGroups[from], 1)*max(a.hostGroups[to], 1),
			},
		)
	}
	return out
}

// hostGroup is 1 + a group's number where it is of hosts, else 0.
func (a *auditor) hostGroup(g int32) uint64 {
	if a.groups[g].owner != nil {
		return 0
	}
	return uint64(g) + 1
}

func bit(b bool) uint8 {
	if b {
		return 1
	}
	return 0
}

// detail asks the device anew what it does with one of the lost packets, for the evidence.
func (a *auditor) detail(f *Finding, g *byCause) {
	c := g.cause
	f.Hop, f.Reason, f.Marks = c.hop, c.reason, c.hop.Evidence
	var dst netip.Addr
	switch {
	case len(g.pairs) > 0:
		dst = a.lostTo(g.pairs[0]).rep
	case len(g.spans) > 0:
		dst = g.spans[0].first.addr(a.fam)
	}
	f.Example = dst
	if len(c.loop) > 0 {
		f.Marks = nil
		for _, name := range c.loop {
			h, ok := a.turn(a.devices[a.byName[name]], dst, c.loop)
			if !ok { // by rules that look at the source
				h = forward.Hop{Device: name}
			}
			f.Loop = append(f.Loop, h)
			f.Marks = append(f.Marks, h.Evidence...)
		}
		f.Reason = forward.Reason{Code: forward.CameBack, Device: c.key.device}
		return
	}
	if c.device == nil { // a host's own settings
		f.Marks = f.Reason.Marks
		return
	}
	for _, s := range a.walker.LookupPoints(c.device, a.fam) {
		for _, m := range a.walker.Moves(dst, s, nil) {
			if m.At == c.device && keyOf(m.At.Name, m.Verdict, m.Hop, m.Reason) == c.key {
				f.Hop, f.Reason, f.Marks = m.Hop, m.Reason, m.Hop.Evidence
				f.Marks = append(slices.Clone(f.Marks), m.Reason.Marks...)
				return
			}
		}
	}
	f.Marks = append(slices.Clone(f.Marks), f.Reason.Marks...)
}

// turn finds by which route a device of a loop sends the packet on to another one of it.
func (a *auditor) turn(d *network.Device, dst netip.Addr, loop []string) (forward.Hop, bool) {
	for _, s := range a.walker.LookupPoints(d, a.fam) {
		for _, m := range a.walker.Moves(dst, s, nil) {
			if m.Verdict == forward.GoesOn && slices.Contains(loop, m.Next.Device().Name) {
				return m.Hop, true
			}
		}
	}
	return forward.Hop{}, false
}
