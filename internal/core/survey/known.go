package survey

import (
	"iter"
	"maps"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

var families = [...]route.Family{route.IPv4, route.IPv6}

// placed is what the device of that number knows of a network.
type placed struct {
	device int
	Knower
}

// Known yields how every device knows a network, in the order of the case.
func (s *Survey) Known(n NetworkView) iter.Seq[Knower] {
	return func(yield func(Knower) bool) {
		known := n.known
		for i, k := range s.rest[route.FamilyOf(n.Prefix.Addr())] {
			if len(known) > 0 && known[0].device == i {
				k, known = known[0].Knower, known[1:]
			}
			if !yield(k) {
				return
			}
		}
	}
}

// Count counts the devices by how they know a network.
func (s *Survey) Count(n NetworkView) map[Knowledge]int {
	fam := route.FamilyOf(n.Prefix.Addr())
	out := map[Knowledge]int{}
	maps.Copy(out, s.restCount[fam])
	for _, k := range n.known {
		out[s.rest[fam][k.device].How]--
		out[k.How]++
	}
	return out
}

// findKnowledge asks each device about each network that a route of it touches, and once for all others: a large
// network has many devices that know most of it by their default alone.
func (s *Survey) findKnowledge() {
	attached := map[*network.Device][]int{}
	for i, n := range s.Networks {
		for _, a := range n.Attached {
			attached[a.Device] = append(attached[a.Device], i)
		}
	}
	for _, fam := range families {
		s.restCount[fam] = map[Knowledge]int{}
		for _, d := range s.devices {
			k := byDefault(d, d.Table("default", fam))
			s.rest[fam] = append(s.rest[fam], k)
			s.restCount[fam][k.How]++
		}
	}
	nets := ordered(s.Networks)
	for number, d := range s.devices {
		touched := slices.Clone(attached[d])
		for _, fam := range families {
			if tab := d.Table("default", fam); tab != nil {
				touched = nets.touched(touched, tab)
			}
		}
		slices.Sort(touched)
		for _, i := range slices.Compact(touched) {
			n := &s.Networks[i]
			fam := route.FamilyOf(n.Prefix.Addr())
			k, rest := knows(d, d.Table("default", fam), *n), s.rest[fam][number]
			if k.How != rest.How || k.Route.Prefix != rest.Route.Prefix {
				n.known = append(n.known, placed{number, k})
			}
		}
	}
}

// networks are the attached networks in the order of prefixes, each with the next one around it.
type networks struct {
	prefix []netip.Prefix
	around []int // the next one that contains it, -1: none
}

// ordered takes the networks of a survey, which stand in the order of their prefixes.
func ordered(all []NetworkView) networks {
	var n networks
	var open []int
	for i, v := range all {
		for len(open) > 0 && !n.prefix[open[len(open)-1]].Contains(v.Prefix.Addr()) {
			open = open[:len(open)-1]
		}
		around := -1
		if len(open) > 0 {
			around = open[len(open)-1]
		}
		n.prefix, n.around, open = append(n.prefix, v.Prefix), append(n.around, around), append(open, i)
	}
	return n
}

// touched adds the networks that a route of a table other than the default contains, or lies in: each of that family
// where the table has more routes than there are networks.
func (n networks) touched(out []int, tab *network.Table) []int {
	if tab.Routes().Len() > len(n.prefix) {
		for i, p := range n.prefix {
			if route.FamilyOf(p.Addr()) == tab.Family {
				out = append(out, i)
			}
		}
		return out
	}
	for i := range tab.Routes().Len() {
		p := tab.Routes().Prefix(i)
		if p.Bits() == 0 {
			continue
		}
		at, found := slices.BinarySearchFunc(n.prefix, p, netip.Prefix.Compare)
		for j := at; j < len(n.prefix) && p.Contains(n.prefix[j].Addr()); j++ {
			out = append(out, j)
		}
		if found {
			at = n.around[at]
		} else {
			at--
		}
		for ; at >= 0; at = n.around[at] { // those that end before p contain nothing of it
			if n.prefix[at].Contains(p.Addr()) {
				out = append(out, at)
			}
		}
	}
	return out
}

// missing reports whether a table says nothing about networks.
func missing(tab *network.Table) bool { return tab == nil || tab.Undecided || tab.Routes().Len() == 0 }

// byDefault is what a device knows of a network that no route but its default covers.
func byDefault(d *network.Device, tab *network.Table) Knower {
	k := Knower{Device: d}
	if missing(tab) {
		k.How = TableMissing
		return k
	}
	if c := selection.Forwarding(tab, tab.Family.Default()); c.Found() {
		k.How, k.Route = KnowsByDefault, c.Routes[0]
		if k.Route.Special != route.None {
			k.How = Swallowed
		}
	}
	return k
}

// knows finds out how a device knows a network: by the table that its own network is in, else by the default one.
func knows(d *network.Device, tab *network.Table, v NetworkView) Knower {
	k := Knower{Device: d}
	for _, at := range v.Attached {
		if at.Device == d {
			k.How = IsAttached
			k.Route.Mark = at.Mark
			return k
		}
	}
	if missing(tab) {
		return byDefault(d, tab)
	}
	c := selection.Forwarding(tab, v.Prefix)
	if c.Found() && c.Prefix.Bits() > 0 {
		k.Route = c.Routes[0]
		switch {
		case k.Route.Special == route.Blackhole || k.Route.Special == route.Unreachable ||
			k.Route.Special == route.Prohibit:
			k.How = Swallowed
		case c.Prefix == v.Prefix:
			k.How = KnowsExactly
		default:
			k.How = KnowsBySummary
		}
		if k.How != Swallowed {
			return k
		}
	}
	for g := range tab.Inside(v.Prefix) {
		if r := tab.Routes().At(g.Lo); r.Is(route.Installed) && r.Special == route.None {
			k.How, k.Route = KnowsParts, r
			return k
		}
	}
	if k.How == KnowsNot {
		return byDefault(d, tab)
	}
	return k
}
