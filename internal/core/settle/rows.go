package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// used reports whether any of the routes forwards, or is open.
func used(rows []route.Route) bool {
	return slices.ContainsFunc(rows, func(x route.Route) bool {
		return x.Is(route.Installed) || x.Is(route.Rejected)
	})
}

// elected is what a device makes of the routes that are left for a prefix, with the configured ones that stand by.
// One that was kept out of the table before, nobody knows why, may still be.
func elected(was, d *network.Device, t *network.Table, p netip.Prefix, rows []route.Route) []route.Route {
	rows = slices.Clone(rows)
	open := false
	for _, s := range d.StaticsTo(p).All() {
		if !ofTable(s, t) {
			continue
		}
		c := selection.Judge(d, t, s)
		if c.Index >= 0 || c.Fate == selection.HopUnresolved || c.Fate == selection.InterfaceDown ||
			c.Fate == selection.InterfaceGone || c.Fate == selection.HopByDefault {
			continue
		}
		if slices.ContainsFunc(rows, func(x route.Route) bool { return sameWay(x, c.Route) }) {
			continue
		}
		if old := was.Table(t.Name, t.Family); old != nil {
			if before := selection.Judge(was, old, s); before.Absent() && had(was, s) {
				c.Route.State, open = route.Untold, true
			}
		}
		rows = append(rows, c.Route)
	}
	if open {
		return selection.ElectAmongUntold(d, t, rows)
	}
	if out := selection.Elect(d, t, rows); out != nil {
		return out
	}
	for i := range rows {
		rows[i].State &^= route.Active | route.Installed | route.Rejected | route.Untold
	}
	return rows
}

// had reports whether a static route was configured before the change.
func had(was *network.Device, s network.Static) bool {
	return was.StaticsTo(s.Prefix).Any(func(x network.Static) bool { return x == s })
}

// sameWay reports whether two routes of one prefix are one: a configured static and the table's row of it.
func sameWay(x, y route.Route) bool {
	return x.Protocol == y.Protocol && x.Special == y.Special && len(x.NextHops) == len(y.NextHops) &&
		slices.EqualFunc(x.NextHops, y.NextHops, func(a, b route.NextHop) bool { return a.Address == b.Address })
}

// untold leaves all of a prefix's routes unreadable.
func untold(rows []route.Route) []route.Route {
	out := slices.Clone(rows)
	for i := range out {
		if out[i].Is(route.Installed) || out[i].Is(route.Active) {
			out[i].State = out[i].State&^route.Installed | route.Active | route.Rejected | route.Untold
		}
	}
	return out
}

// same reports whether two lists of one prefix's routes say the same, in whatever order.
func same(x, y []route.Route) bool {
	if len(x) != len(y) {
		return false
	}
	alike := func(a, b route.Route) bool {
		return a.State == b.State && sameAttributes(a, b)
	}
	if slices.EqualFunc(x, y, alike) {
		return true
	}
	left := slices.Clone(y)
	for _, a := range x {
		at := slices.IndexFunc(left, func(b route.Route) bool { return alike(a, b) })
		if at < 0 {
			return false
		}
		left = slices.Delete(left, at, at+1)
	}
	return true
}

// sameAttributes reports whether two routes differ in nothing but their state, their evidence and what BGP compares.
func sameAttributes(a, b route.Route) bool {
	return a.Metric == b.Metric && (a.Attributes == b.Attributes ||
		a.Protocol == b.Protocol && a.Subtype == b.Subtype && a.Preference == b.Preference &&
			a.Special == b.Special && slices.Equal(a.NextHops, b.NextHops))
}

// speaks reports whether any route of a table is of a protocol.
func speaks(t *network.Table, wanted func(route.Protocol) bool) bool {
	for id := range t.Routes().Shared() {
		if wanted(t.Routes().Attributes(route.AttrID(id)).Protocol) {
			return true
		}
	}
	return false
}
