package audit

import "zarvek/internal/core/forward"

// WrongSide means that packets to a network of the case leave the captured devices by a default route.
const WrongSide Kind = "wrong-side"

// takeWrongSide takes what leaves the captured devices by a default route though the network is one of theirs.
func takeWrongSide(_ *auditor, f *Finding, g *byCause) bool {
	if f.Verdict != forward.Leaves || f.Hop.Prefix.Bits() != 0 {
		return false
	}
	if f.Pairs == 0 {
		f.Severity = dropped
	}
	if !g.hint.hop.IsValid() {
		f.Severity = min(f.Severity, Risk) // no captured device leads there: whoever is behind the default may
	}
	f.Repair = []Repair{{Kind: AddRoute, Device: f.Device}}
	return true
}
