package layout

import (
	"net/netip"

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
}

type tableKey struct {
	name   string
	family route.Family
	kind   network.Kind
}

// A Shared names attributes that a table has already; the zero Shared names none.
type Shared struct {
	table int // index + 1
	id    route.AttrID
}

// Add adds a route and says where its attributes are kept. The caller may reuse them: equal ones are stored once. Room
// is how many more routes of a new table to expect, 0 if not known.
func (c *Collector) Add(name string, kind network.Kind, r route.Route, room int) Shared {
	k := tableKey{name, route.FamilyOf(r.Prefix.Addr()), kind}
	if c.lastAt == 0 || k != c.last {
		i, ok := c.index[k]
		if !ok {
			if c.index == nil {
				c.index = map[tableKey]int{}
			}
			i = len(c.Facts.Tables)
			c.index[k] = i
			c.sharers = append(c.sharers, sharer{})
			c.Facts.Tables = append(c.Facts.Tables, network.TableFacts{Name: name, Family: k.family, Kind: kind})
			c.Facts.Tables[i].Routes.Grow(room)
		}
		c.last, c.lastAt = k, i+1
	}
	l := &c.Facts.Tables[c.lastAt-1].Routes
	id := c.sharers[c.lastAt-1].id(l, r.Attributes)
	l.Add(r.Prefix, id, r.State, r.Mark)
	return Shared{c.lastAt, id}
}

// AddShared adds a route with attributes that Add returned, to the table that Add put them in.
func (c *Collector) AddShared(p netip.Prefix, s Shared, state route.State, m route.Mark) {
	c.Facts.Tables[s.table-1].Routes.Add(p, s.id, state, m)
}

// Attributes returns what Add has stored. Do not change them.
func (c *Collector) Attributes(s Shared) *route.Attributes {
	return c.Facts.Tables[s.table-1].Routes.Attributes(s.id)
}

// CutLast marks the table that got the last route as cut off.
func (c *Collector) CutLast() {
	if c.lastAt > 0 {
		c.Facts.Tables[c.lastAt-1].Cut = true
	}
}

// LeaveUnread accounts for a line that could not be read.
func (c *Collector) LeaveUnread(lo, hi int, why error) {
	c.Unread = append(c.Unread, Unread{Mark: Mark(lo, hi), Reason: why})
}
