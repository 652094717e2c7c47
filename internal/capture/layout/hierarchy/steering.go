package hierarchy

import (
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// numberedRules are rules with numbers below one branch, in the order of those.
type numberedRules[T any] struct {
	byKey map[string]*T
	list  []*T
}

// at returns the rule of a key, a new one where there was none.
func (n *numberedRules[T]) at(key string, begin func() *T) *T {
	if n.byKey == nil {
		n.byKey = map[string]*T{}
	}
	if n.byKey[key] == nil {
		n.byKey[key] = begin()
		n.list = append(n.list, n.byKey[key])
	}
	return n.byKey[key]
}

// byNumber compares the names of rules, which are numbers.
func byNumber(a, b string) int {
	if d := len(a) - len(b); d != 0 {
		return d
	}
	return strings.Compare(a, b)
}

// natTerm is one rule of "nat source rule N …", "nat destination …", "nat static …", or of "service nat rule N …",
// whose kind is a leaf of its own.
type natTerm struct {
	term
	kind    string
	becomes string
	port    string
	exclude bool
	odd     bool
}

// numberedTranslations makes translations of such rules (RFC 3022), destinations first, which routes do not know yet.
func (r *reader) numberedTranslations() {
	var rules numberedRules[natTerm]
	for _, k := range r.kept {
		w := k.words
		if len(w) > 1 && w[0] == "service" && w[1] == "nat" {
			w = append([]string{"nat", ""}, w[2:]...)
		}
		if len(w) < 5 || !strings.HasPrefix(w[0], "nat") || w[2] != "rule" {
			continue
		}
		fam := route.IPv4
		if w[0] != "nat" {
			fam = route.IPv6
		}
		t := rules.at(w[0]+" "+w[1]+" "+w[3], func() *natTerm {
			return &natTerm{term: term{name: w[3], family: fam, mark: k.mark}, kind: w[1], odd: w[0] == "nat64"}
		})
		r.numberedNat(t, w[4:], k.mark)
	}
	slices.SortStableFunc(rules.list, func(a, b *natTerm) int { return byNumber(a.name, b.name) })
	var inward, outward []network.Translation
	for _, t := range rules.list {
		t.services()
		if t.off {
			continue
		}
		in, out := t.translations()
		inward, outward = append(inward, in...), append(outward, out...)
	}
	r.Facts.Policy.Translations = append(append(r.Facts.Policy.Translations, inward...), outward...)
}

// numberedNat reads one part of a rule.
func (r *reader) numberedNat(t *natTerm, w []string, mark route.Mark) {
	last := w[len(w)-1]
	switch {
	case w[0] == "translation" && len(w) == 3 && w[1] == "address", w[0] == "inside-address" && len(w) == 3 &&
		w[1] == "address", w[0] == "outside-address" && len(w) == 3 && w[1] == "address":
		t.becomes, t.mark = last, mark
	case w[0] == "translation" && len(w) == 3 && w[1] == "port", w[0] == "inside-address" && len(w) == 3 && w[1] == "port":
		t.port = last
	case w[0] == "translation" && len(w) > 1 && w[1] == "options", w[0] == "log", w[0] == "packet-type":
	case w[0] == "translation", w[0] == "inside-address", w[0] == "outside-address", w[0] == "load-balance":
		t.odd = true
	case w[0] == "type" && len(w) == 2:
		if t.kind = last; last == "masquerade" {
			t.kind, t.becomes, t.mark = "source", last, mark
		}
	case w[0] == "exclude":
		t.exclude = true
	case (w[0] == "inbound-interface" || w[0] == "outbound-interface") && last == "any":
	default:
		r.numberedRule(&t.term, w)
	}
}

// translations are those of one rule: of destinations, and of sources.
func (t *natTerm) translations() (in, out []network.Translation) {
	base := network.Translation{Family: t.family, Mark: t.mark, Keep: t.exclude, Undecided: t.odd}
	a, err := netip.ParseAddr(t.becomes)
	if base.Becomes = a; !t.exclude && err != nil && !(t.kind == "source" && t.becomes == "masquerade") {
		base.Undecided = true
	}
	if t.port != "" {
		p, ok := filters.Port(t.port, "")
		if base.BecomesPort = p; !ok || t.kind == "source" {
			base.BecomesPort, base.Undecided = 0, base.Undecided || t.kind != "source"
		}
	}
	for _, f := range t.rule.Unfold(nil, t.mark) {
		x := base
		x.Protocol, x.From, x.To, x.ToPorts = f.Protocol, f.From, f.To, f.ToPorts
		x.In, x.Out, x.Undecided = f.In, f.Out, base.Undecided || f.Undecided || !f.FromPorts.Any() || f.Type != 0
		switch t.kind {
		case "source":
			out = append(out, x)
		case "destination":
			x.Destination = true
			in = append(in, x)
		case "static": // one address for another, both ways
			back := x
			back.From, back.To, back.In, back.Out, back.ToPorts = netip.Prefix{}, netip.Prefix{}, "", f.In, network.Ports{}
			if back.Becomes = f.To.Addr(); !f.To.IsValid() || !f.To.IsSingleIP() || err != nil {
				x.Undecided, back.Undecided = true, true
			} else {
				back.From = netip.PrefixFrom(a, a.BitLen())
			}
			x.Destination = true
			in, out = append(in, x), append(out, back)
		default:
			x.Undecided = true
			back := x
			x.Destination = true
			in, out = append(in, x), append(out, back)
		}
	}
	return in, out
}

// wayTerm is one rule of "policy route NAME rule N …": what it fits and where it sends that.
type wayTerm struct {
	term
	policy string
	detour network.Detour
	says   bool
}

// policyRoutes makes rules of the policies of routing that are applied to interfaces.
func (r *reader) policyRoutes() {
	var rules numberedRules[wayTerm]
	for _, k := range r.kept {
		w := k.words
		if len(w) < 6 || w[0] != "policy" || w[1] != "route" && w[1] != "route6" || w[3] != "rule" {
			continue
		}
		fam := route.IPv4
		if w[1] == "route6" {
			fam = route.IPv6
		}
		t := rules.at(strings.Join(w[1:5], " "), func() *wayTerm {
			return &wayTerm{term: term{name: w[4], family: fam, mark: k.mark}, policy: w[1] + " " + w[2]}
		})
		r.wayLeaf(t, w[5:], k.mark)
	}
	slices.SortStableFunc(rules.list, func(a, b *wayTerm) int { return byNumber(a.name, b.name) })
	known := map[string]bool{}
	for _, t := range rules.list {
		t.state()
		t.services()
		known[t.policy] = true
		if t.off || !t.says {
			continue
		}
		t.rule.Family = t.family
		for _, f := range t.rule.Unfold(nil, t.mark) {
			f.Permit, f.Detour = true, t.detour
			r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: steeredBy(t.policy), FlowRule: f})
		}
	}
	for _, a := range r.steered {
		if !known[a.policy] {
			r.restrictAt(a.rule, a.rule.Mark)
			continue
		}
		a.rule.Permit = true
		if !slices.ContainsFunc(r.Facts.ListRules, func(x network.ListRule) bool { return x.List == steeredBy(a.policy) }) {
			continue // none of its rules sends packets anywhere
		}
		r.Facts.Applied = append(r.Facts.Applied, network.AppliedFilter{List: steeredBy(a.policy), Rule: a.rule})
	}
}

