// Package lettered reads tables whose rows begin with code letters: the routing daemons' own text (FRR and its
// relatives) and the many devices that print alike. It exists as one reader because the letters are defined by the
// legend on top of the capture; no device is known here.
//
// It reads rows, sub-rows of equal cost and of recursive next hops, parent headings that carry the mask for the rows
// below them, and headings that name a table. It decides nothing: marks of selection become states, no more.
package lettered

import (
	"bytes"

	"zarvek/internal/capture/layout"
)

// Reader is the family's registration.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "code letters first; the key printed above the rows defines them (FRR's text and its many relatives)",
	Sample: "Codes: C - connected, S - static, O - OSPF\n" +
		"O    10.61.32.0/24 [110/20] via 172.28.61.6, line1, 00:12:31\n" +
		"C    10.61.16.0/24 is directly connected, hall0\n"}

const name = "lettered"

// maxLook is how far into a text recognise looks.
const maxLook = 1 << 16

// recognise counts legends and rows that name a known way on.
func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), maxLook)]) {
		line := text[lo:hi]
		if layout.Blank(line) {
			continue
		}
		if isLegend(line) || isGateway(line) || isPerPrefixHeading(line) {
			n += 3
			continue
		}
		first, _ := layout.Field(line, 0)
		if p, _ := findPrefix(line); p > first && isLetter(line[first]) && hasWay(line[p:]) {
			n++
		}
	}
	return n
}

func isLetter(c byte) bool { return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' }

// hasWay reports whether a row says where the route leads.
func hasWay(rest []byte) bool {
	for _, w := range [...]string{" via ", "directly connected", " is a summary", " unreachable (", " blackhole"} {
		if bytes.Contains(rest, []byte(w)) {
			return true
		}
	}
	return false
}

// maxCodes is the widest code column that is searched for a prefix behind it.
const maxCodes = 16

// findPrefix returns the bounds of the first word that looks like an address, 0 and 0 where the line has none near its
// start.
func findPrefix(line []byte) (lo, hi int) {
	for i := 0; i < len(line) && i <= maxCodes; {
		lo, hi = layout.Field(line, i)
		if lo == hi || lo > maxCodes {
			break
		}
		// glued to it: "S>*10.61.16.0/24"
		if i := bytes.LastIndexAny(line[lo:min(hi, lo+maxCode)], "*>"); i >= 0 && lo+i+1 < hi &&
			!replaced(line, lo, lo+i+1) {
			lo += i + 1
		}
		if layout.LooksLikeAddress(line[lo:hi]) {
			return lo, hi
		}
		if figures(line[lo:hi]) { // no code, but the begin of an address that a blank has parted
			break
		}
		i = hi
	}
	return 0, 0
}

// figures reports whether a word begins with a figure or has several.
func figures(word []byte) bool {
	n := 0
	for _, c := range word {
		if c >= '0' && c <= '9' {
			n++
		}
	}
	return n > 1 || n == 1 && word[0] >= '0' && word[0] <= '9'
}

// replaced reports whether a sign between at and from stands in place of figures of the address that it is glued to:
// the row has its signs already, or what is left is no network (RFC 1122 section 3.2.1.3).
func replaced(line []byte, at, from int) bool {
	return bytes.ContainsAny(line[:at], "*>") || line[at] >= '0' && line[at] <= '9' ||
		bytes.HasPrefix(line[from:], []byte("0.")) && !bytes.HasPrefix(line[from:], []byte("0.0."))
}

// isLegend reports whether a line begins the key of letters.
func isLegend(line []byte) bool {
	if c := line[0]; c != ' ' && c != 'C' && c != 'c' && c != 'R' && c != 'S' && c != 'F' {
		return false
	}
	line = bytes.TrimLeft(line, " ")
	for _, w := range [...]string{"Route ", "Source "} {
		line = bytes.TrimPrefix(line, []byte(w))
	}
	return bytes.HasPrefix(line, []byte("Codes:")) || bytes.HasPrefix(line, []byte("codes:")) ||
		bytes.HasPrefix(line, []byte("Flags:")) && bytes.Contains(line, []byte(" - "))
}

func isGateway(line []byte) bool {
	return bytes.HasPrefix(line, []byte("Gateway of last resort")) ||
		bytes.HasPrefix(line, []byte("Default Gateway(s): "))
}

// bestSign begins a line of a key that stands by itself: "* Indicates the best (lowest metric) route for the subnet."
var bestSign = []byte("* Indicates the best ")
