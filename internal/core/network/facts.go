package network

import (
	"iter"
	"net/netip"
	"strconv"

	"zarvek/internal/core/route"
)

// Facts is what one reading says of one device. The zero Facts says nothing.
type Facts struct {
	Tables        []TableFacts
	Addresses     []Address
	Interfaces    []Interface
	Neighbours    []Neighbour
	Forwarding    []Switch
	SkipsDown     []Switch // whether routes by interfaces without a carrier are not used
	Rules         []Rule
	Indexes       []IfIndex
	Statics       []Static
	Sessions      []Session
	Tracked       []TrackedObject
	Watches       []Watch
	Checks        []SourceCheck
	Policy        Policy
	ListRules     []ListRule
	Applied       []AppliedFilter
	Protocols     []ProtocolInterface
	Redistributed []Redistribution
	BGP           []BGPStatement
	Virtuals      []VirtualAddress
	Answers       []Answer
	Classful      []route.Mark // lines that say that the device looks up classfully
}

// CheckMode is how a device judges the source of what comes in (RFC 3704). The zero CheckMode is not at all.
type CheckMode uint8

const (
	CheckOff CheckMode = iota
	CheckStrict
	CheckFeasible
	CheckLoose
)

// String returns the mode's word.
func (m CheckMode) String() string { return [...]string{"off", "strict", "feasible", "loose"}[m] }

// A SourceCheck is the setting of one interface.
type SourceCheck struct {
	Family    route.Family // 0: both
	Interface string       // "": all
	Mode      CheckMode
	// Combine is set where the setting for all interfaces and that of one combine: the larger number of the kernel's
	// counts (off, strict, loose).
	Combine bool
	// NotByDefault is set where the device takes a default route for a way back only if it is told to, and is not.
	NotByDefault bool
	Usual        bool // no text tells it: systems that are configured so check unless they are told not to
	Bare         bool // the interface has no address: a kernel's loose check is as a strict one there
	Mark         route.Mark
}

// A Session is a liveness session with a neighbour (RFC 5880). Interface may be "".
type Session struct {
	Peer      netip.Addr
	Interface string
	Up        bool
	Mark      route.Mark
}

// A TrackedObject is something that a device watches, and what it found: whether a probe is answered, whether an
// interface is up. Configured statics may be tied to one by its name.
type TrackedObject struct {
	Name string
	Up   bool
	Mark route.Mark
}

// A Tie is what must be up for a static route to be used, beside its next hop. The zero Tie is nothing.
type Tie struct {
	Object  string // the name of a TrackedObject
	Session bool   // a Session with the next hop
}

// A Watch ties all static routes by a next hop, as a statement of its own says. Where its next hop has no address those
// of the interface are meant.
type Watch struct {
	NextHop route.NextHop
	Tie     Tie
	Mark    route.Mark
}

// A Static is a configured static route, whether or not it is in any table.
type Static struct {
	Table      string // "": the default one
	Prefix     netip.Prefix
	NextHop    route.NextHop
	Special    route.Special
	Preference route.Number
	Metric     route.Number
	Tie        Tie
	Mark       route.Mark
}

// An IfIndex names the interface that a management view knows by a number (RFC 2863).
type IfIndex struct {
	Index uint64
	Name  string
	Mark  route.Mark
}

// IndexName is how a reader names an interface of which it knows the number only. Where another capture of the device
// tells the name, that takes its place.
func IndexName(index uint64) string { return "interface " + strconv.FormatUint(index, 10) }

// UnnamedPort is how readers name the interface to an attached network of which the capture shows no name.
func UnnamedPort(p netip.Prefix) string { return "port in " + p.Masked().String() }

// Kind says what a captured table is evidence of.
type Kind uint8

const (
	// Candidates is a routing table: it lists what competes and what was chosen.
	Candidates Kind = iota
	// ForwardingTable is what forwards. Of several routes of one prefix the lowest metric is used, as in a kernel.
	ForwardingTable
	// Database is a protocol's own list: routes that it knows, whether or not any was chosen.
	Database
	// Walk is a management view of a table, known to leave routes out: it counts only where nothing better was
	// captured.
	Walk
)

// TableFacts is one table of one family as one reading shows it.
type TableFacts struct {
	Name   string // "default" for the table of the main routing instance
	Family route.Family
	Kind   Kind
	Cut    bool   // the capture seems to end inside this table
	Layout string // that it was printed in
	// Supposed: it was not captured; it is made of what a configuration says.
	Supposed bool
	// Superseded: something changed it, and then it was shown whole again.
	Superseded bool
	// Filtered is the line of the command that asked for a part of the table only; none: all was asked for.
	Filtered route.Mark
	Unread   []UnreadRow
	// Scopes are what a filtered listing answers for: the addresses in these prefixes.
	Scopes []netip.Prefix
	// HighestWins tells that the highest preference wins here, against RFC 8349. No reader converts the number.
	HighestWins bool
	// WholeList: it is BGP's own list, and no path that was heard is missing.
	WholeList bool
	// PathTypes tells that the layout writes other kinds of OSPF paths than those within an area apart.
	PathTypes bool
	// Plain: the kernel's routes as net-tools and its files below /proc/net show them. Nothing tells who put a route
	// there, so that one straight out of an interface looks like an attached network; of several next hops of a route of
	// IPv4 only the first is shown.
	Plain bool
	// ByRule: a kernel's table beside the main one, of which nothing tells that it is a VRF's: policy rules lead to it,
	// and nothing else does.
	ByRule bool
	Routes route.List
}

