package network

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// A Host is an end that is no captured device, as the notes name it.
type Host struct {
	Name    string
	Address netip.Addr
	Prefix  netip.Prefix // the network it believes it is in; invalid: not told
	Gateway netip.Addr   // invalid: not told
	Mark    route.Mark
}

// Ports is a range of ports; the zero Ports is any.
type Ports struct{ Lo, Hi uint16 }

// Any reports whether every port is meant.
func (p Ports) Any() bool { return p == Ports{} }

// A Hook says which packets a rule is asked about. The zero Hook: those that the device forwards.
type Hook uint8

const (
	Forwarded Hook = iota
	ComingIn       // all that comes in by the interface, what is for the device itself too
	// what is forwarded out of the interface; whether what the device sends itself is asked about differs
	GoingOut
	ForItself  // what is for the device itself
	FromItself // what the device sends itself
	Steered    // what comes in by the interface and is forwarded: the rule says where to, not whether it may
)

// Missing is what was not captured and may hold a filter. The zero Missing is nothing.
type Missing uint8

const (
	CutOff     Missing = 1 + iota // the end of a configuration or listing
	NotApplied                    // where a list of rules is applied
	// SeveralBlended: nothing is missing, but the captures of several kernels or namespaces stand as one device's
	SeveralBlended
	// LeftOut: what a search behind the command left out of its output, or who kept the text
	LeftOut
	// SwitchedOn: that the device forwards packets of the family at all, which systems of its kind have to be told
	SwitchedOn
)

// A FlowState is what a rule asks of the flow that a packet belongs to. The zero FlowState asks for nothing.
type FlowState uint8

const (
	AnyState  FlowState = iota
	Beginning           // the first packet, or one that no seen flow explains and that may be a first one
	Answering           // an answer, by what the packet itself says: a TCP segment with ACK or RST (RFC 9293)
	Opening             // the first segment of a connection, by what it says: SYN without ACK (RFC 9293); of TCP alone
	Seen                // an answer to a flow that the device has seen
	Unseen              // an answer to a flow that it has not seen
)

// A Turning is what a rule asks of the destination of a flow: whether the device itself changes it (RFC 3022). The zero
// Turning asks for nothing.
type Turning uint8

const (
	AnyDestination Turning = iota
	TurnedHere
	NotTurnedHere
)

// A Detour is where a policy of routing sends packets before any route is looked up (policy-based routing). The zero
// Detour: they go by their destination.
type Detour struct {
	NextHop netip.Addr // invalid: none
	Table   string     // in which they are looked up; "": none
	Drop    bool       // nowhere
	Open    bool       // where to is not known: it hangs on what no walk knows
	Whole   bool       // the policy is in force as long as all of its next hops can be used (FRR)
}

// Sends reports whether packets go another way than their destination tells, or may.
func (d Detour) Sends() bool { return d.NextHop.IsValid() || d.Table != "" || d.Drop || d.Open }

// A FlowRule permits or denies flows that go through a device. Rules are ordered, the first that fits counts; what fits
// none is denied.
type FlowRule struct {
	Hook               Hook
	Family             route.Family // 0: both
	Chain              int          // every chain that has rules for a packet's family must permit it
	Permit             bool
	Refuse             bool   // denied with an error back
	Protocol           string // "tcp", "udp", "icmp", …; "": any
	From, To           netip.Prefix
	FromPorts, ToPorts Ports
	Type               uint16 // ICMP type (RFC 792, RFC 4443) + 1; 0: any
	State              FlowState
	Turned             Turning
	In, Out            string  // interfaces; "": any
	NotIn, NotOut      string  // the one interface that it is not for; "": none
	Stateless          bool    // it is asked about each packet, whatever flow the device has seen before
	Undecided          bool    // it also asks for what no walk knows
	NotRead            bool    // a filter is applied here, and what it says was not read; it is Undecided then
	Missing            Missing // what may hold a filter and was not captured; it is NotRead then
	Detour             Detour  // of a Steered rule, which permits
	Mark               route.Mark
}

