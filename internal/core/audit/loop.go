package audit

import "zarvek/internal/core/forward"

// Loop means that packets go round between devices.
const Loop Kind = "loop"

func takeLoop(a *auditor, f *Finding, g *byCause) bool {
	if f.Verdict != forward.Loops {
		return false
	}
	f.Repair = a.outOfLoop(f, g)
	return true
}

// outOfLoop suggests for the lost networks which device of the loop should send them another way: the ones that have a
// neighbour outside of the loop on the shortest way.
func (a *auditor) outOfLoop(f *Finding, g *byCause) []Repair {
	h := a.hints()
	var out []Repair
	for _, net := range a.lostNets(g) {
		for _, hop := range f.Loop {
			r := h.toward(a.devices[a.byName[hop.Device]], hop.Table, net)
			if r.NextHop.IsValid() && !inLoop(f, r.Other) {
				r.Kind = ChangeNextHop
				out = append(out, r)
				break
			}
		}
	}
	if len(out) == 0 {
		out = append(out, Repair{Kind: BreakLoop, Device: f.Device})
	}
	return out
}

func inLoop(f *Finding, device string) bool {
	for _, h := range f.Loop {
		if h.Device == device {
			return true
		}
	}
	return false
}
