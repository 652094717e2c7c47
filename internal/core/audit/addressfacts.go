package audit

import (
	"encoding/binary"
	"net/netip"
	"slices"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// addressFacts is what lies at addresses whatever the tables say: attached networks, devices' own addresses, and
// every single address of which something is known. It is cut where any of that, or a rule that names addresses,
// begins or ends.
type addressFacts struct {
	cuts      []number // sorted; each begins a region
	irregular map[number][]*network.Device
	policy    []number // sorted cuts of rules that look at sources
	beside    []number // all of these but those of standIns alone, sorted; nil where there are none
	regions   []region // of each cut
}

// region is what lies between two cuts.
type region struct {
	net       netip.Prefix      // the longest attached network, or the address itself
	owner     *network.Device   // that has the one address
	homes     []*network.Device // where packets to it belong
	start     int               // the start set of packets from there; -1: nobody can be there
	exact     bool              // several devices have the address
	irregular []*network.Device // to which the address is something of its own
	// the cause that is the interface without carrier on which the network is, and nowhere else; -1: none
	down int32
}

// regionAt returns the index of the region that holds n: the last cut that is not behind it.
func (g *addressFacts) regionAt(n number) int {
	i, found := slices.BinarySearchFunc(g.cuts, n, number.compare)
	if found {
		return i
	}
	return i - 1
}

// at returns what lies at a number.
func (g *addressFacts) at(n number) *region { return &g.regions[g.regionAt(n)] }

// policyAt numbers the part of the space between two cuts of rules that n lies in.
func (g *addressFacts) policyAt(n number) int {
	i, found := slices.BinarySearchFunc(g.policy, n, number.compare)
	if found {
		return i + 1
	}
	return i
}

// newGround collects the cuts of one family.
func (a *auditor) newGround() {
	g := &addressFacts{irregular: map[number][]*network.Device{}}
	topo := a.walker.Topology()
	cut := func(p netip.Prefix) {
		if p.IsValid() && route.FamilyOf(p.Addr()) == a.fam && a.sweeps(spanOf(p)) {
			s := spanOf(p)
			g.cuts = append(g.cuts, s.first, s.last.next())
		}
	}
	single := func(x netip.Addr, d *network.Device) {
		if route.FamilyOf(x) != a.fam {
			return
		}
		n := numberOf(x)
		if !a.sweeps(span{n, n}) {
			return
		}
		if d != nil && !slices.Contains(g.irregular[n], d) {
			g.irregular[n] = append(g.irregular[n], d)
		}
		g.cuts = append(g.cuts, n, n.next())
	}
	for _, at := range topo.Attachments() {
		p := at.Prefix
		cut(p)
		if at.Address.IsValid() {
			single(at.Address, at.Device)
		}
		if !p.IsValid() || route.FamilyOf(p.Addr()) != a.fam || !a.sweeps(spanOf(p)) {
			continue
		}
		if s := spanOf(p); p.Addr().
			BitLen()-
			p.Bits() <= 2 { // who is at the other end of a link for two is deduced by the address
			for n := s.first; ; n = n.next() {
				x := n.addr(a.fam)
				single(x, nil)
				if o, ok := topo.DeducedOwner(x); ok {
					single(x, o.Device)
				}
				if n == s.last {
					break
				}
			}
		} else if a.fam == route.IPv4 { // its own and its broadcast address are no hosts
			g.cuts = append(g.cuts, s.first.next(), s.last)
		}
	}
	for d, hop := range topo.HopsUsed() {
		single(hop.WithZone(""), d)
	}
	for _, d := range a.devices {
		for _, n := range d.Neighbours().All() {
			single(n.Address.WithZone(""), d)
		}
		for _, o := range d.Addresses().All() {
			single(o.Prefix.Addr(), d)
		}
		for _, t := range d.Tables().All() {
			if t.CutAt.IsValid() {
				cut(t.CutAt)
			}
			for u := range t.UnreadRows() {
				cut(u.Prefix)
				for n := u.Prefix.Bits(); u.Host.IsValid() && n <= u.Host.BitLen(); n++ {
					cut(netip.PrefixFrom(u.Host, n).Masked())
				}
			}
			if t.Classful && t.Family == a.fam {
				for i := range t.Routes().Len() {
					cut(network.ClassOf(t.Routes().Prefix(i).Addr()))
				}
			}
		}
		for _, v := range d.Virtuals().All() {
			single(v.Address, d)
		}
		for _, t := range d.Tunnels().All() {
			single(t.Local, d)
			single(t.Remote, d)
		}
		for _, r := range d.Rules().All() {
			cut(r.To)
		}
		a.policyCuts(g, d)
	}
	a.standInCuts(g)
	for _, h := range a.walker.Topology().Network.Hosts().All() {
		single(h.Address, nil)
	}
	g.cuts = append(g.cuts, number{})
	g.cuts = append(g.cuts, g.policy...)
	slices.SortFunc(g.cuts, number.compare)
	g.cuts = slices.Compact(g.cuts)
	slices.SortFunc(g.policy, number.compare)
	g.policy = slices.Compact(g.policy)
	a.addressFacts = g
	for _, n := range g.cuts {
		g.regions = append(g.regions, a.look(n))
	}
	a.markUnread()
}

// markUnread lets devices be asked anew where a line that was not read may tell of a route: what they do hangs on the
// address there, not on their tables alone.
func (a *auditor) markUnread() {
	g := a.addressFacts
	for _, d := range a.devices {
		for _, t := range familyTables(d, a.fam) {
			for u := range t.UnreadRows() {
				s := spanOf(u.Prefix)
				for i := g.regionAt(s.first); i < len(g.cuts) && !s.last.less(g.cuts[i]); i++ {
					if r := &g.regions[i]; !slices.Contains(r.irregular, d) {
						r.irregular = append(slices.Clip(r.irregular), d)
					}
				}
			}
		}
	}
}

// sweeps reports whether any of the addresses of a span are looked at.
func (a *auditor) sweeps(s span) bool {
	i, found := slices.BinarySearchFunc(a.spaces, s.last, func(x span, at number) int { return x.first.compare(at) })
	return found || i > 0 && !a.spaces[i-1].last.less(s.first)
}

// look finds out what lies at the region that begins at a number.
func (a *auditor) look(at number) region {
	r := region{start: -1, down: -1, irregular: a.addressFacts.irregular[at]}
	x := at.addr(a.fam)
	if !a.sweeps(span{at, at}) {
		return r
	}
	topo := a.walker.Topology()
	if topo.Anycast(x) {
		return r // which of the routers answers does not matter
	}
	net, attached := topo.NetworkOf(x)
	r.net = net
	if !attached {
		r.net, r.down = a.downAt(x)
	}
	if o, ok := a.walker.DeviceOf(x); ok {
		if !r.net.IsValid() {
			r.net = netip.PrefixFrom(x, x.BitLen())
		}
		r.owner, r.homes, r.exact = o.Device, []*network.Device{o.Device}, len(topo.Owners(x)) > 1
		r.start = a.startSet(x)
		return r
	}
	if !attached {
		return r
	}
	if s := spanOf(net); a.fam == route.IPv4 && x.BitLen()-net.Bits() >= 2 && (at == s.first || at == s.last) {
		return r // the network's own address or its broadcast address
	}
	if topo.LinkNetwork(net) && ends(topo.AttachedTo(net)) > 1 {
		return r // both ends are captured: nobody else can be there
	}
	if topo.Virtual(x) {
		return r // whoever of the routers has it answers: it is no end of its own
	}
	for _, at := range topo.AttachedTo(net) {
		r.homes = append(r.homes, at.Device)
	}
	r.start = a.startSet(x)
	for _, h := range topo.Network.Hosts().All() { // its own settings decide too
		r.exact = r.exact || h.Address == x && (h.Gateway.IsValid() || h.Prefix.IsValid())
	}
	return r
}

// downAt finds the longest network that holds an address and is attached by interfaces that are down.
func (a *auditor) downAt(x netip.Addr) (netip.Prefix, int32) {
	best := -1
	all := a.walker.Topology().Attachments()
	for _, i := range a.downs {
		if p := all[i].Prefix; p.Contains(x) && !p.IsSingleIP() && (best < 0 || p.Bits() > all[best].Prefix.Bits()) {
			best = i
		}
	}
	if best < 0 {
		return netip.Prefix{}, -1
	}
	at := all[best]
	k := causeKey{
		device:  at.Device.Name,
		verdict: forward.NextHopLost,
		code:    forward.OwnLinkDown,
		prefix:  at.Prefix,
		ifname:  at.Interface,
	}
	reason := forward.Reason{
		Code:      forward.OwnLinkDown,
		Device:    at.Device.Name,
		Interface: at.Interface,
		Marks:     []route.Mark{at.Mark},
	}
	if i := at.Device.Interface(at.Interface); i.Mark.Known() {
		reason.Marks = append(reason.Marks, i.Mark)
	}
	return at.Prefix, a.reg.cause(at.Device, k, forward.Hop{Device: at.Device.Name}, reason)
}

// ends counts the devices on a network.
func ends(at []topology.Attachment) int {
	seen := map[*network.Device]bool{}
	for _, x := range at {
		seen[x.Device] = true
	}
	return len(seen)
}

// startSet numbers the nodes where packets of one source start.
func (a *auditor) startSet(x netip.Addr) int {
	why, held := a.walker.Unsettled(x)
	s := startSet{held: held, unsettled: -1}
	var text []byte
	for _, lookupPoint := range a.walker.Starts(x) {
		n := a.graph.node(lookupPoint)
		if n < 0 {
			continue
		}
		s.nodes = append(s.nodes, n)
		d := a.graph.device[n]
		// A device with one table and no rules does with its own packets what it does with others': if they come back
		// they loop.
		s.returns = append(s.returns, lookupPoint.Sends() && len(a.graph.byDevice[d]) > 2)
		text = binary.LittleEndian.AppendUint32(text, uint32(n))
	}
	if len(s.nodes) == 0 {
		return -1
	}
	if held != topology.HeldByThese {
		d := a.devices[a.byName[why.Sharers[0]]]
		s.unsettled = a.reg.cause(d, keyOf(d.Name, forward.Unknown, forward.Hop{}, why), forward.Hop{Device: d.Name}, why)
		text = append(binary.LittleEndian.AppendUint32(text, uint32(s.unsettled)), 'u', byte(held))
	}
	i, ok := a.startIndex[string(text)]
	if !ok {
		i = len(a.starts)
		a.startIndex[string(text)] = i
		a.starts = append(a.starts, s)
	}
	return i
}

// policyCuts adds what a device's rules for sources and flows name.
func (a *auditor) policyCuts(g *addressFacts, d *network.Device) {
	cut := func(p netip.Prefix) {
		if p.IsValid() && route.FamilyOf(p.Addr()) == a.fam {
			s := spanOf(p)
			g.policy = append(g.policy, s.first, s.last.next())
		}
	}
	for _, r := range d.Rules().All() {
		cut(r.From)
	}
	if !a.coarse[d] {
		for _, r := range d.Flows().All() {
			cut(r.From)
			cut(r.To)
		}
	}
	for _, t := range d.Translations().All() {
		if _, ok := a.standsIn(&t); ok { // its two addresses: standInCuts
			if t.Destination {
				t.To = netip.Prefix{}
			} else {
				t.From = netip.Prefix{}
			}
			t.Becomes = netip.Addr{}
		}
		cut(t.From)
		cut(t.To)
		if t.Becomes.IsValid() {
			cut(netip.PrefixFrom(t.Becomes, t.Becomes.BitLen()))
		}
	}
}

// standInCuts adds the addresses that standIns alone name, behind all else.
func (a *auditor) standInCuts(g *addressFacts) {
	if len(a.standIns) == 0 {
		return
	}
	g.beside = append(slices.Concat(g.cuts, g.policy), number{})
	slices.SortFunc(g.beside, number.compare)
	g.beside = slices.Compact(g.beside)
	for x := range a.standIns {
		n := numberOf(x)
		g.policy = append(g.policy, n, n.next())
	}
}