// A Translation changes the source of what leaves a device, or the destination of what comes in (RFC 3022).
type Translation struct {
	Destination bool         // else the source
	Own         bool         // it is asked about what the device itself sends, and about nothing else
	ToOwn       bool         // only what is for one of the device's own addresses
	Family      route.Family // 0: both
	Protocol    string
	From, To    netip.Prefix // that it applies to
	ToPorts     Ports
	FromPorts   Ports // of answers that a server behind it sends; what a host begins itself it is not asked for then
	In, Out     string
	// NotIn and NotOut are as in a FlowRule.
	NotIn, NotOut string
	Becomes       netip.Addr // invalid: the address of the interface that the packet leaves by
	BecomesPort   uint16     // 0: as it was
	Undecided     bool       // it also asks for what no walk knows, or becomes what none knows
	Keep          bool       // what it fits is left as it is, whatever translations follow
	Answers       bool       // it is asked for each packet, what answers a flow that passed unchanged too
	// the device answers on the link for the address that stands outside, which need not be its own (RFC 1027)
	OnLink bool
	Mark   route.Mark
}

// A Policy is what decides beside routes on one device. The zero Policy decides nothing.
type Policy struct {
	Flows        []FlowRule
	Translations []Translation
	Tunnels      []Tunnel
	Stateful     route.Mark // the line that says so
	// StatefulOf is the family of the flows that it keeps state of; 0: both
	StatefulOf route.Family
	AllOfEqual route.Mark // the line that says that all equal next hops forward, whatever a mark of the table says
	// AllRules4 and AllRules6: all of a kernel's filters for the family were captured. SetsMarks: one of them puts a
	// mark on packets.
	AllRules4, AllRules6, SetsMarks bool
}

// add joins the policy of another capture of the device.
func (p *Policy) add(o Policy) {
	apart := 0 // each capture numbers its chains by itself: the first of this one is not the last of the one before
	if len(p.Flows) > 0 && len(o.Flows) > 0 {
		apart = p.Flows[len(p.Flows)-1].Chain + 1 - o.Flows[0].Chain
	}
	for _, f := range o.Flows {
		f.Chain += apart
		p.Flows = append(p.Flows, f)
	}
	p.Translations = append(p.Translations, o.Translations...)
	p.Tunnels = append(p.Tunnels, o.Tunnels...)
	switch {
	case !p.Stateful.Known():
		p.Stateful, p.StatefulOf = o.Stateful, o.StatefulOf
	case o.Stateful.Known() && o.StatefulOf != p.StatefulOf:
		p.StatefulOf = 0
	}
	if !p.AllOfEqual.Known() {
		p.AllOfEqual = o.AllOfEqual
	}
	p.AllRules4, p.AllRules6 = p.AllRules4 || o.AllRules4, p.AllRules6 || o.AllRules6
	p.SetsMarks = p.SetsMarks || o.SetsMarks
}

// blended returns the line of a rule that stands for captures of several devices, none where there is no such rule.
func (p *Policy) blended() route.Mark {
	i := slices.IndexFunc(p.Flows, func(r FlowRule) bool { return r.Missing == SeveralBlended })
	if i < 0 {
		return route.Mark{}
	}
	return p.Flows[i].Mark
}

// A Flow is what a packet is beside its addresses. The zero Flow is not told.
type Flow struct {
	Protocol                    string
	SourcePort, DestinationPort uint16 // 0: not told
	Answer                      bool   // it is the answer to what was told
	Seen                        bool   // the device that is asked has seen what it answers; of a Later one, the answer
	Turned                      bool   // that device changes the destination, of this packet or of what it answers
	// Later: it is a later packet of who began a flow that was answered: no beginning to any device on its way.
	Later bool
}

// Told reports whether the flow is told.
func (f Flow) Told() bool { return f.Protocol != "" }

// Reverse is the flow of the answer.
func (f Flow) Reverse() Flow {
	return Flow{Protocol: f.Protocol, SourcePort: f.DestinationPort, DestinationPort: f.SourcePort, Answer: !f.Answer}
}

// in says whether the packet belongs to a flow in a state. What answers a flow that was not seen begins one of its own
// where its protocol does not tell.
func (f Flow) in(s FlowState) Fit {
	is := func(b bool) Fit {
		if b {
			return Yes
		}
		return No
	}
	if f.Later && s != AnyState { // where the answer went past the device, it knows of no connection (RFC 9293)
		return is(s == Answering || f.Seen && s == Seen || !f.Seen && s == Unseen)
	}
	unseen := f.Answer && !f.Seen
	tells := f.Protocol == "tcp" || f.Protocol == "icmp" || f.Protocol == "icmpv6"
	switch {
	case s == Answering:
		return is(f.Answer)
	case s == Opening:
		return is(!f.Answer)
	case s == Seen:
		return is(f.Answer && f.Seen)
	case (s == Beginning || s == Unseen) && unseen && !f.Told():
		return Maybe
	case s == Beginning:
		return is(!f.Answer || unseen && !tells)
	case s == Unseen:
		return is(unseen && tells)
	}
	return Yes
}

