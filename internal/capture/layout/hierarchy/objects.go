package hierarchy

import (
	"slices"

	"zarvek/internal/capture/filters"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// objects gathers the named sets that rules ask for, before the rules are made.
func (r *reader) objects() {
	apps := map[string]*term{}
	var order []string
	for _, k := range r.kept {
		w := k.words
		switch {
		case len(w) > 3 && w[0] == "policy-options" && w[1] == "prefix-list":
			if w[3] == "apply-path" {
				r.groups.AddAddresses(w[2], filters.Addresses{Some: true, Unsure: true})
				continue
			}
			for _, x := range values(w, 3) {
				a, ok := filters.Address(x)
				a.Some, a.Unsure = true, !ok
				r.groups.AddAddresses(w[2], a)
			}
		case len(w) > 4 && w[0] == "applications" && w[1] == "application-set" && w[3] == "application":
			for _, m := range values(w, 4) {
				r.groups.AddServiceMember(w[2], m)
			}
		case len(w) > 4 && w[0] == "applications" && w[1] == "application":
			key, rest := w[2], w[3:]
			if rest[0] == "term" && len(rest) > 3 {
				key, rest = key+" "+rest[1], rest[2:]
			}
			t := apps[key]
			if t == nil {
				t = &term{name: w[2]}
				apps[key], order = t, append(order, key)
			}
			r.applicationLeaf(t, rest)
		}
	}
	for _, key := range order {
		t := apps[key]
		t.services()
		s := t.rule.Services
		s.Unsure = t.rule.Undecided || !s.Some
		s.Some = true
		r.groups.AddServices(t.name, s)
	}
}

// applicationLeaf reads a part of a service.
func (r *reader) applicationLeaf(t *term, rest []string) {
	for len(rest) > 1 {
		switch rest[0] {
		case "protocol", "source-port", "destination-port", "icmp-type":
			r.condition(t, rest[0], rest[1:2])
		case "inactivity-timeout", "description", "alg", "application-protocol":
		default:
			t.rule.Undecided = true
		}
		rest = rest[2:]
	}
}

// restrictAt keeps that a filter was not read, by the line that tells so.
func (r *reader) restrictAt(rule network.FlowRule, mark route.Mark) {
	r.Restrict(rule, int(mark.Off), int(mark.End))
}

// ruled are branches that tell of rules.
func ruled(w []string) bool {
	switch w[0] {
	case "firewall", "applications", "nat", "nat66", "nat64":
		return true
	case "service":
		return len(w) > 1 && w[1] == "nat"
	case "policy":
		return len(w) > 3 && (w[1] == "route" || w[1] == "route6") && w[3] == "rule"
	case "policy-options":
		return len(w) > 1 && w[1] == "prefix-list"
	case "security":
		return len(w) > 1 && slices.Contains([]string{"zones", "policies", "address-book", "nat", "forwarding-options"}, w[1])
	}
	return false
}
