package commands

import (
	"net/netip"
	"slices"

	"zarvek/internal/capture/filters"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// steered is the name of the list of policies of routing.
const steered = "policies of routing"

// steerLine takes a line about a policy of routing: the words behind its name.
func (b *rulebase) steerLine(name string, w []string, m route.Mark) {
	r := b.steers.named(name, m)
	if w[0] == "action" {
		r.mark = m
	}
	r.values[w[0]] = append(r.values[w[0]], members(w[1:])...)
}

// steerSaysNothing are keys of a policy of routing that do not narrow what it fits, or are read.
var steerSaysNothing = []string{"from", "source", "destination", "service", "application", "action", "disabled",
	"description", "tag", "group-tag", "uuid"}

// steering makes rules of the policies of routing, in their order. They are asked for the first packet of a flow;
// whether what answers it is sent so too is not told.
func (b *rulebase) steering(r *reader) {
	var first route.Mark
	for _, x := range b.steers.All {
		if x.first("disabled") == "yes" {
			continue
		}
		if first == (route.Mark{}) {
			first = x.mark
		}
		to := b.detour(r, x)
		for _, f := range b.steered(x).Unfold(nil, x.mark) {
			f.Permit, f.Detour = true, to
			for _, one := range filters.AskedOnce(f) {
				r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: steered, FlowRule: one})
			}
		}
	}
	if first != (route.Mark{}) {
		r.Facts.Applied = append(r.Facts.Applied, network.AppliedFilter{List: steered,
			Rule: network.FlowRule{Hook: network.Steered, Permit: true, Mark: first}})
	}
}

// steered is what a policy fits.
func (b *rulebase) steered(x *namedRule) filters.Rule {
	var rule filters.Rule
	rule.From, rule.To = b.addresses(x.values["source"]), b.addresses(x.values["destination"])
	if rule.Services = b.services(x.values["service"]); len(x.values["service"]) == 0 {
		rule.Services = filters.Services{}
	}
	from := x.values["from"]
	switch {
	case len(from) > 1 && from[0] == "interface":
		rule.In = withoutWord(from, "interface")
	case len(from) > 1 && from[0] == "zone":
		var known bool
		rule.In, known = b.interfaces(withoutWord(from, "zone"))
		rule.Undecided = !known
	default:
		rule.Undecided = true
	}
	for key, v := range x.values {
		if !slices.Contains(steerSaysNothing, key) && slices.ContainsFunc(v, func(s string) bool {
			return s != "any" && s != "no" && s != "enabled"
		}) {
			rule.Undecided = true
		}
	}
	if apps := x.values["application"]; len(apps) > 0 && !slices.Contains(apps, "any") {
		rule.Undecided = true
	}
	return rule
}

// withoutWord is v without a word that stands once a line.
func withoutWord(v []string, word string) []string {
	return slices.DeleteFunc(slices.Clone(v), func(s string) bool { return s == word })
}

// detour is where a policy sends packets: "forward egress-interface I" with "nexthop ip-address A", "discard",
// "no-pbf". One that watches its next hop may be asleep.
func (b *rulebase) detour(r *reader, x *namedRule) network.Detour {
	w := x.values["action"]
	open := network.Detour{Open: true}
	switch {
	case len(w) == 1 && w[0] == "no-pbf":
		return network.Detour{}
	case len(w) == 1 && w[0] == "discard":
		return network.Detour{Drop: true}
	case slices.Contains(w, "monitor"), slices.Contains(w, "fqdn"):
		return open
	}
	var ifname string
	var hop netip.Addr
	for i, s := range w {
		if i+1 < len(w) && s == "egress-interface" {
			ifname = w[i+1]
		}
		if i+1 < len(w) && s == "ip-address" {
			hop = b.address1(w[i+1])
		}
	}
	there := slices.ContainsFunc(r.Facts.Addresses, func(a network.Address) bool {
		return a.Interface == ifname && a.Prefix.Masked().Contains(hop)
	})
	if !hop.IsValid() || hop.IsLinkLocalUnicast() || !there {
		return open
	}
	return network.Detour{NextHop: hop}
}
