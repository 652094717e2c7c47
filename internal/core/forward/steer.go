package forward

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// A steering is what policies of routing do with a packet before any route is looked up. The zero steering is nothing.
type steering struct {
	table string          // in which it is looked up instead; "": in that of its ingress interface
	match selection.Match // in place of the lookup, where it has routes
	mark  route.Mark      // the line that sends it; unknown: none does
	why   Reason          // other than Nothing: the walk ends
	left  route.Mark      // the line that is assumed to leave it to the routes
}

// steer asks the policies of routing of a device where a packet that came in is to go.
func (w *Walker) steer(pkt *packet, at position) steering {
	if !at.device.Steers() || at.origin || pkt.find != nil {
		return steering{}
	}
	rule, fit := w.detour(pkt, at)
	open := steering{why: Reason{Code: PolicyRouted, Marks: []route.Mark{rule.Mark}}}
	to := rule.Detour
	switch {
	case fit == network.No:
		return steering{}
	case fit == network.Maybe && w.assume:
		return steering{left: rule.Mark}
	case fit == network.Maybe:
		if rule.Protocol != "" && !rule.Undecided && !to.Open && !pkt.flow.Told() && !w.unjudged[at.device] {
			open.why.Code = FlowNotTold
		}
		return open
	case to.Drop:
		return steering{match: towards(at, pkt.dst, route.Attributes{Special: route.Blackhole}, rule.Mark),
			mark: rule.Mark}
	case to.Table != "":
		return steering{table: to.Table, mark: rule.Mark}
	}
	ifname, ok := w.attachedBy(at, to.NextHop)
	if !ok {
		return open
	}
	hop := route.NextHop{Address: to.NextHop, Interface: ifname}
	return steering{match: towards(at, pkt.dst, route.Attributes{NextHops: []route.NextHop{hop}}, rule.Mark),
		mark: rule.Mark}
}

// route finds the match for a packet: what a policy of routing says, else what its table does.
func (w *Walker) route(pkt *packet, at position, hop *Hop) (selection.Match, Reason) {
	s := w.steer(pkt, at)
	if hop.Steered = s.mark.Known(); s.left.Known() {
		hop.Assumed = append(hop.Assumed, s.left)
	}
	switch {
	case s.why.Code != Nothing, len(s.match.Routes) > 0:
		return s.match, s.why
	case s.table == "":
		return w.lookup(pkt, at)
	}
	at.table, hop.Table = s.table, s.table
	hop.Evidence = append(hop.Evidence, s.mark)
	m, why := w.lookup(pkt, at)
	switch why.Code {
	case Nothing:
	case NoCoveringRoute: // whether the device asks its own table then differs
		why = Reason{Code: PolicyRouted, Marks: []route.Mark{s.mark}}
	default:
		why.Marks = append([]route.Mark{s.mark},
			slices.DeleteFunc(slices.Clone(why.Marks), func(m route.Mark) bool { return !m.Known() })...)
	}
	return m, why
}

// detour is the rule of a policy of routing that decides over a packet, and whether that is certain: No where none is
// for it.
func (w *Walker) detour(pkt *packet, at position) (network.FlowRule, network.Fit) {
	d, flow := at.device, pkt.flow
	flow.Seen = pkt.state[d]
	for _, c := range d.Chains().All() {
		if c.Hook != network.Steered || at.ingress != "" && c.Passes(at.ingress, "") {
			continue
		}
		var open *network.FlowRule
		rules := d.Flows().Between(c.Lo, c.Hi)
		doubt := w.unjudged[d] || at.ingress == "" || w.brokenPolicy(at, rules)
		for _, r := range rules.All() {
			fit := r.Fits(pkt.src, pkt.dst, flow, at.ingress, "")
			if fit == network.No {
				continue
			}
			if open != nil && (open.NotRead || open.Detour.Open || open.Detour != r.Detour) {
				return *open, network.Maybe
			}
			switch {
			case r.Detour.Sends() && (doubt || r.Detour.Open):
				return r, network.Maybe
			case fit == network.Maybe && open == nil:
				open = &r
			case fit == network.Yes && r.Detour.Sends():
				return r, network.Yes
			}
			if fit == network.Yes {
				open = nil
				break
			}
		}
		if open != nil && (open.NotRead || open.Detour.Sends()) {
			return *open, network.Maybe
		}
	}
	return network.FlowRule{}, network.No
}

// brokenPolicy reports whether a next hop of a policy that is in force as a whole cannot be used.
func (w *Walker) brokenPolicy(at position, rules network.Items[network.FlowRule]) bool {
	return rules.Any(func(r network.FlowRule) bool {
		if !r.Detour.Whole || !r.Detour.NextHop.IsValid() {
			return false
		}
		_, ok := w.attachedBy(at, r.Detour.NextHop)
		return !ok
	})
}

// towards is the match that stands for what a policy of routing does.
func towards(at position, dst netip.Addr, a route.Attributes, mark route.Mark) selection.Match {
	return selection.Sent(at.device.Table(at.table, route.FamilyOf(dst)), route.Route{Attributes: &a, Mark: mark})
}

// attachedBy is the interface by which a device is sure to send packets to a next hop of a policy of routing: a network
// that it attaches to has the address, and the interface is not down. What it does with any other next hop differs from
// device to device.
func (w *Walker) attachedBy(at position, a netip.Addr) (ifname string, ok bool) {
	t := at.device.Table(at.table, route.FamilyOf(a))
	if t == nil || t.InPart() || t.Filtered.Known() {
		return "", false
	}
	m := w.ask(t, a)
	if !m.Found() || len(m.Routes) != 1 || m.Refused || m.Contradiction != nil ||
		m.Routes[0].Protocol != route.Direct || len(m.Routes[0].NextHops) != 1 {
		return "", false
	}
	h := m.Routes[0].NextHops[0]
	return h.Interface, h.Interface != "" && !h.Down && at.device.Interface(h.Interface).State != network.LinkDown
}
