package forward

import (
	"net/netip"
	"slices"
	"sync"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// FiltersAlone reports whether all that devices look at in a packet, beyond its destination, is by which interfaces it
// comes and goes and what rules of filters ask of its addresses: no state, no translations, no tunnels, no routing by
// policy, no checks of sources, and no hosts whose settings the notes tell. Receiver.Passage stands for a direction of
// a trace then.
func (w *Walker) FiltersAlone() bool {
	if w.net.Hosts().Len() > 0 || len(w.unjudged) > 0 || w.assume {
		return false
	}
	return !slices.ContainsFunc(w.net.Devices().Copy(), func(d *network.Device) bool {
		return d.Translations().Len()+d.Tunnels().Len() > 0 || d.Stateful().Known() || d.PartsFlows() || d.Steers() ||
			d.Rules().Any(func(r network.Rule) bool {
				return r.From.IsValid() || r.Protocol != "" || r.FromPorts != network.Ports{} ||
					r.ToPorts != network.Ports{} || r.FWMark != network.FWMark{} || r.Not || r.Undecided
			}) ||
			d.Checks().Any(func(c network.SourceCheck) bool { return c.Mode != network.CheckOff })
	})
}

// A Sender is where packets from an address enter the captured devices: where hosts send to, or the device that has the
// address.
type Sender struct {
	address netip.Addr
	at      position
}

// Sender returns the place where packets from an address enter; false where there are several places or none.
func (w *Walker) Sender(a netip.Addr) (Sender, bool) {
	starts := w.starts(a)
	if len(starts) != 1 || !starts[0].origin && starts[0].ingress == "" {
		return Sender{}, false
	}
	return Sender{a, starts[0]}, true
}

// Answering returns the sender of the answer to a packet that arrived: the device that it was for, or s, where the
// destination's hosts send.
func (s Sender) Answering(arrived Branch) Sender {
	if arrived.Delivery == ToDevice {
		s.at = position{device: arrived.end, origin: true, table: arrived.table}
	}
	return s
}

// A Receiver is a destination, with the ways to it as far as they were asked for. It is safe for concurrent use.
type Receiver struct {
	walker *Walker
	probe  *packet // to the destination, whoever sends it
	mu     sync.Mutex
	ways   map[crossing][]step // none: some way does not simply go on or arrive
}

// crossing is a place as far as it decides by which ways packets go on.
type crossing struct {
	LookupPoint
	owned bool
}

// Receiver returns an address as a destination.
func (w *Walker) Receiver(dst netip.Addr) *Receiver {
	find := func(t *network.Table) selection.Match { return w.ask(t, dst) }
	return &Receiver{walker: w, probe: w.withEnd(&packet{dst: dst, find: find}), ways: map[crossing][]step{}}
}

// Passage tells how a packet of a sender ends, of which no flow is told, or an answer to one: that it arrives by every
// way (the Branch says where, without hops), or that a filter ends the only one. False says nothing: that takes a
// trace.
func (r *Receiver) Passage(s Sender, answer bool) (Branch, bool) {
	if route.FamilyOf(s.address) != route.FamilyOf(r.probe.dst) {
		return Branch{}, false
	}
	p := passage{Receiver: r, pkt: &packet{src: s.address, dst: r.probe.dst, reply: answer}, alone: true}
	ok := p.from(s.at)
	return p.end, ok
}

// passage is one packet of Passage.
type passage struct {
	*Receiver
	pkt   *packet
	alone bool // there was one way only, so far
	end   Branch
	// the places that are being looked at, and those from which it arrives
	ahead, arrives []position
}

// mostAhead is how many places on one way are looked at.
const mostAhead = 64

// from reports whether the end of the packet from a place is known; where it is not that it arrives, nothing more is to
// be asked.
func (p *passage) from(at position) bool {
	switch {
	case slices.Contains(p.arrives, at):
		return true
	case slices.Contains(p.ahead, at), len(p.ahead) == mostAhead:
		return false
	case !at.origin && len(p.walker.ownSource(at, p.pkt.src)) > 0:
		return false // it seems to come from the device itself, which drops it
	}
	p.ahead = append(p.ahead, at)
	ways := p.waysFrom(at)
	p.alone = p.alone && len(ways) == 1
	for i := range ways {
		s := &ways[i]
		if end, stopped := p.filtered(at, s); stopped {
			p.end = end
			return p.alone
		}
		if s.verdict == Arrives {
			if !p.arrive(at, s.delivery) {
				return false
			}
			continue
		}
		if !p.from(s.next) {
			return false
		}
		if p.end.Verdict != Arrives {
			return true
		}
	}
	p.ahead, p.arrives = p.ahead[:len(p.ahead)-1], append(p.arrives, at)
	return len(ways) > 0
}

// arrive notes where the packet arrives; false where another way brought it to another device, or into another table.
func (p *passage) arrive(at position, how Delivery) bool {
	b := Branch{Share: 1, Verdict: Arrives, Where: at.device.Name, Delivery: how, end: at.device, table: at.table}
	differs := p.end.Verdict == Arrives && (how == ToDevice || p.end.Delivery == ToDevice) &&
		(p.end.Delivery != how || p.end.end != b.end || p.end.table != b.table)
	p.end = b
	return !differs
}

// waysFrom returns the steps from a place, none where one of them does not simply go on or arrive.
func (r *Receiver) waysFrom(at position) []step {
	p := crossing{lookupPointAt(at), at.owned}
	r.mu.Lock()
	defer r.mu.Unlock()
	ways, known := r.ways[p]
	if known {
		return ways
	}
	from := p.at
	from.owned = p.owned
	ways = r.walker.decide(r.probe, from, nil)
	if slices.ContainsFunc(ways, func(s step) bool {
		return s.verdict != Arrives && (s.verdict != GoesOn || s.next.ingress == "")
	}) {
		ways = nil
	}
	r.ways[p] = ways
	return ways
}

// Where filters ask for a packet on its way, in order; and for what is for a device itself, or comes from it.
var (
	filterHooks     = [...]network.Hook{network.ComingIn, network.Forwarded, network.GoingOut}
	hooksForItself  = [...]network.Hook{network.ForItself, network.ComingIn}
	hooksFromItself = [...]network.Hook{network.FromItself, network.GoingOut}
)

// filtered returns how the way of a packet ends that a filter does not let on for certain. It asks as decide does.
func (p *passage) filtered(at position, way *step) (Branch, bool) {
	d := at.device
	if d.Flows().Len() == 0 {
		return Branch{}, false
	}
	out, forItself := way.hop.OutInterface, way.verdict == Arrives && way.delivery == ToDevice
	hooks := filterHooks[:]
	switch {
	case forItself:
		hooks, out = hooksForItself[:], ""
	case at.origin:
		hooks = hooksFromItself[:]
	}
	if permitsAll(p.pkt, at, out, hooks) {
		return Branch{}, false
	}
	s := way.anew(at)
	switch {
	case forItself:
		s = p.walker.filterSelf(p.pkt, at, s)
	case at.origin:
		s = p.walker.filterOwn(p.pkt, at, s, out)
	default:
		for i := 0; i < len(filterHooks) && s.verdict == way.verdict; i++ {
			s = p.walker.filter(p.pkt, at, s, out, false,
				func(c network.Chain) bool { return c.Hook == filterHooks[i] })
		}
	}
	if s.verdict == way.verdict {
		return Branch{}, false
	}
	return Branch{Share: 1, Verdict: s.verdict, Where: d.Name, Delivery: s.delivery, Reason: s.reason,
		Hops: []Hop{s.hop}}, true
}

// anew is a step as a packet takes it that came in where it is told.
func (s step) anew(at position) step {
	s.hop.InInterface, s.hop.Evidence = at.ingress, slices.Clip(s.hop.Evidence)
	return s
}

// permitsAll reports whether all filters of some hooks permit a packet between two interfaces, for certain.
func permitsAll(pkt *packet, at position, out string, hooks []network.Hook) bool {
	for c := range at.device.ChainsBetween(at.ingress, out) {
		if !slices.Contains(hooks, c.Hook) {
			continue
		}
		fit, rule := at.device.Judge(c, pkt.src, pkt.dst, pkt.flow, at.ingress, out)
		if fit == network.Maybe || fit == network.Yes && !rule.Permit {
			return false
		}
	}
	return true
}
