package audit

import (
	"net/netip"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TablesDiffer means that what a device chose and what it forwards by are not the same, or captures of it contradict
// each other.
const TablesDiffer Kind = "tables-differ"

func familyOf(p netip.Prefix) route.Family { return route.FamilyOf(p.Addr()) }

// findTablesDiffer makes one finding of each table and sort of difference.
func findTablesDiffer(s *caseView) []Finding {
	var out []Finding
	for _, d := range s.net.Devices().All() {
		for _, t := range d.Tables().All() {
			byKind := map[network.DifferenceKind]*Finding{}
			var order []*Finding
			for _, x := range t.Differences().All() {
				f := byKind[x.Kind]
				if f == nil {
					f = &Finding{
						Kind:     TablesDiffer,
						Severity: Risk,
						Device:   d.Name,
						Table:    t.Name,
						Family:   t.Family,
						Detail:   DifferenceDetail{x.Kind},
						Repair:   []Repair{{Kind: CaptureAnew, Device: d.Name}},
					}
					byKind[x.Kind] = f
					order = append(order, f)
				}
				f.Missing = append(f.Missing, x.Prefix)
				f.Marks = append(f.Marks, marks(x.Chosen, x.Installed)...)
			}
			for _, f := range order {
				f.identify(f.Detail.(DifferenceDetail).Kind)
				out = append(out, *f)
			}
		}
	}
	return out
}
