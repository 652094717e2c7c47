package forward

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// host finds a host of the notes by its address.
func (w *Walker) host(a netip.Addr) (network.Host, bool) {
	i := w.net.Hosts().Index(func(h network.Host) bool { return h.Address == a })
	if i < 0 {
		return network.Host{}, false
	}
	return w.net.Hosts().At(i), true
}

// fromHost starts at a source: as a host does by its own settings where the notes tell them.
func (w *Walker) fromHost(pkt *packet) Direction {
	if d, ok := w.hostSelf(pkt); ok {
		return d
	}
	return w.from(pkt, w.gatewayOf(pkt.src))
}

// hostSelf says what becomes of a packet that its host's own settings keep from ever reaching a router that helps;
// false where they do not.
func (w *Walker) hostSelf(pkt *packet) (Direction, bool) {
	h, ok := w.host(pkt.src)
	if !ok {
		return Direction{}, false
	}
	reason := Reason{Code: HostSelf, Address: h.Address, Marks: []route.Mark{h.Mark}}
	here := w.topo.Attached(h.Address)
	real := netip.Prefix{}
	if len(here) > 0 {
		real = here[0].Prefix
	}
	switch {
	case h.Prefix.IsValid() && h.Prefix.Contains(pkt.dst):
		if !real.IsValid() || real.Contains(pkt.dst) {
			return Direction{}, false
		}
		reason.Host = MaskTooWide
	case h.Gateway.IsValid() && real.IsValid() && real.Contains(pkt.dst) && h.Prefix.IsValid() && real != h.Prefix:
		return Direction{}, false // it asks its gateway for a neighbour, who answers for it
	case h.Gateway.IsValid() && h.Prefix.IsValid() && !h.Prefix.Contains(h.Gateway),
		h.Gateway.IsValid() && real.IsValid() && !real.Contains(h.Gateway):
		reason.Host = GatewayElsewhere
	case h.Gateway.IsValid() && len(w.topo.Owners(h.Gateway))+len(w.topo.Sharing(h.Gateway)) == 0 &&
		(!real.IsValid() || !real.Contains(pkt.dst)):
		reason.Code, reason.Address = NoGateway, h.Gateway
		return Direction{
			Verdict:  Unknown,
			Branches: []Branch{{Share: 1, Verdict: Unknown, Where: h.Name, Reason: reason}},
		}, true
	default:
		return Direction{}, false
	}
	return Direction{
		Verdict:  NextHopLost,
		Branches: []Branch{{Share: 1, Verdict: NextHopLost, Where: h.Name, Reason: reason}},
	}, true
}

// gatewayOf returns the places where a host's packet starts: at its gateway where the notes tell which that is.
func (w *Walker) gatewayOf(a netip.Addr) []position {
	h, ok := w.host(a)
	if !ok || !h.Gateway.IsValid() {
		return w.starts(a)
	}
	gateways := w.topo.Owners(h.Gateway)
	if len(gateways) == 0 {
		gateways = w.topo.Sharing(h.Gateway) // any of them may have it
	}
	var out []position
	for _, o := range gateways {
		for _, p := range w.places(a) {
			if p.device == o.Device && p.ingress == o.Interface && !slices.Contains(out, p) {
				out = append(out, p)
			}
		}
	}
	if len(out) == 0 {
		return w.starts(a)
	}
	return out
}
