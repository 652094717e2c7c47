package mask

import (
	"fmt"
	"net/netip"
	"strconv"
	"strings"

	"zarvek/internal/lazyregexp"
)

// Walks of SNMP have addresses inside of longer identifiers: as numbers, or with names of the objects and quotes. Which
// numbers of an index are an address is told by the table (RFC 4292, RFC 4293, RFC 2096, RFC 1213).

// indexes tells what the index of a table below mib-2 is made of: t is TYPE.LENGTH.BYTES (RFC 4001), a is four bytes, n
// is one number, p is a length and as many numbers.
var indexes = []struct {
	base  string             // numbers below 1.3.6.1.2.1, without the column
	names *lazyregexp.Regexp // of its columns
	form  string
}{
	{"4.24.7.1", lazyregexp.New(`^inetCidrRoute`), "tnpt"},
	{"4.24.4.1", lazyregexp.New(`^ipCidrRoute`), "aana"},
	{"4.21.1", lazyregexp.New(`^ipRoute`), "a"},
	{"4.20.1", lazyregexp.New(`^ipAd[A-Z]`), "a"},
	{"4.22.1", lazyregexp.New(`^ipNetToMedia`), "na"},
	{"4.32.1", lazyregexp.New(`^ipAddressPrefix[A-Z]`), "ntn"},
	{"4.34.1", lazyregexp.New(`^ipAddress[A-Z]`), "t"},
	{"4.35.1", lazyregexp.New(`^ipNetToPhysical`), "nt"},
	{"2.2.1", lazyregexp.New(`^if[A-Z]`), "n"},
	{"31.1.1.1", lazyregexp.New(`^if[A-Z]`), "n"},
	{"4.1", lazyregexp.New(`^ipForwarding`), "n"},
	{"4.25", lazyregexp.New(`^ipv6IpForwarding`), "n"},
	{"1.5", lazyregexp.New(`^sysName`), "n"},
}

var (
	numericOID = lazyregexp.New(`(?:\.1|\b1|\biso)\.3\.6\.1\.2\.1\.((?:\d+\.)*\d+)`)
	namedOID   = lazyregexp.New(`([A-Z][\w-]*::)([A-Za-z]\w*)((?:\.(?:\d+|ipv[46]z?\."[^"]*"))+)`)
	looseMAC   = lazyregexp.New(`^[0-9A-Fa-f]{1,2}(?::[0-9A-Fa-f]{1,2}){5}\s*$`)
	hexOctets  = lazyregexp.New(`^(?:[0-9A-Fa-f]{2} ){5}[0-9A-Fa-f]{2}\s*$`)

	// aliases are what people wrote on an interface (RFC 2863 section 3.1.6).
	aliases = lazyregexp.New(`(?:::ifAlias|\.31\.1\.1\.1\.18)\.\d+$`)
)

// WalkLine returns what a line of a walk becomes, and false where it is of a table that is not known: nobody can tell
// which of its numbers are addresses.
func (m *Masker) WalkLine(line string) (string, bool) {
	left, right, found := strings.Cut(line, " = ")
	if !found {
		return "", false
	}
	alias := aliases.MatchString(left)
	left, ok := m.oid(left)
	if !ok {
		return "", false
	}
	kind, value, typed := strings.Cut(right, ": ")
	switch {
	case alias && kind == "Hex-STRING":
		return "", false
	case alias && typed:
		value = m.Own(value)
	case alias:
		return left + " = " + m.Own(right), true
	case !typed:
		return left + " = " + m.Line(right), true
	case kind == "OID":
		if value, ok = m.oid(value); !ok {
			return "", false
		}
	case looseMAC.MatchString(value):
		parts := strings.Split(strings.TrimSpace(value), ":")
		for i, p := range parts {
			parts[i] = strings.Repeat("0", 2-len(p)) + p
		}
		value = m.hardware(strings.Join(parts, ":"))
	case kind == "Hex-STRING":
		if !hexOctets.MatchString(value) {
			return "", false
		}
		value = strings.ToUpper(strings.ReplaceAll(m.hardware(strings.ReplaceAll(strings.TrimSpace(value), " ", ":")),
			":", " ")) + " "
	default:
		value = m.Line(value)
	}
	return left + " = " + kind + ": " + value, true
}

