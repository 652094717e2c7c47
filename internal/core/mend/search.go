package mend

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/rehearse"
	"zarvek/internal/core/route"
)

// state is a network on paper with the orders that make it.
type state struct {
	edited *network.Snapshot // without what follows
	walker *forward.Walker
	orders []rehearse.Order
}

// then adds orders to a state. What follows is settled where a route is taken out, since others may have learned of it;
// of a route that is added only the proof looks at that.
func (s *search) then(at state, orders []rehearse.Order) (state, bool) {
	edited, err := s.edit(at.edited, orders)
	if err != nil {
		return at, false
	}
	out := state{edited: edited, orders: append(slices.Clone(at.orders), orders...)}
	if slices.ContainsFunc(out.orders, func(o rehearse.Order) bool { return o.Verb == rehearse.Remove }) {
		out.walker = s.start.On(s.settler.Run(edited).Network)
		return out, true
	}
	n, err := s.edit(at.walker.Topology().Network, orders)
	if err != nil {
		return at, false
	}
	out.walker = at.walker.On(n)
	return out, true
}

// solve makes trip by trip right with as few further orders as it takes, then leaves out what is not needed.
func (s *search) solve() ([]rehearse.Order, bool) {
	at := state{edited: s.edited, walker: s.walker}
	for _, t := range s.result.Wrong.Trips {
		var ok bool
		if at, ok = s.mendTrip(at, t); !ok {
			return nil, false
		}
	}
	for i := 0; s.result.Wrong.Where != nil && !s.result.Wrong.Holds(at.walker); i++ {
		t := s.result.Wrong.Where(at.walker)
		if t == nil || i == maxTrips {
			s.result.Outside = NoCure
			return nil, false
		}
		next, ok := s.mendTrip(at, *t)
		if !ok || len(next.orders) == len(at.orders) {
			return nil, false
		}
		at = next
	}
	return s.pruned(at.orders), len(at.orders) > 0
}

// mendTrip adds the fewest changes with which a trip ends well.
func (s *search) mendTrip(at state, t Trip) (state, bool) {
	for depth := range maxDepth + 1 {
		if out, ok := s.within(at, t, depth); ok {
			return out, true
		}
		if s.tries > maxTries {
			s.result.More = true
			break
		}
	}
	return at, false
}

// within looks for at most so many changes.
func (s *search) within(at state, t Trip, depth int) (state, bool) {
	rt := at.walker.Trace(t.Source, t.Destination)
	if t.Way.fine(at.walker, &rt) {
		return at, true
	}
	dir, dst := &rt.Forward, t.Destination
	if (t.Way == Back || rt.Forward.Verdict == forward.Arrives) && rt.Return != nil {
		dir, dst = rt.Return, t.Source
	}
	worst, ok := dir.Worst()
	if !ok {
		return at, false
	}
	if s.result.Stuck == nil {
		s.result.Stuck, s.result.Trip, s.result.Toward = &worst, t, dst
	}
	if o := s.notByRoutes(&worst); o != NoOutside {
		if s.result.Outside == NoOutside && len(at.orders) == 0 {
			s.result.Outside = o
		}
		return at, false
	}
	if depth == 0 {
		return at, false
	}
	for _, c := range s.candidates(at.walker, &worst, dst) {
		if s.tries++; s.tries > maxTries {
			return at, false
		}
		if slices.ContainsFunc(c, func(o rehearse.Order) bool { return s.banned[o.Words()] }) {
			continue
		}
		next, ok := s.then(at, c)
		if !ok {
			continue
		}
		if out, ok := s.within(next, t, depth-1); ok {
			return out, true
		}
	}
	return at, false
}

