package audit

import "zarvek/internal/core/forward"

// HopUnresolved: a route forwards to a next hop that no other route leads to.
const HopUnresolved Kind = "next-hop-unresolved"

func takeHopUnresolved(a *auditor, f *Finding, g *byCause) bool {
	if f.Verdict != forward.NextHopLost || f.Reason.Code != forward.Unresolved && f.Reason.Code != forward.TunnelInItself {
		return false
	}
	f.Failure = f.Reason.Failure
	f.Repair = a.addRoutes(g, ChangeNextHop)
	return true
}
