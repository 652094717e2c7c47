// Package survey lists the networks of a case and how every device knows each: attached, by a route of its own, by a
// summary, by its default only, or not at all. It exists because that is the first thing an engineer counts.
//
// It follows no packet: what a device does with one is for forward to say.
package survey

import (
	"cmp"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
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

// A NetworkView is one attached network with who is there. Survey.Known tells who knows it.
type NetworkView struct {
	Prefix   netip.Prefix
	Attached []topology.Attachment
	known    []placed // by devices that know more of it than their default says, in the order of the case
}

// A Clash is two statements about addresses that do not fit together.
type Clash struct {
	Prefix, Other netip.Prefix // networks; of a duplicate address its full-length prefix and none
	A, B          topology.Attachment
}

// A Survey is all networks of a case.
type Survey struct {
	Networks     []NetworkView
	Learned      []Learned // networks that routes alone tell of, the first ones
	LearnedCount int       // of all of them
	Defaults     []Knower  // devices with a default route, once for each family
	Masks        []Clash   // networks of different length on one segment
	Duplicates   []Clash   // one address on two devices
	Overlapping  []Clash   // one attached network inside another one on a different segment

	devices []*network.Device
	// what each device knows of a network that no other route of it touches
	rest      map[route.Family][]Knower
	restCount map[route.Family]map[Knowledge]int // the same, counted
}

// Make surveys a network: one family, or both for 0.
func Make(t *topology.Topology, fam route.Family) Survey {
	s := Survey{devices: t.Network.Devices().Copy(), rest: map[route.Family][]Knower{},
		restCount: map[route.Family]map[Knowledge]int{}}
	for _, p := range t.Networks() {
		if fam == 0 || route.FamilyOf(p.Addr()) == fam {
			s.Networks = append(s.Networks, NetworkView{Prefix: p, Attached: sorted(t.AttachedTo(p))})
		}
	}
	s.findKnowledge()
	s.learned(t, fam)
	s.findClashes(t, fam)
	return s
}

// Clashes finds only what clashes.
func Clashes(t *topology.Topology, fam route.Family) Survey {
	var s Survey
	s.findClashes(t, fam)
	return s
}

// findClashes looks for networks inside others, and addresses that two devices have.
func (s *Survey) findClashes(t *topology.Topology, fam route.Family) {
	for _, p := range t.Networks() {
		if fam != 0 && route.FamilyOf(p.Addr()) != fam {
			continue
		}
		for q, wider := range t.Wider(p) {
			s.clash(t, p, sorted(t.AttachedTo(p)), q, wider)
		}
	}
	for _, at := range t.Shared() {
		a := at[0].Address
		if fam != 0 && route.FamilyOf(a) != fam {
			continue
		}
		s.Duplicates = append(s.Duplicates, Clash{Prefix: netip.PrefixFrom(a, a.BitLen()), A: at[0], B: at[1]})
	}
}

// sorted orders attachments by device and interface.
func sorted(list []topology.Attachment) []topology.Attachment {
	slices.SortStableFunc(list, func(a, b topology.Attachment) int {
		return cmp.Or(
			network.CompareNames(a.Device.Name, b.Device.Name),
			network.CompareNames(a.Interface, b.Interface),
		)
	})
	return list
}

// clash compares a network with a shorter one that contains it.
func (s *Survey) clash(
	t *topology.Topology,
	p netip.Prefix,
	here []topology.Attachment,
	q netip.Prefix,
	wider []topology.Attachment,
) {
	c := Clash{Prefix: p, Other: q, A: here[0], B: wider[0]}
	if a, b, ok := together(t, here, wider); ok {
		c.A, c.B = a, b
		s.Masks = append(s.Masks, c)
	} else {
		s.Overlapping = append(s.Overlapping, c)
	}
}

// together finds two attachments, one of each list, on one segment.
func together(t *topology.Topology, some, others []topology.Attachment) (a, b topology.Attachment, ok bool) {
	for _, a := range some {
		for _, b := range others {
			if t.SameSegment(a, b) {
				return a, b, true
			}
		}
	}
	return a, b, false
}
