package commands

import (
	"net/netip"
	"slices"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A namedRule is one rule of translations or of routing as it is told, line by line. One of translations fits what came
// in, before anything of it is changed, and the first that fits says what becomes of both addresses (RFC 3022).
type namedRule struct {
	zoneRule
	source, destination []string // words about what they become
}

// namedRules are rules of one kind in the order of the text. The zero namedRules has none.
type namedRules struct{ layout.Named[namedRule] }

// named returns the rule of a name, a new one where there was none.
func (n *namedRules) named(name string, m route.Mark) *namedRule {
	return n.At(name, func() *namedRule {
		return &namedRule{zoneRule: zoneRule{values: map[string][]string{}, mark: m}}
	})
}

// turned is a destination that a rule puts another in place of.
type turned struct {
	outer, inner netip.Addr
	service      filters.Service // that it asks for
	port         uint16          // inside; 0: as it was
	sure         bool
}

// natLine takes a line about a rule of translations: the words behind its name.
func (b *rulebase) natLine(name string, w []string, m route.Mark) {
	r := b.nat.named(name, m)
	switch v := members(w[1:]); w[0] {
	case "source-translation":
		r.source, r.mark = append(r.source, v...), m
	case "destination-translation":
		r.destination, r.mark = append(r.destination, v...), m
	default:
		r.values[w[0]] = append(r.values[w[0]], v...)
	}
}

// natSaysNothing are keys of a rule that do not narrow what it fits, or are read.
var natSaysNothing = []string{"from", "to", "source", "destination", "service", "disabled", "to-interface", "nat-type",
	"description", "tag", "group-tag", "uuid", "active-active-device-binding"}

// match is what a rule fits.
func (b *rulebase) match(x *namedRule) filters.Rule {
	var rule filters.Rule
	var in, out bool
	rule.In, in = b.interfaces(x.values["from"])
	rule.Out, out = b.interfaces(x.values["to"])
	if to := x.first("to-interface"); to != "" && to != "any" {
		rule.Out, out = []string{to}, true
	}
	rule.From, rule.To = b.addresses(x.values["source"]), b.addresses(x.values["destination"])
	if rule.Services = b.services(x.values["service"]); len(x.values["service"]) == 0 {
		rule.Services = filters.Services{}
	}
	rule.Undecided = !in || !out
	for key, v := range x.values {
		if !slices.Contains(natSaysNothing, key) && slices.ContainsFunc(v, func(s string) bool {
			return s != "any" && s != "no"
		}) || key == "nat-type" && !slices.Equal(v, []string{"ipv4"}) {
			rule.Undecided = true
		}
	}
	return rule
}

// translations makes translations of the rules, in their order: of destinations first, which routes do not know yet.
func (b *rulebase) translations(r *reader) {
	all := &r.Facts.Policy.Translations
	first := len(*all)
	var keeps, sources []network.Translation
	for _, x := range b.nat.All {
		if x.first("disabled") == "yes" {
			continue
		}
		rule := b.match(x)
		from := b.sourceOf(x, rule)
		if len(x.destination) == 0 {
			sources = append(sources, from...)
			if slices.Contains(x.source, "bi-directional") && slices.Contains(x.source, "yes") {
				*all = append(*all, b.inward(x, rule)...)
			}
			continue
		}
		to := b.destinationOf(r, x, rule)
		*all = append(*all, to...)
		for _, t := range to { // what this rule fits, no other one does
			if t.Becomes.IsValid() {
				t.To, t.Destination, t.ToPorts = netip.PrefixFrom(t.Becomes, t.Becomes.BitLen()), false, network.Ports{}
				t.Keep, t.Becomes, t.BecomesPort, t.OnLink = len(x.source) == 0, netip.Addr{}, 0, false
				t.Undecided = t.Undecided || len(x.source) > 0
				keeps = append(keeps, t)
			}
		}
	}
	for _, t := range (*all)[first:] {
		b.turns(turned{outer: t.To.Addr(), inner: t.Becomes, service: filters.Service{Protocol: t.Protocol, To: t.ToPorts},
			port: t.BecomesPort, sure: !t.Undecided && t.To.IsSingleIP()})
	}
	*all = append(append(*all, keeps...), sources...)
	for i := range (*all)[first:] {
		(*all)[first+i].Family = route.IPv4
	}
}

// turns notes what a rule turns, once whatever interfaces it is for.
func (b *rulebase) turns(x turned) {
	key := x
	if key.sure = false; b.seen[key] {
		return
	}
	if b.seen == nil {
		b.seen, b.inners = map[turned]bool{}, map[netip.Addr]int{}
	}
	b.seen[key] = true
	b.inners[x.inner]++
	b.turned = append(b.turned, x)
}

// sourceOf makes translations of sources of a rule, such that leave the source as it is where it says nothing of it.
func (b *rulebase) sourceOf(x *namedRule, rule filters.Rule) []network.Translation {
	var becomes netip.Addr
	keep, sure := len(x.source) == 0, true
	switch w := x.source; {
	case keep:
	case len(w) >= 4 && w[1] == "interface-address" && w[2] == "interface":
		sure = len(rule.Out) == 1 && rule.Out[0] == w[3] && (len(w) == 4 || len(w) == 6 && w[4] == "ip")
		if len(w) == 6 {
			becomes = single(w[5])
			sure = sure && becomes.IsValid()
		}
	case len(w) >= 3 && w[1] == "translated-address":
		becomes = b.address1(w[2])
		sure = becomes.IsValid() && (len(w) == 3 || w[0] == "static-ip" && len(w) == 6 && w[4] == "bi-directional") &&
			(w[0] != "static-ip" || len(rule.From.Prefixes) == 1 && rule.From.Prefixes[0].IsSingleIP())
	default:
		sure = false
	}
	var out []network.Translation
	for _, f := range rule.Unfold(nil, x.mark) {
		if f.Family != route.IPv6 {
			out = append(out, network.Translation{Protocol: f.Protocol, From: f.From, To: f.To, ToPorts: f.ToPorts, In: f.In,
				Out: f.Out, Becomes: becomes, Keep: keep, OnLink: becomes.IsValid(), Mark: x.mark,
				Undecided: f.Undecided || !sure || !f.FromPorts.Any() || f.Type != 0})
		}
	}
	return out
}

// inward is the other way of a rule that gives one source one address for good.
func (b *rulebase) inward(x *namedRule, rule filters.Rule) []network.Translation {
	t := network.Translation{Destination: true, OnLink: true, Mark: x.mark, Undecided: true}
	if a := b.address1(x.source[min(2, len(x.source)-1)]); a.IsValid() {
		t.To = netip.PrefixFrom(a, a.BitLen())
	}
	if p := rule.From.Prefixes; len(p) == 1 && p[0].IsSingleIP() && !rule.From.Unsure {
		t.Becomes, t.Undecided = p[0].Addr(), !t.To.IsValid() || rule.Undecided || rule.Services.Some
	}
	if !t.To.IsValid() || rule.Out == nil {
		return []network.Translation{t}
	}
	var out []network.Translation
	for _, ifname := range rule.Out {
		one := t
		one.In = ifname
		out = append(out, one)
	}
	t.Undecided = true // whether it fits what comes from elsewhere is not told
	return append(out, t)
}

// destinationOf makes translations of destinations. What a rule says of where packets would leave by their first
// destination holds where that is in the network of such an interface.
func (b *rulebase) destinationOf(r *reader, x *namedRule, rule filters.Rule) []network.Translation {
	var becomes netip.Addr
	var port uint16
	sure := true
	for i := 0; i < len(x.destination); i += 2 {
		switch w := x.destination[i:]; {
		case len(w) > 1 && w[0] == "translated-address":
			becomes = b.address1(w[1])
		case len(w) > 1 && w[0] == "translated-port":
			var ok bool
			port, ok = filters.Port(w[1], "tcp")
			sure = sure && ok
		default:
			sure = false
		}
	}
	sure = sure && becomes.IsValid()
	out := rule.Out
	rule.Out = nil
	var all []network.Translation
	for _, f := range rule.Unfold(nil, x.mark) {
		if f.Family == route.IPv6 {
			continue
		}
		there := out == nil || f.To.IsSingleIP() && slices.ContainsFunc(r.Facts.Addresses, func(a network.Address) bool {
			return slices.Contains(out, a.Interface) && a.Prefix.Masked().Contains(f.To.Addr())
		})
		all = append(all, network.Translation{Destination: true, Protocol: f.Protocol, From: f.From, To: f.To,
			ToPorts: f.ToPorts, In: f.In, Becomes: becomes, BecomesPort: port, OnLink: true, Mark: x.mark,
			Undecided: f.Undecided || !sure || !there || !f.FromPorts.Any() || f.Type != 0})
	}
	return all
}

// address1 is the one address that a word stands for, invalid where it is none or several.
func (b *rulebase) address1(s string) netip.Addr {
	a := b.groups.AddressNamed(s)
	if a.Unsure || len(a.Prefixes) != 1 || !a.Prefixes[0].IsSingleIP() {
		return netip.Addr{}
	}
	return a.Prefixes[0].Addr()
}

// single reads an address, with its length or without.
func single(s string) netip.Addr {
	if p, err := netip.ParsePrefix(s); err == nil {
		return p.Addr()
	}
	a, _ := netip.ParseAddr(s)
	return a
}

// afterTurning makes of a rule between zones, which fits packets by what they were before their destination turned,
// such that fit what they are then.
func (b *rulebase) afterTurning(f network.FlowRule) []network.FlowRule {
	if len(b.turned) == 0 || !f.To.IsValid() && f.ToPorts.Any() {
		return []network.FlowRule{f}
	}
	was := f
	was.Turned = network.NotTurnedHere
	out := []network.FlowRule{was}
	if len(b.turned) > filters.MostMapped {
		return append(out, network.FlowRule{Turned: network.TurnedHere, In: f.In, Out: f.Out, Permit: f.Permit,
			Undecided: true, Mark: f.Mark})
	}
	for _, x := range b.turned {
		one := f
		one.Turned = network.TurnedHere
		if !x.sure || b.inners[x.inner] > 1 { // it may be any of them
			if one.To, one.ToPorts, one.Undecided = (netip.Prefix{}), (network.Ports{}), true; x.inner.IsValid() {
				one.To = netip.PrefixFrom(x.inner, x.inner.BitLen())
			}
			out = append(out, one)
			continue
		}
		if f.To.IsValid() && !f.To.Contains(x.outer) {
			continue
		}
		one.To = netip.PrefixFrom(x.inner, x.inner.BitLen())
		if asked := x.service.To; x.port != 0 && !f.ToPorts.Any() {
			one.ToPorts = network.Ports{Lo: x.port, Hi: x.port}
			switch {
			case asked.Any():
				one.Undecided = true
			case asked.Hi < f.ToPorts.Lo || f.ToPorts.Hi < asked.Lo:
				continue
			default:
				one.Undecided = one.Undecided || asked.Lo < f.ToPorts.Lo || f.ToPorts.Hi < asked.Hi
			}
		}
		out = append(out, one)
	}
	return out
}
