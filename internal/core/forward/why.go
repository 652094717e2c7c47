package forward

import (
	"net/netip"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
	"zarvek/internal/core/topology"
)

// An Explanation is a device's choice for a destination, with who answers for its next hops.
type Explanation struct {
	Device *network.Device
	Choice selection.Choice
	Own    []network.Address   // the device's own address that the destination is; delivered before any route
	Owners [][]topology.OnLink // for each resolution of the choice, for each of its exits
}

// Why explains what a device does with a destination by one of its tables.
func (w *Walker) Why(d *network.Device, t *network.Table, dst netip.Prefix) Explanation {
	x := Explanation{Device: d, Choice: selection.Explain(t, dst)}
	if dst.IsSingleIP() {
		x.Own = d.Own(dst.Addr())
	}
	for _, res := range x.Choice.Resolutions {
		owners := []topology.OnLink{}
		for _, e := range res.Exits {
			a := e.Address
			if !a.IsValid() {
				a = dst.Addr()
			}
			owners = append(owners, w.topo.Find(d, e.Interface, a, e.Dynamic))
		}
		x.Owners = append(x.Owners, owners)
	}
	return x
}

// Forwards reports whether the destination is the device's own or is sent on.
func (x Explanation) Forwards() bool {
	if len(x.Own) > 0 {
		return true
	}
	m := x.Choice.Match
	if !m.Found() || m.Refused {
		return false
	}
	return m.Routes[0].Special == route.None || m.Routes[0].Special == route.Receive
}
