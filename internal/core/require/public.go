package require

import (
	"net/netip"

	"go4.org/netipx"
)

// notPublic are the ranges that are not routed between networks of different owners (RFC 6890, RFC 6598, RFC 5737, RFC
// 1918).
var notPublic = func() *netipx.IPSet {
	var b netipx.IPSetBuilder
	for _, s := range []string{
		"0.0.0.0/8", "10.0.0.0/8", "100.64.0.0/10", "127.0.0.0/8", "169.254.0.0/16", "172.16.0.0/12", "192.0.0.0/24",
		"192.0.2.0/24", "192.168.0.0/16", "198.18.0.0/15", "198.51.100.0/24", "203.0.113.0/24", "224.0.0.0/3",
		"::/3", "2001:db8::/32", "4000::/2", "8000::/1",
	} {
		if p, err := netip.ParsePrefix(s); err == nil { // a test holds that all are prefixes
			b.AddPrefix(p)
		}
	}
	set, err := b.IPSet()
	if err != nil {
		return new(netipx.IPSet)
	}
	return set
}()

func public(a netip.Addr) bool { return !notPublic.Contains(a) }

// publicIn returns the first public address of a range.
func publicIn(r netipx.IPRange) (netip.Addr, bool) {
	for a := r.From(); a.IsValid() && a.Compare(r.To()) <= 0; {
		if public(a) {
			return a, true
		}
		next := netip.Addr{}
		for _, n := range notPublic.Ranges() {
			if n.Contains(a) {
				next = n.To().Next()
			}
		}
		a = next
	}
	return netip.Addr{}, false
}
