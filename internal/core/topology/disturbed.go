package topology

import (
	"net/netip"

	"zarvek/internal/core/network"
)

// Disturbed tells, by the numbers of devices, of which ones more than routes differs in an overlay, and at which ones
// another device may answer on some link than before, or none: those beside them. What all others find on their links
// is as it was.
func (t *Topology) Disturbed(o *Topology) []bool {
	d := &disturbance{out: make([]bool, t.Network.Numbers()), moved: make([]bool, t.Network.Numbers()),
		addresses: map[netip.Addr]bool{}, networks: map[netip.Prefix]bool{}, macs: map[string]bool{}}
	for i := range d.moved {
		was, is := t.Network.Numbered(i), o.Network.Numbered(i)
		if was == is {
			continue
		}
		d.moved[i] = was == nil || is == nil || !was.RoutesAlone(is) || !o.scans[i].attachesLike(t.scans[i])
		if d.moved[i] {
			d.meet(was)
			d.meet(is)
		}
	}
	for _, x := range []*Topology{t, o} {
		for i := range x.attachments {
			if at := &x.attachments[i]; d.moved[at.number] && !at.Prefix.IsSingleIP() && !private(at.Prefix.Addr()) {
				d.networks[at.Prefix] = true
			}
		}
	}
	for _, x := range []*Topology{t, o} {
		d.spread(x)
	}
	return d.out
}

// disturbance is what differs: devices, with all by which others may know them.
type disturbance struct {
	moved     []bool
	addresses map[netip.Addr]bool
	networks  map[netip.Prefix]bool
	macs      map[string]bool
	out       []bool
}

// meet takes in a device with all by which others may know it.
func (d *disturbance) meet(x *network.Device) {
	if x == nil {
		return
	}
	d.out[x.Number()] = true
	for _, a := range x.Addresses().All() {
		d.addresses[a.Prefix.Addr().WithZone("")] = true
	}
	for _, v := range x.Virtuals().All() {
		d.addresses[v.Address] = true
	}
	for _, r := range x.Translations().All() {
		d.addresses[r.Becomes] = true
	}
	for _, i := range x.Interfaces().All() {
		if i.MAC != "" {
			d.macs[i.MAC] = true
		}
	}
}

// spread takes in who is on a segment with them, has a network or a virtual address with them, uses one of their
// addresses as a next hop, or knows them as neighbours, and who is on a segment with those.
func (d *disturbance) spread(t *Topology) {
	segments := map[int]bool{}
	for p, s := range t.segment {
		if d.moved[p.device] {
			segments[s] = true
		}
	}
	for p, hops := range t.hopsUsed {
		for _, h := range hops {
			if d.addresses[h] {
				d.out[p.device] = true
				segments[t.segment[p]] = true
			}
		}
	}
	for i := range t.attachments {
		if at := &t.attachments[i]; d.networks[at.Prefix] {
			d.out[at.number] = true
			segments[t.segment[port{at.number, at.Interface}]] = true
		}
	}
	for _, x := range t.Network.Devices().All() {
		for _, n := range x.Neighbours().All() {
			if n.MAC != "" && d.macs[n.MAC] || d.addresses[n.Address.WithZone("")] {
				d.out[x.Number()] = true
			}
		}
		for _, v := range x.Virtuals().All() {
			if d.addresses[v.Address] {
				d.out[x.Number()] = true
			}
		}
	}
	for p, s := range t.segment {
		if segments[s] {
			d.out[p.device] = true
		}
	}
}
