package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// byVector puts what BGP makes of the change into the tables, as far as it can be worked out; true where any changes.
func (x *spoken) byVector() bool {
	v := x.vector
	if v == nil {
		return false
	}
	x.known = map[netip.Prefix]bool{}
	x.view = v.viewOf(x.now, v.viewOf(x.topo.Network, nil))
	both := x.exchanged()
	changed := false
	for _, p := range x.affected() {
		x.known[p] = false
		before := x.view.captured(p)
		if before == nil || x.edited(p) {
			continue
		}
		after := x.settled(both, p, &before)
		if after == nil {
			continue
		}
		x.known[p] = true
		for i := range v.nodes {
			changed = x.uses(i, p, before, after) || changed
		}
	}
	return changed
}

// settled is what speakers use of a prefix once all is at rest, nil where that cannot be told.
func (x *spoken) settled(both *exchange, p netip.Prefix, before **vectorState) *vectorState {
	if x.across {
		if both == nil {
			return nil
		}
		was, after := both.settle(p)
		if after != nil {
			*before = was.vectorState
		}
		return after
	}
	if after, ok := x.view.solve(p, *before); ok && x.rooted(p, after) {
		return after
	}
	return nil
}

// exchanged is BGP with the protocols that it hands routes to and takes them from, nil where it does not, or captures
// do not tell enough.
func (x *spoken) exchanged() *exchange {
	if !x.across {
		return nil
	}
	v := x.vector
	v.mutual.Do(func() {
		n := x.topo.Network
		v.handed = newExchange(&run{Settler: x.Settler, begun: n, now: n}, v.viewOf(n, nil))
	})
	if v.handed == nil {
		return nil
	}
	both := newExchange(x.run, x.view)
	if both != nil {
		both.before = v.handed
	}
	return both
}

// workedOut reports whether what BGP makes of a prefix is in the tables: it was worked out, or nothing that it hangs on
// changed.
func (x *spoken) workedOut(p netip.Prefix) bool {
	known, affected := x.known[p]
	return known || x.vector != nil && !affected && x.view.captured(p) != nil
}

// edited reports whether somebody put in or took out a route of BGP: as if rules let in another one, or kept it out.
func (x *spoken) edited(p netip.Prefix) bool {
	v := x.vector
	for i := range v.nodes {
		t := v.tableAt(i, x.begun)
		if t == nil || t == v.nodes[i].table || !t.Replaces(p) {
			continue
		}
		had, _ := v.bgpRows(i, p)
		for _, r := range t.RoutesTo(p) {
			if r.Protocol != route.BGP {
				continue
			}
			at := slices.IndexFunc(had, func(o route.Route) bool { return sameAttributes(o, r) })
			if at < 0 {
				return true
			}
			had = slices.Delete(had, at, at+1)
		}
		if len(had) > 0 {
			return true
		}
	}
	return false
}

// uses puts what a speaker uses of a prefix into its table; true where that changes.
func (x *spoken) uses(i int, p netip.Prefix, before, after *vectorState) bool {
	v := x.vector
	d, t := x.table(i)
	if t == nil {
		return false
	}
	rows := t.RoutesTo(p)
	mine := func(r route.Route) bool { return r.Protocol == route.BGP }
	c := after.used[i]
	if c.open {
		if !slices.ContainsFunc(rows, mine) {
			return x.leaveOpen(d, t, p, rows)
		}
		return x.put(d.Name, t.Name, p, withoutDead(d, t, rows, mine))
	}
	others := slices.DeleteFunc(slices.Clone(rows), mine)
	if len(c.used) == 0 || c.used[0].from == itself {
		if len(others) == len(rows) {
			return false
		}
		return x.put(d.Name, t.Name, p, elected(x.was(d.Name), d, t, p, others))
	}
	next := x.rowOf(i, t, p, c)
	if _, active := v.bgpRows(i, p); c.equal(before.used[i]) {
		switch {
		case len(active) == 0, !stale(t, active[0]) && !t.Replaces(p):
			return false // as it was
		case len(active) == 1 && !stale(t, active[0]):
			next = active[0]
			next.State = 0
		}
	}
	out := decide(x.was(d.Name), d, t, p, append(others, next))
	for _, r := range rows { // what stands by, as long as it is heard
		heardStill := func(h heard) bool { return !h.open && slices.Contains(heardFrom(r), h.hop) }
		if mine(r) && !slices.Contains(heardFrom(r), c.used[0].hop) && slices.ContainsFunc(after.heard[i], heardStill) {
			r.State &^= route.Active | route.Installed | route.Rejected | route.Untold
			out = append(out, r)
		}
	}
	return x.put(d.Name, t.Name, p, out)
}