// Attached yields the attached networks of a table, those within the device left out, with the lines that show them.
func (t *TableFacts) Attached() iter.Seq2[netip.Prefix, route.Mark] {
	return func(yield func(netip.Prefix, route.Mark) bool) {
		for r := range t.AttachedRoutes() {
			if !yield(r.Prefix, r.Mark) {
				return
			}
		}
	}
}

// AttachedRoutes yields the routes to attached networks, those within the device left out.
func (t *TableFacts) AttachedRoutes() iter.Seq[route.Route] {
	return func(yield func(route.Route) bool) {
		for i := range t.Routes.Len() {
			r := t.Routes.At(i)
			if a := r.Prefix.Addr(); r.Protocol != route.Direct || r.Prefix.IsSingleIP() || a.IsLoopback() ||
				a.IsLinkLocalUnicast() || a.IsMulticast() {
				continue
			}
			if !yield(r) {
				return
			}
		}
	}
}

// An Address is an address of the device itself. Interface may be "".
type Address struct {
	Prefix    netip.Prefix // address and the length of its network's prefix; full length where that is not shown
	Interface string
	Table     string // that has it as its own; "": where the interface is
	// Configured: a configuration says so, which is weaker than what a listing of the moment shows.
	Configured bool
	// First: the list that it stands in shows no more than the first IPv4 address of an interface.
	First bool
	Mark  route.Mark
}

// LinkState is the state of an interface. The zero LinkState is not known.
type LinkState uint8

const (
	LinkUnknown LinkState = iota
	LinkUp
	LinkDown
)

// An Interface is what captures say of one interface.
type Interface struct {
	Name  string
	State LinkState
	MAC   string // link-layer address in lower case, "" where not shown
	// packets leave by it under labels (RFC 3031) where there is one for the next hop that a route was resolved by
	Labels bool
	// VRF is the instance of routing and forwarding that has the interface (RFC 4364), where a listing of interfaces
	// tells so, and VRFTable what a kernel calls its table, a number; "" where none does.
	VRF, VRFTable string
	// Off: it is down because somebody switched it off, not because its link is gone.
	Off bool
	// Bare6: of a network that is only thought of; it came up, and what IPv6 addresses it has then was not captured.
	Bare6 bool
	// NoCarrier: of a network that is only thought of; it was not switched off but lost its link, so that a kernel
	// leaves its routes where they are.
	NoCarrier bool
	// Mute: it neither asks for the link-layer addresses of others nor tells its own (RFC 826).
	Mute bool
	// Configured: a configuration says so, which is weaker than what a listing of the moment shows.
	Configured bool
	Mark       route.Mark
}

// NeighbourState is what the device knows of a neighbour's link-layer address.
type NeighbourState uint8

const (
	NeighbourPending NeighbourState = iota // asked for, no answer yet
	NeighbourAlive                         // has answered
	NeighbourFailed                        // does not answer
)

// A Neighbour is an entry of the ARP (RFC 826) or neighbour discovery (RFC 4861) cache.
type Neighbour struct {
	Address   netip.Addr
	Interface string
	MAC       string
	State     NeighbourState
	// Written: somebody wrote the entry by hand, so that nothing need have answered.
	Written bool
	Mark    route.Mark
}

// A Switch says whether a device does something for all of a family, as forward its packets, or for one interface.
type Switch struct {
	Family    route.Family
	Interface string // "": all that have no switch of their own (of SkipsDown: all)
	On        bool
	Mark      route.Mark
}

// RuleAction is what a policy rule does with a packet it matches.
type RuleAction uint8

const (
	RuleLookup RuleAction = iota
	RuleBlackhole
	RuleUnreachable
	RuleProhibit
	RuleJump // goes to another rule, which no walk follows
)

// A Rule chooses the table before any prefix is compared (the kernel's policy rules, in order of Priority).
type Rule struct {
	Family   route.Family // 0: both
	Priority uint32
	From, To netip.Prefix // invalid: any
	Ingress  string       // "": any
	Action   RuleAction
	Table    string
	// Protocol and ports that it asks for; "" and the zero Ports: any.
	Protocol           string
	FromPorts, ToPorts Ports
	FWMark             FWMark // that the packet must have; the zero FWMark: any
	Not                bool   // it is for all packets but those that fit
	// Suppress is 1 + the length of the longest prefix whose routes do not count in the table; 0: all count.
	Suppress  int
	BeforeOwn bool // it is asked before the device's own addresses are
	// Own: it also asks what only packets have that the device itself sends, as the interface that a socket is bound to;
	// others do not fit
	Own       bool
	Undecided bool // it also asks for something that no walk knows
	Mark      route.Mark
}

// LastTable is the table that a kernel looks into last; it is empty unless somebody fills it.
const LastTable = "253"

// Gap is a rule that stands for ones that a listing lacks at a priority: what they do is not known.
func Gap(priority uint32, m route.Mark) Rule {
	return Rule{Priority: priority, Action: RuleJump, Undecided: true, Mark: m}
}

// IsGap reports whether a rule is a Gap.
func (r Rule) IsGap() bool {
	gap := Gap(r.Priority, r.Mark)
	gap.Family = r.Family
	return r == gap
}

// An FWMark is what a kernel's rule asks of the mark that its filters may have put on a packet. The zero FWMark asks
// for nothing.
type FWMark struct {
	Value, Mask uint32
}
