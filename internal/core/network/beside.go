package network

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// beside compares what forwards, as far as somebody asked for it, with the whole table beside it. Where it leads
// elsewhere the two contradict each other: which of them holds is not known.
func (t *Table) beside(parts []*TableFacts) {
	for _, p := range parts {
		if p.Kind != ForwardingTable || !p.Filtered.Known() {
			continue
		}
		for i := range p.Routes.Len() {
			r := p.Routes.At(i)
			if r.Special == route.Receive || r.Is(route.Unusable) {
				continue
			}
			used, ok := t.usedFor(r)
			if ok && t.leadAlike(used, r) {
				continue
			}
			if !ok || used.Prefix != r.Prefix {
				t.addUnread(UnreadRow{Prefix: r.Prefix, Changed: true, Mark: r.Mark})
				continue
			}
			t.contradict(Difference{Kind: OtherMoment, Prefix: r.Prefix, Chosen: used.Mark, Installed: r.Mark}, true)
		}
	}
}

// usedFor returns a route in use that the table has for all addresses of another one's prefix, the longest.
func (t *Table) usedFor(r route.Route) (route.Route, bool) {
	for g := range t.Covering(r.Prefix) {
		for _, m := range t.Members(g) {
			if m.Is(route.Installed) {
				return m, true
			}
		}
	}
	return route.Route{}, false
}

// leadAlike reports whether a route of what forwards may be what became of a chosen one. Where the next hop of that is
// found by another route, which one forwards is not for these two to say.
func (t *Table) leadAlike(chosen, forwards route.Route) bool {
	if chosen.Special != route.None || forwards.Special != route.None {
		return chosen.Special == forwards.Special
	}
	ways := chosen.Forwarding()
	for _, h := range ways {
		if h.Address.IsValid() && !t.attaches(h.Address) {
			return true
		}
	}
	return !slices.ContainsFunc(forwards.Forwarding(), func(x route.NextHop) bool {
		return !slices.ContainsFunc(ways, func(y route.NextHop) bool {
			return x.Address == y.Address || !x.Address.IsValid() && x.Interface == y.Interface
		})
	})
}

// attaches reports whether an address lies in an attached network of the table.
func (t *Table) attaches(a netip.Addr) bool {
	g, ok := t.LongestGroup(a)
	if !ok {
		return false
	}
	for _, m := range t.Members(g) {
		if m.Protocol == route.Direct && m.Is(route.Installed) {
			return true
		}
	}
	return false
}
