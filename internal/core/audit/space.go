package audit

import (
	"encoding/binary"
	"math/bits"
	"net/netip"

	"go4.org/netipx"

	"zarvek/internal/core/route"
)

// number is an address as a number of 128 bits; IPv4 addresses have 32. The zero number is the first address.
type number struct{ hi, lo uint64 }

func numberOf(a netip.Addr) number {
	if a.Is4() {
		b := a.As4()
		return number{0, uint64(binary.BigEndian.Uint32(b[:]))}
	}
	b := a.As16()
	return number{binary.BigEndian.Uint64(b[:8]), binary.BigEndian.Uint64(b[8:])}
}

func (n number) addr(fam route.Family) netip.Addr {
	if fam == route.IPv4 {
		var b [4]byte
		binary.BigEndian.PutUint32(b[:], uint32(n.lo))
		return netip.AddrFrom4(b)
	}
	var b [16]byte
	binary.BigEndian.PutUint64(b[:8], n.hi)
	binary.BigEndian.PutUint64(b[8:], n.lo)
	return netip.AddrFrom16(b)
}

func (n number) less(o number) bool { return n.hi < o.hi || n.hi == o.hi && n.lo < o.lo }

func (n number) compare(o number) int {
	switch {
	case n.less(o):
		return -1
	case o.less(n):
		return 1
	}
	return 0
}

// next is the number behind n; that of the last one is 0.
func (n number) next() number {
	lo, carry := bits.Add64(n.lo, 1, 0)
	return number{n.hi + carry, lo}
}

func (n number) previous() number {
	lo, borrow := bits.Sub64(n.lo, 1, 0)
	return number{n.hi - borrow, lo}
}

func (n number) plus(o number) number {
	lo, carry := bits.Add64(n.lo, o.lo, 0)
	return number{n.hi + o.hi + carry, lo}
}

func (n number) minus(o number) number {
	lo, borrow := bits.Sub64(n.lo, o.lo, 0)
	return number{n.hi - o.hi - borrow, lo}
}

// span is the addresses from first to last, both included.
type span struct{ first, last number }

func spanOf(p netip.Prefix) span {
	r := netipx.RangeOfPrefix(p)
	return span{numberOf(r.From()), numberOf(r.To())}
}

func (s span) ipRange(fam route.Family) netipx.IPRange {
	return netipx.IPRangeFrom(s.first.addr(fam), s.last.addr(fam))
}

// spaces are the unicast addresses that may be routed. What means something on one link or one device only is left out:
// "this network", loopback, link-local (RFC 6890), multicast and what is reserved behind it.
func spaces(fam route.Family) []span {
	texts := []string{"1.0.0.0-126.255.255.255", "128.0.0.0-169.253.255.255", "169.255.0.0-223.255.255.255"}
	if fam == route.IPv6 {
		texts = []string{
			"::2-fe7f:ffff:ffff:ffff:ffff:ffff:ffff:ffff",
			"fec0::-feff:ffff:ffff:ffff:ffff:ffff:ffff:ffff",
		}
	}
	var out []span
	for _, s := range texts {
		r, err := netipx.ParseIPRange(s)
		if err == nil { // a test holds that all are
			out = append(out, span{numberOf(r.From()), numberOf(r.To())})
		}
	}
	return out
}

// spanList collects spans in pieces, so that a long list is not copied whenever it grows. The zero spanList is empty.
type spanList struct{ pieces [][]span }

// add appends a span, or lengthens the last one where s goes on from it.
func (l *spanList) add(s span) {
	n := len(l.pieces)
	if n == 0 {
		l.pieces = append(l.pieces, append(make([]span, 0, 16), s))
		return
	}
	p := l.pieces[n-1]
	if last := &p[len(p)-1]; last.last.next() == s.first {
		last.last = s.last
		return
	}
	if len(p) == cap(p) {
		l.pieces = append(l.pieces, append(make([]span, 0, min(2*cap(p), 1<<14)), s))
		return
	}
	l.pieces[n-1] = append(p, s)
}
