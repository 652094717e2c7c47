package paths

import (
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// facts makes facts of the items.
func (r *reader) facts() {
	for _, i := range r.items {
		if i.verb != "add" || i.off() {
			continue
		}
		switch i.section {
		case "interface list member":
			r.members[i.get("list")] = append(r.members[i.get("list")], i.get("interface"))
		case "ip firewall address-list", "ipv6 firewall address-list":
			a, ok := filters.Address(i.get("address"))
			a.Some, a.Unsure = true, !ok
			r.groups.AddAddresses(i.get("list"), a)
		case "ip vrf":
			for ifname := range strings.SplitSeq(i.get("interfaces"), ",") {
				r.tables[ifname] = i.get("name")
			}
		}
	}
	for _, i := range r.items {
		switch i.section {
		case "ip address", "ipv6 address":
			r.address(i)
		case "ip route", "ipv6 route":
			r.static(i)
		case "ip settings", "ipv6 settings":
			r.settings(i)
		}
		r.elsewhere(i)
		if strings.HasPrefix(i.section, "interface") && i.off() {
			if n := i.get("name"); n != "" {
				r.Facts.Interfaces = append(r.Facts.Interfaces,
					network.Interface{Name: n, State: network.LinkDown, Configured: true, Mark: i.mark})
			}
		}
	}
	r.tunnels()
	r.rules()
	r.translations()
	r.steering()
}

// elsewhere keeps what decides over packets beside filters: policies of IPsec (RFC 4301), portals in front of an
// interface, rules for frames.
func (r *reader) elsewhere(i *item) {
	if i.verb != "add" || i.off() {
		return
	}
	switch i.section {
	case "ip ipsec policy":
		if i.get("action") != "none" && i.get("template") != "yes" {
			r.restrict(network.FlowRule{}, i.mark)
		}
	case "ip hotspot":
		r.restrict(network.FlowRule{Hook: network.ComingIn, In: i.get("interface")}, i.mark)
	case "interface ethernet switch rule", "interface ethernet switch acl", "interface bridge filter":
		r.restrict(network.FlowRule{Hook: network.ComingIn}, i.mark)
	}
}

func (r *reader) restrict(rule network.FlowRule, m route.Mark) {
	r.Restrict(rule, int(m.Off), int(m.End))
}

func (r *reader) address(i *item) {
	if i.verb != "add" || i.off() {
		return
	}
	p, err := layout.Prefix([]byte(i.get("address")), false)
	if err != nil || i.get("interface") == "" || i.get("from-pool") != "" {
		return
	}
	r.Facts.Addresses = append(r.Facts.Addresses, network.Address{
		Prefix: p, Interface: i.get("interface"), Table: r.tables[i.get("interface")], Configured: true, Mark: i.mark,
	})
}

// static reads a configured route; several gateways are as many next hops.
func (r *reader) static(i *item) {
	if i.verb != "add" || i.off() {
		return
	}
	dst := i.get("dst-address")
	if dst == "" {
		dst = "0.0.0.0/0"
		if strings.HasPrefix(i.section, "ipv6") {
			dst = "::/0"
		}
	}
	p, err := layout.Prefix([]byte(dst), true)
	if err != nil {
		return
	}
	s := network.Static{Prefix: p.Masked(), Table: i.get("routing-table"), Mark: i.mark}
	if m := i.get("routing-mark"); m != "" {
		s.Table = m
	}
	if s.Table == "main" {
		s.Table = ""
	}
	if n, ok := layout.Uint([]byte(i.get("distance"))); ok && i.get("distance") != "" {
		s.Preference = route.N(n)
	}
	switch check := i.get("check-gateway"); check {
	case "", "none":
	case "bfd":
		s.Tie.Session = true
	default:
		s.Tie.Object = "check-gateway " + check
	}
	kinds := map[string]route.Special{"blackhole": route.Blackhole, "unreachable": route.Unreachable,
		"prohibit": route.Prohibit}
	if k, ok := kinds[i.get("type")]; ok {
		s.Special = k
		r.Facts.Statics = append(r.Facts.Statics, s)
		return
	}
	for g := range strings.SplitSeq(i.get("gateway"), ",") {
		addr, dev, _ := strings.Cut(g, "%")
		s.NextHop = route.NextHop{Interface: dev}
		if a, ok := layout.Addr([]byte(addr)); ok {
			s.NextHop.Address = a
		} else if dev == "" {
			s.NextHop.Interface = addr
		}
		if s.NextHop != (route.NextHop{}) {
			r.Facts.Statics = append(r.Facts.Statics, s)
		}
	}
}

// settings reads whether the device forwards, and checks sources.
func (r *reader) settings(i *item) {
	fam := route.IPv4
	if strings.HasPrefix(i.section, "ipv6") {
		fam = route.IPv6
	}
	if i.get("ip-forward") == "no" || i.get("forward") == "no" {
		r.Facts.Forwarding = append(r.Facts.Forwarding, network.Switch{Family: fam, Mark: i.mark})
	}
	mode, ok := map[string]network.CheckMode{"strict": network.CheckStrict,
		"loose": network.CheckLoose}[i.get("rp-filter")]
	if ok {
		r.Facts.Checks = append(r.Facts.Checks, network.SourceCheck{Family: fam, Mode: mode, Mark: i.mark})
	}
}
