package forward

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
	"zarvek/internal/core/topology"
)

// A LookupPoint is where and how a device meets a packet, as far as what it does depends on that. It is comparable;
// the zero LookupPoint is nowhere.
type LookupPoint struct{ at position }

// Device returns the spot's device.
func (s LookupPoint) Device() *network.Device { return s.at.device }

// Table returns the table that is asked first.
func (s LookupPoint) Table() string { return s.at.table }

// Sends reports whether the device itself sends the packet.
func (s LookupPoint) Sends() bool { return s.at.origin }

// A PointKey names a lookup point by words, so that those of two snapshots can be told to be the same.
type PointKey struct {
	Device, Table string
	Ingress       string // "" where the interface makes no difference
	Sends         bool
}

// Key returns the point's name.
func (s LookupPoint) Key() PointKey {
	return PointKey{s.at.device.Name, s.at.table, s.at.ingress, s.at.origin}
}

// Of is the same point of d, the device as it is in an overlay in which nothing but its routes differs.
func (s LookupPoint) Of(d *network.Device) LookupPoint {
	s.at.device = d
	return s
}

// Received is the spot of packets of others that are looked up in the same table, whatever interface they come in by.
func (s LookupPoint) Received() LookupPoint {
	return LookupPoint{position{device: s.at.device, table: s.at.table}}
}

// Enters returns the spot of what comes in by an interface of d. Without rules that look at it the interface makes no
// difference.
func (w *Walker) Enters(d *network.Device, ifname string) LookupPoint {
	return lookupPointAt(w.enter(d, ifname))
}

// SentBy returns the spot of what d sends from an address on an interface.
func (w *Walker) SentBy(d *network.Device, ifname string) LookupPoint {
	return LookupPoint{w.origin(d, ifname)}
}

func lookupPointAt(p position) LookupPoint {
	if !ingressMatters(p.device) {
		p.ingress = ""
	}
	p.owned = false
	return LookupPoint{p}
}

// LookupPoints returns every spot of a device in which packets of others may meet it.
func (w *Walker) LookupPoints(d *network.Device, fam route.Family) []LookupPoint {
	var out []LookupPoint
	add := func(s LookupPoint) {
		if !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	add(LookupPoint{position{device: d, table: "default"}})
	names := w.topo.Interfaces(d)
	for _, t := range d.Tunnels().All() {
		names = append(names, t.Interface)
	}
	for _, n := range names {
		add(w.Enters(d, n))
	}
	for _, t := range d.Tables().All() {
		if t.Family == fam {
			add(LookupPoint{position{device: d, table: t.Name}})
		}
	}
	return out
}

// A Move is one thing that a device may do with a packet: an ending, or (Verdict GoesOn) the next spot.
type Move struct {
	Hop      Hop
	Verdict  Verdict
	Delivery Delivery
	Reason   Reason
	At       *network.Device // at which it ends
	Next     LookupPoint
}

// Moves returns all that a device does with packets to dst, whoever sends them: what depends on their source, flow or
// state (Sensitive) is left out. Find must return what selection.Longest does for dst; nil asks the tables.
func (w *Walker) Moves(dst netip.Addr, s LookupPoint, find func(*network.Table) selection.Match) []Move {
	if find == nil {
		find = func(t *network.Table) selection.Match { return w.ask(t, dst) }
	}
	pkt := w.withEnd(&packet{dst: dst, find: find})
	var out []Move
	for _, st := range w.decide(pkt, s.at, nil) {
		m := Move{Hop: st.hop, Verdict: st.verdict, Delivery: st.delivery, Reason: st.reason, At: s.at.device}
		switch {
		case st.verdict == GoesOn && st.next.owned:
			far := w.decide(pkt, st.next, nil)[0]
			m.Verdict, m.Delivery, m.Reason, m.At = far.verdict, far.delivery, far.reason, st.next.device
		case st.verdict == GoesOn:
			m.Next = lookupPointAt(st.next)
		}
		out = append(out, m)
	}
	return out
}

// Sensitive reports whether what a device does with packets of a family may depend on more than their destination. That
// an IPv4 device drops what comes from an address of its own is not looked at.
func (w *Walker) Sensitive(d *network.Device, fam route.Family) bool {
	if d.Flows().Len()+d.Translations().Len() > 0 || d.Stateful().Known() {
		return true
	}
	for _, r := range d.Rules().All() {
		if r.From.IsValid() && (r.Family == 0 || r.Family == fam) {
			return true
		}
	}
	if d.Tables().Any(func(t *network.Table) bool { return t.Family == fam && t.PartsSources() }) {
		return true
	}
	for _, c := range d.Checks().All() {
		if c.Mode != network.CheckOff && (c.Family == 0 || c.Family == fam) {
			return true
		}
	}
	return false
}

// Starts returns where packets from an address enter the captured devices, and whether a captured device sends them.
func (w *Walker) Starts(src netip.Addr) []LookupPoint {
	var out []LookupPoint
	for _, p := range w.starts(src) {
		s := lookupPointAt(p)
		if !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	return out
}

// DeviceOf returns the captured device that has, or must have, an address.
func (w *Walker) DeviceOf(a netip.Addr) (topology.Attachment, bool) {
	if o := w.topo.Owners(a); len(o) > 0 {
		return o[0], true
	}
	return w.topo.DeducedOwner(a)
}

// Onward follows a packet to dst from a device that has it, as if the device sent it itself.
func (w *Walker) Onward(d *network.Device, dst netip.Addr) Direction {
	return w.walk(&packet{src: w.sourceFor(d, dst), dst: dst}, w.origin(d, ""), false)
}

// OnwardIn is Onward of a packet that d looks up in one of its tables.
func (w *Walker) OnwardIn(d *network.Device, table string, dst netip.Addr) Direction {
	at := w.origin(d, "")
	at.table = table
	return w.walk(&packet{src: w.sourceFor(d, dst), dst: dst}, at, false)
}

// sourceFor is an address that a device may send from.
func (w *Walker) sourceFor(d *network.Device, dst netip.Addr) netip.Addr {
	for _, a := range d.Addresses().All() {
		if x := a.Prefix.Addr(); route.FamilyOf(x) == route.FamilyOf(dst) && !x.IsLinkLocalUnicast() &&
			!x.IsLoopback() {
			return x
		}
	}
	return netip.Addr{}
}
