package topology

import (
	"cmp"
	"maps"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/prefixes"
	"zarvek/internal/core/route"
)

// A Disturbance is what an overlay differs in, more than in routes, and who may notice that on a link.
type Disturbance struct {
	// Anywhere tells, by the numbers of devices, which of them differ, and at which ones another device may answer for
	// a next hop than before, or none.
	Anywhere []bool
	// Beside tells which others share a segment or know an address with a device that differs. Who answers for their
	// next hops is as it was; who answers for destinations may not be, where those are Touched.
	Beside  []bool
	touched prefixes.Index
}

// Touches reports whether an address lies in a network to which a device that differs attaches, or is one of its own.
func (d *Disturbance) Touches(a netip.Addr) bool {
	_, ok := d.touched.Longest(a)
	return ok
}

// Disturbed tells what differs in an overlay, and who notices it on a link. What all others find on their links is as
// it was.
func (t *Topology) Disturbed(o *Topology) *Disturbance {
	wide := newNoticed(t)
	differ := t.differing(o)
	if len(differ) == 0 {
		return &Disturbance{Anywhere: wide.out, Beside: wide.out}
	}
	for i := range differ {
		wide.meet(t, o, i, nil)
	}
	narrow := newNoticed(t)
	for i, ports := range t.differingPorts(o, differ) {
		narrow.meet(t, o, i, ports)
	}
	wide.spread(t, o)
	narrow.spread(t, o)
	d := &Disturbance{Anywhere: narrow.out, Beside: wide.out}
	for i := range d.Beside {
		d.Beside[i] = d.Beside[i] && !d.Anywhere[i]
	}
	for p := range wide.networks {
		d.touched.Put(p, 1)
	}
	for a := range wide.addresses {
		d.touched.Put(netip.PrefixFrom(a, a.BitLen()), 1)
	}
	return d
}

// differing lists the numbers of the devices that differ in more than routes, or in what their routes tell of links.
func (t *Topology) differing(o *Topology) map[int]bool {
	out := map[int]bool{}
	for i := range t.Network.Numbers() {
		was, is := t.Network.Numbered(i), o.Network.Numbered(i)
		if was != is && (was == nil || is == nil || !was.RoutesAlone(is) || !o.scans[i].attachesLike(t.scans[i]) &&
			!(o.scans[i].attachesLikeButHops(t.scans[i]) && t.sameOnLinks(o, i))) {
			out[i] = true
		}
	}
	return out
}

// sameOnLinks reports whether a device that uses other next hops now tells nobody anything by that: who does not use an
// address might have it, and of an address that nobody has somebody must be found. It tells nothing where its own
// address beside the next hop is known, and the next hop's owner is.
func (t *Topology) sameOnLinks(o *Topology, device int) bool {
	was, is := t.scans[device].hops, o.scans[device].hops
	tells := func(of, other []hop) bool {
		return slices.ContainsFunc(of, func(h hop) bool {
			if _, both := slices.BinarySearchFunc(other, h, compareHops); both {
				return false
			}
			p := port{device, h.ifname}
			return !t.knowsOwn(p, h.address) || !o.knowsOwn(p, h.address) ||
				len(t.owners[h.address]) == 0 || len(o.owners[h.address]) == 0
		})
	}
	return !tells(was, is) && !tells(is, was)
}

func compareHops(a, b hop) int {
	return cmp.Or(cmp.Compare(a.ifname, b.ifname), a.address.Compare(b.address))
}

// differingPorts lists, of devices that differ, the interfaces in which they do; nil for all of them, where a device is
// there in one of the two only or differs in what is no interface's.
func (t *Topology) differingPorts(o *Topology, devices map[int]bool) map[int]map[string]bool {
	seen := [2]map[port][]Attachment{t.attachedAt(devices), o.attachedAt(devices)}
	out := map[int]map[string]bool{}
	for i := range devices {
		was, is := t.Network.Numbered(i), o.Network.Numbered(i)
		if was == nil || is == nil || !was.AlikeBesidesInterfaces(is) ||
			was.ListsAddresses(route.IPv4) != is.ListsAddresses(route.IPv4) ||
			was.ListsAddresses(route.IPv6) != is.ListsAddresses(route.IPv6) || !sameTables(was, is) {
			out[i] = nil
			continue
		}
		ports := map[string]bool{}
		for name := range t.namesOf(o, i) {
			p := port{i, name}
			if was.Interface(name) != is.Interface(name) ||
				!slices.EqualFunc(seen[0][p], seen[1][p], sameAttachment) ||
				!slices.Equal(t.hopsUsed[p], o.hopsUsed[p]) || !slices.Equal(t.sharedAs(p), o.sharedAs(p)) ||
				was.ListsAddressesOf(route.IPv4, name) != is.ListsAddressesOf(route.IPv4, name) ||
				was.ListsAddressesOf(route.IPv6, name) != is.ListsAddressesOf(route.IPv6, name) ||
				t.TableOf(was, name) != o.TableOf(is, name) || t.InVRF(was, name) != o.InVRF(is, name) {
				ports[name] = true
			}
		}
		out[i] = ports
	}
	return out
}

// sameTables reports whether two devices have the same main tables, and empty ones where the other has (isDown asks
// that).
func sameTables(a, b *network.Device) bool {
	for _, f := range [...]route.Family{route.IPv4, route.IPv6} {
		x, y := a.Table(mainTable, f), b.Table(mainTable, f)
		if (x == nil) != (y == nil) || x != nil && (x.Routes().Len() == 0) != (y.Routes().Len() == 0) {
			return false
		}
	}
	return true
}

