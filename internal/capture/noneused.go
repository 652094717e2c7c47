package capture

import (
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// withoutMarks takes routing tables for parts of which no route seems to be in use, not even one of the attached
// networks that stand there: the signs by which the device marks those in use are somewhere else, or were lost, and who
// believed the rows would say that there is no route at all.
func (p *Part) withoutMarks() {
	for i := range p.Facts.Tables {
		t := &p.Facts.Tables[i]
		if t.Kind != network.Candidates || t.Filtered.Known() {
			continue
		}
		attached, used := route.Mark{}, false
		for k := 0; k < t.Routes.Len() && !used; k++ {
			x := t.Routes.At(k)
			used = x.State&(route.Active|route.Installed|route.Rejected) != 0
			if x.Protocol == route.Direct && !x.Is(route.Unusable) {
				attached = x.Mark
			}
		}
		if !used && attached != (route.Mark{}) {
			t.Filtered = attached
		}
	}
}
