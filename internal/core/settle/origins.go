package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// origins lists who announces a prefix after the change, and whether one who did does not any more, or may begin to.
// Moved are the nodes that have it otherwise than before.
func (r *run) origins(in *instance, p netip.Prefix, dead []bool, moved []int) (list []origin, changed bool) {
	a := &announcing{run: r, in: in, prefix: p, seen: map[int]bool{}}
	for _, k := range in.owners[p] {
		a.owner(&in.entries[p][k])
	}
	for _, n := range in.chainEnds(p) {
		a.end(n, dead)
	}
	for _, n := range append(slices.Clone(in.holders[p]), moved...) {
		a.other(n)
	}
	return a.list, a.changed
}

// announcing is what origins has found so far. Who was looked at as one that announced the prefix before, and has it
// otherwise now, is looked at again as any other.
type announcing struct {
	*run
	in      *instance
	prefix  netip.Prefix
	seen    map[int]bool
	list    []origin
	changed bool
}

// owner looks at a node with an entry that is its own network.
func (a *announcing) owner(e *entry) {
	now := a.now.Numbered(a.in.nodes[e.node].device.Number())
	if now == nil || now.Interface(e.ifname).State == network.LinkDown {
		a.changed = true
		return
	}
	a.seen[e.node] = true
	o := origin{node: e.node, least: e.metric.Value, most: e.metric.Value, attached: true}
	if !e.metric.Known {
		o.least, o.most = 0, most(a.in.protocol)
	}
	a.list = append(a.list, o)
}

// end looks at a node at which next hops end.
func (a *announcing) end(n int, dead []bool) {
	in, p := a.in, a.prefix
	switch {
	case in.veiled[p] && in.passesOn(n, p):
		return
	case a.open(in, n, p): // it may announce it still, or not
		a.seen[n], a.changed = true, true
		a.list = append(a.list, a.mayAnnounce(in, n, p))
		return
	case !a.still(in, n, p):
		a.changed = true
		return
	}
	a.seen[n] = true
	cost, attached := a.attachedCost(in, n, p)
	if now, _ := a.otherwise(in, n, p); now && !otherwiseAt(in.nodes[n].table, p, in.protocol) {
		// what was captured is not what it announces now: some daemons keep routes to what is gone
		o := origin{node: n, most: endless, fresh: true}
		if attached {
			o.least, o.most = cost[0], cost[1]
		}
		a.list, a.changed = append(a.list, o), true
		return
	}
	least, high := in.ownMetric(p, n)
	if attached && cost[1]-cost[0] < high-least {
		least, high = cost[0], cost[1]
	}
	a.list = append(a.list, origin{node: n, least: least, most: high, attached: attached, told: a.told(in, n, p)})
	a.changed = a.changed || a.hiddenWay(in, n, p, dead)
}

// other looks at a node that has the prefix otherwise, or had, and may announce it.
func (a *announcing) other(n int) {
	in, p := a.in, a.prefix
	if a.seen[n] {
		return
	}
	a.seen[n] = true
	if a.open(in, n, p) {
		a.changed = true
		if !a.keepsTo(in, n, p) {
			a.list = append(a.list, a.mayAnnounce(in, n, p))
		}
		return
	}
	was := otherwiseAt(in.nodes[n].table, p, in.protocol)
	if now, _ := a.otherwise(in, n, p); !now { // it may learn what it had by another source
		a.changed = a.changed || was
		return
	}
	cost, attached := a.attachedCost(in, n, p)
	if !attached && a.keepsTo(in, n, p) {
		return
	}
	if !was && !attached && !in.announces(n, a.run, p) && !a.beside(in, n, p) && !in.joins(n) {
		return // new there, and nothing shows that it announces such routes
	}
	a.changed = a.changed || !was
	o := origin{node: n, most: endless, fresh: !was}
	if attached {
		o.least, o.most, o.attached = cost[0], cost[1], true
		a.list = append(a.list, o)
		return
	}
	if a.redistributes(in, n, p) {
		o.most, o.external, o.told = 0, true, a.told(in, n, p)
	}
	if e, ok := in.entryOf(p, n); ok && e.metric.Known {
		o.least = e.metric.Value // the protocol goes another way there, since its own one is no better
	}
	a.list = append(a.list, o)
}

