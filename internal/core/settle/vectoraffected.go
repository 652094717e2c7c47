package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// affected are the prefixes of which BGP may tell something else now: those that somebody has otherwise, those heard
// from a peer that cannot be reached as before, and all where a session may come up.
func (x *spoken) affected() []netip.Prefix {
	v := x.vector
	set := map[netip.Prefix]bool{}
	for p := range x.moved {
		set[p] = true
	}
	add := func(list []netip.Prefix) {
		for _, p := range list {
			set[p] = true
		}
	}
	for i := range v.nodes {
		for k := range v.nodes[i].peers {
			q := &v.nodes[i].peers[k]
			up, known := answering(x.view.base, i, k)
			now, sure := answering(x.view, i, k)
			switch {
			case now == up && sure == known:
			case (now || !sure) && q.far < 0: // it may tell anything, and what nobody knows yet
				set[v.family.Default()] = true
				for _, list := range v.hops {
					add(list)
				}
			case now || !sure:
				for z := range v.nodes {
					add(prefixesOf(v.nodes[z].table))
					if t := v.tableAt(z, x.now); t != nil {
						add(prefixesOf(t))
					}
				}
			default:
				add(v.hops[q.addr])
				if q.back >= 0 {
					add(v.hops[q.own])
				}
				add(x.heardOver(i, q))
				add(v.hiddenFrom(i, q))
			}
		}
		a, b := v.nodes[i].table, v.tableAt(i, x.now)
		if b == nil || a == b {
			continue
		}
		for h, list := range v.hops {
			if !leadsAlike(a, b, h) {
				add(list)
			}
		}
	}
	out := make([]netip.Prefix, 0, len(set))
	for p := range set {
		out = append(out, p)
	}
	slices.SortFunc(out, netip.Prefix.Compare)
	return out
}

func prefixesOf(t *network.Table) (out []netip.Prefix) {
	for i := range t.Routes().Len() {
		if p := t.Routes().Prefix(i); len(out) == 0 || out[len(out)-1] != p {
			out = append(out, p)
		}
	}
	return out
}

// answering reports whether a peer can be reached in a network.
func answering(v *view, i, k int) (up, known bool) {
	if v.nodes[i].peers[k].back >= 0 {
		return v.session(i, k)
	}
	return v.reaches(i, k)
}

// heardOver are the prefixes with next hops that are not the far end's own, which a session within an autonomous system
// may have told of.
func (x *spoken) heardOver(i int, q *peer) (out []netip.Prefix) {
	v := x.vector
	if q.as != v.nodes[i].as {
		return nil
	}
	for k := range v.nodes[i].table.Routes().Len() {
		if r := v.nodes[i].table.Routes().At(k); r.Protocol == route.BGP {
			out = append(out, r.Prefix)
		}
	}
	return out
}

// hiddenFrom are the prefixes that a peer has, and that a speaker uses by another protocol, without a route of BGP in its
// table: what it hears of them it may pass on all the same.
func (v *vector) hiddenFrom(i int, q *peer) (out []netip.Prefix) {
	if q.far < 0 {
		return nil
	}
	for _, p := range prefixesOf(v.nodes[q.far].table) {
		rows := v.nodes[i].table.RoutesTo(p)
		if len(rows) > 0 && !slices.ContainsFunc(rows, func(r route.Route) bool { return r.Protocol == route.BGP }) {
			out = append(out, p)
		}
	}
	return out
}

// leadsAlike reports whether two tables lead to a next hop by the same routes.
func leadsAlike(a, b *network.Table, h netip.Addr) bool {
	m, n := selection.Longest(a, h), selection.Longest(b, h)
	return m.Prefix == n.Prefix && m.Refused == n.Refused && slices.EqualFunc(m.Routes, n.Routes,
		func(x, y route.Route) bool { return x.State == y.State && sameAttributes(x, y) })
}
