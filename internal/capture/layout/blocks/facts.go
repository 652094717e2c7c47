package blocks

import (
	"cmp"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// facts makes facts of the objects. Devices within the device are not told apart: nothing is promised of them.
func (r *reader) facts() {
	if i := slices.IndexFunc(r.objects,
		func(o *object) bool { return o.section == "vdom" && o.name != "" && o.name != "root" }); i >= 0 {
		r.restrict(network.FlowRule{}, r.objects[i].mark)
	}
	zones := map[string][]string{}
	r.ports = map[string]bool{}
	for _, o := range r.objects {
		switch o.section {
		case "system interface":
			r.ports[o.name] = true
		case "members": // of the zone of several links, which has a name of its own where none is given
			if p := o.parent; o.name != "" && p != nil && p.parent != nil &&
				(p.parent.section == "system sdwan" || p.parent.section == "system virtual-wan-link") {
				zone := cmp.Or(o.first("zone"), "virtual-wan-link")
				zones[zone] = append(zones[zone], o.first("interface"))
			}
		case "firewall address", "firewall address6", "firewall addrgrp", "firewall addrgrp6":
			r.addresses(o)
		case "firewall service custom", "firewall service group":
			r.services(o)
		case "system zone":
			if o.name != "" {
				zones[o.name] = o.get("interface")
			}
		}
	}
	r.withoutPolicies()
	for _, o := range r.objects {
		if o.section == "system settings" && o.first("opmode") == "transparent" { // it is no router then
			r.restrict(network.FlowRule{}, o.mark)
		}
		if o.section == "system settings" && o.first("ngfw-mode") == "policy-based" { // other policies decide then
			r.RestrictForwarded(network.FlowRule{}, int(o.mark.Off), int(o.mark.End))
		}
		if o.section == "firewall ipmacbinding setting" && o.first("bindthroughfw") == "enable" { // by link-layer addresses
			r.RestrictForwarded(network.FlowRule{}, int(o.mark.Off), int(o.mark.End))
		}
		if o.name == "" {
			continue
		}
		switch o.section {
		case "system interface", "secondaryip", "ip6-extra-addr":
			r.port(o)
		case "vrrp", "vrrp6":
			r.virtual(o)
		case "router static":
			r.static(o)
		case "router static6":
			r.static(o)
		case "system link-monitor":
			r.linkMonitor(o)
		case "firewall vip46", "firewall vip64", "firewall interface-policy", "firewall acl", "firewall acl6",
			"firewall DoS-policy":
			if o.first("status") != "disable" {
				r.restrict(network.FlowRule{}, o.mark)
			}
		case "firewall central-snat-map", "firewall security-policy",
			"firewall ttl-policy", "firewall proxy-policy":
			if o.first("status") != "disable" {
				r.RestrictForwarded(network.FlowRule{}, int(o.mark.Off), int(o.mark.End))
			}
		case "service": // which of several links packets take, whatever routes tell
			if p := o.parent; p != nil && p.parent != nil &&
				(p.parent.section == "system sdwan" || p.parent.section == "system virtual-wan-link") &&
				o.first("status") != "disable" {
				r.restrict(network.FlowRule{Hook: network.Steered}, o.mark)
			}
		case "firewall local-in-policy", "firewall local-in-policy6":
			r.restrict(network.FlowRule{Hook: network.ForItself}, o.mark)
		}
	}
	r.sourceChecks()
	r.tunnels()
	r.steering(zones)
	r.policies(zones)
}

// sourceChecks keeps which sources packets may come in with (RFC 3704): those to which any route leads by that
// interface, unless the text says otherwise.
func (r *reader) sourceChecks() {
	usual := network.SourceCheck{Mode: network.CheckFeasible, Usual: true}
	for _, o := range r.objects {
		switch {
		case o.section == "system settings" && o.first("asymroute") == "enable":
			return
		case o.section == "system settings" && o.first("strict-src-check") == "enable":
			usual.Mode, usual.Usual, usual.Mark = network.CheckStrict, false, o.markOf("strict-src-check")
		case o.section == "system interface" && o.name != "" && o.first("src-check") == "disable":
			r.Facts.Checks = append(r.Facts.Checks, network.SourceCheck{Interface: o.name, Mark: o.markOf("src-check")})
		case o.section == "system interface" && o.name != "" && usual.Mark == (route.Mark{}):
			usual.Mark = o.mark
		}
	}
	if usual.Mark != (route.Mark{}) {
		r.Facts.Checks = append(r.Facts.Checks, usual)
	}
}

func (r *reader) restrict(rule network.FlowRule, m route.Mark) {
	r.Restrict(rule, int(m.Off), int(m.End))
}

// addresses reads an address or a group of them.
func (r *reader) addresses(o *object) {
	if o.name == "" {
		return
	}
	unsure := filters.Addresses{Some: true, Unsure: true}
	r.groups.DeclareAddresses(o.name)
	if o.first("exclude") == "enable" {
		r.groups.AddAddresses(o.name, unsure)
	}
	if members := o.get("member"); strings.HasPrefix(o.section, "firewall addrgrp") {
		for _, m := range members {
			r.groups.AddAddressMember(o.name, m)
		}
		return
	}
	subnet, six := o.get("subnet"), o.first("ip6")
	switch kind := o.first("type"); {
	case kind == "iprange":
		a, ok := filters.Range(o.first("start-ip"), o.first("end-ip"))
		if !ok {
			a = unsure
		}
		r.groups.AddAddresses(o.name, a)
	case kind != "" && kind != "ipmask" && kind != "ipprefix":
		r.groups.AddAddresses(o.name, unsure)
	case len(subnet) == 2:
		a, ok := filters.Masked(subnet[0], subnet[1], false)
		if !ok {
			a = unsure
		}
		r.groups.AddAddresses(o.name, a)
	case len(subnet) == 1:
		a, ok := filters.Address(subnet[0])
		if !ok {
			a = unsure
		}
		r.groups.AddAddresses(o.name, a)
	case six != "":
		a, ok := filters.Address(six)
		if !ok {
			a = unsure
		}
		r.groups.AddAddresses(o.name, a)
	case subnet != nil:
		r.groups.AddAddresses(o.name, unsure)
	case strings.EqualFold(o.name, "all"), strings.EqualFold(o.name, "any"):
		r.groups.AddAddresses(o.name, filters.Addresses{})
	default: // without a subnet it is the one of all addresses
		a, _ := filters.Address("0.0.0.0/0")
		if strings.HasSuffix(o.section, "6") {
			a, _ = filters.Address("::/0")
		}
		r.groups.AddAddresses(o.name, a)
	}
}

// services reads a service or a group of them.
func (r *reader) services(o *object) {
	if o.name == "" {
		return
	}
	if o.section == "firewall service group" {
		r.groups.DeclareServices(o.name)
		for _, m := range o.get("member") {
			r.groups.AddServiceMember(o.name, m)
		}
		return
	}
	out := filters.NoServices
	add := func(protocol string, ranges []string) {
		for _, x := range ranges {
			to, from, both := strings.Cut(x, ":")
			ports, ok := filters.PortRanges(to, protocol)
			froms := []network.Ports{{}}
			if both {
				var sure bool
				froms, sure = filters.PortRanges(from, protocol)
				ok = ok && sure
			}
			out.Unsure = out.Unsure || !ok
			for _, p := range ports {
				for _, f := range froms {
					out.List = append(out.List, filters.Service{Protocol: protocol, To: p, From: f})
				}
			}
		}
	}
	add("tcp", o.get("tcp-portrange"))
	add("udp", o.get("udp-portrange"))
	add("sctp", o.get("sctp-portrange"))
	switch kind := o.first("protocol"); kind {
	case "", "TCP/UDP/SCTP", "TCP/UDP/UDP-Lite/SCTP", "ALL", "TCP", "UDP":
	case "ICMP", "ICMP6":
		s := filters.Service{Protocol: map[string]string{"ICMP": "icmp", "ICMP6": "icmpv6"}[kind]}
		if t := o.first("icmptype"); t != "" {
			n, ok := filters.ICMPType(t, kind == "ICMP6")
			s.Type, out.Unsure = n, out.Unsure || !ok
		}
		out.List = append(out.List, s)
	case "IP":
		p, ok := filters.Protocol(o.first("protocol-number"))
		if o.first("protocol-number") == "" || o.first("protocol-number") == "0" {
			r.groups.AddServices(o.name, filters.Services{})
			return
		}
		out.Unsure = out.Unsure || !ok
		out.List = append(out.List, filters.Service{Protocol: p})
	default:
		out.Unsure = true
	}
	if len(out.List) == 0 {
		known, ok := filters.WellKnown(o.name)
		if out = known; !ok {
			out = filters.Services{Some: true, Unsure: true}
		}
	}
	if o.get("fqdn") != nil || o.get("iprange") != nil && o.first("iprange") != "0.0.0.0" {
		out.Unsure = true
	}
	r.groups.AddServices(o.name, out)
}

// port reads an interface, and further addresses of one.
func (r *reader) port(o *object) {
	ifname := o.name
	if o.section != "system interface" {
		if o.parent == nil || o.parent.parent == nil || o.parent.parent.section != "system interface" {
			return
		}
		ifname = o.parent.parent.name
	}
	if o.first("status") == "down" {
		r.Facts.Interfaces = append(r.Facts.Interfaces,
			network.Interface{Name: ifname, State: network.LinkDown, Configured: true, Mark: o.markOf("status")})
	}
	r.access(o, ifname)
	for _, s := range o.settings {
		if s.key != "ip" && s.key != "ip6-address" || len(s.values) == 0 {
			continue
		}
		p, err := layout.Prefix([]byte(strings.Join(s.values, "/")), false)
		if err == nil && !p.Addr().IsUnspecified() {
			r.Facts.Addresses = append(r.Facts.Addresses,
				network.Address{Prefix: p, Interface: ifname, Table: tableOf(o), Configured: true, Mark: s.mark})
		}
	}
}

// virtual reads a virtual address of an interface (RFC 9568).
func (r *reader) virtual(o *object) {
	if o.parent == nil || o.parent.parent == nil || o.parent.parent.section != "system interface" ||
		o.first("status") == "disable" {
		return
	}
	for _, key := range []string{"vrip", "vrip6"} {
		if a, ok := layout.Addr([]byte(o.first(key))); ok {
			r.Facts.Virtuals = append(r.Facts.Virtuals,
				network.VirtualAddress{Address: a, Interface: o.parent.parent.name, Mark: o.markOf(key)})
		}
	}
}

// listeners are the services of the device itself that an interface lets in by name.
var listeners = []struct {
	name, protocol string
	port           uint16
}{{"ssh", "tcp", 22}, {"https", "tcp", 443}, {"http", "tcp", 80}, {"telnet", "tcp", 23}, {"snmp", "udp", 161}}

// access reads what an interface lets in for the device itself.
func (r *reader) access(o *object, ifname string) {
	if o.section != "system interface" || o.get("ip") == nil {
		return
	}
	mark, list := o.markOf("allowaccess"), "access by "+ifname
	cut := o.cut && o.get("allowaccess") == nil
	rule := network.FlowRule{Protocol: "icmp", Type: 9, Permit: slices.Contains(o.get("allowaccess"), "ping"),
		Undecided: cut, Mark: mark}
	r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: list, FlowRule: rule})
	for _, l := range listeners {
		rule := network.FlowRule{Protocol: l.protocol, ToPorts: network.Ports{Lo: l.port, Hi: l.port},
			Permit: slices.Contains(o.get("allowaccess"), l.name), Undecided: cut, Mark: mark}
		r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: list, FlowRule: rule})
	}
	r.Facts.Applied = append(r.Facts.Applied,
		network.AppliedFilter{List: list, Rule: network.FlowRule{In: ifname, Hook: network.ForItself, Permit: true,
			Mark: mark}})
}

