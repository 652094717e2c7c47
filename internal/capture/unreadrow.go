package capture

import (
	"bytes"
	"net/netip"
	"slices"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// unreadRows attaches the unread lines of a part that name a prefix to its tables of that family: each may be a route,
// and what a shorter route leads to is not known then.
func (p *Part) unreadRows(src *Source) {
	if len(p.Facts.Tables) == 0 {
		return
	}
	p.headless(src)
	above := rowsAbove{part: p, source: src}
	var damaged *damagedRows
	for _, u := range p.Unread {
		line := appendClean(nil, src.Text(u.Mark))
		found := [...]netip.Prefix{namedPrefix(line), {}}
		beside := false
		if namesDefault(line) {
			found = [...]netip.Prefix{netip.PrefixFrom(netip.IPv4Unspecified(), 0),
				netip.PrefixFrom(netip.IPv6Unspecified(), 0)}
		} else {
			found[1], beside = above.find(u.Mark.Off, goesOn(line))
			if damaged == nil {
				damaged = &damagedRows{}
				damaged.learn(p, src)
			}
			if damaged.find(p, line, u.Mark) {
				found[0] = netip.Prefix{}
			}
		}
		for i := range p.Facts.Tables {
			t := &p.Facts.Tables[i]
			for k, prefix := range found {
				if prefix.IsValid() && t.Family == route.FamilyOf(prefix.Addr()) {
					t.Unread = append(t.Unread, network.UnreadRow{Prefix: prefix, Beside: k == 1 && beside, Mark: u.Mark})
				}
			}
		}
	}
}

// likeRow matches what a row of a table begins with: a few signs or letters, and a destination.
var likeRow = lazyregexp.New(`^\s*(?:[A-Za-z0-9*>+~-]{1,4}\s+){0,3}(?:default\b|[\da-fA-F]*[.:][\d.:a-fA-F]*/\d|` +
	`\d+\.\d+\.\d+\.\d+\s)`)

// mostStray bounds how many such rows are kept one by one.
const mostStray = 4096

// strayRows attaches to the tables of some parts, which answer one command, the lines like rows that stand unread in
// others of them.
func strayRows(parts []Part, src *Source) {
	tables := 0
	for i := range parts {
		tables += len(parts[i].Facts.Tables)
	}
	if len(parts) < 2 || tables == 0 {
		return
	}
	var all []network.UnreadRow
	var of []int // the part of each
	var damaged damagedRows
	for i := range parts {
		damaged.learn(&parts[i], src)
	}
	for i := range parts {
		for _, u := range parts[i].Unread {
			if len(all) == mostStray {
				break
			}
			line := appendClean(nil, src.Text(u.Mark))
			if damaged.elsewhere(parts, i, line, u.Mark) || !likeRow.Match(line) {
				continue
			}
			p := namedPrefix(line)
			if namesDefault(line) {
				p = netip.PrefixFrom(netip.IPv4Unspecified(), 0)
			}
			if p.IsValid() {
				all, of = append(all, network.UnreadRow{Prefix: p, Mark: u.Mark}), append(of, i)
			}
		}
	}
	for i := range parts {
		for k := range parts[i].Facts.Tables {
			t := &parts[i].Facts.Tables[k]
			if len(all)*tables > 256*mostStray || len(all) == mostStray { // of so many nobody looks at the prefixes
				t.Unread = append(t.Unread, network.UnreadRow{Prefix: t.Family.Default(), Any: true, Mark: all[0].Mark})
				continue
			}
			for n, u := range all {
				if of[n] != i && t.Family == route.FamilyOf(u.Prefix.Addr()) {
					t.Unread = append(t.Unread, u)
				}
			}
		}
	}
}

// namesDefault reports whether a line begins with the word for the route to everywhere, perhaps behind a code.
func namesDefault(line []byte) bool {
	w := bytes.Fields(line[:min(len(line), 80)])
	for n := 0; n < min(len(w), 2); n++ {
		if bytes.EqualFold(bytes.Trim(w[n], "*>+\"',;"), []byte("default")) {
			return true
		}
		if len(w[n]) > maxCode || slices.Contains(namesWhat, string(bytes.ToLower(w[n]))) {
			break
		}
	}
	return false
}

// namesWhat are words before "default" that make it a name: the default VRF.
var namesWhat = []string{"vrf", "vr", "ip", "the", "no", "set", "to", "for", "is", "in"}

// namedPrefix returns the prefix that a line names first, with a length or a mask, whatever is glued to it. Else it is
// an address where destinations stand, as the network of its class. It is not valid where there is none.
func namedPrefix(line []byte) netip.Prefix {
	if at := bytes.LastIndex(line, []byte("->")); at > 0 && at+2 < len(line) && isAddressSign(line[at-1]) &&
		isAddressSign(line[at+2]) { // from a source to a destination
		if p := writtenPrefix(line[at+2:]); p.IsValid() {
			return p
		}
	}
	if p := writtenPrefix(line); p.IsValid() {
		return p
	}
	return bareDestination(line)
}

// writtenPrefix returns the first address of a line that has a length or a mask.
func writtenPrefix(line []byte) netip.Prefix {
	for i := 0; i < len(line); {
		if !startsAddress(line, i) {
			i++
			continue
		}
		end := i + 1
		for end < len(line) && isAddressSign(line[end]) {
			end++
		}
		if p := prefixAt(line, i, end, i == len(line)-len(bytes.TrimLeft(line, " \t"))); p.IsValid() {
			return p
		}
		i = end
	}
	return netip.Prefix{}
}

// startsAddress reports whether an address may begin at line[i]: it is not in the middle of a number or a word.
func startsAddress(line []byte, i int) bool {
	if !isAddressSign(line[i]) || line[i] == '.' {
		return false
	}
	return i == 0 || !isAddressSign(line[i-1]) || line[i-1] == ':' && line[i] != ':'
}

func isAddressSign(c byte) bool {
	return c >= '0' && c <= '9' || c >= 'a' && c <= 'f' || c >= 'A' && c <= 'F' || c == '.' || c == ':'
}

// prefixAt reads the address in line[i:end] with the length or the mask behind it.
func prefixAt(line []byte, i, end int, first bool) netip.Prefix {
	word := bytes.TrimRight(line[i:end], ".")
	if !bytes.HasSuffix(word, []byte("::")) {
		word = bytes.TrimSuffix(word, []byte(":"))
	}
	if at := bytes.LastIndexByte(word, ':'); at >= 0 && bytes.IndexByte(word, '.') > at { // a name glued to it
		word = word[at+1:]
	}
	behind := line[end:]
	if bytes.IndexByte(word, ':') < 0 {
		word = bytes.TrimLeft(word, "abcdefABCDEF") // letters glued to it
		if parts := bytes.Count(word, []byte{'.'}) + 1; parts < 2 && !first {
			return netip.Prefix{}
		} else if parts < 4 && (len(behind) == 0 || behind[0] != '/' && behind[0] != '*') {
			return netip.Prefix{}
		} else if len(behind) > 0 && behind[0] == '*' { // 10.61.40.*
			return dotted(word, 8*parts)
		}
	}
	rest := bytes.TrimLeft(behind, " \t")
	switch {
	case len(rest) > 0 && (rest[0] == '/' || rest[0] == '\\'):
		rest = bytes.TrimLeft(rest[1:], " \t")
	case len(rest) == len(behind): // something else is glued to it
		return netip.Prefix{}
	default:
		for _, w := range []string{"netmask ", "mask "} {
			rest = bytes.TrimPrefix(rest, []byte(w))
		}
		if bytes.IndexByte(word, ':') < 0 {
			return masked(word, rest)
		}
	}
	n := 0
	for n < len(rest) && rest[n] >= '0' && rest[n] <= '9' {
		n++
	}
	bits, ok := layout.Uint(rest[:n])
	if !ok || bits > 128 || n < len(rest) && rest[n] == '.' {
		return masked(word, rest)
	}
	return dotted(word, int(bits))
}

// masked is the network of an address and the mask that rest begins with.
func masked(word, rest []byte) netip.Prefix {
	lo, hi := layout.Field(rest, 0)
	m, ok := layout.IPv4(bytes.TrimRight(rest[lo:hi], ",;)]"))
	if !ok {
		return netip.Prefix{}
	}
	bits, err := layout.MaskLength(m)
	if p := dotted(word, bits); err == nil && (bits > 0 || p.IsValid() && p.Addr().IsUnspecified()) {
		return p
	}
	return netip.Prefix{}
}

// dotted is the network of an address of which zeros may be left out behind, or stand in front of numbers.
func dotted(word []byte, bits int) netip.Prefix {
	if bytes.IndexByte(word, ':') >= 0 {
		a, ok := layout.Addr(word)
		if !ok {
			return netip.Prefix{}
		}
		return netip.PrefixFrom(a, bits).Masked()
	}
	var out [4]byte
	parts := bytes.Split(word, []byte{'.'})
	if len(parts) > 4 {
		return netip.Prefix{}
	}
	for i, p := range parts {
		n, ok := layout.Uint(p)
		if !ok || n > 255 {
			return netip.Prefix{}
		}
		out[i] = byte(n)
	}
	return netip.PrefixFrom(netip.AddrFrom4(out), bits).Masked()
}

// maxCode is how long the letters in front of a destination may be.
const maxCode = 3

// bareDestination returns the network of an address's class at the begin of a line, where destinations stand, or of a
// network's own address somewhat behind.
func bareDestination(line []byte) netip.Prefix {
	var before []byte // the word before
	for n, lo, hi := 0, 0, 0; n < 4; n, before = n+1, line[lo:hi] {
		if lo, hi = layout.Field(line, hi); lo >= hi {
			return netip.Prefix{}
		}
		a, ok := layout.IPv4(bytes.Trim(line[lo:hi], ",;()[]\"'*>+-=~!#@&%^$|?<{`"))
		if !ok {
			continue
		}
		message := n > 1 || n == 1 && (len(before) > maxCode || string(before) == "via")
		if message && (a.As4()[3] != 0 || a.IsUnspecified()) {
			return netip.Prefix{} // a next hop, or an address in a message
		}
		if p := network.ClassOf4(a); p.IsValid() {
			return p
		}
	}
	return netip.Prefix{}
}
