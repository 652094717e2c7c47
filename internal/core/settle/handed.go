package settle

import (
	"maps"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// handing is a node that announces in its protocol what it has by another one.
type handing struct {
	node int
	by   route.Protocol
}

// mostLooked bounds how many prefixes are looked at for the metrics with which nodes hand over.
const mostLooked = 512

// toldWith is the external metric of type 2 (RFC 2328 section 2.3) with which a node announces what it has by another
// protocol, where all captured paths that are its own show one.
func (in *instance) toldWith(n int, by route.Protocol) route.Number {
	in.handed.once.Do(in.original().findHanded)
	seen := in.handed.metrics[handing{n, by}]
	for _, o := range in.nodes[n].device.Redistributed().All() {
		if o.Protocol != in.protocol || o.Source != by || o.Family != 0 && o.Family != in.family {
			continue
		}
		if !seen.Known {
			return o.Metric
		}
		if o.Metric.Known && o.Metric != seen {
			return route.Number{}
		}
	}
	return seen
}

// findHanded looks at prefixes that are external for paths of which it is certain who announces them.
func (in *instance) findHanded() {
	seen := map[handing]route.Number{}
	several := map[handing]bool{}
	to := map[int][]uint64{} // distances to those that hand over
	looked := 0
	for _, p := range in.sorted {
		list := in.entries[p]
		if p.Bits() == 0 || !slices.ContainsFunc(list, func(e entry) bool { return e.rank == 3 && e.metric.Known }) {
			continue // a default is announced by a statement of its own, with another metric
		}
		if looked++; looked > mostLooked {
			break
		}
		who, all := in.handers(p)
		for _, e := range list {
			if !all || e.rank != 3 || !e.metric.Known {
				continue
			}
			if h, ok := in.handerOf(e, who, to); ok {
				several[h] = several[h] || seen[h].Known && seen[h] != e.metric
				seen[h] = e.metric
			}
		}
	}
	maps.DeleteFunc(seen, func(h handing, _ route.Number) bool { return several[h] })
	in.handed.metrics = seen
}

// handers are those that hand over a prefix, as configurations tell; all is false where somebody announces it of whom
// none tells that.
func (in *instance) handers(p netip.Prefix) (who []handing, all bool) {
	for _, n := range in.holders[p] {
		for _, x := range in.nodes[n].table.RoutesTo(p) {
			if x.Is(route.Installed) && x.Protocol != in.protocol && in.handsOver(n, x.Protocol) {
				who = append(who, handing{n, x.Protocol})
				break
			}
		}
	}
	return who, !slices.ContainsFunc(in.chainEnds(p), func(n int) bool {
		return !slices.ContainsFunc(who, func(h handing) bool { return h.node == n })
	})
}

// handerOf is whose announcement an entry's path follows: of those that are there the only one, or the only one that
// any of its first adjacencies is on a shortest way to.
func (in *instance) handerOf(e entry, who []handing, to map[int][]uint64) (out handing, ok bool) {
	who = slices.DeleteFunc(slices.Clone(who), func(h handing) bool { return h.node == e.node })
	switch {
	case len(e.arcs) == 0, slices.ContainsFunc(e.arcs, func(i int) bool { return in.arcs[i].to < 0 }):
		return out, false
	case len(who) == 1:
		return who[0], true
	case !in.measured():
		return out, false
	}
	for _, h := range who {
		dist := to[h.node]
		if dist == nil {
			dist = in.distances(map[int]uint64{h.node: 0}, func(i int, far uint64) uint64 {
				if in.arcs[i].silent {
					return endless
				}
				return plus(in.arcs[i].cost.Value, far)
			})
			to[h.node] = dist
		}
		leads := slices.ContainsFunc(e.arcs, func(i int) bool {
			return plus(in.arcs[i].cost.Value, dist[in.arcs[i].to]) == dist[e.node]
		})
		if leads && ok {
			return out, false
		}
		if leads {
			out, ok = h, true
		}
	}
	return out, ok
}

// measured reports whether all adjacencies are known with what they cost.
func (in *instance) measured() bool {
	return !slices.ContainsFunc(in.arcs,
		func(a arc) bool { return !a.silent && (a.to < 0 || !a.proven || !a.cost.Known) })
}

// handsOver reports whether a node announces in its protocol what it has by another source, all of it (RFC 2328 section
// 2.3).
func (in *instance) handsOver(n int, by route.Protocol) bool {
	return in.nodes[n].device.Redistributed().Any(func(o network.Redistribution) bool {
		return o.Protocol == in.protocol && o.Source == by && !o.Filtered && (o.Family == 0 || o.Family == in.family)
	})
}

// keepsTo reports whether a node does not announce what it has of a prefix, as its configuration tells: the protocol
// does not run on the interface, and takes nothing from that source.
func (r *run) keepsTo(in *instance, n int, p netip.Prefix) bool {
	d := in.nodes[n].device
	if !d.Configures(in.protocol) || d.LacksLines() || p.Bits() == 0 {
		return false
	}
	now := r.now.Numbered(d.Number())
	for _, x := range now.Table(in.nodes[n].table.Name, in.family).RoutesTo(p) {
		if !x.Is(route.Installed) && !x.Is(route.Untold) || x.Protocol == in.protocol {
			continue
		}
		if d.Redistributed().Any(func(o network.Redistribution) bool {
			return o.Protocol == in.protocol && (o.Source == x.Protocol || o.Source == 0) &&
				(o.Family == 0 || o.Family == in.family)
		}) {
			return false
		}
		switch x.Protocol {
		case route.Static, route.BGP:
		case route.Direct:
			if len(x.NextHops) != 1 {
				return false
			}
			if s := in.state(n, x.NextHops[0].Interface); !s.Known || s.On {
				return false
			}
		default: // what a table calls it may not be what a configuration does
			return false
		}
	}
	return true
}

// told is the external metric with which a node announces a prefix that it has, or may have, by another protocol. A
// route that leads into a network in which the protocol runs may be announced with an address of its own to forward to
// (RFC 2328 section 16.4), to which the way is another one.
func (r *run) told(in *instance, n int, p netip.Prefix) route.Number {
	x, ok := r.handedFrom(in, n, p)
	inside := func(h route.NextHop) bool { return h.Interface != "" && in.state(n, h.Interface).On }
	if !ok || slices.ContainsFunc(x.NextHops, inside) {
		return route.Number{}
	}
	return in.toldWith(n, x.Protocol)
}

// mayAnnounce is a node of which it cannot be told whether it announces a prefix, nor with what metric.
func (r *run) mayAnnounce(in *instance, n int, p netip.Prefix) origin {
	_, external := r.handedFrom(in, n, p)
	return origin{node: n, most: endless, told: r.told(in, n, p), external: external}
}

// handedFrom is the route that a node has of a prefix by another protocol, or may have, and announces, as its
// configuration tells.
func (r *run) handedFrom(in *instance, n int, p netip.Prefix) (found route.Route, ok bool) {
	now := r.now.Numbered(in.nodes[n].device.Number())
	if now == nil || in.nodes[n].device.Redistributed().Len() == 0 {
		return found, false
	}
	for _, x := range now.Table(in.nodes[n].table.Name, in.family).RoutesTo(p) {
		if x.Protocol != in.protocol && (x.Is(route.Installed) || x.Is(route.Untold)) && in.handsOver(n, x.Protocol) {
			return x, true
		}
	}
	return found, false
}
