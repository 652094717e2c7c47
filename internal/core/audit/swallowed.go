package audit

import (
	"net/netip"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// Swallowed means that a route that discards or refuses takes addresses that are attached elsewhere, or that a shorter route would
// carry.
const Swallowed Kind = "swallowed"

func takeSwallowed(a *auditor, f *Finding, g *byCause) bool {
	if f.Verdict != forward.Discarded && f.Verdict != forward.Refused || f.Reason.Code == forward.RuleDenies {
		return false
	}
	f.Route = f.Hop.Route
	if d := g.cause.device; d != nil && f.Hop.Prefix.IsValid() {
		f.Against = shorter(d.Table(f.Hop.Table, a.fam), f.Hop.Prefix)
	}
	if len(f.Losses) == 0 {
		f.Severity = Risk
		if f.Against.Attributes == nil {
			f.Severity = dropped // nothing else would carry them
		}
	}
	for _, r := range a.addRoutes(g, AddRoute) {
		if r.Prefix.Bits() > f.Hop.Prefix.Bits() { // else it would not come before the one that discards
			f.Repair = append(f.Repair, r)
		}
	}
	f.Repair = append(f.Repair, Repair{Kind: RemoveRoute, Device: f.Device, Prefix: f.Hop.Prefix})
	return true
}

// shorter is the next shorter route that forwards; the zero Route where none does.
func shorter(t *network.Table, p netip.Prefix) route.Route {
	if t == nil {
		return route.Route{}
	}
	for g := range t.Covering(p) {
		if m := selection.At(t, g); m.Found() && m.Prefix != p && m.Routes[0].Special == route.None {
			return m.Routes[0]
		}
	}
	return route.Route{}
}
