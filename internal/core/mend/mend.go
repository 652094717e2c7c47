// Package mend looks for the smallest change of routes that puts something right, and proves it: a change is offered
// only if it was put on the network on paper (package rehearse's orders, package settle for what follows), what was
// wrong is right then, and a comparison of all pairs of addresses (package compare) shows nothing that got worse, no
// loop and no new finding. It exists because an obvious cure is often the next fault: a discard that is taken out hands
// its packets to a default route that leads back.
//
// It changes static routes. A cable, a filter, a host's own settings or a device that was not captured it cannot mend;
// then it says so. No I/O, no clock: the same network and the same wrong give the same cures.
package mend

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/compare"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/rehearse"
	"zarvek/internal/core/route"
	"zarvek/internal/core/settle"
)

// A Trip is a packet and its reply that are to arrive, or one of the two: what else is wrong with them is another
// wrong.
type Trip struct {
	Source, Destination netip.Addr
	Way                 Way
}

// A Way is which of the two is to arrive. The zero Way is both.
type Way uint8

const (
	Both Way = iota
	Out
	Back
)

// A Wrong is what is to be put right. Of Finding, Trips and Holds those that are set must all be right at the end.
type Wrong struct {
	Name    string
	Finding *audit.Finding                // is to be gone
	Trips   []Trip                        // are to end well
	Holds   func(w *forward.Walker) bool  // is to be true; nil: nothing more is asked
	Where   func(w *forward.Walker) *Trip // a trip that shows why Holds is not true, nil for none
}

// WrongOf is the finding as something to put right.
func WrongOf(f *audit.Finding) Wrong {
	out := Wrong{Name: f.ID, Finding: f}
	for t := range f.Trips() {
		way := Out
		if t.Reply {
			way = Back
		}
		if len(out.Trips) < maxTrips {
			out.Trips = append(out.Trips, Trip{t.Source, t.Destination, way})
		}
	}
	return out
}

const (
	maxTrips  = 4000 // of a finding; the proof covers those beyond
	maxTries  = 3000 // networks on paper for one wrong
	maxProofs = 10   // comparisons for one wrong
	maxDepth  = 4    // routes that one trip may need
)

// Why says why a change was not offered. The zero Why is that it was not enough.
type Why uint8

const (
	NotEnough  Why = iota // what was wrong is wrong still
	MakesWorse            // less arrives elsewhere, or may
	NewFinding            // an audit finds something new
	NotTaken              // a device would not use the route
	// what takes over hands packets to a neighbour that was not captured, and that may lead them back
	LeadsOut
)

var whyWords = [...]string{"not-enough", "makes-worse", "new-finding", "not-taken", "leads-out"}

// String returns the word in output for machines.
func (w Why) String() string { return whyWords[w] }

// A Refusal is a change that was tried and is not offered.
type Refusal struct {
	Orders  []rehearse.Order
	Why     Why
	Worse   *compare.Group // MakesWorse, LeadsOut: the first group
	Finding *audit.Finding // NewFinding: the worst
}

// A Cure is a change that was proved.
type Cure struct {
	Orders []rehearse.Order
	Result *compare.Result // of the network against the one with the change and what follows
	Moves  []settle.Move
	After  *forward.Walker
	// Assumed are devices of which no capture tells whether they pass a new static route on by a routing protocol that
	// they speak: it is taken that they do not.
	Assumed []Assumption
	edited  *network.Snapshot
}

// An Assumption is a device and a protocol.
type Assumption struct {
	Device   string
	Protocol route.Protocol
}

// An Outside is a reason for which no route can mend something. The zero Outside is none.
type Outside uint8

const (
	NoOutside Outside = iota
	NoWay             // no captured device beside those on the way leads there
	NotRoutes         // what ends the packets is no matter of routes: Reason tells
	NotKnown          // what becomes of packets is not known: a capture is missing
	NoCure            // nothing is known that would mend such a thing on a device
)

var outsideWords = [...]string{"", "no-way", "not-routes", "not-known", "no-cure"}

// String returns the word in output for machines.
func (o Outside) String() string { return outsideWords[o] }

// A Result is what was found for one wrong: a cure, or why there is none.
type Result struct {
	Wrong    Wrong
	Before   *forward.Walker // of the network that was searched
	Right    bool            // nothing is wrong
	Cure     *Cure
	Refused  []Refusal
	Outside  Outside
	Stuck    *forward.Branch // how the packets end that no change helped
	Trip     Trip            // of Stuck
	Toward   netip.Addr      // where those packets go: the reply's go to the source
	More     bool            // the search ended before everything was tried
	Unproved bool            // changes were found, and none of them passed the proof
}

