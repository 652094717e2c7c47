package audit

import (
	"fmt"
	"hash/fnv"
	"iter"
	"math/big"
	"net/netip"
	"slices"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
)

// Severity says what a finding costs. The zero Severity is Note.
type Severity uint8

const (
	Note  Severity = iota // worth knowing; nothing that hosts need is lost by it
	Risk                  // packets will be lost when something else happens
	Fault                 // packets are lost now
)

var severityNames = [...]string{"note", "risk", "fault"}

// String returns the word of the JSON contract.
func (s Severity) String() string { return severityNames[s] }

// ParseSeverity reads a severity's word.
func ParseSeverity(word string) (Severity, bool) {
	for i, n := range severityNames {
		if n == word {
			return Severity(i), true
		}
	}
	return 0, false
}

// A Finding is one thing that loses packets, or will. What findings of one kind say and others do not is in Detail.
type Finding struct {
	ID         string // stable: the same cause has it in every run and in later captures
	Kind       Kind
	Severity   Severity
	Device     string // "" where none is to blame
	Table      string
	Family     route.Family // 0: not of one
	Pairs      int          // of networks that it breaks; Losses yields them
	Lost       Side         // of these: packets that get lost
	Unanswered Side         // packets that arrive, whose replies get lost
	OneWay     bool         // the other direction of all of them works

	Verdict  forward.Verdict
	Reason   forward.Reason
	Hop      forward.Hop    // the decision; of a loop that of its first device
	Loop     []forward.Hop  // the decision of every device of a loop
	Split    string         // the device at which equal ways part of which this one fails
	End      string         // the device at which that way ends
	Missing  []netip.Prefix // networks or routes that it is about
	Classful bool           // the device looks up classfully
	Weak     bool           // it rests on a management walk, which may leave routes out

	Example netip.Addr // of packets that are lost: a destination
	Detail  Detail     // what only its kind says; nil for many

	Marks    []route.Mark
	Searched []route.Mark // of a missing route: one mark in each file in which it would stand
	Repair   []Repair

	spans []span   // destinations whose packets are lost, in order
	count *big.Int // of addresses in them
	pairs lostPairs
	worst Severity // of the pairs
	of    *auditor
}

// A Loss is packets from one network to another that get lost: the packets of a pair, or the replies to them.
type Loss struct {
	From, To netip.Prefix // of the round trip; the packet goes from From to To
	Reply    bool         // the packet arrives, and its reply is lost
	Partly   bool         // some of the networks' addresses, or some of the equal ways
}

// RepairKind is what a repair does. The zero RepairKind is none.
type RepairKind uint8

const (
	AddRoute RepairKind = 1 + iota
	RemoveRoute
	ChangeNextHop
	SwitchOn
	LoosenCheck
	RaisePreference
	CaptureDevice
	CaptureTable
	LookAtLink
	ChangeAddress
	ChangeMask
	AddDetection
	LeadBothWays
	PermitFlow
	CaptureAnew
	NameNextHop
	BreakLoop
	MatchPrefix
	LowerPreference
	CorrectHost
	// FindFarEnd: where what goes inside of something else comes out
	FindFarEnd
	FindHolder    // of a virtual address
	CompareTunnel // the two ends of the tunnel behind Interface
)

// A Repair is one thing that would mend it, as far as the topology tells.
type Repair struct {
	Kind       RepairKind
	Device     string
	Prefix     netip.Prefix
	NextHop    netip.Addr
	Interface  string
	Other      string // the device behind the next hop
	Preference uint64 // RaisePreference: what it must be worse than; LowerPreference: what it must be below
}

// A Trial is how packets fare by a route that does not forward now.
type Trial struct {
	Prefix  netip.Prefix
	Route   route.Route
	Verdict forward.Verdict
	Where   string
	Back    bool // it is the way back that fails: from Where to Source
	Source  netip.Prefix
	Reason  forward.Reason
	Hops    []forward.Hop
}

// Addresses returns how many addresses are lost. Do not change it.
func (f *Finding) Addresses() *big.Int {
	if f.count == nil {
		return new(big.Int)
	}
	return f.count
}

// Prefixes yields the destinations whose packets are lost, in order.
func (f *Finding) Prefixes() iter.Seq[netip.Prefix] {
	return func(yield func(netip.Prefix) bool) {
		var some []netip.Prefix
		for _, s := range f.spans {
			some = s.ipRange(f.Family).AppendPrefixes(some[:0])
			for _, p := range some {
				if !yield(p) {
					return
				}
			}
		}
	}
}

// Holds reports whether packets to an address are among those that are lost.
func (f *Finding) Holds(a netip.Addr) bool {
	n := numberOf(a)
	return route.FamilyOf(a) == f.Family &&
		slices.ContainsFunc(f.spans, func(s span) bool { return !n.less(s.first) && !s.last.less(n) })
}

// A Trip is a packet of a pair that a finding breaks: a trace of it shows the finding. Reply: it is the reply that is
// lost.
type Trip struct {
	Source, Destination netip.Addr
	Reply               bool
}

// Losses yields the pairs of networks that the finding breaks, each once, in order. Each pair is in one finding only.
func (f *Finding) Losses() iter.Seq[Loss] {
	return func(yield func(Loss) bool) {
		if f.pairs.empty() {
			return
		}
		for l := range f.of.losses(&f.pairs) {
			if !yield(f.of.lossOf(l)) {
				return
			}
		}
	}
}

// Trips yields a trip for every group of pairs that the finding breaks.
func (f *Finding) Trips() iter.Seq[Trip] {
	return func(yield func(Trip) bool) {
		for p := range f.pairs.all() {
			if !yield(Trip{f.of.groups[p.from].rep, f.of.groups[p.to].rep, p.back}) {
				return
			}
		}
	}
}

// identify gives the finding its identifier.
func (f *Finding) identify(parts ...any) {
	h := fnv.New32a()
	fmt.Fprint(h, f.Kind, "|", f.Device, "|", f.Table, "|", f.Family)
	for _, p := range parts {
		fmt.Fprint(h, "|", p)
	}
	f.ID = fmt.Sprintf("%s-%08x", f.Kind, h.Sum32())
}

// Of returns the findings because of which packets from src do not reach dst or, reply, their answers do not come
// back. At most one of those findings is of a kind that ends packets.
func (r *Result) Of(src, dst netip.Addr) (list []*Finding, reply bool) {
	for _, a := range r.audits {
		if a.fam != route.FamilyOf(src) {
			continue
		}
		s, d := a.groupOf(src), a.groupOf(dst)
		for i := range r.Findings {
			f := &r.Findings[i]
			if f.of != a {
				continue
			}
			for _, p := range f.pairs.pairs {
				if p.from == s && p.to == d {
					list, reply = append(list, f), p.back
				}
			}
			if slices.ContainsFunc(f.pairs.blocks, func(b block) bool { return b.holds(s, d) }) {
				list, reply = append(list, f), false
			}
		}
	}
	return list, reply
}