// oid maps the addresses in an identifier.
func (m *Masker) oid(s string) (string, bool) {
	if x := namedOID.FindStringSubmatchIndex(s); x != nil {
		object, index := s[x[4]:x[5]], s[x[6]+1:x[7]]
		for _, t := range indexes {
			if t.names.MatchString(object) {
				out, ok := m.index(index, t.form)
				return s[:x[6]+1] + out + s[x[7]:], ok
			}
		}
		return "", false
	}
	x := numericOID.FindStringSubmatchIndex(s)
	if x == nil {
		return s, !strings.ContainsAny(s, "0123456789") || strings.Count(s, ".") < 4
	}
	rest := s[x[2]:x[3]]
	for _, t := range indexes {
		below, ok := strings.CutPrefix(rest, t.base+".")
		if !ok {
			continue
		}
		column := ""
		if len(strings.Split(t.base, ".")) > 2 || strings.HasPrefix(t.base, "2.2") {
			first, index, more := strings.Cut(below, ".")
			if !more {
				return "", false
			}
			column, below = first+".", index
		}
		out, ok := m.index(below, t.form)
		return s[:x[2]] + t.base + "." + column + out + s[x[3]:], ok
	}
	return "", false
}

// index maps the addresses of an index.
func (m *Masker) index(s, form string) (string, bool) {
	parts := pieces(s)
	var out []string
	take := func(n int) ([]string, bool) {
		if n < 0 || len(parts) < n {
			return nil, false
		}
		head := parts[:n]
		parts = parts[n:]
		return head, true
	}
	octets := func(head []string) bool {
		raw := make([]byte, len(head))
		for i, h := range head {
			n, err := strconv.ParseUint(h, 10, 8)
			if err != nil {
				return false
			}
			raw[i] = byte(n)
		}
		zone := raw[min(len(raw), 16):]
		if len(raw) == 8 {
			raw, zone = raw[:4], raw[4:]
		} else if len(raw) == 20 {
			raw = raw[:16]
		}
		a, ok := netip.AddrFromSlice(raw)
		if !ok {
			return len(head) == 0
		}
		for _, b := range append(m.Addr(a).AsSlice(), zone...) {
			out = append(out, fmt.Sprint(b))
		}
		return true
	}
	for _, c := range form {
		switch c {
		case 'n':
			head, ok := take(1)
			if !ok {
				return "", false
			}
			out = append(out, head...)
		case 'p':
			head, ok := take(1)
			if !ok {
				return "", false
			}
			n, err := strconv.Atoi(head[0])
			more, ok := take(n)
			if err != nil || !ok {
				return "", false
			}
			out = append(append(out, head...), more...)
		case 'a':
			head, ok := take(4)
			if !ok || !octets(head) {
				return "", false
			}
		case 't':
			if len(parts) > 0 && strings.HasPrefix(parts[0], "ipv") {
				head, _ := take(1)
				quoted, ok := m.quoted(head[0])
				if !ok {
					return "", false
				}
				out = append(out, quoted)
				continue
			}
			head, ok := take(2)
			if !ok {
				return "", false
			}
			n, err := strconv.Atoi(head[1])
			out = append(out, head...)
			bytes, ok := take(n)
			if err != nil || !ok || !octets(bytes) {
				return "", false
			}
		}
	}
	return strings.Join(out, "."), len(parts) == 0
}

// pieces cuts an index at its dots; an address in quotes is one piece with its kind.
func pieces(s string) []string {
	var out []string
	for s != "" {
		if strings.HasPrefix(s, "ipv") {
			if i := strings.Index(s, `"`); i >= 0 {
				if k := strings.Index(s[i+1:], `"`); k >= 0 {
					end := i + 1 + k + 1
					out, s = append(out, s[:end]), strings.TrimPrefix(s[end:], ".")
					continue
				}
			}
		}
		var part string
		part, s, _ = strings.Cut(s, ".")
		out = append(out, part)
	}
	return out
}

// quoted maps ipv4."10.0.0.1" or ipv6."fd:6b:…", the sixteen bytes in hexadecimal.
func (m *Masker) quoted(s string) (string, bool) {
	kind, text, ok := strings.Cut(strings.TrimSuffix(s, `"`), `."`)
	if !ok {
		return "", false
	}
	if a, err := netip.ParseAddr(text); err == nil && a.Zone() == "" {
		return kind + `."` + m.Addr(a).String() + `"`, true
	}
	parts := strings.Split(text, ":")
	if len(parts) != 16 {
		return "", false
	}
	var raw [16]byte
	for i, p := range parts {
		n, err := strconv.ParseUint(p, 16, 8)
		if err != nil {
			return "", false
		}
		raw[i] = byte(n)
	}
	var out []string
	for _, b := range m.Addr(netip.AddrFrom16(raw)).As16() {
		out = append(out, fmt.Sprintf("%02x", b))
	}
	return kind + `."` + strings.Join(out, ":") + `"`, true
}
