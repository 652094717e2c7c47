package blocks

import (
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// mapped is one outer address that the device puts an inner one in place of (RFC 3022).
type mapped struct{ outer, inner netip.Addr }

// An outside is a set of outer addresses under one name, which policies name as their destination.
type outside struct {
	pairs     []mapped
	protocol  string // "": any
	ports     network.Ports
	port      uint16   // inside; 0: as it was
	in        []string // interfaces; nil for any
	silent    bool     // it does not answer for the addresses on its links
	undecided bool
	used      bool // by a policy that is in force
	mark      route.Mark
}

// aboutOutsides are keys of an outer address that do not narrow what it fits, or are read.
var aboutOutsides = []string{"extip", "mappedip", "extintf", "portforward", "protocol", "extport", "mappedport", "type",
	"comment", "comments", "color", "uuid", "id", "arp-reply", "nat44", "nat46", "status", "portmapping-type",
	"gratuitous-arp-interval", "ndp-reply"}

// readOutsides reads the outer addresses and their groups. What is not understood of one restricts as a line does.
func (r *reader) readOutsides(zones map[string][]string) {
	r.outsides, r.outsideGroups = map[string]*outside{}, map[string][]string{}
	for _, o := range r.objects {
		switch {
		case o.name == "":
		case o.section == "firewall vipgrp" || o.section == "firewall vipgrp6":
			r.outsideGroups[o.name] = o.get("member")
		case (o.section == "firewall vip" || o.section == "firewall vip6") && o.first("status") != "disable":
			x := r.outside(o, zones)
			if was := r.outsides[o.name]; was != nil { // told again: the last one counts
				*was = *x
				continue
			}
			r.outsides[o.name], r.outsideList = x, append(r.outsideList, x)
		}
	}
}

// outside reads one: "set extip A [-B]", "set mappedip A [-B]", and with "portforward" the ports of both.
func (r *reader) outside(o *object, zones map[string][]string) *outside {
	x := &outside{mark: o.mark, silent: o.first("arp-reply") == "disable"}
	kind := o.first("type")
	outer, okOuter := addressRange(o.get("extip"))
	inner, okInner := addressRange(o.get("mappedip"))
	x.undecided = !okOuter || !okInner || len(outer) != len(inner) || kind != "" && kind != "static-nat" ||
		slices.ContainsFunc(o.settings, func(s setting) bool {
			return !slices.Contains(aboutOutsides, s.key) && !slices.Contains(s.values, "disable")
		})
	for i, a := range outer {
		p := mapped{outer: a}
		if i < len(inner) {
			p.inner = inner[i]
		}
		x.pairs = append(x.pairs, p)
	}
	if !okOuter {
		x.pairs = []mapped{{}}
	}
	if o.first("portforward") == "enable" {
		x.protocol = "tcp"
		if p := o.first("protocol"); p != "" {
			x.protocol = p
		}
		ports, ok := portRange(o.first("extport"))
		x.ports = ports
		to, okIn := portRange(o.first("mappedport"))
		if o.first("mappedport") == "" {
			to, okIn = x.ports, ok
		}
		if x.protocol == "icmp" {
			x.ports, ok, okIn = network.Ports{}, true, true
		}
		x.undecided = x.undecided || !ok || !okIn || to != x.ports && (to.Lo != to.Hi || x.ports.Lo != x.ports.Hi)
		if to != x.ports {
			x.port = to.Lo
		}
	}
	for _, name := range o.get("extintf") {
		members, zone := zones[name]
		switch {
		case name == "any":
		case zone:
			x.in = append(x.in, members...)
		case r.ports[name]:
			x.in = append(x.in, name)
		default:
			x.undecided = true
		}
	}
	if x.undecided {
		r.restrict(network.FlowRule{}, o.mark)
	}
	return x
}

// addressRange reads "A", "A-B" and "A B" as the addresses of the range; false where it is none or too long.
func addressRange(v []string) ([]netip.Addr, bool) {
	if len(v) == 0 {
		return nil, false
	}
	lo, hi, some := strings.Cut(v[0], "-")
	if len(v) == 2 && !some {
		hi = v[1]
	} else if len(v) > 1 {
		return nil, false
	}
	a, err := netip.ParseAddr(lo)
	if err != nil {
		return nil, false
	}
	b := a
	if hi != "" {
		if b, err = netip.ParseAddr(hi); err != nil || b.Is4() != a.Is4() || b.Less(a) {
			return nil, false
		}
	}
	out := []netip.Addr{a}
	for a != b && len(out) <= filters.MostMapped {
		a = a.Next()
		out = append(out, a)
	}
	return out, len(out) <= filters.MostMapped
}

func portRange(s string) (network.Ports, bool) {
	p, ok := filters.PortRanges(s, "")
	if !ok || len(p) != 1 {
		return network.Ports{}, false
	}
	return p[0], true
}

// outsidesIn are the outer addresses that names stand for, those of groups too, and the names that are others.
func (r *reader) outsidesIn(names []string) (found []*outside, others []string) {
	for _, n := range names {
		if x := r.outsides[n]; x != nil {
			found = append(found, x)
			continue
		}
		members, group := r.outsideGroups[n]
		if !group {
			others = append(others, n)
			continue
		}
		for _, m := range members {
			if x := r.outsides[m]; x != nil {
				found = append(found, x)
			}
		}
	}
	return found, others
}

// inner are the addresses behind outer ones.
func inner(all []*outside) filters.Addresses {
	out := filters.NoAddresses
	for _, x := range all {
		out.Unsure = out.Unsure || x.undecided
		for _, p := range x.pairs {
			if p.inner.IsValid() {
				out = out.Join(filters.Prefix(netip.PrefixFrom(p.inner, p.inner.BitLen())))
			}
		}
	}
	return out
}

// inward makes translations of destinations of the outer addresses. One that no policy in force names may be asleep.
func (r *reader) inward() {
	for _, x := range r.outsideList {
		in := x.in
		if len(in) == 0 {
			in = []string{""}
		}
		for _, p := range x.pairs {
			for _, ifname := range in {
				t := network.Translation{Destination: true, Protocol: x.protocol, ToPorts: x.ports, In: ifname,
					Becomes: p.inner, BecomesPort: x.port, Undecided: x.undecided || !x.used, OnLink: !x.silent, Mark: x.mark}
				if p.outer.IsValid() {
					t.To = netip.PrefixFrom(p.outer, p.outer.BitLen())
				}
				r.Facts.Policy.Translations = append(r.Facts.Policy.Translations, t)
			}
		}
	}
}

// outward makes translations of sources: of the policies that permit, in their order, whether they translate or not.
func (r *reader) outward(zones map[string][]string) {
	translates := func(o *object) bool { return o.first("nat") == "enable" && o.first("action") == "accept" }
	if !slices.ContainsFunc(r.objects, func(o *object) bool { return isPolicy(o) && translates(o) }) {
		return
	}
	for _, o := range r.objects {
		if !isPolicy(o) || o.first("action") == "deny" || o.first("action") == "" {
			continue
		}
		rule := r.policy(o, zones)
		if found, others := r.outsidesIn(o.get("dstaddr")); len(found) > 0 {
			rule.To = rule.To.Join(inner(found))
			rule.Undecided = rule.Undecided || len(others) > 0
		}
		becomes, ok := r.pool(o)
		zoned := r.mayBeZones(o, zones)
		for _, f := range rule.Unfold(nil, o.markOf("nat")) {
			if f.Family == route.IPv6 {
				continue
			}
			t := network.Translation{Family: route.IPv4, Protocol: f.Protocol, From: f.From, To: f.To, ToPorts: f.ToPorts,
				In: f.In, Out: f.Out, Undecided: f.Undecided || f.Type != 0 || !f.FromPorts.Any(), Mark: f.Mark}
			if zoned {
				t.In, t.Out, t.Undecided = "", "", true
			}
			if !translates(o) {
				t.Keep = true
			} else if t.Becomes = becomes; !ok {
				t.Undecided = true
			} else {
				t.OnLink = becomes.IsValid()
				r.ownOutside(t)
			}
			r.Facts.Policy.Translations = append(r.Facts.Policy.Translations, t)
		}
	}
	all := &r.Facts.Policy.Translations
	for len(*all) > 0 && (*all)[len(*all)-1].Keep { // nothing follows
		*all = (*all)[:len(*all)-1]
	}
}

// ownOutside puts translations before t of hosts that have an outer address of their own: they take that in place of
// the one that others take. Of very many hosts it is not told which.
func (r *reader) ownOutside(t network.Translation) {
	hosts := 0
	for _, x := range r.outsideList {
		if x.protocol == "" {
			hosts += len(x.pairs)
		}
	}
	if hosts > filters.MostMapped || len(r.Facts.Policy.Translations) > filters.MostTotal {
		t.Undecided = true
		r.Facts.Policy.Translations = append(r.Facts.Policy.Translations, t)
		return
	}
	for _, x := range r.outsideList {
		if x.protocol != "" {
			continue
		}
		if len(x.in) > 0 && t.Out != "" && !slices.Contains(x.in, t.Out) {
			continue
		}
		for _, p := range x.pairs {
			if !p.inner.IsValid() || t.From.IsValid() && !t.From.Contains(p.inner) {
				continue
			}
			own := t
			own.From, own.Becomes, own.OnLink = netip.PrefixFrom(p.inner, p.inner.BitLen()), p.outer, !x.silent
			own.Undecided = t.Undecided || x.undecided || !x.used || len(x.in) > 0 && t.Out == ""
			r.Facts.Policy.Translations = append(r.Facts.Policy.Translations, own)
		}
	}
}

// pool is the address that a policy's packets take: that of the interface (invalid), or the only one of its pool; false
// where it is one of several.
func (r *reader) pool(o *object) (netip.Addr, bool) {
	if o.first("ippool") != "enable" {
		return netip.Addr{}, true
	}
	names := o.get("poolname")
	for _, p := range r.objects {
		if p.section != "firewall ippool" || len(names) != 1 || p.name != names[0] {
			continue
		}
		a, err := netip.ParseAddr(p.first("startip"))
		return a, err == nil && p.first("startip") == p.first("endip")
	}
	return netip.Addr{}, false
}

// isPolicy reports whether an object is a policy that is in force.
func isPolicy(o *object) bool {
	return o.section == "firewall policy" && o.name != "" && o.first("status") != "disable"
}
