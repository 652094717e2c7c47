package blocks

import (
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// between is the name of the list of policies between interfaces.
const between = "policies between interfaces"

// understood are keys of a policy that do not narrow what it fits, or are read.
var understood = []string{"name", "uuid", "srcintf", "dstintf", "srcaddr", "dstaddr", "srcaddr6", "dstaddr6", "service",
	"action", "schedule", "status", "nat", "comments",
	"comment", "logtraffic", "logtraffic-start", "utm-status", "inspection-mode", "ssl-ssh-profile", "av-profile",
	"ips-sensor", "webfilter-profile",
	"application-list", "profile-protocol-options", "profile-type", "profile-group", "dnsfilter-profile",
	"capture-packet", "auto-asic-offload", "np-acceleration", "ippool", "poolname",
	"fixedport", "tcp-mss-sender", "tcp-mss-receiver", "traffic-shaper", "traffic-shaper-reverse", "label",
	"global-label", "anti-replay", "session-ttl", "match-vip", "permit-any-host",
	"permit-stun-host", "delay-tcp-npu-session", "emailfilter-profile", "file-filter-profile", "waf-profile"}

// policies makes rules of the policies, in their order. What fits none is denied.
func (r *reader) policies(zones map[string][]string) {
	var last route.Mark
	r.readOutsides(zones)
	r.withinZones(zones, true)
	for _, o := range r.objects {
		if o.section != "firewall policy" && o.section != "firewall policy6" || o.first("status") == "disable" {
			continue
		}
		if o.name == "" {
			last = o.mark
			continue
		}
		zoned := r.mayBeZones(o, zones)
		for _, f := range r.flows(o, zones) {
			r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: between, FlowRule: f, Zones: zoned})
		}
	}
	r.withinZones(zones, false)
	r.inward()
	if last == (route.Mark{}) {
		return
	}
	r.Facts.Policy.Stateful = last
	r.Facts.Applied = append(r.Facts.Applied, network.AppliedFilter{List: between, Rule: network.FlowRule{Mark: last}})
	r.outward(zones)
}

// withinZones lets packets pass between the interfaces of a zone that allows that without a policy. Whether it comes
// before policies that deny them is not known: it may stand in front of them, and does behind them.
func (r *reader) withinZones(zones map[string][]string, undecided bool) {
	for _, o := range r.objects {
		if o.section != "system zone" || o.first("intrazone") != "allow" {
			continue
		}
		rule := filters.Rule{Permit: true, Undecided: undecided, In: zones[o.name], Out: zones[o.name]}
		for _, f := range rule.Unfold(nil, o.markOf("intrazone")) {
			r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: between, FlowRule: f})
		}
	}
}

// flows unfolds one policy. Where there are outer addresses, one that names such fits packets whose destination the
// device turned from them alone; whether any other fits those too differs from release to release.
func (r *reader) flows(o *object, zones map[string][]string) []network.FlowRule {
	rule, mark := r.policy(o, zones), o.markOf("action")
	if o.section == "firewall policy6" {
		rule.Family = route.IPv6
	}
	found, others := r.outsidesIn(slices.Concat(o.get("dstaddr"), o.get("dstaddr6")))
	var out []network.FlowRule
	switch plain := rule.Unfold(nil, mark); {
	case len(r.outsides) == 0:
		out = plain
	case len(found) == 0 || len(others) > 0:
		for _, f := range plain {
			f.Turned = network.NotTurnedHere
			out = append(out, f)
		}
		for _, f := range plain {
			f.Turned, f.Undecided = network.TurnedHere, true
			out = append(out, f)
		}
	}
	if len(found) > 0 {
		for _, x := range found {
			x.used = true
		}
		rule.To = inner(found)
		for _, f := range rule.Unfold(nil, mark) {
			f.Turned = network.TurnedHere
			out = append(out, f)
		}
	}
	if len(r.Facts.ListRules) > filters.MostTotal && len(out) > 1 {
		return filters.Not(nil, mark)
	}
	return out
}

// mayBeZones reports whether a policy names what is neither an interface nor a zone of this text.
func (r *reader) mayBeZones(o *object, zones map[string][]string) bool {
	named := slices.Concat(o.get("srcintf"), o.get("dstintf"), o.get("input-device"))
	return slices.ContainsFunc(named, func(name string) bool {
		_, zone := zones[name]
		return name != "any" && !zone && !r.ports[name]
	})
}

// interfacesOf are the interfaces that names stand for, those of zones too; nil for any.
func interfacesOf(names []string, zones map[string][]string) (out []string) {
	for _, n := range names {
		if n == "any" {
			return nil
		}
		if members, ok := zones[n]; ok {
			out = append(out, members...)
			continue
		}
		out = append(out, n)
	}
	return out
}

// policy reads one policy.
func (r *reader) policy(o *object, zones map[string][]string) filters.Rule {
	rule := filters.Rule{Services: filters.NoServices}
	switch o.first("action") {
	case "accept":
		rule.Permit = true
	case "", "deny":
	default:
		rule.Permit, rule.Undecided = true, true
	}
	rule.In, rule.Out = interfacesOf(o.get("srcintf"), zones), interfacesOf(o.get("dstintf"), zones)
	addresses := func(keys ...string) filters.Addresses {
		out := filters.NoAddresses
		some := false
		for _, k := range keys {
			_, names := r.outsidesIn(o.get(k))
			some = some || len(o.get(k)) > 0
			for _, n := range names {
				out = out.Join(r.groups.AddressNamed(n))
			}
		}
		if !some {
			out.Unsure = true
		}
		return out
	}
	rule.From, rule.To = addresses("srcaddr", "srcaddr6"), addresses("dstaddr", "dstaddr6")
	for _, n := range o.get("service") {
		rule.Services = rule.Services.Join(r.groups.Services(n))
	}
	if len(o.get("service")) == 0 {
		rule.Services = filters.Services{Unsure: rule.Permit}
	}
	for _, s := range o.settings {
		switch {
		case s.key == "schedule" && !slices.Contains(s.values, "always"),
			strings.HasSuffix(s.key, "-negate") && slices.Contains(s.values, "enable"):
			rule.Undecided = true
		case !slices.Contains(understood, s.key) && !slices.Contains(s.values, "disable") &&
			!strings.HasSuffix(s.key, "-negate"):
			rule.Undecided = true
		}
	}
	if slices.ContainsFunc(o.settings, func(s setting) bool {
		return strings.HasSuffix(s.key, "-negate") && slices.Contains(s.values, "enable")
	}) { // it fits what it names not
		rule.From, rule.To, rule.Services = filters.Addresses{}, filters.Addresses{}, filters.Services{}
	}
	return rule
}
