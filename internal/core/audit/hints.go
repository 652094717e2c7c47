package audit

import (
	"cmp"
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
	a          *auditor
	links      [][]link                 // of each device, in auditor.devices
	segments   [][]int32                // the devices on each
	segmentsOf [][]int32                // of each device
	dists      map[netip.Prefix][]int32 // of each device in links; far: no way
	near       []link                   // what nearest found last
}

// A hint is where a missing route should lead: the zero hint where no neighbour leads there.
type hint struct {
	hop    netip.Addr
	ifname string
	worth  Severity // of the networks that the route is for
	// the networks lie between devices: none that hosts need
	betweenDevices bool
}

// link is a neighbour on a shared segment.
type link struct {
	to     *network.Device
	index  int32 // of it, in auditor.devices
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

// newHints finds which devices are neighbours, so that a cure can name the next hop on the shortest way.
func newHints(a *auditor) *hints {
	h := &hints{
		a:          a,
		links:      make([][]link, len(a.devices)),
		segmentsOf: make([][]int32, len(a.devices)),
		dists:      map[netip.Prefix][]int32{},
	}
	topo := a.walker.Topology()
	for _, n := range topo.Networks() {
		if route.FamilyOf(n.Addr()) != a.fam {
			continue
		}
		at := slices.DeleteFunc(slices.Clone(topo.AttachedTo(n)), func(x topology.Attachment) bool {
			return x.Down || topo.Anycast(x.Address)
		})
		var segment []int32
		for _, x := range at {
			i := a.deviceIndex[x.Device]
			segment = append(segment, i)
			h.segmentsOf[i] = append(h.segmentsOf[i], int32(len(h.segments)))
			for _, y := range at {
				if x.Device != y.Device {
					h.links[i] = append(
						h.links[i],
						link{y.Device, a.deviceIndex[y.Device], y.Address, x.Interface, x.Table},
					)
				}
			}
		}
		h.segments = append(h.segments, segment)
	}
	return h
}

// toward suggests the neighbour to which a table of d should send packets to a network; false where none leads there.
// Of those that are equally far it is the first from which packets arrive without coming back through d, else the last.
func (h *hints) toward(d *network.Device, table string, net netip.Prefix) (link, bool) {
	near := h.nearest(d, table, net)
	if len(near) == 0 {
		return link{}, false
	}
	dst := net.Addr()
	if net.Bits() < net.Addr().BitLen() {
		dst = dst.Next()
	}
	last := len(near) - 1
	for _, l := range near[:last] {
		if h.reaches(l.to, dst, d) {
			return l, true
		}
	}
	return near[last], true
}

// nearest lists the neighbours of a table of d that are the fewest links from a network; none where d is there itself,
// in another table. The list holds until the next call.
func (h *hints) nearest(d *network.Device, table string, net netip.Prefix) []link {
	dist, me := h.distancesTo(net), h.a.deviceIndex[d]
	near := h.near[:0]
	if dist[me] == 0 {
		return near
	}
	best := int32(far)
	for _, l := range h.links[me] {
		n := dist[l.index]
		if n == far || n > best || l.table != table {
			continue
		}
		if n < best {
			best, near = n, near[:0]
		}
		near = append(near, l)
	}
	h.near = near
	return near
}

// leads reports whether any neighbour of a table of d leads to a network; not where d is there itself, in another table.
func (h *hints) leads(d *network.Device, table string, net netip.Prefix) bool {
	dist, me := h.distancesTo(net), h.a.deviceIndex[d]
	return dist[me] != 0 && slices.ContainsFunc(h.links[me], func(l link) bool {
		return dist[l.index] != far && l.table == table
	})
}

// neighbours reports whether anything could lead on from d.
func (h *hints) neighbours(d *network.Device) bool { return len(h.links[h.a.deviceIndex[d]]) > 0 }

// otherNextHop is the repair by another next hop, where a neighbour leads to any of the networks that are lost.
func (a *auditor) otherNextHop(g *byCause) []Repair {
	if g.cause.device == nil {
		return nil
	}
	for _, net := range a.lostNets(g) {
		if _, ok := a.hints().toward(g.cause.device, cmp.Or(g.cause.key.table, "default"), net); ok {
			return []Repair{{Kind: ChangeNextHop, Device: g.cause.device.Name}}
		}
	}
	return nil
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

// far is the distance of a device from which no way leads.
const far = 1 << 30

// distancesTo counts the links from every device to a network.
func (h *hints) distancesTo(net netip.Prefix) []int32 {
	dist, ok := h.dists[net]
	if !ok {
		dist = h.distances(h.goals(net))
		h.dists[net] = dist
	}
	return dist
}

// distances counts the links from every device to the nearest of some.
func (h *hints) distances(from []*network.Device) []int32 {
	dist := make([]int32, len(h.links))
	for i := range dist {
		dist[i] = far
	}
	var todo []int32
	for _, d := range from {
		i := h.a.deviceIndex[d]
		dist[i] = 0
		todo = append(todo, i)
	}
	met := make([]bool, len(h.segments))
	for ; len(todo) > 0; todo = todo[1:] {
		for _, s := range h.segmentsOf[todo[0]] {
			if met[s] {
				continue
			}
			met[s] = true
			for _, d := range h.segments[s] {
				if dist[d] == far {
					dist[d] = dist[todo[0]] + 1
					todo = append(todo, d)
				}
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
