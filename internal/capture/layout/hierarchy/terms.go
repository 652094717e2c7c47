package hierarchy

import (
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// kept is a leaf that tells of rules, until the whole tree is known.
type kept struct {
	words   []string
	mark    route.Mark
	counted bool // its line is accounted for
}

// term is one rule of a list while its leaves are gathered.
type term struct {
	list, name string
	family     route.Family
	rule       filters.Rule
	from, to   filters.Services // ports, whatever the protocol
	either     filters.Services // ports of either side
	protocols  []string
	types      []uint16
	jump       string            // the list that decides what fits
	states     []string          // of flows
	notFrom    filters.Addresses // that are left out of the sources
	notTo      filters.Addresses
	ends       bool           // it says what becomes of the packet
	detour     network.Detour // it sends the packet another way than its destination tells
	goesOn     bool           // it leaves that to the next one
	off        bool
	fragments  bool // it is for these alone: no whole packet fits it
	unknown    bool // what it does is not understood
	mark       route.Mark
}

// values are the words behind the one at i, of a list in brackets too.
func values(w []string, i int) []string {
	return slices.DeleteFunc(slices.Clone(w[min(i, len(w)):]), func(s string) bool { return s == "[" || s == "]" })
}

// termLists makes rules of "firewall [family F] filter NAME term T from … then …".
func (r *reader) termLists() {
	var terms []*term
	byKey := map[string]*term{}
	for _, k := range r.kept {
		w, fam := k.words, route.IPv4
		if len(w) < 5 || w[0] != "firewall" {
			continue
		}
		w = w[1:]
		if w[0] == "family" {
			fam = map[string]route.Family{"inet": route.IPv4, "inet6": route.IPv6}[w[1]]
			w = w[2:]
		}
		if len(w) < 4 || w[0] != "filter" || w[2] != "term" || fam == 0 {
			continue
		}
		key := strings.Join(append([]string{string(rune(fam))}, w[:4]...), " ")
		t := byKey[key]
		if t == nil {
			t = &term{list: filterName(w[1], fam), family: fam, mark: k.mark}
			byKey[key], terms = t, append(terms, t)
		}
		r.termLeaf(t, w[4:])
	}
	for _, t := range terms {
		r.finishTerm(t)
	}
}

// filterName tells filters of one name in two families apart.
func filterName(name string, fam route.Family) string {
	if fam == route.IPv6 {
		return name + " (IPv6)"
	}
	return name
}

// termLeaf reads one condition or action of a term.
func (r *reader) termLeaf(t *term, w []string) {
	if len(w) == 0 || w[0] == "from" && len(w) == 1 || w[0] == "then" && len(w) == 1 {
		return
	}
	switch w[0] {
	case "from":
		r.condition(t, w[1], values(w, 2))
	case "then":
		t.action(w[1], values(w, 2))
	default:
		t.unknown = true
	}
}

// withValues are conditions that name something.
var withValues = []string{"address", "source-address", "destination-address", "prefix-list", "source-prefix-list",
	"destination-prefix-list", "protocol", "next-header", "payload-protocol", "source-port", "destination-port", "port",
	"icmp-type", "icmp-code"}

// condition narrows a term by a leaf below "from".
func (r *reader) condition(t *term, what string, v []string) {
	if len(v) == 0 && slices.Contains(withValues, what) {
		return // the heading of a block
	}
	addresses := func(to, not *filters.Addresses) {
		if len(v) == 2 && v[1] == "except" {
			*not = not.Join(r.groups.AddressNamed(v[0]))
			return
		}
		if !to.Some {
			*to = filters.NoAddresses
		}
		for _, x := range v {
			*to = to.Join(r.groups.AddressNamed(x))
		}
	}
	lists := func(to *filters.Addresses) {
		if !to.Some {
			*to = filters.NoAddresses
		}
		for _, x := range v {
			if x == "except" {
				to.Unsure = true
				continue
			}
			*to = to.Join(r.groups.Addresses(x))
		}
	}
	ports := func(to *filters.Services) {
		to.Some = true
		for _, x := range v {
			p, ok := filters.PortRanges(x, "")
			to.Unsure = to.Unsure || !ok
			for _, one := range p {
				to.List = append(to.List, filters.Service{To: one})
			}
		}
	}
	switch what {
	case "source-address":
		addresses(&t.rule.From, &t.notFrom)
	case "destination-address":
		addresses(&t.rule.To, &t.notTo)
	case "source-prefix-list":
		lists(&t.rule.From)
	case "destination-prefix-list":
		lists(&t.rule.To)
	case "protocol", "next-header", "payload-protocol":
		for _, x := range v {
			p, ok := filters.Protocol(x)
			t.rule.Undecided = t.rule.Undecided || !ok || p == ""
			t.protocols = append(t.protocols, p)
		}
	case "source-port":
		ports(&t.from)
	case "destination-port":
		ports(&t.to)
	case "port":
		ports(&t.either)
	case "icmp-type":
		for _, x := range v {
			n, ok := filters.ICMPType(x, t.family == route.IPv6)
			t.rule.Undecided = t.rule.Undecided || !ok
			t.types = append(t.types, n)
		}
	case "tcp-established":
		t.rule.State = network.Answering
		t.protocols = append(t.protocols, "tcp")
	case "is-fragment", "first-fragment":
		t.fragments = true
	case "tcp-initial":
		t.rule.State = network.Beginning
		t.protocols = append(t.protocols, "tcp")
	default:
		t.rule.Undecided = true
	}
}

// action reads a leaf below "then".
func (t *term) action(what string, v []string) {
	switch what {
	case "accept":
		t.rule.Permit, t.ends = true, true
	case "discard":
		t.ends = true
	case "reject":
		t.rule.Refuse, t.ends = true, true
	case "next":
		t.goesOn = true
	case "routing-instance", "next-ip", "next-ip6", "next-interface":
		t.detour = detourTo(what, v)
	case "count", "log", "syslog", "sample", "policer", "forwarding-class", "loss-priority", "port-mirror", "dscp",
		"three-color-policer":
	default:
		t.unknown = true
	}
}

// detourTo reads where a term sends packets: "routing-instance NAME", "next-ip ADDRESS".
func detourTo(what string, v []string) network.Detour {
	if len(v) == 1 && what == "routing-instance" {
		return network.Detour{Table: v[0]}
	}
	if len(v) == 1 && what != "next-interface" {
		if p, err := netip.ParsePrefix(v[0]); err == nil && p.IsSingleIP() {
			v[0] = p.Addr().String()
		}
		if a, ok := layout.Addr([]byte(v[0])); ok && !a.IsLinkLocalUnicast() {
			return network.Detour{NextHop: a}
		}
	}
	return network.Detour{Open: true}
}

// finishTerm adds the rules of a term. What ends nothing permits, in the systems that write so.
func (r *reader) finishTerm(t *term) {
	switch {
	case t.goesOn, t.off, t.fragments:
		return
	case t.unknown:
		t.rule.Undecided = true
		r.addRules(t, filters.Not(nil, t.mark))
		return
	case !t.ends: // what is sent another way is permitted too
		t.rule.Permit = true
	}
	t.rule.Family = t.family
	for _, side := range []struct{ all, not *filters.Addresses }{{&t.rule.From, &t.notFrom}, {&t.rule.To, &t.notTo}} {
		// left out of what is not told
		side.not.Unsure = side.not.Unsure || len(side.not.Prefixes) > 0 && !side.all.Some
	}
	t.rule.From, t.rule.To = t.rule.From.Without(t.notFrom, t.family), t.rule.To.Without(t.notTo, t.family)
	t.services()
	flows := t.rule.Unfold(nil, t.mark)
	for i := range flows {
		flows[i].Detour = t.detour
	}
	r.addRules(t, flows)
}

func (r *reader) addRules(t *term, flows []network.FlowRule) {
	if len(r.Facts.ListRules) > filters.MostTotal && len(flows) > 1 {
		flows = filters.Not(nil, t.mark)
	}
	for _, f := range flows {
		f.Family = max(f.Family, t.family)
		r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: t.list, FlowRule: f})
	}
}

