package filters

import (
	"net/netip"

	"zarvek/internal/core/network"
)

// Both is the rule that fits what two rules fit, with what the second does; false where nothing fits both.
func Both(a, b network.FlowRule) (network.FlowRule, bool) {
	out := b
	ok := true
	prefix := func(p, q netip.Prefix) netip.Prefix {
		switch {
		case !p.IsValid():
			return q
		case !q.IsValid(), q.Overlaps(p) && p.Bits() > q.Bits():
			return p
		case !q.Overlaps(p):
			ok = false
		}
		return q
	}
	ports := func(p, q network.Ports) network.Ports {
		switch {
		case p.Any():
			return q
		case q.Any():
			return p
		}
		both := network.Ports{Lo: max(p.Lo, q.Lo), Hi: min(p.Hi, q.Hi)}
		ok = ok && both.Lo <= both.Hi
		return both
	}
	word := func(s, t string) string {
		ok = ok && (s == "" || t == "" || s == t)
		if s == "" {
			return t
		}
		return s
	}
	out.From, out.To = prefix(a.From, b.From), prefix(a.To, b.To)
	out.FromPorts, out.ToPorts = ports(a.FromPorts, b.FromPorts), ports(a.ToPorts, b.ToPorts)
	out.Protocol, out.In, out.Out = word(a.Protocol, b.Protocol), word(a.In, b.In), word(a.Out, b.Out)
	ok = ok && (a.Type == 0 || b.Type == 0 || a.Type == b.Type) &&
		(a.Family == 0 || b.Family == 0 || a.Family == b.Family)
	out.Type, out.Family = max(a.Type, b.Type), max(a.Family, b.Family)
	out.Undecided = a.Undecided || b.Undecided
	ok = ok && (a.Turned == network.AnyDestination || b.Turned == network.AnyDestination || a.Turned == b.Turned)
	out.Turned = max(a.Turned, b.Turned)
	switch {
	case a.State == network.AnyState:
	case b.State == network.AnyState:
		out.State = a.State
	case a.State != b.State:
		out.Undecided = true
	}
	return out, ok
}

// AskedOnce are the rules that stand for one which a device asks for the first packet of a flow: that, and one that may
// fit what answers it.
func AskedOnce(f network.FlowRule) [2]network.FlowRule {
	again := f
	f.State, again.State, again.Undecided = network.Beginning, network.Answering, true
	return [2]network.FlowRule{f, again}
}
