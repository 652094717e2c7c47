package network

import (
	"net/netip"

	"zarvek/internal/core/route"
)

// A ProtocolInterface is what one line of a configuration says of how a routing protocol runs on interfaces: on the one
// of that name, on those with an own address in a network, or, with neither, on all.
type ProtocolInterface struct {
	Protocol  route.Protocol
	Family    route.Family // 0: both
	Interface string
	Network   netip.Prefix
	On        bool         // it runs there
	Area      string       // of OSPF (RFC 2328 section 3), as an address, or the level of IS-IS; "": not told
	Cost      route.Number // where the line tells it
	Passive   bool         // it announces the network there and speaks to nobody
	Active    bool         // it is not passive there, against what holds for all
	// Other tells that the line changes what the protocol makes of its routes in a way that is not told here: filters,
	// summaries, areas that take no routes from outside.
	Other bool
	Paths uint64 // the most equal ways that it uses; 0: the line does not tell
	Mark  route.Mark
}

// A Redistribution is a line by which a protocol announces what another one knows.
type Redistribution struct {
	Protocol route.Protocol // that announces
	Family   route.Family   // 0: both
	Source   route.Protocol
	Filtered bool // by rules that are not told here
	Mark     route.Mark
}

// A ProtocolState is how a protocol runs on one interface, by all lines of a configuration. The zero ProtocolState is
// not known: no captured configuration has the protocol.
type ProtocolState struct {
	Known, On, Passive bool
	Area               string
	Cost               route.Number
	Marks              []route.Mark
}

// Runs tells how a protocol runs on an interface of d in a family. Of several networks that hold the interface's
// address the longest one counts (RFC 2328 leaves it open; all known implementations do so).
func (d *Device) Runs(p route.Protocol, fam route.Family, ifname string) ProtocolState {
	var s ProtocolState
	longest, active := -1, false
	for _, x := range d.protocols {
		if x.Protocol != p || x.Family != 0 && x.Family != fam {
			continue
		}
		s.Known = true
		if !x.concerns(d, fam, ifname) {
			continue
		}
		if x.On && (!x.Network.IsValid() || x.Network.Bits() > longest) {
			s.On = true
			if x.Area != "" {
				s.Area = x.Area
			}
			if x.Network.IsValid() {
				longest = x.Network.Bits()
			} else {
				longest = 129 // the interface itself says so
			}
		}
		if x.Cost.Known {
			s.Cost = x.Cost
		}
		s.Passive, active = s.Passive || x.Passive, active || x.Active
		s.Marks = append(s.Marks, x.Mark)
	}
	s.Passive = s.Passive && !active
	return s
}

// concerns reports whether a line is about an interface of d.
func (x ProtocolInterface) concerns(d *Device, fam route.Family, ifname string) bool {
	switch {
	case x.Interface != "":
		return x.Interface == ifname
	case !x.Network.IsValid():
		return x.Passive || x.On
	}
	for _, a := range d.addresses {
		if a.Interface == ifname && route.FamilyOf(a.Prefix.Addr()) == fam && x.Network.Contains(a.Prefix.Addr()) {
			return true
		}
	}
	return false
}
