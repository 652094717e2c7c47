package present

import (
	"fmt"
	"math/big"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// summary words a finding in one sentence: what is wrong, where.
func summary(f *audit.Finding) string {
	d := Clean(f.Device)
	dst := f.Example
	b := forward.Branch{Verdict: f.Verdict, Where: f.Device, Hops: []forward.Hop{f.Hop}, Reason: f.Reason}
	if s := detailSummary(f); s != "" {
		return s
	}
	switch f.Kind {
	case audit.OneSided:
		return fmt.Sprintf("%s keeps state and sees one direction only", d)
	case audit.Loop, audit.DefaultLoop:
		s := "packets go round between " + loopDevices(f)
		if f.Kind == audit.DefaultLoop {
			s += " by their default routes"
		}
		return s
	case audit.NoRoute:
		s := fmt.Sprintf("%s has no route to %s", d, prefixList(f.Missing, 4))
		if f.Table != "default" && f.Table != "" {
			s += " in its table " + Clean(f.Table)
		}
		if f.Classful {
			s += ", since it looks up classfully"
		}
		if f.Reason.Behind != "" {
			if len(f.Missing) == 1 {
				s += ", which is at " + Clean(f.Reason.Behind)
			}
		}
		return s
	case audit.OneWay:
		return fmt.Sprintf(
			"replies to %s are delivered at %s, which is not where the packets came from",
			netsOf(f, 3),
			d,
		)
	case audit.WrongSide:
		return fmt.Sprintf(
			"%s sends packets to %s out by its default route to %s, which is no captured device",
			d,
			netsOf(f, 3),
			to(f.Reason.Address, f.Reason.Interface),
		)
	case audit.MissingData:
		if f.Verdict == forward.Leaves {
			return fmt.Sprintf(
				"%s sends packets to %s on to %s, which is no captured device",
				d,
				netsOf(f, 3),
				to(f.Reason.Address, f.Reason.Interface),
			)
		}
	case audit.Swallowed:
		if !f.Hop.Prefix.IsValid() {
			return d + " drops packets by a policy rule"
		}
		verb := "discards"
		if f.Verdict == forward.Refused {
			verb = "refuses"
		}
		by, them := aRoute(f.Hop.Route.Attributes), "it"
		if len(f.Missing) > 1 {
			by, them = "routes of their own", "them"
		}
		s := fmt.Sprintf("%s %s %s by %s", d, verb, prefixList(f.Missing, 4), by)
		if x := f.Detail.(audit.SwallowedDetail); x.Instead.Attributes != nil {
			s += fmt.Sprintf(
				"; without %s %s would carry those addresses",
				them,
				prefixList([]netip.Prefix{x.Instead.Prefix}, 1),
			)
		}
		return s
	case audit.NetworkDown:
		return fmt.Sprintf(
			"%s is down, since %s of %s is and no other interface leads there",
			f.Missing[0],
			Clean(f.Detail.(audit.NetworkDownDetail).Interface),
			d,
		)
	case audit.HopDown:
		if f.Reason.Code == forward.OwnerDown && len(f.Missing) > 0 {
			return fmt.Sprintf(
				"%s sends %s to %s, which is %s, whose interface %s is down%s",
				d,
				prefixList(f.Missing, 3),
				to(f.Hop.NextHop, f.Hop.OutInterface),
				Clean(
					f.Reason.Device,
				),
				Clean(f.Reason.Interface),
				livenessWords(f.Detail.(audit.HopDownDetail).Liveness, Clean(f.Reason.Device)),
			)
		}
	case audit.HostSettings:
		if f.Reason.Host == forward.MaskTooWide {
			return fmt.Sprintf(
				"the host %s takes %s for neighbours by its own mask, and asks no router",
				d,
				netsOf(f, 3),
			)
		}
		return fmt.Sprintf("the gateway of the host %s is not in its network", d)
	case audit.SilentHost:
		return fmt.Sprintf("nobody answers for %s on %s of %s", f.Reason.Address, Clean(f.Reason.Interface), d)
	case audit.SourceCheck:
		if f.Reason.Code == forward.OwnSource {
			return fmt.Sprintf(
				"%s drops packets that come in with its own address %s as their source",
				d,
				f.Detail.(audit.SourceCheckDetail).Own,
			)
		}
		return fmt.Sprintf(
			"the %s source check of %s on %s drops packets from %s",
			f.Reason.Check,
			d,
			Clean(f.Detail.(audit.SourceCheckDetail).Interface),
			sourcesOf(f, 3),
		)
	case audit.DeadBranch:
		b.Where = f.End
		return fmt.Sprintf(
			"some of the equal ways from %s fail: %s",
			Clean(f.Split),
			atDevice(b, dst, f.Split, onePacket),
		)
	}
	p := allPackets
	if len(f.Missing) > 0 {
		p.hands = "sends " + prefixList(f.Missing, 3)
	}
	return atDevice(b, dst, "", p)
}

// atDevice words a cause as a clause, with the device's name unless it is the one just named.
func atDevice(b forward.Branch, dst netip.Addr, named string, p subject) string {
	if b.Where == named {
		return reasonClause(b, dst, "it", p)
	}
	if s := reasonClause(b, dst, Clean(b.Where), p); strings.HasPrefix(s, Clean(b.Where)) {
		return s
	}
	return Clean(b.Where) + ": " + reasonClause(b, dst, "it", p)
}

func orSomebody(device string) string {
	if device == "" {
		return "its next hop"
	}
	return Clean(device)
}

func orFiles(device string) string {
	if device == "" {
		return "no device"
	}
	return device
}

var fateShort = map[selection.Fate]string{
	selection.HopUnresolved: "nothing leads to its next hop",
	selection.HopByDefault:  "nothing but the default route leads to its next hop, which most devices do not accept",
	selection.InterfaceDown: "its interface is down", selection.InterfaceGone: "the device has no such interface",
	selection.Deactivated: "the table has it as inactive", selection.RefusedToUse: "what forwards did not take it",
}

// staticShort says why a configured static route is not in use.
func staticShort(x audit.StaticDetail) string {
	tie := tieWords(x.Static)
	switch {
	case x.Fate == selection.ObjectDown, x.Fate == selection.SessionDown:
		return tie + ", which it is tied to, is down"
	case !x.Absent():
		return fateShort[x.Fate]
	case tie != "":
		return "it could be by all that was captured, so it was made at another time, or " + tie +
			", which it is tied to, is down"
	}
	return "it could be by all that was captured, so it was made at another time, or is tied to something"
}

var differenceShort = map[network.DifferenceKind]string{
	network.NotInstalled:  "chosen, but not in what forwards",
	network.NotChosen:     "forwards, though no chosen route says so",
	network.OtherNextHops: "chosen by other next hops than it forwards by",
	network.OtherChoice:   "two captures disagree on what was chosen",
	network.OtherMoment:   "captures of different moments lead to other next hops",
	network.GoneMoment:    "of captures of different moments only some have a route",
}

// loopDevices names the devices of a loop, the first few of a long one.
func loopDevices(f *audit.Finding) string {
	var names []string
	for _, h := range f.Loop {
		names = append(names, Clean(h.Device))
	}
	switch n := len(names); {
	case n == 0:
		return Clean(f.Device)
	case n > 6:
		return fmt.Sprintf("%s and %d others", strings.Join(names[:4], ", "), n-4)
	}
	return joinAnd(names)
}

// trialWords says how packets fared by a route that does not forward now.
func trialWords(t *audit.Trial, dst netip.Addr) string {
	b := forward.Branch{Verdict: t.Verdict, Where: t.Where, Hops: t.Hops, Reason: t.Reason}
	if t.Back {
		return fmt.Sprintf("replies to %s would be lost: %s", t.Source, atDevice(b, someIn(t.Source), "", onePacket))
	}
	return "packets would be lost: " + atDevice(b, dst, "", onePacket)
}

// someIn is an address that stands for a network in a sentence.
func someIn(p netip.Prefix) netip.Addr {
	if a := p.Addr().Next(); p.Contains(a) {
		return a
	}
	return p.Addr()
}

// prefixList names the first few prefixes and counts the rest.
func prefixList(list []netip.Prefix, most int) string {
	var parts []string
	for i, p := range list {
		if i == most {
			return strings.Join(parts, ", ") + fmt.Sprintf(" and %s", count(len(list)-most, "other", "others"))
		}
		if p.Bits() == 0 {
			parts = append(parts, "the default route "+p.String())
			continue
		}
		parts = append(parts, p.String())
	}
	return strings.Join(parts, ", ")
}

// span words minutes.
func span(minutes int) string {
	switch {
	case minutes >= 48*60:
		return count(minutes/60/24, "day", "days")
	case minutes >= 120:
		return count(minutes/60, "hour", "hours")
	}
	return count(minutes, "minute", "minutes")
}

// aRoute words a route by its source, with its article.
func aRoute(a *route.Attributes) string {
	switch {
	case a == nil || a.Protocol == route.Other:
		return "a route"
	case strings.ContainsRune("aeiou", rune(a.Protocol.String()[0])):
		return "an " + learned(a) + " route"
	}
	return "a " + learned(a) + " route"
}

// netsOf names the networks to which packets are lost.
func netsOf(f *audit.Finding, most int) string { return lossEnds(f, most, false) }

// sourcesOf names the networks whose packets are lost.
func sourcesOf(f *audit.Finding, most int) string { return lossEnds(f, most, true) }

// lossEnds names one end of what is lost: where the lost packets, a reply among them, come from or go to.
func lossEnds(f *audit.Finding, most int, sources bool) string {
	var s pairSet
	for l := range f.Losses() {
		if l.Reply == sources {
			s.add(l.To)
		} else {
			s.add(l.From)
		}
	}
	return prefixList(s.list, most)
}

// effect says whom a finding hurts: who loses packets, who gets no reply. "" where nobody is known to.
func effect(f *audit.Finding) string {
	lost, unanswered := &f.Lost, &f.Unanswered
	open := f.Verdict == forward.Unknown || f.Verdict == forward.Leaves
	some, verdict := "", "are lost"
	if f.Split != "" {
		some = "some of the "
	}
	switch f.Verdict {
	case forward.Unknown:
		verdict = "cannot be followed further"
	case forward.Leaves:
		verdict = "leave the captured devices"
	}
	var parts []string
	if lost.Pairs > 0 && !(f.OneWay && !open) {
		parts = append(parts, fmt.Sprintf("%spackets %s %s", some, sideWords(lost, "from ", " to "), verdict))
	}
	if unanswered.Pairs > 0 {
		reach, get := "reach", "get"
		if unanswered.From.Count == 1 && unanswered.Whole() {
			reach, get = "reaches", "gets"
		}
		answer := get + " no reply"
		switch {
		case open:
			answer = "whether a reply comes back is not known"
		case f.Split != "":
			answer = get + " a reply to some packets only"
		}
		s := fmt.Sprintf("%s and %s", sideWords(unanswered, "", " "+reach+" "), answer)
		if f.OneWay && lost.Pairs > 0 && !open {
			s += "; packets that start at that end are lost too"
		}
		parts = append(parts, s)
	}
	if (lost.Partly || unanswered.Partly) && f.Split == "" {
		parts = append(parts, "not all addresses there are concerned")
	}
	return strings.Join(parts, "; ")
}

// sideWords names both sides, or counts the pairs where not each is lost to each.
func sideWords(s *audit.Side, before, between string) string {
	if s.Whole() {
		return before + someNetworks(s.From) + between + someNetworks(s.To)
	}
	if before != "" {
		return fmt.Sprintf(
			"of %s, such as from %s to %s,",
			count(s.Pairs, "pair of networks", "pairs of networks"),
			s.Last.From,
			s.Last.To,
		)
	}
	return fmt.Sprintf(
		"in %s, such as %s and %s, packets arrive",
		count(s.Pairs, "pair of networks", "pairs of networks"),
		s.Last.From,
		s.Last.To,
	)
}

// someNetworks names a few networks, or counts them.
func someNetworks(n audit.Networks) string {
	if n.Count > len(n.First) {
		return count(n.Count, "network", "networks")
	}
	return prefixList(n.First, n.Count)
}

// pairSet is the networks on one side of losses, each once, in order.
type pairSet struct {
	list []netip.Prefix
	seen map[netip.Prefix]bool
}

func (s *pairSet) add(p netip.Prefix) {
	if n := len(s.list); n > 0 && s.list[n-1] == p || s.seen[p] {
		return
	}
	if s.seen == nil {
		s.seen = map[netip.Prefix]bool{}
	}
	s.seen[p] = true
	s.list = append(s.list, p)
}

// amount words a number of addresses, which may be larger than any machine's integer.
func amount(n *big.Int) string {
	if n.IsInt64() && n.Int64() < 1<<40 {
		return count(int(n.Int64()), "address", "addresses")
	}
	return fmt.Sprintf("2^%d addresses", n.BitLen()-1)
}

// toWays words where a route leads, to go on with behind its prefix.
func toWays(a *route.Attributes) string {
	s := strings.Join(ways(a), " and ")
	if len(a.NextHops) > 0 && a.NextHops[0].Address.IsValid() && a.Special == route.None {
		return "to " + s
	}
	return s
}

// repairs words what to do, or to look at, beside changes of routes; each once.
func repairs(f *audit.Finding) []string {
	var out []string
	for _, r := range f.Repair {
		if s := repairWords(r); !byRoutes(r.Kind) && !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	return out
}

// repairWords says what to do, or to look at, where no change of routes is meant.
func repairWords(r audit.Repair) string {
	d := Clean(r.Device)
	switch r.Kind {
	case audit.CorrectHost:
		return fmt.Sprintf("correct the settings of the host %s", d)
	case audit.MatchPrefix:
		return fmt.Sprintf(
			"as a backup on %s it needs the prefix %s itself, so that the preference decides",
			d,
			r.Prefix,
		)
	case audit.SwitchOn:
		return fmt.Sprintf("switch forwarding on at %s", d)
	case audit.LoosenCheck:
		return fmt.Sprintf("look at the check of %s on %s: it lacks a route to %s by it", d, Clean(r.Interface),
			r.Prefix)
	case audit.RaisePreference:
		return fmt.Sprintf(
			"as a backup %s on %s needs a preference worse than %d; else it can stay",
			r.Prefix,
			d,
			r.Preference,
		)
	case audit.CaptureDevice:
		if r.NextHop.IsValid() {
			return fmt.Sprintf("capture the device that has %s, or the neighbour entries of %s", r.NextHop, d)
		}
		return fmt.Sprintf("capture more of %s", d)
	case audit.FindHolder:
		return fmt.Sprintf("capture the list of virtual routers (VRRP, RFC 9568) that shows who has %s", r.NextHop)
	case audit.CompareTunnel:
		return fmt.Sprintf("compare the two ends of the tunnel %s of %s", Clean(r.Interface), d)
	case audit.CaptureTable:
		return fmt.Sprintf("capture the whole routing table of %s", d)
	case audit.LookAtLink:
		return fmt.Sprintf("bring up %s on %s", Clean(r.Interface), d)
	case audit.ChangeAddress:
		return fmt.Sprintf("renumber one of %s and %s", d, Clean(r.Other))
	case audit.ChangeMask:
		return fmt.Sprintf("set one length on %s and %s", d, Clean(r.Other))
	case audit.AddDetection:
		return fmt.Sprintf("let %s and %s watch each other with liveness sessions", d, orSomebody(r.Other))
	case audit.LeadBothWays:
		return fmt.Sprintf("lead both directions through %s, or neither", d)
	case audit.PermitFlow:
		return fmt.Sprintf("look at the rules of %s; tell the flow to zarvek trace with -flow", d)
	case audit.FindFarEnd:
		return fmt.Sprintf("find out by the tables of labels or tunnels of %s where that comes out, and ask there", d)
	case audit.CaptureAnew:
		if r.Other != "" {
			return fmt.Sprintf("capture %s and %s at one time", d, Clean(r.Other))
		}
		return fmt.Sprintf("find out why, or capture %s anew", d)
	}
	return ""
}
