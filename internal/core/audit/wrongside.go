package audit

import "zarvek/internal/core/forward"

// WrongSide means that packets to a network of the case leave the captured devices, mostly by a default route.
const WrongSide Kind = "wrong-side"

func takeWrongSide(a *auditor, f *Finding, g *byCause) bool {
	if f.Verdict != forward.Leaves {
		return false
	}
	if len(f.Losses) == 0 {
		f.Severity = dropped
	}
	for _, net := range a.lostNets(g) {
		f.Repair = append(f.Repair, a.hints().toward(g.cause.device, f.Table, net))
	}
	return true
}
