package paths

import (
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// hooks are the packets that the chains of the device's own meet.
var hooks = map[string]network.Hook{"forward": network.Forwarded, "input": network.ForItself,
	"output": network.FromItself, "prerouting": network.ComingIn}

// rules makes rules of the filters. What fits none passes.
func (r *reader) rules() {
	chains := r.chains()
	first, decides := map[string]route.Mark{}, map[string]bool{}
	var lists []string
	for _, i := range r.items {
		six := strings.HasPrefix(i.section, "ipv6")
		part, isFilter := strings.CutPrefix(strings.TrimPrefix(i.section, "ipv6"), " firewall ")
		if !six {
			part, isFilter = strings.CutPrefix(i.section, "ip firewall ")
		}
		if !isFilter || part != "filter" && part != "raw" || i.verb != "add" || i.off() {
			continue
		}
		chain := i.get("chain")
		if _, ok := hooks[chain]; !ok {
			continue // of its own, which others lead to
		}
		list := i.section + " " + chain
		if first[list] == (route.Mark{}) {
			first[list], lists = i.mark, append(lists, list)
		}
		flows := chains.unfold(i)
		if len(r.Facts.ListRules) > filters.MostTotal && len(flows) > 1 {
			flows = filters.Not(nil, i.mark)
		}
		for _, f := range flows {
			r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: list, FlowRule: f})
			decides[list] = true
		}
	}
	for _, list := range lists {
		if !decides[list] { // they only count, log or mark
			continue
		}
		chain := list[strings.LastIndexByte(list, ' ')+1:]
		at := network.FlowRule{Hook: hooks[chain], Family: familyOf(list), Permit: true, Stateless: true,
			Mark: first[list]}
		r.Facts.Applied = append(r.Facts.Applied, network.AppliedFilter{List: list, Rule: at})
	}
}

func familyOf(section string) route.Family {
	if strings.HasPrefix(section, "ipv6") {
		return route.IPv6
	}
	return route.IPv4
}

// rule reads one line of a filter.
func (r *reader) rule(i *item) []network.FlowRule {
	rule := r.match(i)
	rule.Family = familyOf(i.section)
	switch i.get("action") {
	case "accept", "":
		rule.Permit = true
	case "drop", "tarpit":
	case "reject":
		rule.Refuse = true
	case "log", "passthrough", "fasttrack-connection", "add-src-to-address-list", "add-dst-to-address-list", "notrack":
		return nil
	default: // it goes on elsewhere
		return either(rule, i)
	}
	if rule.State == never {
		return nil
	}
	return rule.Unfold(nil, i.mark)
}

// never marks a rule that fits no packet of a flow that walks ask about.
const never = network.FlowState(255)

// match reads what a line asks for.
func (r *reader) match(i *item) filters.Rule {
	var rule filters.Rule
	var protocols []string
	var from, to []network.Ports
	var kinds []uint16
	for _, key := range i.order {
		v := i.get(key)
		not := strings.HasPrefix(v, "!")
		switch key {
		case "chain", "action", "comment", "log", "log-prefix", "disabled", "reject-with", "to-addresses", "to-ports",
			"hw-offload", "place-before", "address-list", "address-list-timeout", "new-routing-mark", "passthrough",
			"jump-target":
		case "src-address", "dst-address":
			set, ok := filters.Address(strings.TrimPrefix(v, "!"))
			if not && ok {
				set = filters.Addresses{}.Without(set, familyOf(i.section))
			}
			if !ok {
				rule.Undecided = true
			} else if key == "src-address" {
				rule.From = set
			} else {
				rule.To = set
			}
		case "src-address-list", "dst-address-list":
			if not {
				rule.Undecided = true
			} else if key == "src-address-list" {
				rule.From = r.groups.Addresses(v)
			} else {
				rule.To = r.groups.Addresses(v)
			}
		case "protocol":
			p, ok := filters.Protocol(v)
			if not || !ok {
				rule.Undecided = true
			} else if p != "" {
				protocols = append(protocols, p)
			}
		case "src-port", "dst-port":
			p, ok := filters.PortRanges(v, "")
			if not || !ok {
				rule.Undecided = true
			} else if key == "src-port" {
				from = p
			} else {
				to = p
			}
		case "icmp-options":
			n, ok := filters.ICMPType(strings.SplitN(v, ":", 2)[0], strings.HasPrefix(i.section, "ipv6"))
			kinds = append(kinds, n)
			rule.Undecided = rule.Undecided || not || !ok
		case "in-interface", "out-interface":
			if not || strings.HasPrefix(v, "all-") {
				rule.Undecided = true
			} else if key == "in-interface" {
				rule.In = append(rule.In, v)
			} else {
				rule.Out = append(rule.Out, v)
			}
		case "in-interface-list", "out-interface-list":
			members, ok := r.members[v]
			if not || !ok {
				rule.Undecided = rule.Undecided || v != "all"
			} else if key == "in-interface-list" {
				rule.In = append(rule.In, members...)
			} else {
				rule.Out = append(rule.Out, members...)
			}
		case "connection-state":
			states := strings.Split(v, ",")
			state, some, sure := filters.FlowState(func(s string) bool { return slices.Contains(states, s) })
			rule.State, rule.Undecided = state, rule.Undecided || !sure || not
			if !some {
				rule.State = never
			}
		case "connection-nat-state":
			rule.Undecided = rule.Undecided || v != "!dstnat" || r.changesDestinations()
		default:
			rule.Undecided = true
		}
	}
	if len(protocols)+len(from)+len(to)+len(kinds) > 0 {
		rule.Services = servicesOf(protocols, from, to, kinds)
	}
	return rule
}

