package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// most is the largest cost of one link of a protocol (RFC 2328 section 12.1.4 has 16 bits, RFC 5305 section 3 has 24,
// RIP counts to 15).
func most(p route.Protocol) uint64 {
	switch p {
	case route.OSPF:
		return 1<<16 - 1
	case route.ISIS:
		return 1<<24 - 1
	}
	return 15
}

// deduce finds the costs of arcs from the captured metrics.
func (in *instance) deduce() {
	for _, p := range in.sorted {
		list := in.entries[p]
		for _, e := range list {
			kind := ""
			for _, i := range e.arcs {
				if kind == "" {
					kind = in.kindOfPrefix(p, e.rank)
				}
				in.arcs[i].carries[kind] = true
			}
			if e.own && e.metric.Known && in.protocol == route.OSPF { // RFC 2328 section 12.4.1.1: the interface's cost
				for _, i := range in.out[e.node] {
					if in.arcs[i].ifname == e.ifname {
						in.learn(i, e.metric.Value, e.row.Mark)
					}
				}
			}
		}
	}
	for rank := range 3 { // a path within an area tells more than an external one
		if rank > 0 && in.areas {
			break // a border router's own path is not always the one that it is the next hop of
		}
		for _, p := range in.sorted {
			in.equations(p, rank)
		}
	}
	if !in.areas && !in.byVectors() {
		for _, p := range in.sorted {
			in.toItsNetwork(p)
		}
	}
	in.bounds()
	in.findPlain()
	in.findAlone()
}

// findPlain finds the metric with which routers that tell distances announce the networks that they attach to: 1, or 0
// where tables do not count the last hop (RFC 2453 section 3.6). It is not known where a captured one differs.
func (in *instance) findPlain() {
	if !in.byVectors() {
		return
	}
	for _, p := range in.sorted {
		ends := in.chainEnds(p)
		if len(ends) != 1 || len(in.holders[p]) != 1 || ends[0] != in.holders[p][0] ||
			!in.attaches(ends[0], p) {
			continue
		}
		least, high := in.ownMetric(p, ends[0])
		if least != high || in.plain.Known && in.plain.Value != least {
			in.plain = route.Number{}
			return
		}
		in.plain = route.N(least)
	}
}

// attaches reports whether a node has a prefix in use by an interface.
func (in *instance) attaches(n int, p netip.Prefix) bool {
	return slices.ContainsFunc(in.nodes[n].table.RoutesTo(p), func(x route.Route) bool {
		return x.Is(route.Installed) && x.Protocol == route.Direct
	})
}

// equations takes the differences of metrics along next hops, of one kind of paths.
func (in *instance) equations(p netip.Prefix, rank int) {
	for _, e := range in.entries[p] {
		if e.rank != rank || !e.metric.Known {
			continue
		}
		for _, i := range e.arcs {
			a := &in.arcs[i]
			if a.to < 0 || rank > 0 && a.cost.Known {
				continue
			}
			for _, f := range in.entries[p] {
				if f.node == a.to && f.rank == rank && f.metric.Known && f.metric.Value <= e.metric.Value &&
					in.announcesBy(f, p) {
					in.learn(i, e.metric.Value-f.metric.Value, e.row.Mark)
				}
			}
		}
	}
}

// toItsNetwork takes what neighbours of a router pay for a network that it attaches to: the way to the router, and what
// its interface there costs (RFC 2328 section 16.1, ISO 10589 annex C.2). Unless the router itself would come there for
// less by others; of that its own table may tell.
func (in *instance) toItsNetwork(p netip.Prefix) {
	attached := map[int]*ownLink{}
	for _, n := range in.holders[p] {
		if x := in.linkOf(n, p); x != nil {
			attached[n] = x
		}
	}
	if len(attached) == 0 {
		return
	}
	for _, e := range in.entries[p] {
		if e.rank != 0 || !e.metric.Known || attached[e.node] != nil || slices.Contains(in.holders[p], e.node) {
			continue
		}
		for _, i := range e.arcs {
			a := &in.arcs[i]
			if a.to < 0 || attached[a.to] == nil || !a.cost.Known || a.cost.Value >= e.metric.Value {
				continue
			}
			x, own := attached[a.to], e.metric.Value-a.cost.Value
			for _, k := range x.arcs {
				if own < x.around {
					in.learn(k, own, e.row.Mark)
				}
			}
		}
	}
}

// An ownLink is how a node attaches to the network of a link.
type ownLink struct {
	arcs   []int  // by the interface, whose cost is not configured
	around uint64 // what the node would pay at least to come there by others
}

// linkOf tells how a node attaches to a network, nil where that is no link's or its own metric is shown, and where it may
// leave to the far end to announce the network (RFC 6860), so that the metric is that of both: neither its own way
// around nor its configuration tells.
func (in *instance) linkOf(n int, p netip.Prefix) *ownLink {
	ifname := in.attachedBy(n, p)
	e, told := in.entryOf(p, n)
	if ifname == "" || told && e.own {
		return nil
	}
	x := &ownLink{}
	for _, k := range in.out[n] {
		if a := &in.arcs[k]; a.proven && !a.fixed && a.ifname == ifname && in.isLinkOf(p, a) {
			x.arcs = append(x.arcs, k)
		}
	}
	switch {
	case len(x.arcs) == 0:
		return nil
	case told && e.metric.Known: // the best there is, over the link itself as well
		x.around = e.metric.Value
	case in.nodes[n].device.Configures(in.protocol):
		x.around = in.aroundAtLeast(n, p)
	default:
		return nil
	}
	return x
}

