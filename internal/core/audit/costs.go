package audit

import (
	"slices"

	"zarvek/internal/core/settle"
)

const (
	// CostsDisagree means that captured metrics give several costs for one way: several areas, a redistribution, or
	// captures of different moments.
	CostsDisagree Kind = "costs-disagree"
	// CostsDiffer means that the two ends of a link count it differently, so that packets may come back another way.
	CostsDiffer Kind = "costs-differ"
)

// A CostDetail is one way between two routers, and what the far end counts for the way back.
type CostDetail struct{ Cost, Back settle.Cost }

func (CostDetail) detail() {}

// findCosts looks at the costs that metrics and configurations tell.
func findCosts(s *caseView) []Finding {
	var out []Finding
	all := settle.Costs(s.topo)
	for i, c := range all {
		f := Finding{Severity: Note, Device: c.Device, Table: c.Table, Family: c.Family, Marks: c.Marks,
			Detail: CostDetail{Cost: c}}
		if c.Disagree {
			f.Kind = CostsDisagree
			f.identify(c.Protocol, c.Interface, c.Neighbour)
			out = append(out, f)
			continue
		}
		for _, back := range all[i+1:] {
			if back.Protocol == c.Protocol && back.Family == c.Family && back.Device == c.Neighbour &&
				back.Neighbour == c.Device &&
				back.Interface == c.Far && back.Far == c.Interface && back.Value.Known && c.Value.Known &&
				back.Value != c.Value {
				f.Kind, f.Detail = CostsDiffer, CostDetail{c, back}
				f.Marks = slices.Concat(c.Marks, back.Marks)
				f.identify(c.Protocol, c.Interface, c.Neighbour)
				out = append(out, f)
			}
		}
	}
	return out
}