// attachedAt collects the attachments of some devices by interface.
func (t *Topology) attachedAt(devices map[int]bool) map[port][]Attachment {
	out := map[port][]Attachment{}
	for i := range t.attachments {
		if devices[t.attachments[i].number] {
			out[t.port(i)] = append(out[t.port(i)], t.attachments[i])
		}
	}
	return out
}

func sameAttachment(a, b Attachment) bool {
	a.Device, b.Device = nil, nil
	return a == b
}

// sharedAs lists the virtual addresses of an interface with its part in each.
func (t *Topology) sharedAs(p port) []shared {
	var out []shared
	for _, a := range t.sharedAt[p] {
		for _, s := range t.virtual[a] {
			if s.port == p {
				out = append(out, s)
			}
		}
	}
	return out
}

// namesOf collects the interfaces of a device that either topology knows of.
func (t *Topology) namesOf(o *Topology, device int) map[string]bool {
	out := map[string]bool{}
	for _, x := range []*Topology{t, o} {
		d := x.Network.Numbered(device)
		for _, name := range x.Interfaces(d) {
			out[name] = true
		}
		for _, h := range x.scans[device].hops {
			out[h.ifname] = true
		}
		for name := range x.scans[device].named {
			out[name] = true
		}
		for _, a := range d.Addresses().All() {
			out[a.Interface] = true
		}
		for _, v := range d.Virtuals().All() {
			out[v.Interface] = true
		}
	}
	return out
}

// noticed is who notices that some interfaces differ, by all by which others may know those.
type noticed struct {
	ports     map[port]bool
	whole     []bool // devices of which every interface counts
	addresses map[netip.Addr]bool
	networks  map[netip.Prefix]bool
	macs      map[string]bool
	out       []bool
}

func newNoticed(t *Topology) *noticed {
	return &noticed{ports: map[port]bool{}, whole: make([]bool, t.Network.Numbers()),
		out: make([]bool, t.Network.Numbers()), addresses: map[netip.Addr]bool{},
		networks: map[netip.Prefix]bool{}, macs: map[string]bool{}}
}

// meet takes in some interfaces of a device, nil for the whole of it, as they are in two topologies.
func (n *noticed) meet(t, o *Topology, device int, ports map[string]bool) {
	n.out[device] = true
	n.whole[device] = ports == nil
	for name := range ports {
		n.ports[port{device, name}] = true
	}
	for _, x := range []*Topology{t, o} {
		d := x.Network.Numbered(device)
		if d == nil {
			continue
		}
		for _, a := range d.Addresses().All() {
			if n.has(device, a.Interface) {
				n.addresses[a.Prefix.Addr().WithZone("")] = true
			}
		}
		for _, v := range d.Virtuals().All() {
			if n.has(device, v.Interface) {
				n.addresses[v.Address] = true
			}
		}
		for _, i := range d.Interfaces().All() {
			if i.MAC != "" && n.has(device, i.Name) {
				n.macs[i.MAC] = true
			}
		}
		for _, r := range d.Translations().All() { // they stand for the device, whichever interface
			n.addresses[r.Becomes] = true
		}
	}
}

// has reports whether an interface is among those that differ.
func (n *noticed) has(device int, ifname string) bool {
	return n.whole[device] || n.ports[port{device, ifname}]
}

// spread takes in who is on a segment with them, has a network that overlaps theirs or a virtual address with them,
// uses one of their addresses as a next hop, or knows them as neighbours, and who is on a segment with those.
func (n *noticed) spread(t, o *Topology) {
	for _, x := range []*Topology{t, o} {
		for i := range x.attachments {
			at := &x.attachments[i]
			if n.has(at.number, at.Interface) && !at.Prefix.IsSingleIP() && !private(at.Prefix.Addr()) {
				n.networks[at.Prefix] = true
			}
		}
	}
	few := slices.Collect(maps.Keys(n.networks))
	overlaps := func(p netip.Prefix) bool { return slices.ContainsFunc(few, p.Overlaps) }
	if len(few) > mostInTurn {
		var index prefixes.Index
		for _, p := range few {
			index.Put(p, 1)
		}
		overlaps = func(p netip.Prefix) bool { return overlap(&index, p) }
	}
	n.ask(t, overlaps)
	n.ask(o, overlaps)
}

// mostInTurn is how many networks are compared one by one with each attached one.
const mostInTurn = 16

// ask looks who of one topology notices.
func (n *noticed) ask(t *Topology, overlaps func(netip.Prefix) bool) {
	segments := map[int]bool{}
	for p, s := range t.segment {
		if n.has(p.device, p.ifname) {
			segments[s] = true
		}
	}
	for p, hops := range t.hopsUsed {
		for _, h := range hops {
			if n.addresses[h] {
				n.out[p.device] = true
				segments[t.segment[p]] = true
			}
		}
	}
	for i := range t.attachments {
		if at := &t.attachments[i]; !at.Prefix.IsSingleIP() && !private(at.Prefix.Addr()) && overlaps(at.Prefix) {
			n.out[at.number] = true
			segments[t.segment[t.port(i)]] = true
		}
	}
	for _, x := range t.Network.Devices().All() {
		if x.Neighbours().Any(func(e network.Neighbour) bool {
			return e.MAC != "" && n.macs[e.MAC] || n.addresses[e.Address.WithZone("")]
		}) || x.Virtuals().Any(func(v network.VirtualAddress) bool { return n.addresses[v.Address] }) {
			n.out[x.Number()] = true
		}
	}
	for p, s := range t.segment {
		if segments[s] {
			n.out[p.device] = true
		}
	}
}

// overlap reports whether a network lies in one of others, or holds one.
func overlap(others *prefixes.Index, p netip.Prefix) bool {
	for range others.Covering(p) {
		return true
	}
	for range others.Inside(p) {
		return true
	}
	return false
}