// A Mender looks for cures of one network, and of that network with cures. It is safe for concurrent use.
type Mender struct {
	walker  *forward.Walker
	edited  *network.Snapshot // what was ordered, without what follows
	base    *compare.Base
	start   *forward.Walker // before all cures
	settler *settle.Settler // of start
	links   map[string][]link
	opt     Options
}

// Options are how cures are looked for.
type Options struct {
	Compare  compare.Options
	Defaults bool // default routes may be added
	Proofs   int  // the most comparisons for one wrong; 0: as many as are of use
	// Keep must hold with every cure, beside all that holds now; nil: nothing more is asked.
	Keep func(w *forward.Walker) bool
}

// New prepares a search for cures of a walker's network.
func New(w *forward.Walker, opt Options) *Mender {
	opt.Compare.OneNetwork = true
	t := w.Topology()
	return &Mender{walker: w, edited: t.Network, base: compare.NewBase(w), start: w, settler: settle.New(t),
		links: linksOf(t), opt: opt}
}

// With looks for further cures, of the network that a cure leaves.
func (m *Mender) With(c *Cure) *Mender {
	next := *m
	next.walker, next.edited, next.base, next.links = c.After, c.edited, compare.NewBase(c.After),
		linksOf(c.After.Topology())
	return &next
}

// Find looks for the smallest cure of a wrong.
func (m *Mender) Find(wrong Wrong) *Result {
	s := &search{Mender: m, result: &Result{Wrong: wrong, Before: m.walker}, banned: map[string]bool{}}
	r := s.result
	if s.isRight(m.walker) && (wrong.Finding == nil || m.gone(m.walker, wrong.Finding)) {
		r.Right = true
		return r
	}
	s.suggested = s.suggestions()
	proofs := maxProofs
	if m.opt.Proofs > 0 {
		proofs = m.opt.Proofs
	}
	for range proofs {
		orders, ok := s.next()
		if !ok {
			break
		}
		if s.offer(orders) {
			return r
		}
		r.Unproved = true
		s.ban(orders)
	}
	if r.Outside == NoOutside && len(r.Refused) == 0 {
		r.Outside = NoWay
		if r.Stuck == nil {
			r.Outside = NoCure
		}
	}
	return r
}

// search is the search for one wrong.
type search struct {
	*Mender
	result *Result
	banned map[string]bool // orders, by their words, that lead to refused changes
	tries  int

	suggested [][]rehearse.Order // and not yet asked
}

// next returns the next change that puts the wrong right as far as trips tell, the smallest first.
func (s *search) next() ([]rehearse.Order, bool) {
	if len(s.suggested) > 0 {
		orders := s.suggested[0]
		s.suggested = s.suggested[1:]
		return orders, true
	}
	if len(s.result.Wrong.Trips) == 0 && s.result.Wrong.Where == nil {
		return nil, false
	}
	return s.solve()
}

// isRight reports whether trips end well and what is to hold does.
func (s *search) isRight(w *forward.Walker) bool {
	for _, t := range s.result.Wrong.Trips {
		if rt := w.Trace(t.Source, t.Destination); !t.Way.fine(w, &rt) {
			return false
		}
	}
	return s.result.Wrong.Holds == nil || s.result.Wrong.Holds(w)
}

// fine reports whether a trip ends well. To an address that no captured network has it may leave the captured devices.
func (way Way) fine(w *forward.Walker, rt *forward.RoundTrip) bool {
	switch {
	case rt.Verdict == forward.TwoWay, way == Out && rt.Forward.Verdict == forward.Arrives,
		way == Back && rt.Return != nil && rt.Return.Verdict == forward.Arrives:
		return true
	case way == Back:
		return false
	}
	t := w.Topology()
	return rt.Forward.Verdict == forward.Leaves &&
		len(t.Attached(rt.Destination.Address))+len(t.Owners(rt.Destination.Address)) == 0
}

// gone reports whether an audit of a network does not have a finding.
func (m *Mender) gone(w *forward.Walker, f *audit.Finding) bool {
	if f == nil {
		return true
	}
	opt := m.opt.Compare.Audit
	opt.Only = []audit.Kind{f.Kind}
	return !slices.ContainsFunc(audit.Run(w, opt).Findings, func(g audit.Finding) bool { return g.ID == f.ID })
}

// ties reports whether a route would stand beside one that is there without a rule that parts them: a device would use
// both, or either, or would not take it (the kernel of Linux has one route of a prefix and metric).
func (s *search) ties(orders []rehearse.Order) bool {
	removes := func(o rehearse.Order) bool { return o.Verb == rehearse.Remove }
	n, err := s.edit(s.edited, slices.DeleteFunc(slices.Clone(orders), func(o rehearse.Order) bool { return !removes(o) }))
	return err != nil || slices.ContainsFunc(orders, func(o rehearse.Order) bool {
		return o.Verb == rehearse.Add && rehearse.Ties(n, o)
	})
}

