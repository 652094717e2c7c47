// Package change puts edits on a frozen snapshot: a route added, removed or altered, an interface, a link or a device
// down, a switch turned. Each edit is judged as the device would judge it by its own table (package selection), and
// the result is a snapshot again, which shares everything that no edit touches.
//
// It does what an edit does by itself. What other devices' routing protocols make of it is not its business, and a
// choice that no captured number decides is not made: such a prefix is left unreadable, so that every walk over it
// ends unknown.
package change

import (
	"fmt"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// An Edit is one thing that somebody does to a network, or that happens to it.
type Edit interface {
	// on returns n with the edit; the error says what n lacks.
	on(n *network.Snapshot) (*network.Snapshot, error)
}

// A Change is edits in order.
type Change []Edit

// On returns the overlay of n with all edits. The error names the first edit, counted from 1, that n cannot take, and
// why.
func (c Change) On(n *network.Snapshot) (*network.Snapshot, error) {
	for i, e := range c {
		next, err := e.on(n)
		if err != nil {
			return nil, fmt.Errorf("edit %d: %w", i+1, err)
		}
		n = next
	}
	return n, nil
}

// device finds a device by its name.
func device(n *network.Snapshot, name string) (*network.Device, error) {
	if d := n.Device(name); d != nil {
		return d, nil
	}
	return nil, fmt.Errorf("there is no device %q", name)
}

// place finds the device and the table that an edit is about.
func place(n *network.Snapshot, name, table string, prefix netip.Prefix) (*network.Device, *network.Table, error) {
	d, err := device(n, name)
	if err != nil {
		return nil, nil, err
	}
	fam := route.FamilyOf(prefix.Addr())
	if table == "" {
		table = "default"
	}
	t := d.Table(table, fam)
	if t == nil {
		return nil, nil, fmt.Errorf("no %s table %q of %s was captured", fam, table, name)
	}
	return d, t, nil
}

// AddRoute adds a configured static route. Where its next hop leads nowhere it stays out of the table, as on a device.
type AddRoute struct {
	Device string
	Static network.Static
}

func (e AddRoute) on(n *network.Snapshot) (*network.Snapshot, error) {
	d, t, err := place(n, e.Device, e.Static.Table, e.Static.Prefix)
	if err != nil {
		return nil, err
	}
	x := n.Draft()
	x.SetStatics(e.Device, append(d.Statics().Copy(), e.Static))
	x.SetRoutes(e.Device, t.Name, e.Static.Prefix, withStatic(d, t, e.Static, t.RoutesTo(e.Static.Prefix)))
	return x.Freeze(), nil
}

// withStatic returns the rows of a prefix as they are when a static route joins them.
func withStatic(d *network.Device, t *network.Table, s network.Static, rows []route.Route) []route.Route {
	c := selection.Judge(d, t, s)
	if c.Index >= 0 { // it is there
		return rows
	}
	r := c.Route
	switch c.Fate {
	case selection.Standby: // a candidate
	case selection.AgainstTheOrder:
		r.State = route.Active | route.Installed
		for i := range rows {
			rows[i].State &^= route.Active | route.Installed
		}
	case selection.NotShown, selection.InUse:
		r.State = route.Active | route.Installed
	default:
		return rows
	}
	return append(rows, r)
}

// RemoveRoute takes routes out of a table, and out of the configuration where they stand there.
type RemoveRoute struct {
	Device, Table string // Table "": the default one
	Prefix        netip.Prefix
	NextHop       netip.Addr // only the routes by it; invalid: all
}

// on takes the route from the table and the statement from the statics.
func (e RemoveRoute) on(n *network.Snapshot) (*network.Snapshot, error) {
	d, t, err := place(n, e.Device, e.Table, e.Prefix)
	if err != nil {
		return nil, err
	}
	uses := func(hops []route.NextHop) bool {
		return !e.NextHop.IsValid() ||
			slices.ContainsFunc(hops, func(h route.NextHop) bool { return h.Address == e.NextHop })
	}
	rows := t.RoutesTo(e.Prefix)
	had := len(rows)
	rows = slices.DeleteFunc(rows, func(r route.Route) bool { return uses(r.NextHops) })
	statics := slices.DeleteFunc(d.Statics().Copy(), func(s network.Static) bool {
		return s.Prefix == e.Prefix.Masked() && (s.Table == t.Name || s.Table == "" && t.Name == "default") &&
			uses([]route.NextHop{s.NextHop})
	})
	if len(rows) == had && len(statics) == d.Statics().Len() {
		return nil, fmt.Errorf("%s has no such route %s", e.Device, e.Prefix)
	}
	x := n.Draft()
	x.SetStatics(e.Device, statics)
	x.SetRoutes(e.Device, t.Name, e.Prefix, rows)
	return elect(d, x.Freeze(), e.Device, t.Name, e.Prefix), nil
}

// AlterRoute replaces routes of a prefix by a configured static route.
type AlterRoute struct {
	Remove RemoveRoute
	Add    network.Static
}

func (e AlterRoute) on(n *network.Snapshot) (*network.Snapshot, error) {
	n, err := e.Remove.on(n)
	if err != nil {
		return nil, err
	}
	return AddRoute{e.Remove.Device, e.Add}.on(n)
}

// elect chooses among the candidates of a prefix, those that stand by in the configuration included, where nothing
// forwards it any more. One that was kept out of the table before, nobody knows why, may still be: none is known to be
// used then.
func elect(was *network.Device, n *network.Snapshot, device, table string, p netip.Prefix) *network.Snapshot {
	d := n.Device(device)
	t := d.Table(table, route.FamilyOf(p.Addr()))
	rows := t.RoutesTo(p)
	if slices.ContainsFunc(rows, func(r route.Route) bool { return r.Is(route.Installed) || r.Is(route.Rejected) }) {
		return n
	}
	chosen := selection.Elect(d, t, rows)
	if chosen == nil {
		chosen = rows
	}
	for _, s := range d.StaticsTo(p).All() {
		if s.Table == t.Name || s.Table == "" && t.Name == "default" {
			x := n.Draft()
			x.SetRoutes(device, table, p, chosen)
			n = x.Freeze()
			d = n.Device(device)
			t = d.Table(table, t.Family)
			if c := selection.Judge(was, was.Table(table, t.Family), s); c.Absent() {
				c.Route.State = route.Untold
				chosen = selection.ElectAmongUntold(d, t, append(t.RoutesTo(p), c.Route))
				continue
			}
			chosen = withStatic(d, t, s, t.RoutesTo(p))
		}
	}
	x := n.Draft()
	x.SetRoutes(device, table, p, chosen)
	return x.Freeze()
}

// Use makes one route the only one that forwards its prefix: a trial of what stands by, whatever the rules say.
type Use struct {
	Device, Table string
	Route         route.Route
}

// on makes the route the only one that forwards to its prefix.
func (e Use) on(n *network.Snapshot) (*network.Snapshot, error) {
	_, t, err := place(n, e.Device, e.Table, e.Route.Prefix)
	if err != nil {
		return nil, err
	}
	rows := t.RoutesTo(e.Route.Prefix)
	for i := range rows {
		rows[i].State &^= route.Active | route.Installed | route.Rejected
	}
	e.Route.State = route.Active | route.Installed
	x := n.Draft()
	x.SetRoutes(e.Device, t.Name, e.Route.Prefix, append(rows, e.Route))
	return x.Freeze(), nil
}
