package audit

import "zarvek/internal/core/survey"

const (
	// DuplicateAddress means that two devices have one address.
	DuplicateAddress Kind = "duplicate-address"
	// MasksDiffer means that interfaces on one segment have networks of different length.
	MasksDiffer Kind = "masks-differ"
	// NetworksOverlap means that an attached network lies inside of another one on a different segment.
	NetworksOverlap Kind = "networks-overlap"
)

// findClashes makes findings of addresses and networks that contradict each other.
func findClashes(s *caseView) []Finding {
	v := survey.Clashes(s.topo, s.opt.Family)
	var out []Finding
	for _, g := range []struct {
		kind   Kind
		list   []survey.Clash
		repair RepairKind
	}{{DuplicateAddress, v.Duplicates, ChangeAddress}, {MasksDiffer, v.Masks, ChangeMask}, {NetworksOverlap,
		v.Overlapping, ChangeAddress}} {
		for _, c := range g.list {
			f := Finding{
				Kind:     g.kind,
				Severity: Risk,
				Device:   c.A.Device.Name,
				Family:   familyOf(c.Prefix),
				Detail:   ClashDetail{c.Prefix.Addr(), c.A, c.B},
				Marks: marks(
					c.A.Mark,
					c.B.Mark,
				),
				Repair: []Repair{{Kind: g.repair, Device: c.A.Device.Name, Other: c.B.Device.Name, Prefix: c.Prefix}},
			}
			f.Missing = append(f.Missing, c.Prefix)
			if c.Other.IsValid() {
				f.Missing = append(f.Missing, c.Other)
			}
			f.identify(c.Prefix, c.Other, c.B.Device.Name)
			out = append(out, f)
		}
	}
	return out
}
