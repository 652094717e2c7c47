package commands

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

// between is the name of the list of rules between zones.
const between = "rules between zones"

// A rulebase is what a firewall's configuration says of zones and of the rules between them. Within a zone all passes
// and between two nothing does, but for what rules say. The zero rulebase has none.
type rulebase struct {
	groups  filters.Groups
	zones   map[string][]string // interfaces, by zone
	ports   []zonePort
	rules   []*zoneRule
	byName  map[string]*zoneRule
	lasts   map[string]string // actions of the two rules at the end, where others than usual
	system  string            // the virtual system that the lines are of
	first   route.Mark        // of its lines
	unknown bool              // it says more than is read here: of other systems, or of zones that do not route
	nat     namedRules
	steers  namedRules
	turned  []turned // by the rules of nat
	seen    map[turned]bool
	inners  map[netip.Addr]int // how many of turned lead to an address
}

// zonePort is an interface of a zone.
type zonePort struct {
	name, zone string
	mark       route.Mark
}

// zoneRule is one rule as it is told, line by line.
type zoneRule struct {
	values map[string][]string
	mark   route.Mark
}

// first is the first value of a key, "" where there is none.
func (x *zoneRule) first(key string) string {
	if v := x.values[key]; len(v) > 0 {
		return v[0]
	}
	return ""
}

// line takes a line; false where it is none of a rulebase's.
func (b *rulebase) line(s string, m route.Mark) bool {
	rest, set := strings.CutPrefix(s, "set ")
	w := layout.QuotedWords(rest)
	if !set || len(w) < 4 {
		return false
	}
	v := members(w[3:])
	switch {
	case w[0] == "zone" && w[2] == "network" && len(v) > 0:
		b.zone(w[1], v, m)
	case w[0] == "address":
		b.address(w[1], w[2], v)
	case w[0] == "address-group" && w[2] == "static":
		for _, x := range v {
			b.groups.AddAddressMember(w[1], x)
		}
	case w[0] == "address-group" && w[2] == "dynamic":
		b.groups.AddAddresses(w[1], filters.Addresses{Some: true, Unsure: true})
	case w[0] == "service" && w[2] == "protocol":
		b.service(w[1], v)
	case w[0] == "service-group" && w[2] == "members":
		for _, x := range v {
			b.groups.AddServiceMember(w[1], x)
		}
	case w[0] == "rulebase" && w[1] == "security" && w[2] == "rules" && len(w) > 5:
		r := b.byName[w[3]]
		if r == nil {
			r = &zoneRule{values: map[string][]string{}, mark: m}
			if b.byName == nil {
				b.byName = map[string]*zoneRule{}
			}
			b.byName[w[3]], b.rules = r, append(b.rules, r)
		}
		if w[4] == "action" {
			r.mark = m
		}
		r.values[w[4]] = append(r.values[w[4]], members(w[5:])...)
	case w[0] == "rulebase" && w[1] == "nat" && w[2] == "rules" && len(w) > 5:
		b.natLine(w[3], w[4:], m)
	case w[0] == "rulebase" && w[1] == "pbf" && w[2] == "rules" && len(w) > 5:
		b.steerLine(w[3], w[4:], m)
	case w[0] == "rulebase" && w[1] == "default-security-rules" && len(w) > 5 && w[4] == "action":
		if b.lasts == nil {
			b.lasts = map[string]string{}
		}
		b.lasts[w[3]] = w[5]
	case w[0] == "rulebase" && slices.Contains(harmlessRules, w[1]):
	default:
		return false
	}
	b.first = cmp.Or(b.first, m)
	return true
}

// harmlessRules are kinds of rules that stop nothing and send nothing elsewhere.
var harmlessRules = []string{"decryption", "qos", "application-override", "authentication", "tunnel-inspect"}

// within takes the words off that tell which of the virtual systems a line is about. What several of them say is not
// told apart.
func (b *rulebase) within(w []string) []string {
	if len(w) > 0 && w[0] == "config" {
		w = w[1:]
	}
	if len(w) > 2 && w[0] == "devices" {
		w = w[2:]
	}
	if len(w) > 0 && w[0] == "shared" {
		return w[1:]
	}
	if len(w) > 2 && w[0] == "vsys" {
		b.unknown = b.unknown || b.system != "" && b.system != w[1]
		b.system = w[1]
		w = w[2:]
	}
	return w
}

