package statements

import (
	"slices"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// sealed are the policies by which what lists permit leaves an interface inside of packets to somebody else, as agreed
// with them (RFC 4301). Where that comes out is not followed: what a list permits is not decided, either way, and all
// else passes.
type sealed struct {
	open    string // the policy whose entry's block it is
	lists   map[string][]string
	unclear map[string]bool // policies that more than lists decide over
	applied []sealedAt
}

// sealedAt is a policy at an interface. NotIn: what comes in is not decided by one that is not clear.
type sealedAt struct {
	policy, ifname string
	notIn          bool
	mark           route.Mark
}

// line reads a line that begins an entry of a policy, stands in its block, or is a whole one; false for others.
func (s *sealed) line(w []string, indented bool) bool {
	if !indented {
		s.open = ""
	}
	switch {
	case !indented && len(w) > 3 && (w[0] == "crypto" && w[1] == "map" || w[0] == "ipsec" && w[1] == "policy") &&
		isNumber(w[3]):
		return s.entry(w[2], w[4:])
	case indented && s.open != "" && len(w) == 3 &&
		(w[0] == "match" && w[1] == "address" || w[0] == "security" && w[1] == "acl"):
		s.lists[s.open] = append(s.lists[s.open], w[2])
		return true
	}
	return false
}

// entry reads what stands behind the name and number of an entry: the kind of one whose block follows, or one of its
// settings.
func (s *sealed) entry(policy string, w []string) bool {
	if s.lists == nil {
		s.lists, s.unclear = map[string][]string{}, map[string]bool{}
	}
	switch {
	case len(w) == 1 && slices.Contains([]string{"ipsec-isakmp", "isakmp", "manual", "ipsec-manual"}, w[0]):
		s.open = policy
	case len(w) == 3 && w[0] == "match" && w[1] == "address":
		s.lists[policy] = append(s.lists[policy], w[2])
	case len(w) > 0 && w[0] == "set":
	default:
		s.unclear[policy] = true // it takes what others ask for, or is of another kind
	}
	return true
}

// at reads a line of an interface's block that applies a policy; false for others.
func (s *sealed) at(w []string, ifname string, m route.Mark) bool {
	line := strings.Join(w, " ")
	if len(w) == 3 && (strings.HasPrefix(line, "crypto map ") || strings.HasPrefix(line, "ipsec policy ")) ||
		len(w) == 4 && strings.HasPrefix(line, "ipsec apply policy ") {
		s.applied = append(s.applied, sealedAt{policy: w[len(w)-1], ifname: ifname, mark: m})
		return true
	}
	return false
}

// finish makes rules of the policies, now that all lists are known.
func (s *sealed) finish(r *reader) {
	for _, a := range s.applied {
		lists := s.lists[a.policy]
		known, most := len(lists) > 0 && !s.unclear[a.policy], len(r.Facts.Policy.Flows)
		for _, l := range lists {
			known, most = known && len(r.byList[l]) > 0, most+2*len(r.byList[l])
		}
		if !known || most > mostSealed {
			r.restrict(0, a.ifname, !a.notIn, true, int(a.mark.Off), int(a.mark.End))
			continue
		}
		var rules []network.FlowRule
		for _, l := range lists {
			rules = append(rules, r.byList[l]...)
		}
		r.undecide(rules, a, network.FlowRule{Hook: network.GoingOut, Out: a.ifname})
		for i, x := range rules {
			rules[i].From, rules[i].To, rules[i].FromPorts, rules[i].ToPorts = x.To, x.From, x.ToPorts, x.FromPorts
		}
		r.undecide(rules, a, network.FlowRule{Hook: network.ComingIn, In: a.ifname})
	}
}

// undecide adds a chain that leaves what rules permit undecided, where over tells, and permits the rest.
func (r *reader) undecide(rules []network.FlowRule, a sealedAt, over network.FlowRule) {
	over.Chain = firstSealed + len(r.Facts.Policy.Flows)
	for _, x := range rules {
		if !x.Permit {
			continue // what one entry leaves alone, the next one may take
		}
		x.Hook, x.In, x.Out, x.Chain = over.Hook, over.In, over.Out, over.Chain
		x.Permit, x.Undecided, x.NotRead = false, true, true
		r.Facts.Policy.Flows = append(r.Facts.Policy.Flows, x)
	}
	over.In, over.Out, over.Permit, over.NotRead, over.Mark = "", "", true, true, a.mark
	r.Facts.Policy.Flows = append(r.Facts.Policy.Flows, over)
}

// mostSealed bounds how many rules a device may have where policies are applied: a list at many interfaces is as many.
const mostSealed = 100_000

// firstSealed is beyond the chains of what else was not read.
const firstSealed = 1 << 21
