package forward

import (
	"maps"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// Both says how a round trip ends.
type Both uint8

const (
	BothUnknown Both = iota // a direction leaves the captured devices or cannot be decided
	TwoWay                  // there and back
	OneWay                  // the packet arrives, the reply does not
	Broken                  // the packet does not arrive
)

var bothNames = [...]string{"unknown", "two-way", "one-way", "broken"}

// String returns the word of the JSON contract.
func (b Both) String() string { return bothNames[b] }

// An End is one end of a round trip. Name is that of the device that has the address, "" where none is known to.
type End struct {
	Address netip.Addr
	Name    string
	Host    bool // Name is that of a host of the notes
}

// A RoundTrip is a packet's way and its reply's.
type RoundTrip struct {
	Source, Destination End
	Verdict             Both
	Forward             Direction
	Return              *Direction // nil where the case does not show from where a reply would start
	// ReturnAlone is set where no packet arrives: Return is then the way a reply would take if one did.
	ReturnAlone bool
	// OneSided names the stateful devices that see the packet and not its reply.
	OneSided []string
	// Later: the first segment of the connection arrives and is answered; Forward is what becomes of those behind it.
	Later bool
	// Guessed are the ends of which it is a guess that they send by the captured device on their link: routers that no
	// capture shows, and what stands in a network where the only captured devices may be hosts.
	Guessed []netip.Addr
	// Shared are the ends that are hosts of networks of which the routers share a virtual address: that they send to that,
	// and to no router's own address, is taken for granted.
	Shared []netip.Addr
	// Unjudged names the devices that are told to keep state, without rules: what they permit is not known.
	Unjudged []string
}

// Weak reports whether any branch rests on weak evidence.
func (rt *RoundTrip) Weak() bool {
	weak := func(b Branch) bool { return b.Weak }
	return slices.ContainsFunc(rt.Forward.Branches, weak) ||
		rt.Return != nil && slices.ContainsFunc(rt.Return.Branches, weak)
}

// Assumed lists the filters that are assumed to permit the packets, in the order of the hops.
func (rt *RoundTrip) Assumed() []route.Mark {
	var out []route.Mark
	for _, d := range []*Direction{&rt.Forward, rt.Return} {
		if d == nil {
			continue
		}
		for _, b := range d.Branches {
			for _, h := range b.Hops {
				for _, m := range h.Assumed {
					if !slices.Contains(out, m) {
						out = append(out, m)
					}
				}
			}
		}
	}
	return out
}

// Trace follows a packet from src to dst and the reply from dst to src. Both must be of one family.
func (w *Walker) Trace(src, dst netip.Addr) RoundTrip { return w.TraceFlow(src, dst, network.Flow{}) }

// TraceFlow is Trace of a flow that is told: rules and translations that ask for it can be judged.
func (w *Walker) TraceFlow(src, dst netip.Addr, flow network.Flow) RoundTrip {
	rt := RoundTrip{Source: w.end(src), Destination: w.end(dst)}
	if flow.Protocol == "icmp" && dst.Is6() {
		flow.Protocol = "icmpv6"
	}
	rt.Forward = w.fromHost(&packet{src: src, dst: dst, flow: flow})
	rt.ReturnAlone = !slices.ContainsFunc(rt.Forward.Branches, func(b Branch) bool { return b.Verdict == Arrives })
	d := w.reply(&rt, packet{src: dst, dst: src, flow: flow.Reverse(), reply: true})
	for i, a := range []netip.Addr{src, dst} {
		if w.guessed(a, [][]Branch{rt.Forward.Branches, d.Branches}[i]) {
			rt.Guessed = append(rt.Guessed, a)
		}
		if w.bySharing(a) {
			rt.Shared = append(rt.Shared, a)
		}
	}
	rt.oneSided(flow)
	for _, b := range rt.Forward.Branches {
		for _, d := range b.stateful {
			if d.StatefulFor(route.FamilyOf(dst)).Known() && d.Flows().Len() == 0 && !slices.Contains(rt.Unjudged, d.Name) {
				rt.Unjudged = append(rt.Unjudged, d.Name)
			}
		}
	}
	rt.Verdict = rt.Followed()
	w.goesOn(&rt, flow)
	if rt.Verdict == Broken && slices.Contains(rt.Guessed, src) ||
		rt.Verdict == OneWay && slices.Contains(rt.Guessed, dst) {
		rt.Verdict = BothUnknown // another way than the guessed one may be the right one
	}
	return rt
}

// goesOn follows the later segments of a TCP connection (RFC 9293) that is opened: rules that ask for the state of a
// flow may let its first one through and none of those, the more so at a device that the answer went past.
func (w *Walker) goesOn(rt *RoundTrip, flow network.Flow) {
	if rt.Verdict != TwoWay || flow.Protocol != "tcp" {
		return
	}
	parts := func(h Hop) bool {
		d := w.net.Device(h.Device)
		return d != nil && d.PartsFlows()
	}
	if !slices.ContainsFunc(rt.Forward.Branches, func(b Branch) bool { return slices.ContainsFunc(b.Hops, parts) }) {
		return
	}
	flow.Later = true
	saw := knowing(rt.Return.Branches)
	for _, b := range rt.Return.Branches { // by each way that the answer may take
		maps.DeleteFunc(saw, func(d *network.Device, _ bool) bool { return !slices.Contains(b.stateful, d) })
	}
	d := w.fromHost(&packet{src: rt.Source.Address, dst: rt.Destination.Address, flow: flow, state: saw})
	if d.Verdict != Arrives {
		rt.Forward, rt.Later = d, true
		rt.Verdict = rt.Followed()
	}
}

// Followed is what becomes of both directions if the Guessed ends send as they are thought to.
func (rt *RoundTrip) Followed() Both { return judge(rt.Forward.Verdict, rt.Return) }

// oneSided finds the stateful devices that see one direction only, which both directions' walks do not tell by
// themselves: the reply goes past them. A TCP connection does not survive that.
func (rt *RoundTrip) oneSided(flow network.Flow) {
	if rt.Return == nil {
		return
	}
	for _, b := range rt.Forward.Branches {
		if b.Verdict != Arrives && b.pkt != nil && len(b.pkt.done) > 0 {
			continue // who would answer what it was changed into is not told
		}
		for _, d := range b.stateful {
			keeps := d.StatefulFor(route.FamilyOf(rt.Destination.Address))
			if !keeps.Known() {
				continue
			}
			for i := range rt.Return.Branches {
				r := &rt.Return.Branches[i]
				if r.Verdict != Arrives || slices.Contains(r.stateful, d) || r.end == d {
					continue
				}
				if !slices.Contains(rt.OneSided, d.Name) {
					rt.OneSided = append(rt.OneSided, d.Name)
				}
				if flow.Protocol == "tcp" {
					r.Verdict, r.Delivery, r.Where = StateMissing, NotDelivered, d.Name
					r.Reason = Reason{Code: NoState, Marks: []route.Mark{keeps}, Device: d.Name}
					rt.Return.Verdict = max(rt.Return.Verdict, StateMissing)
				}
			}
		}
	}
}

// judge puts both directions together; a reply of which nothing is known leaves the whole unknown.
func judge(forward Verdict, back *Direction) Both {
	switch {
	case forward > Unknown:
		return Broken
	case forward != Arrives || back == nil:
		return BothUnknown
	case back.Verdict == Arrives:
		return TwoWay
	case back.Verdict > Unknown:
		return OneWay
	}
	return BothUnknown
}

// end names who has an address: a host of the notes, a device, or one that is deduced.
func (w *Walker) end(a netip.Addr) End {
	e := End{Address: a}
	if h, ok := w.host(a); ok {
		e.Name, e.Host = h.Name, true
		return e
	}
	if o := w.topo.Owners(a); len(o) > 0 {
		e.Name = o[0].Device.Name
	} else if o, ok := w.topo.DeducedOwner(a); ok {
		e.Name = o.Device.Name
	}
	return e
}

// places returns the places where a packet from a enters the captured devices: its owner, else every device attached
// to its network.
func (w *Walker) places(a netip.Addr) []position {
	var out []position
	for _, o := range w.topo.Owners(a) {
		p := w.origin(o.Device, o.Interface)
		if o.Interface == "" {
			p.table = o.Table
		}
		if !slices.Contains(out, p) {
			out = append(out, p)
		}
	}
	if len(out) > 0 {
		return out
	}
	for _, deduced := range []func(netip.Addr) (topology.Attachment, bool){w.topo.DeducedOwner, w.topo.FarEndOf} {
		if o, ok := deduced(a); ok {
			return []position{w.origin(o.Device, o.Interface)}
		}
	}
	for _, at := range w.topo.Attached(a) {
		if p := w.enter(at.Device, at.Interface); !slices.Contains(out, p) {
			out = append(out, p)
		}
	}
	return out
}

// starts returns the places where a packet from an address could start: its own device, else the gateways of its
// network. A captured device that is known not to forward is nobody's gateway; where it is the only one there, though,
// and no mere host, that it does not may be what is wrong. Where routers share a virtual address, hosts are taken to
// send to that.
func (w *Walker) starts(a netip.Addr) []position {
	all := w.places(a)
	if len(all) == 0 || all[0].origin {
		return all
	}
	fam := route.FamilyOf(a)
	gateways := slices.DeleteFunc(slices.Clone(all), func(p position) bool {
		s, told := p.device.ForwardsFrom(fam, p.ingress)
		return told && !s.On
	})
	if len(gateways) == 0 {
		gateways = slices.DeleteFunc(all, func(p position) bool { return w.topo.AlikeHost(p.device, p.ingress) })
	}
	return virtualOf(gateways, w.topo.Gateways(a))
}

// likeHost reports whether a device on the network of a packet's source looks like one more host of it, and nothing
// tells that it forwards.
func (w *Walker) likeHost(fam route.Family, p position) bool {
	_, told := p.device.ForwardsFrom(fam, p.ingress)
	return !p.origin && !told && w.topo.LeadsNowhereElse(p.device, p.ingress)
}

// guessed reports whether it is a guess that what has an address sends that way: it is a router that no capture shows,
// or whatever is lost starts at devices that look like one more host of its network, or that may have it themselves.
func (w *Walker) guessed(a netip.Addr, way []Branch) bool {
	if _, told := w.host(a); told {
		return false
	}
	starts := w.starts(a)
	if len(starts) == 0 || w.topo.FarEnd(a) {
		return len(starts) > 0
	}
	var hosts []string
	for _, p := range starts {
		if w.likeHost(route.FamilyOf(a), p) {
			hosts = append(hosts, p.device.Name)
		}
	}
	lost := false
	for _, b := range way {
		if b.Verdict <= Unknown {
			continue
		}
		if lost = true; len(b.Hops) == 0 || !slices.Contains(hosts, b.Hops[0].Device) && !w.perhapsOwn(a, &b) {
			return false
		}
	}
	return lost || len(hosts) == len(starts)
}

// perhapsOwn reports whether a packet is lost as it comes in where it starts, and its source may be an own address of
// the device there: of those on that interface none is known.
func (w *Walker) perhapsOwn(src netip.Addr, b *Branch) bool {
	if len(b.Hops) != 1 || b.Hops[0].InInterface == "" {
		return false
	}
	switch d := w.net.Device(b.Hops[0].Device); b.Verdict {
	case NotForwarding, Filtered, SourceCheck:
		return d != nil && !w.topo.KnowsOwn(d, b.Hops[0].InInterface, src)
	}
	return false
}

// from walks from every start apart. Hosts in one network reach each other without a router.
func (w *Walker) from(pkt *packet, starts []position) Direction {
	if len(starts) == 0 || !starts[0].origin {
		if b, ok := w.sameNetwork(pkt); ok {
			return Direction{Verdict: b.Verdict, Branches: []Branch{b}}
		}
	}
	if len(starts) == 0 {
		return Direction{Verdict: Unknown, Branches: []Branch{w.nowhere(pkt.src)}}
	}
	return w.settled(pkt.src, w.walkAll(pkt, starts, false))
}

// nowhere is the end of a packet that no captured device is known to get first.
func (w *Walker) nowhere(src netip.Addr) Branch {
	b := Branch{Share: 1, Verdict: Unknown, Reason: Reason{Code: SourceNotPlaced, Address: src}}
	if at := w.places(src); len(at) > 0 { // none of those on its network forwards
		d := at[0].device
		s, _ := d.ForwardsFrom(route.FamilyOf(src), at[0].ingress)
		b.Where = d.Name
		b.Reason = Reason{Code: NotItsGateway, Address: src, Device: d.Name, Marks: []route.Mark{s.Mark}}
	}
	return b
}

func (w *Walker) walkAll(pkt *packet, starts []position, assumed bool) Direction {
	var d Direction
	for _, s := range starts {
		one := w.walk(pkt, s, assumed)
		d.Branches = append(d.Branches, one.Branches...)
		d.Verdict = max(d.Verdict, one.Verdict)
		d.Omitted = d.Omitted || one.Omitted
	}
	return d
}

// sameNetwork delivers between two addresses of one attached network, neither of them a captured device's as source.
func (w *Walker) sameNetwork(pkt *packet) (Branch, bool) {
	here := w.topo.Attached(pkt.src)
	if len(here) == 0 || !here[0].Prefix.Contains(pkt.dst) {
		return Branch{}, false
	}
	b := Branch{Share: 1, Verdict: Arrives, Delivery: ToAttachedNetwork,
		Reason: Reason{Code: SameNetwork, Address: pkt.dst, Marks: []route.Mark{here[0].Mark}}, pkt: pkt}
	for _, o := range w.topo.Owners(pkt.dst) {
		if !slices.ContainsFunc(here, func(at topology.Attachment) bool { return at.Device == o.Device }) && !o.Down {
			continue
		}
		b.Where, b.end, b.table = o.Device.Name, o.Device, w.topo.TableOf(o.Device, o.Interface)
		b.Reason.Device, b.Reason.Interface = o.Device.Name, o.Interface
		if o.Down {
			b.Verdict, b.Delivery, b.Reason.Code = NextHopLost, NotDelivered, OwnerDown
			return b, true
		}
		at := w.enter(o.Device, o.Interface)
		at.owned = true
		s := w.decide(w.withEnd(pkt), at, nil)[0]
		b.Verdict, b.Delivery, b.Reason, b.Hops, b.pkt = s.verdict, s.delivery, s.reason, []Hop{s.hop}, s.pkt
		return b, true
	}
	for _, at := range here {
		link := w.topo.Find(at.Device, at.Interface, pkt.dst, false)
		switch link.Answer {
		case topology.Host:
			b.Delivery, b.Reason.Marks = ToNeighbour, link.Marks
			return b, true
		case topology.Nobody:
			b.Verdict, b.Delivery = NextHopLost, NotDelivered
			b.Reason.Code, b.Reason.Device, b.Reason.Interface, b.Reason.Marks = NobodyAnswers, at.Device.Name,
				at.Interface, link.Marks
			return b, true
		}
	}
	return b, true
}

// checkEnd turns the delivery of a reply at another place than the packet's start into a loss: with overlapping
// networks or duplicate addresses it can arrive at somebody else. So is a reply lost that comes from another address
// than dst, which was asked: it went past the device that had changed the packet.
func (w *Walker) checkEnd(back, forward *Direction, src, dst netip.Addr) {
	homes := w.homes(forward, src)
	back.Verdict = GoesOn
	for i := range back.Branches {
		b := &back.Branches[i]
		strayed := b.end != nil && len(homes) > 0 && !homes[b.end.Name] && !w.handsOver(b, src)
		if b.Verdict == Arrives && (strayed || b.pkt != nil && b.pkt.dst != src) {
			b.Verdict, b.Delivery = NextHopLost, NotDelivered
			b.Reason = Reason{Code: WrongPlace, Device: b.Where, Address: src, Marks: b.Reason.Marks}
		}
		if b.Verdict == Arrives && b.pkt != nil && b.pkt.src != dst && !b.changedBack() {
			b.fromElsewhere()
		}
		back.Verdict = max(back.Verdict, b.Verdict)
	}
}

// handsOver reports whether a reply comes to who answers for src on its network: no capture of that device shows that it
// has the address.
func (w *Walker) handsOver(b *Branch, src netip.Addr) bool {
	n := len(b.Hops)
	return n > 1 && slices.ContainsFunc(w.places(src), func(p position) bool {
		return !p.origin && p.device.Name == b.Hops[n-2].Device && p.ingress == b.Hops[n-2].OutInterface
	})
}

// homes names the devices at which a reply to src is at home: those on its network; or, where src is a device's own
// address, the device that the packet started from. Where several devices that have it reach the destination, a reply
// comes to one of them only, so that it is at home nowhere.
func (w *Walker) homes(forward *Direction, src netip.Addr) map[string]bool {
	out := map[string]bool{}
	starts := w.places(src)
	if len(starts) == 0 || !starts[0].origin {
		for _, p := range starts {
			out[p.device.Name] = true
		}
		return out
	}
	for _, b := range forward.Branches {
		if b.Verdict == Arrives && len(b.Hops) > 0 {
			out[b.Hops[0].Device] = true
		}
	}
	switch len(out) {
	case 0:
		out[starts[0].device.Name] = true
	case 1:
	default:
		return map[string]bool{"": true}
	}
	return out
}
