package forward

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A translated address is what one device made of another (RFC 3022): the reply is changed back there and nowhere else.
type translated struct {
	device   *network.Device
	old, new netip.Addr
	source   bool // else the destination
	flow     network.Flow
	mark     route.Mark
	own      bool // the device sent the packet itself
}

// arrive changes a packet's destination where it comes in: back, where the device had changed the source of what it
// answers; else by the device's own translations. The step ends the walk where that depends on what is not told.
func (w *Walker) arrive(pkt *packet, at position, hop *Hop) (*packet, *step) {
	if pkt.came != nil {
		p := *pkt
		p.came = nil
		pkt = &p
	}
	if at.origin && !pkt.reply {
		return w.changeDestination(pkt, at, hop)
	}
	if at.origin || at.ingress == "" {
		return pkt, nil
	}
	for _, t := range pkt.undo {
		if t.device == at.device && t.source && pkt.dst == t.new {
			p := *pkt
			p.dst, p.flow, p.came = t.old, t.flow.Reverse(), pkt
			hop.NewDestination = t.old
			return &p, nil
		}
	}
	return w.changeDestination(pkt, at, hop)
}

// changeDestination applies a device's translations of what comes in, or of what it sends itself.
func (w *Walker) changeDestination(pkt *packet, at position, hop *Hop) (*packet, *step) {
	for t := range at.device.TranslationsFor(true, pkt.src, pkt.dst) {
		if t.Own != at.origin || pkt.reply && pkt.state[at.device] && !t.Answers {
			continue
		}
		if t.ToOwn && len(w.own(at.device, at.table, pkt.dst)) == 0 {
			if !w.mayBeOwn(pkt, at) {
				continue
			}
			t.Undecided = true
		}
		switch fit := t.Fits(pkt.src, pkt.dst, pkt.flow, at.ingress, ""); {
		case fit == network.Maybe && w.assume:
			hop.Assumed = append(hop.Assumed, t.Mark)
		case fit == network.Maybe:
			return pkt, &step{
				hop:     *hop,
				share:   1,
				verdict: Unknown,
				reason:  Reason{Code: openCode(pkt, t.Undecided, t.Protocol), Marks: []route.Mark{t.Mark}},
			}
		case fit == network.Yes && t.Keep:
			return pkt, nil
		case fit == network.Yes:
			p := *pkt
			p.done = append(
				pkt.done[:len(pkt.done):len(pkt.done)],
				translated{at.device, pkt.dst, t.Becomes, false, pkt.flow, t.Mark, t.Own},
			)
			p.dst, p.came = t.Becomes, pkt
			if t.BecomesPort != 0 {
				p.flow.DestinationPort = t.BecomesPort
			}
			hop.NewDestination = t.Becomes
			hop.Evidence = append(hop.Evidence, t.Mark)
			return &p, nil
		}
	}
	return pkt, nil
}

// changedBack reports whether a reply that is at its end comes from the address that was asked, as far as who asked can
// tell: the device changed the destination of what it sent.
func (b *Branch) changedBack() bool {
	return slices.ContainsFunc(b.pkt.undo, func(t translated) bool {
		return t.own && t.device == b.end && t.new == b.pkt.src
	})
}

// fromElsewhere ends a reply that arrives from another address than the one that was asked. Whether a device changes the
// source of an answer to what it has not seen differs with its protocol, so that nothing is sure then.
func (b *Branch) fromElsewhere() {
	b.Delivery = NotDelivered
	for _, t := range slices.Backward(b.pkt.done) {
		if t.source && t.new == b.pkt.src {
			b.Verdict, b.Where = Unknown, t.device.Name
			b.Reason = Reason{Code: AnswerTranslated, Marks: []route.Mark{t.mark}}
			return
		}
	}
	b.Verdict, b.Reason = StateMissing, Reason{Code: NotChangedBack, Address: b.pkt.src}
	for _, t := range slices.Backward(b.pkt.undo) {
		if !t.source && t.new == b.pkt.src {
			b.Reason.Device, b.Reason.Marks = t.device.Name, []route.Mark{t.mark}
			return
		}
	}
}

