package present

import (
	"fmt"
	"net/netip"
	"strings"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
	"zarvek/internal/core/topology"
)

// because words why a branch ends as it does, as a clause that goes on after "at DEVICE": the device is "it" there.
// where it stands alone, alone gives the name in place of the pronoun.
func because(b forward.Branch, dst netip.Addr) string { return reasonClause(b, dst, "it", onePacket) }

func alone(b forward.Branch, dst netip.Addr) string {
	return reasonClause(b, dst, Clean(b.Where), onePacket)
}

// subject is what a clause is about: the packet of a trace, or all packets that a finding is about.
type subject struct {
	it, packet string
	hands      string // what a device does with it: "hands it", "sends 10.61.0.0/24"
	byDefault  string // how a packet that leaves by a default route is begun with
}

var (
	onePacket  = subject{"it", "the packet", "hands it", "by its default route "}
	allPackets = subject{"packets", "the packets", "hands packets", ""}
)

// lookedUp is the destination at the end of a branch, which translations on the way may have changed.
func lookedUp(b forward.Branch, dst netip.Addr) netip.Addr {
	for _, h := range b.Hops {
		if h.NewDestination.IsValid() {
			dst = h.NewDestination
		}
	}
	return dst
}

// reasonClause words why a branch ended, as the second half of a sentence. At is the device's name, or "it" where it
// was named just before.
func reasonClause(b forward.Branch, dst netip.Addr, at string, p subject) string {
	r, its := b.Reason, "its"
	dst = lookedUp(b, dst)
	if at != "it" {
		its = at + "'s"
	}
	dev, ifname := Clean(r.Device), Clean(r.Interface)
	last := forward.Hop{}
	if n := len(b.Hops); n > 0 {
		last = b.Hops[n-1]
	}
	switch r.Code {
	case forward.OwnAddress:
		s := fmt.Sprintf("%s is %s own address", dst, its)
		if last.Owner == topology.Deduced {
			s += " (deduced)"
		}
		return s
	case forward.HostSeen:
		return fmt.Sprintf("%s is attached there, and %s has seen that host as a neighbour", last.Prefix, at)
	case forward.NetworkAttached:
		host := dst
		if r.Address.IsValid() { // which a translation may have made of it
			host = r.Address
		}
		return fmt.Sprintf("%s is attached there; whether a host has %s is not known", last.Prefix, host)
	case forward.SameNetwork:
		s := "source and destination share a network, so the host sends straight to it"
		if b.Delivery == forward.ToAttachedNetwork {
			s += "; whether a host has " + dst.String() + " is not known"
		}
		return s
	case forward.LeftCase:
		if r.Behind != "" {
			return fmt.Sprintf(
				"%s%s %s to %s, which is no captured device, although %s is at %s",
				p.byDefault,
				at,
				p.hands,
				to(r.Address, r.Interface),
				dst,
				Clean(r.Behind),
			)
		}
		return fmt.Sprintf("%s %s to %s, which is no captured device", at, p.hands, to(r.Address, r.Interface))
	case forward.NoCoveringRoute:
		if r.NotTaken.IsValid() {
			return fmt.Sprintf(
				"%s has no route to %s where it forwards, though its routing table chose %s",
				at,
				dst,
				r.NotTaken,
			)
		}
		if r.Behind != "" {
			return fmt.Sprintf("%s has no route to %s, which is at %s", at, dst, Clean(r.Behind))
		}
		return fmt.Sprintf("%s has no route to %s", at, dst)
	case forward.TableMissing:
		if r.Table != "" {
			return fmt.Sprintf("%s looks it up in the table %s, and no capture shows that", at, Clean(r.Table))
		}
		return fmt.Sprintf("no %s table of %s was captured", familyName(route.FamilyOf(dst)), Clean(b.Where))
	case forward.RulesMissing:
		return fmt.Sprintf("%s has a table %s beside its main one, which would send it another way, and its policy "+
			"rules were not captured", at, Clean(r.Table))
	case forward.TableFiltered:
		return fmt.Sprintf(
			"the listing of %s table shows a part of it only, so that what it does not show may be there",
			its,
		)
	case forward.TableLacks:
		return fmt.Sprintf(
			"the listing of %s table lacks the network of an interface that is up, so that more may be missing",
			its,
		)
	case forward.TableCut:
		return fmt.Sprintf("the capture of %s table is cut off before %s", its, dst)
	case forward.RowUnread:
		return fmt.Sprintf("a line of %s table tells of a route that may be for %s and was not read", its, dst)
	case forward.ChangedSince:
		return fmt.Sprintf("%s may have changed its routes to %s after its table was shown", at, dst)
	case forward.AnsweredOtherwise:
		return fmt.Sprintf("asked about %s, %s said something else than its table tells", dst, at)
	case forward.CapturesContradict:
		if r.Gone {
			return fmt.Sprintf("of two captures of %s, of different moments, only one has the route %s", at,
				last.Prefix)
		}
		return fmt.Sprintf("two captures of %s, of different moments, lead %s to different next hops", at, dst)
	case forward.RouteRefused:
		return fmt.Sprintf("%s chose %s, but its forwarding table did not take it", at, last.Prefix)
	case forward.NotPredicted:
		return fmt.Sprintf("which route %s would use for %s cannot be told", at, last.Prefix)
	case forward.Blackholed:
		return fmt.Sprintf("%s discards %s silently%s", at, p.it, byRoute(last))
	case forward.Rejected:
		return fmt.Sprintf("%s refuses %s%s and tells the sender", at, p.it, byRoute(last))
	case forward.Unresolved:
		return unresolved(its, last, r)
	case forward.Encapsulated:
		return fmt.Sprintf("%s sends %s on inside of something else (labels or a tunnel) by %s, and no table tells "+
			"where that comes out", at, dst, ifname)
	case forward.NobodyAnswers:
		if r.Address == dst {
			return fmt.Sprintf("nobody answered for %s on %s of %s", r.Address, ifname, dev0(dev, Clean(b.Where)))
		}
		return fmt.Sprintf(
			"%s %s to %s, and nobody answered for that next hop",
			at,
			p.hands,
			to(r.Address, r.Interface),
		)
	case forward.NobodyHasIt:
		return fmt.Sprintf(
			"%s %s to %s, and %s, the only other device on that link, has another address there",
			at,
			p.hands,
			to(r.Address, r.Interface),
			dev,
		)
	case forward.OwnerDown:
		return fmt.Sprintf(
			"%s belongs to %s, whose interface %s is down%s",
			r.Address,
			dev,
			ifname,
			livenessWords(r.Liveness, dev),
		)
	case forward.OwnerMaybeDown:
		return fmt.Sprintf(
			"no capture shows who has %s on %s of %s; %s, whose interface %s to that link is down, may have had it",
			r.Address,
			Clean(last.OutInterface),
			at,
			dev,
			ifname,
		)
	case forward.OwnLinkDown:
		return fmt.Sprintf("%s would send %s out of %s, which is down", at, p.it, ifname)
	case forward.OwnerElsewhere:
		return fmt.Sprintf(
			"%s %s to %s by %s, but that address is on %s of %s, which is not on that link",
			at,
			p.hands,
			r.Address,
			Clean(last.OutInterface),
			ifname,
			dev,
		)
	case forward.OwnerBeside:
		return fmt.Sprintf("%s %s to %s by %s; that address is on %s of %s, and whether that one answers for it on the link "+
			"is not known", at, p.hands, r.Address, Clean(last.OutInterface), ifname, dev)
	case forward.AddressReused:
		return fmt.Sprintf(
			"%s %s to %s by %s, and VRFs may use that address more than once: who has it on that link is not known",
			at,
			p.hands,
			r.Address,
			Clean(last.OutInterface),
		)
	case forward.SeveralOwners:
		return fmt.Sprintf(
			"%s %s to %s, and several captured interfaces have that address",
			at,
			p.hands,
			to(r.Address, r.Interface),
		)
	case forward.AddressTranslated:
		if r.Device == b.Where {
			return fmt.Sprintf("%s puts %s in place of another address, and no rule is sure to do so with this packet",
				at, r.Address)
		}
		return fmt.Sprintf("%s puts %s in place of another address, and whether it answers for it on the link is not "+
			"known", dev, r.Address)
	case forward.SharedAddress:
		return fmt.Sprintf("%s %s to %s, a virtual address of %s, and no capture tells %s", at, p.hands,
			to(r.Address, r.Interface), Clean(joinAnd(r.Sharers)), whoHas(r.Sharers))
	case forward.GatewayShared:
		return fmt.Sprintf("the hosts there send to %s, a virtual address of %s, and no capture tells %s", r.Address,
			Clean(joinAnd(r.Sharers)), whoHas(r.Sharers))
	case forward.GatewayAway:
		stand := "stand"
		if len(r.Sharers) == 1 {
			stand = "stands"
		}
		return fmt.Sprintf("the hosts there send to %s, a virtual address for which %s only %s by: the router that has it was "+
			"not captured", r.Address, Clean(joinAnd(r.Sharers)), stand)
	case forward.OwnerSilent:
		return fmt.Sprintf(
			"%s %s to %s, which is %s's address; but %s neighbour entry says that nobody answered",
			at,
			p.hands,
			to(r.Address, r.Interface),
			dev,
			its,
		)
	case forward.OwnerOtherwise:
		return fmt.Sprintf("%s %s to %s, which is %s's address; but %s neighbour entry has a link-layer address that no "+
			"interface of %s has", at, p.hands, to(r.Address, r.Interface), dev, its, dev)
	case forward.OwnerWritten:
		return fmt.Sprintf("%s %s to %s, which is %s's address; but somebody wrote %s neighbour entry by hand, and no "+
			"capture shows whether its link-layer address is %s's", at, p.hands, to(r.Address, r.Interface), dev, its, dev)
	case forward.OwnerUnasked:
		return fmt.Sprintf("%s %s to %s, and %s of %s neither asks for link-layer addresses nor tells its own", at, p.hands,
			r.Address, Clean(r.Interface), dev)
	case forward.OwnerNotKnown:
		return fmt.Sprintf(
			"%s %s to %s, and no capture shows who has that address",
			at,
			p.hands,
			to(r.Address, r.Interface),
		)
	case forward.InterfaceOnly:
		return fmt.Sprintf(
			"%s sends %s straight out of %s by a route without a next hop: somebody there must answer for %s",
			at,
			p.it,
			ifname,
			dst,
		)
	case forward.FilterNotRead:
		return fmt.Sprintf("a filter or policy is applied there on the way to %s, and what it says was not read", dst)
	case forward.AnswerTranslated:
		return fmt.Sprintf("a translation of %s fits the answer to what came in unchanged: if it is changed, whoever "+
			"asked does not know it", at)
	case forward.RulesLeftOut:
		return fmt.Sprintf("rules were left out where %s filters were captured, and may stop the packets", its)
	case forward.PolicyRouted:
		return fmt.Sprintf("%s policy routing may send such packets another way than their destination tells", its)
	case forward.CapturesBlended:
		name := at
		if r.Device != "" {
			name = Clean(r.Device)
		}
		return fmt.Sprintf("the captures of %s show interfaces or attached networks that have nothing in common, as of "+
			"two devices, namespaces or instances", name)
	case forward.WhereApplied:
		return fmt.Sprintf("lists of rules of %s were captured, and not to which interfaces they are applied", at)
	case forward.ForwardingNotTold:
		return fmt.Sprintf("%s whole configuration does not switch the forwarding of %s on, without which many systems "+
			"forward none", its, familyName(route.FamilyOf(dst)))
	case forward.ConfigurationCut:
		return fmt.Sprintf("%s configuration is cut off, and a filter may follow", its)
	case forward.RuleNotUnderstood:
		return fmt.Sprintf("one of %s rules or translations asks for something that was not understood (%s)", its,
			ruleOf(r))
	case forward.OwnFiltered:
		return fmt.Sprintf("%s sends it itself, and whether the filter of what leaves by %s is asked about that is "+
			"not known", at, ifname)
	case forward.FlowNotTold:
		return fmt.Sprintf("one of %s rules or translations asks for the protocol or ports (%s)", its, ruleOf(r))
	case forward.RuleDenies:
		return fmt.Sprintf("%s rules do not permit %s", its, p.packet)
	case forward.NoState:
		if r.Device != "" {
			return fmt.Sprintf("%s keeps state and sees the packet but not its reply, so it drops what follows", dev)
		}
		return fmt.Sprintf("%s keeps state and has not seen the packet that this one answers", at)
	case forward.NotChangedBack:
		return fmt.Sprintf("it goes past %s, which changed the packet's destination, so it comes from %s and not from "+
			"the address that was asked", dev, r.Address)
	case forward.NoAddressToTake:
		return fmt.Sprintf("%s translates to the address of %s, and no capture shows one, or which of several it takes", at,
			ifname)
	case forward.TunnelFails:
		return fmt.Sprintf("%s sends %s into the tunnel %s to %s, whose own packets %s %s", at, p.it, ifname, r.Address,
			endAs(r.Inner), dev)
	case forward.TunnelInItself:
		return fmt.Sprintf(
			"%s sends %s into the tunnel %s, whose far end %s is itself reached through that tunnel",
			at,
			p.it,
			ifname,
			r.Address,
		)
	case forward.TunnelUntold, forward.TunnelElsewhere, forward.TunnelOtherEnds, forward.TunnelEndDown:
		return fmt.Sprintf("%s sends %s into the tunnel %s%s", at, p.it, ifname, tunnelWords(r, dev))
	case forward.NoGateway:
		return fmt.Sprintf("its gateway %s is no captured device's address", r.Address)
	case forward.HostSelf:
		if r.Host == forward.MaskTooWide {
			return fmt.Sprintf("by its own mask %s takes %s for a neighbour and asks no router", at, dst)
		}
		return fmt.Sprintf("%s own gateway is not in its network", its)
	case forward.OwnSource:
		return fmt.Sprintf("the packet came in with an address of %s itself as its source", at)
	case forward.SourceFails:
		s := fmt.Sprintf("its %s source check on %s drops packets from %s", b.Reason.Check, Clean(b.Reason.Interface),
			b.Reason.Address)
		if b.Reason.Bare {
			s += ": as that has no address, the way back must lead out of it"
		}
		return s
	case forward.SourceUsual:
		return fmt.Sprintf("none of %s routes leads back to %s by %s, and systems that are configured so drop such packets "+
			"unless they are told not to", its, b.Reason.Address, Clean(b.Reason.Interface))
	case forward.SourceByDefault:
		return fmt.Sprintf("nothing but %s default route leads back to %s, and whether its %s source check on %s accepts "+
			"that is not known", its, b.Reason.Address, b.Reason.Check, Clean(b.Reason.Interface))
	case forward.SwitchOff:
		if r.Interface != "" {
			return fmt.Sprintf("%s does not forward %s that comes in by %s", at, familyName(route.FamilyOf(dst)),
				Clean(r.Interface))
		}
		return fmt.Sprintf("%s does not forward %s at all", at, familyName(route.FamilyOf(dst)))
	case forward.MaybeOwn:
		return fmt.Sprintf("%s does not forward %s, and no capture shows whether %s is its own address", at,
			familyName(route.FamilyOf(dst)), r.Address)
	case forward.MaybeOwnFiltered:
		return fmt.Sprintf("a rule of %s drops what it forwards to %s, and no capture shows whether that is its own address",
			at, r.Address)
	case forward.NoIPv6There:
		return fmt.Sprintf("%s of %s is up and has no IPv6 address, not even one of its link, so that IPv6 may be switched off "+
			"there", ifname, at)
	case forward.AnotherRouter:
		return fmt.Sprintf("%s does not answer %s by %s, and a device that is no router of IPv6 takes another of its routes then",
			r.Address, at, ifname)
	case forward.MaybeOwnUnrouted:
		return fmt.Sprintf("a route to %s alone leads to %s, none leads on, and no capture shows whether that is its own "+
			"address", r.Address, Clean(r.Device))
	case forward.CameBack:
		return "packets go round: " + ring(b)
	case forward.BroadcastAddress:
		return fmt.Sprintf("%s is a %s address there", dst, r.Special)
	case forward.RuleBeforeOwn:
		return fmt.Sprintf("one of %s policy rules is asked before its own addresses are, and may be for %s", its, dst)
	case forward.RuleNotDecided:
		return fmt.Sprintf("one of %s policy rules asks for something that captures do not show", its)
	case forward.SourceNotPlaced:
		return fmt.Sprintf("no captured device has %s or is attached to its network", r.Address)
	case forward.NotItsGateway:
		return fmt.Sprintf("no capture shows the gateway that %s uses: %s is on its network and does not forward %s",
			r.Address, dev, familyName(route.FamilyOf(r.Address)))
	case forward.WrongPlace:
		return fmt.Sprintf("it is delivered at %s, another holder of %s than the one that sent", dev, r.Address)
	}
	return "no reason is known"
}

