package network

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// A ProtocolInterface is what one line of a configuration, or of a listing, says of how a routing protocol runs on
// interfaces: on the one of that name, on those with an own address in a network, or, with neither, on all.
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
	// Hasty: of RIP, half of the time after which a route is given up may pass between two updates. A router may then
	// change to another way of the same metric at any time (RFC 2453 section 3.9.2, RFC 2080 section 2.4.2).
	Hasty bool
	// Listed: a listing of the moment says so, which tells nothing of other interfaces or of what is announced.
	Listed bool
	Mark   route.Mark
}

// A Redistribution is a line by which a protocol announces what another one knows.
type Redistribution struct {
	Protocol route.Protocol // that announces
	Family   route.Family   // 0: both
	Source   route.Protocol
	Filtered bool // by rules that are not told here
	// Metric is the external metric of type 2 (RFC 2328 section 2.3) with which OSPF announces it: as the line tells, or
	// as the documentation of the system has it where no line does.
	Metric  route.Number
	Default bool // no line tells the metric
	Mark    route.Mark
}

// A ProtocolState is how a protocol runs on one interface, by all lines of a configuration. The zero ProtocolState is
// not known: no captured configuration has the protocol.
type ProtocolState struct {
	Known, On, Passive bool
	Area               string
	Cost               route.Number
	Listed             bool // the cost is that of a listing
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
		concerns := x.concerns(d, fam, ifname)
		if s.Known = s.Known || concerns || !x.Listed; !concerns {
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
			s.Cost, s.Listed = x.Cost, x.Listed
		}
		s.Passive, active = s.Passive || x.Passive, active || x.Active
		s.Marks = append(s.Marks, x.Mark)
	}
	s.Passive = s.Passive && !active
	return s
}

// Configures reports whether a configuration of the device was captured that says how any protocol runs, or what it
// announces; protocols asks for those given alone.
func (d *Device) Configures(protocols ...route.Protocol) bool {
	asked := func(p route.Protocol) bool { return len(protocols) == 0 || slices.Contains(protocols, p) }
	return slices.ContainsFunc(d.protocols, func(x ProtocolInterface) bool { return !x.Listed && asked(x.Protocol) })
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
