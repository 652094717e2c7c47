package forward

import (
	"net/netip"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// otherRouter leaves open what becomes of a packet that a kernel hands to a router which does not answer: one that does
// not forward IPv6, or may not, takes any other route to the destination then (RFC 4861, section 6.3.6).
func (w *Walker) otherRouter(pkt *packet, at position, m selection.Match, s *step) {
	if s.verdict != NextHopLost || !s.hop.NextHop.Is6() || !pkt.dst.Is6() || m.Table == nil || m.Table.Chosen {
		return
	}
	if is, told := at.device.Forwards(route.IPv6); told && is.On || !hasOther(m.Table, pkt.dst, s.hop.Route) {
		return
	}
	s.verdict, s.delivery, s.next = Unknown, NotDelivered, position{}
	s.reason = Reason{Code: AnotherRouter, Address: s.reason.Address, Interface: s.reason.Interface, Marks: s.reason.Marks}
}

// hasOther reports whether a table has a usable route to an address beside one.
func hasOther(t *network.Table, dst netip.Addr, used route.Route) bool {
	rows := t.Routes()
	for g := range t.Covering(netip.PrefixFrom(dst, dst.BitLen())) {
		for i := g.Lo; i < g.Hi; i++ {
			if r := rows.At(i); r.Mark != used.Mark && r.Special == route.None && !r.Is(route.Unusable) {
				return true
			}
		}
	}
	return false
}