func steeredBy(policy string) string { return "policy " + policy }

// steeredAt is where a policy of routing is applied.
type steeredAt struct {
	policy string // with "route" or "route6" before its name
	rule   network.FlowRule
}

// steer notes that an interface has a policy of routing.
func (r *reader) steer(kind, name, ifname string, lo, hi int) {
	fam := route.IPv4
	if kind == "route6" {
		fam = route.IPv6
	}
	r.kept, r.keeps = append(r.kept, kept{[]string{"applied"}, layout.Mark(lo, hi)}), true
	r.steered = append(r.steered, steeredAt{kind + " " + name,
		network.FlowRule{Hook: network.Steered, Family: fam, In: ifname, Mark: layout.Mark(lo, hi)}})
}

// wayLeaf reads one part of a rule.
func (r *reader) wayLeaf(t *wayTerm, w []string, mark route.Mark) {
	last := w[len(w)-1]
	send := func(to network.Detour) {
		if t.says {
			to = network.Detour{Open: true} // it says two things
		}
		t.detour, t.says, t.mark = to, true, mark
	}
	switch {
	case w[0] == "set" && len(w) == 3 && w[1] == "table" && last == "main":
		send(network.Detour{})
	case w[0] == "set" && len(w) == 3 && (w[1] == "table" || w[1] == "vrf"):
		send(network.Detour{Table: last})
	case w[0] == "set" && len(w) == 3 && slices.Contains([]string{"dscp", "tcp-mss"}, w[1]):
	case w[0] == "set":
		send(network.Detour{Open: true})
	case w[0] == "action" && last == "drop":
		send(network.Detour{Drop: true})
	case w[0] == "action":
		send(network.Detour{Open: last != "accept"})
	default:
		r.numberedRule(&t.term, w)
	}
}
