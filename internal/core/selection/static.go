package selection

import (
	"cmp"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// Fate is what became of a configured static route. The zero Fate is that the captures do not show it.
type Fate uint8

const (
	NotShown        Fate = iota // valid by all that was captured, and yet not in the table
	InUse                       // it forwards
	Standby                     // another source is preferred for its prefix: a backup that waits
	HopUnresolved               // nothing leads to its next hop
	HopUntold                   // what leads to its next hop, the captures do not tell
	HopByDefault                // nothing but the default route leads to its next hop, which most devices do not accept
	InterfaceDown               // its interface, or the one its next hop is on, is down
	InterfaceGone               // the device has no interface of that name
	Deactivated                 // the table has it as inactive
	RefusedToUse                // the table has it, and what forwards did not take it
	AgainstTheOrder             // it should be in use: no other source for its prefix is preferred
	ObjectDown                  // the object that it is tied to is down
	SessionDown                 // the liveness session with its next hop, which it is tied to, is down
)

// usualStatic is the preference of a static route where neither the statement nor the table shows one.
const usualStatic = 1

// HighestUsual is the highest preference that any system gives a static route whose statement has none. A preference
// that is assumed comes before a higher one alone.
const HighestUsual = 60

// usualKernelMetric is the metric of an IPv6 route that is given to a kernel without one (Linux: IP6_RT_PRIO_USER).
const usualKernelMetric = 1024

// A Configured is a static route that stands in a configuration, with what became of it.
type Configured struct {
	Static  network.Static
	Route   route.Route // as it would stand in the table
	Fate    Fate
	Index   int  // of its route in the table, -1 for none
	Assumed bool // its preference is the usual one, not one that was captured
	Failure Failure
	Exits   []Exit      // where its next hop is found
	Winner  route.Route // Standby, AgainstTheOrder and with a tie: what is used for its prefix
	Why     Why         // Standby: the rule by which it waits
	Told    route.Mark  // ObjectDown, SessionDown: the line that says so
}

// Lines are the lines of captures that tell of it and its fate.
func (c *Configured) Lines() []route.Mark {
	if c.Told.Known() {
		return []route.Mark{c.Static.Mark, c.Told}
	}
	return []route.Mark{c.Static.Mark}
}

// Absent reports whether the route is not in the table although its next hop could be used and its preference would
// do. What it is tied to is down, or another moment was captured, or nobody knows what keeps it out: whether it comes in
// when what is used goes cannot be told.
func (c *Configured) Absent() bool {
	switch c.Fate {
	case NotShown, AgainstTheOrder, ObjectDown, SessionDown:
		return true
	}
	return false
}

// configured judges the configured statics of t's table that cover dst.
func configured(d *network.Device, t *network.Table, dst netip.Prefix) []Configured {
	var out []Configured
	for bits := range dst.Bits() + 1 {
		p, err := dst.Addr().Prefix(bits)
		if err != nil || d.Statics().Len() == 0 {
			break
		}
		for _, s := range d.StaticsTo(p).All() {
			if inTable(s, t) {
				out = append(out, fate(d, t, s))
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Configured) int { // as in the text
		return cmp.Or(cmp.Compare(a.Static.Mark.File, b.Static.Mark.File), cmp.Compare(a.Static.Mark.Off, b.Static.Mark.Off))
	})
	return out
}

// Prospect says whether a static route could be used, whatever the table has for its prefix now: its fate is NotShown if
// so.
func Prospect(d *network.Device, t *network.Table, s network.Static) Configured {
	c := candidate(d, t, s)
	if c.resolve(d, t); c.Fate == NotShown {
		c.asksTie(d)
	}
	return c
}

// candidate is a configured static route as it would stand in the table, of which nothing more is known.
func candidate(d *network.Device, t *network.Table, s network.Static) Configured {
	c := Configured{Static: s, Index: -1}
	metric := s.Metric
	a := route.Attributes{Protocol: route.Static, Preference: s.Preference, Special: s.Special}
	if !a.Preference.Known {
		a.Preference, c.Assumed = usualPreference(d, t)
	}
	if t.Kernel && !t.Chosen && t.Family == route.IPv6 && !metric.Known {
		metric = route.N(usualKernelMetric)
	}
	if s.Special == route.None {
		a.NextHops = []route.NextHop{s.NextHop}
	}
	c.Route = route.Route{Prefix: s.Prefix, Attributes: &a, Metric: metric, Mark: s.Mark}
	return c
}

// fate tells what became of a configured static route: the row of the table that is it, or why there is none.
func fate(d *network.Device, t *network.Table, s network.Static) Configured {
	c := candidate(d, t, s)
	var group []route.Route
	if g, ok := t.Exact(s.Prefix); ok {
		for i, r := range t.Members(g) {
			group = append(group, r)
			if c.Index < 0 && sameStatic(d, s, r) {
				c.Index = i
				c.judgeRow(r)
			}
		}
	}
	if c.Index >= 0 && c.Fate != Standby {
		return c
	}
	if c.Index < 0 {
		c.resolve(d, t)
	}
	if c.Fate == NotShown || c.Fate == Standby {
		c.compete(t, group)
	}
	if c.Index < 0 && (c.Absent() || c.Fate == HopUntold) {
		c.asksTie(d)
	}
	return c
}

// judgeRow says what the table's own row tells.
func (c *Configured) judgeRow(r route.Route) {
	switch {
	case r.Is(route.Installed):
		c.Fate = InUse
	case r.Is(route.Untold):
		c.Fate = NotShown
	case r.Is(route.Unusable):
		c.Fate = Deactivated
	case r.Is(route.Rejected), r.Is(route.Active):
		c.Fate = RefusedToUse
	default:
		c.Fate = Standby
	}
}

// resolve says whether its next hop could be used.
func (c *Configured) resolve(d *network.Device, t *network.Table) {
	s := c.Static
	if name := s.NextHop.Interface; name != "" && s.Special == route.None {
		switch i := d.Interface(name); {
		case i.State == network.LinkDown:
			c.Fate = InterfaceDown
			return
		case i.Name == "" && d.Interfaces().Len() > 0:
			c.Fate = InterfaceGone
			return
		}
	}
	if s.Special != route.None || s.NextHop.Table != "" {
		return
	}
	res := Resolve(t, c.Route)[0]
	c.Failure, c.Exits = res.Failure, res.Exits
	if res.Failure != Resolved {
		c.Fate = HopUnresolved
		if res.Failure == Untold {
			c.Fate = HopUntold
		}
		return
	}
	down, byDefault := true, true
	for _, e := range res.Exits {
		down = down && (e.Down || d.Interface(e.Interface).State == network.LinkDown)
		byDefault = byDefault && len(e.Via) > 0 && e.Via[0].Prefix.Bits() == 0
	}
	switch {
	case down:
		c.Fate = InterfaceDown
	case byDefault:
		c.Fate = HopByDefault
	}
}

// compete compares it with what its prefix has in the table.
func (c *Configured) compete(t *network.Table, group []route.Route) {
	for _, r := range group {
		if !r.Is(route.Active) && !r.Is(route.Installed) {
			continue
		}
		c.Winner = r
		switch order, why, assumed := compare(r, c.Route, t.HighestWins); {
		case order < 0:
			c.Fate, c.Why, c.Assumed = Standby, why, c.Assumed || assumed
		case order > 0 && (!c.Assumed || why != Preference || r.Preference.Value > HighestUsual):
			c.Fate, c.Why = AgainstTheOrder, why
		}
		return
	}
}

// asksTie says whether what the route is tied to was seen down, and never up.
func (c *Configured) asksTie(d *network.Device) {
	switch object, session, told := d.TieDown(c.Static); {
	case object:
		c.Fate, c.Told = ObjectDown, told
	case session:
		c.Fate, c.Told = SessionDown, told
	}
}

// sameStatic reports whether a row of the table is the configured route. Where the row has another preference than the
// statement it is, unless the device has a second statement that differs in that alone: then each has its own row.
func sameStatic(d *network.Device, s network.Static, r route.Route) bool {
	if !couldBe(s, r) {
		return false
	}
	if !r.Preference.Known || r.Preference == s.Preference {
		return true
	}
	return !d.StaticsTo(s.Prefix).Any(func(o network.Static) bool {
		return o.Preference == r.Preference && o.Table == s.Table && couldBe(o, r)
	})
}

// couldBe reports whether a row of the table is made by a configured route, or by one of another preference.
func couldBe(s network.Static, r route.Route) bool {
	if r.Protocol != route.Static && r.Protocol != route.Other && r.Protocol != route.Kernel {
		return false
	}
	if s.Special != route.None || r.Special != route.None {
		return s.Special == r.Special
	}
	for _, h := range r.NextHops {
		if h.Address == s.NextHop.Address &&
			(h.Interface == s.NextHop.Interface || s.NextHop.Interface == "" || h.Interface == "") &&
			!h.Resolves {
			return true
		}
	}
	return false
}

// maxAsked is how many statements are looked up in the table to learn the usual preference.
const maxAsked = 64

// usualPreference returns the preference that a device gives static routes whose statement has none: what the table
// shows for one of them; else the lowest it shows for a static route that no statement gives; else the usual one, which
// is assumed.
func usualPreference(d *network.Device, t *network.Table) (n route.Number, assumed bool) {
	if t.Supposed { // it shows nothing
		return route.N(usualStatic), true
	}
	asked := 0
	for _, s := range d.Statics().All() {
		if s.Preference.Known || !inTable(s, t) {
			continue
		}
		if asked++; asked > maxAsked {
			break
		}
		for _, r := range t.RoutesTo(s.Prefix) {
			if r.Protocol == route.Static && r.Preference.Known && sameStatic(d, s, r) {
				return r.Preference, false
			}
		}
	}
	given := func(n route.Number) bool {
		return d.Statics().Any(func(s network.Static) bool { return s.Preference == n })
	}
	for id := range t.Routes().Shared() {
		a := t.Routes().Attributes(route.AttrID(id))
		if a.Protocol == route.Static && a.Preference.Less(n) && !given(a.Preference) {
			n = a.Preference
		}
	}
	if n.Known {
		return n, false
	}
	return route.N(usualStatic), true
}

// inTable reports whether a configured route is meant for a table.
func inTable(s network.Static, t *network.Table) bool {
	return s.Table == t.Name || s.Table == "" && t.Name == "default"
}
