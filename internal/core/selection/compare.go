package selection

import (
	"cmp"

	"zarvek/internal/core/route"
)

// judge says by which rule lost gave way to won, both of one prefix.
func judge(lost, won route.Route, highest bool) (why Why, assumed bool) {
	if lost.Is(route.Unusable) {
		return Unusable, false
	}
	if lost.Is(route.Active) {
		return NotInstalled, false
	}
	order, why, assumed := compare(won, lost, highest)
	switch {
	case order < 0:
		return why, assumed
	case order > 0:
		return AgainstRules, assumed
	}
	return NotChosen, false
}

// compare orders two candidates of one prefix by the rules: negative where a wins. Why is the rule that decided; 0 is a
// tie, or that the captures do not show what decides.
func compare(a, b route.Route, highest bool) (order int, why Why, assumed bool) {
	ap, aa := preference(a)
	bp, ba := preference(b)
	if highest {
		ap, bp, aa, ba = b.Preference, a.Preference, false, false // there attached networks do show their preference
	}
	if ap.Known && bp.Known && ap.Value != bp.Value {
		return cmp.Compare(ap.Value, bp.Value), Preference, aa || ba
	}
	if a.Protocol != b.Protocol && (ap.Known || bp.Known) {
		return 0, NotChosen, false
	}
	if a.Protocol == b.Protocol {
		if order, why := within(a, b); order != 0 {
			return order, why, false
		}
	}
	if a.Protocol == route.BGP || a.Metric == b.Metric ||
		b.Metric.Known && !a.Metric.Known && a.Protocol != b.Protocol {
		return 0, NotChosen, false
	}
	// A metric that is not shown is taken as the lowest there is: kernels leave out a 0.
	return cmp.Compare(a.Metric.Value, b.Metric.Value), Metric, false
}

// within compares two routes of one protocol by that protocol's own order, before any metric.
func within(a, b route.Route) (int, Why) {
	switch a.Protocol {
	case route.OSPF:
		return cmp.Compare(ospfRank(a.Subtype), ospfRank(b.Subtype)), PathType
	case route.ISIS:
		if x, y := isisRank(a.Subtype), isisRank(b.Subtype); x >= 0 && y >= 0 {
			return cmp.Compare(x, y), Level
		}
	case route.BGP:
		return comparePaths(a, b)
	}
	return 0, NotChosen
}

// preference returns a route's preference as printed. Attached networks and own addresses are printed without one
// nearly everywhere; they are taken to have 0, which is assumed.
func preference(r route.Route) (n route.Number, assumed bool) {
	if !r.Preference.Known && (r.Protocol == route.Direct || r.Protocol == route.Local) {
		return route.N(0), true
	}
	return r.Preference, false
}

// ospfRank orders the path types of RFC 2328 section 11: intra-area, inter-area, external type 1, external type 2.
func ospfRank(subtype string) int {
	switch subtype {
	case "inter-area":
		return 1
	case "external-1", "nssa-external-1":
		return 2
	case "external-2", "nssa-external-2":
		return 3
	}
	return 0
}

// isisRank orders the levels (RFC 5302 section 3.2): level 1, level 2, level 1 leaked down from level 2; -1 where the
// capture does not show one.
func isisRank(subtype string) int {
	switch subtype {
	case "level-1":
		return 0
	case "level-2":
		return 1
	case "inter-area":
		return 2
	}
	return -1
}

// comparePaths is the order of RFC 4271 section 9.1 as far as the captures show the attributes, behind the weight that
// some systems ask first: degree of preference,
// then 9.1.2.2 (a) length of the path, (b) origin, (c) multi-exit discriminator within one neighbouring AS, (d)
// external before internal. What comes behind, the cost to the next hop and the routers' identifiers, no table shows.
func comparePaths(x, y route.Route) (int, Why) {
	a, b := x.BGP, y.BGP
	if a.Weight.Known && b.Weight.Known && a.Weight != b.Weight {
		return cmp.Compare(b.Weight.Value, a.Weight.Value), Weight
	}
	if a.LocalPreference.Known && b.LocalPreference.Known && a.LocalPreference != b.LocalPreference {
		return cmp.Compare(b.LocalPreference.Value, a.LocalPreference.Value), LocalPreference
	}
	if a.Length.Known && b.Length.Known && a.Length != b.Length {
		return cmp.Compare(a.Length.Value, b.Length.Value), PathLength
	}
	if a.Origin != 0 && b.Origin != 0 && a.Origin != b.Origin {
		return cmp.Compare(a.Origin, b.Origin), Origin
	}
	if m, n := x.MultiExit(), y.MultiExit(); a.NeighbourAS != 0 && a.NeighbourAS == b.NeighbourAS &&
		m.Known && n.Known && m != n {
		return cmp.Compare(m.Value, n.Value), MultiExit
	}
	if a.Session != 0 && b.Session != 0 && a.Session != b.Session {
		return cmp.Compare(a.Session, b.Session), ExternalFirst
	}
	return 0, NotChosen
}
