package layout

import (
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A Collector puts a Reading together: routes into their tables with shared attributes, lines into their accounts.
// The zero Collector is ready to use; set Reading.Layout.
type Collector struct {
	Reading
	tables map[tableKey]*sharer
	index  map[tableKey]int
	last   tableKey
}

type tableKey struct {
	name   string
	family route.Family
	kind   network.Kind
}

// Add adds a route. Attributes may be reused by the caller: equal ones are stored once. Room is how many more routes
// of a new table to expect, 0 if not known.
func (c *Collector) Add(name string, kind network.Kind, r route.Route, room int) {
	k := tableKey{name, route.FamilyOf(r.Prefix.Addr()), kind}
	i, ok := c.index[k]
	if !ok {
		if c.index == nil {
			c.index, c.tables = map[tableKey]int{}, map[tableKey]*sharer{}
		}
		i = len(c.Facts.Tables)
		c.index[k], c.tables[k] = i, &sharer{}
		c.Facts.Tables = append(c.Facts.Tables, network.TableFacts{Name: name, Family: k.family, Kind: kind})
		c.Facts.Tables[i].Routes.Grow(room)
	}
	c.last = k
	l := &c.Facts.Tables[i].Routes
	l.Add(r.Prefix, c.tables[k].id(l, r.Attributes), r.State, r.Mark)
}

// CutLast marks the table that got the last route as cut off.
func (c *Collector) CutLast() {
	if i, ok := c.index[c.last]; ok {
		c.Facts.Tables[i].Cut = true
	}
}

// LeaveUnread accounts for a line that could not be read.
func (c *Collector) LeaveUnread(lo, hi int, why error) {
	c.Unread = append(c.Unread, Unread{Mark: Mark(lo, hi), Reason: why})
}
