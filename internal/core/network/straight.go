package network

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// partStraight tells routes straight out of an interface from attached networks in tables that do not say which is
// which: an attached network has an own address of the device on that interface. Where its addresses were not captured
// the route counts as attached.
func (f *deviceFacts) partStraight() {
	for i := range f.Tables {
		t := &f.Tables[i]
		if !t.Plain {
			continue
		}
		straight := map[route.AttrID]route.AttrID{} // the same attributes, of a static route
		var rows []int
		for n := range t.Routes.Len() {
			if r := t.Routes.At(n); f.isStraight(r) {
				id, _ := t.Routes.Used(n)
				straight[id] = 0
				rows = append(rows, n)
			}
		}
		for id := range straight {
			a := *t.Routes.Attributes(id)
			a.Protocol = route.Static
			straight[id] = t.Routes.Share(&a)
		}
		for _, n := range rows {
			id, _ := t.Routes.Used(n)
			t.Routes.SetAttributes(n, straight[id])
		}
	}
}

// isStraight reports whether a route that looks like an attached network is none: the interface's addresses are known,
// and none of them is in it.
func (f *deviceFacts) isStraight(r route.Route) bool {
	if r.Protocol != route.Direct || r.Special != route.None || len(r.NextHops) != 1 || r.NextHops[0].Interface == "" ||
		r.Prefix.IsSingleIP() || r.Prefix.Addr().IsLinkLocalUnicast() {
		return false
	}
	fam, ifname := route.FamilyOf(r.Prefix.Addr()), r.NextHops[0].Interface
	own := func(a Address) bool {
		return a.Interface == ifname && route.FamilyOf(a.Prefix.Addr()) == fam && !a.Prefix.Addr().IsLinkLocalUnicast()
	}
	attached := func(a Address) bool { return own(a) && attaches(a, r.Prefix) }
	if slices.ContainsFunc(f.Addresses, attached) {
		return false
	}
	for _, a := range f.Addresses {
		// a list that has the loopback address is whole, but for one that shows the first address of each interface
		if a.Configured || !a.Prefix.Addr().IsLoopback() || route.FamilyOf(a.Prefix.Addr()) != fam ||
			a.First && slices.ContainsFunc(f.Addresses, own) {
			continue
		}
		if slices.ContainsFunc(f.Interfaces, func(i Interface) bool { return i.Name == ifname && i.Mark.File == a.Mark.File }) {
			return true
		}
	}
	return false
}

// attaches reports whether an own address makes its device attach to a network, as far as its length is told.
func attaches(a Address, net netip.Prefix) bool {
	return a.Prefix.Masked() == net || a.Prefix.IsSingleIP() && net.Contains(a.Prefix.Addr())
}