// offer proves a change, and takes it for the cure or keeps why not.
func (s *search) offer(orders []rehearse.Order) bool {
	refuse := func(r Refusal) bool {
		r.Orders = orders
		s.result.Refused = append(s.result.Refused, r)
		return false
	}
	edited, err := s.edit(s.edited, orders)
	if err != nil || s.ties(orders) {
		return refuse(Refusal{Why: NotTaken})
	}
	settled := s.settler.Run(edited)
	after := s.start.On(settled.Network)
	if !s.isRight(after) {
		return refuse(Refusal{Why: NotEnough})
	}
	if s.opt.Keep != nil && !s.opt.Keep(after) {
		return refuse(Refusal{Why: MakesWorse})
	}
	cmp := s.base.Run(after, s.opt.Compare)
	out := onlyTakesOut(orders)
	for i := range cmp.Groups {
		switch g := &cmp.Groups[i]; {
		case out && slices.ContainsFunc(g.Turns, leadsOut):
			return refuse(Refusal{Why: LeadsOut, Worse: g})
		case g.Kind == compare.Worse, g.Kind == compare.Unclear && (out || !all(g.Turns, wasLost)):
			return refuse(Refusal{Why: MakesWorse, Worse: g})
		}
	}
	gone := s.result.Wrong.Finding == nil
	for i := range cmp.Findings {
		f := &cmp.Findings[i]
		if f.Gone {
			gone = gone || f.Finding.ID == s.result.Wrong.Finding.ID
		} else if s.harms(&f.Finding) {
			return refuse(Refusal{Why: NewFinding, Finding: &f.Finding})
		}
	}
	if !gone {
		return refuse(Refusal{Why: NotEnough})
	}
	s.result.Cure = &Cure{Orders: orders, Result: cmp, Moves: settled.Moves, After: after,
		Assumed: assumed(s.edited, orders), edited: edited}
	return true
}

func all(turns []compare.Turn, is func(compare.Turn) bool) bool {
	return !slices.ContainsFunc(turns, func(t compare.Turn) bool { return !is(t) })
}

// assumed lists the devices that get a route and speak a protocol, and of which no configuration was captured that
// would tell what they pass on.
func assumed(n *network.Snapshot, orders []rehearse.Order) []Assumption {
	var out []Assumption
	for _, o := range orders {
		d := n.Device(o.Device)
		if o.Verb != rehearse.Add || d == nil || d.Redistributed().Len() > 0 || d.Configures() {
			continue
		}
		for _, t := range d.Tables().All() {
			for id := range t.Routes().Shared() {
				a := Assumption{o.Device, t.Routes().Attributes(route.AttrID(id)).Protocol}
				if t.Family == route.FamilyOf(o.Static.Prefix.Addr()) && passesOn(a.Protocol) &&
					!slices.Contains(out, a) {
					out = append(out, a)
				}
			}
		}
	}
	return out
}

// passesOn reports whether a protocol may announce what others brought into a table.
func passesOn(p route.Protocol) bool {
	switch p {
	case route.OSPF, route.ISIS, route.RIP, route.RIPng, route.EIGRP, route.BGP, route.Babel:
		return true
	}
	return false
}

// onlyTakesOut reports whether a route goes that no other one replaces: what takes over is then what nobody has chosen.
func onlyTakesOut(orders []rehearse.Order) bool {
	return slices.ContainsFunc(orders, func(o rehearse.Order) bool {
		return o.Verb == rehearse.Remove && !slices.ContainsFunc(orders, func(x rehearse.Order) bool {
			return x.Verb == rehearse.Add && x.Device == o.Device && x.Table == o.Table && x.Static.Prefix == o.Prefix
		})
	})
}

// leadsOut reports whether packets leave the captured devices that did not before. Where they go from there no capture
// tells: a default route of that neighbour's may lead them back.
func leadsOut(t compare.Turn) bool {
	return t.After.Forward == forward.Leaves && t.Before.Forward != forward.Leaves
}

// wasLost reports whether packets were surely lost before, so that nothing can be worse for them.
func wasLost(t compare.Turn) bool {
	return t.Before.Both == forward.Broken || t.Before.OneDirection && t.Before.Forward > forward.Unknown
}

// harms reports whether a new finding speaks against a change. What is only worth a note does not: that nothing watches
// a new next hop, say.
func (s *search) harms(f *audit.Finding) bool { return f.Severity > audit.Note }

// edit puts orders on a network without what follows.
func (m *Mender) edit(n *network.Snapshot, orders []rehearse.Order) (*network.Snapshot, error) {
	return rehearse.Edit(m.start.Topology(), n, orders)
}
