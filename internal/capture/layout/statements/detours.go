package statements

import (
	"regexp"
	"slices"

	"zarvek/internal/capture/filters"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// detours keeps policies of routing: what a route-map does with packets that a list lets fit, and the interfaces it is applied to. A
// packet that fits goes where the policy says, which is not followed; one that does not goes by its destination.
type detours struct {
	used    map[string]bool // those that some interface has
	open    *clause
	maps    map[string][]*clause
	applied []detour
}

// clause is one numbered part of a route-map.
type clause struct {
	permit bool
	lists  []string // of which one has to fit; none: all fits
	odd    bool     // it asks for something else too
	sends  bool     // packets another way
	mark   route.Mark
}

type detour struct {
	policy, ifname string
	family         route.Family
	mark           route.Mark
}

// policyOf matches a line that applies a policy to an interface.
var policyOf = regexp.MustCompile(`(?m)^\s+ip(?:v6)? policy route-map (\S+)\s*$`)

// learn finds the route-maps that are policies; most are about routes.
func (d *detours) learn(text []byte) {
	d.used, d.maps = map[string]bool{}, map[string][]*clause{}
	for _, m := range policyOf.FindAllSubmatch(text, -1) {
		d.used[string(m[1])] = true
	}
}

// line takes a line of a policy in; false for any other.
func (d *detours) line(w []string, indented bool, m route.Mark) bool {
	if !indented {
		d.open = nil
		if len(w) < 2 || w[0] != "route-map" || !d.used[w[1]] {
			return false
		}
		d.open = &clause{permit: !slices.Contains(w[2:], "deny"), mark: m}
		d.maps[w[1]] = append(d.maps[w[1]], d.open)
		return true
	}
	if d.open == nil || len(w) < 3 {
		return false
	}
	switch {
	case w[0] == "match" && (w[1] == "ip" || w[1] == "ipv6") && w[2] == "address" && len(w) > 3 && w[3] != "prefix-list":
		d.open.lists = append(d.open.lists, w[3:]...)
	case w[0] == "match":
		d.open.odd = true
	case w[0] == "set" && !slices.Contains([]string{"precedence", "dscp", "tos", "df"}, w[len(w)-2]):
		d.open.sends, d.open.mark = true, m
	}
	return true
}

// apply notes where a policy is applied; false for any other line.
func (d *detours) apply(w []string, fam route.Family, ifname string, m route.Mark) bool {
	if len(w) != 4 || w[1] != "policy" || w[2] != "route-map" {
		return false
	}
	d.applied = append(d.applied, detour{w[3], ifname, fam, m})
	return true
}

// finish makes rules of the policies that are applied. One that is not known, or asks for more than lists, may send all packets.
func (d *detours) finish(r *reader) {
	if len(d.applied) == 0 {
		return
	}
	lists := map[string][]network.FlowRule{}
	for _, x := range r.Facts.ListRules {
		lists[x.List] = append(lists[x.List], x.FlowRule)
	}
	known := map[string]bool{} // policies, and whether they are made of lists
	for _, a := range d.applied {
		list := "policy routing by " + a.policy
		ok, done := known[a.policy]
		if !done {
			var rules []network.FlowRule
			rules, ok = policyRules(d.maps[a.policy], lists)
			known[a.policy] = ok
			for _, f := range rules {
				r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: list, FlowRule: f})
			}
		}
		if !ok {
			r.RestrictAt(network.FlowRule{Family: a.family, In: a.ifname}, a.mark)
			continue
		}
		at := network.FlowRule{Family: a.family, In: a.ifname, Permit: true, Stateless: true, Mark: a.mark}
		r.Facts.Applied = append(r.Facts.Applied, network.AppliedFilter{List: list, Rule: at})
	}
}

// policyRules makes rules of a route-map: those of its lists, which permit what goes on by its destination and leave open what may not.
func policyRules(clauses []*clause, lists map[string][]network.FlowRule) (out []network.FlowRule, ok bool) {
	for i, c := range clauses {
		if c.odd {
			return nil, false
		}
		add := func(f network.FlowRule, sent bool) {
			f.Permit = true
			if sent {
				f.Undecided, f.Missing, f.Mark = true, network.SentElsewhere, c.mark
				out = append(out, f)
				f.Permit = false
			}
			out = append(out, f)
		}
		sends := c.permit && c.sends
		if len(c.lists) == 0 {
			add(network.FlowRule{Mark: c.mark}, sends)
			continue
		}
		for k, name := range c.lists {
			last := i == len(clauses)-1 && k == len(c.lists)-1
			if len(lists[name]) == 0 {
				return nil, false
			}
			for _, x := range lists[name] {
				if x.Permit {
					add(x, sends || x.Undecided)
				} else { // it does not fit this list; a further one may fit
					add(x, !last || x.Undecided)
				}
			}
		}
		if len(out) > filters.MostTotal {
			return nil, false
		}
	}
	return out, len(clauses) > 0
}
