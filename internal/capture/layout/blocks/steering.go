package blocks

import (
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// steered is the name of the list of policies of routing.
const steered = "policies of routing"

// aboutSteering are keys of a policy of routing that do not narrow what it fits, or are read.
var aboutSteering = []string{"input-device", "src", "dst", "srcaddr", "dstaddr", "protocol", "start-port", "end-port",
	"start-source-port", "end-source-port", "gateway", "output-device", "action", "status", "comments", "seq-num", "tos",
	"tos-mask", "uuid"}

// steering makes rules of the policies of routing, in their order: the first that fits says where packets go, whatever
// routes tell. They are asked for the first packet of a flow; whether what answers it is sent so too is not told.
func (r *reader) steering(zones map[string][]string) {
	var first route.Mark
	for _, o := range r.objects {
		if o.section != "router policy" && o.section != "router policy6" || o.name == "" || o.first("status") == "disable" {
			continue
		}
		if first == (route.Mark{}) {
			first = o.mark
		}
		rule, to := r.steeringRule(o, zones)
		if rule.Family = route.IPv4; o.section == "router policy6" {
			rule.Family = route.IPv6
		}
		for _, f := range rule.Unfold(nil, o.mark) {
			f.Permit, f.Detour = true, to
			for _, one := range filters.AskedOnce(f) {
				r.Facts.ListRules = append(r.Facts.ListRules,
					network.ListRule{List: steered, FlowRule: one, Zones: r.mayBeZones(o, zones)})
			}
		}
	}
	if first != (route.Mark{}) {
		r.Facts.Applied = append(r.Facts.Applied, network.AppliedFilter{List: steered,
			Rule: network.FlowRule{Hook: network.Steered, Permit: true, Mark: first}})
	}
}

// steeringRule reads what one policy fits and where it sends that.
func (r *reader) steeringRule(o *object, zones map[string][]string) (rule filters.Rule, to network.Detour) {
	rule.In = interfacesOf(o.get("input-device"), zones)
	rule.From, rule.To = r.ends(o, "src", "srcaddr"), r.ends(o, "dst", "dstaddr")
	for _, s := range o.settings {
		off := slices.Contains(s.values, "disable") || strings.Trim(strings.Join(s.values, ""), "0x") == ""
		rule.Undecided = rule.Undecided || !off &&
			(!slices.Contains(aboutSteering, s.key) || strings.HasPrefix(s.key, "tos"))
	}
	service := filters.Service{}
	var ok bool
	if p := o.first("protocol"); p != "" && p != "0" {
		service.Protocol, ok = filters.Protocol(p)
		rule.Undecided = rule.Undecided || !ok
	}
	if filters.HasPorts(service.Protocol) {
		var okTo, okFrom bool
		service.To, okTo = portsBetween(o.first("start-port"), o.first("end-port"))
		service.From, okFrom = portsBetween(o.first("start-source-port"), o.first("end-source-port"))
		rule.Undecided = rule.Undecided || !okTo || !okFrom
	}
	if service != (filters.Service{}) {
		rule.Services = filters.Services{Some: true, List: []filters.Service{service}}
	}
	if o.first("action") == "deny" { // it goes by its destination
		return rule, network.Detour{}
	}
	a, err := netip.ParseAddr(o.first("gateway"))
	if err != nil || a.IsUnspecified() || a.IsLinkLocalUnicast() || !r.on(o.first("output-device"), a) {
		return rule, network.Detour{Open: true}
	}
	return rule, network.Detour{NextHop: a}
}

// ends reads addresses with masks under one key, and names under another.
func (r *reader) ends(o *object, plain, named string) filters.Addresses {
	out, some := filters.NoAddresses, false
	for _, s := range o.get(plain) {
		some = true
		a, ok := filters.Address(s)
		if address, mask, masked := strings.Cut(s, "/"); masked && strings.Contains(mask, ".") {
			a, ok = filters.Masked(address, mask, false)
		}
		if !ok {
			a = filters.Addresses{Some: true, Unsure: true}
		}
		out = out.Join(a)
	}
	for _, n := range o.get(named) {
		some = true
		out = out.Join(r.groups.AddressNamed(n))
	}
	if !some {
		return filters.Addresses{}
	}
	return out
}

// on reports whether a next hop is in a network of the interface that is named beside it, where one is.
func (r *reader) on(ifname string, a netip.Addr) bool {
	return ifname == "" || slices.ContainsFunc(r.Facts.Addresses, func(x network.Address) bool {
		return x.Interface == ifname && x.Prefix.Masked().Contains(a)
	})
}

// portsBetween reads a range of ports, of which either end may be left out or stand for all.
func portsBetween(lo, hi string) (network.Ports, bool) {
	if slices.Contains([]string{"", "0", "1"}, lo) && slices.Contains([]string{"", "0", "65535"}, hi) {
		return network.Ports{}, true
	}
	if hi == "" {
		hi = lo
	}
	return portRange(lo + "-" + hi)
}
