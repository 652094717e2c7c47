package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// spoken is what one run knows of speakers.
type spoken struct {
	*run
	*speakers
	mutual bool                   // several hand routes to another protocol and take its routes
	across bool                   // one hands routes to another protocol, and another one takes that one's
	moved  map[netip.Prefix][]int // who has a prefix otherwise than before
	gone   []int                  // who is not there any more
	risen  map[string]bool        // devices of which an interface came up
	view   *view                  // of the network as it is now
	known  map[netip.Prefix]bool  // prefixes that were looked at: whether they were worked out (vector)
}

// others makes untold what protocols without a prediction may have lost, or may find now.
func (r *run) others() bool {
	changed := false
	for _, s := range r.speakers {
		x := &spoken{run: r, speakers: s, moved: map[netip.Prefix][]int{}, risen: map[string]bool{}}
		x.look()
		x.mutual, x.across = x.handToEachOther()
		changed = x.byVector() || changed
		for i := range s.list {
			changed = x.at(i) || changed
		}
	}
	return changed
}

// table is a speaker's table as it is now, nil where its device is gone.
func (x *spoken) table(i int) (*network.Device, *network.Table) {
	d := x.now.Device(x.list[i].device)
	if d == nil {
		return nil, nil
	}
	return d, d.Table(x.list[i].table, x.family)
}

// look finds what is otherwise than before.
func (x *spoken) look() {
	for i := range x.list {
		d, t := x.table(i)
		if d == nil {
			x.gone = append(x.gone, i)
			continue
		}
		if t == nil {
			continue
		}
		for was, is := range t.Replaced() {
			if len(was)+len(is) > 0 && !same(deciding(was), deciding(is)) {
				p := slices.Concat(was, is)[0].Prefix
				x.moved[p] = append(x.moved[p], i)
			}
		}
	}
	for p := range x.rose() {
		x.risen[p.device.Name] = true
	}
}

// deciding are the routes of a prefix that a device announces, or that nobody knows.
func deciding(rows []route.Route) []route.Route {
	return slices.DeleteFunc(slices.Clone(rows),
		func(r route.Route) bool { return !r.Is(route.Installed) && !r.Is(route.Untold) })
}

// at looks through the table of one speaker.
func (x *spoken) at(i int) bool {
	d, t := x.table(i)
	was := x.was(x.list[i].device)
	if t == nil || was == nil {
		return false
	}
	changed := false
	metrics := map[netip.Addr]bool{} // of next hops, whether the way to them is as long as before
	for k := 0; k < t.Routes().Len(); {
		g := t.Group(k)
		k = g.Hi
		rows := t.At(g)
		if x.workedOut(rows[0].Prefix) || !slices.ContainsFunc(rows, x.mine) {
			continue
		}
		doubt := func(r route.Route) bool {
			return x.mine(r) && (x.learnedLost(d, t, r) || x.otherwise(i, was, t, r, metrics))
		}
		if slices.ContainsFunc(rows, doubt) {
			changed = x.put(d.Name, t.Name, rows[0].Prefix, withoutDead(d, t, rows, doubt)) || changed
		}
	}
	for p, who := range x.moved {
		changed = x.comesIn(i, d, t, p, who) || x.echoes(d, t, p, who) || changed
	}
	if len(x.risen) > 0 {
		changed = x.heard(i, d, t) || changed
	}
	return changed
}

// mine reports whether a route is the protocol's and may be in use.
func (x *spoken) mine(r route.Route) bool {
	return r.Protocol == x.proto && !r.Is(route.Untold) && !r.Is(route.Unusable)
}

