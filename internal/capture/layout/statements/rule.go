package statements

import (
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// rule reads one rule: "permit PROTOCOL SOURCE [PORTS] DESTINATION [PORTS] [words]", "permit SOURCE", or words of the
// kind "permit tcp source A W destination-port eq N". False where what it does or whom it fits is not understood at
// all.
func (l *lists) rule(e entry) (filters.Rule, bool) {
	p := parser{lists: l, entry: e, w: e.words}
	r := &p.r
	r.Family = e.family
	switch p.take() {
	case "permit":
		r.Permit = true
	case "deny":
	default:
		return *r, false
	}
	switch {
	case e.keyed && (len(p.w) == 0 || len(p.w) == 1 && p.protocol()): // "rule 10 deny ip"
		return *r, true
	case p.namesParts():
		return p.keyed()
	}
	if !p.protocol() { // a list of sources alone
		ok := false
		r.From, ok = p.address()
		p.rest()
		return *r, ok
	}
	p.extended = true
	from, ok := p.address()
	r.From = from
	if !ok {
		return *r, false
	}
	fromPorts := p.ports()
	if len(p.w) == 0 && p.any { // "permit any"
		return *r, true
	}
	if r.To, ok = p.address(); !ok {
		return *r, false
	}
	toPorts := p.ports()
	p.services(fromPorts, toPorts)
	p.rest()
	return *r, true
}

// namesParts reports whether the parts of the rule stand behind their names.
func (p *parser) namesParts() bool {
	i := slices.IndexFunc(p.w, func(s string) bool {
		return s == "source" || s == "destination" || s == "source-port" || s == "destination-port"
	})
	return i >= 0 && i <= 1
}

// parser takes the words of a rule one after another.
type parser struct {
	*lists
	entry entry
	w     []string
	r     filters.Rule
	proto string
	// extended: the rule names both sides, each with its mask
	extended bool
	any      bool // the word for the protocol was "any", which may be the source
}

func (p *parser) take() string {
	if len(p.w) == 0 {
		return ""
	}
	s := p.w[0]
	p.w = p.w[1:]
	return strings.ToLower(s)
}

// protocol takes the protocol, or a group of services or protocols in its place; false where an address stands there.
func (p *parser) protocol() bool {
	if len(p.w) == 0 {
		return false
	}
	s := strings.ToLower(p.w[0])
	switch {
	case (s == "object-group" || s == "object") && len(p.w) > 1:
		if !p.groups.HasServices(p.w[1]) && p.groups.HasAddresses(p.w[1]) {
			return false
		}
		p.r.Services = p.groups.Services(p.w[1])
		p.w = p.w[2:]
		return true
	case s == "any":
		if len(p.w) < 3 && (len(p.w) == 1 || !isAddressWord(p.w[1])) {
			return false
		}
		p.any = true
		p.w = p.w[1:]
		return true
	}
	proto, ok := filters.Protocol(s)
	if !ok {
		return false
	}
	p.proto, p.w = proto, p.w[1:]
	if p.proto == "icmp" && p.entry.family == route.IPv6 {
		p.proto = "icmpv6"
	}
	if p.proto != "" {
		p.r.Services = filters.Services{Some: true, List: []filters.Service{{Protocol: p.proto}}}
	} else if s == "ipv4" || s == "ipv6" {
		p.r.Family = map[string]route.Family{"ipv4": route.IPv4, "ipv6": route.IPv6}[s]
	}
	return true
}

func isAddressWord(s string) bool {
	return slices.Contains([]string{"any", "any4", "any6", "host", "object", "object-group", "addrgroup", "net-group"},
		strings.ToLower(s)) ||
		layout.LooksLikeAddress([]byte(s))
}

// address takes a source or a destination.
func (p *parser) address() (filters.Addresses, bool) {
	unsure := filters.Addresses{Some: true, Unsure: true}
	s := p.take()
	switch s {
	case "":
		return unsure, false
	case "any", "any4", "any6":
		return p.groups.AddressNamed(s), true
	case "host":
		a, ok := filters.Address(p.take())
		if !ok {
			return unsure, true // a name, of which only the device knows the address
		}
		return a, true
	case "object-group", "object", "addrgroup", "net-group", "portgroup":
		if len(p.w) == 0 {
			return unsure, false
		}
		name := p.w[0]
		p.w = p.w[1:]
		return p.groups.Addresses(name), true
	case "interface":
		p.take()
		return unsure, true
	}
	s = strings.TrimSuffix(s, ",")
	if !layout.LooksLikeAddress([]byte(s)) {
		return unsure, false
	}
	if strings.Contains(s, "/") {
		a, ok := filters.Address(s)
		return a, ok
	}
	for len(p.w) > 0 && (p.w[0] == "wildcard" || p.w[0] == "bits" || p.w[0] == "mask") {
		p.w = p.w[1:]
	}
	if len(p.w) > 0 && (layout.LooksLikeAddress([]byte(p.w[0])) && !strings.Contains(p.w[0], "/") || p.w[0] == "0") {
		mask := p.take()
		if mask == "0" {
			mask = "0.0.0.0"
		}
		return filters.Masked(s, mask, p.wildcards(mask))
	}
	if p.extended { // its mask is missing
		return unsure, true
	}
	return filters.Address(s)
}

// wildcards reports whether a mask is a wildcard: what the list is written in decides only where the mask could be
// either.
func (p *parser) wildcards(mask string) bool {
	first, _, _ := strings.Cut(mask, ".")
	last := mask[strings.LastIndex(mask, ".")+1:]
	switch {
	case first == "255" && last != "255":
		return false
	case first == "0" && last != "0", first != "255" && last == "255":
		return true
	}
	return p.entry.wild
}

// ports takes a comparison of ports, or a group of them.
func (p *parser) ports() (out filters.Services) {
	if len(p.w) > 1 && (p.w[0] == "object-group" || p.w[0] == "portgroup" || p.w[0] == "port-object") &&
		(!p.groups.HasAddresses(p.w[1]) || p.w[0] == "portgroup") &&
		(p.groups.HasServices(p.w[1]) || p.w[0] == "portgroup") {
		out = p.groups.Services(p.w[1])
		p.w = p.w[2:]
		return out
	}
	ranges, taken, ok := filters.Compare(p.w, p.proto)
	p.w = p.w[min(taken, len(p.w)):]
	if taken == 0 {
		return out
	}
	out.Some, out.Unsure = true, !ok
	for _, r := range ranges {
		out.List = append(out.List, filters.Service{To: r})
	}
	return out
}

// services joins the protocol with its ports.
func (p *parser) services(from, to filters.Services) {
	if !from.Some && !to.Some {
		return
	}
	p.r.Undecided = p.r.Undecided || from.Unsure || to.Unsure || p.r.Services.Unsure
	have := p.r.Services.List
	if !p.r.Services.Some {
		have = []filters.Service{{}}
	}
	portsOf := func(s filters.Services) []network.Ports {
		if !s.Some || s.Unsure {
			return []network.Ports{{}}
		}
		var out []network.Ports
		for _, x := range s.List {
			if len(out) == 0 || !slices.Contains(out, x.To) {
				out = append(out, x.To)
			}
		}
		return out
	}
	p.r.Services = filters.NoServices
	for _, s := range have {
		for _, f := range portsOf(from) {
			for _, t := range portsOf(to) {
				if !f.Any() {
					s.From = f
				}
				if !t.Any() {
					s.To = t
				}
				p.r.Services.List = append(p.r.Services.List, s)
			}
		}
	}
}

// harmless words behind a rule count or log what it fits.
var harmless = []string{"log", "log-input", "logging", "count", "capture", "disable", "default", "informational",
	"warnings", "notifications", "debugging", "errors",
	"critical", "alerts", "emergencies", "interval", "counting", "match", "matches", "hitcnt", "sequence"}

// rest reads the words behind the addresses.
func (p *parser) rest() {
	for len(p.w) > 0 {
		s := p.take()
		_, number := layout.Uint([]byte(s))
		t, isType := filters.ICMPType(s, p.proto == "icmpv6")
		switch {
		case s == "established" || s == "tcp-established":
			p.r.State = network.Answering
			if p.proto == "" && !p.r.Services.Some {
				p.r.Services = filters.Services{Some: true, List: []filters.Service{{Protocol: "tcp"}}}
			}
		case (p.proto == "icmp" || p.proto == "icmpv6") && isType:
			p.icmp(t)
			for len(p.w) > 0 { // a code
				if _, ok := layout.Uint([]byte(p.w[0])); !ok {
					break
				}
				p.take()
			}
		case (p.proto == "icmp" || p.proto == "icmpv6") && s == "object-group":
			p.take()
			p.r.Undecided = true
		case slices.Contains(harmless, s), strings.HasPrefix(s, "0x"), number, s == "time" && len(p.w) == 0:
		case strings.HasPrefix(s, "(") || strings.HasPrefix(s, "["): // how often it has fitted
			for !strings.HasSuffix(s, ")") && !strings.HasSuffix(s, "]") && len(p.w) > 0 {
				s = p.take()
			}
		default:
			p.r.Undecided = true
		}
	}
}

func (p *parser) icmp(t uint16) {
	for i := range p.r.Services.List {
		p.r.Services.List[i].Type = t
	}
}

// keyed reads a rule whose parts stand behind their names: "tcp source A W destination A W destination-port eq N".
func (p *parser) keyed() (filters.Rule, bool) {
	if len(p.w) > 0 && p.w[0] != "source" && p.w[0] != "destination" && !p.protocol() {
		return p.r, false
	}
	var from, to filters.Services
	for len(p.w) > 0 {
		ok := true
		switch k := p.take(); k {
		case "source", "source-ip":
			p.r.From, ok = p.keyedAddress()
		case "destination", "destination-ip":
			p.r.To, ok = p.keyedAddress()
		case "source-port":
			from = p.ports()
			ok = from.Some
		case "destination-port":
			to = p.ports()
			ok = to.Some
		case "icmp-type":
			if len(p.w) > 0 {
				t, known := filters.ICMPType(p.take(), p.proto == "icmpv6")
				p.r.Undecided = p.r.Undecided || !known
				p.icmp(t)
			}
		default:
			p.w = append([]string{k}, p.w...)
			p.keyedRest()
		}
		if !ok {
			return p.r, false
		}
	}
	p.services(from, to)
	return p.r, true
}

// keyedRest takes one word that is no part of the addresses.
func (p *parser) keyedRest() {
	left := p.w[1:]
	p.w = p.w[:1]
	p.rest()
	p.w = left
}

// keyedAddress takes "A W", "A 0", "A/L", "any", or the name of a group.
func (p *parser) keyedAddress() (filters.Addresses, bool) {
	if len(p.w) > 1 && slices.Contains([]string{"address-group", "address-set", "ip-group", "object-group"}, p.w[0]) {
		name := p.w[1]
		p.w = p.w[2:]
		return p.groups.Addresses(name), true
	}
	return p.address()
}
