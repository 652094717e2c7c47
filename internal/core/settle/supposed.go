package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// maxSupposed bounds how often supposed tables are gone through: each time routes may come in whose next hops lie in
// those that came before.
const maxSupposed = 64

// Suppose returns the network with the configured static routes in the tables that were not captured and are supposed
// (network.Table.Supposed). Which of them come in cannot be told where that hangs on more than the statements say.
func Suppose(n *network.Snapshot) *network.Snapshot {
	for round := range maxSupposed {
		x, changed := n.Draft(), false
		for _, d := range n.Devices().All() {
			for _, t := range d.Tables().All() {
				if !t.Supposed {
					continue
				}
				for _, p := range prefixesOf(d, t) {
					rows := t.RoutesTo(p)
					if now := supposed(d, t, p, rows); !same(rows, now) {
						if round == maxSupposed-1 { // it does not come to rest
							now = untold(slices.Concat(now, rows))
						}
						x.SetRoutes(d.Name, t.Name, p, now)
						changed = true
					}
				}
			}
		}
		if !changed {
			return n
		}
		n = x.Freeze()
	}
	return n
}

// prefixesOf lists the prefixes of the static routes that are meant for a table.
func prefixesOf(d *network.Device, t *network.Table) []netip.Prefix {
	var out []netip.Prefix
	for _, s := range d.Statics().All() {
		if ofTable(s, t) {
			out = append(out, s.Prefix.Masked())
		}
	}
	slices.SortFunc(out, netip.Prefix.Compare)
	return slices.Compact(out)
}

// supposed is what a device makes of the routes that it has for a prefix and of those that are configured.
func supposed(d *network.Device, t *network.Table, p netip.Prefix, had []route.Route) []route.Route {
	rows := slices.DeleteFunc(slices.Clone(had), func(x route.Route) bool { return x.Protocol == route.Static })
	usual, given := false, false
	stated := map[route.Number]bool{}
	for _, s := range d.Statics().All() {
		if !ofTable(s, t) || s.Prefix.Masked() != p {
			continue
		}
		c := selection.Prospect(d, t, s)
		switch c.Fate {
		case selection.HopUnresolved, selection.InterfaceDown, selection.InterfaceGone, selection.ObjectDown,
			selection.SessionDown:
			continue
		}
		if c.Fate != selection.NotShown || s.Tie != (network.Tie{}) || s.NextHop.Table != "" || elsewhere(t, s.NextHop) {
			c.Route.State = route.Untold
		}
		usual, given = usual || !s.Preference.Known, given || s.Preference.Known && s.Preference.Value <= selection.HighestUsual
		stated[s.Preference] = true
		rows = append(rows, c.Route)
	}
	if usual && given { // which comes first hangs on what the device gives those that have none
		for i := range rows {
			if rows[i].Protocol == route.Static {
				rows[i].State = route.Untold
			}
		}
	}
	if slices.ContainsFunc(rows, func(x route.Route) bool { return x.Is(route.Untold) }) {
		rows = selection.ElectAmongUntold(d, t, rows)
	} else {
		rows = selection.Elect(d, t, rows)
	}
	for i := range rows { // what no statement gives is not shown
		if a := *rows[i].Attributes; a.Protocol == route.Static && !stated[a.Preference] {
			a.Preference = route.Number{}
			rows[i].Attributes = &a
		}
	}
	return rows
}

// elsewhere reports whether a next hop with an interface is not in a network of that interface: some systems send there
// all the same, others do not take such a route.
func elsewhere(t *network.Table, h route.NextHop) bool {
	if !h.Address.IsValid() || h.Interface == "" || h.OnLink || h.Address.IsLinkLocalUnicast() {
		return false
	}
	for g := range t.Covering(netip.PrefixFrom(h.Address, h.Address.BitLen())) {
		for _, x := range t.Members(g) {
			if x.Protocol == route.Direct && slices.ContainsFunc(x.NextHops,
				func(n route.NextHop) bool { return n.Interface == h.Interface }) {
				return false
			}
		}
	}
	return true
}
