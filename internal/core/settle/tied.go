package settle

import (
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// mayLetGo reports whether what a static route is tied to may have gone with the change, which nothing captured tells. A
// session goes with its next hop. What an object watches stands somewhere behind the next hop: where that is a captured
// device's, the change of any other device may be on the way; where nobody captured it, no captured device is behind it.
func (r *run) mayLetGo(was *network.Device, x route.Route) bool {
	if x.Protocol != route.Static {
		return false
	}
	for _, s := range was.Statics().All() {
		if s.Tie == (network.Tie{}) || s.Prefix.Masked() != x.Prefix || !slices.ContainsFunc(x.NextHops,
			func(h route.NextHop) bool { return h.Address == s.NextHop.Address }) {
			continue
		}
		for _, h := range x.NextHops {
			if s.Tie.Session && h.Address.IsValid() && !r.answers(was, h) {
				return true
			}
			if s.Tie.Object != "" && r.topo.Find(was, h.Interface, h.Address, true).Device != nil && r.othersChanged(was) {
				return true
			}
		}
	}
	return false
}

// othersChanged reports whether anything of a device but this one is not as it was.
func (r *run) othersChanged(was *network.Device) bool {
	for _, d := range r.topo.Network.Devices().All() {
		if d.Number() != was.Number() && r.now.Device(d.Name) != d {
			return true
		}
	}
	return false
}
