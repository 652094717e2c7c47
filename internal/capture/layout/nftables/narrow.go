package nftables

import (
	"encoding/json"
	"net/netip"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// apply narrows a rule by one value; false where it cannot be told. What two conditions cannot both hold of never fits.
func (m *match) apply(what string, v json.RawMessage) bool {
	text := strings.Trim(string(v), `"`)
	proto, field, _ := strings.Cut(what, " ")
	switch {
	case what == "ip saddr" || what == "ip6 saddr":
		return m.prefix(&m.From, v)
	case what == "ip daddr" || what == "ip6 daddr":
		return m.prefix(&m.To, v)
	case what == "meta iifname" || what == "meta iif":
		return m.by(&m.In, &m.NotIn, text)
	case what == "meta oifname" || what == "meta oif":
		return m.by(&m.Out, &m.NotOut, text)
	case what == "meta l4proto" || what == "ip protocol" || what == "ip6 nexthdr":
		p, ok := filters.Protocol(text)
		return ok && p != "" && m.protocol(p)
	case what == "icmp type" || what == "icmpv6 type":
		t, ok := filters.ICMPType(text, proto == "icmpv6")
		if ok && m.Type != 0 && m.Type != t {
			m.never = true
		}
		m.Type = t
		return m.protocol(proto) && ok
	case what == "meta nfproto":
		f := map[string]route.Family{"ipv4": route.IPv4, "ipv6": route.IPv6}[text]
		m.never = m.never || m.Family != 0 && m.Family != f
		m.Family = f
		return f != 0
	case (proto == "tcp" || proto == "udp" || proto == "sctp" || proto == "th") &&
		(field == "dport" || field == "sport"):
		if proto != "th" {
			m.protocol(proto)
		}
		p, ok := ports(v)
		if !ok {
			return false
		}
		if field == "dport" {
			m.ports(&m.ToPorts, p)
		} else {
			m.ports(&m.FromPorts, p)
		}
		return m.Protocol != ""
	}
	return false
}

func (m *match) protocol(p string) bool {
	m.never = m.never || m.Protocol != "" && m.Protocol != p
	m.Protocol = p
	return true
}

// by narrows to packets by one interface, not being the one that it is not for; false for a pattern, which may stand for
// several.
func (m *match) by(is, not *string, name string) bool {
	if strings.ContainsAny(name, "*+$@") {
		return false
	}
	m.never = m.never || *is != "" && *is != name || *not == name
	*is, *not = name, ""
	return true
}

// notBy narrows to the interfaces beside one; false where it cannot be told.
func (m *match) notBy(what, name string) bool {
	is, not := &m.In, &m.NotIn
	switch what {
	case "meta iifname", "meta iif":
	case "meta oifname", "meta oif":
		is, not = &m.Out, &m.NotOut
	default:
		return false
	}
	if strings.ContainsAny(name, "*+$@") || *not != "" && *not != name {
		return false
	}
	if *is == "" {
		*not = name
	}
	m.never = m.never || *is == name
	return true
}

// without narrows what the rest of a chain is for to what a rule that leaves the chain does not fit; false where that is
// more than those that come in, or leave, by one interface.
func (m *match) without(leave []match) bool {
	if len(leave) != 1 {
		return false
	}
	with := leave[0]
	with.Mark = m.Mark
	in, out := *m, *m
	in.In, out.Out = with.In, with.Out
	rest, ok := *m, false
	switch with {
	case in:
		ok = rest.notBy("meta iifname", with.In)
	case out:
		ok = rest.notBy("meta oifname", with.Out)
	}
	if !ok {
		return false
	}
	*m = rest
	return true
}

// ports narrows to what two ranges have in common.
func (m *match) ports(to *network.Ports, p network.Ports) {
	if !to.Any() {
		p.Lo, p.Hi = max(p.Lo, to.Lo), min(p.Hi, to.Hi)
		m.never = m.never || p.Lo > p.Hi
	}
	*to = p
}

// prefix narrows to what two prefixes have in common.
func (m *match) prefix(to *netip.Prefix, v json.RawMessage) bool {
	p, ok := prefixOf(v)
	switch {
	case !ok:
		return false
	case !to.IsValid():
		*to = p
	case !to.Overlaps(p):
		m.never = true
	case p.Bits() > to.Bits():
		*to = p
	}
	return true
}

// prefixOf reads an address, or an object with an address and a length.
func prefixOf(v json.RawMessage) (netip.Prefix, bool) {
	var o struct {
		Prefix *struct {
			Addr string
			Len  int
		}
	}
	var s string
	if json.Unmarshal(v, &s) == nil {
		a, err := netip.ParseAddr(s)
		return netip.PrefixFrom(a, max(a.BitLen(), 0)), err == nil
	}
	if json.Unmarshal(v, &o) != nil || o.Prefix == nil {
		return netip.Prefix{}, false
	}
	a, err := netip.ParseAddr(o.Prefix.Addr)
	if err != nil || o.Prefix.Len < 0 || o.Prefix.Len > a.BitLen() {
		return netip.Prefix{}, false
	}
	return netip.PrefixFrom(a, o.Prefix.Len).Masked(), true
}
