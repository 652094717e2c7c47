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
	"sync"

	"zarvek/internal/core/network"
	"zarvek/internal/core/prefixes"
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
	number    int // of the device
}

// A Topology is the attachments of a snapshot. The zero Topology is empty.
type Topology struct {
	Network  *network.Snapshot
	gateways sync.Map // Gateways by network, once they were asked for
	*layout
}

// layout is who attaches where. Snapshots that differ in nothing that touches it share one, so it names devices by
// number; the pointers in its attachments are those of the snapshot that it was made of.
type layout struct {
	of          *network.Snapshot
	scans       []*scan // by device
	attachments []Attachment
	ofDevice    [][2]int             // of each device: its first attachment, and the first one of the next
	byPrefix    prefixes.Index       // the number in attached
	attached    [][]int              // attachments by network
	owners      map[netip.Addr][]int // attachments by own address, and host addresses
	byInterface map[port][]int
	down        []int // attachments on interfaces that are down
	segment     map[port]int
	members     map[int][]port
	reused      map[netip.Prefix]bool   // networks that several links have
	macs        map[string][]port       // interfaces by their link-layer address
	hopsUsed    map[port][]netip.Addr   // next hops that a device uses on an interface
	virtual     map[netip.Addr][]shared // who shares an address
	sharedAt    map[port][]netip.Addr   // the addresses that an interface shares
	translated  prefixes.Index          // the number in outsides
	outsides    [][]outside             // who puts an address in place of another, by what they translate to
}

// A port is one interface of one device.
type port struct {
	device int // number
	ifname string
}

func portOf(d *network.Device, ifname string) port { return port{d.Number(), ifname} }

// at returns attachment i with the device of the topology's own snapshot.
func (t *Topology) at(i int) Attachment {
	a := t.attachments[i]
	if t.of != t.Network {
		a.Device = t.Network.Numbered(a.number)
	}
	return a
}

// device returns the device of a port.
func (t *Topology) device(p port) *network.Device { return t.Network.Numbered(p.device) }

// Build derives the topology of n.
func Build(n *network.Snapshot) *Topology {
	scans := make([]*scan, n.Numbers())
	for _, d := range n.Devices().All() {
		scans[d.Number()] = scanDevice(d, nil)
	}
	return build(n, scans)
}

// On derives the topology of an overlay of t's snapshot. Only the devices that differ are looked at, and of those
// only what was replaced; where nothing that matters here differs, the result shares all with t.
func (t *Topology) On(n *network.Snapshot) *Topology {
	scans := slices.Clone(t.scans)
	alike := true
	for i, was := range t.scans {
		d := n.Numbered(i)
		switch {
		case d == nil:
			alike, scans[i] = alike && was == nil, nil
		case was == nil || was.device != d:
			scans[i] = scanDevice(d, was)
			alike = alike && was != nil && scans[i].attachesLike(was)
		}
	}
	if alike {
		shared := *t.layout
		shared.scans = scans
		return &Topology{Network: n, layout: &shared}
	}
	return build(n, scans)
}

// AttachesLike reports whether two topologies, one of an overlay of the other, share who attaches where.
func (t *Topology) AttachesLike(o *Topology) bool { return t.of == o.of }

// build puts together what is attached to what from the scans of all devices, in their order.
func build(n *network.Snapshot, scans []*scan) *Topology {
	t := &Topology{Network: n, layout: &layout{
		of: n, scans: scans, owners: map[netip.Addr][]int{},
		byInterface: map[port][]int{},
		segment:     map[port]int{}, members: map[int][]port{}, hopsUsed: map[port][]netip.Addr{},
		macs:   map[string][]port{},
		reused: map[netip.Prefix]bool{}, ofDevice: make([][2]int, n.Numbers()),
		virtual: map[netip.Addr][]shared{}, sharedAt: map[port][]netip.Addr{},
	}}
	for _, d := range n.Devices().All() {
		first := len(t.attachments)
		s := scans[d.Number()]
		for _, a := range s.direct {
			a.Device, a.number = d, d.Number()
			t.attach(a)
		}
		for _, h := range s.hops {
			p := portOf(d, h.ifname)
			t.hopsUsed[p] = append(t.hopsUsed[p], h.address)
		}
		t.addAddresses(d, first)
		t.placeHops(s, first)
		t.addTranslated(d, first)
		t.ofDevice[d.Number()] = [2]int{first, len(t.attachments)}
		for _, v := range d.Virtuals().All() {
			p := portOf(d, v.Interface)
			t.virtual[v.Address] = append(t.virtual[v.Address], shared{p, v.Holding, v.Paired, v.Mark})
			t.sharedAt[p] = append(t.sharedAt[p], v.Address)
		}
		for _, i := range d.Interfaces().All() {
			if i.MAC != "" {
				t.macs[i.MAC] = append(t.macs[i.MAC], portOf(d, i.Name))
			}
		}
	}
	t.findReused()
	t.join()
	return t
}

