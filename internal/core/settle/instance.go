package settle

import (
	"cmp"
	"maps"
	"net/netip"
	"slices"
	"sync"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// adds reports whether the metrics of a protocol add up along a path: OSPF (RFC 2328 section 16.1), IS-IS (ISO 10589),
// RIP (RFC 2453 section 3.9.2, RFC 2080).
func adds(p route.Protocol) bool {
	return p == route.OSPF || p == route.ISIS || p == route.RIP || p == route.RIPng
}

// byVectors reports whether neighbours tell each other distances alone (RIP), and not the links.
func (in *instance) byVectors() bool { return in.protocol == route.RIP || in.protocol == route.RIPng }

// An instance is one protocol in one family: the devices' tables that speak it, the adjacencies between them with what
// is known of their costs, and what each table has for each prefix.
type instance struct {
	topo      *topology.Topology
	protocol  route.Protocol
	family    route.Family
	nodes     []node
	number    map[nodeKey]int
	arcs      []arc
	out, into [][]int // arcs from and to each node
	entries   map[netip.Prefix][]entry
	sorted    []netip.Prefix         // of the entries, in order
	owners    map[netip.Prefix][]int // of each prefix: its entries of which the network is their own
	ends      map[netip.Prefix][]int // of each prefix: where the next hops end (chainEnds)
	holders   map[netip.Prefix][]int // of each prefix: nodes that have it in use by another source
	uses      [][]int32              // of each arc: the prefixes with a path over it, as places in sorted
	shared    []int32                // the prefixes that several nodes hold, likewise
	veiled    map[netip.Prefix]bool  // whose paths go on beyond a node of which the table does not show that
	selects   []bool                 // of each node: of equal next hops it uses one, which the capture marks
	equal     []int                  // of each node: the most equal next hops that any of its paths has
	byArea    bool                   // configurations tell the area of every adjacency
	areasAt   [][]string             // and of each node: those of its interfaces
	paths     []uint64               // of each node: the most equal ways that it uses, as configured; 0: not told
	alone     []bool                 // of RIP, of each node: it uses one of several equal ways
	hasty     []bool                 // and may change to another one at any time
	plain     route.Number           // of RIP: the metric with which attached networks are announced
	grown     bool                   // an interface came up: ways may be better than before
	captured  *instance              // of a grown one: that of the network as it was captured
	blind     bool                   // one came up of which no address was captured
	// nothing of what decides between paths is hidden: kinds of paths are shown, or there is one area
	known bool
	areas bool // some path is of another kind than within an area
	// the metric to a network of the protocol's own does not grow along the way: there are areas that nothing shows,
	// and any loss may move any path (a border router that loses the backbone announces nothing, RFC 2328 section
	// 12.4.3)
	hidden bool
	exact  bool // the cost of every arc is known, and nobody is on one who was not captured
	// prefixes of areas in pieces: a device of the prefix's area has it from the backbone (RFC 2328 section 3.7)
	parted map[netip.Prefix]bool
	trust  *trust
	handed *handed
	before map[netip.Prefix]*before // of each prefix
	parts  []*instance              // that no adjacency joins, where there are several and everybody was captured
	part   int                      // which of them it is, from 1; 0: it is none
}

// trust is whether the model of several areas finds what was captured; it is looked at once.
type trust struct {
	once  sync.Once
	holds bool
	rules []areaRule
}

// handed are the metrics with which nodes announce what they have by other protocols; they are looked for once.
type handed struct {
	once    sync.Once
	metrics map[handing]route.Number
}

// A node is a table of a device that speaks the protocol.
type node struct {
	device *network.Device // before the change
	table  *network.Table
}

type nodeKey struct{ device, table string }

// An arc is an adjacency from one node to another, with the cost that the first one counts.
type arc struct {
	from, to int // to -1: a device that was not captured
	ifname   string
	peer     string // the interface of the other end
	hop      netip.Addr
	area     string // of OSPF, where configurations of both ends tell it
	fixed    bool   // its cost stands in a configuration, or in a listing
	listed   bool
	silent   bool // a configuration says that nobody speaks there
	proven   bool // a captured route uses the adjacency, in one direction or the other
	cost     route.Number
	least    uint64 // where the cost is not known
	disagree bool   // captured metrics give several costs
	marks    []route.Mark
	carries  map[string]bool // the kinds of prefixes that were sent this way
}

// An entry is what the protocol of one node knows of a prefix: its best path.
type entry struct {
	node   int
	row    route.Route
	metric route.Number
	rank   int   // of the kind of path
	arcs   []int // it uses
	own    bool  // the network is its own: no next hop
	ifname string
}

// findInstances collects every protocol that adds up, of both families.
func findInstances(t *topology.Topology) []*instance {
	var out []*instance
	for _, fam := range []route.Family{route.IPv4, route.IPv6} {
		for _, p := range []route.Protocol{route.OSPF, route.ISIS, route.RIP, route.RIPng} {
			var nodes []nodeKey
			for _, d := range t.Network.Devices().All() {
				for _, table := range d.Tables().All() {
					if table.Family == fam && speaks(table, func(x route.Protocol) bool { return x == p }) {
						nodes = append(nodes, nodeKey{d.Name, table.Name})
					}
				}
			}
			if len(nodes) == 0 {
				continue
			}
			in := newInstance(t, p, fam, nodes)
			if apart := in.components(); len(apart) > 1 {
				for i, nodes := range apart {
					part := newInstance(t, p, fam, nodes)
					part.part = i + 1
					in.parts = append(in.parts, part)
				}
			}
			out = append(out, in)
		}
	}
	return out
}

// newInstance reads a protocol out of some tables.
func newInstance(t *topology.Topology, p route.Protocol, fam route.Family, nodes []nodeKey) *instance {
	in := &instance{topo: t, protocol: p, family: fam, number: map[nodeKey]int{}, entries: map[netip.Prefix][]entry{},
		trust: &trust{}, handed: &handed{}, parted: map[netip.Prefix]bool{}}
	for _, k := range nodes {
		in.nodeOf(t.Network.Device(k.device), k.table)
	}
	for n := range len(in.nodes) {
		in.read(n)
	}
	in.unproven()
	in.index()
	in.configured()
	in.tellKinds()
	in.tellAreas()
	in.deduce()
	in.findVeiled()
	in.exact = !slices.ContainsFunc(in.arcs,
		func(a arc) bool { return a.to < 0 || !a.proven || a.silent || !a.cost.Known })
	return in
}

// read takes the protocol's entries out of a table.
func (in *instance) read(n int) {
	t := in.nodes[n].table
	for i := 0; i < t.Routes().Len(); {
		g := t.Group(i)
		i = g.Hi
		var best []route.Route
		for _, x := range t.Members(g) {
			if x.Protocol != in.protocol || x.Is(route.Unusable) || x.Special != route.None {
				continue
			}
			if len(best) > 0 {
				if c := in.order(x, best[0]); c > 0 {
					continue
				} else if c < 0 {
					best = nil
				}
			}
			best = append(best, x)
		}
		if len(best) > 0 {
			in.addEntry(n, best)
		}
	}
}

// order compares two routes of the protocol for one prefix: negative where x is its best.
func (in *instance) order(x, y route.Route) int {
	if x.Is(route.Active) != y.Is(route.Active) {
		return map[bool]int{true: -1, false: 1}[x.Is(route.Active)]
	}
	return cmp.Or(cmp.Compare(rank(x.Attributes), rank(y.Attributes)), cmp.Compare(x.Metric.Value, y.Metric.Value))
}

// ranksOfPaths is how many ranks there are.
const ranksOfPaths = 5

// rank orders kinds of paths: within an area or level, between them, external of type 1 and 2 (RFC 2328 section 11).
func rank(a *route.Attributes) int {
	switch a.Subtype {
	case "inter-area":
		return 1
	case "external-1", "nssa-external-1":
		return 2
	case "external-2", "nssa-external-2":
		return 3
	case "level-2":
		return 4
	}
	return 0
}

// addEntry takes the rows of one device to one prefix as what the protocol told it.
func (in *instance) addEntry(n int, rows []route.Route) {
	d, t := in.nodes[n].device, in.nodes[n].table
	e := entry{node: n, row: rows[0], rank: rank(rows[0].Attributes)}
	if rows[0].Preference.Known || t.Chosen {
		e.metric = rows[0].Metric // a kernel's metric is not the protocol's
	}
	for _, x := range rows {
		for _, h := range x.NextHops {
			switch {
			case h.Resolves, h.Inactive, h.Backup:
			case !h.Address.IsValid():
				e.own, e.ifname = true, h.Interface
			default:
				e.arcs = append(e.arcs, in.arcTo(n, d, h))
			}
		}
	}
	in.equal[n] = max(in.equal[n], len(e.arcs))
	in.selects[n] = in.selects[n] || selectsOne(rows[0].NextHops)
	in.areas = in.areas || e.rank == 1 || e.rank == 4
	in.entries[e.row.Prefix] = append(in.entries[e.row.Prefix], e)
}

// selectsOne reports whether some of several next hops are marked as those that forward, and others are not.
func selectsOne(hops []route.NextHop) bool {
	marked, not := false, false
	for _, h := range hops {
		if h.Resolves || h.Inactive || h.Backup {
			continue
		}
		marked, not = marked || h.Installed, not || !h.Installed
	}
	return marked && not
}

// arcTo finds or adds the arc to a next hop, and the one back.
func (in *instance) arcTo(n int, d *network.Device, h route.NextHop) int {
	for _, i := range in.out[n] {
		if in.arcs[i].hop == h.Address && in.arcs[i].ifname == h.Interface {
			in.arcs[i].proven = true
			return i
		}
	}
	o := in.topo.Find(d, h.Interface, h.Address, true)
	a := arc{from: n, to: -1, ifname: h.Interface, hop: h.Address, proven: true, least: 1}
	if o.Answer == topology.Device && o.Device != nil {
		a.to, a.peer = in.nodeOf(o.Device, in.topo.TableOf(o.Device, o.Interface)), o.Interface
	}
	for _, i := range in.out[n] { // made from the other end, whose routes do not tell the address
		if b := &in.arcs[i]; a.to >= 0 && b.to == a.to && b.ifname == a.ifname && b.peer == a.peer {
			b.hop, b.proven = a.hop, true
			return i
		}
	}
	i := in.add(a)
	if a.to >= 0 {
		in.back(a)
	}
	return i
}

// nodeOf finds the node of a table, or adds one: a device that others learn from speaks the protocol, whether or not
// its own table shows any of its routes. It is -1 where that table was not captured.
func (in *instance) nodeOf(d *network.Device, table string) int {
	k := nodeKey{d.Name, table}
	if n, ok := in.number[k]; ok {
		return n
	}
	t := d.Table(table, in.family)
	if t == nil {
		return -1
	}
	in.number[k] = len(in.nodes)
	in.nodes = append(in.nodes, node{d, t})
	in.out, in.into = append(in.out, nil), append(in.into, nil)
	in.equal, in.selects = append(in.equal, 0), append(in.selects, false)
	return in.number[k]
}

func (in *instance) add(a arc) int {
	a.carries = map[string]bool{}
	in.arcs = append(in.arcs, a)
	in.out[a.from] = append(in.out[a.from], len(in.arcs)-1)
	if a.to >= 0 {
		in.into[a.to] = append(in.into[a.to], len(in.arcs)-1)
	}
	return len(in.arcs) - 1
}

// back adds the arc in the other direction where there is none: an adjacency is mutual.
func (in *instance) back(a arc) {
	for _, i := range in.out[a.to] {
		if b := &in.arcs[i]; b.to == a.from && b.ifname == a.peer && b.peer == a.ifname {
			b.proven = true
			return
		}
	}
	in.add(arc{from: a.to, to: a.from, ifname: a.peer, peer: a.ifname, proven: true, least: 1,
		hop: in.hopOf(in.nodes[a.from].device, a.ifname)})
}

// hopOf is the address by which one device names another one on a link: the only one of that family, which is a
// link-local one of IPv6. Invalid where there is none or several.
func (in *instance) hopOf(to *network.Device, ifname string) netip.Addr {
	var found netip.Addr
	for _, own := range to.Addresses().All() {
		a := own.Prefix.Addr().WithZone("")
		if own.Interface != ifname || route.FamilyOf(a) != in.family ||
			a.IsLinkLocalUnicast() != (in.family == route.IPv6) {
			continue
		}
		if found.IsValid() && found != a {
			return netip.Addr{}
		}
		found = a
	}
	return found
}

// unproven adds arcs between speakers on one segment that no captured route uses: whether they talk is not known.
func (in *instance) unproven() {
	type end struct {
		node   int
		ifname string
	}
	for _, segment := range in.topo.Segments() {
		var ends []end
		for _, at := range segment {
			if at.Down {
				continue
			}
			if n, ok := in.number[nodeKey{at.Device.Name, in.topo.TableOf(at.Device, at.Interface)}]; ok {
				if e := (end{n, at.Interface}); !slices.Contains(ends, e) {
					ends = append(ends, e)
				}
			}
		}
		for _, x := range ends {
			for _, y := range ends {
				if x.node == y.node || slices.ContainsFunc(in.out[x.node], func(i int) bool {
					a := in.arcs[i]
					return a.to == y.node && a.ifname == x.ifname && a.peer == y.ifname
				}) {
					continue
				}
				in.add(arc{from: x.node, to: y.node, ifname: x.ifname, peer: y.ifname, least: 1,
					hop: in.hopOf(in.nodes[y.node].device, y.ifname)})
			}
		}
	}
}

// index notes what every run asks of the network as it is.
func (in *instance) index() {
	in.sorted = slices.SortedFunc(maps.Keys(in.entries), netip.Prefix.Compare)
	in.ends, in.holders, in.owners = map[netip.Prefix][]int{}, map[netip.Prefix][]int{}, map[netip.Prefix][]int{}
	in.uses = make([][]int32, len(in.arcs))
	in.before = make(map[netip.Prefix]*before, len(in.sorted))
	for at, p := range in.sorted {
		in.before[p] = &before{}
		in.ends[p] = in.findEnds(p)
		for n, x := range in.nodes {
			if otherwiseAt(x.table, p, in.protocol) {
				in.holders[p] = append(in.holders[p], n)
			}
		}
		for m := range in.entries[p] {
			e := &in.entries[p][m]
			if e.own {
				in.owners[p] = append(in.owners[p], m)
			}
			for _, i := range e.arcs {
				if k := len(in.uses[i]); k == 0 || in.uses[i][k-1] != int32(at) {
					in.uses[i] = append(in.uses[i], int32(at))
				}
			}
		}
		if len(in.holders[p]) > 1 {
			in.shared = append(in.shared, int32(at))
		}
	}
}

// refused is what a way that an entry does not use costs at least: no less than its metric, and more where the device
// is seen to use equal ways together and has room for one more.
func (in *instance) refused(e entry) uint64 {
	if len(e.arcs) < in.equal[e.node] {
		return e.metric.Value + 1
	}
	return e.metric.Value
}

// kindOfPrefix names what two prefixes have in common whose paths may use the same links: the kind of paths, and the
// devices that have one within the area, which are those of its area.
func (in *instance) kindOfPrefix(p netip.Prefix, rank int) string {
	text := []byte{byte('0' + rank), ' '}
	var inside []int
	for _, e := range in.entries[p] {
		if e.rank == 0 {
			inside = append(inside, e.node)
		}
	}
	inside = append(inside, in.chainEnds(p)...)
	slices.Sort(inside)
	for _, n := range slices.Compact(inside) {
		text = append(text, byte(n), byte(n>>8))
	}
	return string(text)
}

// chainEnds are the nodes at which the protocol's next hops for a prefix end, though the protocol has no path of its
// own there: they announce what they know otherwise.
func (in *instance) chainEnds(p netip.Prefix) []int { return in.ends[p] }

// findEnds returns the routers that a prefix comes from: others lead there, and they have no route of the protocol.
func (in *instance) findEnds(p netip.Prefix) []int {
	var out []int
	for _, e := range in.entries[p] {
		for _, i := range e.arcs {
			to := in.arcs[i].to
			if to < 0 || slices.Contains(out, to) ||
				slices.ContainsFunc(in.entries[p], func(o entry) bool { return o.node == to }) {
				continue
			}
			out = append(out, to)
		}
	}
	return out
}
