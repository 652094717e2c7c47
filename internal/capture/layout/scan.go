package layout

import (
	"encoding/binary"
	"fmt"
	"math/bits"
	"net/netip"
	"strconv"
	"strings"
)

// Field returns the bounds of the next word of line at or after i; lo == hi when there is none.
func Field(line []byte, i int) (lo, hi int) {
	for i < len(line) && (line[i] == ' ' || line[i] == '\t') {
		i++
	}
	lo = i
	for i < len(line) && line[i] != ' ' && line[i] != '\t' {
		i++
	}
	return lo, i
}

// IPv4 parses a dotted quad without allocating. It accepts what netip.ParseAddr accepts for IPv4 and nothing else.
func IPv4(b []byte) (a netip.Addr, ok bool) {
	var out [4]byte
	part, v, digits := 0, 0, 0
	for _, c := range b {
		switch {
		case c >= '0' && c <= '9':
			if digits > 0 && v == 0 || digits == 3 {
				return a, false
			}
			v, digits = v*10+int(c-'0'), digits+1
		case c == '.' && digits > 0 && part < 3 && v < 256:
			out[part] = byte(v)
			part, v, digits = part+1, 0, 0
		default:
			return a, false
		}
	}
	if part != 3 || digits == 0 || v > 255 {
		return a, false
	}
	out[3] = byte(v)
	return netip.AddrFrom4(out), true
}

// Addr parses an address of either family, an IPv4 address inside an IPv6 one as IPv4.
func Addr(b []byte) (netip.Addr, bool) {
	a, ok := mapped(b)
	return a.Unmap(), ok
}

func mapped(b []byte) (netip.Addr, bool) {
	if a, ok := IPv4(b); ok {
		return a, true
	}
	if len(b) < 2 || len(b) > 64 {
		return netip.Addr{}, false
	}
	a, err := netip.ParseAddr(string(b))
	return a, err == nil && !a.Is4()
}

// LooksLikeAddress reports whether b starts as an address does, so that a bad one can be told from a word.
func LooksLikeAddress(b []byte) bool {
	dots, colons := 0, 0
	for i, c := range b {
		switch {
		case c == '.':
			dots++
		case c == ':':
			colons++
		case c == '/' && i > 0:
			return dots > 0 && dots+colons >= 3 || colons >= 2
		case c >= '0' && c <= '9', colons > 0 && (c >= 'a' && c <= 'f' || c >= 'A' && c <= 'F'):
		case c >= 'a' && c <= 'f' || c >= 'A' && c <= 'F':
			if dots > 0 {
				return false
			}
		default:
			return false
		}
	}
	return dots == 3 || colons >= 2
}

// Prefix parses ADDRESS/LENGTH or ADDRESS/MASK, or a bare address as one of full length when bare is set. Host bits are
// kept. The error tells what is wrong with something that looks like a prefix.
func Prefix(b []byte, bare bool) (netip.Prefix, error) {
	slash := -1
	for i, c := range b {
		if c == '/' {
			slash = i
			break
		}
	}
	if slash < 0 {
		a, ok := Addr(b)
		if !ok {
			return netip.Prefix{}, fmt.Errorf("%w: %q", ErrAddress, b)
		}
		if !bare {
			return netip.Prefix{}, ErrNoLength
		}
		return netip.PrefixFrom(a, a.BitLen()), nil
	}
	a, ok := mapped(b[:slash])
	if !ok || a.Zone() != "" {
		return netip.Prefix{}, fmt.Errorf("%w: %q", ErrAddress, b)
	}
	if n, ok := Uint(b[slash+1:]); ok {
		if n > uint64(a.BitLen()) {
			return netip.Prefix{}, fmt.Errorf("%w: %q", ErrPrefixLength, b)
		}
		return netip.PrefixFrom(a, int(n)), nil
	}
	m, ok := IPv4(b[slash+1:])
	if !ok || !a.Is4() {
		return netip.Prefix{}, fmt.Errorf("%w: %q", ErrPrefixLength, b)
	}
	n, err := MaskLength(m)
	return netip.PrefixFrom(a, n), err
}

// MaskLength returns the prefix length of an IPv4 mask.
func MaskLength(mask netip.Addr) (int, error) {
	a := mask.As4()
	m := binary.BigEndian.Uint32(a[:])
	n := bits.LeadingZeros32(^m)
	if m<<n != 0 {
		return 0, fmt.Errorf("%w: %s", ErrMaskGap, mask)
	}
	return n, nil
}

// Uint parses a decimal number that fits 64 bits.
func Uint(b []byte) (uint64, bool) {
	if len(b) == 0 || len(b) > 20 {
		return 0, false
	}
	if len(b) < 19 {
		v := uint64(0)
		for _, c := range b {
			if c < '0' || c > '9' {
				return 0, false
			}
			v = v*10 + uint64(c-'0')
		}
		return v, true
	}
	v, err := strconv.ParseUint(string(b), 10, 64)
	return v, err == nil
}

// QuickPrefix parses ADDRESS/LENGTH of IPv4 at b[i:], ended by a blank, in one pass. It takes only what Prefix takes.
func QuickPrefix(b []byte, i int) (p netip.Prefix, end int, ok bool) {
	var out [4]byte
	part, v, digits := 0, 0, 0
	for ; i < len(b); i++ {
		c := b[i]
		switch {
		case c >= '0' && c <= '9':
			if digits > 0 && v == 0 && part < 4 || digits == 3 {
				return p, i, false
			}
			v, digits = v*10+int(c-'0'), digits+1
		case c == '.' && digits > 0 && part < 3 && v < 256, c == '/' && digits > 0 && part == 3 && v < 256:
			out[part] = byte(v)
			part, v, digits = part+1, 0, 0
		case c == ' ' && part == 4 && digits > 0 && v <= 32:
			return netip.PrefixFrom(netip.AddrFrom4(out), v), i, true
		default:
			return p, i, false
		}
	}
	return p, i, false
}

// tabStop is how far apart terminals have their tab stops, in columns.
const tabStop = 8

// Untab returns a line with blanks where a terminal shows its tabs as such.
func Untab(line string) string {
	if strings.IndexByte(line, '\t') < 0 {
		return line
	}
	var b strings.Builder
	column := 0
	for _, c := range line {
		if c != '\t' {
			b.WriteRune(c)
			column++
			continue
		}
		n := tabStop - column%tabStop
		b.WriteString(strings.Repeat(" ", n))
		column += n
	}
	return b.String()
}