// tableOf is the table of an interface in another one than the main.
func tableOf(o *object) string {
	if v := o.first("vrf"); v != "" && v != "0" {
		return v
	}
	return ""
}

// static reads a configured route. One for a service of many addresses is no route of the table: it decides before that.
// One for a named address is one for each prefix that this has.
func (r *reader) static(o *object) {
	if o.first("status") == "disable" {
		return
	}
	if o.first("internet-service") != "" || o.first("internet-service-custom") != "" {
		r.restrict(network.FlowRule{Hook: network.Steered}, o.mark)
		return
	}
	if name := o.first("dstaddr"); name != "" {
		if to := r.groups.Addresses(name); !to.Unsure {
			for _, p := range to.Prefixes {
				r.staticTo(o, p, "dstaddr")
			}
		}
		return
	}
	dst := o.get("dst")
	p := netip.PrefixFrom(netip.IPv4Unspecified(), 0)
	if o.section == "router static6" {
		p = netip.PrefixFrom(netip.IPv6Unspecified(), 0)
	}
	if len(dst) > 0 {
		got, err := layout.Prefix([]byte(strings.Join(dst, "/")), false)
		if err != nil {
			return
		}
		p = got
	}
	r.staticTo(o, p, "dst")
}

// staticTo reads a configured route to a prefix, which the setting of that name tells.
func (r *reader) staticTo(o *object, p netip.Prefix, told string) {
	s := network.Static{Prefix: p.Masked(), Mark: o.markOf(told)}
	if v := o.first("vrf"); v != "" && v != "0" {
		s.Table = v
	}
	if n, ok := layout.Uint([]byte(o.first("distance"))); ok && len(o.get("distance")) > 0 {
		s.Preference = route.N(n)
	}
	if o.first("blackhole") == "enable" {
		s.Special = route.Blackhole
	}
	if a, ok := layout.Addr([]byte(o.first("gateway"))); ok && !a.IsUnspecified() {
		s.NextHop.Address = a
	}
	s.NextHop.Interface = o.first("device")
	if s.Special == route.None && s.NextHop == (route.NextHop{}) {
		return
	}
	r.Facts.Statics = append(r.Facts.Statics, s)
}

