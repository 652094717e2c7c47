package audit

import (
	"iter"
	"net/netip"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// staticPrefixes yields, in order, each prefix of a table that has a static route, used or not.
func staticPrefixes(t *network.Table) iter.Seq[netip.Prefix] {
	return prefixesWith(t, func(a *route.Attributes) bool { return a.Protocol == route.Static })
}

// prefixesWith yields each prefix once that has a route with such attributes. The attributes are asked once each, not
// once a route.
func prefixesWith(t *network.Table, wanted func(*route.Attributes) bool) iter.Seq[netip.Prefix] {
	return func(yield func(netip.Prefix) bool) {
		known := make([]bool, t.Routes().Shared())
		some := false
		for id := range known {
			known[id] = wanted(t.Routes().Attributes(route.AttrID(id)))
			some = some || known[id]
		}
		last := netip.Prefix{}
		for i := 0; some && i < t.Routes().Len(); i++ {
			if id, _ := t.Routes().Used(i); known[id] {
				if p := t.Routes().Prefix(i); p != last {
					last = p
					if !yield(p) {
						return
					}
				}
			}
		}
	}
}

// forwards reports whether any route of a group does.
func forwards(t *network.Table, g network.Group) bool {
	for i := g.Lo; i < g.Hi; i++ {
		if _, s := t.Routes().Used(i); s&route.Installed != 0 {
			return true
		}
	}
	return false
}
