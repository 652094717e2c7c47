package layout

import (
	"net/netip"
	"strconv"
)

// Area reads an area of OSPF as a number or an address, and writes it as an address (RFC 2328 section 1.2).
func Area(word string) (string, bool) {
	if a, err := netip.ParseAddr(word); err == nil && a.Is4() {
		return a.String(), true
	}
	n, err := strconv.ParseUint(word, 10, 32)
	return netip.AddrFrom4([4]byte{byte(n >> 24), byte(n >> 16), byte(n >> 8), byte(n)}).String(), err == nil
}
