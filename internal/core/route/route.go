// Package route holds the words every other room speaks: prefixes, routes, next hops and the marks that lead back
// to the captured line. It exists so that readers, which know text, and forwarding, which knows none, share values
// and nothing else.
//
// The names are those of RFC 8349 where it has one. There is no I/O and no text here beyond the names of values.
package route

import (
	"net/netip"
	"slices"
)

// A Protocol says how a device learned a route. The zero Protocol is Other.
type Protocol uint8

// The source protocols of the JSON contract.
const (
	Other Protocol = iota
	Direct
	Local
	Static
	RIP
	RIPng
	OSPF
	ISIS
	EIGRP
	BGP
	Kernel
	DHCP
	NAT
	Babel
	Aggregate
)

var protocolNames = [...]string{"other", "direct", "local", "static", "rip", "ripng", "ospf", "isis", "eigrp", "bgp",
	"kernel", "dhcp", "nat", "babel", "aggregate"}

// String returns the protocol's name in the JSON contract, such as "ospf".
func (p Protocol) String() string {
	if int(p) < len(protocolNames) {
		return protocolNames[p]
	}
	return "other"
}

// Dynamic reports whether routes of p are learned from a neighbour that was alive when it announced them.
func (p Protocol) Dynamic() bool {
	switch p {
	case RIP, RIPng, OSPF, ISIS, EIGRP, BGP, Babel:
		return true
	}
	return false
}

// A Special is a route's action in place of a next hop (RFC 8349 section 7, special-next-hop, and the kernel's own
// types). The zero Special is None: the packet goes to a next hop.
type Special uint8

const (
	None        Special = iota
	Blackhole           // dropped, nobody is told
	Unreachable         // dropped, the sender gets "host unreachable" (RFC 792, RFC 4443)
	Prohibit            // dropped, the sender gets "administratively prohibited"
	Receive             // for the device itself
	Broadcast           // a subnet's broadcast address
	Multicast
	Throw // the lookup ends here and goes on in the next table of the device's policy rules
)

var specialNames = [...]string{"", "blackhole", "unreachable", "prohibit", "receive", "broadcast", "multicast", "throw"}

// String returns the name in the JSON contract, "" for None.
func (s Special) String() string { return specialNames[s] }

// A Number is a preference or a metric. The zero Number is not known, which is never the same as 0.
type Number struct {
	Value uint64
	Known bool
}

// N returns the known Number v.
func N(v uint64) Number { return Number{v, true} }

// Less reports whether a is known and smaller than b, or b is not known while a is.
func (a Number) Less(b Number) bool {
	if a.Known && b.Known {
		return a.Value < b.Value
	}
	return a.Known && !b.Known
}

// A NextHop is one way on. Address, interface or both may be absent where the capture does not show them.
// The zero NextHop leads nowhere.
type NextHop struct {
	Address   netip.Addr // invalid: none, the destination itself is looked for on the interface
	Interface string
	Table     string // the table (VRF) in which the next hop lies; "": the route's own
	Weight    uint32 // share among equals; 0 counts as 1
	Recursive bool   // the capture says that it is resolved through another route
	Resolves  bool   // stands under the recursive next hop before it and resolves that one
	Inactive  bool   // the device does not use it now
	Backup    bool   // used only when the others fail
	Down      bool   // its interface has no carrier, though the device still forwards into it
	OnLink    bool   // taken as attached to the interface though no prefix says so
	Installed bool   // the device marks it as the one that forwards
	// Encapsulated: packets go inside of something else, under labels (RFC 3031) or in a tunnel that the route itself
	// makes.
	Encapsulated bool
}

// Origin is how a path came into BGP (RFC 4271 section 5.1.1). The zero Origin is not known.
type Origin uint8

const (
	OriginIGP Origin = 1 + iota
	OriginEGP
	OriginIncomplete
)

// BGPSession tells from what kind of peer a path was learned. The zero BGPSession is not known.
type BGPSession uint8

