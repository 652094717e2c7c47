package forward

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/topology"
)

// virtualOf keeps those of the gateways of a network that have, or may have, its virtual address; all where it has none.
func virtualOf(all []position, g topology.Gateways) []position {
	if len(g.Ports) == 0 {
		return all
	}
	kept := slices.DeleteFunc(slices.Clone(all), func(p position) bool {
		return !slices.ContainsFunc(g.Ports,
			func(at topology.Attachment) bool { return at.Device == p.device && at.Interface == p.ingress })
	})
	if len(kept) == 0 {
		return all
	}
	return kept
}

// settled leaves what becomes of a host's packets undecided where it hangs on which of several routers has the virtual
// address that the host sends to.
func (w *Walker) settled(host netip.Addr, d Direction) Direction {
	reason, held := w.Unsettled(host)
	arrives := slices.ContainsFunc(d.Branches, func(b Branch) bool { return b.Verdict == Arrives || b.Verdict == Leaves })
	switch {
	case held == topology.HeldByThese, held != topology.HeldByNone && d.Verdict <= Unknown,
		held == topology.HeldByOne && !arrives:
		return d
	}
	return Direction{Verdict: Unknown,
		Branches: []Branch{{Share: 1, Verdict: Unknown, Where: reason.Sharers[0], Reason: reason}}}
}

// Unsettled says how little is known of which router has the virtual address that a host sends to, and between whom;
// topology.HeldByThese where it is known, told by the notes, or where there is no such address.
func (w *Walker) Unsettled(host netip.Addr) (Reason, topology.Held) {
	if len(w.topo.Owners(host)) > 0 {
		return Reason{}, topology.HeldByThese
	}
	if h, ok := w.host(host); ok && h.Gateway.IsValid() && len(w.topo.Sharing(h.Gateway)) < 2 {
		return Reason{}, topology.HeldByThese
	}
	g := w.topo.Gateways(host)
	code := GatewayShared
	switch g.Held {
	case topology.HeldByThese:
		return Reason{}, g.Held
	case topology.HeldByNone:
		code = GatewayAway
	}
	return Reason{Code: code, Address: g.Address, Sharers: g.Sharers, Marks: g.Marks}, g.Held
}

// bySharing reports whether a host is taken to send to a virtual address of its network.
func (w *Walker) bySharing(host netip.Addr) bool {
	if h, ok := w.host(host); ok && h.Gateway.IsValid() || len(w.topo.Owners(host)) > 0 {
		return false
	}
	g := w.topo.Gateways(host)
	return len(g.Ports) > 0 && g.Held != topology.HeldByNone
}
