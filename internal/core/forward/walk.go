package forward

import (
	"net/netip"
	"slices"
	"sync"

	"zarvek/internal/core/network"
)

// maxBranches bounds how many branches are listed apart. Beyond it only new endings are added.
const maxBranches = 64

// spot is a walk's state: two visits of one spot mean a loop (no hop limit is needed).
type walkState struct {
	device         *network.Device
	table, ingress string
	dst            netip.Addr // which a translation may change
}

func walkStateOf(at position, pkt *packet) walkState {
	if ingressMatters(at.device) {
		return walkState{at.device, at.table, at.ingress, pkt.dst}
	}
	return walkState{device: at.device, table: at.table, dst: pkt.dst}
}

// walk is one exploration of all branches from a start.
type walk struct {
	w       *Walker
	out     Direction
	path    []Hop
	steps   []step // of the places on the path
	onPath  []walkState
	visited []walkState // asked only where there are very many branches
}

// walks keeps the room that walks have grown, since most cases are walked through many times.
var walks = sync.Pool{New: func() any { return new(walk) }}

// walk follows the packet from a place over every equal-cost branch.
func (w *Walker) walk(pkt *packet, from position, assumed bool) Direction {
	pkt = w.withEnd(pkt)
	if from.origin {
		pkt.sender = from.device
	}
	k := walks.Get().(*walk)
	k.w = w
	k.visit(from, pkt, 1)
	out := k.out
	*k = walk{path: k.path, steps: k.steps, onPath: k.onPath, visited: k.visited[:0]}
	walks.Put(k)
	for i := range out.Branches {
		out.Branches[i].Assumed = assumed
	}
	return out
}

// visit walks on from one place, every way that the device sends the packet, depth first. Share is the part of all
// packets that come here, 0 to 1. Who comes to a place that is on the path already, with the same packet, loops.
func (k *walk) visit(at position, pkt *packet, share float64) {
	here := walkStateOf(at, pkt)
	taken := len(k.steps)
	k.steps = k.w.decide(pkt, at, k.steps)
	steps := k.steps[taken:]
	defer func() { k.steps = k.steps[:taken] }()
	if slices.Contains(k.onPath, here) && slices.ContainsFunc(steps, func(s step) bool { return s.verdict == GoesOn }) {
		k.path = append(k.path, steps[0].hop)
		k.end(step{verdict: Loops, reason: Reason{Code: CameBack, Device: at.device.Name}}, at, share)
		k.path = k.path[:len(k.path)-1]
		return
	}
	k.onPath, k.visited = append(k.onPath, here), append(k.visited, here)
	for _, s := range steps {
		k.path = append(k.path, s.hop)
		switch {
		case s.verdict != GoesOn:
			k.end(s, at, share*s.share)
		case len(k.out.Branches) >= maxBranches && slices.Contains(k.visited, walkStateOf(s.next, s.pkt)) &&
			!slices.Contains(k.onPath, walkStateOf(s.next, s.pkt)):
			k.out.Omitted = true
		default:
			k.visit(s.next, s.pkt, share*s.share)
		}
		k.path = k.path[:len(k.path)-1]
	}
	k.onPath = k.onPath[:len(k.onPath)-1]
}

// keepsFlows reports whether what a device does with a packet may hang on whether it has seen the flow.
func keepsFlows(d *network.Device) bool {
	return d.Stateful().Known() || d.Translations().Len() > 0 || d.PartsFlows()
}

// end keeps a finished branch. Of more than maxBranches only those that end otherwise than any before are kept.
func (k *walk) end(s step, at position, share float64) {
	b := Branch{Share: share, Verdict: s.verdict, Where: at.device.Name, Delivery: s.delivery, Reason: s.reason,
		end: at.device, in: at.ingress, table: at.table, pkt: s.pkt}
	if s.delivery != ToDevice {
		b.in = s.hop.OutInterface
	}
	if len(k.out.Branches) >= maxBranches {
		k.out.Omitted = true
		if slices.ContainsFunc(
			k.out.Branches,
			func(o Branch) bool { return o.Verdict == b.Verdict && o.Where == b.Where },
		) {
			return
		}
	}
	b.Hops = slices.Clone(k.path)
	for i, h := range b.Hops {
		if s.delivery == ToDevice && i == len(b.Hops)-1 {
			break // it is for the device itself, not through it
		}
		if d := k.w.net.Device(h.Device); h.InInterface != "" && h.OutInterface != "" && d != nil && keepsFlows(d) {
			b.stateful = append(b.stateful, d)
		}
	}
	b.Weak = slices.ContainsFunc(b.Hops, func(h Hop) bool { return h.Weak })
	k.w.perhapsDelivered(&b)
	k.out.Branches = append(k.out.Branches, b)
	k.out.Verdict = max(k.out.Verdict, b.Verdict)
}
