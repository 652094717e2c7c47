package snmp

import (
	"bytes"
	"net/netip"
	"strconv"
	"strings"
)

// names maps the MIBs' object names to their numbers below 1.3.6.1.2.1: IP-FORWARD-MIB (RFC 4292, and its older table
// of RFC 2096), IP-MIB (RFC 4293), IF-MIB (RFC 2863), and the routes of RFC 1213.
var names = map[string][]uint32{
	"inetCidrRouteIfIndex": {
		4,
		24,
		7,
		1,
		7,
	}, "inetCidrRouteType": {4, 24, 7, 1, 8}, "inetCidrRouteProto": {4, 24, 7, 1, 9},
	"inetCidrRouteMetric1": {4, 24, 7, 1, 12}, "inetCidrRouteStatus": {4, 24, 7, 1, 17},
	"ipCidrRouteStatus":  {4, 24, 4, 1, 16},
	"ipCidrRouteIfIndex": {4, 24, 4, 1, 5}, "ipCidrRouteType": {4, 24, 4, 1, 6}, "ipCidrRouteProto": {4, 24, 4, 1, 7},
	"ipCidrRouteMetric1": {4, 24, 4, 1, 11},
	"ipRouteIfIndex": {
		4,
		21,
		1,
		2,
	}, "ipRouteMetric1": {4, 21, 1, 3}, "ipRouteNextHop": {4, 21, 1, 7}, "ipRouteType": {4, 21, 1, 8},
	"ipRouteProto": {4, 21, 1, 9}, "ipRouteMask": {4, 21, 1, 11},
	"ipAdEntIfIndex": {4, 20, 1, 2}, "ipAdEntNetMask": {4, 20, 1, 3},
	"ipAddressIfIndex": {4, 34, 1, 3}, "ipAddressType": {4, 34, 1, 4}, "ipAddressPrefix": {4, 34, 1, 5},
	"ipNetToMediaPhysAddress": {
		4,
		22,
		1,
		2,
	}, "ipNetToPhysicalPhysAddress": {4, 35, 1, 4}, "ipNetToPhysicalState": {4, 35, 1, 7},
	"ipForwarding": {4, 1}, "ipv6IpForwarding": {4, 25},
	"ifDescr": {2, 2, 1, 2}, "ifPhysAddress": {2, 2, 1, 6}, "ifAdminStatus": {2, 2, 1, 7}, "ifOperStatus": {2, 2, 1, 8},
	"ifName": {31, 1, 1, 1, 1},
}

var mib2 = []uint32{1, 3, 6, 1, 2, 1}

// maxOID is the longest identifier: RFC 2578 section 3.5 allows 128 numbers.
const maxOID = 128

// parseLine splits "OID = TYPE: VALUE". The identifier comes relative to mib-2; other is set for one outside of it, or
// one by a name that is not in the list.
func parseLine(line []byte) (oid []uint32, value string, other, ok bool) {
	left, right, found := bytes.Cut(line, []byte(" ="))
	if !found || len(left) < 3 || len(left) > 1000 {
		return nil, "", false, false
	}
	value = strings.TrimSpace(string(right))
	if kind, rest, has := strings.Cut(value, ": "); has && isType(kind) {
		value = strings.TrimSpace(rest)
	} else if isType(strings.TrimSuffix(value, ":")) {
		value = ""
	}
	s := string(left)
	if mod, name, named := strings.Cut(s, "::"); named {
		if strings.ContainsAny(mod, " .=") {
			return nil, "", false, false
		}
		object, index, _ := strings.Cut(name, ".")
		base, known := names[object]
		if !known {
			return nil, value, true, object != ""
		}
		rest, good := parseIndex(index)
		if !good {
			return nil, "", false, false
		}
		return append(append([]uint32{}, base...), rest...), value, false, true
	}
	if rest, iso := strings.CutPrefix(s, "iso."); iso {
		s = "1." + rest
	}
	all, good := parseIndex(strings.TrimPrefix(s, "."))
	if !good || len(all) < 4 || all[0] != 1 || all[1] != 3 {
		return nil, "", false, false
	}
	for i, n := range mib2 {
		if i >= len(all) || all[i] != n {
			return nil, value, true, true
		}
	}
	return all[len(mib2):], value, false, true
}

// isType reports whether a word is a type as walks print it in front of a value.
func isType(s string) bool {
	switch s {
	case "INTEGER",
		"IpAddress",
		"STRING",
		"Hex-STRING",
		"OID",
		"Gauge32",
		"Counter32",
		"Counter64",
		"Timeticks",
		"BITS",
		"Network Address",
		"Unsigned32",
		"Opaque":
		return true
	}
	return false
}

