package filters

import (
	"math/bits"
	"net/netip"
	"slices"
	"strings"

	"go4.org/netipx"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
)

// Prefix is the set of one prefix.
func Prefix(p netip.Prefix) Addresses {
	if p.Bits() == 0 {
		return Addresses{Some: true, Prefixes: []netip.Prefix{p}}
	}
	return Addresses{Some: true, Prefixes: []netip.Prefix{p.Masked()}}
}

// Address reads an address, a prefix, or a range "A-B"; false for anything else.
func Address(s string) (Addresses, bool) {
	if lo, hi, ok := strings.Cut(s, "-"); ok {
		return Range(lo, hi)
	}
	if strings.Contains(s, "/") {
		p, err := layout.Prefix([]byte(s), true)
		return Prefix(p), err == nil
	}
	a, ok := layout.Addr([]byte(s))
	if !ok || a.Zone() != "" {
		return Addresses{}, false
	}
	return Prefix(netip.PrefixFrom(a, a.BitLen())), true
}

// Range is the set of the addresses from one to another.
func Range(lo, hi string) (Addresses, bool) {
	a, errA := netip.ParseAddr(lo)
	b, errB := netip.ParseAddr(hi)
	r := netipx.IPRangeFrom(a, b)
	if errA != nil || errB != nil || !r.IsValid() {
		return Addresses{}, false
	}
	return Addresses{Some: true, Prefixes: r.Prefixes()}, true
}

// Masked reads an IPv4 address and its mask or, where wild is set, its wildcard, of which the zero bits count. One with
// zero and one bits in turn stands for more than one prefix, and the set is then not sure.
func Masked(address, mask string, wild bool) (Addresses, bool) {
	a, errA := netip.ParseAddr(address)
	m, errM := netip.ParseAddr(mask)
	if errA != nil || errM != nil || !a.Is4() || !m.Is4() {
		return Addresses{}, false
	}
	b := m.As4()
	n := uint32(b[0])<<24 | uint32(b[1])<<16 | uint32(b[2])<<8 | uint32(b[3])
	if wild {
		n = ^n
	}
	ones := bits.LeadingZeros32(^n)
	if bits.OnesCount32(n) != ones {
		return Addresses{Unsure: true, Some: true}, true
	}
	return Prefix(netip.PrefixFrom(a, ones)), true
}

// Compare reads a comparison of ports: "eq N [N…]", "neq N", "lt N", "gt N", "range N M". It returns how many words it
// took, 0 where none stands there; ok is false where it is one and is not understood.
func Compare(w []string, protocol string) (ports []network.Ports, taken int, ok bool) {
	if len(w) < 2 {
		return nil, 0, true
	}
	n, named := Port(w[1], protocol)
	switch w[0] {
	case "eq":
		taken = 1
		for taken < len(w) {
			if n, named = Port(w[taken], protocol); !named {
				break
			}
			ports = append(ports, network.Ports{Lo: n, Hi: n})
			taken++
		}
		return ports, max(taken, 2), len(ports) > 0
	case "neq":
		return others(n), 2, named
	case "lt":
		return []network.Ports{{Lo: 0, Hi: n - min(n, 1)}}, 2, named && n > 1
	case "gt":
		return []network.Ports{{Lo: n + 1, Hi: 65535}}, 2, named && n < 65535
	case "range":
		if len(w) < 3 {
			return nil, 2, false
		}
		m, second := Port(w[2], protocol)
		return []network.Ports{{Lo: n, Hi: m}}, 3, named && second && n <= m && m > 0
	}
	return nil, 0, true
}

// others are the ports but one.
func others(n uint16) []network.Ports {
	var out []network.Ports
	if n > 1 {
		out = append(out, network.Ports{Lo: 0, Hi: n - 1})
	}
	if n < 65535 {
		out = append(out, network.Ports{Lo: n + 1, Hi: 65535})
	}
	return out
}

// PortRanges reads "80", "http", "8000-8010" and lists of them with commas; a negated list is not understood.
func PortRanges(s, protocol string) ([]network.Ports, bool) {
	var out []network.Ports
	for part := range strings.SplitSeq(s, ",") {
		lo, hi, ranged := part, part, false
		if _, named := Port(part, protocol); !named {
			for _, between := range []string{"-", ":"} {
				if l, h, ok := strings.Cut(part, between); ok {
					lo, hi, ranged = l, h, true
					break
				}
			}
		}
		n, a := Port(lo, protocol)
		m, b := Port(hi, protocol)
		if !a || !b || ranged && m < n || m == 0 {
			return nil, false
		}
		out = append(out, network.Ports{Lo: n, Hi: m})
	}
	return out, true
}

// Port reads the number or the name of a port (the IANA registry of service names, and older names that are still
// written).
func Port(s, protocol string) (uint16, bool) {
	if n, ok := layout.Uint([]byte(s)); ok {
		return uint16(n), n <= 65535
	}
	s = strings.ToLower(s)
	if n, ok := portsOf[protocol+" "+s]; ok {
		return n, true
	}
	n, ok := portNames[s]
	return n, ok
}

// ICMPType reads the number or the name of an ICMP type and returns it + 1; a name may stand for one code of it.
func ICMPType(s string, six bool) (uint16, bool) {
	if n, ok := layout.Uint([]byte(s)); ok {
		return uint16(n) + 1, n < 256
	}
	names := icmpNames
	if six {
		names = icmpv6Names
	}
	s = strings.ToLower(s)
	for _, t := range names {
		if slices.Contains(t.names, s) {
			return t.number + 1, true
		}
	}
	return 0, false
}
