package survey

import (
	"net/netip"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// A Learned is a network that no captured device is attached to: the case knows it from routes alone.
type Learned struct {
	Prefix  netip.Prefix
	Devices []*network.Device // that have a route of its own to it, in use
	Route   route.Route       // of the first of them
	Covers  int               // attached networks that lie in it: it is a summary of those, at least in part
}

// maxLearned is how many learned networks are listed; all are counted.
const maxLearned = 10_000

// learned lists the networks that only routes tell of, and counts the devices with a default route. The tables are
// sorted, so they are read side by side.
func (s *Survey) learned(t *topology.Topology, fam route.Family) {
	attached := map[netip.Prefix]bool{}
	for _, n := range t.Networks() {
		attached[n] = true
	}
	type reader struct {
		device *network.Device
		table  *network.Table
		at     int
	}
	for _, f := range [...]route.Family{route.IPv4, route.IPv6} {
		if fam != 0 && fam != f {
			continue
		}
		var all []*reader
		for _, d := range t.Network.Devices().All() {
			hasDefault := false
			for _, tab := range d.Tables().All() {
				if tab.Family != f || tab.Undecided {
					continue
				}
				all = append(all, &reader{device: d, table: tab})
				if g, ok := tab.Exact(f.Default()); ok && tab.Name == "default" {
					for _, r := range tab.Members(g) {
						hasDefault = hasDefault || r.Is(route.Installed) && r.Special == route.None
					}
				}
			}
			if hasDefault {
				s.Defaults = append(s.Defaults, Knower{Device: d, How: KnowsByDefault})
			}
		}
		for {
			var next netip.Prefix
			for _, r := range all {
				if r.at < r.table.Routes().Len() {
					if p := r.table.Routes().Prefix(r.at); !next.IsValid() || p.Compare(next) < 0 {
						next = p
					}
				}
			}
			if !next.IsValid() {
				break
			}
			l := Learned{Prefix: next}
			for _, r := range all {
				if r.at >= r.table.Routes().Len() || r.table.Routes().Prefix(r.at) != next {
					continue
				}
				g := r.table.Group(r.at)
				r.at = g.Hi
				for _, x := range r.table.Members(g) {
					if !network.Used(x) || x.Special != route.None || x.Protocol == route.Direct ||
						x.Protocol == route.Local {
						continue
					}
					if len(l.Devices) == 0 {
						l.Route = x
					}
					if n := len(l.Devices); n == 0 || l.Devices[n-1] != r.device {
						l.Devices = append(l.Devices, r.device)
					}
				}
			}
			if len(l.Devices) > 0 && next.Bits() > 0 && !attached[next] && !private(next.Addr()) &&
				!(next.IsSingleIP() && len(t.Owners(next.Addr())) > 0) {
				if s.LearnedCount++; len(s.Learned) == maxLearned {
					continue
				}
				for n := range attached {
					if next.Bits() < n.Bits() && next.Contains(n.Addr()) {
						l.Covers++
					}
				}
				s.Learned = append(s.Learned, l)
			}
		}
	}
}

func private(a netip.Addr) bool { return a.IsLoopback() || a.IsLinkLocalUnicast() || a.IsMulticast() }
