// Package chart is the network as a drawing needs it: devices, the links and segments between them, the networks that
// hang on one device only, neighbours that are pointed at and were not captured, and what lies beyond those. It exists
// so that a map can tell what is known from what was concluded.
//
// It places nothing and follows no packet.
package chart

import (
	"cmp"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// NodeKind says what a node stands for.
type NodeKind uint8

const (
	Device    NodeKind = iota
	Segment            // a network that more than two share
	Neighbour          // a next hop that no captured device has
	Beyond             // networks behind a neighbour
)

// A Node is one thing on the map.
type Node struct {
	Kind     NodeKind
	Device   *network.Device // Device
	Networks []netip.Prefix  // Segment: its networks; Beyond: those behind the neighbour
	Stubs    []Stub          // Device: networks that hang on it alone; Segment: the hosts on it
	Address  []netip.Addr    // Neighbour: what it is pointed at by
	Learned  bool            // Neighbour: it announced routes itself, or answered, so that it is there
	Distance int             // Beyond: hops behind the neighbour; 0 where no metric tells
	Default  bool            // Beyond: everything else too, by a default route
}

// A Stub is a network at one device.
type Stub struct {
	Prefix    netip.Prefix
	Interface string
	Address   netip.Addr // the device's own; invalid where no capture shows it
	Down      bool
	Hosts     []network.Host
}

// An Edge joins two nodes.
type Edge struct {
	A, B    int // in Chart.Nodes
	Nets    []EdgeNet
	Deduced bool // an end was concluded, not read
	Down    bool // an interface on it is down
}

// An EdgeNet is one network of an edge with the address at each end; invalid where none is known.
type EdgeNet struct {
	Prefix       netip.Prefix
	A, B         netip.Addr
	AName, BName string // interfaces
}

// A Chart is all of it, in the order of the case.
type Chart struct {
	Nodes []Node
	Edges []Edge
}

// builder makes a chart.
type builder struct {
	topo   *topology.Topology
	fam    route.Family
	chart  Chart
	device map[*network.Device]int
	placed map[netip.Addr]bool // hosts
	atSeg  map[port]int        // segments and edges by interface: the node of a segment
}

type port struct {
	device *network.Device
	ifname string
}

// Make draws up the chart of a network: of one family, or of both for 0.
func Make(t *topology.Topology, fam route.Family) *Chart {
	b := &builder{
		topo:   t,
		fam:    fam,
		device: map[*network.Device]int{},
		placed: map[netip.Addr]bool{},
		atSeg:  map[port]int{},
	}
	for _, d := range t.Network.Devices().All() {
		b.device[d] = len(b.chart.Nodes)
		b.chart.Nodes = append(b.chart.Nodes, Node{Kind: Device, Device: d})
	}
	for _, s := range t.Segments() {
		b.segment(s)
	}
	b.neighbours()
	return &b.chart
}

func (b *builder) wanted(p netip.Prefix) bool {
	return p.IsValid() && !p.IsSingleIP() && !p.Addr().IsLinkLocalUnicast() && !p.Addr().IsLoopback() &&
		(b.fam == 0 || route.FamilyOf(p.Addr()) == b.fam)
}

// segment adds one segment: a stub of its only device, an edge between two, or a node that more share.
func (b *builder) segment(all []topology.Attachment) {
	var at []topology.Attachment
	var devices []*network.Device
	var nets []netip.Prefix
	for _, x := range all {
		if !b.wanted(x.Prefix) {
			continue
		}
		at = append(at, x)
		if !slices.Contains(devices, x.Device) {
			devices = append(devices, x.Device)
		}
		if !slices.Contains(nets, x.Prefix) {
			nets = append(nets, x.Prefix)
		}
	}
	if len(at) == 0 {
		return
	}
	slices.SortFunc(nets, netip.Prefix.Compare)
	switch len(devices) {
	case 1:
		n := &b.chart.Nodes[b.device[devices[0]]]
		for _, p := range nets {
			s := Stub{Prefix: p, Hosts: b.hosts(p)}
			for _, x := range at {
				if x.Prefix == p {
					s.Interface, s.Down = x.Interface, x.Down
					s.Address = b.own(s.Address, x.Address)
				}
			}
			n.Stubs = append(n.Stubs, s)
		}
	case 2:
		b.chart.Edges = append(b.chart.Edges, b.edge(devices, at, nets))
	default:
		b.shared(devices, at, nets)
	}
}

// own keeps the first address that is a device's own and not one that all routers of a network share.
func (b *builder) own(have, next netip.Addr) netip.Addr {
	if have.IsValid() || b.topo.Anycast(next) {
		return have
	}
	return next
}

// edge joins two devices.
func (b *builder) edge(devices []*network.Device, at []topology.Attachment, nets []netip.Prefix) Edge {
	e := Edge{A: b.device[devices[0]], B: b.device[devices[1]]}
	for _, p := range nets {
		n := EdgeNet{Prefix: p}
		for _, x := range at {
			if x.Prefix != p {
				continue
			}
			e.Down = e.Down || x.Down
			if x.Device == devices[0] {
				n.A, n.AName = b.own(n.A, x.Address), x.Interface
			} else {
				n.B, n.BName = b.own(n.B, x.Address), x.Interface
			}
		}
		e.Deduced = e.Deduced || !n.A.IsValid() || !n.B.IsValid()
		e.Nets = append(e.Nets, n)
	}
	return e
}

// shared adds a node for a segment and joins everybody on it.
func (b *builder) shared(devices []*network.Device, at []topology.Attachment, nets []netip.Prefix) int {
	k := len(b.chart.Nodes)
	n := Node{Kind: Segment, Networks: nets}
	for _, p := range nets {
		if h := b.hosts(p); len(h) > 0 {
			n.Stubs = append(n.Stubs, Stub{Prefix: p, Hosts: h})
		}
	}
	b.chart.Nodes = append(b.chart.Nodes, n)
	for _, d := range devices {
		e := Edge{A: b.device[d], B: k}
		for _, p := range nets {
			for _, x := range at {
				if x.Device == d && x.Prefix == p && !b.topo.Anycast(x.Address) {
					e.Nets = append(e.Nets, EdgeNet{Prefix: p, A: x.Address, AName: x.Interface})
					e.Down, e.Deduced = e.Down || x.Down, e.Deduced || !x.Address.IsValid()
					b.atSeg[port{d, x.Interface}] = k
				}
			}
		}
		b.chart.Edges = append(b.chart.Edges, e)
	}
	return k
}

// hosts returns the notes' hosts in a network, each once.
func (b *builder) hosts(p netip.Prefix) []network.Host {
	var out []network.Host
	for _, h := range b.topo.Network.Hosts().All() {
		if p.Contains(h.Address) && !b.placed[h.Address] {
			b.placed[h.Address] = true
			out = append(out, h)
		}
	}
	return out
}

// Find returns the node of a device by its name, -1 for none.
func (c *Chart) Find(name string) int {
	return slices.IndexFunc(c.Nodes, func(n Node) bool { return n.Kind == Device && n.Device.Name == name })
}

// Between returns the edges that join two nodes directly, or over one segment.
func (c *Chart) Between(a, z int) []int {
	if a == z {
		return nil
	}
	for i, e := range c.Edges {
		if e.A == a && e.B == z || e.A == z && e.B == a {
			return []int{i}
		}
	}
	for i, e := range c.Edges {
		if e.A != a || c.Nodes[e.B].Kind != Segment {
			continue
		}
		for j, f := range c.Edges {
			if f.A == z && f.B == e.B {
				return []int{i, j}
			}
		}
	}
	return nil
}

// order sorts prefixes by family and address.
func order(a, b netip.Prefix) int {
	return cmp.Or(cmp.Compare(a.Addr().BitLen(), b.Addr().BitLen()), a.Compare(b))
}