const (
	ExternalPeer BGPSession = 1 + iota
	InternalPeer
)

// A BGPPath is the attributes that BGP compares (RFC 4271 section 9.1), as far as a capture shows them. The zero
// BGPPath shows none. It is comparable.
type BGPPath struct {
	Weight          Number // what some systems compare before all else: the highest wins
	LocalPreference Number
	Length          Number // of the AS path, in autonomous systems
	MultiExit       Number // not told here where ByMetric is set
	ByMetric        bool   // the multi-exit discriminator is the route's metric
	NeighbourAS     uint32 // the first of the path; 0: not known, or the path is empty
	Origin          Origin
	Session         BGPSession
}

// Attributes is all of a route that many routes share: not the metric, of which many have one of their own. It is
// read-only once a reader has returned it.
type Attributes struct {
	Protocol   Protocol
	Subtype    string // "inter-area", "external-2", "level-1", … or ""
	Preference Number // RFC 8349 route-preference (administrative distance), as printed
	Special    Special
	BGP        BGPPath
	NextHops   []NextHop
}

// State is what the device itself says of a route, as bits.
type State uint8

const (
	Active    State = 1 << iota // chosen for its prefix
	Installed                   // in the forwarding table
	Rejected                    // chosen, but refused or not yet taken by the forwarding table
	Unusable                    // inactive, hidden or disabled
	Untold                      // of a network that is only thought of: whether the device would use it cannot be told
)

// A Route is one candidate for one prefix. The zero Route has an invalid Prefix.
type Route struct {
	Prefix netip.Prefix
	*Attributes
	Metric Number
	State  State
	Mark   Mark
}

// MultiExit returns the multi-exit discriminator of a route of BGP (RFC 4271 section 5.1.4), as far as it is shown.
func (r Route) MultiExit() Number {
	if r.BGP.ByMetric {
		return r.Metric
	}
	return r.BGP.MultiExit
}

// Is reports whether all bits of s are set.
func (r Route) Is(s State) bool { return r.State&s == s }

// Family is an address family. The zero Family is not one.
type Family uint8

const (
	IPv4 Family = 4
	IPv6 Family = 6
)

// FamilyOf returns the family of a, the zero Family for an invalid address.
func FamilyOf(a netip.Addr) Family {
	switch {
	case a.Is4():
		return IPv4
	case a.Is6():
		return IPv6
	}
	return 0
}

// String returns "ipv4" or "ipv6".
func (f Family) String() string {
	if f == IPv4 {
		return "ipv4"
	}
	return "ipv6"
}

// Bits returns the length of an address in bits.
func (f Family) Bits() int {
	if f == IPv4 {
		return 32
	}
	return 128
}

// Default returns the prefix of length 0.
func (f Family) Default() netip.Prefix {
	if f == IPv4 {
		return netip.PrefixFrom(netip.IPv4Unspecified(), 0)
	}
	return netip.PrefixFrom(netip.IPv6Unspecified(), 0)
}

// Announced returns the next hops that a neighbour told, or that were configured: those that only resolve another one
// are left out.
func (a *Attributes) Announced() []NextHop {
	if !slices.ContainsFunc(a.NextHops, func(h NextHop) bool { return h.Resolves }) {
		return a.NextHops
	}
	return slices.DeleteFunc(slices.Clone(a.NextHops), func(h NextHop) bool { return h.Resolves })
}

// Forwarding returns the next hops that a packet may take: those the device marks as installed where it marks any,
// the ones that resolve a recursive next hop in place of it, and never an inactive or backup one.
func (a *Attributes) Forwarding() []NextHop {
	resolved, marked := false, false
	for _, n := range a.NextHops {
		resolved = resolved || n.Resolves && !n.Inactive
		marked = marked || n.Installed && !n.Inactive
	}
	var out []NextHop
	for _, n := range a.NextHops {
		if n.Inactive || n.Backup || marked && !n.Installed || !marked && resolved && !n.Resolves {
			continue
		}
		out = append(out, n)
	}
	return out
}