// members are the values of a line, one or several in brackets.
func members(w []string) []string {
	var out []string
	for _, x := range w {
		if x = strings.Trim(x, "[]"); x != "" {
			out = append(out, x)
		}
	}
	return out
}

// zone notes which interfaces are in a zone. A zone of another kind than routed ones may take packets that the tables
// do not tell of, so all is unknown then.
func (b *rulebase) zone(name string, v []string, m route.Mark) {
	if v[0] != "layer3" {
		b.unknown = b.unknown || slices.Contains([]string{"layer2", "virtual-wire", "tap", "external", "tunnel"}, v[0])
		return
	}
	if b.zones == nil {
		b.zones = map[string][]string{}
	}
	b.zones[name] = append(b.zones[name], v[1:]...) // it may have none
	for _, port := range v[1:] {
		b.ports = append(b.ports, zonePort{port, name, m})
	}
}

// address notes a named address; of a kind that cannot be told, such as a name to be looked up, it may be any.
func (b *rulebase) address(name, kind string, v []string) {
	if len(v) == 0 || kind == "description" || kind == "tag" {
		return
	}
	a, ok := filters.Addresses{}, false
	switch kind {
	case "ip-netmask":
		a, ok = filters.Address(v[0])
	case "ip-range":
		lo, hi, _ := strings.Cut(v[0], "-")
		a, ok = filters.Range(lo, hi)
	}
	if !ok {
		a = filters.Addresses{Some: true, Unsure: true}
	}
	b.groups.AddAddresses(name, a)
}

// service reads "tcp port 443,8443".
func (b *rulebase) service(name string, v []string) {
	s := filters.Services{Some: true, Unsure: true}
	if len(v) == 3 && v[1] == "port" && (v[0] == "tcp" || v[0] == "udp" || v[0] == "sctp") {
		s.Unsure = false
		for one := range strings.SplitSeq(v[2], ",") {
			ports, ok := filters.PortRanges(one, v[0])
			s.Unsure = s.Unsure || !ok
			for _, p := range ports {
				s.List = append(s.List, filters.Service{Protocol: v[0], To: p})
			}
		}
	}
	b.groups.AddServices(name, s)
}

// finish makes rules of what was told.
func (b *rulebase) finish(r *reader) {
	switch {
	case len(b.ports) == 0 && len(b.rules) == 0 && len(b.nat.All)+len(b.steers.All) == 0 && !b.unknown:
		return
	// a part of it is missing, or is not told apart, or there are more pairs than any device has rules for
	case b.unknown, len(b.ports) == 0, len(b.rules) == 0, len(b.ports)*len(b.ports) > filters.MostTotal:
		r.RestrictAt(network.FlowRule{}, b.first)
		return
	}
	b.groups.AddServices("service-http", filters.Services{Some: true,
		List: []filters.Service{{Protocol: "tcp", To: network.Ports{Lo: 80, Hi: 80}},
			{Protocol: "tcp", To: network.Ports{Lo: 8080, Hi: 8080}}}})
	b.groups.AddServices("service-https", filters.Services{Some: true,
		List: []filters.Service{{Protocol: "tcp", To: network.Ports{Lo: 443, Hi: 443}}}})
	b.translations(r)
	b.steering(r)
	add := func(f network.FlowRule) {
		r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: between, FlowRule: f})
	}
	for _, x := range b.rules {
		for _, rule := range b.rule(x) {
			flows := rule.Unfold(nil, x.mark)
			if len(r.Facts.ListRules) > filters.MostTotal && len(flows) > 1 {
				flows = filters.Not(nil, x.mark)
			}
			for _, f := range flows {
				for _, g := range b.afterTurning(f) {
					add(g)
				}
			}
		}
	}
	intra, inter := b.lasts["intrazone-default"], b.lasts["interzone-default"]
	for _, p := range b.ports {
		for _, q := range b.ports {
			permit := inter == "allow"
			if p.zone == q.zone {
				permit = intra == "" || intra == "allow"
			}
			add(network.FlowRule{In: p.name, Out: q.name, Permit: permit, Mark: p.mark})
		}
		r.RestrictAt(network.FlowRule{In: p.name, Hook: network.ForItself}, p.mark)
	}
	// What comes in or leaves by an interface of no zone is another matter.
	r.Facts.Applied = append(r.Facts.Applied,
		network.AppliedFilter{List: between, Rule: network.FlowRule{Undecided: true, Mark: b.ports[0].mark}})
	r.Facts.Policy.Stateful = b.ports[0].mark
}

