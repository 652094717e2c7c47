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
	var all []wanted
	for _, d := range n.Devices().All() {
		for _, t := range d.Tables().All() {
			if t.Supposed {
				all = append(all, wanted{d.Name, t.Name, t.Family, staticsOf(d, t)})
			}
		}
	}
	for round := range maxSupposed {
		x, changed := n.Draft(), false
		for _, w := range all {
			d := n.Device(w.device)
			t := d.Table(w.table, w.family)
			for _, statics := range w.statics {
				p := statics[0].Prefix.Masked()
				rows := t.RoutesTo(p)
				now := supposed(d, t, statics, rows)
				if same(rows, now) {
					continue
				}
				if round == maxSupposed-1 { // it does not come to rest
					now = untold(slices.Concat(now, rows))
				}
				x.SetRoutes(w.device, w.table, p, now)
				changed = true
			}
		}
		if !changed {
			return n
		}
		n = x.Freeze()
	}
	return n
}

// wanted are the static routes that are meant for a table.
type wanted struct {
	device, table string
	family        route.Family
	statics       [][]network.Static // of one prefix each
}

func staticsOf(d *network.Device, t *network.Table) [][]network.Static {
	at := map[netip.Prefix]int{}
	var out [][]network.Static
	for _, s := range d.Statics().All() {
		if !ofTable(s, t) {
			continue
		}
		i, ok := at[s.Prefix.Masked()]
		if !ok {
			i = len(out)
			at[s.Prefix.Masked()] = i
			out = append(out, nil)
		}
		out[i] = append(out[i], s)
	}
	return out
}

// supposed is what a device makes of the routes that it has for a prefix and of the static ones that are configured.
func supposed(d *network.Device, t *network.Table, statics []network.Static, had []route.Route) []route.Route {
	rows := slices.DeleteFunc(slices.Clone(had), func(x route.Route) bool { return x.Protocol == route.Static })
	usual, given := false, false
	stated := map[route.Number]bool{}
	for _, s := range statics {
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