// leave applies what a device does to a packet that it sends on: its rules, its state, its translations of sources.
func (w *Walker) leave(pkt *packet, at position, s step) step {
	s.pkt = pkt
	if s.verdict != GoesOn && s.verdict != Leaves && s.verdict != Arrives || s.delivery == ToDevice {
		return s
	}
	d, out, before := at.device, s.hop.OutInterface, s.verdict
	end := func(v Verdict, c Code, marks ...route.Mark) step {
		s.verdict, s.delivery, s.next = v, NotDelivered, position{}
		s.reason = Reason{Code: c, Marks: marks, Interface: out}
		return s
	}
	if !at.origin && at.ingress != "" {
		stateful := d.StatefulFor(route.FamilyOf(pkt.dst))
		passes := byState(d, pkt)
		switch {
		case passes && (pkt.state[d] || pkt.flow.Later):
			s.hop.Evidence = append(s.hop.Evidence, stateful)
		case passes:
			if m := notReadAt(d, at.ingress, out); m.Known() { // it may change what it has seen into this
				return end(Unknown, FilterNotRead, m)
			}
			return end(StateMissing, NoState, stateful)
		}
		asked := func(hook network.Hook) func(network.Chain) bool {
			return func(r network.Chain) bool { return r.Hook == hook && (r.Stateless || !passes) }
		}
		came := pkt
		if pkt.came != nil {
			came = pkt.came
		}
		if s = w.filter(came, at, s, out, pkt.state[d], asked(network.ComingIn)); s.verdict != before {
			return s
		}
		if s = w.filter(pkt, at, s, out, pkt.state[d], asked(network.Forwarded)); s.verdict != before {
			if s.verdict == Filtered && w.mayBeOwn(pkt, at) {
				s.verdict, s.reason.Code, s.reason.Address = Unknown, MaybeOwnFiltered, pkt.dst
			}
			return s
		}
		s = w.translateSource(pkt, at, s, out)
		if s.verdict != before {
			return s
		}
		return w.filter(s.pkt, at, s, out, pkt.state[d], asked(network.GoingOut))
	}
	if at.origin {
		if s = w.filterOwn(pkt, at, s, out); s.verdict != before {
			return s
		}
	}
	return w.translateSource(pkt, at, s, out)
}

// notReadAt is the line that applies what was not read to packets between two interfaces, unknown where none does.
func notReadAt(d *network.Device, in, out string) route.Mark {
	for _, c := range d.Chains().All() {
		if c.Hook != network.Forwarded && c.Hook != network.ComingIn || c.Passes(in, out) {
			continue
		}
		for _, r := range d.Flows().Between(c.Lo, c.Hi).All() {
			if r.NotRead && r.Undecided && (r.In == "" || r.In == in) && (r.Out == "" || r.Out == out) {
				return r.Mark
			}
		}
	}
	return route.Mark{}
}

// translateSource changes a packet's source where the device sends it on: back, where it answers what the device had
// changed the destination of; else by the device's own translations.
func (w *Walker) translateSource(pkt *packet, at position, s step, out string) step {
	d := at.device
	end := func(c Code, mark route.Mark) step {
		s.verdict, s.delivery, s.next = Unknown, NotDelivered, position{}
		s.reason = Reason{Code: c, Marks: []route.Mark{mark}, Interface: out}
		return s
	}
	for _, t := range pkt.undo { // what answers a changed destination takes its address again
		if t.device == d && !t.source && pkt.src == t.new {
			p := *pkt
			p.src = t.old
			s.pkt, s.hop.NewSource = &p, t.old
			return s
		}
	}
	for t := range d.TranslationsFor(false, pkt.src, pkt.dst) {
		answers := pkt.reply && (pkt.state[d] || at.origin) // what a device answers itself it has seen
		if answers && !t.Answers || !answers && !t.FromPorts.Any() {
			continue
		}
		switch fit := t.Fits(pkt.src, pkt.dst, pkt.flow, at.ingress, out); {
		case fit == network.Maybe && w.assume:
			s.hop.Assumed = append(s.hop.Assumed, t.Mark)
		case fit == network.Maybe:
			return end(openCode(pkt, t.Undecided, t.Protocol), t.Mark)
		case fit == network.Yes && t.Keep:
			return s
		case fit == network.Yes && answers: // who asked would get the answer from another address
			return end(AnswerTranslated, t.Mark)
		case fit == network.Yes:
			to := t.Becomes
			if !to.IsValid() {
				hop := s.hop.NextHop
				if !hop.IsValid() {
					hop = pkt.dst
				}
				to = w.topo.SourceOn(d, out, hop, pkt.dst)
			}
			if !to.IsValid() {
				return end(NoAddressToTake, t.Mark)
			}
			p := *pkt
			p.done = append(pkt.done[:len(pkt.done):len(pkt.done)], translated{d, pkt.src, to, true, pkt.flow, t.Mark, false})
			p.src = to
			s.pkt, s.hop.NewSource = &p, to
			s.hop.Evidence = append(s.hop.Evidence, t.Mark)
			return s
		}
	}
	return s
}