// open reports whether it cannot be told by what a node has a prefix now.
func (r *run) open(in *instance, n int, p netip.Prefix) bool {
	now := r.now.Numbered(in.nodes[n].device.Number())
	return now != nil && slices.ContainsFunc(now.Table(in.nodes[n].table.Name, in.family).RoutesTo(p),
		func(x route.Route) bool { return x.Is(route.Untold) && x.Protocol != in.protocol })
}

// still reports whether a node has a prefix by the same protocol as before, other than the instance's.
func (r *run) still(in *instance, n int, p netip.Prefix) bool {
	now := r.now.Numbered(in.nodes[n].device.Number())
	if now == nil {
		return false
	}
	t := now.Table(in.nodes[n].table.Name, in.family)
	for _, was := range in.nodes[n].table.RoutesTo(p) {
		if !was.Is(route.Installed) || was.Protocol == in.protocol {
			continue
		}
		return slices.ContainsFunc(t.RoutesTo(p), func(x route.Route) bool {
			return x.Is(route.Installed) && x.Protocol == was.Protocol
		})
	}
	return len(in.nodes[n].table.RoutesTo(p)) == 0 // it announces what its own table does not show
}

// otherwise reports whether a node has a prefix in use now by another protocol than the instance's.
func (r *run) otherwise(in *instance, n int, p netip.Prefix) (bool, route.Protocol) {
	now := r.now.Numbered(in.nodes[n].device.Number())
	if now == nil {
		return false, 0
	}
	for _, x := range now.Table(in.nodes[n].table.Name, in.family).RoutesTo(p) {
		if x.Is(route.Installed) && x.Protocol != in.protocol {
			return true, x.Protocol
		}
	}
	return false, 0
}

func otherwiseAt(t *network.Table, p netip.Prefix, protocol route.Protocol) bool {
	return slices.ContainsFunc(t.RoutesTo(p), func(x route.Route) bool {
		return x.Is(route.Installed) && x.Protocol != protocol
	})
}

// redistributes reports whether a configuration says that a node announces what it has a prefix by, unfiltered.
func (r *run) redistributes(in *instance, n int, p netip.Prefix) bool {
	has, by := r.otherwise(in, n, p)
	return has && in.handsOver(n, by)
}

// announces reports whether a node is seen to announce, for another prefix, what it has by the protocol by which it has
// this one now.
func (in *instance) announces(n int, r *run, p netip.Prefix) bool {
	_, by := r.otherwise(in, n, p)
	return in.announcesOf(n, by, p)
}

// announcesOf reports whether a node is seen to announce what it has by another protocol, for another prefix than p.
func (in *instance) announcesOf(n int, by route.Protocol, p netip.Prefix) bool {
	d := in.nodes[n].device
	if d.Redistributed().Any(func(x network.Redistribution) bool {
		return x.Protocol == in.protocol && x.Source == by && (x.Family == 0 || x.Family == in.family)
	}) {
		return true
	}
	if d.Configures(in.protocol) {
		return false // its configuration was captured, and does not say so
	}
	for q := range in.entries {
		if q == p || !slices.Contains(in.chainEnds(q), n) {
			continue
		}
		if slices.ContainsFunc(in.nodes[n].table.RoutesTo(q), func(x route.Route) bool {
			return x.Is(route.Installed) && x.Protocol == by
		}) {
			return true
		}
	}
	return false
}

// sharers are the nodes other than n that have a prefix by another protocol, as the routers on one link do.
func (in *instance) sharers(p netip.Prefix, n int) []int {
	var out []int
	for _, m := range in.holders[p] {
		if m != n {
			out = append(out, m)
		}
	}
	return out
}

// hiddenWay reports whether the protocol's own path of an announcer to a prefix, which its table does not show beside
// the attached network, may have died: it may have gone by another announcer.
func (r *run) hiddenWay(in *instance, n int, p netip.Prefix, dead []bool) bool {
	return slices.ContainsFunc(in.sharers(p, n), func(m int) bool { return in.crosses(n, m, dead) })
}

