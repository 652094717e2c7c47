package audit

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
)

// HopUnresolved means that a route forwards to a next hop that no other route leads to.
const HopUnresolved Kind = "next-hop-unresolved"

func takeHopUnresolved(a *auditor, f *Finding, g *byCause) bool {
	if f.Verdict != forward.NextHopLost ||
		f.Reason.Code != forward.Unresolved && f.Reason.Code != forward.TunnelInItself {
		return false
	}
	f.Missing = a.routesBy(f)
	f.Repair = a.otherNextHop(g)
	return true
}

// routesBy lists the prefixes that the device forwards by the next hop of a finding.
func (a *auditor) routesBy(f *Finding) []netip.Prefix {
	i, ok := a.byName[f.Device]
	if !ok || !f.Hop.NextHop.IsValid() {
		return nil
	}
	t := a.devices[i].Table(f.Hop.Table, a.fam)
	if t == nil {
		return nil
	}
	var out []netip.Prefix
	uses := func(r *route.Attributes) bool {
		return slices.ContainsFunc(r.Forwarding(), func(h route.NextHop) bool { return h.Address == f.Hop.NextHop })
	}
	for p := range prefixesWith(t, uses) {
		if g, ok := t.Exact(p); ok && forwards(t, g) {
			out = append(out, p)
		}
	}
	return out
}