// isLinkOf reports whether a prefix is that of the link of an adjacency: another one on the same interface may be
// announced otherwise.
func (in *instance) isLinkOf(p netip.Prefix, a *arc) bool {
	if in.family == route.IPv4 {
		return p.Contains(a.hop)
	}
	return a.to >= 0 && in.attachedBy(a.to, p) == a.peer // next hops are link-local
}

// aroundAtLeast is what a node would pay at least for a network that it attaches to, if it came there by another
// interface: some neighbour's cost, and what that one pays.
func (in *instance) aroundAtLeast(n int, p netip.Prefix) uint64 {
	least, own := uint64(endless), in.attachedBy(n, p)
	for _, i := range in.out[n] {
		a := &in.arcs[i]
		if a.ifname == own || a.silent {
			continue
		}
		sum := a.least
		if a.cost.Known {
			sum = a.cost.Value
		}
		if a.to >= 0 && !slices.Contains(in.holders[p], a.to) {
			if e, ok := in.entryOf(p, a.to); ok && e.rank == 0 && e.metric.Known {
				sum = plus(sum, e.metric.Value)
			}
		}
		least = min(least, sum)
	}
	return least
}

// attachedBy is the interface by which a node attaches to a network, "" for none.
func (in *instance) attachedBy(n int, p netip.Prefix) string {
	for _, x := range in.nodes[n].table.RoutesTo(p) {
		if x.Is(route.Installed) && x.Protocol == route.Direct && len(x.NextHops) > 0 {
			return x.NextHops[0].Interface
		}
	}
	return ""
}

// announcesBy reports whether an entry is what its node tells others of a prefix: where it has the prefix by another
// source too, that is what it announces, and the entry is the way that it would take without.
func (in *instance) announcesBy(f entry, p netip.Prefix) bool {
	return f.own || !slices.Contains(in.holders[p], f.node)
}

// learn takes in one cost of an arc. Several ones are none.
func (in *instance) learn(i int, cost uint64, m route.Mark) {
	a := &in.arcs[i]
	switch {
	case a.disagree, a.fixed:
	case !a.cost.Known:
		a.cost = route.N(cost)
	case a.cost.Value != cost:
		a.cost, a.disagree = route.Number{}, true
	}
	if len(a.marks) < 4 && m.Known() {
		a.marks = append(a.marks, m)
	}
}

// bounds finds what an unknown cost is at least: a node that does not go by a neighbour would pay no less by it. Where
// there are several areas the link may be in another one than the prefix, and nothing follows.
func (in *instance) bounds() {
	if in.areas {
		return
	}
	for p, list := range in.entries {
		for _, e := range list {
			if e.rank != 0 || !e.metric.Known {
				continue
			}
			for _, i := range in.out[e.node] {
				a := &in.arcs[i]
				if a.to < 0 || a.cost.Known || a.disagree || !a.proven || slices.Contains(e.arcs, i) {
					continue
				}
				for _, f := range list {
					if f.node == a.to && f.rank == 0 && f.metric.Known && f.metric.Value < e.metric.Value &&
						in.announcesBy(f, p) {
						a.least = max(a.least, in.refused(e)-f.metric.Value)
					}
				}
			}
		}
	}
}

// A Cost is what one device counts for the way to a neighbour by a protocol, as the captured metrics tell it.
type Cost struct {
	Protocol   route.Protocol
	Family     route.Family
	Device     string
	Table      string
	Interface  string
	Neighbour  string       // "": not captured
	Far        string       // the neighbour's interface
	Value      route.Number // not known where nothing tells it, or several captured metrics disagree
	Least      uint64       // where it is not known
	Disagree   bool
	Configured bool         // it stands in a configuration
	Listed     bool         // it stands in a listing of the protocol's interfaces
	Marks      []route.Mark // of some of the routes that it rests on
}

// Costs lists the deduced costs of all adjacencies that captured routes use.
func Costs(t *topology.Topology) []Cost {
	var out []Cost
	for _, in := range findInstances(t) {
		for _, list := range in.out {
			for _, i := range list {
				a := in.arcs[i]
				if !a.proven {
					continue
				}
				c := Cost{Protocol: in.protocol, Family: in.family, Device: in.nodes[a.from].device.Name,
					Table: in.nodes[a.from].table.Name, Interface: a.ifname, Value: a.cost, Least: a.least,
					Disagree: a.disagree, Configured: a.fixed && !a.listed,
					Listed: a.listed, Marks: a.marks}
				if a.to >= 0 {
					c.Far, c.Neighbour = a.peer, in.nodes[a.to].device.Name
				}
				out = append(out, c)
			}
		}
	}
	return out
}
