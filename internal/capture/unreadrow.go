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
		text := src.Text(u.Mark)
		lines := [][]byte{appendClean(nil, text)}
		for lo, hi := range layout.Lines(text) { // where several were joined each may have been a row
			if hi-lo < len(text) {
				lines = append(lines, appendClean(nil, text[lo:hi]))
			}
		}
		for _, m := range u.More {
			lines = append(lines, appendClean(nil, src.Text(m)))
		}
		further, beside := netip.Prefix{}, false
		if !namesDefault(lines[0]) {
			further, beside = above.find(u.Mark.Off, goesOn(lines[0]))
			if damaged == nil {
				damaged = newDamagedRows([]Part{*p}, src)
			}
			if damaged.find(p, lines[0], u.Mark) {
				lines = lines[1:]
			}
		}
		for i := range p.Facts.Tables {
			t := &p.Facts.Tables[i]
			add := func(row network.UnreadRow) {
				if row.Mark = u.Mark; row.Prefix.IsValid() && t.Family == route.FamilyOf(row.Prefix.Addr()) {
					t.Unread = append(t.Unread, row)
				}
			}
			for _, line := range lines {
				row := network.UnreadRow{Prefix: t.Family.Default()}
				if !namesDefault(line) {
					row = namedRow(line)
				}
				row.From = sourcesOf(line, row.Prefix)
				add(row)
			}
			add(network.UnreadRow{Prefix: further, Beside: beside})
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
	var damaged *damagedRows
	for i := range parts {
		for _, u := range parts[i].Unread {
			if len(all) == mostStray {
				break
			}
			if damaged == nil {
				damaged = newDamagedRows(parts, src)
			}
			line := appendClean(nil, src.Text(u.Mark))
			if damaged.elsewhere(parts, i, line, u.Mark) || !likeRow.Match(line) {
				continue
			}
			row := namedRow(line)
			if namesDefault(line) {
				row = network.UnreadRow{Prefix: route.IPv4.Default()}
			}
			if row.Mark = u.Mark; row.Prefix.IsValid() {
				all, of = append(all, row), append(of, i)
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
	if len(line) > 0 && line[0] == '{' {
		return defaultObject.Match(line[:min(len(line), 200)])
	}
	w := bytes.Fields(line[:min(len(line), 80)])
	for n := 0; n < min(len(w), 2); n++ {
		if bytes.EqualFold(bytes.Trim(w[n], "*>+\"',;"), []byte("default")) || gluedDefault.Match(w[n]) {
			return true
		}
		if len(w[n]) > maxCode || slices.Contains(namesWhat, string(bytes.ToLower(w[n]))) {
			break
		}
	}
	return false
}

// defaultObject matches an object that names it first, perhaps behind a kind of route.
var defaultObject = lazyregexp.New(`^\{\s*(?:"type"\s*:\s*"[a-z]+",\s*)?"[^"]*"\s*:\s*"default"`)

// gluedDefault matches that word where it lost the blank behind it.
var gluedDefault = lazyregexp.New(`^(?i:default)(?:via|dev|nhid|proto|metric|[\[\d])`)

// namesWhat are words before "default" that make it a name: the default VRF.
var namesWhat = []string{"vrf", "vr", "ip", "the", "no", "set", "to", "for", "is", "in"}

// namedRow tells what a line may be a row for: the prefix that it names first, with a length or a mask, whatever is
// glued to it; else an address where destinations stand, alone or with the network of its class. Its prefix is not
// valid where there is none.
func namedRow(line []byte) network.UnreadRow {
	if at := bytes.LastIndex(line, []byte("->")); at > 0 && at+2 < len(line) && isAddressSign(line[at-1]) &&
		isAddressSign(line[at+2]) { // from a source to a destination
		if p := writtenPrefix(line[at+2:]); p.IsValid() {
			return network.UnreadRow{Prefix: p}
		}
	}
	a := namedHost(line)
	p := writtenPrefix(line)
	own := p.IsValid() && (!a.Is4() || p == netip.PrefixFrom(a, p.Bits()).Masked() && (p.Bits() > 0 || a.IsUnspecified()))
	if own {
		return network.UnreadRow{Prefix: p}
	} // else what stands in front of the mask is a next hop, as is 0.0.0.0 behind another address
	if p := withoutGateway(line, a); p.IsValid() {
		return network.UnreadRow{Prefix: p}
	}
	if !a.IsValid() {
		a = bareDestination(line)
	}
	switch class := network.ClassOf4(a); {
	case class.IsValid():
		return network.UnreadRow{Prefix: class, Host: a}
	case a.IsValid():
		return network.UnreadRow{Prefix: netip.PrefixFrom(a, a.BitLen())}
	}
	return network.UnreadRow{}
}

// forSources matches a row for packets from some sources alone: a destination, and behind it where they are from.
var forSources = lazyregexp.New(`^[^/]*?(?:/\d+|default).*[ ,"]from\W{1,4}([\da-fA-F:.]+/\d+)`)

// sourcesOf returns the sources that a row of an IPv6 table says it is for; invalid where it says none.
func sourcesOf(line []byte, to netip.Prefix) netip.Prefix {
	if !to.Addr().Is6() {
		return netip.Prefix{}
	}
	m := forSources.FindSubmatch(line)
	if m == nil {
		return netip.Prefix{}
	}
	p, _ := layout.Prefix(m[1], true)
	return p
}

// withoutGateway returns the destination of a row in net-tools' columns that has no gateway: destination, 0.0.0.0, mask.
func withoutGateway(line []byte, a netip.Addr) netip.Prefix {
	w := bytes.Fields(line[:min(len(line), 80)])
	if len(w) < 3 || !a.Is4() || string(w[0]) != a.String() || string(w[1]) != "0.0.0.0" {
		return netip.Prefix{}
	}
	m, ok := layout.IPv4(w[2])
	if !ok {
		return netip.Prefix{}
	}
	bits, err := layout.MaskLength(m)
	if p := netip.PrefixFrom(a, bits); err == nil && bits > 0 && p.Masked() == p {
		return p
	}
	return netip.Prefix{}
}

// hostRow matches a line that begins with a single address, which may have lost the blank behind it.
var hostRow = lazyregexp.New(`^\s*(?:[!#>*+~|-]{1,2} *)?(?:(?:local|broadcast|anycast|multicast|unicast` +
	`|unreachable|blackhole|prohibit|throw) +)?([\da-fA-F:.]*?[\da-fA-F:])(?:dev|via|nhid|proto|metric|scope|\s|$)`)

// namedHost returns the address that a line begins with.
func namedHost(line []byte) netip.Addr {
	m := hostRow.FindSubmatch(line)
	if m == nil {
		return netip.Addr{}
	}
	a, _ := layout.Addr(m[1])
	return a
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

// gluedWords matches an address that lost the blank in front of it, or behind it.
var gluedWords = lazyregexp.New(`^[A-Za-z]{0,2}(\d+\.\d+\.\d+\.\d+)(?:is|via|dev)?$`)

// bareDestination returns an IPv4 address of a class at the begin of a line, where destinations stand, or a network's
// own address somewhat behind.
func bareDestination(line []byte) netip.Addr {
	var before []byte // the word before
	for n, lo, hi := 0, 0, 0; n < 4; n, before = n+1, line[lo:hi] {
		if lo, hi = layout.Field(line, hi); lo >= hi {
			return netip.Addr{}
		}
		word := bytes.Trim(line[lo:hi], ",;()[]\"'*>+-=~!#@&%^$|?<{`")
		if m := gluedWords.FindSubmatch(word); m != nil {
			word = m[1]
		}
		a, ok := layout.IPv4(word)
		if !ok {
			continue
		}
		message := n > 1 || n == 1 && (len(before) > maxCode || string(before) == "via")
		if message && (a.As4()[3] != 0 || a.IsUnspecified()) {
			return netip.Addr{} // a next hop, or an address in a message
		}
		if network.ClassOf4(a).IsValid() {
			return a
		}
	}
	return netip.Addr{}
}
