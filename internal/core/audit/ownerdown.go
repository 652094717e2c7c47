package audit

import "zarvek/internal/core/forward"

// HopDown means that a route forwards to a device whose interface is down, or out of an interface that is down itself.
const HopDown Kind = "next-hop-down"

func takeHopDown(a *auditor, f *Finding, g *byCause) bool {
	if f.Verdict != forward.NextHopLost || f.Reason.Code != forward.OwnerDown && f.Reason.Code != forward.OwnLinkDown {
		return false
	}
	f.Missing = a.routesBy(f)
	f.Detail = HopDownDetail{f.Reason.Liveness}
	f.Repair = append(
		[]Repair{{Kind: LookAtLink, Device: f.Reason.Device, Interface: f.Reason.Interface}},
		a.otherNextHop(g)...)
	return true
}
