// Package compare tells two snapshots of one network apart by what becomes of packets. It exists because an engineer
// who changes a network must know what the change does to every pair of addresses, not to those that she thinks of.
//
// It is exhaustive: both networks are swept over the whole address space, and every pair of ends whose verdict, way or
// ending differs is found, in both families and both directions. Pairs are grouped by the device and the decision at
// which the ways part, so that one change of a route is one group however many networks it concerns. What means nothing
// to packets (ages, counters, the order and the form of captures) is no difference.
//
// No I/O, no clock: the same snapshots give the same differences, in the same order.
package compare

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"sync"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// Kind says what a difference is to the packets of a pair. The zero Kind is Worse.
type Kind uint8

const (
	Worse    Kind = iota // less arrives, or what was sure is not any more
	Unclear              // one of the two cannot be told, and what can be told is not that all is well
	Better               // more arrives
	OtherWay             // as before, by another way
	OtherEnd             // lost as before, at another place or for another reason
)

var kindNames = [...]string{"worse", "unclear", "better", "other-way", "other-end"}

// String returns the kind's word in output for machines.
func (k Kind) String() string { return kindNames[k] }

// A Group is the pairs with one cause: packets of all of them are lost at one place now, or were before; where they
// arrive before and after, their ways part at one decision.
type Group struct {
	Kind          Kind
	Family        route.Family
	Reply         bool // the ways part on the way back
	Was, Is       audit.Step
	Before, After audit.Fate // of the example
	Pairs         []Pair
	Hosts         int // of the pairs: both networks may have hosts
	Partings      int // different decisions at which ways of the pairs part; Was and Is are those of the example
	Turns         []Turn
	From, To      netip.Addr // the example: a trace from and to it shows both

	partings map[string]bool
	example  int // how well the example stands for the others
}

// A Turn is what pairs of a group were and are; Pairs counts them by ends, of which a network may have several.
type Turn struct {
	Before, After audit.Fate
	Pairs         int
}

// A Pair is two networks of which packets fare otherwise than before. Beyond tells that To is in no captured network;
// Link that one of the two is a network between devices, or a device's own address, where no hosts are.
type Pair struct {
	From, To     netip.Prefix
	Beyond, Link bool
}

// A FindingChange is a finding of one of the two audits only.
type FindingChange struct {
	Finding audit.Finding
	Gone    bool
}

// A Result is all that differs.
type Result struct {
	Groups   []Group // worse ones first, those of more pairs first
	Findings []FindingChange
	Routes   []RouteChange
	Facts    []FactChange
	Missing  []Missing
	Same     int // pairs of ends that were compared and are as before
}

// Count returns how many pairs of networks have a difference of that kind, each once.
func (r *Result) Count(k Kind) int {
	seen := map[Pair]bool{}
	for _, g := range r.Groups {
		if g.Kind == k {
			for _, p := range g.Pairs {
				seen[p] = true
			}
		}
	}
	return len(seen)
}

// Harm reports whether anything got worse, or may have.
func (r *Result) Harm() bool {
	return slices.ContainsFunc(r.Groups, func(g Group) bool { return g.Kind == Worse || g.Kind == Unclear })
}

// Nothing reports whether no difference at all was found.
func (r *Result) Nothing() bool {
	return len(r.Groups)+len(r.Findings)+len(r.Routes)+len(r.Facts)+len(r.Missing) == 0
}

// Options are what is compared and how.
type Options struct {
	Families []route.Family // none: both
	// OneNetwork: the second snapshot is made of the first, so that what it lacks is gone, not just not captured.
	OneNetwork bool
	Audit      audit.Options         // of the findings
	Progress   func(done, total int) // told now and then, in routes
}

// A Base is a network that several others are compared with: it is swept once. It is safe for concurrent use.
type Base struct {
	walker *forward.Walker
	swept  map[route.Family]*sweptOnce // all addresses
	hosts  map[route.Family]*hostsOnce // those of networks with hosts

	mu       sync.Mutex
	findings map[string]*audit.Result // by what the audit was told
}

type sweptOnce struct {
	once  sync.Once
	reach *audit.Reach
	ends  []audit.ReachEnd
}

// NewBase prepares comparisons with a walker's network.
func NewBase(w *forward.Walker) *Base {
	return &Base{walker: w, swept: map[route.Family]*sweptOnce{route.IPv4: {}, route.IPv6: {}},
		hosts: map[route.Family]*hostsOnce{route.IPv4: {}, route.IPv6: {}}, findings: map[string]*audit.Result{}}
}

