package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// tied are the configured static routes of a device that are tied to something, by prefix.
type tied map[netip.Prefix][]network.Static

func tiedOf(d *network.Device) tied {
	out := tied{}
	for _, s := range d.Statics().All() {
		if s.Tie != (network.Tie{}) {
			p := s.Prefix.Masked()
			out[p] = append(out[p], s)
		}
	}
	return out
}

// prefixes lists those that are meant for a table, in order.
func (t tied) prefixes(of *network.Table) []netip.Prefix {
	var out []netip.Prefix
	for p, all := range t {
		if slices.ContainsFunc(all, func(s network.Static) bool { return ofTable(s, of) }) {
			out = append(out, p)
		}
	}
	slices.SortFunc(out, netip.Prefix.Compare)
	return out
}

// mayLetGo reports whether what a static route is tied to may have gone with the change, which nothing captured tells. A
// session goes with its next hop. What an object watches stands somewhere behind the next hop: where that is a captured
// device's, the change of any other device may be on the way; where nobody captured it, no captured device is behind it.
func (r *run) mayLetGo(was *network.Device, x route.Route) bool {
	if x.Protocol != route.Static {
		return false
	}
	for _, s := range r.tied[was.Name][x.Prefix] {
		for _, h := range x.NextHops {
			if h.Address != s.NextHop.Address {
				continue
			}
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
