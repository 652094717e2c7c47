package forward

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// maxTunnels bounds how deep tunnels are followed into tunnels.
const maxTunnels = 4

// tunnel follows the packet outside of a tunnel that a step leads into: the step goes on where that comes out.
func (w *Walker) tunnel(pkt *packet, at position, s step) step {
	t, ok := at.device.Tunnel(s.hop.OutInterface)
	if ok && t.Ended() {
		s = betweenTwo(s)
	}
	if !ok || s.verdict > Unknown {
		return s
	}
	s.hop.Evidence = append(s.hop.Evidence, t.Mark)
	remote := t.Remote
	if far := s.next.device; t.Many && far != nil {
		o, _ := far.Tunnel(s.next.ingress)
		remote = o.Local
	}
	in := inTunnel{t: t, remote: remote, step: s}
	if !remote.IsValid() {
		return in.fails(Unknown, TunnelUntold, at.device.Name)
	}
	s.hop.Tunnel = remote
	in.step = s
	if pkt.depth >= maxTunnels {
		return in.ends(NextHopLost, TunnelInItself, at.device.Name, Loops)
	}
	from := w.origin(at.device, "")
	if t.Table != "" {
		from.table = t.Table
	}
	outside := &packet{src: t.Local, dst: remote, flow: network.Flow{Protocol: t.Protocol}, depth: pkt.depth + 1}
	outer := w.walk(outside, from, false)
	for _, b := range outer.Branches {
		if len(b.Hops) > 0 && b.Hops[0].OutInterface == t.Interface {
			return in.ends(NextHopLost, TunnelInItself, at.device.Name, Loops)
		}
		for _, h := range b.Hops {
			if !slices.Contains(in.hop.Outside, h.Device) {
				in.hop.Outside = append(in.hop.Outside, h.Device)
			}
		}
	}
	worst := outer.worst()
	if worst.Verdict == Leaves {
		if far, o, ok := w.beyond(at.device, in); ok {
			in.hop.Owner = topology.Deduced
			return w.outOf(in, far, o)
		}
	}
	if worst.Verdict != Arrives {
		v := NextHopLost
		// what is agreed on may go as UDP where its own protocol is not let through (RFC 3948)
		if worst.Verdict <= Unknown || worst.Verdict == Filtered && t.Protocol == "esp" {
			v = Unknown
		}
		return in.ends(v, TunnelFails, worst.Where, worst.Verdict)
	}
	return w.comesOut(in, worst)
}

// betweenTwo leaves open what becomes of a step whose next hop nobody on the link has: what goes into a tunnel between
// two ends comes out at the other one, whatever the next hop.
func betweenTwo(s step) step {
	switch s.reason.Code {
	case OwnerElsewhere, NobodyHasIt, NobodyAnswers:
		// an address of the tunnel's own network that neither end has is nobody's
		if s.verdict == NextHopLost && s.hop.Route.Protocol != route.Direct {
			s.verdict, s.reason.Code, s.reason.Interface = Unknown, InterfaceOnly, s.hop.OutInterface
		}
	}
	return s
}

// inTunnel is a step that leads into a tunnel.
type inTunnel struct {
	t      network.Tunnel
	remote netip.Addr
	step
}

// fails ends the step at the tunnel.
func (in inTunnel) fails(v Verdict, c Code, where string) step {
	s := in.step
	s.verdict, s.delivery, s.next = v, NotDelivered, position{}
	s.reason = Reason{Code: c, Address: in.remote, Interface: in.t.Interface, Device: where, Marks: []route.Mark{in.t.Mark}}
	return s
}

// ends is fails where the packet outside ends as inner.
func (in inTunnel) ends(v Verdict, c Code, where string, inner Verdict) step {
	s := in.fails(v, c, where)
	s.reason.Inner = inner
	return s
}

// comesOut lets the packet go on at the device that the packet outside arrives at, by the tunnel there that mirrors
// this one. Where no capture tells that device's tunnels, what the tables inside say counts.
func (w *Walker) comesOut(in inTunnel, outer *Branch) step {
	s, far := in.step, outer.end
	if s.verdict == Arrives {
		return s
	}
	inside := s.verdict == GoesOn && s.next.device != nil
	if outer.Delivery != ToDevice || far == nil {
		if inside && s.next.device.Tunnels().Len() > 0 {
			return in.fails(Unknown, TunnelElsewhere, s.next.device.Name)
		}
		return s
	}
	from, to := in.t.Local, in.remote
	if outer.pkt != nil { // translated on its way
		from, to = outer.pkt.src, outer.pkt.dst
	}
	if o, ok := far.Tunnel(s.next.ingress); ok && inside && s.next.device == far && in.t.Mirrors(o, from, to) {
		return w.outOf(in, far, o)
	}
	other := network.Tunnel{} // one that is in the place of this one's other end, and is none
	for _, o := range far.Tunnels().All() {
		if in.t.Mirrors(o, from, to) {
			return w.outOf(in, far, o)
		}
		at := inside && s.next.device == far && s.next.ingress == o.Interface
		if o.Ended() && (at || o.Local == to && !other.Mark.Known()) {
			other = o
		}
	}
	switch {
	case inside && s.next.device != far:
		return in.fails(Unknown, TunnelElsewhere, s.next.device.Name)
	case !other.Mark.Known():
		return s
	case inside && s.next.ingress == other.Interface:
		s = in.fails(NextHopLost, TunnelOtherEnds, far.Name)
	default:
		s = in.fails(Unknown, TunnelOtherEnds, far.Name)
	}
	s.reason.Marks = append(s.reason.Marks, other.Mark)
	return s
}

// beyond finds the captured device at the far end of a tunnel, and the other end of it, where networks in between were
// not captured: the device has the address, its tunnel leads back, and something shows that the tunnel is alive.
func (w *Walker) beyond(at *network.Device, in inTunnel) (*network.Device, network.Tunnel, bool) {
	owners := w.topo.Owners(in.remote)
	if len(owners) != 1 || owners[0].Down || !in.t.Local.IsValid() || !in.reason.Learned && !aliveTunnel(at, in.t) {
		return nil, network.Tunnel{}, false
	}
	for _, o := range owners[0].Device.Tunnels().All() {
		if in.t.Mirrors(o, in.t.Local, in.remote) {
			return owners[0].Device, o, true
		}
	}
	return nil, network.Tunnel{}, false
}

// aliveTunnel reports whether the device sees that a tunnel works: a session over it is up, or an agreement with its far
// end (RFC 7296), without which its interface is down.
func aliveTunnel(d *network.Device, t network.Tunnel) bool {
	if t.Protocol == "esp" && d.Interface(t.Interface).State == network.LinkUp {
		return true
	}
	return d.Sessions().Index(func(s network.Session) bool { return s.Up && s.Interface == t.Interface }) >= 0
}

// outOf lets the packet come out of a tunnel's other end.
func (w *Walker) outOf(in inTunnel, far *network.Device, o network.Tunnel) step {
	s := in.step
	s.hop.Evidence = append(s.hop.Evidence, o.Mark)
	if far.Interface(o.Interface).State == network.LinkDown {
		return in.fails(NextHopLost, TunnelEndDown, far.Name)
	}
	if s.verdict == GoesOn && s.next.device == far && s.next.ingress == o.Interface {
		return s
	}
	s.verdict, s.delivery, s.reason = GoesOn, NotDelivered, Reason{}
	s.next = w.enter(far, o.Interface)
	s.hop.Owner = topology.Deduced
	return s
}
