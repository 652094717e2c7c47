package audit

import "zarvek/internal/core/forward"

// NetworkDown means that a network is attached only by an interface that is down. All that is lost for it is one
// finding, wherever the others stopped knowing it.
const NetworkDown Kind = "network-down"

func takeNetworkDown(_ *auditor, f *Finding, g *byCause) bool {
	if f.Verdict != forward.NextHopLost || !g.cause.key.prefix.IsValid() {
		return false
	}
	f.Severity = min(f.Severity, Risk) // it may be down on purpose
	f.Detail = NetworkDownDetail{g.cause.key.ifname}
	f.Missing = append(f.Missing, g.cause.key.prefix)
	f.Repair = []Repair{{Kind: LookAtLink, Device: f.Device, Interface: g.cause.key.ifname}}
	return true
}
