// Package filters knows the words that packet filters share, whatever the shape in which a device writes them:
// protocols, ports, ICMP types, addresses with masks and ranges, and named groups of all of these. It exists so that
// every reader makes the same rules of the same words, and so that what none of them understands stays a rule that may
// fit.
package filters

import (
	"net/netip"

	"go4.org/netipx"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A Rule is one rule as its device writes it: each list holds alternatives, and an empty one is any.
type Rule struct {
	Permit, Refuse bool
	Family         route.Family // 0: both
	From, To       Addresses
	Services       Services
	In, Out        []string // interfaces
	State          network.FlowState
	Undecided      bool // it says more than was understood
}

// Addresses is a set of addresses. The zero Addresses is any.
type Addresses struct {
	Prefixes []netip.Prefix
	Some     bool // only the prefixes are meant, even where there are none
	Unsure   bool // whether an address belongs to it is not known
}

// Services is a set of protocols with their ports. The zero Services is any.
type Services struct {
	List   []Service
	Some   bool
	Unsure bool
}

// A Service is a protocol ("" for any) with ports, or an ICMP type + 1.
type Service struct {
	Protocol string
	From, To network.Ports
	Type     uint16
}

// mostRules bounds what one rule unfolds into: one that would become more is one that may fit anything.
const mostRules = 4096

// MostTotal bounds what all rules of one text unfold into: each one beyond is one that may fit anything.
const MostTotal = 300_000

// MostMapped bounds how many addresses of one translation that maps a network onto another are told apart.
const MostMapped = 1024

// Unfold appends the rule as rules of one source, one destination, one service and one pair of interfaces each.
func (r Rule) Unfold(out []network.FlowRule, mark route.Mark) []network.FlowRule {
	from, to, services := r.From.alternatives(), r.To.alternatives(), r.Services.alternatives()
	in, place := orAny(r.In), orAny(r.Out)
	base := network.FlowRule{
		Family: r.Family, Permit: r.Permit, Refuse: r.Refuse, State: r.State, Mark: mark,
		Undecided: r.Undecided || r.From.Unsure || r.To.Unsure || r.Services.Unsure,
	}
	if n := len(from) * len(to) * len(services) * len(in) * len(place); n > mostRules ||
		n > 1 && len(out)+n > MostTotal {
		base.Undecided = true
		return append(out, base)
	}
	for _, f := range from {
		for _, t := range to {
			fam := r.Family
			fits := true
			for _, p := range []netip.Prefix{f, t} {
				if !p.IsValid() {
					continue
				}
				pf := route.FamilyOf(p.Addr())
				fits = fits && (fam == 0 || fam == pf)
				fam = pf
			}
			if !fits {
				continue
			}
			for _, s := range services {
				one := base
				one.Family, one.From, one.To = fam, f, t
				one.Protocol, one.FromPorts, one.ToPorts, one.Type = s.Protocol, s.From, s.To, s.Type
				if fam == route.IPv6 && one.Protocol == "icmp" {
					one.Protocol = "icmpv6"
				}
				for _, i := range in {
					for _, o := range place {
						one.In, one.Out = i, o
						out = append(out, one)
					}
				}
			}
		}
	}
	return out
}

func orAny(names []string) []string {
	if len(names) == 0 {
		return []string{""}
	}
	return names
}

func (a Addresses) alternatives() []netip.Prefix {
	if a.Unsure || !a.Some {
		return []netip.Prefix{{}}
	}
	return a.Prefixes
}

func (s Services) alternatives() []Service {
	if s.Unsure || !s.Some {
		return []Service{{}}
	}
	return s.List
}

// Not is a rule of which only the line is known: it may permit or deny whatever it is asked about.
func Not(out []network.FlowRule, mark route.Mark) []network.FlowRule {
	may := network.FlowRule{Undecided: true, Mark: mark}
	permit := may
	permit.Permit = true
	return append(out, permit, may)
}

// Join is what one of two sets holds; any joined with anything is any.
func (a Addresses) Join(b Addresses) Addresses {
	return Addresses{append(a.Prefixes[:len(a.Prefixes):len(a.Prefixes)], b.Prefixes...), a.Some && b.Some, a.Unsure ||
		b.Unsure}
}

// Without is what the set holds and another does not. The family tells what any is.
func (a Addresses) Without(b Addresses, family route.Family) Addresses {
	if len(b.Prefixes) == 0 && !b.Unsure {
		return a
	}
	if a.Unsure || b.Unsure {
		return Addresses{Some: true, Unsure: true}
	}
	var s netipx.IPSetBuilder
	if !a.Some || len(a.Prefixes) == 0 {
		s.AddPrefix(family.Default())
	}
	for _, p := range a.Prefixes {
		s.AddPrefix(p)
	}
	for _, p := range b.Prefixes {
		s.RemovePrefix(p)
	}
	set, err := s.IPSet()
	if err != nil {
		return Addresses{Some: true, Unsure: true}
	}
	return Addresses{Some: true, Prefixes: set.Prefixes()}
}

// Join is what one of two sets holds; any joined with anything is any.
func (s Services) Join(t Services) Services {
	return Services{append(s.List[:len(s.List):len(s.List)], t.List...), s.Some && t.Some, s.Unsure || t.Unsure}
}

// NoAddresses and NoServices are the empty sets, which others are joined to.
var (
	NoAddresses = Addresses{Some: true}
	NoServices  = Services{Some: true}
)