// otherwise reports whether what a route was learned from may announce something else now, or another one something
// better.
func (x *spoken) otherwise(
	i int, was *network.Device, t *network.Table, r route.Route, metrics map[netip.Addr]bool,
) bool {
	if x.risen[was.Name] || len(x.risen) > 0 && x.proto != route.BGP {
		return true // a neighbour may come back
	}
	for _, z := range x.moved[r.Prefix] {
		if z == i {
			continue
		}
		if x.from(was, r, z) || x.offers(z, r.Prefix) {
			return true
		}
	}
	for _, z := range x.gone {
		if x.from(was, r, z) {
			return true
		}
	}
	// Between equal ones the way within decides, to the nearer exit (RFC 4271 section 9.1.2.2 e).
	moved := len(x.risen) > 0 || slices.ContainsFunc(r.Forwarding(),
		func(h route.NextHop) bool { return !x.asFar(was, t, h.Address, metrics) })
	return x.proto == route.BGP && moved && x.several(r.Prefix)
}

// from reports whether a route was learned from a speaker: the next hop is its own, or it had the prefix by the same
// one.
func (x *spoken) from(was *network.Device, r route.Route, z int) bool {
	for _, h := range r.Forwarding() {
		if o := x.topo.Find(was, h.Interface, h.Address, true); o.Device != nil && o.Device.Name == x.list[z].device {
			return true
		}
		for _, far := range x.before(z, r.Prefix) {
			if slices.ContainsFunc(far.Forwarding(),
				func(g route.NextHop) bool { return g.Address.IsValid() && g.Address == h.Address }) {
				return true
			}
		}
	}
	return false
}

// before is what a speaker used for a prefix before the change.
func (x *spoken) before(z int, p netip.Prefix) []route.Route {
	if d := x.was(x.list[z].device); d != nil {
		if t := d.Table(x.list[z].table, x.family); t != nil {
			return deciding(t.RoutesTo(p))
		}
	}
	return nil
}

// offers reports whether a speaker has a prefix now, otherwise than by the protocol, so that it may announce it anew.
func (x *spoken) offers(z int, p netip.Prefix) bool {
	_, t := x.table(z)
	if t == nil {
		return false
	}
	rows := t.RoutesTo(p)
	open := slices.ContainsFunc(rows, func(r route.Route) bool { return r.Is(route.Untold) })
	return slices.ContainsFunc(rows, func(r route.Route) bool {
		return r.Protocol != x.proto && (r.Is(route.Installed) || open && !r.Is(route.Unusable))
	})
}

// several reports whether packets to a prefix left by more than one exit: only then another one may be nearer now.
func (x *spoken) several(p netip.Prefix) bool {
	exit := ""
	for i := range x.list {
		for _, r := range x.before(i, p) {
			e := x.exit(i, r, 0)
			if exit != "" && e != exit {
				return true
			}
			exit = e
		}
	}
	return false
}

// exit names where a speaker's route leaves the speakers: at the last device that has the prefix by one of the others.
func (x *spoken) exit(i int, r route.Route, depth int) string {
	own := x.list[i].device
	if r.Protocol != x.proto || depth > len(x.list) || len(r.NextHops) == 0 {
		return own
	}
	h := r.NextHops[0]
	if len(r.NextHops) > 1 {
		return own + " and others"
	}
	o := x.topo.Find(x.was(own), h.Interface, h.Address, true)
	for z, n := range x.list {
		if z == i {
			continue
		}
		for _, far := range x.before(z, r.Prefix) {
			if o.Device != nil && n.device == o.Device.Name {
				return x.exit(z, far, depth+1)
			}
		}
	}
	return h.Address.String()
}

// asFar reports whether the way to a next hop is one of the same metric as before.
func (x *spoken) asFar(was *network.Device, t *network.Table, hop netip.Addr, known map[netip.Addr]bool) bool {
	if !hop.IsValid() {
		return true
	}
	if same, ok := known[hop]; ok {
		return same
	}
	a, b := selection.Longest(was.Table(t.Name, t.Family), hop), selection.Longest(t, hop)
	same := a.Found() && b.Found() && len(a.Routes) > 0 && len(b.Routes) > 0 && a.Prefix == b.Prefix &&
		a.Routes[0].Protocol == b.Routes[0].Protocol && a.Routes[0].Metric == b.Routes[0].Metric
	known[hop] = same
	return same
}

