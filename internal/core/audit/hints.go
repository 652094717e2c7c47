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
	dists map[netip.Prefix]map[*network.Device]int
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

// hints are made when they are first asked for.
func (a *auditor) hints() *hints {
	if a.hinted == nil {
		a.hinted = newHints(a)
	}
	return a.hinted
}

func newHints(a *auditor) *hints {
	h := &hints{a: a, links: map[*network.Device][]link{}, known: map[hintKey]Repair{}, dists: map[netip.Prefix]map[*network.Device]int{}}
	topo := a.walker.Topology()
	for _, n := range topo.Networks() {
		if route.FamilyOf(n.Addr()) != a.fam {
			continue
		}
		at := topo.AttachedTo(n)
		for _, x := range at {
			for _, y := range at {
				if x.Device != y.Device && !x.Down && !y.Down && !topo.Anycast(x.Address) && !topo.Anycast(y.Address) {
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
	dist, ok := h.dists[net]
	if !ok {
		dist = h.distances(h.goals(net))
		h.dists[net] = dist
	}
	dst := net.Addr()
	if net.Bits() < net.Addr().BitLen() {
		dst = dst.Next()
	}
	if n, ok := dist[d]; ok && n == 0 { // it is there itself, in another table
		h.known[k] = r
		return r
	}
	var near []link // the neighbours that are the fewest links away
	best := 0
	for _, l := range h.links[d] {
		switch n, ok := dist[l.to]; {
		case !ok || l.table != table || len(near) > 0 && n > best:
		case len(near) > 0 && n == best:
			near = append(near, l)
		default:
			best, near = n, append(near[:0], l)
		}
	}
	for i, l := range near {
		if i == len(near)-1 || h.reaches(l.to, dst, d) {
			r.NextHop, r.Interface, r.Other = l.hop, l.ifname, l.to.Name
			break
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
