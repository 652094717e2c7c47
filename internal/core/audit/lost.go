package audit

import (
	"fmt"
	"net/netip"
	"slices"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
)

// lostFindings makes a finding of every cause that pairs or ranges end at.
func (a *auditor) lostFindings() []Finding {
	c := a.newCauses()
	c.gather(a.lost)
	a.lost = lostPairs{}
	first := map[*cause]*byCause{}
	for _, g := range c.list { // the ranges of a cause go with its pairs
		if have := first[g.cause]; have == nil || have.split >= 0 && g.split < 0 {
			first[g.cause] = g
		}
	}
	for id, list := range a.worthTelling {
		if len(list) == 0 {
			continue
		}
		g := first[a.reg.causeAt(int32(id))]
		if g == nil {
			g = c.add(causesKey{int32(id), -1, 0})
		}
		g.spans = list
	}
	finder := a.newSpanFinder()
	var out []Finding
	for _, g := range c.list {
		spans := append(finder.of(&g.lostPairs), g.spans...)
		f := Finding{
			Family:  a.fam,
			Verdict: g.cause.key.verdict,
			Table:   g.cause.key.table,
			Device:  g.cause.key.device,
			pairs:   g.lostPairs,
			of:      a,
		}
		spans, f.count = merged(spans)
		f.spans = slices.Clone(spans)
		a.measure(&f)
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

// name is what tells a cause from others of its kind and device, in every run: no number that another device or route
// could change.
func (a *auditor) name(g *byCause) string {
	k, split := g.cause.key, ""
	if g.split >= 0 {
		split = a.devices[g.split].Name
	}
	if g.hint.betweenDevices {
		split += " between devices"
	}
	return fmt.Sprint(
		k.verdict,
		k.prefix,
		k.address,
		k.ifname,
		k.final,
		g.cause.loop,
		split,
		g.hint.hop,
		g.hint.ifname,
		uint64(g.hint.worth),
	)
}

// lostTo is the group whose packets are lost on the way: the reply's where the reply is.
func (a *auditor) lostTo(p pair) int32 {
	if p.back {
		return p.from
	}
	return p.to
}

func (a *auditor) lostFrom(p pair) int32 {
	if p.back {
		return p.to
	}
	return p.from
}

// detail asks the device anew what it does with one of the lost packets, for the evidence.
func (a *auditor) detail(f *Finding, g *byCause) {
	c := g.cause
	f.Hop, f.Reason, f.Marks = c.hop, c.reason, c.hop.Evidence
	var dst netip.Addr
	switch {
	case !g.empty():
		dst = a.groups[a.lostTo(g.first())].rep
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
	if b, ok := a.branchOf(g); ok {
		f.Hop, f.Reason, f.Marks = b.Hops[len(b.Hops)-1], b.Reason, b.Hops[len(b.Hops)-1].Evidence
	}
	f.Marks = append(slices.Clone(f.Marks), f.Reason.Marks...)
}

// branchOf follows the first pair of a cause to where it is lost, for what depends on more than the destination. The
// cause itself has the hop of whichever packet a worker came to first.
func (a *auditor) branchOf(g *byCause) (forward.Branch, bool) {
	if g.empty() {
		return forward.Branch{}, false
	}
	p := g.first()
	rt := a.walker.Trace(a.groups[p.from].rep, a.groups[p.to].rep)
	dir := &rt.Forward
	if p.back && rt.Return != nil {
		dir = rt.Return
	}
	for _, b := range dir.Branches {
		n := len(b.Hops)
		if n > 0 && keyOf(b.Where, b.Verdict, b.Hops[n-1], b.Reason) == g.cause.key {
			return b, true
		}
	}
	return forward.Branch{}, false
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
