package topology

import (
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// Confidence says how an owner was found. The zero Confidence is not known.
type Confidence uint8

const (
	NotKnown  Confidence = iota
	Deduced              // concluded from who else attaches there
	Neighbour            // a neighbour entry shows that something answers
	Known                // the owner's own captures show the address
)

var confidenceNames = [...]string{"unknown", "deduced", "neighbour", "known"}

// String returns the name in the JSON contract.
func (c Confidence) String() string { return confidenceNames[c] }

// Answer says who answers for an address on a link. The zero Answer is that nothing is known.
type Answer uint8

const (
	Silent    Answer = iota // no capture tells who has the address
	Device                  // a captured device
	Host                    // something that is not captured, seen as a neighbour
	Nobody                  // the neighbour entry shows that nothing answered
	Down                    // a captured device has the address, on an interface that is down
	Elsewhere               // a captured device has the address, and is not attached to this link
	// Beside: it has the address elsewhere, and may be on this link by another interface; kernels answer for all of theirs
	Beside
	Several  // more than one captured device has it
	Conflict // a captured device has it, but did not answer
	Shared   // a virtual address of captured devices; which of them has it is not known
	// a captured device puts it in place of another address, and whether it answers for it is not known
	Translated
	// nobody is known to have it; a captured device whose interface to the link is down may have had it
	MaybeDown
	// a captured device has it, but the neighbour entry names a link-layer address that is none of its
	Otherwise
	// a captured device has it, but an interface on the link neither asks for link-layer addresses nor tells its own
	Unasked
	// a captured device has it, somebody wrote the neighbour entry, and no capture tells the device's link-layer address
	Written
	// Reused: several links have the network, in VRFs, and which of them this one is is not known
	Reused
)

// OnLink is what is known of an address on a device's link.
type OnLink struct {
	Answer     Answer
	Device     *network.Device
	Interface  string // of Device: where a packet comes in
	Confidence Confidence
	// TwoEnds is set where the link has room for just one other device.
	TwoEnds bool
	// Proxy: the device answers for the address, which is not its own: it is another's, reached through it (RFC 1027).
	Proxy bool
	// Sharers are the devices of a Shared address, in order.
	Sharers []*network.Device
	// OtherEnd is that device, where it is captured and has another address there.
	OtherEnd *network.Device
	Marks    []route.Mark
}

// Find says who answers for a on the given interface of d. Learned tells that d learned a route from a itself, so
// that something there was alive.
func (t *Topology) Find(d *network.Device, ifname string, a netip.Addr, learned bool) OnLink {
	here := portOf(d, ifname)
	entry, hasEntry := d.Neighbour(a, ifname)
	net := t.room(here, a)
	res := OnLink{TwoEnds: ForTwo(net)}
	if hasEntry {
		res.Marks = append(res.Marks, entry.Mark)
	}
	owners, elsewhere := t.candidates(here, a)
	if len(owners) > 1 && entry.MAC != "" {
		owners = slices.DeleteFunc(
			owners,
			func(o Attachment) bool { return o.Device.Interface(o.Interface).MAC != entry.MAC },
		)
	}
	confidence := Known
	if o, ok := withLink(entry.MAC, owners, elsewhere); ok && t.reused[t.networkOf(here, a)] {
		owners = []Attachment{o}
	} else if t.unclearLink(here, a, owners) {
		res.Answer = Reused
		for _, o := range slices.Concat(owners, elsewhere) {
			res.Marks = append(res.Marks, o.Mark)
		}
		return res
	} else if t.reused[t.networkOf(here, a)] {
		confidence = Deduced
	}
	switch {
	case len(owners) > 1:
		res.Answer = Several
		for _, o := range owners {
			res.Marks = append(res.Marks, o.Mark)
		}
		return res
	case len(owners) == 1:
		o := owners[0]
		res.Device, res.Interface, res.Confidence = o.Device, o.Interface, confidence
		res.Marks = append(res.Marks, o.Mark)
		switch {
		case d.Interface(ifname).State == network.LinkDown:
			res.Answer = Down
		case o.Down:
			res.Answer = Down
			t.standsDown(here, entry, o, &res)
		// asked for, and no answer came, or none yet
		case hasEntry && entry.State != network.NeighbourAlive && entry.MAC == "":
			res.Answer = Conflict
		case entry.MAC == "" && d.Interface(ifname).Mute:
			res.Answer, res.Device, res.Interface = Unasked, d, ifname
		case entry.MAC == "" && o.Device.Interface(o.Interface).Mute:
			res.Answer = Unasked
		case entry.Written && o.Device.Interface(o.Interface).MAC == "" && !t.answeredFrom(a, entry.MAC):
			res.Answer = Written
		case t.mistaken(entry.MAC, o):
			res.Answer = Otherwise
			if p, ok := t.byMAC(here, entry.MAC); ok && t.sameSegment(here, p) { // which answers in its place
				res.Answer, res.Device, res.Interface, res.Confidence = Device, t.device(p), p.ifname, Neighbour
				res.Proxy = true
			}
		default:
			res.Answer = Device
		}
		return res
	}
	if t.isShared(here, a, &res) {
		if res.Answer == Device && hasEntry && entry.State == network.NeighbourFailed {
			res.Answer = Conflict
		}
		return res
	}
	switch {
	case hasEntry && entry.State == network.NeighbourFailed:
		res.Answer = Nobody
		return res
	case hasEntry && entry.State == network.NeighbourAlive:
		if p, ok := t.byMAC(here, entry.MAC); ok {
			res.Answer, res.Device, res.Interface, res.Confidence = Device, t.device(p), p.ifname, Neighbour
			// who has all its addresses listed, or another device's address, answers in somebody's place
			res.Proxy = t.device(p).ListsAddresses(route.FamilyOf(a)) || len(elsewhere) > 0
			return res
		}
		if t.isTranslated(here, a, true, &res) {
			return res
		}
		if p, ok := t.deduce(here, a, net, true); ok && t.mayHave(p, entry.MAC) {
			res.Answer, res.Device, res.Interface, res.Confidence = Device, t.device(p), p.ifname, Deduced
			return res
		}
		if len(elsewhere) == 1 && t.mistaken(entry.MAC, elsewhere[0]) {
			res.Answer, res.Device = Otherwise, elsewhere[0].Device
			res.Marks = append(res.Marks, elsewhere[0].Mark)
			return res
		}
		res.Answer, res.Confidence = Host, Neighbour
		t.standsElsewhere(here, entry, elsewhere, &res)
		return res
	}
	asked := hasEntry && entry.MAC == "" // and has not answered yet
	if t.isTranslated(here, a, learned, &res) {
		return res
	}
	if p, ok := t.bare(here, a); ok {
		res.Answer, res.Device, res.Interface = MaybeDown, t.device(p), p.ifname
		return res
	}
	if p, ok := t.deduce(here, a, net, learned); ok {
		res.Answer, res.Device, res.Interface, res.Confidence = Device, t.device(p), p.ifname, Deduced
		switch {
		case t.device(p).Interface(p.ifname).State == network.LinkDown:
			res.Answer = Down
		case asked:
			res.Answer = Conflict
		}
		return res
	}
	if dead := t.dead(here, a); len(dead) > 0 {
		res.Answer, res.Device, res.Interface = MaybeDown, dead[0].Device, dead[0].Interface
		if len(dead) == 1 && res.TwoEnds { // the other end can be no other
			res.Answer, res.Confidence = Down, Deduced
		}
		res.Marks = append(res.Marks, dead[0].Mark)
		return res
	}
	if res.TwoEnds {
		res.OtherEnd = t.otherEnd(here, a)
	}
	// the link has no network that the address could be outside of: it may be unnumbered
	if len(elsewhere) > 0 && !t.numbered(here, a) {
		o := elsewhere[0]
		switch {
		case !learned || len(elsewhere) > 1:
			if t.beside(here, o) {
				res.Answer, res.Device, res.Interface = Beside, o.Device, o.Interface
				res.Marks = append(res.Marks, o.Mark)
			}
		case o.Down || d.Interface(ifname).State == network.LinkDown:
			res.Answer, res.Device, res.Interface, res.Confidence = MaybeDown, o.Device, o.Interface, Deduced
		default: // who announces a route from there has the address
			res.Answer, res.Device, res.Interface, res.Confidence = Device, o.Device, o.Interface, Deduced
			res.Marks = append(res.Marks, o.Mark)
			if asked {
				res.Answer = Conflict
			}
		}
		return res
	}
	perhaps := slices.DeleteFunc(slices.Clone(elsewhere), func(o Attachment) bool { return !t.mayBeHere(a, net, o) })
	if len(perhaps) > 1 {
		res.Answer = Reused
		return res
	}
	if len(perhaps) == 1 {
		o := perhaps[0]
		res.Answer, res.Device, res.Interface, res.Confidence = Device, o.Device, o.Interface, Deduced
		switch {
		case o.Down:
			res.Answer = MaybeDown
		case asked:
			res.Answer = Conflict
		}
		res.Marks = append(res.Marks, o.Mark)
		return res
	}
	if len(elsewhere) > 0 {
		o := elsewhere[0]
		res.Answer, res.Device, res.Interface = Elsewhere, o.Device, o.Interface
		res.Marks = append(res.Marks, o.Mark)
		switch {
		case t.elsewhereInVRF(here, a, o):
			res.Answer = Reused
		case t.beside(here, o):
			res.Answer = Beside
		}
	}
	return res
}

// virtualMAC begins the link-layer addresses of VRRP and the like (RFC 9542).
const virtualMAC = "00:00:5e:00:"

// answeredFrom reports whether a captured device learned from an answer that an address has a link-layer address.
func (t *Topology) answeredFrom(a netip.Addr, mac string) bool {
	return t.Network.Devices().Any(func(d *network.Device) bool {
		n, ok := d.Neighbour(a, "")
		return ok && !n.Written && n.MAC == mac
	})
}

// mistaken reports whether frames to a link-layer address do not come to the device that has an address: none of its
// interfaces has that one, and the one with the address has another.
func (t *Topology) mistaken(mac string, o Attachment) bool {
	const each = len("00:00:00:00:00:00")
	own := o.Device.Interface(o.Interface).MAC
	if len(own) != each || len(mac) != each || own == mac || strings.HasPrefix(mac, virtualMAC) {
		return false
	}
	return !slices.ContainsFunc(t.macs[mac], func(p port) bool { return p.device == o.number })
}

// bare finds a device on the link of which nobody knows what addresses it has there: its interface came up in a network
// that is only thought of.
func (t *Topology) bare(here port, a netip.Addr) (port, bool) {
	if !a.Is6() {
		return port{}, false
	}
	for _, q := range t.others(here) {
		if t.device(q).Interface(q.ifname).Bare6 {
			return q, true
		}
	}
	return port{}, false
}

// candidates splits the captured owners of a into those on the link and those that are not.
func (t *Topology) candidates(here port, a netip.Addr) (on, off []Attachment) {
	for _, o := range t.Owners(a) {
		p := portOf(o.Device, o.Interface)
		switch {
		case o.number == here.device:
		case t.sameSegment(here, p), o.Down && t.shares(here, o):
			on = append(on, o)
		default:
			off = append(off, o)
		}
	}
	// A link-local address that only one captured device has, on an interface of no other known segment, can only be
	// that one.
	if len(on) == 0 && len(off) == 1 && a.IsLinkLocalUnicast() && len(t.others(here)) == 0 &&
		len(t.others(portOf(off[0].Device, off[0].Interface))) == 0 {
		on, off = off, nil
	}
	return on, off
}

// mayBeHere reports whether an address of which a list shows no network is taken for one of the link whose network it
// lies in: its interface is up or not told, or no table of its device tells what is attached there. A list that has the
// loopback address shows the networks too.
func (t *Topology) mayBeHere(a netip.Addr, net netip.Prefix, o Attachment) bool {
	if !o.Prefix.IsSingleIP() || net.IsSingleIP() || !net.Contains(a) ||
		o.Device.ListsAddressesOf(route.FamilyOf(a), o.Interface) || len(t.others(portOf(o.Device, o.Interface))) > 0 {
		return false
	}
	tab := o.Device.Table(o.Table, route.FamilyOf(a))
	if o.Interface == "" || o.Device.Interface(o.Interface).State == network.LinkUp || tab == nil ||
		tab.Routes().Len() == 0 || tab.MayHide(o.Prefix) {
		return true
	}
	_, hidden := tab.Hides(o.Prefix.Addr(), 0) // a row for the network that it is in
	return hidden
}

// shares reports whether an address that stands on a dead interface belongs to a network of the link.
func (t *Topology) shares(here port, o Attachment) bool {
	if private(o.Prefix.Addr()) {
		return false // every link has that network
	}
	for _, i := range t.byInterface[here] {
		if t.attachments[i].Prefix == o.Prefix {
			return true
		}
	}
	return false
}

// byMAC finds the one captured interface with a link-layer address.
func (t *Topology) byMAC(here port, mac string) (port, bool) {
	found, any := port{}, false
	for _, p := range t.macs[mac] {
		if p.device == here.device {
			continue
		}
		if any {
			return port{}, false
		}
		found, any = p, true
	}
	return found, any
}

// room returns the network that bounds how many devices are on a link: that of the address, or one for two devices of
// the other family, since IPv6 gives even such a link a /64. Link-local addresses have no network of their own.
func (t *Topology) room(p port, a netip.Addr) netip.Prefix {
	net := t.networkOf(p, a)
	small := t.smallest(p)
	if a.IsLinkLocalUnicast() || small.IsValid() && small.Addr().Is4() != a.Is4() && ForTwo(small) {
		return small
	}
	return net
}

// smallest returns the longest network of an interface, whatever the family: it bounds how many devices are there.
func (t *Topology) smallest(p port) netip.Prefix {
	best, room := netip.Prefix{}, 129
	for _, i := range t.byInterface[p] {
		n := t.attachments[i].Prefix
		if r := n.Addr().BitLen() - n.Bits(); !n.IsSingleIP() && !n.Addr().IsLinkLocalUnicast() && r < room {
			best, room = n, r
		}
	}
	return best
}

// standsElsewhere settles which neighbour answers for an address that captured devices have on other interfaces: one of
// them that is on the link by a single one. Where no network of the link has the address, who it is is not known.
func (t *Topology) standsElsewhere(here port, entry network.Neighbour, elsewhere []Attachment, res *OnLink) {
	if len(elsewhere) == 0 {
		return
	}
	var on []port
	for _, p := range t.others(here) {
		if slices.ContainsFunc(elsewhere, func(o Attachment) bool { return o.number == p.device }) &&
			t.mayHave(p, entry.MAC) {
			on = append(on, p)
		}
	}
	switch {
	case len(on) == 1:
		res.Answer, res.Device, res.Interface, res.Confidence = Device, t.device(on[0]), on[0].ifname, Deduced
	case !t.networkOf(here, entry.Address).IsValid():
		o := elsewhere[0]
		res.Answer, res.Device, res.Interface, res.Confidence = Beside, o.Device, o.Interface, NotKnown
		res.Marks = append(res.Marks, o.Mark)
	}
}

// standsDown settles who answers for an address on an interface that is down, of a device that is on the link by another
// one: kernels do for IPv4, and the entry tells that one does.
func (t *Topology) standsDown(here port, entry network.Neighbour, o Attachment, res *OnLink) {
	if !t.beside(here, o) {
		return
	}
	res.Answer, res.Confidence = Beside, NotKnown
	if p, ok := t.byMAC(here, entry.MAC); ok && p.device == o.number && entry.State == network.NeighbourAlive {
		res.Answer, res.Interface, res.Confidence = Device, p.ifname, Neighbour
	}
}

// mayHave reports whether nothing tells that an interface has another link-layer address.
func (t *Topology) mayHave(p port, mac string) bool {
	own := t.device(p).Interface(p.ifname).MAC
	return own == "" || mac == "" || own == mac || strings.HasPrefix(mac, virtualMAC)
}

// beside reports whether a device that has an address on another interface is on the link.
func (t *Topology) beside(here port, o Attachment) bool {
	return slices.ContainsFunc(t.others(here), func(p port) bool { return p.device == o.number })
}

// numbered reports whether an interface attaches to a network of the family of a, which tells what is on its link.
func (t *Topology) numbered(p port, a netip.Addr) bool {
	return slices.ContainsFunc(t.byInterface[p], func(i int) bool {
		n := t.attachments[i].Prefix
		return n.Addr().Is4() == a.Is4() && !n.IsSingleIP() && !n.Addr().IsLinkLocalUnicast()
	})
}

// deduce finds the one captured device that can have a: it attaches to the link, its own address there is not known, no
// list of all of its addresses lacks a, and it does not forward to a itself. On a link for two that is enough. On a
// shared one, where a mistyped next hop looks just the same, something must be known to answer for a (alive), and no
// other unowned next hop may compete for the device.
func (t *Topology) deduce(here port, a netip.Addr, net netip.Prefix, alive bool) (port, bool) {
	var able []port
	for _, q := range t.others(here) {
		if !t.knowsOwn(q, a) && !t.uses(q, a) && !t.listed(q, a) {
			able = append(able, q)
		}
	}
	if len(able) != 1 {
		return port{}, false
	}
	if ForTwo(net) {
		return able[0], true
	}
	if !alive {
		return port{}, false
	}
	for _, q := range append(t.others(here), here) {
		for _, h := range t.hopsUsed[q] {
			if h != a && h.Is4() == a.Is4() && h.IsLinkLocalUnicast() == a.IsLinkLocalUnicast() &&
				len(t.Owners(h)) == 0 &&
				q != able[0] {
				return port{}, false
			}
		}
	}
	// Every other address that answers there without a captured owner could be the device's as well.
	for _, n := range t.device(here).Neighbours().All() {
		if n.State == network.NeighbourAlive && n.Interface == here.ifname && n.Address != a &&
			n.Address.Is4() == a.Is4() &&
			n.Address.IsLinkLocalUnicast() == a.IsLinkLocalUnicast() &&
			len(t.Owners(n.Address)) == 0 {
			return port{}, false
		}
	}
	return able[0], true
}

// DeducedOwner finds the device that must have a on a link with room for two: the one attached device that neither has
// another address there nor forwards to a itself.
func (t *Topology) DeducedOwner(a netip.Addr) (Attachment, bool) {
	if len(t.owners[a]) > 0 {
		return Attachment{}, false
	}
	here, ok := t.longest(a)
	if !ok {
		return Attachment{}, false
	}
	if first := t.attachments[here[0]]; !ForTwo(t.room(port{first.number, first.Interface}, a)) {
		return Attachment{}, false
	}
	var ends []Attachment // one for each interface
	for _, at := range t.Attached(a) {
		if !slices.ContainsFunc(
			ends,
			func(e Attachment) bool { return e.number == at.number && e.Interface == at.Interface },
		) {
			ends = append(ends, at)
		}
	}
	if len(ends) > 2 {
		return Attachment{}, false
	}
	var able []Attachment
	for _, at := range ends {
		p := port{at.number, at.Interface}
		if !t.knowsOwn(p, a) && !t.uses(p, a) && (len(ends) > 1 || t.usesOther(p, a)) {
			able = append(able, at)
		}
	}
	if len(able) != 1 {
		return Attachment{}, false
	}
	return able[0], true
}

// usesOther reports whether the device forwards to another address than a in the link's network.
func (t *Topology) usesOther(p port, a netip.Addr) bool {
	net := t.networkOf(p, a)
	return slices.ContainsFunc(t.hopsUsed[p], func(h netip.Addr) bool { return h != a && net.Contains(h) })
}

// dead returns the interfaces of other devices that belong to the link by an address of one family, are down, and show
// none of a's family: an IPv6 address vanishes when its interface goes down.
func (t *Topology) dead(here port, a netip.Addr) []Attachment {
	var out []Attachment
	for _, i := range t.down {
		at := t.at(i)
		if at.number != here.device && t.shares(here, at) && !t.knowsOwn(port{at.number, at.Interface}, a) {
			out = append(out, at)
		}
	}
	return out
}

// listed reports whether a list has all addresses of an interface in the family of a. One that has an IPv6 address but
// none of the link lacks lines: every interface has such a one (RFC 4291, section 2.1).
func (t *Topology) listed(p port, a netip.Addr) bool {
	six := func(i int) bool { return t.attachments[i].Address.Is6() }
	if a.IsLinkLocalUnicast() && a.Is6() && slices.ContainsFunc(t.byInterface[p], six) && !t.knowsOwn(p, a) {
		return false
	}
	return t.device(p).ListsAddressesOf(route.FamilyOf(a), p.ifname)
}

// otherEnd returns the one other device on a link of two ends, up or down, where it has another address than a there,
// or a list of all of its addresses lacks a.
func (t *Topology) otherEnd(here port, a netip.Addr) *network.Device {
	others := t.others(here)
	for _, i := range t.down {
		if at := t.attachments[i]; at.number != here.device && t.shares(here, at) {
			others = append(others, port{at.number, at.Interface})
		}
	}
	for _, o := range others {
		if o.device != others[0].device || !t.knowsOwn(o, a) && !t.listed(o, a) {
			return nil
		}
	}
	if len(others) == 0 {
		return nil
	}
	return t.device(others[0])
}

// FarEndOf finds the captured device to which one that uses an address as a next hop, or that is at the other end of
// its link with room for two, is deduced to hand what is for it: of the address itself no capture tells.
func (t *Topology) FarEndOf(a netip.Addr) (Attachment, bool) {
	for _, at := range t.Attached(a) {
		if !t.farFrom(&at, a) {
			continue
		}
		l := t.Find(at.Device, at.Interface, a, false)
		if l.Answer != Device || l.Proxy {
			return Attachment{}, false
		}
		return Attachment{Device: l.Device, Interface: l.Interface, number: l.Device.Number()}, true
	}
	return Attachment{}, false
}

// farFrom reports whether an address is at the other end of an attached device's link, or a next hop there.
func (t *Topology) farFrom(at *Attachment, a netip.Addr) bool {
	return ForTwo(at.Prefix) || t.uses(portOf(at.Device, at.Interface), a)
}

// FarEnd reports whether an address is that of a router that no capture shows: captured devices use it as a next hop,
// or it is the other end of a link with room for two. By which way it sends is its own affair.
func (t *Topology) FarEnd(a netip.Addr) bool {
	if len(t.Owners(a)) > 0 {
		return false
	}
	if _, ok := t.DeducedOwner(a); ok {
		return false
	}
	if _, ok := t.FarEndOf(a); ok {
		return false
	}
	return slices.ContainsFunc(t.Attached(a), func(at Attachment) bool { return t.farFrom(&at, a) })
}
