package topology

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// Held says who has a virtual address, as far as captures tell. The zero Held: the routers that are named have it.
type Held uint8

const (
	HeldByThese Held = iota
	HeldByOne        // one of those that are named has it, which is not known
	HeldPerhaps      // the one that is named, or one that was not captured
	HeldByNone       // all captured routers stand by: one that was not captured has it
)

// Gateways are the routers that hosts of a network send by, where its routers share virtual addresses (RFC 9568): hosts
// are taken to send to one of these. The zero Gateways tells that they share none.
type Gateways struct {
	Ports   []Attachment // of the routers that have, or may have, one of the addresses
	Held    Held         // of the address of which least is known
	Address netip.Addr
	Sharers []string // the captured routers that share Address, by name
	Marks   []route.Mark
}

// Gateways finds by which routers a host with an address sends.
func (t *Topology) Gateways(a netip.Addr) Gateways {
	if len(t.virtual) == 0 {
		return Gateways{}
	}
	here := t.Attached(a)
	if len(here) == 0 {
		return Gateways{}
	}
	if g, ok := t.gateways.Load(here[0].Prefix); ok {
		return g.(Gateways)
	}
	var g Gateways
	seen := map[netip.Addr]bool{}
	for _, at := range here {
		for _, v := range t.sharedAt[portOf(at.Device, at.Interface)] {
			if v.Is4() != a.Is4() || !v.IsLinkLocalUnicast() && !at.Prefix.Contains(v) || seen[v] {
				continue
			}
			seen[v] = true
			t.gatewaysAt(here, v, &g)
		}
	}
	t.gateways.Store(here[0].Prefix, g)
	return g
}

// gatewaysAt adds those of one virtual address.
func (t *Topology) gatewaysAt(here []Attachment, v netip.Addr, g *Gateways) {
	var holding, perhaps, all []Attachment
	var marks []route.Mark
	var names []string
	paired := false
	for _, s := range t.virtual[v] {
		i := slices.IndexFunc(here, func(at Attachment) bool { return portOf(at.Device, at.Interface) == s.port })
		if i < 0 {
			continue
		}
		marks, paired = append(marks, s.mark), paired || s.paired
		all = append(all, here[i])
		if name := here[i].Device.Name; !slices.Contains(names, name) {
			names = append(names, name)
		}
		switch s.holding {
		case network.Holds:
			holding = append(holding, here[i])
		case network.HoldingNotKnown:
			perhaps = append(perhaps, here[i])
		}
	}
	for _, o := range t.Owners(v) { // some systems list it with their own addresses while they have it
		i := slices.IndexFunc(here, func(at Attachment) bool { return at.Device == o.Device && at.Interface == o.Interface })
		if i >= 0 && !slices.ContainsFunc(holding, func(at Attachment) bool { return at.Device == o.Device }) {
			holding = append(holding, here[i])
			names = append(names, o.Device.Name)
		}
	}
	held, ports := HeldByThese, holding
	switch {
	case paired && len(all) > 1: // what is sent to it may come to any of them
		held, ports = HeldByOne, all
	case len(holding) > 1:
		held = HeldByOne
	case len(holding) == 1:
	case len(perhaps) > 1:
		held, ports = HeldByOne, perhaps
	case len(perhaps) == 1:
		held, ports = HeldPerhaps, perhaps
	default:
		held, ports = HeldByNone, all
	}
	g.Ports = append(g.Ports, ports...)
	if !g.Address.IsValid() || held > g.Held {
		g.Held, g.Address, g.Sharers, g.Marks = held, v, names, marks
	}
}
