package audit

import "zarvek/internal/core/forward"

// HostSettings means that a host of the notes has a mask or a gateway that keeps its packets from the router.
const HostSettings Kind = "host-settings"

func takeHostSettings(_ *auditor, f *Finding, _ *byCause) bool {
	if f.Reason.Code != forward.HostSelf {
		return false
	}
	f.Severity = min(f.Severity, Risk) // one host, not a network
	f.Repair = []Repair{{Kind: CorrectHost, Device: f.Device}}
	return true
}