// usualIndex is how many numbers the index of a route has, and some.
const usualIndex = 24

// parseIndex reads numbers, and addresses in quotes as the tools print them with names: ipv4."10.0.0.1" stands for
// 1.4.10.0.0.1, ipv6."fd:00:…" for 2.16 and its bytes.
func parseIndex(s string) ([]uint32, bool) {
	out := make([]uint32, 0, usualIndex)
	for s != "" {
		if len(out) > maxOID {
			return nil, false
		}
		part, rest, _ := strings.Cut(s, ".")
		switch part {
		case "ipv4", "ipv6":
			quoted, after, ok := strings.Cut(strings.TrimPrefix(rest, `"`), `"`)
			a, good := quotedAddress(quoted)
			if !ok || !good || !strings.HasPrefix(rest, `"`) {
				return nil, false
			}
			if a.Is4() {
				out = append(out, 1, 4)
			} else {
				out = append(out, 2, 16)
			}
			for _, b := range a.AsSlice() {
				out = append(out, uint32(b))
			}
			s = strings.TrimPrefix(after, ".")
			continue
		}
		n, err := strconv.ParseUint(part, 10, 32)
		if err != nil {
			return nil, false
		}
		out, s = append(out, uint32(n)), rest
	}
	return out, true
}

// quotedAddress reads a dotted quad, an IPv6 address, or its sixteen bytes in hexadecimal.
func quotedAddress(s string) (netip.Addr, bool) {
	if a, err := netip.ParseAddr(s); err == nil && a.Zone() == "" {
		return a, true
	}
	parts := strings.Split(s, ":")
	if len(parts) != 16 {
		return netip.Addr{}, false
	}
	var b [16]byte
	for i, p := range parts {
		n, err := strconv.ParseUint(p, 16, 8)
		if err != nil {
			return netip.Addr{}, false
		}
		b[i] = byte(n)
	}
	return netip.AddrFrom16(b), true
}

// takeAddress reads TYPE.LENGTH.BYTES (RFC 4001 section 4) off the front of an index.
func takeAddress(in []uint32) (a netip.Addr, rest []uint32, ok bool) {
	if len(in) < 2 || in[1] > 20 || len(in) < 2+int(in[1]) {
		return a, nil, false
	}
	n := int(in[1])
	b, ok := octets(in[2 : 2+n])
	if !ok ||
		!(in[0] == 1 && n == 4 || in[0] == 2 && n == 16 || in[0] == 3 && n == 8 || in[0] == 4 && n == 20 ||
			in[0] == 0 && n == 0) {
		return a, nil, false
	}
	switch n { // a zone (types 3 and 4) is the interface, which a column tells anyway
	case 0:
		return a, in[2:], true
	case 4, 8:
		a, ok = netip.AddrFromSlice(b[:4])
	default:
		a, ok = netip.AddrFromSlice(b[:16])
	}
	return a, in[2+n:], ok
}

func octets(in []uint32) ([]byte, bool) {
	out := make([]byte, len(in))
	for i, n := range in {
		if n > 255 {
			return nil, false
		}
		out[i] = byte(n)
	}
	return out, true
}

// takeIPv4 reads four numbers.
func takeIPv4(in []uint32) (a netip.Addr, rest []uint32, ok bool) {
	if len(in) < 4 {
		return a, nil, false
	}
	b, ok := octets(in[:4])
	if !ok {
		return a, nil, false
	}
	a, ok = netip.AddrFromSlice(b)
	return a, in[4:], ok
}

// integer reads "3" and "local(3)".
func integer(s string) (uint64, bool) {
	if i := strings.IndexByte(s, '('); i >= 0 && strings.HasSuffix(s, ")") {
		s = s[i+1 : len(s)-1]
	}
	n, err := strconv.ParseUint(s, 10, 64)
	return n, err == nil
}

// mac reads a link-layer address as the tools print it: "2:11:30:0:0:1" or "02 11 30 00 00 01".
func mac(s string) string {
	parts := strings.FieldsFunc(strings.Trim(s, `" `), func(r rune) bool { return r == ':' || r == ' ' })
	if len(parts) != 6 {
		return ""
	}
	for i, p := range parts {
		n, err := strconv.ParseUint(p, 16, 8)
		if err != nil {
			return ""
		}
		parts[i] = strconv.FormatUint(n+0x100, 16)[1:]
	}
	return strings.Join(parts, ":")
}