// private tells the addresses that mean something on one link or one device only.
func private(a netip.Addr) bool { return a.IsLoopback() || a.IsLinkLocalUnicast() || a.IsMulticast() }

// attach adds an attachment to the indices; what is down, or means something on one link only, joins no network.
func (t *Topology) attach(a Attachment) int {
	i := len(t.attachments)
	t.attachments = append(t.attachments, a)
	p := portOf(a.Device, a.Interface)
	t.byInterface[p] = append(t.byInterface[p], i)
	if a.Down {
		t.down = append(t.down, i)
	}
	if !a.Prefix.IsSingleIP() && !a.Down && !private(a.Prefix.Addr()) {
		n, ok := t.byPrefix.Exact(a.Prefix)
		if !ok {
			n = uint32(len(t.attached))
			t.byPrefix.Put(a.Prefix, n)
			t.attached = append(t.attached, nil)
		}
		t.attached[n] = append(t.attached[n], i)
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
			i = t.attach(
				Attachment{
					Device:    d,
					number:    d.Number(),
					Table:     cmp.Or(a.Table, "default"),
					Interface: a.Interface,
					Prefix:    a.Prefix.Masked(),
					Address:   addr,
					Down:      isDown(d, a),
					Mark:      a.Mark,
				},
			)
		case t.attachments[i].Address.IsValid(): // a second address in one network
			have := t.attachments[i]
			i = t.attach(
				Attachment{
					Device:    d,
					number:    d.Number(),
					Table:     have.Table,
					Interface: have.Interface,
					Prefix:    have.Prefix,
					Address:   addr,
					Down:      have.Down,
					Mark:      a.Mark,
				},
			)
		default:
			t.attachments[i].Address, t.attachments[i].Mark = addr, cmp.Or(a.Mark, t.attachments[i].Mark)
		}
		t.owners[addr] = append(t.owners[addr], i)
	}
}

// placeHops notes the next hops that a device's routes name without an interface on each interface whose network they
// are in. Its attachments begin with first.
func (t *Topology) placeHops(s *scan, first int) {
	var on map[netip.Prefix][]port
	lengths := map[int]bool{}
	for _, h := range s.hops {
		if h.ifname != "" {
			continue
		}
		if on == nil {
			on = map[netip.Prefix][]port{}
			for i := first; i < len(t.attachments); i++ {
				at := &t.attachments[i]
				if p := t.port(i); at.Interface != "" && !slices.Contains(on[at.Prefix], p) {
					on[at.Prefix] = append(on[at.Prefix], p)
					lengths[at.Prefix.Bits()] = true
				}
			}
		}
		for bits := range lengths {
			n, err := h.address.Prefix(bits)
			if err != nil { // longer than addresses of that family
				continue
			}
			for _, p := range on[n] {
				t.hopsUsed[p] = append(t.hopsUsed[p], h.address)
			}
		}
	}
}

// home finds the attachment, between first and last, in whose network the address stands.
func (t *Topology) home(a network.Address, first, last int) int {
	for i := first; i < last; i++ {
		have := &t.attachments[i]
		if a.Table != "" && have.Table != a.Table {
			continue
		}
		if have.Prefix.Contains(a.Prefix.Addr()) && (a.Interface == "" || have.Interface == a.Interface) &&
			(a.Prefix.IsSingleIP() || a.Prefix.Bits() == have.Prefix.Bits()) {
			return i
		}
	}
	return -1
}

// isDown tells whether an address whose network is in no table stands on an interface that is down: the captures say
// so, or the table that it is in was captured and lacks the network.
func isDown(d *network.Device, a network.Address) bool {
	switch d.Interface(a.Interface).State {
	case network.LinkDown:
		return true
	case network.LinkUp:
		return false
	}
	tab := d.Table(cmp.Or(a.Table, "default"), route.FamilyOf(a.Prefix.Addr()))
	return tab != nil && tab.Routes().Len() > 0 && !tab.MayHide(a.Prefix.Masked()) && !a.Prefix.IsSingleIP() &&
		!a.Prefix.Addr().IsLinkLocalUnicast()
}

