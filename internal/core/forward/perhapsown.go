package forward

import (
	"net/netip"

	"zarvek/internal/core/route"
)

// perhapsDelivered leaves open what becomes of a packet that is lost behind a device which may have its destination: it
// came there by a route to that address alone, goes on by a shorter one or by none, and a kernel's addresses were not
// captured.
func (w *Walker) perhapsDelivered(b *Branch) {
	switch b.Verdict {
	case NoRoute, Loops, Discarded, Refused:
	default:
		return
	}
	for i := 1; i < len(b.Hops); i++ {
		led, at := b.Hops[i-1], b.Hops[i]
		dst := led.Prefix.Addr()
		if !led.Prefix.IsSingleIP() || at.Prefix.IsSingleIP() || at.NewDestination.IsValid() {
			continue
		}
		d := w.net.Device(at.Device)
		if d == nil || !d.MayOwnMore(route.FamilyOf(dst)) || len(w.topo.Owners(dst)) > 0 || w.told(dst) {
			continue
		}
		b.Verdict, b.Where = Unknown, at.Device
		b.Reason = Reason{Code: MaybeOwnUnrouted, Address: dst, Device: at.Device, Marks: led.Evidence}
		return
	}
}

// told reports whether the notes tell of a host with an address.
func (w *Walker) told(a netip.Addr) bool {
	_, ok := w.host(a)
	return ok
}
