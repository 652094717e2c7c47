package settle

import (
	"cmp"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// speakers are the tables of one protocol whose metrics do not add up, such as BGP, in one family: those with routes of
// it, those of devices that are configured to speak BGP, and those of the devices that such a route leads to, which may
// announce without learning anything. Where no vector works it out, what a device has by it may change as soon as
// what another one announces does (RFC 4271 section 9), so that it cannot be told.
type speakers struct {
	proto  route.Protocol
	family route.Family
	list   []nodeKey
	// of each of the list: the sources from which it is seen to announce what it does not have by the protocol itself
	announced []map[route.Protocol]bool
	vector    *vector // nil where configurations do not tell enough
}

// findSpeakers lists the protocols of a network that have no prediction.
func findSpeakers(t *topology.Topology) []*speakers {
	type key struct {
		p route.Protocol
		f route.Family
	}
	byKey := map[key]*speakers{}
	add := func(k key, n nodeKey) {
		if byKey[k] == nil {
			byKey[k] = &speakers{proto: k.p, family: k.f}
		}
		if !slices.Contains(byKey[k].list, n) {
			byKey[k].list = append(byKey[k].list, n)
		}
	}
	for _, d := range t.Network.Devices().All() {
		speaks := configured(d)
		for _, table := range d.Tables().All() {
			if speaks && table.Name == "default" {
				add(key{route.BGP, table.Family}, nodeKey{d.Name, table.Name})
			}
			seen := map[route.NextHop]bool{}
			for id := range table.Routes().Shared() {
				a := table.Routes().Attributes(route.AttrID(id))
				if !a.Protocol.Dynamic() || adds(a.Protocol) {
					continue
				}
				k := key{a.Protocol, table.Family}
				add(k, nodeKey{d.Name, table.Name})
				for _, h := range a.NextHops {
					if seen[h] || !h.Address.IsValid() {
						continue
					}
					seen[h] = true
					if o := t.Find(d, h.Interface, h.Address, true); o.Device != nil {
						add(k, nodeKey{o.Device.Name, t.TableOf(o.Device, o.Interface)})
					}
				}
			}
		}
	}
	out := make([]*speakers, 0, len(byKey))
	for _, s := range byKey {
		out = append(out, s)
	}
	for _, s := range out {
		s.findAnnounced(t)
		s.vector = newVector(s, t.Network)
	}
	slices.SortFunc(out, func(a, b *speakers) int {
		return cmp.Or(cmp.Compare(a.proto, b.proto), cmp.Compare(a.family, b.family))
	})
	return out
}

// configured reports whether a configuration says that a device speaks BGP.
func configured(d *network.Device) bool {
	return d.BGP().Len() > 0 ||
		d.Protocols().Any(func(x network.ProtocolInterface) bool { return x.Protocol == route.BGP })
}

// findAnnounced notes by which sources the owners of next hops have what others learned from them.
func (s *speakers) findAnnounced(t *topology.Topology) {
	s.announced = make([]map[route.Protocol]bool, len(s.list))
	for i := range s.list {
		s.announced[i] = map[route.Protocol]bool{}
		for _, x := range t.Network.Device(s.list[i].device).Redistributed().All() {
			if x.Protocol == s.proto && (x.Family == 0 || x.Family == s.family) {
				s.announced[i][x.Source] = true
			}
		}
	}
	for _, n := range s.list {
		d := t.Network.Device(n.device)
		table := d.Table(n.table, s.family)
		if table == nil {
			continue
		}
		owners := map[route.NextHop]int{}
		for k := range table.Routes().Len() {
			r := table.Routes().At(k)
			if r.Protocol != s.proto {
				continue
			}
			for _, h := range r.NextHops {
				z, known := owners[h]
				if !known {
					z = s.ownerOf(t, d, h)
					owners[h] = z
				}
				if z < 0 {
					continue
				}
				if far := t.Network.Device(s.list[z].device).Table(s.list[z].table, s.family); far != nil {
					for _, own := range deciding(far.RoutesTo(r.Prefix)) {
						s.announced[z][own.Protocol] = true
					}
				}
			}
		}
	}
}

// ownerOf is the speaker that has a next hop of a device, -1 for none.
func (s *speakers) ownerOf(t *topology.Topology, d *network.Device, h route.NextHop) int {
	if !h.Address.IsValid() {
		return -1
	}
	o := t.Find(d, h.Interface, h.Address, true)
	return slices.IndexFunc(s.list, func(n nodeKey) bool { return o.Device != nil && n.device == o.Device.Name })
}
