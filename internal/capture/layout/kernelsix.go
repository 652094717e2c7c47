package layout

import (
	"fmt"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A Linux kernel's file of IPv6 routes, and what net-tools make of it, shows all tables one behind the other without
// their names. In each one longer prefixes come before those that cover them, so that ::/0 is its last one, which is
// shown even where no route leads there; the tables come in the order of their numbers, but for those above 255, with
// that of the kernel's own addresses last and the main one before it.

// stretch is where the routes of one such table are in the list.
type stretch struct {
	lo, hi int
	own    bool // it has the kernel's own addresses, and nothing else
	links  bool // it has link-local networks, as the main one does
}

// PartKernelTables puts routes of IPv6 that stand in another table than the main one into tables of their own; of those
// only the place is known, as an unnumbered one. Where nothing tells which is the main one all routes stay in it.
func (c *Collector) PartKernelTables() {
	at := slices.IndexFunc(c.Facts.Tables, func(t network.TableFacts) bool {
		return t.Name == "default" && t.Family == route.IPv6 && t.Kind == network.ForwardingTable
	})
	if at < 0 {
		return
	}
	all := &c.Facts.Tables[at].Routes
	list := stretches(all)
	var mine []int
	others := map[int][]int{}
	from := 0 // the first one of a printing
	for i, s := range list {
		if !s.own && i+1 < len(list) {
			continue
		}
		main := from
		for j := from; j < i; j++ {
			if list[j].links || !list[main].links {
				main = j
			}
		}
		for j := from; j <= i; j++ {
			for n := list[j].lo; n < list[j].hi; n++ {
				if !s.own || j == main || j == i {
					mine = append(mine, n)
				} else {
					others[j-from] = append(others[j-from], n)
				}
			}
		}
		from = i + 1
	}
	if len(others) == 0 {
		return
	}
	kept := *all
	c.Facts.Tables[at].Routes = kept.Pick(mine)
	for i := range list {
		if len(others[i]) == 0 {
			continue
		}
		n := c.table(tableKey{fmt.Sprintf("unnumbered %d", i+1), route.IPv6, network.ForwardingTable}, 0)
		t := &c.Facts.Tables[n]
		t.Routes, t.ByRule, t.Plain = kept.Pick(others[i]), true, c.Facts.Tables[at].Plain
	}
}

// stretches are the tables of a list of routes in the order in which a kernel shows them.
func stretches(l *route.List) (all []stretch) {
	s := stretch{own: true}
	receives := false
	for i := range l.Len() {
		r := l.At(i)
		root := r.Prefix.Bits() == 0
		if i > s.lo && !root && l.Prefix(i-1).Bits() == 0 {
			s.own = s.own && receives
			all = append(all, s)
			s, receives = stretch{lo: i, own: true}, false
		}
		receives = receives || r.Special == route.Receive
		s.own = s.own && r.Special != route.None
		s.links = s.links || r.Prefix.Addr().IsLinkLocalUnicast()
		s.hi = i + 1
	}
	s.own = s.own && receives
	return append(all, s)
}
