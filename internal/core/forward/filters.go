package forward

import (
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// filter asks the device's rules whether the packet may go on; the step ends where they do not permit it, or where that
// depends on what is not told or was not understood. Seen tells that the device has seen what the packet answers, meets
// which rules it meets.
func (w *Walker) filter(pkt *packet, at position, s step, out string, seen bool, meets func(network.Chain) bool) step {
	var j judgement
	if w.unjudged[at.device] {
		j = firstMet(at.device, at.ingress, out, meets)
	} else {
		j = judgeFlow(at.device, pkt, at.ingress, out, seen, meets)
	}
	end := func(v Verdict, c Code) step {
		s.verdict, s.delivery, s.next = v, NotDelivered, position{}
		s.reason = Reason{Code: c, Marks: []route.Mark{j.rule.Mark}, Interface: out}
		return s
	}
	switch {
	case j.fit == network.Maybe && w.assume:
		s.hop.Assumed = append(s.hop.Assumed, j.rule.Mark)
	case j.fit == network.Maybe && j.rule.Missing == network.CutOff:
		return end(Unknown, ConfigurationCut)
	case j.fit == network.Maybe && j.rule.Missing == network.NotApplied:
		return end(Unknown, WhereApplied)
	case j.fit == network.Maybe && j.rule.Missing == network.LeftOut:
		return end(Unknown, RulesLeftOut)
	case j.fit == network.Maybe && j.rule.Missing == network.SwitchedOn:
		return end(Unknown, ForwardingNotTold)
	case j.fit == network.Maybe && j.rule.Missing == network.SeveralBlended:
		return end(Unknown, CapturesBlended)
	case j.fit == network.Maybe && j.rule.NotRead:
		return end(Unknown, FilterNotRead)
	case j.fit == network.Maybe:
		return end(Unknown, openCode(pkt, j.rule.Undecided, j.rule.Protocol))
	case !j.rule.Permit && j.fit == network.Yes && j.rule.Refuse:
		return end(Refused, RuleDenies)
	case !j.rule.Permit && j.fit == network.Yes:
		return end(Filtered, RuleDenies)
	case j.rule.Mark.Known() && !j.rule.NotRead:
		s.hop.Evidence = append(s.hop.Evidence, j.rule.Mark)
	}
	return s
}

// openCode tells why a rule cannot be decided: it asks for what was not understood, or for a flow that was not told and
// that may decide it.
func openCode(pkt *packet, undecided bool, protocol string) Code {
	if undecided && (pkt.flow.Told() || protocol == "") {
		return RuleNotUnderstood
	}
	return FlowNotTold
}

// filterSelf asks the rules for what is for the device itself.
func (w *Walker) filterSelf(pkt *packet, at position, s step) step {
	if s.verdict != Arrives || pkt.find != nil || at.device.Flows().Len() == 0 {
		return s
	}
	if at.origin {
		return w.filterLooped(pkt, at, s)
	}
	if at.ingress == "" {
		return s
	}
	// The answer to what the device sent itself is known to it, where it keeps state.
	known := byState(at.device, pkt)
	s.pkt = pkt
	return w.filter(pkt, at, s, "", pkt.goesOn(), func(r network.Chain) bool {
		return r.Hook == network.ForItself || r.Hook == network.ComingIn && (r.Stateless || !known)
	})
}

// filterLooped asks the rules for what a device sends to itself: a kernel's, which does so by its loopback interface.
func (w *Walker) filterLooped(pkt *packet, at position, s step) step {
	const loopback = "lo"
	s.pkt = pkt
	back := at
	back.ingress = loopback
	for _, x := range []struct {
		hook network.Hook
		at   position
		out  string
	}{{network.FromItself, at, loopback}, {network.ComingIn, back, ""}, {network.ForItself, back, ""}} {
		meets := func(c network.Chain) bool { return c.Hook == x.hook && c.Stateless }
		if s = w.filter(pkt, x.at, s, x.out, pkt.goesOn(), meets); s.verdict != Arrives {
			break
		}
	}
	return s
}

// byState reports whether a device lets a packet of a flow that it knows pass without asking its rules: an answer, or
// what comes behind the first packet.
func byState(d *network.Device, pkt *packet) bool {
	return pkt.goesOn() && d.StatefulFor(route.FamilyOf(pkt.dst)).Known() && !d.AsksForState()
}

// goesOn reports whether a packet goes on with a flow that both of its ends know.
func (p *packet) goesOn() bool { return p.reply || p.flow.Later }

// filterOwn asks the rules for what the device sends itself. Whether a filter of what goes out of an interface is asked
// too differs from device to device.
func (w *Walker) filterOwn(pkt *packet, at position, s step, out string) step {
	before := s.verdict
	s = w.filter(pkt, at, s, out, pkt.goesOn(), func(r network.Chain) bool { return r.Hook == network.FromItself })
	if s.verdict != before {
		return s
	}
	known := byState(at.device, pkt)
	j := judgeFlow(at.device, pkt, "", out, pkt.goesOn(), func(r network.Chain) bool {
		return r.Hook == network.GoingOut && (r.Stateless || !known)
	})
	switch {
	case j.fit == network.Yes && j.rule.Permit || j.fit == network.No:
	case w.assume:
		s.hop.Assumed = append(s.hop.Assumed, j.rule.Mark)
	default:
		s.verdict, s.delivery, s.next = Unknown, NotDelivered, position{}
		s.reason = Reason{Code: OwnFiltered, Marks: []route.Mark{j.rule.Mark}, Interface: out}
	}
	return s
}

// judgement is what rules say of a packet: by which rule, and whether that is certain. Its fit is No where no rule is
// for it.
type judgement struct {
	fit  network.Fit
	rule network.FlowRule
}

// judgeFlow asks every chain of rules that a packet meets: each that has rules for the packet's family must permit it.
func judgeFlow(d *network.Device, pkt *packet, in, out string, seen bool, meets func(network.Chain) bool) judgement {
	var all judgement
	passed := -1 // the rule of all, where that is the last one of a chain for other interfaces: there may be very many
	fam := route.FamilyOf(pkt.dst)
	for _, c := range d.Chains().All() {
		if !meets(c) {
			continue
		}
		if c.Passes(in, out) {
			isFor, notRead := c.Last(fam)
			if isFor && all.fit != network.Maybe && (!notRead || all.fit == network.No) {
				all.fit, passed = network.Yes, c.Hi-1
			}
			continue
		}
		flow := pkt.flow
		flow.Seen, flow.Turned = seen, pkt.turnedAt(d)
		var one judgement
		one.fit, one.rule = d.Judge(c, pkt.src, pkt.dst, flow, in, out)
		switch {
		case one.fit == network.Yes && !one.rule.Permit:
			return one
		case one.fit == network.No, all.fit == network.Maybe:
		case one.fit == network.Maybe, !one.rule.NotRead, all.fit == network.No:
			all, passed = one, -1
		}
	}
	if passed >= 0 {
		all.rule = d.Flows().At(passed)
	}
	return all
}

// firstMet is the first rule that a packet would be asked by, which may permit it or not.
func firstMet(d *network.Device, in, out string, meets func(network.Chain) bool) judgement {
	for _, c := range d.Chains().All() {
		if meets(c) && !c.Passes(in, out) {
			return judgement{network.Maybe, d.Flows().At(c.Lo)}
		}
	}
	return judgement{}
}

// turnedAt reports whether a device changed the destination of the packet, or of the one that it answers.
func (p *packet) turnedAt(d *network.Device) bool {
	changed := func(t translated) bool { return t.device == d && !t.source }
	return slices.ContainsFunc(p.done, changed) || slices.ContainsFunc(p.undo, changed)
}
