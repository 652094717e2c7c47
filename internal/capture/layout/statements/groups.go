package statements

import (
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
)

// group is a named set whose members stand in the lines below its heading.
type group struct {
	name     string
	services bool
	protocol string // of a group of ports
}

// groupHeading opens the block of a group: "object-group network NAME", "object service NAME", "object-group ip address
// NAME".
func (l *lists) groupHeading(w []string) bool {
	if len(w) < 3 || w[0] != "object-group" && w[0] != "object" {
		return false
	}
	name := w[2]
	switch kind := w[1]; {
	case (kind == "ip" || kind == "ipv4" || kind == "ipv6") && len(w) > 3 && w[2] == "address", kind == "ip" &&
		len(w) > 3 && w[2] == "port":
		name = w[3]
		l.group = group{name: name, services: w[2] == "port"}
	case kind == "network" || kind == "host":
		l.group = group{name: name}
	case kind == "service" || kind == "protocol" || kind == "port" || kind == "icmp-type":
		l.group = group{name: name, services: true}
		if len(w) > 3 {
			l.group.protocol = w[3]
		}
	default:
		return false
	}
	if l.group.services {
		l.groups.DeclareServices(name)
	} else {
		l.groups.DeclareAddresses(name)
	}
	return true
}

// groupLine reads a member of the open group. What is not understood makes the group unsure.
func (l *lists) groupLine(w []string) bool {
	g := l.group
	if g.name == "" {
		return false
	}
	if _, ok := layout.Uint([]byte(w[0])); ok && len(w) > 1 { // "10 host A"
		w = w[1:]
	}
	switch {
	case w[0] == "description" || w[0] == "nat":
		return false
	case w[0] == "group-object" && len(w) > 1, w[0] == "group" && len(w) > 1:
		if g.services {
			l.groups.AddServiceMember(g.name, w[1])
		} else {
			l.groups.AddAddressMember(g.name, w[1])
		}
	case g.services:
		s, member := l.serviceMember(w)
		if member != "" {
			l.groups.AddServiceMember(g.name, member)
			break
		}
		l.groups.AddServices(g.name, s)
	default:
		a, member := addressMember(w)
		if member != "" {
			l.groups.AddAddressMember(g.name, member)
			break
		}
		l.groups.AddAddresses(g.name, a)
	}
	return true
}

// addressMember reads "network-object host A", "host A", "subnet A M", "range A B", "A M", "A/L"; or names another
// group.
func addressMember(w []string) (a filters.Addresses, member string) {
	unsure := filters.Addresses{Some: true, Unsure: true}
	w = slices.DeleteFunc(slices.Clone(w), func(s string) bool {
		return slices.Contains([]string{"network-object", "network", "subnet", "address", "ipv4", "ipv6"}, s)
	})
	switch {
	case len(w) == 2 && (w[0] == "object" || w[0] == "object-group"):
		return a, w[1]
	case len(w) == 2 && w[0] == "host":
		w = w[1:]
	case len(w) == 3 && w[0] == "range":
		if a, ok := filters.Range(w[1], w[2]); ok {
			return a, ""
		}
		return unsure, ""
	}
	switch len(w) {
	case 1:
		if w[0] == "any" {
			return filters.Addresses{}, ""
		}
		if a, ok := filters.Address(w[0]); ok {
			return a, ""
		}
	case 2:
		p := parser{entry: entry{}}
		if a, ok := filters.Masked(w[0], w[1], p.wildcards(w[1])); ok {
			return a, ""
		}
	}
	return unsure, ""
}

// serviceMember reads "port-object eq N", "service-object tcp destination eq N", "protocol-object tcp", "tcp eq N"; or
// names another group.
func (l *lists) serviceMember(w []string) (s filters.Services, member string) {
	unsure := filters.Services{Some: true, Unsure: true}
	if len(w) == 3 && w[1] == "object" {
		return s, w[2]
	}
	protocols := []string{l.group.protocol}
	if w[0] == "port-object" || w[0] == "eq" || w[0] == "range" || w[0] == "gt" || w[0] == "lt" || w[0] == "neq" {
		if w[0] == "port-object" {
			w = w[1:]
		}
	} else {
		if w[0] == "service-object" || w[0] == "protocol-object" || w[0] == "service" || w[0] == "icmp-object" {
			w = w[1:]
		}
		if len(w) == 0 {
			return unsure, ""
		}
		protocols, w = []string{w[0]}, w[1:]
	}
	if protocols[0] == "tcp-udp" {
		protocols = []string{"tcp", "udp"}
	}
	out := filters.NoServices
	for _, name := range protocols {
		proto := ""
		if name != "" {
			var ok bool
			if proto, ok = filters.Protocol(name); !ok {
				return unsure, ""
			}
		}
		one, ok := endsOf(w, proto)
		if !ok {
			return unsure, ""
		}
		out = out.Join(one)
	}
	return out, ""
}

// endsOf reads "[source eq N] [destination eq N]", "eq N" for the destination, and an ICMP type.
func endsOf(w []string, proto string) (filters.Services, bool) {
	from, to := []network.Ports{{}}, []network.Ports{{}}
	var kind uint16
	for len(w) > 0 {
		side := &to
		switch strings.ToLower(w[0]) {
		case "source":
			side, w = &from, w[1:]
		case "destination":
			w = w[1:]
		}
		if len(w) > 0 && (proto == "icmp" || proto == "icmpv6") {
			t, ok := filters.ICMPType(w[0], proto == "icmpv6")
			if !ok {
				return filters.Services{}, false
			}
			kind, w = t, w[1:]
			continue
		}
		ranges, taken, ok := filters.Compare(w, proto)
		if !ok || taken == 0 {
			return filters.Services{}, false
		}
		*side, w = ranges, w[min(taken, len(w)):]
	}
	out := filters.NoServices
	for _, f := range from {
		for _, t := range to {
			out.List = append(out.List, filters.Service{Protocol: proto, From: f, To: t, Type: kind})
		}
	}
	return out, true
}
