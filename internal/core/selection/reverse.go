package selection

import (
	"net/netip"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A Reverse is how the source checks of RFC 3704 judge packets from an address that come in by an interface.
type Reverse struct {
	Source      netip.Addr
	Interface   string
	Best        Match // what the table does with the address
	Strict      bool  // section 2.2: the best route to the source leaves by the interface
	Feasible    bool  // section 2.3: some route to the source does, best or not
	Loose       bool  // section 2.4: there is a route to the source at all
	DefaultOnly bool  // section 2.5: the default route is the only one that covers it, which a loose check may ignore
	By          route.Route
}

// ReverseCheck judges packets from src that come in by an interface that looks up in t.
func ReverseCheck(t *network.Table, src netip.Addr, ifname string) Reverse {
	v := Reverse{Source: src, Interface: ifname, Best: Longest(t, src)}
	if !v.Best.Found() {
		return v
	}
	for _, r := range v.Best.Routes {
		if r.Special == route.None {
			v.Loose = true
			v.Strict = v.Strict || LeavesBy(t, r, ifname)
		}
	}
	v.DefaultOnly = v.Best.Prefix.Bits() == 0
	for g := range t.Covering(netip.PrefixFrom(src, src.BitLen())) {
		for _, r := range t.Members(g) {
			if !v.Feasible && r.Special == route.None && !r.Is(route.Unusable) && LeavesBy(t, r, ifname) {
				v.Feasible, v.By = true, r
			}
		}
	}
	return v
}

// LeavesBy reports whether a route of t sends packets out of an interface.
func LeavesBy(t *network.Table, r route.Route, ifname string) bool {
	for _, res := range Resolve(t, r) {
		for _, e := range res.Exits {
			if e.Interface == ifname {
				return true
			}
		}
	}
	return false
}