// stale reports whether a captured route shows how its next hop is resolved otherwise than the table does now.
func stale(t *network.Table, r route.Route) bool {
	bare := *r.Attributes
	if bare.NextHops = r.Announced(); len(bare.NextHops) == len(r.NextHops) {
		return false
	}
	ways := func(a *route.Attributes) (out []route.NextHop) {
		for _, x := range selection.Resolve(t, route.Route{Prefix: r.Prefix, Attributes: a}) {
			for _, e := range x.Exits {
				out = append(out, route.NextHop{Address: e.Address, Interface: e.Interface})
			}
		}
		return out
	}
	a, b := ways(r.Attributes), ways(&bare)
	return len(a) != len(b) || slices.ContainsFunc(a, func(h route.NextHop) bool { return !slices.Contains(b, h) })
}

// rowOf is the route that a choice becomes in the table.
func (x *spoken) rowOf(i int, t *network.Table, p netip.Prefix, c choice) route.Route {
	n := &x.vector.nodes[i]
	like := x.likeness(i, p, c.used[0])
	a := *like.Attributes
	a.NextHops = nil
	for _, h := range c.used {
		hop := route.NextHop{Address: h.hop}
		if q := &n.peers[h.from]; q.ifname != "" && q.as != n.as && h.hop == q.addr {
			hop.Interface = q.ifname
		} else {
			hop.Recursive = true
		}
		a.NextHops = append(a.NextHops, hop)
		if hop.Recursive && n.resolves {
			a.NextHops = append(a.NextHops, resolving(t, p, hop)...)
		}
	}
	return route.Route{Prefix: p, Attributes: &a, Metric: like.Metric, Mark: like.Mark}
}

// resolving are the ways by which a table resolves a next hop, as tables show them under it.
func resolving(t *network.Table, p netip.Prefix, hop route.NextHop) (out []route.NextHop) {
	a := route.Attributes{Protocol: route.BGP, NextHops: []route.NextHop{hop}}
	for _, x := range selection.Resolve(t, route.Route{Prefix: p, Attributes: &a}) {
		for _, e := range x.Exits {
			out = append(out, route.NextHop{Address: e.Address, Interface: e.Interface, Resolves: true})
		}
	}
	return out
}

// likeness is what the table shows of a route of BGP by the same next hop, of the prefix first; then of one from a
// peer of the same kind. Its preference is that of the new one.
func (x *spoken) likeness(i int, p netip.Prefix, h heard) route.Route {
	t := x.vector.nodes[i].table
	for _, r := range t.RoutesTo(p) {
		if r.Protocol == route.BGP && slices.Contains(heardFrom(r), h.hop) {
			a := *r.Attributes
			if !a.Preference.Known {
				a.Preference = x.vector.preferenceOf(i, h.internal)
			}
			return route.Route{Attributes: &a, Metric: r.Metric, Mark: r.Mark}
		}
	}
	a := &route.Attributes{Protocol: route.BGP, Preference: x.vector.preferenceOf(i, h.internal)}
	if h.internal {
		a.Subtype = "internal"
	}
	return route.Route{Attributes: a, Metric: h.med}
}

// preferenceOf is what the table gives to routes of BGP from peers of a kind, not known where it shows none.
func (v *vector) preferenceOf(i int, internal bool) route.Number {
	n := &v.nodes[i]
	t := n.table
	for id := range t.Routes().Shared() {
		a := t.Routes().Attributes(route.AttrID(id))
		if a.Protocol != route.BGP || !a.Preference.Known {
			continue
		}
		for _, h := range a.NextHops {
			of := slices.IndexFunc(n.peers, func(q peer) bool { return q.addr == h.Address })
			outside := of >= 0 && n.peers[of].as != n.as
			if !h.Resolves && outside != internal && (of >= 0 || internal) {
				return a.Preference
			}
		}
	}
	if !internal {
		return n.stated
	}
	return route.Number{}
}
