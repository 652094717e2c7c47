package statements

import (
	"net/netip"
	"slices"
	"strconv"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// protocolBlock is the routing protocol whose block the lines stand in. The zero protocolBlock is none.
type protocolBlock struct {
	name   route.Protocol
	family route.Family
}

// protocolHeading reads "router ospf", "router ospf6", "router isis NAME", "router rip". That of another VRF is left
// out: nothing is told of it.
func protocolHeading(w []string) protocolBlock {
	if len(w) < 2 || w[0] != "router" && w[0] != "ipv6" || slices.Contains(w, "vrf") {
		return protocolBlock{}
	}
	if w[0] == "ipv6" {
		if len(w) < 3 || w[1] != "router" {
			return protocolBlock{}
		}
		return protocolBlock{protocolOf(w[2]), route.IPv6}
	}
	p := protocolBlock{name: protocolOf(w[1])}
	switch w[1] {
	case "ospf", "rip":
		p.family = route.IPv4
	case "ospf6", "ospfv3", "ripng":
		p.family = route.IPv6
	}
	return p
}

// protocolOf names a protocol of which the interfaces are told, Other for any other.
func protocolOf(word string) route.Protocol {
	switch word {
	case "ospf", "ospf6", "ospfv3":
		return route.OSPF
	case "isis":
		return route.ISIS
	case "rip":
		return route.RIP
	case "ripng":
		return route.RIPng
	}
	return route.Other
}

// sourceOf names what a redistribution takes.
func sourceOf(word string) route.Protocol {
	switch word {
	case "connected", "direct":
		return route.Direct
	case "static":
		return route.Static
	case "bgp":
		return route.BGP
	case "kernel":
		return route.Kernel
	case "eigrp":
		return route.EIGRP
	case "babel":
		return route.Babel
	}
	return protocolOf(word)
}

// plainWords begin lines of a protocol's block that change nothing of which routes it finds.
var plainWords = []string{
	"router-id", "log-adjacency-changes", "timers", "net", "is-type", "metric-style", "fast-reroute", "nsf",
	"graceful-restart",
	"exit", "exit-address-family", "version", "neighbor", "bfd", "capability", "ospf", "ospf6",
	"auto-cost",
	"default-information", "lsp-gen-interval", "spf-interval", "lsp-refresh-interval",
	"max-lsp-lifetime", "lsp-timers", "purge-originator", "hostname",
}

// protocolLine reads a line of a protocol's block.
func (r *reader) protocolLine(w []string, lo, hi int) bool {
	p := network.ProtocolInterface{Protocol: r.protocol.name, Family: r.protocol.family, Mark: layout.Mark(lo, hi)}
	no := w[0] == "no"
	if no {
		w = w[1:]
	}
	switch {
	case len(w) == 0:
		return false
	case w[0] == "network" && len(w) > 1 && !no:
		rest, ok := networkOf(&p, w[1:])
		if !ok {
			return false
		}
		if len(rest) == 2 && rest[0] == "area" {
			if p.Area, ok = layout.Area(rest[1]); !ok {
				return false
			}
		}
	case w[0] == "interface" && len(w) == 4 && w[2] == "area" && !no:
		var ok bool
		if p.Area, ok = layout.Area(w[3]); !ok {
			return false
		}
		p.Interface, p.On = w[1], true
	case w[0] == "passive-interface" && len(w) > 1:
		if p.Passive, p.Active = !no, no; w[1] != "default" {
			p.Interface = ifName(w[1:])
		}
	case w[0] == "redistribute" && len(w) > 1 && !no:
		x := network.Redistribution{Protocol: p.Protocol, Family: p.Family, Mark: p.Mark}
		i := 1
		if w[1] == "ipv4" || w[1] == "ipv6" {
			x.Family = map[string]route.Family{"ipv4": route.IPv4, "ipv6": route.IPv6}[w[1]]
			i++
		}
		if i >= len(w) {
			return false
		}
		x.Source, x.Filtered = sourceOf(w[i]), slices.Contains(w, "route-map") || slices.Contains(w, "route-policy")
		if x.Protocol == route.OSPF {
			x.Metric, x.Default = r.externalMetric(w[i:], x.Family)
		}
		r.Facts.Redistributed = append(r.Facts.Redistributed, x)
		return true
	case w[0] == "is-type" && len(w) == 2 && w[1] == "level-2-only" && !no:
		p.Area = "level-2" // one level for all of its interfaces (ISO 10589 section 7.1)
	case w[0] == "area" && len(w) > 2 && w[2] == "authentication":
		return false
	case w[0] == "maximum-paths":
		n, err := strconv.ParseUint(w[len(w)-1], 10, 16)
		if err != nil || n == 0 || no {
			return false // as many as it likes
		}
		p.Paths = n
	case w[0] == "timers" && !no && hasty(w[1:]):
		p.Hasty = true
	case slices.Contains(plainWords, w[0]) && !slices.Contains(w, "always"): // "default-information originate always"
		return false
	default:
		p.Other = true // it may filter, summarize or keep routes out
	}
	r.Facts.Protocols = append(r.Facts.Protocols, p)
	return true
}

// hasty reports whether the timers of RIP let half of the time after which a route is given up pass between two updates,
// "basic UPDATE TIMEOUT GARBAGE" in seconds. An update may come half as late again (the usual jitter), to the second.
func hasty(w []string) bool {
	if len(w) < 3 || w[0] != "basic" {
		return false
	}
	update, err := strconv.ParseUint(w[1], 10, 31)
	timeout, err2 := strconv.ParseUint(w[2], 10, 31)
	return err == nil && err2 == nil && timeout <= 3*update+2
}

// externalMetric is that of type 2 with which OSPF announces what a line lets in. FRR's is 20 by default.
func (r *reader) externalMetric(w []string, fam route.Family) (metric route.Number, byDefault bool) {
	at := slices.Index(w, "metric")
	switch {
	case slices.Contains(w, "metric-type"):
	case at >= 0 && at+1 < len(w):
		if n, err := strconv.ParseUint(w[at+1], 10, 24); err == nil {
			return route.N(n), false
		}
	case r.daemons && fam == route.IPv4 && len(w) == 1:
		return route.N(20), true
	}
	return route.Number{}, false
}

// networkOf reads "PREFIX", "ADDRESS WILDCARD" or an interface's name, and returns the words behind it.
func networkOf(p *network.ProtocolInterface, w []string) ([]string, bool) {
	p.On = true
	if !layout.LooksLikeAddress([]byte(w[0])) {
		p.Interface = w[0]
		return w[1:], true
	}
	text, rest := w[0], w[1:]
	if len(rest) > 0 && layout.LooksLikeAddress([]byte(rest[0])) {
		mask, ok := layout.Addr([]byte(rest[0]))
		if !ok || !mask.Is4() {
			return nil, false
		}
		b := mask.As4()
		text, rest = text+"/"+netip.AddrFrom4([4]byte{^b[0], ^b[1], ^b[2], ^b[3]}).String(), rest[1:]
	}
	q, err := layout.Prefix([]byte(text), false)
	if err != nil && p.Protocol == route.RIP { // classful
		if a, err := netip.ParseAddr(text); err == nil {
			q = network.ClassOf4(a)
		}
	} else if err != nil {
		return nil, false
	}
	p.Network = q.Masked()
	return rest, p.Network.IsValid()
}

// protocolOn reads what a line of an interface's block says of a protocol.
func (r *reader) protocolOn(w []string, ifname string, lo, hi int) bool {
	p := network.ProtocolInterface{Interface: ifname, Mark: layout.Mark(lo, hi)}
	if len(w) > 2 && (w[0] == "ip" || w[0] == "ipv6" || w[0] == "ipv4") {
		p.Family = route.IPv4
		if w[0] == "ipv6" {
			p.Family = route.IPv6
		}
		w = w[1:]
	}
	if len(w) > 1 && w[0] == "router" {
		if p.Protocol = protocolOf(w[1]); p.Protocol == route.Other {
			return false
		}
		p.On = true
		if i := slices.Index(w, "area"); i > 0 && i+1 < len(w) {
			var ok bool
			if p.Area, ok = layout.Area(w[i+1]); !ok {
				return false
			}
		}
		r.Facts.Protocols = append(r.Facts.Protocols, p)
		return true
	}
	if p.Protocol = protocolOf(w[0]); p.Protocol == route.Other || len(w) < 2 {
		return false
	}
	if w[0] == "isis" {
		p.Family = 0
	}
	w = w[1:]
	if _, err := strconv.Atoi(w[0]); err == nil && len(w) > 1 { // the number of a process
		w = w[1:]
		if len(w) > 1 && (w[0] == "ipv6" || w[0] == "ipv4") {
			w = w[1:]
		}
	}
	switch {
	case (w[0] == "cost" || w[0] == "metric") && len(w) >= 2:
		n, ok := layout.Uint([]byte(w[1]))
		if !ok {
			return false
		}
		p.Cost = route.N(n)
	case w[0] == "area" && len(w) == 2:
		var ok bool
		if p.Area, ok = layout.Area(w[1]); !ok {
			return false
		}
		p.On = true
	case w[0] == "passive":
		p.Passive = true
	case w[0] == "circuit-type", w[0] == "prefix-suppression", w[0] == "advertise":
		p.Other = true // another level than the device's, or the network of the link is not announced
	default:
		return false
	}
	r.Facts.Protocols = append(r.Facts.Protocols, p)
	return true
}