// TableOf returns the table in which a device looks up what comes in by an interface: that of the VRF that is told to
// have it, else the one that has its attached network, or where it has none its address, "default" where that is not
// known, and where no interface is named. The device may have no table of that name: it was not captured then.
func (t *Topology) TableOf(d *network.Device, ifname string) string {
	if ifname == "" {
		return "default"
	}
	vrf, sure := d.VRFTable(ifname)
	if sure {
		return vrf
	}
	table := cmp.Or(vrf, "default")
	for _, i := range t.byInterface[portOf(d, ifname)] {
		switch at := t.attachments[i]; {
		case at.Table == "" || byRuleOnly(d, at):
		case vrf != "" && at.Table == "default":
		case !at.Prefix.IsSingleIP():
			return at.Table
		default:
			table = at.Table
		}
	}
	return table
}

// OfInterface reports whether what comes in by some interface is looked up in a table.
func (t *Topology) OfInterface(d *network.Device, table string) bool {
	for _, i := range t.scans[d.Number()].direct {
		if i.Table == table && !byRuleOnly(d, i) {
			return true
		}
	}
	return false
}

// byRuleOnly reports whether an attachment stands in a kernel's table to which only policy rules lead, as far as is
// known: one that has what the main table has too, or beside which the main one was not captured whole. A table that
// alone has an interface's network is that interface's (a VRF's).
func byRuleOnly(d *network.Device, at Attachment) bool {
	fam := route.FamilyOf(at.Prefix.Addr())
	if t := d.Table(at.Table, fam); t == nil || !t.ByRule {
		return false
	}
	main := d.Table("default", fam)
	if main == nil || main.Undecided || main.CutAt.IsValid() {
		return true
	}
	group, found := main.Exact(at.Prefix)
	for i := group.Lo; found && i < group.Hi; i++ {
		for _, h := range main.Routes().At(i).NextHops {
			if h.Interface == at.Interface {
				return true
			}
		}
	}
	return false
}

// longest returns the attachments to the longest attached network that contains a, by number.
func (l *layout) longest(a netip.Addr) ([]int, bool) {
	n, ok := l.byPrefix.Longest(a)
	if !ok {
		return nil, false
	}
	return l.attached[n], true
}

// exact returns the attachments to just that network, by number.
func (l *layout) exact(p netip.Prefix) ([]int, bool) {
	n, ok := l.byPrefix.Exact(p)
	if !ok {
		return nil, false
	}
	return l.attached[n], true
}

// Attached returns the attachments to the longest attached network that contains a; several where several devices
// attach to it.
func (t *Topology) Attached(a netip.Addr) []Attachment {
	at, ok := t.longest(a)
	if !ok {
		return nil
	}
	out := make([]Attachment, 0, len(at))
	for _, i := range at {
		out = append(out, t.at(i))
	}
	return out
}

// Owners returns the attachments whose own address is a.
func (t *Topology) Owners(a netip.Addr) []Attachment {
	out := make([]Attachment, 0, 1)
	for _, i := range t.owners[a] {
		out = append(out, t.at(i))
	}
	return out
}

