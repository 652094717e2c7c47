package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
)

// handToEachOther reports whether several speakers announce what another protocol tells them, and let that one announce
// what they hear: a route that nobody has any more may then go round between the two for ever. Across tells whether one
// announces what another protocol tells it while another one hands over what it hears: which of the two a device uses
// may then hang on which came first.
func (x *spoken) handToEachOther() (mutual, across bool) {
	n := 0
	var giving, taking []int
	for z := range x.list {
		d, _ := x.table(z)
		if d == nil {
			continue
		}
		gives := false
		for p, on := range x.announced[z] {
			gives = gives || on && adds(p)
		}
		unknown := d.Redistributed().Len() == 0 && !d.Configures()
		takes := unknown || d.Redistributed().Any(func(r network.Redistribution) bool {
			return adds(r.Protocol) && r.Source == x.proto && (r.Family == 0 || r.Family == x.family)
		})
		if gives && takes {
			n++
		}
		if gives {
			giving = append(giving, z)
		}
		if takes {
			taking = append(taking, z)
		}
	}
	return n > 1, slices.ContainsFunc(giving, func(z int) bool {
		return slices.ContainsFunc(taking, func(o int) bool { return o != z })
	})
}

// echoes looks at a prefix that speakers announced and that none has any more. When the last one withdrew it, others
// may still have heard of each other, and where several hand it from one protocol to the other and back it stays.
func (x *spoken) echoes(d *network.Device, t *network.Table, p netip.Prefix, who []int) bool {
	if !x.mutual || x.workedOut(p) || len(deciding(t.RoutesTo(p))) > 0 {
		return false
	}
	told := false
	for z := range x.list {
		if _, far := x.table(z); far != nil && len(deciding(far.RoutesTo(p))) > 0 {
			return false // it is announced still
		}
	}
	for _, z := range who {
		for _, r := range x.before(z, p) {
			told = told || r.Protocol == x.proto || x.announced[z][r.Protocol] || len(x.announced[z]) == 0
		}
	}
	return told && x.leaveOpen(d, t, p, t.RoutesTo(p))
}
