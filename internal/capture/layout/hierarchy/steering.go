package hierarchy

import (
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// wayTerm is one rule of "policy route NAME rule N …": what it fits and where it sends that.
type wayTerm struct {
	term
	policy string
	detour network.Detour
	says   bool
}

// policyRoutes makes rules of the policies of routing that are applied to interfaces.
func (r *reader) policyRoutes() {
	var rules layout.Named[wayTerm]
	for _, k := range r.kept {
		w := k.words
		if len(w) < 6 || w[0] != "policy" || w[1] != "route" && w[1] != "route6" || w[3] != "rule" {
			continue
		}
		fam := route.IPv4
		if w[1] == "route6" {
			fam = route.IPv6
		}
		t := rules.At(strings.Join(w[1:5], " "), func() *wayTerm {
			return &wayTerm{term: term{name: w[4], family: fam, mark: k.mark}, policy: w[1] + " " + w[2]}
		})
		r.wayLeaf(t, w[5:], k.mark)
	}
	slices.SortStableFunc(rules.All, func(a, b *wayTerm) int { return byNumber(a.name, b.name) })
	known := map[string]bool{}
	for _, t := range rules.All {
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
	r.kept, r.keeps = append(r.kept, kept{words: []string{"applied"}, mark: layout.Mark(lo, hi)}), true
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