// linkMonitor reads what watches a link, and takes static routes by it away unless it is told not to.
func (r *reader) linkMonitor(o *object) {
	if o.first("status") == "disable" || o.first("update-static-route") == "disable" || o.first("srcintf") == "" {
		return
	}
	w := network.Watch{Tie: network.Tie{Object: o.name}, NextHop: route.NextHop{Interface: o.first("srcintf")}, Mark: o.mark}
	if a, ok := layout.Addr([]byte(o.first("gateway-ip"))); ok && !a.IsUnspecified() {
		w.NextHop.Address = a
	}
	r.Facts.Watches = append(r.Facts.Watches, w)
}

// withoutPolicies keeps of a configuration of the whole device that has no policy that none lets packets through, or
// that they are not in it.
func (r *reader) withoutPolicies() {
	global := slices.IndexFunc(r.objects, func(o *object) bool { return o.section == "system global" })
	ports := slices.ContainsFunc(r.objects, func(o *object) bool { return o.section == "system interface" && o.name != "" })
	policies := slices.ContainsFunc(r.objects, func(o *object) bool {
		return o.section == "firewall policy" || o.section == "firewall policy6" || o.section == "firewall security-policy"
	})
	if global >= 0 && ports && !policies {
		m := r.objects[global].mark
		r.RestrictForwarded(network.FlowRule{}, int(m.Off), int(m.End))
	}
}