// servicesOf is every combination of what a rule names; ports without a protocol are those of TCP and UDP.
func servicesOf(protocols []string, from, to []network.Ports, kinds []uint16) filters.Services {
	out := filters.NoServices
	if len(protocols) == 0 {
		protocols = []string{"tcp", "udp"}
	}
	if len(from) == 0 {
		from = []network.Ports{{}}
	}
	if len(to) == 0 {
		to = []network.Ports{{}}
	}
	for _, p := range protocols {
		if p == "icmp" || p == "icmpv6" {
			for _, k := range append(kinds[:len(kinds):len(kinds)], make([]uint16, max(0, 1-len(kinds)))...) {
				out.List = append(out.List, filters.Service{Protocol: p, Type: k})
			}
			continue
		}
		for _, f := range from {
			for _, t := range to {
				out.List = append(out.List, filters.Service{Protocol: p, From: f, To: t})
			}
		}
	}
	return out
}

// changesDestinations reports whether the device translates destinations.
func (r *reader) changesDestinations() bool {
	return slices.ContainsFunc(r.items, func(i *item) bool {
		return strings.HasSuffix(i.section, "firewall nat") && i.verb == "add" && !i.off() && i.get("chain") == "dstnat"
	})
}

// translations reads the rules that change addresses, in their order.
func (r *reader) translations() {
	for _, i := range r.items {
		if !strings.HasSuffix(i.section, "firewall nat") || i.verb != "add" || i.off() {
			continue
		}
		chain, action := i.get("chain"), i.get("action")
		if chain != "srcnat" && chain != "dstnat" {
			continue
		}
		rule := r.match(i)
		t := network.Translation{Destination: chain == "dstnat", Family: familyOf(i.section)}
		switch action {
		case "masquerade":
		case "src-nat", "dst-nat":
			a, ok := filters.Address(i.get("to-addresses"))
			if ok && len(a.Prefixes) == 1 && a.Prefixes[0].IsSingleIP() {
				t.Becomes = a.Prefixes[0].Addr()
			} else {
				rule.Undecided = true
			}
			if p, ok := filters.PortRanges(i.get("to-ports"), ""); ok && len(p) == 1 && p[0].Lo == p[0].Hi {
				t.BecomesPort = p[0].Lo
			} else if i.get("to-ports") != "" {
				rule.Undecided = true
			}
		case "log", "passthrough":
			continue
		case "accept":
			t.Keep = true
		default:
			rule.Undecided = true
		}
		for _, f := range rule.Unfold(nil, i.mark) {
			t.Protocol, t.From, t.To, t.ToPorts, t.In, t.Out = f.Protocol, f.From, f.To, f.ToPorts, f.In, f.Out
			t.Undecided, t.Mark = f.Undecided || !f.FromPorts.Any(), f.Mark
			r.Facts.Policy.Translations = append(r.Facts.Policy.Translations, t)
		}
	}
}
