package network

import (
	"slices"

	"zarvek/internal/core/route"
)

// partStraight tells routes straight out of an interface from attached networks in tables that do not say which is
// which: an attached network has an own address of the device on that interface. Where its addresses were not captured
// the route counts as attached. One by a further address, where a list shows the first ones alone, counts as straight:
// who is on that link, and who starts there, is not known then.
func (f *deviceFacts) partStraight() {
	for i := range f.Tables {
		t := &f.Tables[i]
		if !t.Plain {
			continue
		}
		static := make([]route.AttrID, t.Routes.Shared()) // what attached networks have, as static routes have it
		for id := range static {
			if a := *t.Routes.Attributes(route.AttrID(id)); attaches(&a) {
				a.Protocol = route.Static
				static[id] = t.Routes.Share(&a)
			}
		}
		for n := range t.Routes.Len() {
			if id, _ := t.Routes.Used(n); static[id] > 0 && f.isStraight(t.Routes.At(n)) {
				t.Routes.SetAttributes(n, static[id])
			}
		}
	}
}

// attaches reports whether routes with these attributes are attached networks of one interface.
func attaches(a *route.Attributes) bool {
	return a.Protocol == route.Direct && a.Special == route.None && len(a.NextHops) == 1 && a.NextHops[0].Interface != ""
}

// isStraight reports whether a route that looks like an attached network is none: the interface's addresses are known,
// and none of them is in it.
func (f *deviceFacts) isStraight(r route.Route) bool {
	if r.Prefix.IsSingleIP() || r.Prefix.Addr().IsLinkLocalUnicast() {
		return false
	}
	fam, ifname := route.FamilyOf(r.Prefix.Addr()), r.NextHops[0].Interface
	attached := func(a Address) bool {
		return a.Interface == ifname &&
			(a.Prefix.Masked() == r.Prefix || a.Prefix.IsSingleIP() && r.Prefix.Contains(a.Prefix.Addr()))
	}
	if slices.ContainsFunc(f.Addresses, attached) {
		return false
	}
	for _, a := range f.Addresses {
		// a list that has the loopback address is whole, or shows the first address of each interface
		if a.Configured || !a.Prefix.Addr().IsLoopback() || route.FamilyOf(a.Prefix.Addr()) != fam {
			continue
		}
		listed := func(i Interface) bool { return i.Name == ifname && i.Mark.File == a.Mark.File }
		if slices.ContainsFunc(f.Interfaces, listed) {
			return true
		}
	}
	return false
}
