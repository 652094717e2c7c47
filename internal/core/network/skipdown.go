package network

import (
	"slices"

	"zarvek/internal/core/route"
)

// skipDown marks routes that a kernel was told not to use while their interface has no carrier, in tables that do not
// show so.
func (f *deviceFacts) skipDown() {
	if !slices.ContainsFunc(f.SkipsDown, func(s Switch) bool { return s.On }) {
		return
	}
	down := map[string]bool{}
	for _, i := range f.Interfaces {
		down[i.Name] = i.State == LinkDown && !i.Off
	}
	for i := range f.Tables {
		t := &f.Tables[i]
		if !t.Plain {
			continue
		}
		for n := range t.Routes.Len() {
			r := t.Routes.At(n)
			if len(r.NextHops) == 1 && down[r.NextHops[0].Interface] && f.skips(t.Family, r.NextHops[0].Interface) {
				t.Routes.SetState(n, route.Unusable)
			}
		}
	}
}

// skips reports whether routes of a family by an interface are not used while it has no carrier.
func (f *deviceFacts) skips(fam route.Family, ifname string) bool {
	return slices.ContainsFunc(f.SkipsDown, func(s Switch) bool {
		return s.On && s.Family == fam && (s.Interface == "" || s.Interface == ifname)
	})
}
