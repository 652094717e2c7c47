package casefile

import (
	"cmp"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// namedTwice adds the devices of which two tables use one name of an interface for networks with nothing in common:
// some devices name interfaces anew in each routing instance, and what a filter or a neighbour's entry says of the name
// is said of one of them. A route that one instance has of another shows the same network in both.
func (c *Case) namedTwice(second map[string]route.Mark) {
	found := map[string]route.Mark{}
	for name, in := range c.ports() {
		for i := range in {
			for k := range in[:i] {
				m, apart := nothingInCommon(in[k].networks, in[i].networks)
				if first := found[name.device]; apart && (!first.Known() || before(m, first)) {
					found[name.device] = m
				}
			}
		}
	}
	for d, m := range found {
		second[d] = cmp.Or(second[d], m)
	}
}

// portName is a name of an interface, and portNetworks what it attaches to in one table.
type portName struct {
	device, ifname string
	family         route.Family
}

type portNetworks struct {
	table    string
	networks map[netip.Prefix]route.Mark
}

// ports returns the interfaces of devices that have several tables, by their names, with the networks that they attach
// to by each table.
func (c *Case) ports() map[portName][]portNetworks {
	out := map[portName][]portNetworks{}
	add := func(name portName, table string, n netip.Prefix, m route.Mark) {
		if name.ifname == "" || n.IsSingleIP() || !n.Addr().IsGlobalUnicast() {
			return
		}
		i := slices.IndexFunc(out[name], func(x portNetworks) bool { return x.table == table })
		if i < 0 {
			i = len(out[name])
			out[name] = append(out[name], portNetworks{table, map[netip.Prefix]route.Mark{}})
		}
		out[name][i].networks[n] = m
	}
	several := c.severalTables()
	for _, f := range c.Files {
		for i := range f.Parts {
			p := &f.Parts[i]
			d := f.DeviceOf(p)
			if !several[d] {
				continue
			}
			for k := range p.Facts.Tables {
				t := &p.Facts.Tables[k]
				if t.Kind != network.Candidates { // a kernel has its names once
					continue
				}
				for r := range t.AttachedRoutes() {
					for _, h := range r.NextHops {
						add(portName{d, h.Interface, t.Family}, t.Name, r.Prefix, r.Mark)
					}
				}
			}
			for _, a := range p.Facts.Addresses {
				if a.Table != "" {
					add(portName{d, a.Interface, route.FamilyOf(a.Prefix.Addr())}, a.Table, a.Prefix.Masked(), a.Mark)
				}
			}
		}
	}
	return out
}

// severalTables tells of which devices more than one table, or the addresses of one, were captured.
func (c *Case) severalTables() map[string]bool {
	one, several := map[string]string{}, map[string]bool{}
	add := func(d, table string) {
		several[d] = several[d] || one[d] != "" && one[d] != table
		one[d] = table
	}
	for _, f := range c.Files {
		for i := range f.Parts {
			p := &f.Parts[i]
			d := f.DeviceOf(p)
			for k := range p.Facts.Tables {
				add(d, p.Facts.Tables[k].Name)
			}
			for _, a := range p.Facts.Addresses {
				if a.Table != "" {
					add(d, a.Table)
				}
			}
		}
	}
	return several
}

// nothingInCommon returns the first line of the second ones where no network is in both.
func nothingInCommon(a, b map[netip.Prefix]route.Mark) (route.Mark, bool) {
	first := route.Mark{}
	for p, m := range b {
		if _, both := a[p]; both {
			return route.Mark{}, false
		}
		if !first.Known() || before(m, first) {
			first = m
		}
	}
	return first, true
}

func before(a, b route.Mark) bool {
	return cmp.Or(cmp.Compare(a.File, b.File), cmp.Compare(a.Off, b.Off)) < 0
}
