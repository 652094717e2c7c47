package audit

import "zarvek/internal/core/forward"

// Loop means that packets go round between devices.
const Loop Kind = "loop"

func takeLoop(_ *auditor, f *Finding, _ *byCause) bool {
	if f.Verdict != forward.Loops {
		return false
	}
	f.Repair = []Repair{{Kind: BreakLoop, Device: f.Device}}
	return true
}
