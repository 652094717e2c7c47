package settle

import (
	"cmp"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// configured takes in what configurations say of the protocol on interfaces: costs, areas, and where it speaks at all.
func (in *instance) configured() {
	for i := range in.arcs {
		a := &in.arcs[i]
		from := in.state(a.from, a.ifname)
		if from.Cost.Known {
			a.cost, a.fixed, a.listed, a.marks = from.Cost, true, from.Listed, from.Marks
		}
		if in.byVectors() && from.Known { // RFC 2453 section 3.9.2: usually 1, and nothing tells otherwise
			a.cost, a.fixed, a.marks = route.N(1), true, from.Marks
		}
		if a.to < 0 || a.proven {
			continue
		}
		to := in.state(a.to, a.peer)
		a.proven = from.Known && to.Known && from.On && to.On && !from.Passive && !to.Passive && from.Area == to.Area
		a.silent = from.Known && (!from.On || from.Passive) || to.Known && (!to.On || to.Passive)
	}
	in.paths, in.hasty = make([]uint64, len(in.nodes)), make([]bool, len(in.nodes))
	for n, x := range in.nodes {
		for _, p := range x.device.Protocols().All() {
			here := p.Protocol == in.protocol && (p.Family == 0 || p.Family == in.family)
			if here && p.Paths > 0 && (in.paths[n] == 0 || p.Paths < in.paths[n]) {
				in.paths[n] = p.Paths
			}
			in.hasty[n] = in.hasty[n] || here && p.Hasty
		}
	}
	in.known = in.byVectors() || in.shown() || in.noted()
	in.known = in.known && !in.altered()
}

// altered reports whether a configuration alters what the protocol makes of its routes in a way that is not told.
func (in *instance) altered() bool {
	return slices.ContainsFunc(in.nodes, func(x node) bool {
		return x.device.Protocols().Any(func(p network.ProtocolInterface) bool {
			return p.Other && p.Protocol == in.protocol && (p.Family == 0 || p.Family == in.family)
		})
	})
}

func (in *instance) state(n int, ifname string) network.ProtocolState {
	return in.nodes[n].device.Runs(in.protocol, in.family, ifname)
}

// shown reports whether nothing that decides between kinds of paths is hidden: each table shows them, or the
// configuration of its device tells the area, which is one for all of those.
func (in *instance) shown() bool {
	area := ""
	for _, x := range in.nodes {
		here, several := in.area(x.device)
		switch {
		case several, here != "" && area != "" && here != area:
			return in.typed(func(node) bool { return true })
		case here != "":
			area = here
		}
	}
	if in.protocol != route.OSPF {
		area = ""
	}
	return in.typed(func(x node) bool {
		here, _ := in.area(x.device)
		return here == ""
	}) && (area == "" || !in.areas)
}

// noted reports whether it is noted that there is one area, and nothing that was captured tells of several.
func (in *instance) noted() bool {
	_, one := in.topo.Network.OneArea(in.protocol)
	area := ""
	return one && !in.areas && !slices.ContainsFunc(in.nodes, func(x node) bool {
		here, several := in.area(x.device)
		several = several || here != "" && area != "" && here != area
		area = cmp.Or(here, area)
		return several
	})
}

// area is the OSPF area that a device's configuration tells, "" for none; several tells that there are more.
func (in *instance) area(d *network.Device) (area string, several bool) {
	for _, p := range d.Protocols().All() {
		if p.Protocol != in.protocol || p.Family != 0 && p.Family != in.family || p.Area == "" {
			continue
		}
		several = several || area != "" && p.Area != area
		area = p.Area
	}
	return area, several
}

// typed reports whether the tables of some nodes show the kinds of paths.
func (in *instance) typed(of func(node) bool) bool {
	return !slices.ContainsFunc(in.nodes, func(x node) bool {
		if !of(x) || x.table.PathTypes || !speaks(x.table, func(p route.Protocol) bool { return p == in.protocol }) {
			return false
		}
		for id := range x.table.Routes().Shared() {
			if a := x.table.Routes().Attributes(route.AttrID(id)); a.Protocol == in.protocol && a.Subtype != "" {
				return false
			}
		}
		return true
	})
}

// tellKinds finds out which prefixes come from outside of the protocol, where tables do not show it: the device at
// which the next hops end has the prefix by another source than its own interface, or a metric does not grow along the
// way (RFC 2328 section 16.4: type 2 is not added to).
func (in *instance) tellKinds() {
	if in.protocol != route.OSPF {
		return
	}
	for p, list := range in.entries {
		if !slices.ContainsFunc(list, func(e entry) bool { return e.row.Subtype == "" }) || in.pathTypesAt(list) ||
			in.areaOf(p) != "" { // attached where the protocol runs
			continue
		}
		if slices.ContainsFunc(list, func(e entry) bool { return e.own }) { // so do tables tell of it
			in.hidden = in.hidden || in.flat(list)
			continue
		}
		constant := in.flat(list)
		if !constant && !in.fromOutside(p) {
			continue
		}
		kind := 2
		if constant || oneMetric(list) {
			kind = 3
		}
		for i := range list {
			if list[i].rank == 0 && !list[i].own {
				list[i].rank = kind
			}
		}
	}
}

// pathTypesAt reports whether the tables of all entries show kinds of paths.
func (in *instance) pathTypesAt(list []entry) bool {
	return !slices.ContainsFunc(list, func(e entry) bool { return !in.nodes[e.node].table.PathTypes })
}

// flat reports whether a metric is the same at a node and at its next hop.
func (in *instance) flat(list []entry) bool {
	for _, e := range list {
		for _, i := range e.arcs {
			for _, f := range list {
				if f.node == in.arcs[i].to && e.metric.Known && e.metric == f.metric && !f.own {
					return true
				}
			}
		}
	}
	return false
}

// fromOutside reports whether a device at which the next hops end has the prefix otherwise than by an interface.
func (in *instance) fromOutside(p netip.Prefix) bool {
	return slices.ContainsFunc(in.chainEnds(p), func(n int) bool {
		return slices.ContainsFunc(in.nodes[n].table.RoutesTo(p), func(x route.Route) bool {
			if x.Protocol == route.Direct && len(x.NextHops) == 1 {
				s := in.state(n, x.NextHops[0].Interface)
				return x.Is(route.Installed) && s.Known && !s.On
			}
			return x.Is(route.Installed) && x.Protocol != route.Direct && x.Protocol != route.Local
		})
	})
}