// audit returns the findings of the base's network.
func (b *Base) audit(opt audit.Options) *audit.Result {
	b.mu.Lock()
	defer b.mu.Unlock()
	k := fmt.Sprint(opt.Family, opt.Only, opt.Except, opt.Ages, opt.Unread)
	if b.findings[k] == nil {
		b.findings[k] = audit.Run(b.walker, opt)
	}
	return b.findings[k]
}

// sweep finds what becomes of all addresses; step is told how many routes it went through.
func (b *Base) sweep(fam route.Family, step func(int)) (*audit.Reach, []audit.ReachEnd) {
	s := b.swept[fam]
	s.once.Do(func() {
		s.reach = audit.NewReach(b.walker, fam, step)
		s.ends = s.reach.Ends()
	})
	return s.reach, s.ends
}

// Partners returns, for each network with hosts, how many others it reaches both ways, as one host of each stands for
// it.
func (b *Base) Partners(families ...route.Family) map[netip.Prefix]int {
	out := map[netip.Prefix]int{}
	t := b.walker.Topology()
	for _, fam := range families {
		reach, ends := b.sweep(fam, func(int) {})
		first := map[netip.Prefix]int{}
		for i, e := range ends {
			if _, ok := first[e.Net]; !ok && e.Sends && e.Owner == "" && !e.Silent && t.HasHosts(e.Net) {
				first[e.Net] = i
			}
		}
		for n, i := range first {
			for m, k := range first {
				if n != m && reach.Fate(i, k, ends[i].Ranges[0].From(),
					ends[k].Ranges[0].From()).Both == forward.TwoWay {
					out[n]++
				}
			}
		}
	}
	return out
}

// Run compares what two walkers' networks do with packets, and what their captures say.
func Run(before, after *forward.Walker, opt Options) *Result { return NewBase(before).Run(after, opt) }

// Run compares the base's network with another one as the function Run does.
func (b *Base) Run(after *forward.Walker, opt Options) *Result {
	r := &Result{}
	fams := opt.Families
	if len(fams) == 0 {
		fams = []route.Family{route.IPv4, route.IPv6}
	}
	x, y := b.walker.Topology().Network, after.Topology().Network
	r.Missing = missing(x, y)
	m := newMeter(opt.Progress, fams, x, y)
	for _, fam := range fams {
		r.pairs(b, after, fam, opt.OneNetwork, m)
		r.Routes = append(r.Routes, routes(x, y, fam)...)
	}
	slices.SortStableFunc(r.Groups, func(a, b Group) int {
		return cmp.Or(cmp.Compare(a.Kind, b.Kind), cmp.Compare(b.Hosts, a.Hosts),
			cmp.Compare(len(b.Pairs), len(a.Pairs)))
	})
	r.Facts = facts(x, y)
	if x != y {
		r.findings(b.audit(m.audit(opt.Audit)), audit.Run(after, m.audit(opt.Audit)))
	}
	return r
}

// findings lists those of one audit only: findings keep their names as long as their causes stay.
func (r *Result) findings(before, after *audit.Result) {
	ids := func(list []audit.Finding) map[string]bool {
		out := map[string]bool{}
		for _, f := range list {
			out[f.ID] = true
		}
		return out
	}
	had, has := ids(before.Findings), ids(after.Findings)
	for _, f := range after.Findings {
		if !had[f.ID] {
			r.Findings = append(r.Findings, FindingChange{Finding: f})
		}
	}
	for _, f := range before.Findings {
		if !has[f.ID] {
			r.Findings = append(r.Findings, FindingChange{Finding: f, Gone: true})
		}
	}
}

// Missing is a device, or a table of one, that only one of the two snapshots has, or has whole.
type Missing struct {
	Device string
	Table  string // "": the whole device, or its neighbour entries
	Family route.Family
	// Neighbours: it is the device's neighbour entries (ARP, ND), of which the other side has none.
	Neighbours bool
	Part       bool // it is there on the other side too, and shown in part only
	After      bool // it is there before and not after; else the other way round
}

// missing lists what only one of two snapshots has.
func missing(x, y *network.Snapshot) []Missing {
	var out []Missing
	one := func(x, y *network.Snapshot, after bool) {
		for _, d := range x.Devices().All() {
			far := y.Device(d.Name)
			if far == nil {
				out = append(out, Missing{Device: d.Name, After: after})
				continue
			}
			for _, t := range d.Tables().All() {
				u := far.Table(t.Name, t.Family)
				if u == nil || u.InPart() && !t.InPart() {
					out = append(out, Missing{Device: d.Name, Table: t.Name, Family: t.Family, Part: u != nil,
						After: after})
				}
			}
			if d.Neighbours().Len() > 0 && far.Neighbours().Len() == 0 {
				out = append(out, Missing{Device: d.Name, Neighbours: true, After: after})
			}
		}
	}
	one(x, y, true)
	one(y, x, false)
	return out
}
