// Package survive asks what every single failure would cost: each link, each interface and each device goes down on an
// overlay, what follows is settled (package settle), and what becomes of packets is compared with the network as it is
// (package compare). It exists because nobody tries all failures by hand, and one of them is the next night's.
//
// No I/O, no clock; a context ends it early.
package survive

import (
	"cmp"
	"context"
	"net/netip"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"zarvek/internal/core/change"
	"zarvek/internal/core/compare"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/settle"
	"zarvek/internal/core/topology"
)

// Kind says what fails. The zero Kind is a link for two, at both ends.
type Kind uint8

const (
	Link   Kind = iota
	End         // one interface on a shared segment; the others there notice nothing
	Device      // with the other ends of its links for two
)

var kindNames = [...]string{"link", "interface", "device"}

// String returns the kind's word in output for machines.
func (k Kind) String() string { return kindNames[k] }

// A Failure is one or two things that go down together.
type Failure struct {
	Kind   Kind
	Name   string // such as "valley:line1 - midway:line1"
	change change.Change
}

// An Outcome is what a failure costs.
type Outcome struct {
	Failure   Failure
	Lost      []compare.Pair // networks with hosts between which less arrives than before
	Untold    int            // pairs of networks with hosts of which it cannot be told
	Rerouted  int            // pairs of networks with hosts that go another way
	CameIn    []settle.Move  // backups that are used
	Predicted int            // routes that protocols find instead
	Open      int            // routes of which it cannot be told
	telling   []settle.Move  // one of each kind, protocol and family
	hurt      []compare.Pair // Lost, and those of which it cannot be told
	Dead      []settle.Move  // backups that are used and do not carry: packets to their prefix are lost
}

// Noticed reports whether the failure changes anything for hosts.
func (o *Outcome) Noticed() bool { return len(o.Lost)+o.Untold+o.Rerouted > 0 }

// A Single is a network that loses all others that it reaches when one thing fails to which it is not attached itself.
type Single struct {
	Network netip.Prefix
	On      []string // the failures
}

// A Result is every failure, the most harmful first.
type Result struct {
	Outcomes []Outcome
	Singles  []Single
	Hosts    int // networks with hosts
	Lacks    []settle.Lack
	Noted    []settle.Noted // that predictions rest on
}

// Options are how a search is done.
type Options struct {
	Families []route.Family        // none: both
	Pairs    bool                  // two failures at a time, devices left out
	Progress func(done, total int) // told from several goroutines
}

// Run tries every failure. It ends early, with what it has, when the context does.
func Run(ctx context.Context, w *forward.Walker, opt Options) *Result {
	fams := opt.Families
	if len(fams) == 0 {
		fams = []route.Family{route.IPv4, route.IPv6}
	}
	all := Failures(w.Topology())
	if opt.Pairs {
		all = twoAtATime(all)
	}
	s := &search{walker: w, base: compare.NewBase(w), settler: settle.New(w.Topology()), families: fams}
	out := make([]*Outcome, len(all))
	var wg sync.WaitGroup
	var at, done atomic.Int64
	for range runtime.GOMAXPROCS(0) {
		wg.Go(func() {
			for i := int(at.Add(1)) - 1; i < len(all) && ctx.Err() == nil; i = int(at.Add(1)) - 1 {
				out[i] = s.try(all[i])
				if n := int(done.Add(1)); opt.Progress != nil {
					opt.Progress(n, len(all))
				}
			}
		})
	}
	wg.Wait()
	r := &Result{Hosts: len(hostNetworks(w.Topology(), fams))}
	var telling []settle.Move
	for _, o := range out {
		if o != nil {
			r.Outcomes = append(r.Outcomes, *o)
			telling = append(telling, o.telling...)
		}
	}
	r.Lacks, r.Noted = s.settler.Lacks(telling), s.settler.Noted(telling)
	r.singles(w.Topology(), s.base.Partners(fams...))
	slices.SortStableFunc(r.Outcomes, func(a, b Outcome) int {
		return cmp.Or(cmp.Compare(len(b.Lost), len(a.Lost)), cmp.Compare(b.Untold, a.Untold),
			cmp.Compare(b.Rerouted, a.Rerouted))
	})
	return r
}

// Failures lists every single failure of a network: links for two, interfaces on other segments, devices.
func Failures(t *topology.Topology) []Failure {
	var out []Failure
	for _, d := range t.Network.Devices().All() {
		for _, name := range t.Interfaces(d) {
			if d.Interface(name).State == network.LinkDown || !attached(t, d, name) {
				continue
			}
			others, two := t.FarEnds(d, name)
			down := change.Change{change.CarrierLost{Device: d.Name, Interface: name}}
			if two && len(others) == 1 {
				if far := others[0]; d.Number() < far.Device.Number() {
					down = append(down, change.CarrierLost{Device: far.Device.Name, Interface: far.Interface})
					out = append(out, Failure{Link, d.Name + ":" + name + " - " + far.Device.Name + ":" + far.Interface,
						down})
				}
				continue
			}
			out = append(out, Failure{End, d.Name + ":" + name, down})
		}
	}
	for _, d := range t.Network.Devices().All() {
		var down change.Change
		for _, name := range t.Interfaces(d) {
			if others, two := t.FarEnds(d, name); two && len(others) == 1 {
				down = append(down, change.CarrierLost{Device: others[0].Device.Name, Interface: others[0].Interface})
			}
		}
		out = append(out, Failure{Device, d.Name, append(down, change.DeviceDown{Device: d.Name})})
	}
	return out
}