// services joins protocols, ports and types.
func (t *term) services() {
	if len(t.protocols) == 0 {
		t.protocols = []string{""}
		if len(t.types) > 0 {
			t.protocols[0] = "icmp"
			if t.family == route.IPv6 {
				t.protocols[0] = "icmpv6"
			}
		}
	}
	t.rule.Undecided = t.rule.Undecided || t.from.Unsure || t.to.Unsure || t.either.Unsure
	if len(t.protocols) == 1 && t.protocols[0] == "" && (t.from.Some || t.to.Some || t.either.Some) {
		t.protocols = []string{"tcp", "udp"}
	}
	var list []filters.Service
	for _, p := range t.protocols {
		one := []filters.Service{{Protocol: p}}
		if filters.HasPorts(p) {
			one = withPorts(one, t.from, true)
			one = withPorts(one, t.to, false)
			if t.either.Some && !t.either.Unsure {
				one = append(withPorts(one, t.either, true), withPorts(one, t.either, false)...)
			}
		}
		if p == "icmp" || p == "icmpv6" {
			var typed []filters.Service
			for _, n := range t.types {
				typed = append(typed, filters.Service{Protocol: p, Type: n})
			}
			if len(t.types) > 0 {
				one = typed
			}
		}
		list = append(list, one...)
	}
	if len(list) != 1 || list[0] != (filters.Service{}) {
		t.rule.Services = filters.Services{List: list, Some: true}
	}
}

// withPorts gives each service each of the ports, of its source or its destination.
func withPorts(list []filters.Service, ports filters.Services, source bool) []filters.Service {
	if !ports.Some || ports.Unsure {
		return list
	}
	var out []filters.Service
	for _, s := range list {
		for _, p := range ports.List {
			if source {
				s.From = p.To
			} else {
				s.To = p.To
			}
			out = append(out, s)
		}
	}
	return out
}
