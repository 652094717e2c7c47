package audit

import (
	"cmp"
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
	a.lost = nil
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
			g = c.list[c.at(causesKey{int32(id), -1, 0})]
		}
		g.spans = list
	}
	finder := a.newSpanFinder()
	var out []Finding
	for _, g := range c.list {
		spans := append(finder.of(g.pairs), g.spans...)
		f := Finding{
			Family:  a.fam,
			Verdict: g.cause.key.verdict,
			Table:   g.cause.key.table,
			Device:  g.cause.key.device,
			pairs:   g.pairs,
			of:      a,
		}
		spans, f.count = merged(spans)
		f.spans = slices.Clone(spans)
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

// losses lists the pairs of networks once. What concerns only some of the groups of hosts in them is partly.
func (a *auditor) losses(pairs []pair) []Loss {
	type key struct{ nets, hosts uint64 } // hosts: the groups
	all := make([]key, 0, len(pairs))
	for _, p := range pairs {
		k := key{nets: uint64(a.netOf[p.from])<<33 | uint64(a.netOf[p.to])<<1 | uint64(bit(p.back))}
		if k.hosts = noHosts<<32 | noHosts; p.split < 0 {
			k.hosts = a.hostGroup(p.to)<<32 | a.hostGroup(p.from) // in the order in which pairs are judged
		}
		all = append(all, k)
	}
	order := func(x, y key) int { return cmp.Or(cmp.Compare(x.nets, y.nets), cmp.Compare(x.hosts, y.hosts)) }
	if !slices.IsSortedFunc(all, order) {
		slices.SortFunc(all, order)
	}
	all = slices.Compact(all)
	out := make([]Loss, 0, differing(all, func(k key) uint64 { return k.nets }))
	for len(all) > 0 {
		k := all[0].nets
		from, to := k>>33, k>>1&0xffffffff
		wantFrom, wantTo := a.hostGroups[from] > 0, a.hostGroups[to] > 0
		n := 0 // pairs of just those that stand for the networks
		for len(all) > 0 && all[0].nets == k {
			if h := all[0].hosts; (h&noHosts != noHosts) == wantFrom && (h>>32 != noHosts) == wantTo {
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

// differing counts the runs of equal keys.
func differing[T any](list []T, key func(T) uint64) int {
	n := 0
	for i := range list {
		if i == 0 || key(list[i]) != key(list[i-1]) {
			n++
		}
	}
	return n
}

// noHosts stands for a device's own address among groups of hosts, behind all of them.
const noHosts = 1<<32 - 1

// hostGroup is a group's number where it is of hosts.
func (a *auditor) hostGroup(g int32) uint64 {
	if a.groups[g].owner != nil {
		return noHosts
	}
	return uint64(g)
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
		dst = a.groups[a.lostTo(g.pairs[0])].rep
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
