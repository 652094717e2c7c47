// Package forward follows packets: what one device does with a destination, the walk from hop to hop over every
// equal-cost branch, and the round trip there and back.
//
// It never says that a packet arrives unless the captures show it: where they lack the data the verdict is Unknown
// and the reason says what is missing. It knows nothing of captures as text; reasons are values, not sentences.
package forward

import (
	"net/netip"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
	"zarvek/internal/core/topology"
)

// A Verdict says how a walk ends. The values are ordered from best to worst; the zero Verdict is none.
type Verdict uint8

const (
	GoesOn        Verdict = iota
	Arrives               // delivered
	Leaves                // goes to a next hop outside the captured devices
	Unknown               // the case lacks the data
	StateMissing          // a stateful firewall sees one direction only
	SourceCheck           // dropped by a reverse-path check
	Filtered              // dropped by a filter
	Refused               // dropped, the sender is told
	NoRoute               // no route covers the destination
	NextHopLost           // the next hop cannot be resolved, nobody owns it, or its owner is down
	NotForwarding         // the device does not forward that family
	Discarded             // dropped silently
	Loops
)

var verdictNames = [...]string{
	"",
	"arrives",
	"leaves",
	"unknown",
	"state-missing",
	"source-check",
	"filtered",
	"refused",
	"no-route",
	"next-hop-lost",
	"not-forwarding",
	"discarded",
	"loops",
}

// String returns the word of the JSON contract.
func (v Verdict) String() string { return verdictNames[v] }

// Delivery says how sure it is that somebody gets a delivered packet. The zero Delivery is none.
type Delivery uint8

const (
	NotDelivered      Delivery = iota
	ToDevice                   // the address belongs to a captured device
	ToNeighbour                // a neighbour entry shows a host with that address
	ToAttachedNetwork          // the packet reaches the network; whether the host exists is not known
)

var deliveryNames = [...]string{"", "device", "neighbour", "attached-network"}

// String returns the word of the JSON contract.
func (d Delivery) String() string { return deliveryNames[d] }

// Code is what decided a verdict.
type Code uint8

const (
	Nothing Code = iota
	OwnAddress
	HostSeen
	NetworkAttached
	SameNetwork // source and destination share a network: no router is asked
	LeftCase
	NoCoveringRoute
	TableMissing       // no table of that family was captured
	TableFiltered      // the command asked for a part of the table only
	TableLacks         // the network of an interface that is up is not in the table
	TableCut           // the capture of the table ends before the destination
	RowUnread          // a line of the table that names a longer prefix could not be read
	ChangedSince       // a change was made after the table was shown
	AnsweredOtherwise  // asked about that address, the kernel said something else than the table tells
	CapturesContradict // of different moments, on the route
	RouteRefused       // the chosen route is not in the forwarding table
	// after a change that is only thought of: what the device would use is not settled by what was captured
	NotPredicted
	Blackholed
	Rejected
	Unresolved   // Failure tells why
	Encapsulated // it goes inside of something else, and no table tells where that ends
	NobodyAnswers
	AnotherRouter // a router does not answer, and a host has another route, which it may take then
	NobodyHasIt   // the link has two ends, and the other one has another address
	OwnerDown
	OwnerMaybeDown // a device whose interface to that link is down may have had the address
	OwnLinkDown    // the interface that the packet should leave by is down
	NoIPv6There    // that interface has no IPv6 address at all, so that IPv6 may be switched off there
	OwnerElsewhere
	OwnerBeside // the address is on another interface of a device that is on the link
	SeveralOwners
	AddressReused // VRFs may use it more than once, and who has it on the link is not known
	SharedAddress // a virtual address, and which router has it is not known
	// AddressTranslated: a device puts the address in place of another; whether it answers for it is not known, or no
	// rule fits the packet
	AddressTranslated
	OwnerOtherwise // the neighbour's entry names a link-layer address that is none of the owner's
	OwnerWritten   // somebody wrote the neighbour's entry, and no capture tells the owner's link-layer address
	OwnerUnasked   // an interface on the link neither asks for link-layer addresses nor tells its own
	OwnerSilent    // the owner's captures and the neighbour's entry disagree
	OwnerNotKnown
	InterfaceOnly // the route names an interface alone: it depends on somebody there answering for the destination
	SwitchOff
	MaybeOwn // that is so, and the destination may be its own address, which no capture shows
	// MaybeOwnFiltered: a rule drops what is forwarded there, and the destination may be its own address
	MaybeOwnFiltered
	// MaybeOwnUnrouted: a route to that address alone led there, no such route leads on, and it may be its own address
	MaybeOwnUnrouted
	CameBack
	BroadcastAddress
	RuleNotDecided
	RuleBeforeOwn    // it is for the device itself, and a rule that is asked before own addresses may be for it
	RulesMissing     // there are tables beside the main one, and the rules that may lead there were not captured
	SourceNotPlaced  // no captured device attaches to the source's network
	NotItsGateway    // only ones that do not forward attach to it
	OwnSource        // it came in with one of the device's own addresses as the source
	SourceFails      // Check tells the mode that drops it
	SourceUsual      // such systems check sources unless told not to, and no route leads back by that interface
	SourceByDefault  // nothing but the default route leads back to the source, which the check may not accept
	FlowNotTold      // a rule or translation asks for the flow
	FilterNotRead    // a filter is applied on the way, and what it says was not read
	RulesLeftOut     // rules may be missing from a filter: a search left them out, or who kept the text
	PolicyRouted     // a policy of routing may send it another way, and which is not known
	CapturesBlended  // captures of several kernels stand as one device's
	WhereApplied     // lists of rules were captured, and not where they are applied
	ConfigurationCut // the configuration is cut off, and a filter may follow
	// ForwardingNotTold: the configuration does not say that the family is forwarded, which it has to on some systems
	ForwardingNotTold
	// RuleNotUnderstood: a rule or translation asks for more than the flow, and for what was not understood
	RuleNotUnderstood
	OwnFiltered // the device sends it itself, and whether a filter of what goes out is asked about that is not known
	RuleDenies
	// a translation fits what answers a flow that came in unchanged: whether it is changed is not known
	AnswerTranslated
	NoState         // a stateful device did not see the packet that this one answers
	NotChangedBack  // the reply goes past the device that changed the packet, so it comes from another address
	NoAddressToTake // a translation takes an interface's address, and no capture shows one, or which of several
	TunnelFails     // Inner tells how its outer packet ends
	TunnelInItself  // the tunnel's far end is reached through the tunnel
	GatewayShared   // hosts send to a virtual address, and which of the captured routers has it is not known
	GatewayAway     // hosts send to a virtual address that none of the captured routers has
	TunnelUntold    // where the tunnel leads is not told, or hangs on what no walk knows
	TunnelElsewhere // what goes into the tunnel does not come out at the device that it is handed to
	TunnelOtherEnds // the tunnel at the other end is between other addresses, or has another key
	TunnelEndDown   // the tunnel at the other end is down
	NoGateway       // the host's gateway is no captured device's address
	HostSelf        // the host's own settings: its gateway or its network is wrong
	WrongPlace      // the reply is delivered, but not where the packet came from
)

