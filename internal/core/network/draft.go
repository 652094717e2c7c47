package network

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// A Draft collects changes to a snapshot and freezes them into another one, the overlay. What is not changed is
// shared: devices, tables and their indexes. A Draft states facts and judges nothing: which of several routes a
// device would choose is for package change. A Draft is not safe for concurrent use; the snapshots are.
type Draft struct {
	base    *Snapshot
	hosts   []Host
	devices map[string]*Device // changed; nil: gone
	routes  map[tableKey]map[netip.Prefix][]route.Route
	own     map[string]bool // devices whose own addresses must be found anew
}

type tableKey struct {
	device, table string
	family        route.Family
}

// Draft returns a draft that says what n says.
func (n *Snapshot) Draft() *Draft {
	return &Draft{
		base:    n,
		hosts:   n.hosts,
		devices: map[string]*Device{},
		routes:  map[tableKey]map[netip.Prefix][]route.Route{},
		own:     map[string]bool{},
	}
}

// device returns a device to change, nil where there is none.
func (x *Draft) device(name string) *Device {
	if d, ok := x.devices[name]; ok {
		return d
	}
	d := x.base.Device(name)
	if d == nil {
		return nil
	}
	c := *d
	x.devices[name] = &c
	return &c
}

// Remove takes a device out.
func (x *Draft) Remove(device string) { x.devices[device] = nil }

// SetHosts replaces the hosts.
func (x *Draft) SetHosts(hosts []Host) { x.hosts = slices.Clone(hosts) }

// SetRoutes replaces all routes of a device's table for one prefix by others, each with the state that it is to have;
// none takes the prefix out. It reports whether there is such a table.
func (x *Draft) SetRoutes(device, table string, prefix netip.Prefix, routes []route.Route) bool {
	d := x.device(device)
	k := tableKey{device, table, route.FamilyOf(prefix.Addr())}
	if d == nil || d.Table(table, k.family) == nil {
		return false
	}
	if x.routes[k] == nil {
		x.routes[k] = map[netip.Prefix][]route.Route{}
	}
	prefix = prefix.Masked()
	x.routes[k][prefix] = slices.Clone(routes)
	for i := range x.routes[k][prefix] {
		x.routes[k][prefix][i].Prefix = prefix
	}
	return true
}

// Routes returns what the draft has for a prefix in a device's table.
func (x *Draft) Routes(device, table string, prefix netip.Prefix) []route.Route {
	prefix = prefix.Masked()
	if r, ok := x.routes[tableKey{device, table, route.FamilyOf(prefix.Addr())}][prefix]; ok {
		return slices.Clone(r)
	}
	d := x.base.Device(device)
	if d == nil {
		return nil
	}
	t := d.Table(table, route.FamilyOf(prefix.Addr()))
	if t == nil {
		return nil
	}
	var out []route.Route
	if g, ok := t.Exact(prefix); ok {
		for _, r := range t.Members(g) {
			out = append(out, r)
		}
	}
	return out
}

// SetInterface replaces what is known of the interface of that name, or adds it.
func (x *Draft) SetInterface(device string, i Interface) {
	d := x.device(device)
	at, ok := d.interfaceAt[i.Name]
	if !ok {
		d.setInterfaces(append(slices.Clone(d.interfaces), i))
		return
	}
	d.interfaces = slices.Clone(d.interfaces)
	d.interfaces[at] = i
}

// SetAddresses replaces the addresses that captures list as the device's own. Those that its local routes show stay.
func (x *Draft) SetAddresses(device string, own []Address) {
	x.device(device).told, x.own[device] = slices.Clone(own), true
}

// SetIdle replaces the addresses that come with an interface once it is up.
func (x *Draft) SetIdle(device string, idle []Address) { x.device(device).idle = slices.Clone(idle) }

// Listed returns the addresses that captures list as the device's own, without those that only its local routes show.
func (x *Draft) Listed(device string) []Address { return slices.Clone(x.device(device).told) }

