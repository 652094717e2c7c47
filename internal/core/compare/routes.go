package compare

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A RouteChange is a prefix of one table whose routes differ. Was is empty for a prefix that came, Is for one that
// went.
type RouteChange struct {
	Device, Table string
	Family        route.Family
	Prefix        netip.Prefix
	Was, Is       []route.Route
}

// routes lists the prefixes of one family whose routes differ, of the tables that both snapshots have.
func routes(x, y *network.Snapshot, fam route.Family) []RouteChange {
	var out []RouteChange
	for _, d := range x.Devices().All() {
		far := y.Device(d.Name)
		if far == nil || far == d {
			continue
		}
		for _, t := range d.Tables().All() {
			u := far.Table(t.Name, t.Family)
			if t.Family != fam || u == nil || u == t {
				continue
			}
			eachPrefix(t, u, func(p netip.Prefix, was, is []route.Route) {
				if !t.Chosen || !u.Chosen { // one of the two captures shows only what forwards
					was, is = forwarding(was), forwarding(is)
				}
				if t.MayHide(p) && among(was, is) || u.MayHide(p) && among(is, was) {
					return // one of the two does not show all
				}
				if !sameRoutes(was, is) {
					out = append(out, RouteChange{d.Name, t.Name, fam, p, was, is})
				}
			})
		}
	}
	return out
}

// eachPrefix calls f for every prefix of two tables. An overlay is asked for what it replaced alone.
func eachPrefix(t, u *network.Table, f func(p netip.Prefix, was, is []route.Route)) {
	if u.Captured() == t {
		var found []netip.Prefix
		for was, is := range u.Replaced() {
			if both := slices.Concat(was, is); len(both) > 0 { // else it came and went again
				found = append(found, both[0].Prefix)
			}
		}
		slices.SortFunc(found, netip.Prefix.Compare)
		for _, p := range found {
			f(p, t.RoutesTo(p), u.RoutesTo(p))
		}
		return
	}
	i, k := 0, 0
	for i < t.Routes().Len() || k < u.Routes().Len() {
		c := 0
		switch {
		case i == t.Routes().Len():
			c = 1
		case k == u.Routes().Len():
			c = -1
		default:
			c = inOrder(t.Routes().Prefix(i), u.Routes().Prefix(k))
		}
		var was, is []route.Route
		var p netip.Prefix
		if c <= 0 {
			p = t.Routes().Prefix(i)
			was, i = t.At(t.Group(i)), t.Group(i).Hi
		}
		if c >= 0 {
			p = u.Routes().Prefix(k)
			is, k = u.At(u.Group(k)), u.Group(k).Hi
		}
		f(p, was, is)
	}
}

// inOrder orders prefixes as tables do: by address, shorter ones first.
func inOrder(a, b netip.Prefix) int {
	if c := a.Addr().Compare(b.Addr()); c != 0 {
		return c
	}
	return a.Bits() - b.Bits()
}

func forwarding(list []route.Route) []route.Route {
	return slices.DeleteFunc(slices.Clone(list), func(r route.Route) bool { return !r.Is(route.Installed) })
}

// among reports whether each of some routes is one of others.
func among(some, others []route.Route) bool {
	return !slices.ContainsFunc(some, func(x route.Route) bool {
		return !slices.ContainsFunc(others, func(o route.Route) bool { return sameRoute(x, o) })
	})
}

// sameRoutes reports whether two lists say the same, in whatever order.
func sameRoutes(x, y []route.Route) bool {
	if len(x) != len(y) {
		return false
	}
	left := slices.Clone(y)
	for _, r := range x {
		i := slices.IndexFunc(left, func(o route.Route) bool { return sameRoute(r, o) })
		if i < 0 {
			return false
		}
		left = slices.Delete(left, i, i+1)
	}
	return true
}

// sameRoute reports whether two routes are one, as far as both captures tell: what one of them does not show is no
// difference.
func sameRoute(a, b route.Route) bool {
	number := func(x, y route.Number) bool { return x == y || !x.Known || !y.Known }
	return a.Is(route.Installed) == b.Is(route.Installed) && a.Special == b.Special &&
		(a.Protocol == b.Protocol || a.Protocol == route.Other || b.Protocol == route.Other) &&
		number(a.Preference, b.Preference) && number(a.Metric, b.Metric) && sameHops(a.NextHops, b.NextHops)
}

// sameHops compares next hops in whatever order. A hop that resolves another one is told with that one.
func sameHops(x, y []route.NextHop) bool {
	plain := func(list []route.NextHop) []route.NextHop {
		return slices.DeleteFunc(slices.Clone(list), func(h route.NextHop) bool { return h.Resolves })
	}
	x, y = plain(x), plain(y)
	if len(x) != len(y) {
		return false
	}
	for _, h := range x {
		i := slices.IndexFunc(y, func(o route.NextHop) bool {
			return h.Address == o.Address && h.Inactive == o.Inactive && h.Backup == o.Backup &&
				(h.Interface == o.Interface || h.Interface == "" || o.Interface == "") &&
				(h.Table == o.Table || h.Table == "" || o.Table == "")
		})
		if i < 0 {
			return false
		}
		y = slices.Delete(y, i, i+1)
	}
	return true
}
