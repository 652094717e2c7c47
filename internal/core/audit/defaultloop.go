package audit

import "zarvek/internal/core/forward"

// DefaultLoop means that default routes point at each other, so that whatever no longer prefix covers goes round.
const DefaultLoop Kind = "default-loop"

func takeDefaultLoop(_ *auditor, f *Finding, _ *byCause) bool {
	if f.Verdict != forward.Loops || len(f.Loop) == 0 {
		return false
	}
	for _, h := range f.Loop {
		if !h.Prefix.IsValid() || h.Prefix.Bits() != 0 {
			return false
		}
	}
	f.Repair = []Repair{{Kind: BreakLoop, Device: f.Device}}
	return true
}
