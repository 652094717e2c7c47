package topology

import (
	"cmp"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// Knowledge is how a device knows a network. The zero Knowledge is that it does not.
type Knowledge uint8

const (
	KnowsNot       Knowledge = iota
	TableMissing             // no table of that family was captured
	KnowsByDefault           // the default route alone covers it
	KnowsParts               // routes for parts of it alone
	Swallowed                // a route that discards or refuses covers it
	KnowsBySummary           // a shorter route covers it
	KnowsExactly             // a route of its own
	IsAttached
)

// A Knower is one device's knowledge of one network.
type Knower struct {
	Device *network.Device
	How    Knowledge
	Route  route.Route // that covers it; of parts the first one
}

// A NetworkView is one attached network with who is there and who knows it.
type NetworkView struct {
	Prefix   netip.Prefix
	Attached []Attachment
	Known    []Knower // every device, in the order of the case
}

// A Clash is two statements about addresses that do not fit together.
type Clash struct {
	Prefix, Other netip.Prefix // networks; of a duplicate address its full-length prefix and none
	A, B          Attachment
}

// A Survey is all networks of a case.
type Survey struct {
	Networks    []NetworkView
	Masks       []Clash // networks of different length on one segment
	Duplicates  []Clash // one address on two devices
	Overlapping []Clash // one attached network inside another one on a different segment
}

// Survey lists all attached networks and how every device knows each.
func (t *Topology) Survey() Survey {
	var s Survey
	for _, p := range t.Networks() {
		at, _ := t.byPrefix.Get(p)
		v := NetworkView{Prefix: p}
		for _, i := range at {
			v.Attached = append(v.Attached, t.attachments[i])
		}
		slices.SortStableFunc(v.Attached, func(a, b Attachment) int {
			return cmp.Or(cmp.Compare(a.Device.Name, b.Device.Name), cmp.Compare(a.Interface, b.Interface))
		})
		for _, d := range t.Network.Devices {
			v.Known = append(v.Known, t.knows(d, v))
		}
		s.Networks = append(s.Networks, v)
		t.clashes(&s, p, at)
	}
	t.duplicates(&s)
	return s
}

// knows finds out how a device knows a network: by the table that its own network is in, else by the default one.
func (t *Topology) knows(d *network.Device, v NetworkView) Knower {
	k := Knower{Device: d}
	for _, at := range v.Attached {
		if at.Device == d {
			k.How = IsAttached
			k.Route.Mark = at.Mark
			return k
		}
	}
	tab := d.Table("default", route.FamilyOf(v.Prefix.Addr()))
	if tab == nil || tab.Undecided || tab.Routes.Len() == 0 {
		k.How = TableMissing
		return k
	}
	c := selection.Forwarding(tab, v.Prefix)
	if c.Found() && c.Prefix.Bits() > 0 {
		k.Route = c.Routes[0]
		switch {
		case k.Route.Special == route.Blackhole || k.Route.Special == route.Unreachable || k.Route.Special == route.Prohibit:
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
		if r := tab.Routes.At(g.Lo); r.Is(route.Installed) && r.Special == route.None {
			k.How, k.Route = KnowsParts, r
			return k
		}
	}
	if k.How == KnowsNot && c.Found() {
		k.How, k.Route = KnowsByDefault, c.Routes[0]
		if k.Route.Special != route.None {
			k.How = Swallowed
		}
	}
	return k
}

// clashes compares a network with the shorter ones that contain it.
func (t *Topology) clashes(s *Survey, p netip.Prefix, at []int) {
	for q, wider := range t.byPrefix.Supernets(p) {
		if q == p {
			continue
		}
		c := Clash{Prefix: p, Other: q, A: t.attachments[at[0]], B: t.attachments[wider[0]]}
		if i, j, ok := t.together(at, wider); ok {
			c.A, c.B = t.attachments[i], t.attachments[j]
			s.Masks = append(s.Masks, c)
		} else {
			s.Overlapping = append(s.Overlapping, c)
		}
	}
}

// together finds two attachments, one of each list, on one segment.
func (t *Topology) together(some, others []int) (i, j int, ok bool) {
	for _, i := range some {
		for _, j := range others {
			if t.sameSegment(t.port(i), t.port(j)) {
				return i, j, true
			}
		}
	}
	return 0, 0, false
}

// duplicates lists addresses that two devices have as their own, link-local ones left out.
func (t *Topology) duplicates(s *Survey) {
	for a, at := range t.owners {
		if len(at) < 2 || a.IsLinkLocalUnicast() || a.IsMulticast() {
			continue
		}
		first := t.attachments[at[0]]
		for _, i := range at[1:] {
			if o := t.attachments[i]; o.Device != first.Device {
				s.Duplicates = append(s.Duplicates, Clash{Prefix: netip.PrefixFrom(a, a.BitLen()), A: first, B: o})
				break
			}
		}
	}
	slices.SortFunc(s.Duplicates, func(a, b Clash) int { return a.Prefix.Addr().Compare(b.Prefix.Addr()) })
}
