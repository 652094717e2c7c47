package chart

import (
	"cmp"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// maxBeyond is how many networks behind one neighbour are named; the rest is counted by len(Networks).
const maxBeyond = 100_000

// pointed is a next hop that no captured device has.
type pointed struct {
	device  *network.Device
	ifname  string
	address netip.Addr
	learned bool
	far     map[int][]netip.Prefix // networks behind it by distance
	def     bool
}

// neighbours adds everything that a route points at and that no captured device has, with what lies behind.
func (b *builder) neighbours() {
	for _, d := range b.topo.Network.Devices().All() {
		var list []*pointed
		for _, t := range d.Tables().All() {
			if b.fam == 0 || t.Family == b.fam {
				list = b.pointedAt(d, t, list)
			}
		}
		b.join(d, list)
	}
}

// pointedAt collects the next hops of a table's routes that lead out of the case.
func (b *builder) pointedAt(d *network.Device, t *network.Table, list []*pointed) []*pointed {
	known := map[netip.Addr]*pointed{}
	out := map[route.AttrID][]*pointed{}
	seen := map[route.AttrID]bool{}
	for _, p := range list {
		known[p.address] = p
	}
	for i := range t.Routes().Len() {
		id, state := t.Routes().Used(i)
		if state&route.Installed == 0 {
			continue
		}
		if !seen[id] {
			seen[id] = true
			a := t.Routes().Attributes(id)
			for _, h := range a.Forwarding() {
				if a.Special != route.None || !h.Address.IsValid() || h.Interface == "" {
					continue
				}
				link := b.topo.Find(d, h.Interface, h.Address, a.Protocol.Dynamic())
				if link.Device != nil || link.Answer == topology.Elsewhere {
					continue
				}
				p := known[h.Address]
				if p == nil {
					p = &pointed{device: d, ifname: h.Interface, address: h.Address, far: map[int][]netip.Prefix{}}
					known[h.Address] = p
					list = append(list, p)
				}
				p.learned = p.learned || a.Protocol.Dynamic() || link.Answer == topology.Host
				out[id] = append(out[id], p)
			}
		}
		for _, p := range out[id] {
			b.behind(p, t.Routes().At(i))
		}
	}
	return list
}

// behind notes that the network of a route lies behind a neighbour. RIP's metric counts hops (RFC 2453 section 3.4),
// the neighbour being the first; no other protocol's does.
func (b *builder) behind(p *pointed, r route.Route) {
	net := r.Prefix
	if net.Bits() == 0 {
		p.def = true
		return
	}
	if len(b.topo.AttachedTo(net)) > 0 || net.Addr().IsLinkLocalUnicast() || net.Addr().IsMulticast() {
		return // it is on the map already
	}
	hops := 0
	if (r.Protocol == route.RIP || r.Protocol == route.RIPng) && r.Metric.Known {
		hops = int(min(r.Metric.Value, 16))
	}
	if len(p.far[hops]) < maxBeyond && !slices.Contains(p.far[hops][max(len(p.far[hops])-1, 0):], net) {
		p.far[hops] = append(p.far[hops], net)
	}
}

// join adds nodes for a device's neighbours. A neighbour of either family on one interface is one, where there is
// just one of each.
func (b *builder) join(d *network.Device, list []*pointed) {
	slices.SortStableFunc(list, func(x, y *pointed) int {
		return cmp.Or(network.CompareNames(x.ifname, y.ifname), x.address.Compare(y.address))
	})
	for len(list) > 0 {
		n := 1
		for n < len(list) && list[n].ifname == list[0].ifname {
			n++
		}
		here := list[:n]
		list = list[n:]
		if n == 2 && here[0].address.Is4() != here[1].address.Is4() {
			b.neighbour(d, here)
			continue
		}
		for i := range here {
			b.neighbour(d, here[i:i+1])
		}
	}
}

// neighbour adds one node, its edge, and what lies beyond.
func (b *builder) neighbour(d *network.Device, same []*pointed) {
	k := len(b.chart.Nodes)
	node := Node{Kind: Neighbour}
	from, ok := b.atSeg[port{d, same[0].ifname}]
	if !ok {
		from = b.device[d]
	} else if i := b.known(same[0].address, from); i >= 0 {
		return // another device on the segment points at it too
	}
	e := Edge{A: from, B: k, Deduced: true}
	distances := map[int][]netip.Prefix{}
	def := false
	for _, p := range same {
		node.Address = append(node.Address, p.address)
		node.Learned = node.Learned || p.learned
		net := b.unstub(d, p, from)
		x := EdgeNet{Prefix: net, B: p.address}
		if from == b.device[d] {
			x.A, x.AName = b.topo.AddressOn(d, p.ifname, p.address), p.ifname
		}
		e.Nets = append(e.Nets, x)
		def = def || p.def
		for hops, far := range p.far {
			distances[hops] = append(distances[hops], far...)
		}
	}
	b.chart.Nodes = append(b.chart.Nodes, node)
	b.chart.Edges = append(b.chart.Edges, e)
	hops := []int{}
	for h := range distances {
		hops = append(hops, h)
	}
	slices.Sort(hops)
	if def && !slices.Contains(hops, 0) {
		hops = append(hops, 0)
	}
	prev := k
	for _, h := range hops {
		far := distances[h]
		slices.SortFunc(far, order)
		n := len(b.chart.Nodes)
		b.chart.Nodes = append(
			b.chart.Nodes,
			Node{Kind: Beyond, Networks: slices.Compact(far), Distance: h, Default: def && h == 0},
		)
		if h == 0 {
			b.chart.Edges = append(b.chart.Edges, Edge{A: k, B: n, Deduced: true})
			continue
		}
		b.chart.Edges = append(b.chart.Edges, Edge{A: prev, B: n, Deduced: true})
		prev = n // those of more hops are behind those of fewer
	}
}

// known returns the neighbour with an address on a segment, -1 for none.
func (b *builder) known(a netip.Addr, segment int) int {
	for _, e := range b.chart.Edges {
		if e.A == segment && b.chart.Nodes[e.B].Kind == Neighbour && slices.Contains(b.chart.Nodes[e.B].Address, a) {
			return e.B
		}
	}
	return -1
}

// unstub takes the network of a neighbour out of the device's own networks, unless hosts are on it too: it is a link
// now.
func (b *builder) unstub(d *network.Device, p *pointed, from int) netip.Prefix {
	n := &b.chart.Nodes[b.device[d]]
	for i, s := range n.Stubs {
		if s.Interface != p.ifname || !s.Prefix.Contains(p.address) {
			continue
		}
		if len(s.Hosts) == 0 && s.Prefix.Addr().BitLen()-s.Prefix.Bits() <= 3 && from == b.device[d] {
			n.Stubs = slices.Delete(n.Stubs, i, i+1)
		}
		return s.Prefix
	}
	return netip.Prefix{}
}
