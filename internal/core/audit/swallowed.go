package audit

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// Swallowed means that a route that discards or refuses takes addresses that are attached elsewhere, or that a
// shorter route would carry.
const Swallowed Kind = "swallowed"

// takeSwallowed takes what a route discards or refuses, and finds the shorter route that would carry it instead.
func takeSwallowed(a *auditor, f *Finding, g *byCause) bool {
	if f.Verdict != forward.Discarded && f.Verdict != forward.Refused || f.Reason.Code == forward.RuleDenies {
		return false
	}
	f.Missing = []netip.Prefix{f.Hop.Prefix}
	var x SwallowedDetail
	if d := g.cause.device; d != nil && f.Hop.Prefix.IsValid() {
		x.Instead = shorter(d.Table(f.Hop.Table, a.fam), f.Hop.Prefix)
	}
	f.Detail = x
	if f.Pairs == 0 {
		f.Severity = Risk
		if x.Instead.Attributes == nil {
			f.Severity = dropped // nothing else would carry them
		}
	}
	f.Repair = []Repair{{Kind: RemoveRoute, Device: f.Device, Prefix: f.Hop.Prefix}}
	return true
}

// mergeSwallowed puts together the discards of one table, under one shorter route, that take nothing from anybody
// captured: border devices have dozens.
func (a *auditor) mergeSwallowed(list []Finding) []Finding {
	type key struct {
		device, table string
		against       netip.Prefix
		verdict       forward.Verdict
	}
	at := map[key]int{}
	var out []Finding
	for _, f := range list {
		x, _ := f.Detail.(SwallowedDetail)
		k := key{f.Device, f.Table, x.Instead.Prefix, f.Verdict}
		i, ok := at[k]
		switch {
		case f.Kind != Swallowed || f.Pairs > 0 || !f.Hop.Prefix.IsValid():
		case ok:
			have := &out[i]
			have.Missing = append(have.Missing, f.Missing...)
			have.Marks = append(have.Marks, f.Marks...)
			have.Repair = append(have.Repair, f.Repair...)
			have.spans, have.count = merged(slices.Concat(have.spans, f.spans))
			have.identify(have.Missing)
			continue
		default:
			at[k] = len(out)
		}
		out = append(out, f)
	}
	return out
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
