package forward

import (
	"net/netip"

	"zarvek/internal/core/network"
)

// LivenessOf finds the sessions of both ends of a link: d's with the next hop's address, and the other device's with
// any of d's addresses.
func LivenessOf(d, other *network.Device, hop netip.Addr) Liveness {
	var l Liveness
	note := func(to *Detection, s network.Session) {
		*to = DetectsDown
		if s.Up {
			*to = DetectsUp
		}
		l.Marks = append(l.Marks, s.Mark)
	}
	for _, s := range d.Sessions().All() {
		if s.Peer == hop {
			note(&l.Here, s)
		}
	}
	if other == nil {
		return l
	}
	for _, s := range other.Sessions().All() {
		if len(d.Own(s.Peer)) > 0 {
			note(&l.There, s)
		}
	}
	return l
}