// comesIn looks at a prefix that the speaker does not have by the protocol, and that it has otherwise now, or another
// one has: what is announced of it may come before its own.
func (x *spoken) comesIn(i int, d *network.Device, t *network.Table, p netip.Prefix, who []int) bool {
	rows := t.RoutesTo(p)
	mine := func(r route.Route) bool { return r.Protocol == x.proto && !r.Is(route.Unusable) }
	if x.workedOut(p) || slices.ContainsFunc(rows, mine) {
		return false
	}
	told := false
	if slices.Contains(who, i) {
		for z := range x.list {
			told = told || z != i && x.announces(z, p)
		}
	} else {
		told = slices.ContainsFunc(who, func(z int) bool {
			return x.announces(z, p) || !x.standFirst(t, rows) && x.maybe(z, p)
		})
	}
	if !told {
		return false
	}
	return x.leaveOpen(d, t, p, rows)
}

// standFirst reports whether what is used of a prefix stays whatever the protocol tells of it.
func (x *spoken) standFirst(t *network.Table, rows []route.Route) bool {
	told := route.Number{}
	if a := x.usual(t); a != nil {
		told = a.Preference
	}
	return standFirst(t, rows, x.proto, told)
}

// leaveOpen adds a route of the protocol to a prefix, of which nobody knows whether it is there.
func (x *spoken) leaveOpen(d *network.Device, t *network.Table, p netip.Prefix, rows []route.Route) bool {
	best := x.usual(t)
	if best == nil {
		if !configured(d) {
			return false // nothing shows that it listens too
		}
		best = &route.Attributes{Protocol: x.proto}
	}
	open := route.Route{Prefix: p, Attributes: best, State: route.Active | route.Rejected | route.Untold}
	return x.put(d.Name, t.Name, p, selection.ElectAmongUntold(d, t, append(rows, open)))
}

// heard looks at what other speakers announce, where a neighbour of the device or of theirs may have come back: the
// device may learn it now, by way of others too.
func (x *spoken) heard(i int, d *network.Device, t *network.Table) bool {
	changed := false
	for z := range x.list {
		_, far := x.table(z)
		if z == i || far == nil || !x.risen[d.Name] && !x.risen[x.list[z].device] {
			continue
		}
		for k := 0; k < far.Routes().Len(); {
			g := far.Group(k)
			k = g.Hi
			if p := far.Routes().Prefix(g.Lo); x.announces(z, p) || x.maybe(z, p) {
				changed = x.comesIn(i, d, t, p, []int{z}) || changed
			}
		}
	}
	return changed
}

// maybe reports whether a speaker may announce a prefix of which nothing shows it: one that is new to it, or any where
// a neighbour may come back and it was never seen to announce anything. No configuration tells what it announces.
func (x *spoken) maybe(z int, p netip.Prefix) bool {
	d, t := x.table(z)
	fresh := len(x.before(z, p)) == 0 || len(x.risen) > 0 && len(x.announced[z]) == 0
	return t != nil && fresh && len(deciding(t.RoutesTo(p))) > 0 &&
		!d.Redistributed().Any(func(r network.Redistribution) bool { return r.Protocol == x.proto })
}

// announces reports whether a speaker has a prefix now by a source of which it is seen to announce.
func (x *spoken) announces(z int, p netip.Prefix) bool {
	_, t := x.table(z)
	return t != nil && slices.ContainsFunc(deciding(t.RoutesTo(p)), func(r route.Route) bool {
		return r.Protocol == x.proto || x.announced[z][r.Protocol]
	})
}

// usual are attributes of the protocol's route that comes first in a table, nil where it has none.
func (x *spoken) usual(t *network.Table) *route.Attributes {
	var best *route.Attributes
	for id := range t.Routes().Shared() {
		a := t.Routes().Attributes(route.AttrID(id))
		if a.Protocol == x.proto && (best == nil ||
			selection.Before(route.Route{Attributes: a}, route.Route{Attributes: best}, t.HighestWins)) {
			best = a
		}
	}
	if best == nil {
		return nil
	}
	return &route.Attributes{Protocol: x.proto, Preference: best.Preference}
}
