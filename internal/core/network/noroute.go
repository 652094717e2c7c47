package network

import (
	"math"
	"slices"

	"zarvek/internal/core/route"
)

// dropNoRoutes leaves out what a Linux kernel keeps at the end of a table of IPv6 in place of a default route, and shows
// as one that refuses, with the largest metric: where nothing else fits it goes on with the next policy rule.
func (f *deviceFacts) dropNoRoutes() {
	for i := range f.Tables {
		t := &f.Tables[i]
		if t.Family != route.IPv6 || t.Kind != ForwardingTable || !t.refuses() {
			continue
		}
		var kept []int
		for n := range t.Routes.Len() {
			if t.Routes.Prefix(n).Bits() > 0 || !isNoRoute(t.Routes.At(n)) {
				kept = append(kept, n)
			}
		}
		if len(kept) < t.Routes.Len() {
			t.Routes = t.Routes.Pick(kept)
		}
	}
	f.Tables = slices.DeleteFunc(f.Tables, func(t TableFacts) bool { return t.Name == noTable && t.Routes.Len() == 0 })
}

// noTable is where older kernels say that it stands.
const noTable = "unspec"

// refuses reports whether a route of the table refuses packets.
func (t *TableFacts) refuses() bool {
	for id := range t.Routes.Shared() {
		if t.Routes.Attributes(route.AttrID(id)).Special == route.Unreachable {
			return true
		}
	}
	return false
}

func isNoRoute(r route.Route) bool {
	return r.Special == route.Unreachable && r.Metric == route.N(math.MaxUint32)
}
