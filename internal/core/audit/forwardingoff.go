package audit

import "zarvek/internal/core/forward"

// ForwardingOff means that a device on a path does not forward the family at all.
const ForwardingOff Kind = "forwarding-off"

func takeForwardingOff(_ *auditor, f *Finding, _ *byCause) bool {
	if f.Verdict != forward.NotForwarding {
		return false
	}
	f.Repair = []Repair{{Kind: SwitchOn, Device: f.Device}}
	return true
}
