package audit

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// cursor goes through the prefixes of one table in the order of their addresses and knows at each point the longest one
// that forwards.
type cursor struct {
	table  *network.Table
	device int // in auditor.devices
	acts   *actions
	i      int     // the next route
	stack  []frame // the prefixes that hold the point, shorter ones below
	next   number  // the next point at which anything changes
	done   bool    // nothing changes any more
	runs   bool    // it was put at a point by runTo
	cut    number  // from here on the capture of the table is incomplete
	isCut  bool
	now    int32 // the action at the point
	group  int   // its routes' first, -1: none
}

type frame struct {
	last   number
	action int32
	group  int
}

// start puts the cursor at a point.
func (c *cursor) start(at number, fam route.Family) {
	c.stack, c.done, c.isCut = c.stack[:0], false, c.table.CutAt.IsValid()
	if c.isCut {
		c.cut = numberOf(c.table.CutAt.Addr())
	}
	a := at.addr(fam)
	var over []network.Group // longest first
	for g := range c.table.Search(netip.PrefixFrom(a, a.BitLen())) {
		over = append(over, g)
	}
	c.i = c.seek(at)
	slices.Reverse(over)
	for _, g := range over {
		if g.Lo < c.i {
			c.push(g)
		}
	}
	c.settle(at)
}

// seek returns the first route whose prefix begins at or behind a point.
func (c *cursor) seek(at number) int {
	lo, hi := 0, c.table.Routes().Len()
	for lo < hi {
		m := int(uint(lo+hi) / 2)
		fh, fl, _, _ := c.table.Routes().Span(m)
		if (number{fh, fl}).less(at) {
			lo = m + 1
		} else {
			hi = m
		}
	}
	return lo
}

// runTo moves to a point that is not before the last one.
func (c *cursor) runTo(at number, fam route.Family) {
	if !c.runs {
		c.runs = true
		c.start(at, fam)
		return
	}
	for !c.done && !at.less(c.next) {
		c.advance()
	}
}

// jump finds what the table says at a point, without the ones before and behind it.
func (c *cursor) jump(at number, fam route.Family) {
	c.now, c.group = noAction, -1
	if c.table.CutAt.IsValid() && !at.less(numberOf(c.table.CutAt.Addr())) {
		c.now = cutAction
		return
	}
	a := at.addr(fam)
	for g := range c.table.Search(netip.PrefixFrom(a, a.BitLen())) { // longest first
		if id, ok := c.acts.of(g); ok {
			c.now, c.group = id, g.Lo
			return
		}
	}
}

// push puts a group on the stack if it forwards.
func (c *cursor) push(g network.Group) {
	if id, ok := c.acts.of(g); ok {
		_, _, lh, ll := c.table.Routes().Span(g.Lo)
		c.stack = append(c.stack, frame{number{lh, ll}, id, g.Lo})
	}
}

// advance moves to c.next.
func (c *cursor) advance() {
	at := c.next
	for n := len(c.stack); n > 0 && c.stack[n-1].last.less(at); n-- {
		c.stack = c.stack[:n-1]
	}
	c.settle(at)
}

// settle takes in the prefixes that begin at the point and finds the next one.
func (c *cursor) settle(at number) {
	r := c.table.Routes()
	for c.i < r.Len() {
		if fh, fl, _, _ := r.Span(c.i); (number{fh, fl}) != at {
			break
		}
		g := c.table.Group(c.i)
		c.push(g)
		c.i = g.Hi
	}
	c.now, c.group = noAction, -1
	have := false
	if n := len(c.stack); n > 0 {
		top := c.stack[n-1]
		c.now, c.group = top.action, top.group
		if next := top.last.next(); next != (number{}) {
			c.next, have = next, true
		}
	}
	if c.i < r.Len() {
		fh, fl, _, _ := r.Span(c.i)
		if begin := (number{fh, fl}); !have || begin.less(c.next) {
			c.next, have = begin, true
		}
	}
	if c.isCut {
		switch {
		case !at.less(c.cut):
			c.now, c.group, c.isCut = cutAction, -1, false
			c.i, c.stack, have = r.Len(), c.stack[:0], false
		case !have || c.cut.less(c.next):
			c.next, have = c.cut, true
		}
	}
	c.done = !have
}
