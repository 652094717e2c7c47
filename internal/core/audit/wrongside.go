package audit

import "zarvek/internal/core/forward"

// WrongSide means that packets to a network of the case leave the captured devices by a default route.
const WrongSide Kind = "wrong-side"

func takeWrongSide(a *auditor, f *Finding, g *byCause) bool {
	if f.Verdict != forward.Leaves || f.Hop.Prefix.Bits() != 0 {
		return false
	}
	if len(f.Losses) == 0 {
		f.Severity = dropped
	}
	if !g.hint.NextHop.IsValid() {
		f.Severity = min(f.Severity, Risk) // no captured device leads there: whoever is behind the default may
	}
	for _, net := range a.lostNets(g) {
		f.Repair = append(f.Repair, a.hints().toward(g.cause.device, f.Table, net))
	}
	return true
}
