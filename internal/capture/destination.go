package capture

import (
	"net/netip"
	"strconv"
	"strings"

	"zarvek/internal/core/route"
)

// What a word may be that stands where a destination should: one, or what is left of one.

// wholeDestination reports whether a word is an address or a prefix, with what stands around it in some listings.
func wholeDestination(word string) bool {
	return destination(strings.TrimLeft(strings.TrimRight(word, "\"')],;"), "\"'(["))
}

// fullDestination is wholeDestination but for a prefix of which zeros were left out, or the begin was lost.
func fullDestination(word string) bool {
	return wholeDestination(word) && !shortPrefix.MatchString(word)
}

// hasHostBits reports whether a prefix says more of its network than its length lets it: a figure of that was lost.
func hasHostBits(word string) bool {
	p, err := netip.ParsePrefix(strings.Trim(word, "\"'()[],;"))
	return err == nil && p.Masked() != p
}

// brokenDestination reports whether a word may have been an address or a prefix, and is none.
func brokenDestination(word string) bool {
	if wholeDestination(word) {
		return hasHostBits(word)
	}
	digits, signs, hidden := 0, 0, 0
	for _, c := range word {
		switch {
		case c >= '0' && c <= '9':
			digits++
		case strings.ContainsRune(".:/", c):
			signs++
		case strings.ContainsRune(",;·¤*?#xX ", c):
			hidden++
		}
	}
	return signs+hidden > 1 && signs > 0 && digits+hidden > 1 || hidden > 2 && digits > 0
}

// readableBegin is the network of the whole numbers that an address of a family begins with, up to the first sign that
// is none of its own; the first of them alone where its length is not what it was.
func readableBegin(word string, fam route.Family) netip.Prefix {
	sign, figures, base, size := ".", "0123456789", 10, 8
	if fam == route.IPv6 {
		sign, figures, base, size = ":", "0123456789abcdefABCDEF", 16, 16
	}
	var out [16]byte
	bits, most := 0, fam.Bits()
	switch {
	case gluedAddress(word):
		most = 0
	case hasHostBits(word): // the true length is not known
		most = 8
	}
	for bits < most {
		n := len(word) - len(strings.TrimLeft(word, figures))
		v, err := strconv.ParseUint(word[:n], base, size)
		if err != nil || !strings.HasPrefix(word[n:], sign) {
			break
		}
		if size == 16 {
			out[bits/8] = byte(v >> 8)
		}
		out[bits/8+size/8-1] = byte(v)
		bits, word = bits+size, word[n+1:]
	}
	if fam == route.IPv6 {
		return netip.PrefixFrom(netip.AddrFrom16(out), bits)
	}
	return netip.PrefixFrom(netip.AddrFrom4([4]byte(out[:4])), bits)
}

// gluedAddress reports whether an address or a prefix lost the blank in front of another address.
func gluedAddress(word string) bool {
	dots := strings.Count(word, ".")
	return dots > 4 || dots > 3 && strings.Contains(word, "/")
}
