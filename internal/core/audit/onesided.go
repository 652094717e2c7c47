package audit

import (
	"slices"

	"zarvek/internal/core/forward"
)

// OneSided means that a stateful device sees one direction of a path only, so that it drops the rest of a connection.
const OneSided Kind = "one-sided"

func takeOneSided(_ *auditor, f *Finding, _ *byCause) bool {
	if f.Verdict != forward.StateMissing {
		return false
	}
	f.Repair = []Repair{{Kind: LeadBothWays, Device: f.Device}}
	return true
}

// findOneSided tells of paths that work as far as routes go, past a device that keeps state.
func findOneSided(s *caseView) []Finding {
	var out []Finding
	for _, a := range s.audits {
		byDevice := map[string][]pair{}
		for _, p := range a.halfSeen {
			for _, d := range a.oneSided[p.key()] {
				byDevice[d] = append(byDevice[d], p)
			}
		}
		for _, d := range a.devices {
			list := byDevice[d.Name]
			if len(list) == 0 {
				continue
			}
			f := Finding{Kind: OneSided, Severity: Risk, Device: d.Name, Family: a.fam, Marks: marks(d.Stateful()),
				Repair: []Repair{{Kind: LeadBothWays, Device: d.Name}}}
			first := list[0]
			pairs := 0
			for range a.losses(&lostPairs{pairs: list}) {
				pairs++
			}
			f.Detail = OneSidedDetail{pairs, a.groups[first.from].net, a.groups[first.to].net}
			f.identify()
			out = append(out, f)
		}
	}
	return out
}

func marks(m ...mark) []mark {
	return slices.DeleteFunc(m, func(x mark) bool { return !x.Known() })
}
