package mend

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// link is a neighbour on a shared segment, as a next hop.
type link struct {
	to     string
	hop    netip.Addr
	ifname string
	table  string // of the interface
}

// linksOf lists the neighbours of each device.
func linksOf(t *topology.Topology) map[string][]link {
	out := map[string][]link{}
	for _, n := range t.Networks() {
		at := t.AttachedTo(n)
		for _, x := range at {
			for _, y := range at {
				if x.Device == y.Device || x.Down || y.Down || !y.Address.IsValid() || t.Anycast(x.Address) ||
					t.Anycast(y.Address) ||
					y.Address.IsLinkLocalUnicast() {
					continue
				}
				out[x.Device.Name] = append(out[x.Device.Name], link{y.Device.Name, y.Address, x.Interface, x.Table})
			}
		}
	}
	return out
}

// maxNeighbours is how many neighbours are tried of one device.
const maxNeighbours = 4

// neighbours returns the links of a device and table on which a route to dst may lead on: those from which packets
// arrive now without coming back first, then by how many links they are away.
func (m *Mender) neighbours(w *forward.Walker, d *network.Device, table string, dst netip.Addr) []link {
	dist := m.distances(dst)
	type ranked struct {
		link
		arrives bool
		far     int
	}
	var all []ranked
	for _, l := range m.links[d.Name] {
		n, ok := dist[l.to]
		if l.table != table || route.FamilyOf(l.hop) != route.FamilyOf(dst) ||
			w.Topology().Network.Device(l.to) == nil {
			continue
		}
		arrives := leadsOn(w, l.to, dst, d.Name)
		if !ok && !arrives || dist[d.Name] == 0 && ok && !arrives {
			continue
		}
		all = append(all, ranked{l, arrives, n})
	}
	slices.SortStableFunc(all, func(a, b ranked) int {
		if a.arrives != b.arrives {
			if a.arrives {
				return -1
			}
			return 1
		}
		return a.far - b.far
	})
	var out []link
	for _, r := range all[:min(len(all), maxNeighbours)] {
		out = append(out, r.link)
	}
	return out
}

// leadsOn reports whether what a device sends to dst arrives, or leaves the captured devices, without passing another
// one.
func leadsOn(w *forward.Walker, from string, dst netip.Addr, not string) bool {
	out := w.Onward(w.Topology().Network.Device(from), dst)
	if out.Verdict != forward.Arrives && out.Verdict != forward.Leaves {
		return false
	}
	for _, b := range out.Branches {
		if slices.ContainsFunc(b.Hops, func(h forward.Hop) bool { return h.Device == not }) {
			return false
		}
	}
	return true
}

// distances counts the links from every device to those that have dst or its network.
func (m *Mender) distances(dst netip.Addr) map[string]int {
	t := m.walker.Topology()
	dist := map[string]int{}
	var todo []string
	for _, list := range [][]topology.Attachment{t.Owners(dst), t.Attached(dst)} {
		for _, a := range list {
			if _, ok := dist[a.Device.Name]; !ok && !a.Down {
				dist[a.Device.Name] = 0
				todo = append(todo, a.Device.Name)
			}
		}
		if len(todo) > 0 {
			break
		}
	}
	for ; len(todo) > 0; todo = todo[1:] {
		for _, l := range m.links[todo[0]] {
			if _, ok := dist[l.to]; !ok {
				dist[l.to] = dist[todo[0]] + 1
				todo = append(todo, l.to)
			}
		}
	}
	return dist
}
