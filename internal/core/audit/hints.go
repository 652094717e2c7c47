package audit

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// hints suggests where a missing route should lead: to the neighbour that is the fewest links from the network, and of
// those the one from which packets arrive now.
type hints struct {
	a     *auditor
	links map[*network.Device][]link
	known map[hintKey]Repair
}

type hintKey struct {
	device *network.Device
	table  string
	net    netip.Prefix
}

// link is a neighbour on a shared segment.
type link struct {
	to     *network.Device
	hop    netip.Addr
	ifname string
	table  string // of the interface
}

func newHints(a *auditor) *hints {
	h := &hints{a: a, links: map[*network.Device][]link{}, known: map[hintKey]Repair{}}
	topo := a.walker.Topology()
	for _, n := range topo.Networks() {
		if route.FamilyOf(n.Addr()) != a.fam {
			continue
		}
		at := topo.AttachedTo(n)
		for _, x := range at {
			for _, y := range at {
				if x.Device != y.Device && !x.Down && !y.Down {
					h.links[x.Device] = append(h.links[x.Device], link{y.Device, y.Address, x.Interface, x.Table})
				}
			}
		}
	}
	return h
}

// toward suggests a route in a table of d to a network: Other "" where no neighbour leads there.
func (h *hints) toward(d *network.Device, table string, net netip.Prefix) Repair {
	k := hintKey{d, table, net}
	if r, ok := h.known[k]; ok {
		return r
	}
	r := Repair{Kind: AddRoute, Device: d.Name, Prefix: net, Deduced: true}
	goals := h.goals(net)
	dist := h.distances(goals)
	dst := net.Addr()
	if net.Bits() < net.Addr().BitLen() {
		dst = dst.Next()
	}
	best, arrives := -1, false
	for _, l := range h.links[d] {
		n, ok := dist[l.to]
		if !ok || l.table != table || best >= 0 && n > best {
			continue
		}
		good := h.reaches(l.to, dst, d)
		if best < 0 || n < best || good && !arrives {
			best, arrives = n, good
			r.NextHop, r.Interface, r.Other = l.hop, l.ifname, l.to.Name
		}
	}
	h.known[k] = r
	return r
}

// goals are the devices on a network, or the one that has an address.
func (h *hints) goals(net netip.Prefix) []*network.Device {
	var out []*network.Device
	topo := h.a.walker.Topology()
	var at []topology.Attachment
	if at = topo.AttachedTo(net); len(at) == 0 {
		at = topo.Owners(net.Addr())
	}
	for _, x := range at {
		if !slices.Contains(out, x.Device) {
			out = append(out, x.Device)
		}
	}
	return out
}

func (h *hints) distances(from []*network.Device) map[*network.Device]int {
	dist := map[*network.Device]int{}
	for _, d := range from {
		dist[d] = 0
	}
	for todo := slices.Clone(from); len(todo) > 0; todo = todo[1:] {
		for _, l := range h.links[todo[0]] {
			if _, ok := dist[l.to]; !ok {
				dist[l.to] = dist[todo[0]] + 1
				todo = append(todo, l.to)
			}
		}
	}
	return dist
}

// reaches reports whether what d sends to dst arrives without going through not.
func (h *hints) reaches(d *network.Device, dst netip.Addr, not *network.Device) bool {
	out := h.a.walker.Onward(d, dst)
	if out.Verdict != forward.Arrives {
		return false
	}
	for _, b := range out.Branches {
		for _, hop := range b.Hops {
			if hop.Device == not.Name {
				return false
			}
		}
	}
	return true
}
