package statements

import (
	"slices"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// detours keeps policies of routing: numbered clauses of matches, what they send another way and where to, and the
// interfaces that they are applied to. A packet that fits none goes by its destination.
type detours struct {
	used    map[string]bool // those that some interface has
	open    *clause
	maps    map[string][]*clause
	applied []detour
}

// clause is one numbered part of a policy.
type clause struct {
	deny  bool     // what fits goes by its destination
	lists []string // of which one has to fit; none: match decides
	match filters.Rule
	flow  filters.Service // that it asks for
	odd   bool            // it asks for something else too
	whole bool            // its policy is in force as a whole only
	sends sends
	mark  route.Mark
}

type detour struct {
	policy, ifname string
	family         route.Family
	mark           route.Mark
}

// policyOf matches a line that applies a policy to an interface, or asks one what is translated.
var policyOf = lazyregexp.New(`(?m)^\s+(?:ip(?:v6)? policy route-map|policy-route route-map|pbr-policy|ip(?:v6)? policy-based-route) (\S+)\s*$` +
	`|(?m)^ip nat inside source route-map (\S+)\s`)

// learn finds the route-maps that are policies; most are about routes.
func (d *detours) learn(text []byte) {
	d.used, d.maps = map[string]bool{}, map[string][]*clause{}
	for _, m := range policyOf.FindAllSubmatch(text, -1) {
		d.used[string(m[1])+string(m[2])] = true
	}
}

// line takes a line of a policy in; false for any other.
func (d *detours) line(w []string, indented bool, m route.Mark) bool {
	if !indented {
		d.open = nil
		if w[0] == "ipv6" && len(w) > 2 {
			w = w[1:]
		}
		if len(w) < 2 || !slices.Contains([]string{"route-map", "pbr-map", "policy-based-route"}, w[0]) || !d.used[w[1]] {
			return false
		}
		d.open = &clause{deny: slices.Contains(w[2:], "deny"), whole: w[0] == "pbr-map", mark: m}
		d.maps[w[1]] = append(d.maps[w[1]], d.open)
		return true
	}
	if d.open == nil || len(w) < 3 {
		return false
	}
	switch {
	case w[0] == "match" && (w[1] == "ip" || w[1] == "ipv6") && w[2] == "address" && len(w) > 3 &&
		w[3] != "prefix-list":
		d.open.lists = append(d.open.lists, w[3:]...)
	case w[0] == "if-match" && w[1] == "acl":
		d.open.lists = append(d.open.lists, w[len(w)-1])
		d.open.odd = d.open.odd || len(w) > 3 && w[2] != "name" && w[2] != "ipv6" || len(d.open.lists) > 1
	case w[0] == "apply" && d.open.sends.apply(w[1:]):
		d.open.mark = m
	case w[0] == "if-match":
		d.open.odd = true
	case w[0] == "match":
		d.open.odd = !d.open.matches(w[1], w[2:]) || d.open.odd
	case w[0] == "set" && d.open.sends.set(w[1:]):
		d.open.mark = m
	}
	return true
}

// matches reads what a clause itself asks for: "src-ip P", "dst-port N", "ip-protocol tcp"; false for anything else.
func (c *clause) matches(what string, v []string) bool {
	if len(v) != 1 {
		return false
	}
	prefix := func(a *filters.Addresses) bool {
		p, err := layout.Prefix([]byte(v[0]), false)
		*a = filters.Prefix(p.Masked())
		return err == nil
	}
	switch what {
	case "src-ip":
		return prefix(&c.match.From)
	case "dst-ip":
		return prefix(&c.match.To)
	case "src-port", "dst-port":
		n, ok := filters.Port(v[0], "tcp")
		if p := (network.Ports{Lo: n, Hi: n}); what == "dst-port" {
			c.flow.To = p
		} else {
			c.flow.From = p
		}
		return ok
	case "ip-protocol":
		p, ok := filters.Protocol(v[0])
		c.flow.Protocol = p
		return ok
	}
	return false
}

// rules are what the clause asks for by itself. Not every version hands ports on to the kernel, so that those of other
// ports may fit too.
func (c *clause) rules() []network.FlowRule {
	exact, loose := c.match, c.match
	one := func(s filters.Service) filters.Services {
		if s == (filters.Service{}) {
			return filters.Services{}
		}
		return filters.Services{Some: true, List: []filters.Service{s}}
	}
	exact.Services, loose.Services = one(c.flow), one(filters.Service{Protocol: c.flow.Protocol})
	if c.flow.From.Any() && c.flow.To.Any() {
		return exact.Unfold(nil, c.mark)
	}
	if c.flow.Protocol == "" {
		tcp, udp := c.flow, c.flow
		tcp.Protocol, udp.Protocol = "tcp", "udp"
		exact.Services.List = []filters.Service{tcp, udp}
	}
	loose.Undecided = true
	return loose.Unfold(exact.Unfold(nil, c.mark), c.mark)
}

// apply notes where a policy is applied; false for any other line.
func (d *detours) apply(w []string, fam route.Family, ifname string, m route.Mark) bool {
	switch {
	case len(w) == 4 && w[1] == "policy" && w[2] == "route-map", len(w) == 3 && w[0] == "policy-route" &&
		w[1] == "route-map":
	case len(w) == 2 && w[0] == "pbr-policy", len(w) == 3 && w[1] == "policy-based-route":
	default:
		return false
	}
	d.applied = append(d.applied, detour{w[len(w)-1], ifname, fam, m})
	return true
}

// finish makes rules of the policies that are applied. One that is not known, or asks for what was not understood, may
// send all packets.
func (d *detours) finish(r *reader) {
	if len(d.applied) == 0 {
		return
	}
	known := map[string]bool{} // policies, and whether all of them was understood
	for _, a := range d.applied {
		list := "policy routing by " + a.policy
		ok, done := known[a.policy]
		if !done {
			var rules []network.FlowRule
			rules, ok = policyRules(d.maps[a.policy], r.byList)
			known[a.policy] = ok
			for _, f := range rules {
				r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: list, FlowRule: f})
			}
		}
		at := network.FlowRule{Hook: network.Steered, Family: a.family, In: a.ifname, Mark: a.mark}
		if !ok {
			r.RestrictAt(at, a.mark)
			continue
		}
		at.Permit = true
		r.Facts.Applied = append(r.Facts.Applied, network.AppliedFilter{List: list, Rule: at})
	}
}

// policyRules makes rules of a policy's clauses, those of their lists.
func policyRules(clauses []*clause, lists map[string][]network.FlowRule) (out []network.FlowRule, ok bool) {
	for i, c := range clauses {
		if c.odd || c.whole && !c.sends.some {
			return nil, false
		}
		to := c.sends.to()
		to.Whole = c.whole
		if c.deny {
			to = network.Detour{}
		}
		add := func(f network.FlowRule, to network.Detour) {
			if f.Permit, f.Detour = true, to; to.Sends() {
				f.Mark = c.mark
			}
			out = append(out, f)
		}
		if len(c.lists) == 0 {
			for _, f := range c.rules() {
				add(f, to)
			}
		}
		for k, name := range c.lists {
			last := i == len(clauses)-1 && k == len(c.lists)-1
			if len(lists[name]) == 0 {
				return nil, false
			}
			for _, x := range lists[name] {
				switch {
				case x.Permit:
					add(x, to)
				case last:
					add(x, network.Detour{})
				default: // it does not fit this list; a further one may fit
					add(x, network.Detour{Open: true})
				}
			}
		}
		if len(out) > filters.MostTotal {
			return nil, false
		}
	}
	return out, len(clauses) > 0
}
