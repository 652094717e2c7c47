package present

import (
	"fmt"
	"net/netip"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// advice words what to do about a branch that does not arrive, "" where there is nothing to say.
func advice(b forward.Branch, dst netip.Addr) string {
	at := Clean(b.Where)
	dst = lookedUp(b, dst)
	switch b.Reason.Failure {
	case selection.Contradicted:
		return keepNewer(at)
	case selection.Untold:
		return fmt.Sprintf("capture the whole routing table of %s", at)
	}
	switch b.Reason.Code {
	case forward.NoCoveringRoute:
		if b.Reason.NotTaken.IsValid() {
			return fmt.Sprintf(
				"find out why what forwards on %s lacks %s; if the two captures are not of one moment, take both anew",
				at,
				b.Reason.NotTaken,
			)
		}
		return ""
	case forward.TableMissing:
		if b.Reason.Table != "" {
			return fmt.Sprintf("capture all %s tables of %s", familyName(route.FamilyOf(dst)), at)
		}
		return fmt.Sprintf("capture the %s routing table of %s", familyName(route.FamilyOf(dst)), at)
	case forward.RulesMissing:
		return fmt.Sprintf("capture the policy rules of %s (ip rule, ip -6 rule)", at)
	case forward.TableFiltered, forward.TableLacks, forward.TableCut:
		return fmt.Sprintf("capture the whole routing table of %s", at)
	case forward.ChangedSince, forward.AnsweredOtherwise:
		return fmt.Sprintf("capture the routing table of %s again", at)
	case forward.RowUnread:
		return fmt.Sprintf("read that line yourself, or capture the routing table of %s in another form", at)
	case forward.CapturesContradict:
		return keepNewer(at)
	case forward.RouteRefused:
		return fmt.Sprintf("capture what really forwards on %s", at)
	case forward.Encapsulated:
		return "find out by its tables of labels or tunnels where that comes out, and ask there"
	case forward.NotPredicted:
		if n := len(b.Hops); n > 0 && b.Hops[n-1].Route.Attributes != nil && b.Hops[n-1].Route.Protocol == route.BGP {
			return fmt.Sprintf("capture, where they are not yet, BGP's own list on %s and the configurations of all that "+
				"speak BGP; what neighbours outside would begin to announce no capture shows", at)
		}
		return fmt.Sprintf("find out what the routing protocol of %s knows beside what it uses: its database, and "+
			"the costs of its interfaces", at)
	case forward.OwnerNotKnown:
		return fmt.Sprintf("capture the device that has %s, or the neighbour entries of %s", b.Reason.Address, at)
	case forward.OwnerBeside:
		return fmt.Sprintf("capture the neighbour entries of %s and the link-layer addresses of %s, which show whether "+
			"it answers", at, Clean(b.Reason.Device))
	case forward.AddressReused:
		return fmt.Sprintf("capture the neighbour entries of %s, and the interfaces with their link-layer addresses of "+
			"the devices that it may lead to", at)
	case forward.SeveralOwners:
		return fmt.Sprintf("find out which device really has %s", b.Reason.Address)
	case forward.AddressTranslated:
		if b.Reason.Device == b.Where {
			return fmt.Sprintf("look at the translations of %s: which flow each of them is for; tell it with -flow", at)
		}
		return fmt.Sprintf("capture the neighbour entries of %s, which show whether somebody answers for %s", at,
			b.Reason.Address)
	case forward.GatewayAway:
		return fmt.Sprintf("capture the router that has %s", b.Reason.Address)
	case forward.SharedAddress, forward.GatewayShared:
		return fmt.Sprintf("capture the list of virtual routers (VRRP, RFC 9568) of %s, which shows who has it",
			Clean(joinAnd(b.Reason.Sharers)))
	case forward.OwnerUnasked:
		return fmt.Sprintf("capture the neighbour entries of %s: somebody may have written one by hand", at)
	case forward.OwnerWritten:
		return fmt.Sprintf("capture the interfaces of %s with their link-layer addresses (ip addr)", Clean(b.Reason.Device))
	case forward.OwnerOtherwise:
		return fmt.Sprintf("find out who has that link-layer address: an entry that somebody wrote, another device with %s, "+
			"or a capture of another moment", b.Reason.Address)
	case forward.OwnerSilent:
		return fmt.Sprintf("look at the link between %s and %s, and capture both again", at, Clean(b.Reason.Device))
	case forward.NobodyAnswers:
		if b.Reason.Address != dst {
			return fmt.Sprintf(
				"bring up the device that should have %s, if %s is right to ask for it",
				b.Reason.Address,
				at,
			)
		}
	case forward.FilterNotRead:
		return fmt.Sprintf("look at what that line applies on %s: whether it lets the packets pass; "+
			"-assume-permitted follows them as if it did", at)
	case forward.AnswerTranslated:
		return fmt.Sprintf("look whether %s translates answers, or ask for the address that the destination has "+
			"outside",
			at)
	case forward.RulesLeftOut:
		return fmt.Sprintf("capture the filters of %s again, whole and without a search", at)
	case forward.PolicyRouted:
		return fmt.Sprintf("look at that line of %s: where it sends the packets, and ask from there; "+
			"-assume-permitted follows them as if it did not fit", at)
	case forward.CapturesBlended:
		return fmt.Sprintf("put the captures of each device, namespace or instance into a folder of its own, which now "+
			"stand as %s", at)
	case forward.WhereApplied:
		return fmt.Sprintf("capture the configuration of the interfaces of %s", at)
	case forward.ForwardingNotTold:
		return fmt.Sprintf("look whether %s forwards %s; -assume-permitted follows the packets as if it did", at,
			familyName(route.FamilyOf(dst)))
	case forward.ConfigurationCut:
		return fmt.Sprintf("capture the whole configuration of %s", at)
	case forward.RuleNotUnderstood:
		return fmt.Sprintf("look at that line of %s: whether it lets the packets pass; -assume-permitted follows "+
			"them as if it did", at)
	case forward.OwnFiltered:
		return fmt.Sprintf("look whether that filter of %s is asked about what it sends itself; -assume-permitted "+
			"follows it as if it let it pass", at)
	case forward.FlowNotTold:
		return "tell the flow, such as -flow tcp:40000:443"
	case forward.RuleDenies:
		return fmt.Sprintf("permit it in the rules of %s", at)
	case forward.NoState:
		if b.Reason.Device != "" {
			at = Clean(b.Reason.Device)
		}
		return fmt.Sprintf("lead both directions through %s, or neither", at)
	case forward.NotChangedBack:
		return fmt.Sprintf("let %s change the source of such packets too, or ask %s itself", Clean(b.Reason.Device),
			b.Reason.Address)
	case forward.TunnelFails:
		if b.Reason.Inner == forward.Leaves {
			return fmt.Sprintf("capture the devices between %s and %s, or a session (BFD) or routing neighbour over %s, which "+
				"shows that the tunnel works", at, b.Reason.Address, Clean(b.Reason.Interface))
		}
		return fmt.Sprintf("trace %s from %s", b.Reason.Address, at)
	case forward.TunnelUntold:
		return fmt.Sprintf("capture what %s says of the tunnel %s (its two ends), or tell it in notes.yaml", at,
			Clean(b.Reason.Interface))
	case forward.TunnelElsewhere, forward.TunnelOtherEnds, forward.TunnelEndDown:
		return fmt.Sprintf("compare the two ends of the tunnel %s: at %s and at %s", Clean(b.Reason.Interface), at,
			Clean(b.Reason.Device))
	case forward.TunnelInItself:
		return fmt.Sprintf("give %s a route to %s outside of the tunnel", at, b.Reason.Address)
	case forward.HostSelf:
		return fmt.Sprintf("correct the settings of %s", at)
	case forward.NobodyHasIt:
		return fmt.Sprintf("compare the next hop of %s with the address of %s", at, Clean(b.Reason.Device))
	case forward.SourceUsual:
		return fmt.Sprintf("look whether %s checks sources on %s, or give it a route to %s by that", at,
			Clean(b.Reason.Interface), b.Reason.Address)
	case forward.SourceByDefault:
		return fmt.Sprintf("look whether the check of %s on %s is told to accept the default route, or give %s a route to "+
			"%s", at, Clean(b.Reason.Interface), at, b.Reason.Address)
	case forward.SourceFails:
		return fmt.Sprintf(
			"look at the check of %s on %s: it lacks a route back to %s by it (zarvek why %s %s -from %s)",
			at,
			Clean(b.Reason.Interface),
			b.Reason.Address,
			at,
			b.Reason.Address,
			Clean(b.Reason.Interface),
		)
	case forward.MaybeOwn, forward.MaybeOwnFiltered:
		return fmt.Sprintf("capture the addresses of %s", at)
	case forward.MaybeOwnUnrouted:
		return fmt.Sprintf("capture the addresses of %s (ip addr)", Clean(b.Reason.Device))
	case forward.SwitchOff:
		return fmt.Sprintf("switch %s forwarding on at %s", familyName(route.FamilyOf(dst)), at)
	case forward.CameBack:
		return "look at the routes of the ring: " + ringRoutes(b)
	case forward.NotItsGateway:
		return fmt.Sprintf("capture the device that has %s, or the gateway that it uses", b.Reason.Address)
	case forward.SourceNotPlaced:
		return "capture the device at that end"
	case forward.LeftCase:
		if b.Reason.Behind != "" {
			return ""
		}
		return fmt.Sprintf("capture the device that has %s to follow it further", b.Reason.Address)
	case forward.RuleNotDecided, forward.RuleBeforeOwn:
		return fmt.Sprintf("look at the policy rules of %s by hand", at)
	}
	return ""
}

func keepNewer(at string) string {
	return fmt.Sprintf("keep the newer one of the two captures of %s, and take the older one out of the case", at)
}