// notByRoutes tells why no route would help packets that end so; NoOutside where one may. Where a pair is asked for and
// its packets go to a next hop that was not captured, a route past it makes sure of what is not known now.
func (s *search) notByRoutes(b *forward.Branch) Outside {
	switch b.Verdict {
	case forward.Filtered, forward.NotForwarding, forward.StateMissing, forward.SourceCheck:
		return NotRoutes
	case forward.Unknown:
		if s.result.Wrong.Finding != nil || b.Reason.Code != forward.OwnerNotKnown || len(b.Hops) == 0 ||
			!b.Hops[len(b.Hops)-1].NextHop.IsValid() {
			return NotKnown
		}
	}
	if b.Reason.Code == forward.NobodyAnswers && (len(b.Hops) == 0 || !b.Hops[len(b.Hops)-1].NextHop.IsValid()) {
		return NotRoutes // the destination itself is silent
	}
	switch b.Reason.Code {
	case forward.HostSelf, forward.NoGateway, forward.BroadcastAddress, forward.RuleDenies:
		return NotRoutes
	}
	if len(b.Hops) == 0 {
		return NotRoutes
	}
	return NoOutside
}

// candidates lists changes that may lead packets to dst on from where they end, the most likely first.
func (s *search) candidates(w *forward.Walker, b *forward.Branch, dst netip.Addr) [][]rehearse.Order {
	var out [][]rehearse.Order
	seen := map[string]bool{}
	for i := len(b.Hops) - 1; i >= 0; i-- { // the device at which they end first
		h := &b.Hops[i]
		d := w.Topology().Network.Device(h.Device)
		if d == nil || seen[h.Device] {
			continue
		}
		seen[h.Device] = true
		ends := i == len(b.Hops)-1 || b.Verdict == forward.Loops
		if ends && h.Prefix.IsValid() && byHand(h.Route) &&
			(h.Route.Special != route.None || b.Verdict == forward.Loops) {
			out = append(out, []rehearse.Order{removal(h.Device, h.Table, h.Prefix, h.NextHop)})
		}
		p, ok := s.prefixFor(w, d, h.Table, dst)
		if !ok {
			continue
		}
		for _, l := range s.neighbours(w, d, h.Table, dst) {
			if l.hop != h.NextHop {
				out = append(out, replace(d, h.Table, p, l))
			}
		}
	}
	return out
}

// byHand reports whether a route is one that an engineer takes out with one line.
func byHand(r route.Route) bool { return r.Attributes != nil && r.Protocol == route.Static }

// prefixFor is the prefix of a route to dst: the network's own; beyond the captured networks the one by which
// neighbours know it.
func (s *search) prefixFor(w *forward.Walker, d *network.Device, table string, dst netip.Addr) (netip.Prefix, bool) {
	t := w.Topology()
	if len(t.Attached(dst)) == 0 {
		if len(t.Owners(dst)) > 0 {
			return netip.PrefixFrom(dst, dst.BitLen()), true
		}
		return s.neighboursPrefix(w, d, table, dst)
	}
	p, ok := t.NetworkOf(dst)
	return p, ok
}

// neighboursPrefix is the prefix by which the nearest neighbour that can leads dst on; a default only where it may be
// added.
func (s *search) neighboursPrefix(
	w *forward.Walker, d *network.Device, table string, dst netip.Addr,
) (netip.Prefix, bool) {
	for _, l := range s.neighbours(w, d, table, dst) {
		for _, b := range w.Onward(w.Topology().Network.Device(l.to), dst).Branches {
			if len(b.Hops) > 0 && b.Hops[0].Prefix.IsValid() && (b.Hops[0].Prefix.Bits() > 0 || s.opt.Defaults) {
				return b.Hops[0].Prefix, true
			}
		}
	}
	return netip.Prefix{}, false
}

// replace adds a static route; static ones of that prefix go first.
func replace(d *network.Device, table string, p netip.Prefix, l link) []rehearse.Order {
	add := rehearse.Order{Verb: rehearse.Add, Device: d.Name, Table: named(table),
		Static: network.Static{Table: named(table), Prefix: p, NextHop: route.NextHop{Address: l.hop}}}
	out := []rehearse.Order{}
	if t := d.Table(table, route.FamilyOf(p.Addr())); t != nil &&
		slices.ContainsFunc(t.RoutesTo(p), func(r route.Route) bool { return byHand(r) && r.Is(route.Installed) }) {
		out = append(out, removal(d.Name, table, p, netip.Addr{}))
	}
	return written(append(out, add))
}

func removal(device, table string, p netip.Prefix, hop netip.Addr) rehearse.Order {
	return written([]rehearse.Order{{Verb: rehearse.Remove, Device: device, Table: named(table), Prefix: p,
		NextHop: hop}})[0]
}

