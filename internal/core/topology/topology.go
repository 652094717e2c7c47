// Package topology finds out from tables and addresses who is where: which devices attach to which network, which of
// them share a segment, and who answers for an address, with how much confidence.
//
// It is built once from a network and is read-only afterwards. It never guesses silently: what it concludes instead
// of reading is Deduced, and where two captures disagree it says so.
package topology

import (
	"cmp"
	"iter"
	"net/netip"
	"slices"

	"github.com/gaissmai/bart"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// An Attachment is one device's interface in a network. Address is invalid where no capture shows the device's own.
type Attachment struct {
	Device    *network.Device
	Table     string
	Interface string
	Prefix    netip.Prefix
	Address   netip.Addr
	Down      bool // the interface is down; the address is configured, the network is not reachable there
	Mark      route.Mark
}

// A Topology is the attachments of a network. The zero Topology is empty.
type Topology struct {
	Network     *network.Snapshot
	attachments []Attachment
	byPrefix    bart.Table[[]int]
	owners      map[netip.Addr][]int // attachments by own address, and host addresses
	byInterface map[port][]int
	down        []int // attachments on interfaces that are down
	segment     map[port]int
	members     map[int][]port
	macs        map[string][]port     // interfaces by their link-layer address
	hopsUsed    map[port][]netip.Addr // next hops that a device uses on an interface
}

// A port is one interface of one device.
type port struct {
	device *network.Device
	ifname string
}

// Build derives the topology of n.
func Build(n *network.Snapshot) *Topology {
	t := &Topology{
		Network: n, owners: map[netip.Addr][]int{}, byInterface: map[port][]int{},
		segment: map[port]int{}, members: map[int][]port{}, hopsUsed: map[port][]netip.Addr{}, macs: map[string][]port{},
	}
	for _, d := range n.Devices().All() {
		first := len(t.attachments)
		t.addTables(d)
		t.addAddresses(d, first)
		for _, i := range d.Interfaces().All() {
			if i.MAC != "" {
				t.macs[i.MAC] = append(t.macs[i.MAC], port{d, i.Name})
			}
		}
	}
	t.join()
	return t
}

// addTables reads the attached networks and the next hops in use out of a device's tables.
func (t *Topology) addTables(d *network.Device) {
	for _, tab := range d.Tables().All() {
		noted := make([]bool, tab.Routes().Shared()) // attributes whose next hops are known already
		for i := range tab.Routes().Len() {
			id, state := tab.Routes().Used(i)
			if state&route.Installed == 0 || noted[id] {
				continue
			}
			r := tab.Routes().At(i)
			if r.Special != route.None {
				noted[id] = true
				continue
			}
			if r.Protocol == route.Direct {
				for _, h := range r.NextHops {
					if h.Interface != "" && !r.Prefix.IsSingleIP() && !private(r.Prefix.Addr()) {
						t.attach(Attachment{Device: d, Table: tab.Name, Interface: h.Interface, Prefix: r.Prefix, Mark: r.Mark,
							Down: d.Interface(h.Interface).State == network.LinkDown})
					}
				}
				continue
			}
			t.noteHops(d, r.NextHops)
			noted[id] = true
		}
	}
}

// private tells the addresses that mean something on one link or one device only.
func private(a netip.Addr) bool { return a.IsLoopback() || a.IsLinkLocalUnicast() || a.IsMulticast() }

func (t *Topology) noteHops(d *network.Device, hops []route.NextHop) {
	for _, h := range hops {
		p := port{d, h.Interface}
		if h.Address.IsValid() && !slices.Contains(t.hopsUsed[p], h.Address) {
			t.hopsUsed[p] = append(t.hopsUsed[p], h.Address)
		}
	}
}

func (t *Topology) attach(a Attachment) int {
	i := len(t.attachments)
	t.attachments = append(t.attachments, a)
	t.byInterface[port{a.Device, a.Interface}] = append(t.byInterface[port{a.Device, a.Interface}], i)
	if a.Down {
		t.down = append(t.down, i)
	}
	if !a.Prefix.IsSingleIP() && !a.Down && !private(a.Prefix.Addr()) {
		t.byPrefix.Modify(a.Prefix, func(v []int, _ bool) ([]int, bool) { return append(v, i), false })
	}
	return i
}

// addAddresses gives the attachments from first on their own addresses; an address whose network is in no table,
// because its interface is down or because no table was captured, becomes an attachment by itself.
func (t *Topology) addAddresses(d *network.Device, first int) {
	last := len(t.attachments)
	for _, a := range d.Addresses().All() {
		addr := a.Prefix.Addr()
		if addr.IsLoopback() {
			continue
		}
		i := t.home(a, first, last)
		switch {
		case i < 0:
			i = t.attach(Attachment{Device: d, Table: "default", Interface: a.Interface, Prefix: a.Prefix.Masked(),
				Address: addr, Down: isDown(d, a), Mark: a.Mark})
		case t.attachments[i].Address.IsValid(): // a second address in one network
			have := t.attachments[i]
			i = t.attach(Attachment{Device: d, Table: have.Table, Interface: have.Interface, Prefix: have.Prefix,
				Address: addr, Down: have.Down, Mark: a.Mark})
		default:
			t.attachments[i].Address, t.attachments[i].Mark = addr, cmp.Or(a.Mark, t.attachments[i].Mark)
		}
		t.owners[addr] = append(t.owners[addr], i)
	}
}

// home finds the attachment, between first and last, in whose network the address stands.
func (t *Topology) home(a network.Address, first, last int) int {
	for i := first; i < last; i++ {
		have := &t.attachments[i]
		if have.Prefix.Contains(a.Prefix.Addr()) && (a.Interface == "" || have.Interface == a.Interface) &&
			(a.Prefix.IsSingleIP() || a.Prefix.Bits() == have.Prefix.Bits()) {
			return i
		}
	}
	return -1
}

// isDown tells whether an address whose network is in no table stands on an interface that is down: the captures say
// so, or the table was captured and lacks the network.
func isDown(d *network.Device, a network.Address) bool {
	switch d.Interface(a.Interface).State {
	case network.LinkDown:
		return true
	case network.LinkUp:
		return false
	}
	tab := d.Table("default", route.FamilyOf(a.Prefix.Addr()))
	return tab != nil && tab.Routes().Len() > 0 && !a.Prefix.IsSingleIP() && !a.Prefix.Addr().IsLinkLocalUnicast()
}

// TableOf returns the table in which a device looks up what comes in by an interface: the one that has its attached
// network, "default" where that is not known.
func (t *Topology) TableOf(d *network.Device, ifname string) string {
	for _, i := range t.byInterface[port{d, ifname}] {
		if at := t.attachments[i]; !at.Prefix.IsSingleIP() && at.Table != "" {
			return at.Table
		}
	}
	return "default"
}

// Attached returns the attachments to the longest attached network that contains a; several where several devices
// attach to it.
func (t *Topology) Attached(a netip.Addr) []Attachment {
	at, ok := t.byPrefix.Lookup(a)
	if !ok {
		return nil
	}
	out := make([]Attachment, 0, len(at))
	for _, i := range at {
		out = append(out, t.attachments[i])
	}
	return out
}

// Owners returns the attachments whose own address is a.
func (t *Topology) Owners(a netip.Addr) []Attachment {
	out := make([]Attachment, 0, 1)
	for _, i := range t.owners[a] {
		out = append(out, t.attachments[i])
	}
	return out
}

// Networks returns every attached network once, in order.
func (t *Topology) Networks() []netip.Prefix {
	var out []netip.Prefix
	for p := range t.byPrefix.AllSorted() {
		if !p.Addr().IsLinkLocalUnicast() && !p.Addr().IsLoopback() {
			out = append(out, p)
		}
	}
	return out
}

// Interfaces returns the names of the interfaces of d that attach to a network or were captured, in order.
func (t *Topology) Interfaces(d *network.Device) []string {
	var out []string
	for _, i := range d.Interfaces().All() {
		out = append(out, i.Name)
	}
	for _, at := range t.attachments {
		if at.Device == d && at.Interface != "" {
			out = append(out, at.Interface)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// AttachedTo returns the attachments to just that network.
func (t *Topology) AttachedTo(p netip.Prefix) []Attachment {
	at, _ := t.byPrefix.Get(p)
	out := make([]Attachment, 0, len(at))
	for _, i := range at {
		out = append(out, t.attachments[i])
	}
	return out
}

// Wider yields the attached networks that contain p and are shorter, longest first.
func (t *Topology) Wider(p netip.Prefix) iter.Seq2[netip.Prefix, []Attachment] {
	return func(yield func(netip.Prefix, []Attachment) bool) {
		for q := range t.byPrefix.Supernets(p) {
			if q != p && !yield(q, t.AttachedTo(q)) {
				return
			}
		}
	}
}

// SameSegment reports whether two attachments are known to be on one segment.
func (t *Topology) SameSegment(a, b Attachment) bool {
	return t.sameSegment(port{a.Device, a.Interface}, port{b.Device, b.Interface})
}

// Shared returns, in the order of the address, two attachments of each address that two devices have as their own.
// Link-local and multicast addresses are left out: they may stand anywhere.
func (t *Topology) Shared() [][2]Attachment {
	var out [][2]Attachment
	for a, at := range t.owners {
		if a.IsLinkLocalUnicast() || a.IsMulticast() || t.Anycast(a) {
			continue
		}
		for _, i := range at[1:] {
			if first := t.attachments[at[0]]; t.attachments[i].Device != first.Device {
				out = append(out, [2]Attachment{first, t.attachments[i]})
				break
			}
		}
	}
	slices.SortFunc(out, func(a, b [2]Attachment) int { return a[0].Address.Compare(b[0].Address) })
	return out
}

// Anycast reports whether an address is the one that all routers of an IPv6 network share (RFC 4291 section 2.6.1); a
// /127 has none (RFC 6164).
func (t *Topology) Anycast(a netip.Addr) bool {
	if !a.Is6() {
		return false
	}
	for _, i := range t.owners[a] {
		if p := t.attachments[i].Prefix; p.Bits() < 127 && p.Addr() == a {
			return true
		}
	}
	return false
}

// AddressOn returns the device's own address on an interface, of dst's family and in dst's network if there is one there.
func (t *Topology) AddressOn(d *network.Device, ifname string, dst netip.Addr) netip.Addr {
	best := netip.Addr{}
	for _, i := range t.byInterface[port{d, ifname}] {
		at := t.attachments[i]
		if a := at.Address; a.IsValid() && a.Is4() == dst.Is4() && !a.IsLinkLocalUnicast() && !t.Anycast(a) && (!best.IsValid() || at.Prefix.Contains(dst)) {
			best = a
		}
	}
	return best
}

// Attachments returns every attachment, also those that are down. Do not change them.
func (t *Topology) Attachments() []Attachment { return t.attachments }

// HopsUsed yields every next hop that a device's routes name, with the device.
func (t *Topology) HopsUsed() iter.Seq2[*network.Device, netip.Addr] {
	return func(yield func(*network.Device, netip.Addr) bool) {
		for p, hops := range t.hopsUsed {
			for _, h := range hops {
				if !yield(p.device, h) {
					return
				}
			}
		}
	}
}

// NetworkOf returns the longest attached network that contains a.
func (t *Topology) NetworkOf(a netip.Addr) (netip.Prefix, bool) {
	at, ok := t.byPrefix.Lookup(a)
	if !ok {
		return netip.Prefix{}, false
	}
	return t.attachments[at[0]].Prefix, true
}
