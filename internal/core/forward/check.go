package forward

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// sourceCheck judges the source of a packet that came in by an interface (RFC 3704): the step that ends it, or false
// where it may go on. Out is the interface that the packet would leave by, "" where it is for the device itself.
func (w *Walker) sourceCheck(pkt *packet, at position, hop Hop, out string) (step, bool) {
	d, fam := at.device, route.FamilyOf(pkt.src)
	if at.origin || at.ingress == "" || pkt.find != nil {
		return step{}, false
	}
	if own := w.ownSource(at, pkt.src); len(own) > 0 {
		s := step{
			hop:     hop,
			share:   1,
			verdict: SourceCheck,
			reason:  Reason{Code: OwnSource, Marks: []route.Mark{own[0].Mark}},
		}
		if d == pkt.sender {
			s.verdict, s.reason = Loops, Reason{Code: CameBack, Device: d.Name}
		}
		return s, true
	}
	c := d.SourceCheck(at.ingress, fam)
	if c.Mode == network.CheckOff {
		return step{}, false
	}
	back := position{device: d, table: at.table, ingress: out, origin: out == ""}
	m, end := w.lookup(&packet{src: pkt.dst, dst: pkt.src}, back)
	reason := Reason{
		Code:      SourceFails,
		Check:     c.Mode,
		Bare:      c.Bare,
		Interface: at.ingress,
		Address:   pkt.src,
		Marks:     []route.Mark{c.Mark},
	}
	if m.Found() {
		reason.Marks = append(reason.Marks, m.Routes[0].Mark)
	}
	verdict, mode := SourceCheck, c.Mode
	if c.Bare {
		mode = network.CheckStrict
	}
	switch {
	case end.Code == Nothing && passes(m, mode, at.ingress):
		if !c.NotByDefault || m.Prefix.Bits() > 0 {
			return step{}, false
		}
		verdict, reason.Code = Unknown, SourceByDefault // releases differ
	case c.Usual && end.Code == NoCoveringRoute: // its answer is lost there in any case
		return step{}, false
	case c.Usual && end.Code == Nothing:
		verdict, reason.Code = Unknown, SourceUsual
	case end.Code != Nothing && verdictOf(end) == Unknown:
		verdict, reason = Unknown, end
	}
	return step{hop: hop, share: 1, verdict: verdict, reason: reason}, true
}

// ownSource returns the own addresses for which a device drops what comes in with one of them as the source: those of
// the VRF that it came in by, and on a kernel, which asks its local table first, those of any. Only IPv4 is checked so.
func (w *Walker) ownSource(at position, src netip.Addr) []network.Address {
	own := at.device.Own(src)
	if !src.Is4() {
		return nil
	}
	if at.device.Rules().Len() > 0 && !at.device.AsksRulesFirst() {
		return own
	}
	return slices.DeleteFunc(own, func(a network.Address) bool { return !w.inTable(at.device, at.table, a) })
}

// checkEach judges the source for every way on by itself, as kernels do: rules that look at interfaces see the one
// that the packet would leave by. All reports that no way is left, and the step that ends it then.
func (w *Walker) checkEach(pkt *packet, at position, steps []step) (drop step, all bool) {
	all = true
	for i := range steps {
		one, ok := w.sourceCheck(pkt, at, steps[i].hop, steps[i].hop.OutInterface)
		if !ok {
			all = false
			continue
		}
		if i == 0 {
			drop = one
		}
		one.share, one.dropped = steps[i].share, true
		steps[i] = one
	}
	return drop, all
}

// passes applies one mode to what the table does with the source.
func passes(m selection.Match, mode network.CheckMode, ifname string) bool {
	if mode == network.CheckFeasible {
		return selection.ReverseCheck(m.Table, m.Prefix.Addr(), ifname).Feasible
	}
	for _, r := range m.Routes {
		if r.Special == route.None && (mode == network.CheckLoose || selection.LeavesBy(m.Table, r, ifname)) {
			return true
		}
	}
	return false
}
