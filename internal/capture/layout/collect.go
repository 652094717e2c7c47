package layout

import (
	"bytes"
	"cmp"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A Collector puts a Reading together: routes into their tables with shared attributes, lines into their accounts.
// The zero Collector is ready to use; set Reading.Layout.
type Collector struct {
	Reading
	Spans   []Span
	index   map[tableKey]int
	sharers []sharer
	last    tableKey
	lastAt  int // index + 1 of the table of last
	// PathTypes is set where the layout tells kinds of OSPF paths apart; set it before rows are added.
	PathTypes bool
	// Plain is set where what follows are rows as net-tools print them (network.TableFacts.Plain); set it before they
	// are added.
	Plain bool
}

type tableKey struct {
	name   string
	family route.Family
	kind   network.Kind
}

// A Shared names attributes that a table has already; the zero Shared names none.
type Shared struct {
	table  int // index + 1
	id     route.AttrID
	metric route.Number
}

// With returns s for a route that has another metric, where that is known.
func (s Shared) With(metric route.Number) Shared {
	if metric.Known {
		s.metric = metric
	}
	return s
}

// Attributes are those of one row: what many routes share, and the metric.
type Attributes struct {
	route.Attributes
	Metric route.Number
}

// Route returns the route to a prefix with these attributes, which it keeps: Add copies them.
func (a *Attributes) Route(p netip.Prefix, s route.State, m route.Mark) route.Route {
	return route.Route{Prefix: p, Attributes: &a.Attributes, Metric: a.Metric, State: s, Mark: m}
}

// Add adds a route and says where its attributes are kept. The caller may reuse them: equal ones are stored once. Room
// is how many more routes of a new table to expect, 0 if not known.
func (c *Collector) Add(name string, kind network.Kind, r route.Route, room int) Shared {
	k := tableKey{name, route.FamilyOf(r.Prefix.Addr()), kind}
	if c.lastAt == 0 || k != c.last {
		c.last, c.lastAt = k, c.table(k, room)+1
	}
	if r.Protocol == route.Direct && r.Special == route.None && !r.Prefix.IsSingleIP() && Nowhere(r.NextHops) {
		var hop route.NextHop // what else a row says of it stays
		if len(r.NextHops) > 0 {
			hop = r.NextHops[0]
		}
		hop.Interface = network.UnnamedPort(r.Prefix)
		a := *r.Attributes
		a.NextHops = []route.NextHop{hop}
		r.Attributes = &a
	}
	if discarding(r.Attributes) {
		a := *r.Attributes
		a.Special, a.NextHops = route.Blackhole, nil
		r.Attributes = &a
	}
	// an attached network may be told by the device's address
	if r.Protocol != route.Local && (r.Protocol != route.Direct || r.Prefix.Bits() < r.Prefix.Addr().BitLen()/4) {
		c.noteHostBits(r.Prefix, r.Mark)
	}
	l := &c.Facts.Tables[c.lastAt-1].Routes
	id := c.sharers[c.lastAt-1].id(l, r.Attributes)
	l.Add(r, id)
	return Shared{c.lastAt, id, r.Metric}
}

// Room is how many routes to expect in the first table where each has a line of its own in the text that begins with
// one; 0 where there is a table already.
func (c *Collector) Room(rest []byte) int {
	if len(c.Facts.Tables) > 0 {
		return 0
	}
	return min(bytes.Count(rest, []byte{'\n'}), len(rest)/shortRow) + 1
}

// shortRow is as short as rows are, in bytes: many shorter lines are none.
const shortRow = 16

// Nowhere reports whether none of some next hops has an address or an interface.
func Nowhere(hops []route.NextHop) bool {
	return !slices.ContainsFunc(hops, func(h route.NextHop) bool { return h.Address.IsValid() || h.Interface != "" })
}

// discarding reports whether all that a route leads to throws packets away, though no word says so.
func discarding(a *route.Attributes) bool {
	if a.Special != route.None || a.Protocol == route.Local || len(a.NextHops) == 0 {
		return false
	}
	for i := range a.NextHops {
		if !Discards(a.NextHops[i].Interface) {
			return false
		}
	}
	return true
}

// Again tells that what follows is printed anew: routes of a table that has some already are those of another moment.
func (c *Collector) Again() { c.index, c.lastAt = nil, 0 }

// table returns the index of a table, new where there was none.
func (c *Collector) table(k tableKey, room int) int {
	i, ok := c.index[k]
	if !ok {
		if c.index == nil {
			c.index = map[tableKey]int{}
		}
		i = len(c.Facts.Tables)
		c.index[k] = i
		c.sharers = append(c.sharers, sharer{})
		c.Facts.Tables = append(c.Facts.Tables,
			network.TableFacts{Name: k.name, Family: k.family, Kind: k.kind, PathTypes: c.PathTypes,
				Plain: c.Plain})
		c.Facts.Tables[i].Routes.Grow(room)
	}
	return i
}

// AddShared adds a route with attributes that Add returned, to the table that Add put them in.
func (c *Collector) AddShared(p netip.Prefix, s Shared, state route.State, m route.Mark) {
	c.noteHostBits(p, m)
	c.Facts.Tables[s.table-1].Routes.Add(route.Route{Prefix: p, Metric: s.metric, State: state, Mark: m}, s.id)
}

// noteHostBits keeps the line of a row whose prefix has bits that its length does not cover.
func (c *Collector) noteHostBits(p netip.Prefix, m route.Mark) {
	if p.Masked() != p {
		c.HostBits = append(c.HostBits, m)
	}
}

// Attributes returns what Add has stored. Do not change them.
func (c *Collector) Attributes(s Shared) Attributes {
	return Attributes{*c.Facts.Tables[s.table-1].Routes.Attributes(s.id), s.metric}
}

// CutLast marks the table that got the last route as cut off.
func (c *Collector) CutLast() {
	if c.lastAt > 0 {
		c.Facts.Tables[c.lastAt-1].Cut = true
	}
}

// Partial marks what was read of a table so far, of either family, as a part of it: the line counts more than it shows.
func (c *Collector) Partial(table string, is bool, lo, hi int) {
	for i := range c.Facts.Tables {
		if t := &c.Facts.Tables[i]; is && t.Name == table {
			t.Filtered = Mark(lo, hi)
		}
	}
}

// LeaveUnread accounts for a line that could not be read.
func (c *Collector) LeaveUnread(lo, hi int, why error) {
	c.Unread = append(c.Unread, Unread{Mark: Mark(lo, hi), Reason: why})
}

// Beside returns a collector for n lines of the text, skip lines behind the start of c's, whose routes are kept in room
// that c's table has reserved. Join brings them together.
func (c *Collector) Beside(skip, n int) Collector {
	var o Collector
	if len(c.Facts.Tables) == 1 {
		o.table(c.last, 0)
		o.last, o.lastAt = c.last, 1
		o.Facts.Tables[0].Routes = c.Facts.Tables[0].Routes.Window(skip, n)
	}
	return o
}

// Join adds what another collector has of the text behind this one's, and empties it.
func (c *Collector) Join(o *Collector) {
	c.Read, c.Passed = c.Read+o.Read, append(c.Passed, o.Passed...)
	c.Unread, c.Spans = append(c.Unread, o.Unread...), append(c.Spans, o.Spans...)
	c.HostBits = append(c.HostBits, o.HostBits...)
	for i := range o.Facts.Tables {
		t := &o.Facts.Tables[i]
		at := c.table(tableKey{t.Name, t.Family, t.Kind}, 0)
		mine := &c.Facts.Tables[at]
		mine.Cut = mine.Cut || t.Cut
		mine.Routes.Append(&t.Routes, func(s route.State) route.State { return s })
	}
	*o = Collector{}
}

// Restrict keeps that packets meet a filter or policy where the rule says, whose text was not read: it may stop them or
// not. Each is a chain of its own. A rule without a hook holds for what comes in, what is for the device itself too,
// and for what leaves, what the device sends itself too: RestrictForwarded leaves both out.
func (c *Collector) Restrict(rule network.FlowRule, lo, hi int) { c.RestrictAt(rule, Mark(lo, hi)) }

// RestrictAt is Restrict for evidence that is no part of the text that is read.
func (c *Collector) RestrictAt(rule network.FlowRule, m route.Mark) {
	switch {
	case rule.Hook != network.Forwarded:
	case rule.Out != "" && rule.In != "": // from one interface to another
	case rule.Out != "":
		rule.Hook = network.GoingOut
	case rule.In != "":
		rule.Hook = network.ComingIn
	default:
		rule.Hook = network.ComingIn
		c.restrict(rule, m)
		rule.Hook = network.FromItself
	}
	c.restrict(rule, m)
}

// RestrictForwarded is Restrict for what asks about forwarded packets alone.
func (c *Collector) RestrictForwarded(rule network.FlowRule, lo, hi int) {
	c.restrict(rule, Mark(lo, hi))
}

func (c *Collector) restrict(rule network.FlowRule, m route.Mark) {
	rule.Mark, rule.Chain = m, firstChain+len(c.Facts.Policy.Flows)
	rule.Undecided, rule.NotRead = true, true
	rest := network.FlowRule{Hook: rule.Hook, Family: rule.Family, Permit: true, NotRead: true, Chain: rule.Chain,
		Mark: rule.Mark}
	c.Facts.Policy.Flows = append(c.Facts.Policy.Flows, rule, rest)
}

// firstChain is beyond the chains that readers number by what a capture says.
const firstChain = 1 << 20

// ReadOrPart accounts for lines, in order, of which together facts were made: those that a fact rests on are read, the
// others are parts of what those tell.
func (c *Collector) ReadOrPart(lines []route.Mark) {
	used := make([]bool, len(lines))
	var last route.Mark
	for m := range c.FactMarks() {
		if m == last { // many rules of one line
			continue
		}
		last = m
		i, _ := slices.BinarySearchFunc(lines, m.Off,
			func(l route.Mark, off uint32) int { return cmp.Compare(l.Off, off) })
		for ; i < len(lines) && lines[i].Off < max(m.End, m.Off+1); i++ {
			used[i] = true
		}
	}
	for i, m := range lines {
		if used[i] {
			c.Read++
		} else {
			c.Pass(int(m.Off), int(m.End), Part)
		}
	}
}