// Networks returns every attached network once, in order.
func (t *Topology) Networks() []netip.Prefix {
	var out []netip.Prefix
	for p := range t.byPrefix.All() {
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
	lo, hi := t.ofDevice[d.Number()][0], t.ofDevice[d.Number()][1]
	for i := lo; i < hi; i++ {
		if at := &t.attachments[i]; at.Interface != "" {
			out = append(out, at.Interface)
		}
	}
	slices.SortFunc(out, network.CompareNames)
	return slices.Compact(out)
}

// AlikeHost reports whether a device attaches to the networks of one interface alone, so that it can lead nobody to
// another one.
func (t *Topology) AlikeHost(d *network.Device, ifname string) bool {
	lo, hi := t.ofDevice[d.Number()][0], t.ofDevice[d.Number()][1]
	for i := lo; i < hi; i++ {
		at := &t.attachments[i]
		if a := at.Prefix.Addr(); at.Interface != ifname && !at.Prefix.IsSingleIP() && !a.IsLoopback() &&
			!a.IsLinkLocalUnicast() {
			return false
		}
	}
	return true
}

// LeadsNowhereElse reports whether a device seems to be a host: alike one, without an address that routers share, and
// with no routes but to its own network and defaults.
func (t *Topology) LeadsNowhereElse(d *network.Device, ifname string) bool {
	if d.Virtuals().Len() > 0 || !t.AlikeHost(d, ifname) {
		return false
	}
	for _, table := range d.Tables().All() {
		table = table.Captured()
		known := len(table.Routes().Census().Own)
		if g, ok := table.Exact(table.Family.Default()); ok {
			known += len(table.At(g))
		}
		if known < table.Routes().Len() {
			return false
		}
	}
	return true
}

// AttachedTo returns the attachments to just that network.
func (t *Topology) AttachedTo(p netip.Prefix) []Attachment {
	at, _ := t.exact(p)
	out := make([]Attachment, 0, len(at))
	for _, i := range at {
		out = append(out, t.at(i))
	}
	return out
}

// Wider yields the attached networks that contain p and are shorter, longest first.
func (t *Topology) Wider(p netip.Prefix) iter.Seq2[netip.Prefix, []Attachment] {
	return func(yield func(netip.Prefix, []Attachment) bool) {
		for q := range t.byPrefix.Covering(p) {
			if q != p && !yield(q, t.AttachedTo(q)) {
				return
			}
		}
	}
}

// SameSegment reports whether two attachments are known to be on one segment.
func (t *Topology) SameSegment(a, b Attachment) bool {
	return t.sameSegment(portOf(a.Device, a.Interface), portOf(b.Device, b.Interface))
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
			if first := t.at(at[0]); t.attachments[i].number != first.number {
				out = append(out, [2]Attachment{first, t.at(i)})
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

// AddressOn returns the device's own address on an interface, of dst's family and in dst's network if there is one
// there.
func (t *Topology) AddressOn(d *network.Device, ifname string, dst netip.Addr) netip.Addr {
	best := netip.Addr{}
	for _, i := range t.byInterface[portOf(d, ifname)] {
		at := t.attachments[i]
		if a := at.Address; a.IsValid() && a.Is4() == dst.Is4() && !a.IsLinkLocalUnicast() && !t.Anycast(a) &&
			(!best.IsValid() || at.Prefix.Contains(dst)) {
			best = a
		}
	}
	return best
}

// SourceOn returns the address that a device gives what leaves by an interface to a next hop, where it takes one of that
// interface's: of several IPv4 ones that in the next hop's network, the first there that its capture shows. Invalid where
// none is known, or which of them it takes is not (of IPv6 ones RFC 6724 has many rules).
func (t *Topology) SourceOn(d *network.Device, ifname string, hop, dst netip.Addr) netip.Addr {
	var all []network.Address
	beside := network.Address{}
	for _, a := range d.Addresses().All() {
		own := a.Prefix.Addr()
		if a.Interface != ifname || own.Is4() != dst.Is4() || own.IsLinkLocalUnicast() || t.Anycast(own) ||
			slices.ContainsFunc(all, func(o network.Address) bool { return o.Prefix.Addr() == own }) {
			continue
		}
		all = append(all, a)
		if own.Is6() || !a.Prefix.Contains(hop) {
			continue
		}
		switch before := beside.Mark; {
		case !beside.Prefix.IsValid(), a.Mark.File == before.File && a.Mark.Off < before.Off:
			beside = a
		case a.Mark.File != before.File:
			return netip.Addr{}
		}
	}
	if len(all) == 1 {
		return all[0].Prefix.Addr()
	}
	return beside.Prefix.Addr()
}

// Attachments returns every attachment, also those that are down. Do not change them.
func (t *Topology) Attachments() []Attachment {
	if t.of == t.Network {
		return t.attachments
	}
	out := make([]Attachment, len(t.attachments))
	for i := range out {
		out[i] = t.at(i)
	}
	return out
}

// HopsUsed yields every next hop that a device's routes name, with the device.
func (t *Topology) HopsUsed() iter.Seq2[*network.Device, netip.Addr] {
	return func(yield func(*network.Device, netip.Addr) bool) {
		for p, hops := range t.hopsUsed {
			for _, h := range hops {
				if !yield(t.device(p), h) {
					return
				}
			}
		}
	}
}

// NetworkOf returns the longest attached network that contains a.
func (t *Topology) NetworkOf(a netip.Addr) (netip.Prefix, bool) {
	at, ok := t.longest(a)
	if !ok {
		return netip.Prefix{}, false
	}
	return t.attachments[at[0]].Prefix, true
}