// HostFault is what is wrong with a host's own settings. The zero HostFault is nothing.
type HostFault uint8

const (
	MaskTooWide      HostFault = 1 + iota // it takes the destination for a neighbour
	GatewayElsewhere                      // its gateway is not in its network
)

// Liveness is what liveness sessions (RFC 5880) tell of a link whose next hop is lost. The zero Liveness: none was
// captured on either end.
type Liveness struct {
	Here, There Detection
	Marks       []route.Mark
}

// Detection is one end's session with the other.
type Detection uint8

const (
	NoDetection Detection = iota
	DetectsUp
	DetectsDown
)

// A Reason is why a branch ends as it does. Which fields are set depends on Code.
type Reason struct {
	Code      Code
	Device    string // the other device concerned
	Address   netip.Addr
	Interface string
	Gone      bool // CapturesContradict: only one of the captures has the route
	Failure   selection.Failure
	Special   route.Special
	TwoEnds   bool // the link has room for one other device only
	Learned   bool // the next hop itself announced the route
	Check     network.CheckMode
	Bare      bool // the interface that checks has no address
	Host      HostFault
	Liveness  Liveness
	Table     string // TableMissing: which, "" for the main one
	// LeftCase, NoCoveringRoute: a captured device that has the destination or is attached to its network
	Behind   string
	NotTaken netip.Prefix // NoCoveringRoute: what the routing table chose and what forwards does not have
	Sharers  []string     // SharedAddress: the captured routers that share it
	Inner    Verdict      // of a tunnel's outer packet
	Marks    []route.Mark
}

// A Hop is one device that a packet passes.
type Hop struct {
	Device         string
	Table          string
	InInterface    string // "" where the packet starts here
	Prefix         netip.Prefix
	Route          route.Route // zero where nothing matched
	Via            []route.Route
	NextHop        netip.Addr // invalid: the destination itself
	OutInterface   string
	Owner          topology.Confidence // of the next hop
	NewSource      netip.Addr          // what the device made of the packet's source; invalid: left as it was
	NewDestination netip.Addr
	Tunnel         netip.Addr // the far end of the tunnel that the packet goes into
	Outside        []string   // the devices that the packet outside of that passes, or ends at
	Weak           bool       // its table is known from a management walk only
	Steered        bool       // a policy of routing sends it, whatever its destination
	Evidence       []route.Mark
	Assumed        []route.Mark // filters that are assumed to permit the packet
}

// A Branch is one way that a packet may take.
type Branch struct {
	Share    float64 // of the packets, 0 to 1, as far as equal cost divides them
	Verdict  Verdict
	Where    string // the device at which it ends
	Delivery Delivery
	Hops     []Hop
	Reason   Reason
	Assumed  bool // the start of this branch is assumed, not known
	Weak     bool // a hop rests on weak evidence

	end      *network.Device
	in       string            // the interface on which it was delivered
	table    string            // the table of the last hop
	pkt      *packet           // as it ended
	stateful []*network.Device // that it went through
}

// A Direction is all branches of one way.
type Direction struct {
	Verdict  Verdict // the worst of the branches
	Branches []Branch
	Omitted  bool // there are more branches than are listed; every ending is among them
}

// worst returns the branch that decides the direction, or nil.
func (d *Direction) worst() *Branch {
	var w *Branch
	for i := range d.Branches {
		if w == nil || d.Branches[i].Verdict > w.Verdict {
			w = &d.Branches[i]
		}
	}
	return w
}

// Worst returns the branch that decides the direction's verdict, and false where there is none.
func (d *Direction) Worst() (Branch, bool) {
	if w := d.worst(); w != nil {
		return *w, true
	}
	return Branch{}, false
}