// SetNeighbours replaces the device's ARP and ND entries.
func (x *Draft) SetNeighbours(device string, entries []Neighbour) {
	x.device(device).setNeighbours(slices.Clone(entries))
}

// SetVirtuals replaces the virtual addresses that the device shares, each of which it has once an interface.
func (x *Draft) SetVirtuals(device string, shared []VirtualAddress) {
	x.device(device).setVirtuals(slices.Clone(shared))
}

// SetSwitch replaces the device's forwarding switch of a family.
func (x *Draft) SetSwitch(device string, s Switch) {
	d := x.device(device)
	d.switches = append(
		[]Switch{s},
		slices.DeleteFunc(slices.Clone(d.switches),
			func(o Switch) bool { return o.Family == s.Family && o.Interface == s.Interface })...)
}

// SetChecks replaces the device's source checks.
func (x *Draft) SetChecks(device string, checks []SourceCheck) {
	x.device(device).checks = slices.Clone(checks)
}

// SetRules replaces the device's policy rules.
func (x *Draft) SetRules(device string, rules []Rule) { x.device(device).setRules(rules) }

// SetStatics replaces the device's configured static routes.
func (x *Draft) SetStatics(device string, statics []Static) {
	x.device(device).setStatics(slices.Clone(statics))
}

// SetPolicy replaces what decides on the device beside routes.
func (x *Draft) SetPolicy(device string, p Policy) {
	d := x.device(device)
	d.policy = Policy{
		Flows:        slices.Clone(p.Flows),
		Translations: slices.Clone(p.Translations),
		Tunnels:      mergeTunnels(p.Tunnels),
		Stateful:     p.Stateful,
		StatefulOf:   p.StatefulOf,
		AllOfEqual:   p.AllOfEqual,
		AllRules4:    p.AllRules4,
		AllRules6:    p.AllRules6,
		SetsMarks:    p.SetsMarks,
	}
	d.indexRules()
}

// Freeze returns the snapshot that the draft says. The draft may be changed further and frozen again.
func (x *Draft) Freeze() *Snapshot {
	n := &Snapshot{hosts: x.hosts, numbers: x.base.numbers, numbered: slices.Clone(x.base.numbered),
		oneArea: x.base.oneArea}
	changed := map[string]*Device{}
	for name, d := range x.devices {
		if d != nil {
			c := *d
			changed[name] = &c
		}
	}
	for k, rows := range x.routes {
		d := changed[k.device]
		if d == nil {
			continue
		}
		at := slices.IndexFunc(d.tables, func(t *Table) bool { return t.Name == k.table && t.Family == k.family })
		own := x.own[k.device]
		for q, now := range rows {
			own = own || showsOwn(now)
			if g, ok := d.tables[at].Exact(q); ok {
				for _, r := range d.tables[at].Members(g) {
					own = own || showsOwn([]route.Route{r})
				}
			}
		}
		all := make(map[netip.Prefix][]route.Route, len(rows))
		for q, now := range rows {
			all[q] = now
		}
		d.tables = slices.Clone(d.tables)
		d.tables[at] = d.tables[at].overlay(all)
		if own {
			d.findOwn()
		}
	}
	for name := range x.own {
		if d := changed[name]; d != nil {
			d.findOwn()
		}
	}
	gone := false
	for name, d := range x.devices {
		if i, ok := n.numbers[name]; ok {
			n.numbered[i], gone = changed[name], gone || d == nil
		}
	}
	if n.devices = n.numbered; gone || len(x.base.devices) < len(n.numbered) {
		n.devices = slices.DeleteFunc(slices.Clone(n.numbered), func(d *Device) bool { return d == nil })
	}
	return n
}

// showsOwn reports whether any of the routes may be evidence of an own address.
func showsOwn(routes []route.Route) bool {
	return slices.ContainsFunc(routes, func(r route.Route) bool {
		return r.Prefix.IsSingleIP() &&
			(r.Special == route.Receive || r.Protocol == route.Local || r.Protocol == route.Direct)
	})
}
