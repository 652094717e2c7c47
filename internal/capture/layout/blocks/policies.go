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
	"permit-stun-host", "delay-tcp-npu-session", "emailfilter-profile", "file-filter-profile", "waf-profile",
	"ztna-status"}

// policies makes rules of the policies, in their order. What fits none is denied.
func (r *reader) policies(zones map[string][]string) {
	var last, translated route.Mark
	pairs := map[[2]string]bool{} // whether all policies that permit between two interfaces translate
	for _, o := range r.objects {
		if o.section != "firewall policy" && o.section != "firewall policy6" || o.first("status") == "disable" {
			continue
		}
		if o.name == "" {
			last = o.mark
			continue
		}
		rule := r.policy(o, zones)
		zoned := r.mayBeZones(o, zones)
		flows := rule.Unfold(nil, o.markOf("action"))
		if o.section == "firewall policy6" {
			for i := range flows {
				flows[i].Family = route.IPv6
			}
		}
		if len(r.Facts.ListRules) > filters.MostTotal && len(flows) > 1 {
			flows = filters.Not(nil, o.markOf("action"))
		}
		for _, f := range flows {
			r.Facts.ListRules = append(r.Facts.ListRules,
				network.ListRule{List: between, FlowRule: f, Zones: zoned})
		}
		if rule.Permit {
			if o.first("nat") == "enable" {
				translated = o.markOf("nat")
			}
			key := [2]string{strings.Join(o.get("srcintf"), " "), strings.Join(o.get("dstintf"), " ")}
			now := o.first("nat") == "enable" && o.first("ippool") != "enable"
			if was, seen := pairs[key]; !seen || was {
				pairs[key] = now
			}
		}
	}
	if last == (route.Mark{}) {
		return
	}
	r.Facts.Policy.Stateful = last
	r.Facts.Applied = append(r.Facts.Applied, network.AppliedFilter{List: between, Rule: network.FlowRule{Mark: last}})
	if translated == (route.Mark{}) {
		return
	}
	for _, o := range r.objects {
		if o.section != "firewall policy" || o.name == "" || o.first("nat") != "enable" ||
			o.first("status") == "disable" || o.first("action") != "accept" {
			continue
		}
		key := [2]string{strings.Join(o.get("srcintf"), " "), strings.Join(o.get("dstintf"), " ")}
		rule := r.policy(o, zones)
		rule.Undecided = rule.Undecided || !pairs[key]
		for _, f := range rule.Unfold(nil, o.markOf("nat")) {
			r.Facts.Policy.Translations = append(r.Facts.Policy.Translations, network.Translation{
				Protocol: f.Protocol, From: f.From, To: f.To, ToPorts: f.ToPorts, In: f.In, Out: f.Out,
				Undecided: f.Undecided, Mark: f.Mark,
			})
		}
	}
}

// mayBeZones reports whether a policy names what is neither an interface nor a zone of this text.
func (r *reader) mayBeZones(o *object, zones map[string][]string) bool {
	return slices.ContainsFunc(slices.Concat(o.get("srcintf"), o.get("dstintf")), func(name string) bool {
		_, zone := zones[name]
		return name != "any" && !zone && !r.ports[name]
	})
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
	interfaces := func(names []string) (out []string) {
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
	rule.In, rule.Out = interfaces(o.get("srcintf")), interfaces(o.get("dstintf"))
	addresses := func(keys ...string) filters.Addresses {
		out := filters.NoAddresses
		some := false
		for _, k := range keys {
			for _, n := range o.get(k) {
				some = true
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
