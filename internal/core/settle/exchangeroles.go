package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// source is by what a device has a prefix. The zero source is by nothing.
type source uint8

const (
	byNothing source = iota
	byItself         // it is attached, or has a static route
	byInside
	byBGP
)

// roles are what devices have of one prefix whatever protocols tell them.
type roles struct {
	prefix netip.Prefix
	own    []*route.Route // of each speaker: what it has of its own, nil for nothing
	always [][]teller     // of each protocol inside: who announces the prefix whatever BGP does
}

// teller is a node that announces a prefix inside.
type teller struct {
	at       nodeKey
	by       route.Protocol // it has it
	attached bool           // it is a network of the protocol's own, which comes before what is from outside
}

// rolesOf finds them in the exchange's network; nil where captures do not tell all.
func (x *exchange) rolesOf(p netip.Prefix) *roles {
	if p.Bits() == 0 {
		return nil // many systems announce a default only where they are told to
	}
	out := &roles{prefix: p, own: make([]*route.Route, len(x.nodes)), always: make([][]teller, len(x.inner))}
	for i := range x.nodes {
		if d := x.now.Device(x.list[i].device); d != nil {
			own, ok := ownOf(d, x.tableAt(i, x.now), p)
			if !ok {
				return nil
			}
			out.own[i] = own
		}
	}
	for at, k := range x.inner {
		for n := range k.in.nodes {
			t, announces, ok := x.tellsAlways(k, n, p)
			if !ok {
				return nil
			}
			if announces {
				out.always[at] = append(out.always[at], t)
			}
		}
	}
	return out
}

// tellsAlways is what a node announces inside whatever it hears by BGP; ok is false where that cannot be told.
func (x *exchange) tellsAlways(k *inner, n int, p netip.Prefix) (t teller, announces, ok bool) {
	d, table := x.now.Numbered(k.in.nodes[n].device.Number()), k.in.nodes[n].table
	if d == nil {
		return t, false, true
	}
	own, ok := ownOf(d, d.Table(table.Name, x.family), p)
	if !ok || own == nil {
		return t, false, ok
	}
	t = teller{at: k.in.key(n), by: own.Protocol}
	if own.Protocol == route.Direct {
		s := k.in.state(n, own.NextHops[0].Interface)
		if t.attached = s.On; !s.Known || s.On {
			return t, s.On, s.Known
		}
	}
	if k.speaker[n] >= 0 || !k.in.handsOver(n, own.Protocol) { // a speaker does by what it uses
		return t, false, true
	}
	told := k.in.onePreference(table)
	first := own.Protocol == route.Direct || told.Known && earlier(table, own.Preference, told)
	return t, first, first // else what it hears inside may come first
}

// ownOf is what a device has of a prefix by no protocol; false where that cannot be told.
func ownOf(d *network.Device, t *network.Table, p netip.Prefix) (best *route.Route, ok bool) {
	if t == nil {
		return nil, false
	}
	rows := t.RoutesTo(p)
	for _, s := range d.StaticsTo(p).All() {
		if !ofTable(s, t) || slices.ContainsFunc(rows, func(r route.Route) bool { return r.Protocol == route.Static }) {
			continue
		}
		switch c := selection.Judge(d, t, s); c.Fate {
		case selection.InterfaceDown, selection.InterfaceGone, selection.HopUnresolved:
		default:
			return nil, false // configured, and why it is not in the table is not known
		}
	}
	for _, r := range rows {
		switch {
		case r.Is(route.Unusable), r.Protocol == route.BGP, adds(r.Protocol):
			continue
		case r.Is(route.Untold), r.Protocol.Dynamic(), r.Protocol == route.Local:
			return nil, false
		case r.Protocol == route.Direct && (len(r.NextHops) != 1 || r.NextHops[0].Interface == ""):
			return nil, false
		case r.Protocol != route.Direct && (!r.Preference.Known || recursive(r)):
			return nil, false
		}
		if best == nil || best.Protocol != route.Direct &&
			(r.Protocol == route.Direct || earlier(t, r.Preference, best.Preference)) {
			best = &r
		}
	}
	return best, true
}

// recursive reports whether a route's next hop hangs on other routes.
func recursive(r route.Route) bool {
	return slices.ContainsFunc(r.NextHops, func(h route.NextHop) bool { return h.Interface == "" || h.Resolves })
}

// earlier reports whether one known preference comes before another one in a table.
func earlier(t *network.Table, a, b route.Number) bool {
	if t.HighestWins {
		a, b = b, a
	}
	return a.Value < b.Value
}

// prefers is what a speaker uses of what there is; false where captures do not tell which comes first.
func (x *exchange) prefers(i int, w *roles, inside, bgp bool) (source, bool) {
	t := x.nodes[i].table
	best, pref := byNothing, route.Number{}
	if own := w.own[i]; own != nil {
		if best, pref = byItself, own.Preference; own.Protocol == route.Direct {
			return byItself, true
		}
	}
	offer := func(by source, told route.Number) bool {
		switch {
		case best == byNothing:
			best, pref = by, told
		case !told.Known || !pref.Known || told == pref:
			return false
		case earlier(t, told, pref):
			best, pref = by, told
		}
		return true
	}
	if inside && !offer(byInside, x.inside[i]) {
		return 0, false
	}
	if bgp && !offer(byBGP, x.beyond[i]) {
		return 0, false
	}
	return best, true
}

// announces reports whether a speaker announces in BGP what it has by another source.
func (x *exchange) announces(i int, w *roles, by source) bool {
	switch {
	case by == byItself:
		own := w.own[i]
		return own != nil && (x.nodes[i].takes[own.Protocol] || x.nodes[i].networks[w.prefix])
	case by == byInside:
		return x.nodes[i].takes[x.of[i].inner.in.protocol] || x.nodes[i].networks[w.prefix]
	}
	return false
}

// tellers are who announces the prefix in a protocol inside where speakers have it by what is given.
func (x *exchange) tellers(at int, w *roles, by []source) []teller {
	out := slices.Clone(w.always[at])
	k := x.inner[at]
	for n, i := range k.speaker {
		here := func(a teller) bool { return a.at == k.in.key(n) }
		if i < 0 || k.part[n] < 0 || slices.ContainsFunc(w.always[at], here) {
			continue
		}
		from := route.BGP
		if own := w.own[i]; by[i] == byItself && own != nil {
			from = own.Protocol
		} else if by[i] != byBGP {
			continue
		}
		if k.in.handsOver(n, from) {
			out = append(out, teller{k.in.key(n), from, false})
		}
	}
	return out
}

// everyTeller is all of these, of all protocols inside.
func (x *exchange) everyTeller(w *roles, by []source) (out []teller) {
	for at := range x.inner {
		out = append(out, x.tellers(at, w, by)...)
	}
	return out
}
