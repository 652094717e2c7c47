package settle

import (
	"cmp"
	"net/netip"
	"slices"
	"sync"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// vector is BGP between devices of which configurations tell, as a whole, with whom they speak and what they announce
// (RFC 4271). With that what each of them hears can be worked out, and it is believed only of prefixes of which the
// captured tables come out of it.
type vector struct {
	*speakers
	nodes  []speaker // as speakers.list
	before sync.Map  // by prefix: *vectorState, of the captured network; nil where it does not come out
	hops   map[netip.Addr][]netip.Prefix
	at     map[*network.Device]int
	mutual sync.Once // for the exchange of the captured network
	handed *exchange // nil where it cannot be told
	raced  sync.Map  // by prefix: whether it was found to hang on what comes first
	stood  sync.Map  // by stoodKey: how prefixes were in the captured network, as an exchange sees it
}

// speaker is one of the devices.
type speaker struct {
	device   *network.Device
	table    *network.Table
	as       uint32
	peers    []peer
	networks map[netip.Prefix]bool
	takes    map[route.Protocol]bool
	keeps    bool         // of equal paths from outside the one in use stays
	resolves bool         // its table shows how next hops are resolved
	strict   bool         // of another protocol it takes what its table uses by that one
	unruled  bool         // what it exchanges with other autonomous systems needs no rules (RFC 8212)
	several  int          // the most paths from other autonomous systems that a route is seen to use at once
	paths    uint64       // that a route uses at once, as configured; 0: not told
	stated   route.Number // preference of what comes from other autonomous systems
}

// peer is a neighbour that a speaker is told to speak with.
type peer struct {
	addr   netip.Addr
	own    netip.Addr // the speaker's end of the session, where the far end is captured
	as     uint32
	far    int    // the speaker that it is; -1: no captured device is
	back   int    // which of that one's peers is the speaker
	ifname string // of the attached network with the address; "": it lies behind others
	self   bool   // the speaker announces itself as next hop to it
	client bool
	beyond bool // it is of another autonomous system, whichever
	opaque bool // what goes over the session is changed in a way that is not told
	seen   bool // captures show something that came over the session
}

// mostSessions bounds how many ends of sessions are looked at for each prefix.
const mostSessions = 4096

// newVector models the speakers, nil where a configuration does not tell all that counts of one.
func newVector(s *speakers, n *network.Snapshot) *vector {
	if s.proto != route.BGP {
		return nil
	}
	v := &vector{speakers: s, hops: map[netip.Addr][]netip.Prefix{}, at: map[*network.Device]int{}}
	sessions := 0
	for i, k := range s.list {
		d := n.Device(k.device)
		x, ok := speakerOf(d, k.table, s.family)
		if !ok {
			return nil
		}
		v.nodes, v.at[d] = append(v.nodes, x), i
		if sessions += len(x.peers); sessions > mostSessions {
			return nil
		}
	}
	owners := v.owners()
	for i := range v.nodes {
		for k := range v.nodes[i].peers {
			if !v.identify(i, k, owners) {
				return nil
			}
		}
	}
	for i := range v.nodes {
		for k := range v.nodes[i].peers {
			if p := &v.nodes[i].peers[k]; p.far >= 0 && !v.pair(i, p) {
				return nil
			}
		}
	}
	v.listen()
	return v
}

// speakerOf reads the statements of one device; false where they, or its table, do not tell all.
func speakerOf(d *network.Device, table string, fam route.Family) (speaker, bool) {
	x := speaker{device: d, table: d.Table(table, fam), networks: map[netip.Prefix]bool{},
		takes: map[route.Protocol]bool{}}
	if t := x.table; t == nil || table != "default" || t.Undecided || t.Weak || t.Supposed || t.CutAt.IsValid() ||
		d.LacksLines() {
		return x, false
	}
	usual := fam == route.IPv4 // exchanged with who is not told otherwise
	about := map[netip.Addr][]network.BGPStatement{}
	groups := map[string][]network.BGPStatement{}
	var order []netip.Addr
	left := false
	for _, b := range d.BGP().All() {
		if b.Other || b.Local != 0 && x.as != 0 && b.Local != x.as {
			return x, false
		}
		x.unruled, x.strict = x.unruled || b.Unruled, x.strict || b.Strict
		switch {
		case b.Local != 0:
			x.as, x.keeps, x.stated = b.Local, b.Keeps == network.TurnedOn, b.Preference
			x.paths = cmp.Or(x.paths, b.Paths)
		case b.Paths != 0:
			x.paths = b.Paths
		case b.Keeps == network.TurnedOff:
			left = true
		case b.Family != 0 && b.Family != fam:
		case b.Network.IsValid():
			x.networks[b.Network] = true
		case b.Peer.IsValid():
			if about[b.Peer] == nil {
				order = append(order, b.Peer)
			}
			about[b.Peer] = append(about[b.Peer], b)
		case b.Group != "":
			groups[b.Group] = append(groups[b.Group], b)
		case b.Speaks == network.TurnedOff:
			usual = false
		}
	}
	for _, r := range d.Redistributed().All() {
		if r.Protocol != route.BGP || r.Family != 0 && r.Family != fam {
			continue
		}
		if r.Filtered {
			return x, false
		}
		x.takes[r.Source] = true
	}
	for _, a := range order {
		list := about[a]
		for _, b := range list {
			if b.Within != "" {
				list = slices.Concat(groups[b.Within], list)
			}
		}
		p, speaks := x.peerOf(a, list, usual)
		if speaks && p.as == 0 && !p.beyond {
			return x, false // of whom it is no line tells, such as a group that is not there
		}
		if speaks {
			x.peers = append(x.peers, p)
		}
	}
	x.keeps = x.keeps && !left
	return x, x.as != 0
}

// peerOf is what statements say of one neighbour, its group's first; false where no routes are exchanged with it.
func (x *speaker) peerOf(a netip.Addr, list []network.BGPStatement, usual bool) (peer, bool) {
	p, kin, active, off := peer{addr: a, far: -1, back: -1}, network.BGPKin(0), usual, false
	for _, b := range list {
		if b.Remote != 0 {
			p.as = b.Remote
		}
		kin = max(kin, b.Kin)
		switch {
		case b.Speaks == network.TurnedOff && b.Family == 0:
			off = true
		case b.Speaks != 0:
			active = b.Speaks == network.TurnedOn
		}
		p.self, p.client, p.opaque = p.self || b.Self, p.client || b.Client, p.opaque || b.In || b.Out
	}
	if p.as == 0 && kin == network.SameAS {
		p.as = x.as
	}
	p.beyond = kin == network.OtherAS
	return p, active && !off
}

// owners are the speakers that have an address, or will have it once the interface is up.
func (v *vector) owners() map[netip.Addr][]int {
	out := map[netip.Addr][]int{}
	for i := range v.nodes {
		d := v.nodes[i].device
		for _, list := range []network.Items[network.Address]{d.Addresses(), d.Idle()} {
			for _, a := range list.All() {
				if who := out[a.Prefix.Addr()]; !slices.Contains(who, i) {
					out[a.Prefix.Addr()] = append(who, i)
				}
			}
		}
	}
	return out
}

// identify finds which speaker a peer is, and where its address lies; false where several captured devices have it, and
// where it is of the same autonomous system and was not captured: what it tells may come from those that were.
func (v *vector) identify(i, k int, owners map[netip.Addr][]int) bool {
	p := &v.nodes[i].peers[k]
	for _, z := range owners[p.addr] {
		if z == i {
			continue
		}
		if p.far >= 0 {
			return false
		}
		p.far = z
		if p.as == 0 {
			p.as = v.nodes[z].as
		}
	}
	p.ifname = linkTo(v.nodes[i].device, p.addr)
	return p.far >= 0 || p.as != v.nodes[i].as
}

// linkTo is the interface that is attached to the network of an address, "" for none.
func linkTo(d *network.Device, a netip.Addr) string {
	name, bits := "", -1
	for _, list := range []network.Items[network.Address]{d.Addresses(), d.Idle()} {
		for _, x := range list.All() {
			if x.Prefix.Bits() > bits && !x.Prefix.IsSingleIP() && x.Prefix.Masked().Contains(a) && x.Prefix.Addr() != a {
				name, bits = x.Interface, x.Prefix.Bits()
			}
		}
	}
	return name
}

// pair finds the far end of a session; false where it cannot be told which of several it is. A peer that is not told to
// speak back is none.
func (v *vector) pair(i int, p *peer) bool {
	far := &v.nodes[p.far]
	var found []int
	for k := range far.peers {
		q := &far.peers[k]
		if q.far == i && (p.ifname == "" || q.ifname == "" || p.ifname == ownOn(v.nodes[i].device, q.addr)) {
			found = append(found, k)
		}
	}
	if len(found) > 1 {
		return false
	}
	if len(found) == 1 && far.as == p.as && far.peers[found[0]].as == v.nodes[i].as {
		p.back, p.own = found[0], far.peers[found[0]].addr
	}
	return true
}

// ownOn is the interface that has an own address.
func ownOn(d *network.Device, a netip.Addr) string {
	for _, list := range []network.Items[network.Address]{d.Addresses(), d.Idle()} {
		for _, x := range list.All() {
			if x.Prefix.Addr() == a {
				return x.Interface
			}
		}
	}
	return ""
}

// listen notes over which sessions something was heard, and by which next hops each prefix is.
func (v *vector) listen() {
	hops := make([]map[netip.Addr]bool, len(v.nodes))
	for i := range v.nodes {
		hops[i] = map[netip.Addr]bool{}
		t := v.nodes[i].table
		for k := range t.Routes().Len() {
			r := t.Routes().At(k)
			if r.Protocol != route.BGP {
				continue
			}
			heard := heardFrom(r)
			v.nodes[i].resolves = v.nodes[i].resolves ||
				slices.ContainsFunc(r.NextHops, func(h route.NextHop) bool { return h.Resolves })
			if r.Is(route.Installed) && !slices.ContainsFunc(heard, func(h netip.Addr) bool { return !v.outside(i, h) }) {
				v.nodes[i].several = max(v.nodes[i].several, len(heard))
			}
			for _, h := range heard {
				hops[i][h] = true
				if list := v.hops[h]; len(list) == 0 || list[len(list)-1] != r.Prefix {
					v.hops[h] = append(list, r.Prefix)
				}
			}
		}
	}
	for i := range v.nodes {
		if v.nodes[i].paths > 0 {
			v.nodes[i].several = int(v.nodes[i].paths)
		}
		for k := range v.nodes[i].peers {
			p := &v.nodes[i].peers[k]
			if p.back < 0 {
				continue
			}
			over := hops[i][p.addr] || hops[p.far][p.own]
			if !over && p.as == v.nodes[i].as { // next hops of what comes from outside stay as they are within
				for h := range hops[i] {
					over = over || hops[p.far][h] && v.outside(p.far, h)
				}
			}
			if over {
				p.seen, v.nodes[p.far].peers[p.back].seen = true, true
			}
		}
	}
}

// heardFrom are the next hops that a route of BGP was announced with, without what resolves them.
func heardFrom(r route.Route) (out []netip.Addr) {
	for _, h := range r.Announced() {
		if h.Address.IsValid() && !slices.Contains(out, h.Address) {
			out = append(out, h.Address)
		}
	}
	return out
}

// outside reports whether an address is that of a peer of another autonomous system.
func (v *vector) outside(i int, a netip.Addr) bool {
	return slices.ContainsFunc(v.nodes[i].peers, func(p peer) bool { return p.addr == a && p.as != v.nodes[i].as })
}