func dev0(dev, at string) string {
	if dev != "" {
		return dev
	}
	return at
}

func byRoute(h forward.Hop) string {
	if !h.Prefix.IsValid() {
		return " by a policy rule"
	}
	return fmt.Sprintf(" by its %s route %s", learned(h.Route.Attributes), h.Prefix)
}

// unresolved says why the next hop of a recursive route leads nowhere.
func unresolved(its string, h forward.Hop, r forward.Reason) string {
	s := fmt.Sprintf("%s route %s", its, h.Prefix)
	if r.Failure == selection.Untold {
		return s + fmt.Sprintf(" points to %s, and the captures do not show which route covers %s", h.NextHop, r.Address)
	}
	if r.Address.IsValid() {
		s += fmt.Sprintf(" points to %s, which", h.NextHop)
	}
	switch r.Failure {
	case selection.NoRoute:
		return s + fmt.Sprintf(" cannot be resolved: no route covers %s", r.Address)
	case selection.Cycle:
		return s + " is resolved in a circle"
	case selection.ThroughSelf:
		return s + " is covered by nothing but that route itself"
	case selection.DiscardedHop:
		return s + " is covered by a route that discards"
	case selection.Contradicted:
		return s + " is covered by a route on which two captures of different moments contradict each other"
	case selection.NotReadable:
		return s + " is covered by a route that the forwarding table did not take"
	case selection.InOtherTable:
		return s + " lies in another table: what carries packets there no capture shows"
	case selection.TooLong:
		return s + " is resolved through too many routes to follow"
	}
	return s + " shows no next hop that can be used"
}

