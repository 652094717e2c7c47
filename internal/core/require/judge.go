package require

import (
	"net/netip"
	"slices"

	"go4.org/netipx"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// judge judges requirements on one network. What it needs of the audit is made when it is first asked.
type judge struct {
	walker *forward.Walker
	reach  map[route.Family]*audit.Reach
	ends   map[route.Family][]audit.ReachEnd
	loops  *audit.Result
}

func newJudge(w *forward.Walker) *judge {
	return &judge{walker: w, reach: map[route.Family]*audit.Reach{}, ends: map[route.Family][]audit.ReachEnd{}}
}

func (j *judge) of(fam route.Family) (*audit.Reach, []audit.ReachEnd) {
	if j.reach[fam] == nil {
		j.reach[fam] = audit.NewReach(j.walker, fam, func(int) {})
		j.ends[fam] = j.reach[fam].Ends()
	}
	return j.reach[fam], j.ends[fam]
}

// verdict judges one requirement in both families.
func (j *judge) verdict(r Requirement) Verdict {
	switch r.Kind {
	case NothingLoops:
		return j.nothingLoops(r)
	case Knows, Discards:
		return j.aboutRoute(r)
	}
	v := Verdict{Requirement: r}
	judged := false
	seen := newCoverage()
	for _, fam := range []route.Family{route.IPv4, route.IPv6} {
		if len(setOf(r.From, fam).ranges) == 0 && !everyLAN(r.From) {
			continue
		}
		judged = j.pairs(&v, fam, seen) || judged
	}
	switch {
	case v.State != Holds:
	case !judged, !seen.from.all(r.From, r.To):
		v.State, v.Fault = Untold, NobodyThere
	case r.Kind != Only && (v.Pairs == 0 || !seen.to.all(r.To, r.From)):
		v.State, v.Fault = Untold, NobodyAsked
	}
	return v
}

func everyLAN(ends []End) bool {
	return slices.ContainsFunc(ends, func(e End) bool { return e.EveryLAN })
}

// set is the addresses of ends, of one family.
type set struct {
	ranges   []netipx.IPRange
	single   bool // one address alone
	lans     bool // every network with hosts belongs to it
	internet bool
}

// setOf is the addresses that a word of a requirement stands for, of one family.
func setOf(ends []End, fam route.Family) set {
	var s set
	for _, e := range ends {
		s.lans, s.internet = s.lans || e.EveryLAN, s.internet || e.Internet
		for _, p := range e.Prefixes {
			if route.FamilyOf(p.Addr()) == fam {
				s.ranges = append(s.ranges, netipx.RangeOfPrefix(p))
			}
		}
	}
	s.single = len(s.ranges) == 1 && s.ranges[0].From() == s.ranges[0].To() && !s.lans && !s.internet
	return s
}

// meets returns the first address that an end and a set have in common.
func (s set) meets(e audit.ReachEnd, j *judge) (netip.Addr, bool) {
	if s.lans && j.walker.Topology().HasHosts(e.Net) && !e.Nobody {
		return e.Ranges[0].From(), true
	}
	for _, r := range e.Ranges {
		for _, want := range s.ranges {
			if from, to := later(r.From(), want.From()), earlier(r.To(), want.To()); from.Compare(to) <= 0 {
				return from, true
			}
		}
		if s.internet && !e.Net.IsValid() {
			if a, ok := publicIn(r); ok {
				return a, true
			}
		}
	}
	return netip.Addr{}, false
}

// covers reports whether an end lies in a set whole.
func (s set) covers(e audit.ReachEnd, j *judge) bool {
	if s.lans && j.walker.Topology().HasHosts(e.Net) {
		return true
	}
	if s.internet && !e.Net.IsValid() && !slices.ContainsFunc(e.Ranges, func(r netipx.IPRange) bool {
		a, ok := publicIn(r)
		return !ok || a != r.From()
	}) {
		return true
	}
	return !slices.ContainsFunc(e.Ranges, func(r netipx.IPRange) bool {
		return !slices.ContainsFunc(s.ranges, func(want netipx.IPRange) bool {
			return want.From().Compare(r.From()) <= 0 && r.To().Compare(want.To()) <= 0
		})
	})
}

func later(a, b netip.Addr) netip.Addr {
	if a.Compare(b) < 0 {
		return b
	}
	return a
}

func earlier(a, b netip.Addr) netip.Addr {
	if b.Compare(a) < 0 {
		return b
	}
	return a
}

// pairs judges all pairs of one family; false where nobody at the sources was captured.
func (j *judge) pairs(v *Verdict, fam route.Family, seen coverage) bool {
	r := v.Requirement
	reach, ends := j.of(fam)
	from, to := setOf(r.From, fam), setOf(r.To, fam)
	any := false
	for _, z := range ends {
		if !z.Nobody && (!z.Silent || to.single) {
			seen.to.mark(r.To, z)
		}
	}
	for s, e := range ends {
		src, ok := from.meets(e, j)
		if !ok || !e.Sends && !e.Down || e.Silent && !from.single {
			continue
		}
		any = true
		seen.from.mark(r.From, e)
		for d, z := range ends {
			if s == d || e.Owner != "" && e.Owner == z.Owner || e.Net.IsValid() && e.Net == z.Net {
				continue
			}
			wanted, within := to.meets(z, j)
			switch {
			case z.Nobody, z.Silent && !to.single:
				continue
			case r.Kind == Only:
				if to.covers(z, j) || e.Net.IsValid() && z.Net == e.Net {
					continue
				}
				dst, outside := j.outside(z, to)
				if !outside {
					continue
				}
				j.one(v, reach, s, d, src, dst)
			case within:
				j.one(v, reach, s, d, src, wanted)
			}
			if v.State == Fails {
				return true
			}
		}
	}
	return any
}

// outside returns an address of an end that is not in a set.
func (j *judge) outside(e audit.ReachEnd, s set) (netip.Addr, bool) {
	for _, r := range e.Ranges {
		a := r.From()
		for range len(s.ranges) + 1 {
			i := slices.IndexFunc(s.ranges, func(w netipx.IPRange) bool { return w.Contains(a) })
			if i < 0 {
				break
			}
			a = s.ranges[i].To().Next()
		}
		if a.IsValid() && r.Contains(a) &&
			!slices.ContainsFunc(s.ranges, func(w netipx.IPRange) bool { return w.Contains(a) }) {
			if s.internet && !e.Net.IsValid() && public(a) {
				continue
			}
			return a, true
		}
	}
	return netip.Addr{}, false
}

// one judges one pair and keeps it as the example where it is worse than what was found.
func (j *judge) one(v *Verdict, reach *audit.Reach, s, d int, src, dst netip.Addr) {
	r := v.Requirement
	v.Pairs++
	var fate audit.Fate
	if r.HasFlow {
		rt := j.walker.TraceFlow(src, dst, r.Flow)
		fate = audit.Fate{Both: rt.Verdict, Forward: rt.Forward.Verdict}
	} else {
		fate = reach.Fate(s, d, src, dst)
	}
	state, fault := weigh(r.Kind, fate)
	if state == Holds && r.Kind == Reaches && fate.OneDirection && fate.Forward == forward.Leaves && !public(dst) {
		state = Untold // it goes to where nobody looked, and no captured network has it
	}
	if state == Holds && (len(r.Way) > 0 || r.Within > 0) {
		state, fault = j.way(r, src, dst)
	}
	if state > v.State {
		rt := j.walker.TraceFlow(src, dst, r.Flow)
		v.State, v.Fault, v.From, v.To, v.Trip = state, fault, src, dst, &rt
	}
}

// weigh says what a fate is for a requirement.
func weigh(k Kind, f audit.Fate) (State, Fault) {
	if k == Reaches {
		switch {
		case f.Both == forward.TwoWay, f.OneDirection && (f.Forward == forward.Leaves || f.Forward == forward.Arrives):
			return Holds, 0
		case f.OneDirection && f.Forward != forward.Unknown, f.Both == forward.Broken, f.Both == forward.OneWay:
			return Fails, NotReached
		}
		return Untold, NotReached
	}
	switch f.Forward {
	case forward.Arrives, forward.Leaves:
		return Fails, Reached
	case forward.Unknown:
		return Untold, Reached
	}
	return Holds, 0
}

// way asks whether packets pass devices, and how many.
func (j *judge) way(r Requirement, src, dst netip.Addr) (State, Fault) {
	rt := j.walker.TraceFlow(src, dst, r.Flow)
	for _, b := range rt.Forward.Branches {
		for _, d := range r.Way {
			if !slices.ContainsFunc(b.Hops, func(h forward.Hop) bool { return h.Device == d }) {
				return Fails, OtherWay
			}
		}
		if r.Within > 0 && len(b.Hops) > r.Within {
			return Fails, TooLong
		}
	}
	return Holds, 0
}

// nothingLoops asks the audit for loops.
func (j *judge) nothingLoops(r Requirement) Verdict {
	v := Verdict{Requirement: r, Fault: Looping}
	if j.loops == nil {
		j.loops = audit.Run(j.walker, audit.Options{Only: []audit.Kind{audit.Loop, audit.DefaultLoop}})
	}
	for i := range j.loops.Findings {
		v.State, v.Finding = Fails, &j.loops.Findings[i]
		return v
	}
	for _, d := range j.walker.Topology().Network.Devices().All() {
		if d.Tables().Any(hides) {
			v.State, v.Fault, v.Device = Untold, NoTable, d.Name
			break
		}
	}
	return v
}

// hides reports whether routes of a table are hidden, or cannot be told: packets may go round by them.
func hides(t *network.Table) bool {
	for i := range t.Routes().Len() {
		if _, state := t.Routes().Used(i); state&route.Untold != 0 {
			return true
		}
	}
	return t.InPart()
}

// aboutRoute looks a prefix up in a device's default table.
func (j *judge) aboutRoute(r Requirement) Verdict {
	v := Verdict{Requirement: r}
	d := j.walker.Topology().Network.Device(r.Device)
	var t *network.Table
	if d != nil {
		t = d.Table("default", route.FamilyOf(r.Prefix.Addr()))
	}
	if t == nil || t.Undecided && !t.Answers(r.Prefix.Addr()) {
		v.State, v.Fault = Untold, NoTable
		return v
	}
	v.State, v.Fault = Fails, NoSuchRoute
	if g, ok := t.Exact(r.Prefix); ok {
		for _, x := range t.Members(g) {
			if x.Is(route.Untold) {
				v.State, v.Route = Untold, x
				return v
			}
			if !x.Is(route.Installed) {
				continue
			}
			v.Route = x
			switch discards := x.Special == route.Blackhole || x.Special == route.Unreachable ||
				x.Special == route.Prohibit; {
			case r.Kind == Discards && !discards:
				v.Fault = NotDiscarded
			case r.ByProtocol && x.Protocol != r.Protocol:
				v.Fault = OtherSource
			default:
				v.State, v.Fault = Holds, 0
				return v
			}
		}
	}
	if v.Fault == NoSuchRoute && t.MayHide(r.Prefix) {
		v.State, v.Fault = Untold, NoTable
	}
	return v
}
