package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// tellAreas takes the areas of all adjacencies from configurations, where they tell every one. Tables that show no
// kinds of paths are read by them: a path of a device that is in the prefix's area is within it, any other one is not
// (RFC 2328 section 11).
func (in *instance) tellAreas() {
	if in.protocol != route.OSPF || !in.areasOfArcs() {
		return
	}
	in.byArea = true
	in.areasAt = make([][]string, len(in.nodes))
	for n := range in.nodes {
		in.areasAt[n] = in.areasOf(n)
	}
	areas := map[string]bool{}
	for i := range in.arcs {
		areas[in.arcs[i].area] = true
	}
	in.areas, in.known = in.areas || len(areas) > 1, !in.altered()
	for p, list := range in.entries {
		area := in.areaOf(p)
		if area == "" {
			continue
		}
		for k, e := range list {
			if e.row.Subtype == "" && e.rank == 0 && !e.own && !in.within(e, area, map[int]bool{}) {
				list[k].rank = 1
				in.parted[p] = in.parted[p] || in.isIn(e.node, area)
			}
		}
	}
}

// areasOfArcs notes the area of each adjacency; false where one that is used has none, or another one at its other end.
func (in *instance) areasOfArcs() bool {
	for i := range in.arcs {
		a := &in.arcs[i]
		from := in.state(a.from, a.ifname)
		a.area = from.Area
		if !a.proven {
			continue
		}
		if a.to < 0 || from.Area == "" || in.state(a.to, a.peer).Area != from.Area {
			return false
		}
	}
	return true
}

// areaOf is the area in which a prefix is attached, "" where nobody or several attach to it, or outside of the
// protocol.
func (in *instance) areaOf(p netip.Prefix) string {
	area := ""
	for _, n := range in.holders[p] {
		for _, x := range in.nodes[n].table.RoutesTo(p) {
			if x.Protocol != route.Direct || !x.Is(route.Installed) || len(x.NextHops) != 1 {
				continue
			}
			here := in.state(n, x.NextHops[0].Interface)
			if !here.On || here.Area == "" || area != "" && area != here.Area {
				return ""
			}
			area = here.Area
		}
	}
	return area
}

// within reports whether a path is one within an area: it stays there to its end. A device of the area whose part of it
// is cut off goes over the backbone (RFC 2328 section 3.7).
func (in *instance) within(e entry, area string, seen map[int]bool) bool {
	if seen[e.node] {
		return true
	}
	seen[e.node] = true
	if !in.isIn(e.node, area) {
		return false
	}
	for _, i := range e.arcs {
		if in.arcs[i].area != area {
			return false
		}
		if far, ok := in.entryOf(e.row.Prefix, in.arcs[i].to); ok && !far.own && !in.within(far, area, seen) {
			return false
		}
	}
	return true
}

// isIn reports whether a node has an interface in an area.
func (in *instance) isIn(n int, area string) bool {
	return slices.Contains(in.areasAt[n], area)
}

// areasOf lists the areas of a node's interfaces.
func (in *instance) areasOf(n int) (areas []string) {
	for _, name := range in.topo.Interfaces(in.nodes[n].device) {
		if s := in.state(n, name); s.On && !slices.Contains(areas, s.Area) {
			areas = append(areas, s.Area)
		}
	}
	return areas
}
