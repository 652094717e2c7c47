package forward

import (
	"maps"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
)

// An answered packet is what answers some of the branches of a packet: those that arrive changed alike, of which the
// same devices know.
type answered struct {
	pkt packet
	to  []Branch
}

// reply follows what answers a packet: nothing where no captured device or network has the destination.
func (w *Walker) reply(rt *RoundTrip, plain packet) Direction {
	var d Direction
	all := answers(&rt.Forward, plain)
	for _, a := range all {
		one, ok := w.hostSelf(&a.pkt)
		if !ok {
			places, assumed := w.replyStarts(a.to, a.pkt.src)
			if len(places) == 0 && rt.ReturnAlone && len(w.places(a.pkt.src)) == 0 {
				continue
			}
			one = w.byWhatIsKnown(a, places, assumed)
		}
		w.checkEnd(&one, &rt.Forward, rt.Source.Address, rt.Destination.Address)
		d.add(one, shareOf(a.to)/shareOfAll(all))
		rt.Return = &d
	}
	return d
}

func shareOf(branches []Branch) (sum float64) {
	for _, b := range branches {
		sum += b.Share
	}
	return sum
}

func shareOfAll(all []answered) (sum float64) {
	for _, a := range all {
		sum += shareOf(a.to)
	}
	return sum
}

// answers returns the packets that answer what arrived: one, unless branches were translated each in its own way. Where
// nothing arrived it is the one that would answer an untouched packet.
func answers(forward *Direction, plain packet) []answered {
	var out []answered
	for _, b := range forward.Branches {
		if b.Verdict != Arrives && b.Verdict != Leaves || b.pkt == nil {
			continue
		}
		p := plain
		p.src, p.dst, p.flow, p.undo = b.pkt.dst, b.pkt.src, b.pkt.flow.Reverse(), b.pkt.done
		i := slices.IndexFunc(out, func(o answered) bool { return slices.Equal(o.pkt.undo, p.undo) })
		if i < 0 {
			i, out = len(out), append(out, answered{pkt: p})
		}
		out[i].to = append(out[i].to, b)
	}
	if len(out) == 0 {
		out = append(out, answered{plain, forward.Branches})
	}
	return out
}

// byWhatIsKnown walks an answer. A device on its way may know the flow by some branches of the packet and not by others:
// it then walks for each lot of branches of which the same devices on the way know, from where those arrive.
func (w *Walker) byWhatIsKnown(a answered, starts []position, assumed bool) Direction {
	a.pkt.state = knowing(a.to)
	d := w.replies(&a.pkt, starts, assumed)
	if len(a.to) < 2 || len(a.pkt.state) == 0 {
		return d
	}
	lots := a.lots(&d)
	if len(lots) < 2 {
		return d
	}
	d = Direction{}
	for _, lot := range lots {
		from, assumed := w.replyStarts(lot.to, lot.pkt.src)
		one := w.replies(&lot.pkt, from, assumed)
		d.add(one, shareOf(lot.to)/shareOf(a.to))
	}
	return d
}

// add takes in the branches that a part of the packets, 0 to 1, may take.
func (d *Direction) add(o Direction, part float64) {
	for _, b := range o.Branches {
		b.Share *= part
		d.Branches = append(d.Branches, b)
	}
	d.Verdict, d.Omitted = max(d.Verdict, o.Verdict), d.Omitted || o.Omitted
}

// lots parts the branches by which devices that the answer comes by know of them.
func (a answered) lots(way *Direction) []answered {
	var out []answered
	for _, b := range a.to {
		p := a.pkt
		p.state = map[*network.Device]bool{}
		for d := range knowing([]Branch{b}) {
			if slices.ContainsFunc(way.Branches, func(r Branch) bool { return r.comesBy(d) }) {
				p.state[d] = true
			}
		}
		i := slices.IndexFunc(out, func(o answered) bool { return maps.Equal(o.pkt.state, p.state) })
		if i < 0 {
			i, out = len(out), append(out, answered{pkt: p})
		}
		out[i].to = append(out[i].to, b)
	}
	return out
}

// comesBy reports whether a branch comes by a device.
func (b *Branch) comesBy(d *network.Device) bool {
	return slices.ContainsFunc(b.Hops, func(h Hop) bool { return h.Device == d.Name })
}

// knowing are the stateful devices that some branches go through, and the device that sent them; nil where none is.
func knowing(branches []Branch) map[*network.Device]bool {
	var out map[*network.Device]bool
	note := func(d *network.Device) {
		if out == nil {
			out = map[*network.Device]bool{}
		}
		out[d] = true
	}
	for _, b := range branches {
		for _, d := range b.stateful {
			note(d)
		}
		if b.pkt != nil && b.pkt.sender != nil && keepsFlows(b.pkt.sender) {
			note(b.pkt.sender)
		}
	}
	return out
}

// replyStarts returns where the reply starts: where the packet arrived; else, for a packet that left the captured
// devices, where it left (assumed); else where the destination is.
func (w *Walker) replyStarts(branches []Branch, dst netip.Addr) (out []position, assumed bool) {
	add := func(p position) {
		if !slices.Contains(out, p) {
			out = append(out, p)
		}
	}
	for _, b := range branches {
		if b.Verdict == Arrives && b.Delivery == ToDevice {
			add(position{device: b.end, origin: true, table: b.table})
		}
	}
	if len(out) > 0 {
		return out, false
	}
	if len(w.places(dst)) > 0 {
		return w.gatewayOf(dst), false
	}
	for _, b := range branches {
		if b.Verdict == Leaves || b.Verdict == Arrives {
			add(w.enter(b.end, b.in))
		}
	}
	return out, true
}

func (w *Walker) replies(pkt *packet, starts []position, assumed bool) Direction {
	if !assumed && (len(starts) == 0 || !starts[0].origin) {
		return w.from(pkt, starts)
	}
	return w.walkAll(pkt, starts, assumed)
}