// attached reports whether an interface attaches to a network that other devices or hosts may be in.
func attached(t *topology.Topology, d *network.Device, ifname string) bool {
	return slices.ContainsFunc(t.Attachments(), func(a topology.Attachment) bool {
		return a.Device == d && a.Interface == ifname && a.Prefix.IsValid() && !a.Prefix.IsSingleIP() &&
			!a.Prefix.Addr().IsLoopback() && !a.Prefix.Addr().IsLinkLocalUnicast()
	})
}

// twoAtATime pairs links and interfaces.
func twoAtATime(all []Failure) []Failure {
	single := slices.DeleteFunc(slices.Clone(all), func(f Failure) bool { return f.Kind == Device })
	var out []Failure
	for i, f := range single {
		for _, g := range single[i+1:] {
			out = append(out, Failure{max(f.Kind, g.Kind), f.Name + " and " + g.Name,
				slices.Concat(f.change, g.change)})
		}
	}
	return out
}

// On returns the network after a failure and what followed.
func (f Failure) On(w *forward.Walker, s *settle.Settler) (*forward.Walker, *settle.Result) {
	after, err := f.change.On(w.Topology().Network)
	if err != nil { // a thing that two failures take down goes down once
		after = w.Topology().Network
		for _, e := range f.change {
			if next, err := (change.Change{e}).On(after); err == nil {
				after = next
			}
		}
	}
	r := s.Run(after)
	return w.On(r.Network), r
}

// search is one search.
type search struct {
	walker   *forward.Walker
	base     *compare.Base
	settler  *settle.Settler
	families []route.Family
}

// try makes one thing fail and counts the pairs of networks that it harms.
func (s *search) try(f Failure) *Outcome {
	after, settled := f.On(s.walker, s.settler)
	o := &Outcome{Failure: f}
	for p, c := range s.base.Hosts(after, s.families...) {
		switch {
		case c.Kind == compare.Worse && c.Sure:
			o.Lost, o.hurt = append(o.Lost, p), append(o.hurt, p)
		case c.Kind == compare.Worse:
			o.hurt = append(o.hurt, p)
			o.Untold++
		case c.Kind == compare.Unclear:
			o.Untold++
		case c.Kind == compare.OtherWay:
			o.Rerouted++
		}
	}
	slices.SortFunc(o.Lost, func(a, b compare.Pair) int { return cmp.Or(a.From.Compare(b.From), a.To.Compare(b.To)) })
	o.telling = tellingOf(settled.Moves)
	for _, m := range settled.Moves {
		switch m.Kind {
		case settle.CameIn:
			o.CameIn = append(o.CameIn, m)
			if slices.ContainsFunc(o.Lost,
				func(p compare.Pair) bool { return m.Prefix.Overlaps(p.From) || m.Prefix.Overlaps(p.To) }) {
				o.Dead = append(o.Dead, m)
			}
		case settle.Predicted:
			o.Predicted++
		case settle.Untold:
			o.Open++
		}
	}
	return o
}

// tellingOf returns one move of each kind, protocol and family: they lack the same, and rest on the same notes.
func tellingOf(moves []settle.Move) (out []settle.Move) {
	type sort struct {
		kind     settle.Kind
		protocol route.Protocol
		family   route.Family
	}
	seen := map[sort]bool{}
	for _, m := range moves {
		for _, r := range slices.Concat(m.Was, m.Is) {
			if s := (sort{m.Kind, r.Protocol, route.FamilyOf(m.Prefix.Addr())}); !seen[s] {
				seen[s] = true
				out = append(out, m)
			}
		}
	}
	return out
}

// hostNetworks lists the networks in which hosts may be.
func hostNetworks(t *topology.Topology, fams []route.Family) []netip.Prefix {
	return slices.DeleteFunc(slices.Clone(t.Networks()), func(p netip.Prefix) bool {
		return !t.HasHosts(p) || !slices.Contains(fams, route.FamilyOf(p.Addr()))
	})
}

// singles finds networks that lose every other one that they reach by one failure.
func (r *Result) singles(t *topology.Topology, partners map[netip.Prefix]int) {
	on := map[netip.Prefix][]string{}
	for i := range r.Outcomes {
		o := &r.Outcomes[i]
		lost := map[netip.Prefix]int{}
		for _, p := range o.hurt {
			lost[p.From]++
			if p.To != p.From {
				lost[p.To]++
			}
		}
		for n, count := range lost {
			if count >= partners[n] && !o.Failure.takes(t, n) {
				on[n] = append(on[n], o.Failure.Name)
			}
		}
	}
	for _, n := range t.Networks() {
		if len(on[n]) > 0 && partners[n] > 0 {
			r.Singles = append(r.Singles, Single{n, on[n]})
		}
	}
}

// takes reports whether a failure takes a network itself away: every interface that attaches to it.
func (f Failure) takes(t *topology.Topology, n netip.Prefix) bool {
	return !slices.ContainsFunc(t.AttachedTo(n), func(a topology.Attachment) bool {
		return !slices.ContainsFunc(f.change, func(e change.Edit) bool {
			switch x := e.(type) {
			case change.CarrierLost:
				return x.Device == a.Device.Name && x.Interface == a.Interface
			case change.DeviceDown:
				return x.Device == a.Device.Name
			}
			return false
		})
	})
}