// saysNothing are keys of a rule that do not narrow what it fits.
var saysNothing = []string{"from", "to", "source", "destination", "application", "service", "action", "disabled",
	"negate-source", "negate-destination",
	"log-start", "log-end", "log-setting", "profile-setting", "tag", "description", "group-tag", "uuid",
	"icmp-unreachable"}

// rule makes rules of one: what it says of applications parts it into what is sure and what may fit.
func (b *rulebase) rule(x *zoneRule) []filters.Rule {
	if x.first("disabled") == "yes" {
		return nil
	}
	var rule filters.Rule
	switch action := x.first("action"); {
	case action == "allow":
		rule.Permit = true
	case strings.HasPrefix(action, "reset"):
		rule.Refuse = true
	case action != "deny" && action != "drop":
		rule.Undecided = true
	}
	var knownIn, knownOut bool
	rule.In, knownIn = b.interfaces(x.values["from"])
	rule.Out, knownOut = b.interfaces(x.values["to"])
	rule.Undecided = rule.Undecided || !knownIn || !knownOut
	rule.From, rule.To = b.addresses(x.values["source"]), b.addresses(x.values["destination"])
	for key, v := range x.values {
		if !slices.Contains(saysNothing, key) &&
			slices.ContainsFunc(v, func(s string) bool { return s != "any" && s != "no" && s != "universal" }) {
			rule.Undecided = true
		}
	}
	if x.first("negate-source") == "yes" {
		rule.From, rule.Undecided = filters.Addresses{}, true
	}
	if x.first("negate-destination") == "yes" {
		rule.To, rule.Undecided = filters.Addresses{}, true
	}
	return b.byApplication(rule, x.values["application"], x.values["service"])
}

// byApplication parts a rule by what it says of applications and services. Which application packets are of no capture
// tells, but for echoes; and what an application's usual ports are is not known here, but for those of its name.
func (b *rulebase) byApplication(rule filters.Rule, applications, services []string) []filters.Rule {
	usual := slices.Contains(services, "application-default")
	set := b.services(services)
	if usual || len(services) == 0 {
		set = filters.Services{}
	}
	sure, maybe := rule, rule
	maybe.Undecided = true
	icmp := filters.Services{Some: true, List: []filters.Service{{Protocol: "icmp"}, {Protocol: "icmpv6"}}}
	echo := filters.Services{Some: true, List: []filters.Service{{Protocol: "icmp", Type: 9},
		{Protocol: "icmpv6", Type: 129}}}
	switch {
	case slices.Contains(applications, "any") && !usual:
		sure.Services = set
		return []filters.Rule{sure}
	case slices.Contains(applications, "any"):
		sure.Services = icmp
		return []filters.Rule{sure, maybe}
	}
	var out []filters.Rule
	if slices.Contains(applications, "ping") && !set.Some {
		sure.Services = echo
		out = append(out, sure)
	}
	others := slices.DeleteFunc(slices.Clone(applications), func(s string) bool { return s == "ping" })
	if len(others) > 0 || len(applications) == 0 || set.Some {
		if maybe.Services = set; usual && len(others) == len(applications) {
			maybe.Services = filters.NoServices
			for _, a := range others {
				maybe.Services = maybe.Services.Join(b.groups.Services(a))
			}
		}
		out = append(out, maybe)
	}
	return out
}

// interfaces are those of zones; nil for any, and where a zone is not told of: false then.
func (b *rulebase) interfaces(zones []string) (out []string, known bool) {
	for _, z := range zones {
		ports, told := b.zones[z]
		switch {
		case z == "any":
			return nil, true
		case !told:
			return nil, false
		case len(ports) == 0:
			out = append(out, "no interface of "+z)
		}
		out = append(out, ports...)
	}
	return out, len(zones) > 0
}

// services are those that names stand for.
func (b *rulebase) services(names []string) filters.Services {
	out := filters.NoServices
	for _, s := range names {
		if s == "any" {
			return filters.Services{}
		}
		out = out.Join(b.groups.Services(s))
	}
	return out
}

func (b *rulebase) addresses(names []string) filters.Addresses {
	out := filters.NoAddresses
	for _, n := range names {
		out = out.Join(b.groups.AddressNamed(n))
	}
	if len(names) == 0 {
		out.Unsure = true
	}
	return out
}
