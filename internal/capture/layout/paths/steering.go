package paths

import (
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// steered is the name of the list of policies of routing of a family.
func steered(fam route.Family) string { return "policies of routing, " + fam.String() }

// steering makes rules of what sends packets to another table than the main one: marks that are put on them as they
// come in, or rules of routing. Where both are, which of them counts is not told.
func (r *reader) steering() {
	for _, fam := range []route.Family{route.IPv4, route.IPv6} {
		var marks, rules []*item
		for _, i := range r.items {
			if i.verb != "add" || i.off() {
				continue
			}
			switch i.section {
			case "ip firewall mangle", "ipv6 firewall mangle":
				if familyOf(i.section) == fam {
					marks = append(marks, i)
				}
			case "ip route rule", "routing rule":
				if isSix(i) == (fam == route.IPv6) {
					rules = append(rules, i)
				}
			}
		}
		if i := slices.IndexFunc(marks, func(i *item) bool { return i.get("action") == "route" }); i >= 0 {
			r.restrict(network.FlowRule{Hook: network.Steered, Family: fam}, marks[i].mark)
			continue
		}
		sets := func(i *item) bool { return i.get("action") == "mark-routing" }
		if !slices.ContainsFunc(marks, sets) {
			marks = nil
		}
		var first *item
		var flows []network.FlowRule
		switch {
		case len(marks) > 0:
			first, flows = marks[slices.IndexFunc(marks, sets)], r.marked(marks)
		case len(rules) > 0:
			first, flows = rules[0], r.ruled(rules)
		default:
			continue
		}
		if len(marks) > 0 && len(rules) > 0 || flows == nil {
			r.restrict(network.FlowRule{Hook: network.Steered, Family: fam}, first.mark)
			continue
		}
		for _, f := range flows {
			f.Permit, f.Family = true, fam
			r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: steered(fam), FlowRule: f})
		}
		r.Facts.Applied = append(r.Facts.Applied, network.AppliedFilter{List: steered(fam),
			Rule: network.FlowRule{Hook: network.Steered, Family: fam, Permit: true, Mark: first.mark}})
	}
}

// isSix reports whether a rule of routing names IPv6 addresses.
func isSix(i *item) bool {
	return strings.Contains(i.get("src-address"), ":") || strings.Contains(i.get("dst-address"), ":")
}

// marked are the rules that put marks: of those that let packets go on the last one counts, of others the first. Nil
// where they are mixed, or something else among them may keep packets from them.
func (r *reader) marked(items []*item) (out []network.FlowRule) {
	through := 0
	items = slices.DeleteFunc(slices.Clone(items), func(i *item) bool {
		return !slices.Contains([]string{"prerouting", ""}, i.get("chain")) ||
			slices.Contains([]string{"mark-connection", "mark-packet", "log", "change-mss", "change-dscp", "passthrough"},
				i.get("action")) && i.get("passthrough") != "no"
	})
	for _, i := range items {
		if i.get("action") != "mark-routing" || i.get("new-routing-mark") == "" {
			return nil
		}
		if i.get("passthrough") != "no" {
			through++
		}
	}
	switch through {
	case 0:
	case len(items):
		slices.Reverse(items)
	default:
		return nil
	}
	for _, i := range items {
		rule := r.match(i)
		if rule.State == never {
			continue
		}
		for _, f := range rule.Unfold(nil, i.mark) {
			f.Detour = network.Detour{Table: i.get("new-routing-mark")}
			out = append(out, f)
		}
	}
	return out
}

// ruled are the rules of routing, of which the first that fits counts.
func (r *reader) ruled(items []*item) (out []network.FlowRule) {
	for _, i := range items {
		var rule filters.Rule
		for _, key := range i.order {
			var a filters.Addresses
			ok := true
			switch v := i.get(key); key {
			case "src-address":
				a, ok = filters.Address(v)
				rule.From = a
			case "dst-address":
				a, ok = filters.Address(v)
				rule.To = a
			case "interface":
				rule.In = []string{v}
			case "action", "table", "comment", "disabled":
			default:
				ok = false
			}
			rule.Undecided = rule.Undecided || !ok
		}
		to := network.Detour{Open: true}
		switch i.get("action") {
		case "lookup", "lookup-only-in-table", "":
			if to = (network.Detour{Table: i.get("table")}); to.Table == "main" {
				to = network.Detour{}
			}
		case "drop":
			to = network.Detour{Drop: true}
		}
		for _, f := range rule.Unfold(nil, i.mark) {
			f.Detour = to
			out = append(out, f)
		}
	}
	return out
}