// written gives orders their words.
func written(all []rehearse.Order) []rehearse.Order {
	for i := range all {
		all[i].Text = all[i].Words()
	}
	return all
}

// named is a table's name in orders, where the default one needs none.
func named(table string) string {
	if table == "default" {
		return ""
	}
	return table
}

// pruned leaves out the orders without which all is as right.
func (s *search) pruned(orders []rehearse.Order) []rehearse.Order {
	orders = s.tidied(orders)
	for i := len(orders) - 1; i >= 0 && len(orders) > 1; i-- {
		if makesRoom(orders[i], orders) {
			continue
		}
		less := slices.Delete(slices.Clone(orders), i, i+1)
		if at, ok := s.then(state{edited: s.edited, walker: s.walker}, less); ok && s.isRight(at.walker) {
			orders = less
		}
	}
	return orders
}

// makesRoom reports whether an order takes a route out so that another one comes in its place.
func makesRoom(o rehearse.Order, orders []rehearse.Order) bool {
	return o.Verb == rehearse.Remove && slices.ContainsFunc(orders, func(x rehearse.Order) bool {
		return x.Verb == rehearse.Add && x.Device == o.Device && x.Table == o.Table && x.Static.Prefix == o.Prefix
	})
}

// tidied leaves out routes that a later order takes out again, and that order where nothing else is there to be taken
// out.
func (s *search) tidied(orders []rehearse.Order) []rehearse.Order {
	var out []rehearse.Order
	for _, o := range orders {
		if o.Verb == rehearse.Remove {
			out = slices.DeleteFunc(out, func(x rehearse.Order) bool {
				return x.Verb == rehearse.Add && x.Device == o.Device && x.Table == o.Table &&
					x.Static.Prefix == o.Prefix &&
					(!o.NextHop.IsValid() || x.Static.NextHop.Address == o.NextHop)
			})
			d := s.edited.Device(o.Device)
			twice := slices.ContainsFunc(out,
				func(x rehearse.Order) bool { return x.Words() == o.Words() && x.Verb == o.Verb })
			if twice || d == nil || len(Removed(d, o)) == 0 {
				continue
			}
		}
		out = append(out, o)
	}
	return out
}

// ban keeps the search from a refused change: its first order that is not banned yet is not tried again.
func (s *search) ban(orders []rehearse.Order) {
	for _, o := range orders {
		if w := o.Words(); o.Verb == rehearse.Add && !s.banned[w] || len(orders) == 1 {
			s.banned[w] = true
			return
		}
	}
	for _, o := range orders {
		s.banned[o.Words()] = true
	}
}

// Removed lists the routes that a removal takes out of a device: each a list of its next hops. One that a configuration
// tells of is listed as it stands there.
func Removed(d *network.Device, o rehearse.Order) [][]network.Static {
	var out [][]network.Static
	told := map[route.NextHop]bool{}
	fits := func(h route.NextHop) bool { return !o.NextHop.IsValid() || h.Address == o.NextHop }
	bare := func(h route.NextHop) route.NextHop {
		if h.Address.IsValid() {
			return route.NextHop{Address: h.Address}
		}
		return route.NextHop{Interface: h.Interface}
	}
	for _, s := range d.Statics().All() {
		if s.Prefix == o.Prefix && named(s.Table) == named(o.Table) && fits(s.NextHop) {
			out = append(out, []network.Static{s})
			told[bare(s.NextHop)] = true
		}
	}
	table := o.Table
	if table == "" {
		table = "default"
	}
	t := d.Table(table, route.FamilyOf(o.Prefix.Addr()))
	if t == nil {
		return out
	}
	for _, r := range t.RoutesTo(o.Prefix) {
		s := network.Static{Table: o.Table, Prefix: o.Prefix, Special: r.Special, Metric: r.Metric}
		var hops []network.Static
		for _, h := range r.NextHops { // a route goes whole
			if slices.ContainsFunc(r.NextHops, fits) && r.Special == route.None && !told[bare(h)] {
				s.NextHop = h
				hops = append(hops, s)
			}
		}
		if r.Special != route.None && !told[route.NextHop{}] {
			hops = append(hops, s)
		}
		if len(hops) > 0 {
			out = append(out, hops)
		}
	}
	return out
}