// crosses reports whether a dead arc is on the way from one node to another, as a prefix shows it that is announced
// there alone; true where none does.
func (in *instance) crosses(from, to int, dead []bool) bool {
	for _, q := range in.sorted {
		list, ends := in.entries[q], slices.Clone(in.chainEnds(q))
		for _, e := range list {
			if e.own {
				ends = append(ends, e.node)
			}
		}
		if len(ends) != 1 || ends[0] != to {
			continue
		}
		seen := map[int]bool{}
		todo := []int{from}
		for len(todo) > 0 {
			x := todo[0]
			todo = todo[1:]
			if seen[x] || x == to {
				continue
			}
			seen[x] = true
			e, ok := in.entryOf(q, x)
			if !ok {
				return true
			}
			for _, i := range e.arcs {
				if dead[i] || in.arcs[i].to < 0 {
					return true
				}
				todo = append(todo, in.arcs[i].to)
			}
		}
		return false
	}
	return true
}

// attachedCost bounds what a node announces an attached network with, where it is the network of a link over which the
// protocol speaks, or a configuration says that it runs there: then it is announced, with the interface's own
// cost (RFC 2328 section 12.4.1; ISO 10589 section 7.3.3.1), or with the metric of all such (RFC 2453 section 3.6).
func (r *run) attachedCost(in *instance, n int, p netip.Prefix) (cost [2]uint64, ok bool) {
	if in.byVectors() && !in.plain.Known {
		return cost, false
	}
	now := r.now.Numbered(in.nodes[n].device.Number())
	if now == nil {
		return cost, false
	}
	for _, x := range now.Table(in.nodes[n].table.Name, in.family).RoutesTo(p) {
		if x.Protocol != route.Direct || !x.Is(route.Installed) || len(x.NextHops) != 1 {
			continue
		}
		for _, i := range in.out[n] {
			a := in.arcs[i]
			if a.ifname != x.NextHops[0].Interface || !a.proven {
				continue
			}
			if in.byVectors() {
				return [2]uint64{in.plain.Value, in.plain.Value}, true
			}
			if a.cost.Known {
				return [2]uint64{a.cost.Value, a.cost.Value}, true
			}
			cost, ok = [2]uint64{a.least, most(in.protocol)}, true
		}
		if s := in.state(n, x.NextHops[0].Interface); !ok && s.Known && s.On && !in.byVectors() { // nobody speaks there
			if s.Cost.Known {
				return [2]uint64{s.Cost.Value, s.Cost.Value}, true
			}
			cost, ok = [2]uint64{1, most(in.protocol)}, true
		}
	}
	return cost, ok
}

// beside reports whether a node attaches to a prefix by an interface behind which another speaker is: the protocol may
// run there.
func (r *run) beside(in *instance, n int, p netip.Prefix) bool {
	now := r.now.Numbered(in.nodes[n].device.Number())
	if !in.grown || now == nil {
		return false
	}
	return slices.ContainsFunc(now.Table(in.nodes[n].table.Name, in.family).RoutesTo(p), func(x route.Route) bool {
		return x.Protocol == route.Direct && len(x.NextHops) == 1 && slices.ContainsFunc(in.out[n], func(i int) bool {
			return in.arcs[i].ifname == x.NextHops[0].Interface && !in.arcs[i].silent
		})
	})
}

// ownMetric bounds what an origin announces a prefix with, by what its neighbours count.
func (in *instance) ownMetric(p netip.Prefix, n int) (least, high uint64) {
	high = endless
	for _, e := range in.entries[p] {
		for _, i := range e.arcs {
			a := in.arcs[i]
			if a.to != n || !e.metric.Known {
				continue
			}
			if a.cost.Known && len(in.sharers(p, n)) == 0 {
				return e.metric.Value - min(a.cost.Value, e.metric.Value), e.metric.Value - min(a.cost.Value,
					e.metric.Value)
			}
			if len(in.sharers(p, n)) == 0 { // else the metric may be that of a way by another announcer
				high = min(high, e.metric.Value-min(a.least, e.metric.Value))
			}
		}
	}
	if high == endless {
		high = most(in.protocol)
	}
	return 0, high
}
