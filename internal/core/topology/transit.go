package topology

import (
	"net/netip"

	"zarvek/internal/core/network"
)

// smallSegment is how many bits of an address a segment between devices has at most, where no neighbour entries tell
// who is on it.
const smallSegment = 3

// Transit reports whether a network seems to be one between devices only, in which no hosts are: a network of links,
// or one that two or more captured devices share and of which no host is known. Where their neighbour entries were
// not captured a larger one is taken for a network of hosts.
func (t *Topology) Transit(p netip.Prefix) bool {
	if t.LinkNetwork(p) {
		return true
	}
	at := t.AttachedTo(p)
	devices := map[*network.Device]bool{}
	told := true
	for _, a := range at {
		devices[a.Device] = true
		told = told && a.Device.Neighbours().Len() > 0
	}
	if len(devices) < 2 || !told && p.Addr().BitLen()-p.Bits() > smallSegment {
		return false
	}
	for _, h := range t.Network.Hosts().All() {
		if p.Contains(h.Address) {
			return false
		}
	}
	for d := range devices {
		for _, n := range d.Neighbours().All() {
			if n.State == network.NeighbourAlive && p.Contains(n.Address.WithZone("")) &&
				len(t.Owners(n.Address.WithZone(""))) == 0 {
				return false
			}
		}
	}
	return true
}

// HasHosts reports whether hosts may be in a network: it has room for more than one address, and is not between devices
// only.
func (t *Topology) HasHosts(p netip.Prefix) bool {
	return p.IsValid() && !p.IsSingleIP() && !t.Transit(p)
}