// icmpType is the ICMP type of an echo or its reply (RFC 792, RFC 4443).
func (f Flow) icmpType() uint16 {
	switch {
	case f.Protocol == "icmpv6" && f.Answer:
		return 129
	case f.Protocol == "icmpv6":
		return 128
	case f.Answer:
		return 0
	}
	return 8
}

// Fit says whether a rule fits a packet.
type Fit uint8

const (
	No Fit = iota
	Maybe
	Yes
)

// withPorts are the protocols whose packets have ports, which a rule may ask for without one of them.
var withPorts = map[string]bool{"tcp": true, "udp": true, "sctp": true, "dccp": true, "udplite": true}

// fits compares addresses, ports and interfaces; Maybe where that depends on a flow that is not told.
func fits(
	from, to netip.Prefix,
	protocol string,
	fromPorts, toPorts Ports,
	in, out string,
	src, dst netip.Addr,
	f Flow,
	inIf, outIf string,
) Fit {
	if from.IsValid() && !from.Contains(src) || to.IsValid() && !to.Contains(dst) || in != "" && in != inIf ||
		out != "" && out != outIf {
		return No
	}
	if protocol == "" && fromPorts.Any() && toPorts.Any() {
		return Yes
	}
	if !f.Told() {
		return Maybe
	}
	if protocol != "" && protocol != f.Protocol || protocol == "" && !withPorts[f.Protocol] {
		return No
	}
	return min(fromPorts.fits(f.SourcePort), toPorts.fits(f.DestinationPort))
}

// fits compares with a port; Maybe where that is not told.
func (p Ports) fits(n uint16) Fit {
	switch {
	case p.Any(), p.Lo <= n && n <= p.Hi:
		return Yes
	case n == 0:
		return Maybe
	}
	return No
}

// isNotFor reports whether an interface is the one that a rule is not for.
func isNotFor(not, ifname string) bool { return not != "" && not == ifname }

// Fits says whether the rule fits a packet that goes from one interface to another.
func (r *FlowRule) Fits(src, dst netip.Addr, f Flow, in, out string) Fit {
	if r.Family != 0 && r.Family != route.FamilyOf(dst) {
		return No
	}
	if isNotFor(r.NotIn, in) || isNotFor(r.NotOut, out) {
		return No
	}
	fit := fits(r.From, r.To, r.Protocol, r.FromPorts, r.ToPorts, r.In, r.Out, src, dst, f, in, out)
	state := f.in(r.State)
	if r.State == Beginning && !r.Permit && f.Protocol == "tcp" && f.Answer && !f.Seen {
		state = Maybe // the answer to the first segment begins no flow, but a kernel takes later ones for a beginning
	}
	fit = min(fit, state)
	switch {
	case fit == Yes && r.Type != 0 && f.icmpType() != r.Type-1,
		r.Turned == TurnedHere && !f.Turned, r.Turned == NotTurnedHere && f.Turned:
		return No
	case fit == Yes && r.Undecided:
		return Maybe
	}
	return fit
}

// Fits says whether the translation applies to a packet. Out is not known yet where the destination changes.
func (t Translation) Fits(src, dst netip.Addr, f Flow, in, out string) Fit {
	fam := route.FamilyOf(dst)
	if t.Family != 0 && t.Family != fam || t.Becomes.IsValid() && route.FamilyOf(t.Becomes) != fam {
		return No
	}
	if isNotFor(t.NotIn, in) || isNotFor(t.NotOut, out) {
		return No
	}
	fit := fits(t.From, t.To, t.Protocol, t.FromPorts, t.ToPorts, t.In, t.Out, src, dst, f, in, out)
	if fit == Yes && t.Undecided {
		return Maybe
	}
	return fit
}

// Fits says whether the rule is for a packet that comes in by an interface, "" where the device itself sends it.
func (r Rule) Fits(src, dst netip.Addr, f Flow, ingress string, unmarked bool) Fit {
	fit := fits(r.From, r.To, r.Protocol, r.FromPorts, r.ToPorts, "", "", src, dst, f, "", "")
	if r.Ingress != "" && r.Ingress != ingress {
		fit = No
	}
	if r.FWMark != (FWMark{}) && fit != No {
		switch {
		case !unmarked:
			fit = Maybe
		case r.FWMark.Value&r.FWMark.Mask != 0:
			fit = No
		}
	}
	if r.Undecided && fit == Yes {
		fit = Maybe
	}
	if r.Not {
		switch fit {
		case Yes:
			return No
		case No:
			return Yes
		}
	}
	return fit
}
