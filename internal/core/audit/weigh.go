package audit

import (
	"net/netip"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// What filters may cost an audit: how many parts of attached networks they may tell apart, since every part is judged
// with every other, and how many rules may be gone through for all pairs.
const (
	mostParts = 256
	mostAsked = 2_000_000_000
)

// weighFilters leaves the filters of devices unjudged that would cost too much. What meets them is restricted then.
func (a *auditor) weighFilters() {
	parts := map[netip.Prefix]bool{}
	nets := len(a.walker.Topology().Networks())
	coarse := map[*network.Device]bool{}
	for _, d := range a.devices {
		inside, longest := 0, 0
		for _, c := range d.Chains().All() {
			longest = max(longest, c.Hi-c.Lo)
		}
		for _, r := range d.Flows().All() {
			for _, p := range []netip.Prefix{r.From, r.To} {
				if p.IsValid() && route.FamilyOf(p.Addr()) == a.fam && !parts[p] && a.divides(p) {
					parts[p] = true
					inside++
				}
			}
		}
		if inside > 0 && len(parts) > mostParts || nets*nets*longest > mostAsked {
			coarse[d] = true
		}
	}
	if len(coarse) == 0 {
		return
	}
	if len(parts) > mostParts {
		for _, d := range a.devices {
			if d.Flows().Len() > mostParts {
				coarse[d] = true
			}
		}
	}
	a.coarse, a.walker = coarse, a.walker.Unjudged(coarse)
}

// divides reports whether a prefix is a part of an attached network.
func (a *auditor) divides(p netip.Prefix) bool {
	for _, at := range a.walker.Topology().Attached(p.Addr()) {
		if at.Prefix.IsValid() && at.Prefix.Bits() < p.Bits() {
			return true
		}
	}
	return false
}