// ring names the devices of a loop once around.
func ring(b forward.Branch) string {
	var names []string
	start := 0
	for i, h := range b.Hops[:max(len(b.Hops)-1, 0)] {
		if h.Device == b.Where {
			start = i
		}
	}
	for _, h := range b.Hops[start:] {
		names = append(names, Clean(h.Device))
	}
	return strings.Join(names, " to ")
}

// ringRoutes names each device of a loop with the prefix that it matched.
func ringRoutes(b forward.Branch) string {
	var parts []string
	start := 0
	n := max(len(b.Hops)-1, 0)
	for i, h := range b.Hops[:n] {
		if h.Device == b.Where {
			start = i
		}
	}
	for _, h := range b.Hops[start:n] {
		what := h.Prefix.String()
		if !h.Prefix.IsValid() {
			what = "the policy of routing"
		}
		parts = append(parts, what+" on "+Clean(h.Device))
	}
	return strings.Join(parts, ", ")
}

// livenessWords says what the liveness sessions of both ends tell.
func livenessWords(l forward.Liveness, dev string) string {
	state := map[forward.Detection]string{forward.DetectsUp: "is up", forward.DetectsDown: "is down"}
	switch {
	case l.Here == forward.NoDetection && l.There == forward.NoDetection:
		return ""
	case l.There == forward.NoDetection:
		return fmt.Sprintf(
			"; its liveness session with it %s, and %s has none with it: detection is configured on one end only",
			state[l.Here],
			dev,
		)
	case l.Here == forward.NoDetection:
		return fmt.Sprintf(
			"; it has no liveness session with it, that of %s %s: detection is configured on one end only",
			dev,
			state[l.There],
		)
	}
	return fmt.Sprintf("; its liveness session %s, that of %s %s", state[l.Here], dev, state[l.There])
}

// ruleOf names where a rule stands; the place itself is shown with the hop.
func ruleOf(r forward.Reason) string {
	if r.Interface == "" {
		return "where it comes in"
	}
	return "on the way out of " + Clean(r.Interface)
}

// whoHas asks who of the routers that share a virtual address has it.
func whoHas(sharers []string) string {
	if len(sharers) == 1 {
		return "whether it has it"
	}
	return "which of them has it"
}
