package require

import (
	"net/netip"
	"slices"

	"go4.org/netipx"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/route"
)

// coverage is which of the addresses that a requirement names anything was found out about: a requirement over
// addresses of which nothing is known does not hold, however few others fail it.
type coverage struct{ from, to found }

// found holds prefixes of ends with addresses that somebody can have.
type found map[netip.Prefix]bool

func newCoverage() coverage { return coverage{found{}, found{}} }

func (f found) mark(ends []End, e audit.ReachEnd) {
	for _, x := range ends {
		for _, p := range x.Prefixes {
			if !f[p] && slices.ContainsFunc(e.Ranges, netipx.RangeOfPrefix(p).Overlaps) {
				f[p] = true
			}
		}
	}
}

// all reports whether something was found of each end, and of each prefix of it of a family that the other side has. A
// device's own link-local and loopback addresses count for nobody else.
func (f found) all(ends, other []End) bool {
	for _, x := range ends {
		if x.EveryLAN || x.Internet {
			continue
		}
		some := false
		for _, p := range x.Prefixes {
			a := p.Addr()
			switch {
			case f[p]:
				some = true
			case hasFamily(other, route.FamilyOf(a)) && !a.IsLoopback() && !a.IsLinkLocalUnicast():
				return false
			}
		}
		if !some {
			return false
		}
	}
	return true
}

func hasFamily(ends []End, fam route.Family) bool {
	return slices.ContainsFunc(ends, func(e End) bool {
		return e.EveryLAN || e.Internet ||
			slices.ContainsFunc(e.Prefixes, func(p netip.Prefix) bool { return route.FamilyOf(p.Addr()) == fam })
	})
}
