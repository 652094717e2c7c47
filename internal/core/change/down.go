package change

import (
	"cmp"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// InterfaceDown takes one end of a link down: its attached networks leave the tables, and so do its IPv6 addresses.
// An IPv4 address on it stays the device's own, as kernels have it. The far end notices nothing.
type InterfaceDown struct{ Device, Interface string }

// on takes the interface down: its IPv6 addresses go (a kernel keeps the IPv4 ones), and so do the routes that lead out
// of it; the next best ones take over.
func (e InterfaceDown) on(n *network.Snapshot) (*network.Snapshot, error) {
	d, err := device(n, e.Device)
	if err != nil {
		return nil, err
	}
	x := withState(n, d, e.Interface, network.LinkDown)
	goes := func(a network.Address) bool { return a.Interface == e.Interface && a.Prefix.Addr().Is6() }
	x.SetIdle(e.Device, slices.Concat(d.Idle().Copy(),
		slices.DeleteFunc(x.Listed(e.Device), func(a network.Address) bool { return !goes(a) })))
	x.SetAddresses(e.Device, slices.DeleteFunc(x.Listed(e.Device), goes))
	type key struct {
		table string
		p     netip.Prefix
	}
	var touched []key
	for _, t := range d.Tables().All() {
		rows := t.Routes()
		dies := make([]bool, rows.Shared())
		for id := range dies {
			dies[id] = attached(rows.Attributes(route.AttrID(id)), e.Interface)
		}
		for k := 0; k < rows.Len(); {
			g := t.Group(k)
			k = g.Hi
			hit := false
			for j := g.Lo; j < g.Hi && !hit; j++ {
				id, _ := rows.Used(j)
				hit = dies[id]
			}
			if !hit {
				continue
			}
			p := rows.Prefix(g.Lo)
			left := slices.DeleteFunc(t.RoutesTo(p), func(r route.Route) bool {
				return attached(r.Attributes, e.Interface) && !(p.Addr().Is4() && r.Special == route.Receive)
			})
			x.SetRoutes(e.Device, t.Name, p, left)
			touched = append(touched, key{t.Name, p})
		}
	}
	out := x.Freeze()
	for _, k := range touched {
		out = elect(d, out, e.Device, k.table, k.p)
	}
	return out, nil
}

// CarrierLost takes an interface's link away, as when the cable is cut or the far end goes down. A device takes the
// routes away as in InterfaceDown, but a kernel without a routing daemon keeps them and goes on sending into the dead
// link. Where both were captured the kernel keeps the attached network, and what becomes of packets to it cannot be
// told.
type CarrierLost struct{ Device, Interface string }

// on takes the link down without an order from anybody. A device with nothing beside it keeps what it has.
func (e CarrierLost) on(n *network.Snapshot) (*network.Snapshot, error) {
	d, err := device(n, e.Device)
	if err != nil {
		return nil, err
	}
	i := d.Interface(e.Interface)
	i.Name, i.State, i.NoCarrier = e.Interface, network.LinkDown, true
	if alone(d) {
		x := n.Draft()
		x.SetInterface(d.Name, i)
		return x.Freeze(), nil
	}
	after, err := InterfaceDown(e).on(n)
	if err != nil {
		return nil, err
	}
	x := after.Draft()
	x.SetInterface(d.Name, i)
	for _, t := range d.Tables().All() {
		if !t.Kernel {
			continue
		}
		for k := 0; k < t.Routes().Len(); {
			g := t.Group(k)
			k = g.Hi
			rows := t.RoutesTo(t.Routes().Prefix(g.Lo))
			if p := rows[0].Prefix; p.Addr().Is4() && !p.IsSingleIP() &&
				slices.ContainsFunc(rows, func(r route.Route) bool {
					return r.Protocol == route.Direct && r.Is(route.Installed) && attached(r.Attributes, e.Interface)
				}) {
				for k := range rows {
					rows[k].State = rows[k].State&^route.Installed | route.Active | route.Rejected | route.Untold
				}
				x.SetRoutes(d.Name, t.Name, p, rows)
			}
		}
	}
	return x.Freeze(), nil
}

// alone reports whether what was captured of a device is a kernel's tables, and no routing daemon's.
func alone(d *network.Device) bool {
	return d.Tables().Len() > 0 && !d.Tables().Any(func(t *network.Table) bool { return t.Chosen || !t.Kernel })
}

// withState drafts a snapshot in which an interface of d has a state.
func withState(n *network.Snapshot, d *network.Device, ifname string, state network.LinkState) *network.Draft {
	i := d.Interface(ifname)
	i.Name, i.State = ifname, state
	x := n.Draft()
	x.SetInterface(d.Name, i)
	return x
}

// attached reports whether a route is there because the interface is up: its network, its own addresses.
func attached(a *route.Attributes, ifname string) bool {
	return (a.Protocol == route.Direct || a.Protocol == route.Local || a.Special == route.Receive) &&
		len(a.NextHops) > 0 &&
		!slices.ContainsFunc(a.NextHops, func(h route.NextHop) bool { return h.Interface != ifname })
}

// InterfaceUp brings an interface up again: its addresses come back, and their networks as attached ones.
type InterfaceUp struct{ Device, Interface string }

// on brings the interface up: its networks are attached again.
func (e InterfaceUp) on(n *network.Snapshot) (*network.Snapshot, error) {
	d, err := device(n, e.Device)
	if err != nil {
		return nil, err
	}
	x := withState(n, d, e.Interface, network.LinkUp)
	if i := d.Interface(e.Interface); i.State == network.LinkDown && d.Bare(e.Interface, route.IPv6) {
		i.Name, i.State, i.NoCarrier, i.Bare6 = e.Interface, network.LinkUp, false, true
		x.SetInterface(d.Name, i)
	}
	own := x.Listed(e.Device)
	for _, a := range d.Idle().All() {
		if a.Interface == e.Interface {
			own = append(own, a)
		}
	}
	x.SetAddresses(e.Device, own)
	for _, t := range d.Tables().All() {
		revive(x, d, t, e.Interface)
	}
	for _, a := range append(own, d.Addresses().Copy()...) {
		p := a.Prefix.Masked()
		name := cmp.Or(a.Table, "default")
		t := d.Table(name, route.FamilyOf(a.Prefix.Addr()))
		if a.Interface != e.Interface || a.Prefix.IsSingleIP() || t == nil {
			continue
		}
		rows := x.Routes(e.Device, name, p)
		if slices.ContainsFunc(
			rows,
			func(r route.Route) bool { return r.Protocol == route.Direct && r.Is(route.Installed) },
		) {
			continue
		}
		for k := range rows {
			rows[k].State &^= route.Active | route.Installed // an attached network comes before all else
		}
		up := &route.Attributes{Protocol: route.Direct, NextHops: []route.NextHop{{Interface: e.Interface}}}
		x.SetRoutes(
			e.Device,
			name,
			p,
			append(rows, route.Route{Attributes: up, State: route.Active | route.Installed, Mark: a.Mark}),
		)
	}
	return x.Freeze(), nil
}

// revive lets the routes of a table forward again that a kernel kept while their interface had no carrier.
func revive(x *network.Draft, d *network.Device, t *network.Table, ifname string) {
	waits := func(h route.NextHop) bool { return h.Down && h.Interface == ifname }
	some := make([]bool, t.Routes().Shared())
	for id := range some {
		some[id] = slices.ContainsFunc(t.Routes().Attributes(route.AttrID(id)).NextHops, waits)
	}
	if !slices.Contains(some, true) {
		return
	}
	for k := 0; k < t.Routes().Len(); {
		g := t.Group(k)
		k = g.Hi
		hit := false
		for j := g.Lo; j < g.Hi && !hit; j++ {
			id, _ := t.Routes().Used(j)
			hit = some[id]
		}
		if !hit {
			continue
		}
		rows := t.At(g)
		for i, r := range rows {
			a := *r.Attributes
			a.NextHops = slices.Clone(a.NextHops)
			for j := range a.NextHops {
				if h := &a.NextHops[j]; waits(*h) {
					h.Down, h.Inactive = false, false
				}
			}
			rows[i].Attributes = &a
		}
		x.SetRoutes(d.Name, t.Name, rows[0].Prefix, rows)
	}
}

// MayComeUp is InterfaceUp of an interface of which nobody knows whether it comes up: what leads out of it cannot be
// told.
type MayComeUp struct{ Device, Interface string }

// on brings the interface up, and leaves all its routes open.
func (e MayComeUp) on(n *network.Snapshot) (*network.Snapshot, error) {
	n, err := InterfaceUp(e).on(n)
	if err != nil {
		return nil, err
	}
	d, x := n.Device(e.Device), n.Draft()
	for _, t := range d.Tables().All() {
		for k := 0; k < t.Routes().Len(); {
			g := t.Group(k)
			k = g.Hi
			rows := t.At(g)
			leaves := func(h route.NextHop) bool { return h.Interface == e.Interface }
			if !slices.ContainsFunc(rows, func(r route.Route) bool { return slices.ContainsFunc(r.NextHops, leaves) }) {
				continue
			}
			for i := range rows {
				rows[i].State = rows[i].State&^route.Installed | route.Active | route.Rejected | route.Untold
			}
			x.SetRoutes(d.Name, t.Name, rows[0].Prefix, rows)
		}
	}
	return x.Freeze(), nil
}

// LinkDown takes both ends of a link down.
type LinkDown struct{ A, B InterfaceDown }

func (e LinkDown) on(n *network.Snapshot) (*network.Snapshot, error) { return Change{e.A, e.B}.On(n) }

// DeviceDown takes a whole device out. Its neighbours notice nothing.
type DeviceDown struct{ Device string }

func (e DeviceDown) on(n *network.Snapshot) (*network.Snapshot, error) {
	if _, err := device(n, e.Device); err != nil {
		return nil, err
	}
	x := n.Draft()
	x.Remove(e.Device)
	return x.Freeze(), nil
}

// Forwarding turns a device's forwarding of a family on or off.
type Forwarding struct {
	Device string
	Switch network.Switch
}

func (e Forwarding) on(n *network.Snapshot) (*network.Snapshot, error) {
	if _, err := device(n, e.Device); err != nil {
		return nil, err
	}
	x := n.Draft()
	x.SetSwitch(e.Device, e.Switch)
	return x.Freeze(), nil
}

// SourceCheck sets how a device judges sources (RFC 3704, uRPF) on one interface or, Check.Interface "", on all.
// Other settings of the same interface and family go.
type SourceCheck struct {
	Device string
	Check  network.SourceCheck
}

func (e SourceCheck) on(n *network.Snapshot) (*network.Snapshot, error) {
	d, err := device(n, e.Device)
	if err != nil {
		return nil, err
	}
	x := n.Draft()
	x.SetChecks(e.Device, append(slices.DeleteFunc(d.Checks().Copy(), func(c network.SourceCheck) bool {
		return c.Interface == e.Check.Interface && (c.Family == e.Check.Family || e.Check.Family == 0)
	}), e.Check))
	return x.Freeze(), nil
}
