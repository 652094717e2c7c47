package forward

import (
	"net/netip"
	"slices"
	"sync"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
	"zarvek/internal/core/topology"
)

// A Walker follows packets through one network. It is safe for concurrent use.
type Walker struct {
	net     *network.Snapshot
	topo    *topology.Topology
	lookups *selection.Lookup // of captured tables, shared with the walkers on overlays
	patched *selection.Lookup // of the tables that an overlay changed
	base    *Walker           // on the snapshot below, where devices attach alike; nil for none
	links   sync.Map          // linkKey: topology.OnLink, of next hops
	// unjudged are devices whose rules are not asked: what meets some may pass or not
	unjudged map[*network.Device]bool
	assume   bool // that filters which cannot be judged permit what they meet
}

type linkKey struct {
	device  *network.Device
	ifname  string
	address netip.Addr
	learned bool
}

// find says who answers for an address on a link. For next hops, which many packets share, it is found once.
func (w *Walker) find(d *network.Device, ifname string, a netip.Addr, learned, final bool) topology.OnLink {
	if final {
		return w.topo.Find(d, ifname, a, learned)
	}
	if w.base != nil && w.base.net.Numbered(d.Number()) == d {
		// Who answers is found in the snapshot below, unless the answer is a device that the overlay changed.
		if l := w.base.find(d, ifname, a, learned, false); w.unchanged(l.Device) && w.unchanged(l.OtherEnd) {
			return l
		}
	}
	k := linkKey{d, ifname, a, learned}
	if l, ok := w.links.Load(k); ok {
		return l.(topology.OnLink)
	}
	l := w.topo.Find(d, ifname, a, learned)
	l.Marks = slices.Clip(l.Marks)
	w.links.Store(k, l)
	return l
}

// Topology returns what the walker walks on.
func (w *Walker) Topology() *topology.Topology { return w.topo }

// NewWalker returns a Walker over a topology.
func NewWalker(t *topology.Topology) *Walker {
	return &Walker{net: t.Network, topo: t, lookups: new(selection.Lookup), patched: new(selection.Lookup)}
}

// On returns a walker on an overlay of w's snapshot.
func (w *Walker) On(n *network.Snapshot) *Walker {
	out := &Walker{net: n, topo: w.topo.On(n), lookups: w.lookups, patched: new(selection.Lookup), unjudged: w.unjudged,
		assume: w.assume}
	if out.topo.AttachesLike(w.topo) {
		out.base = w
	}
	return out
}

// Unjudged returns a walker that does not ask the rules of some devices: what meets them is unknown.
func (w *Walker) Unjudged(devices map[*network.Device]bool) *Walker {
	return &Walker{net: w.net, topo: w.topo, lookups: w.lookups, patched: w.patched, base: w.base, assume: w.assume,
		unjudged: devices}
}

// Assuming returns a walker that walks on where rules cannot be judged, as if they permitted the packet. Hop.Assumed
// tells which.
func (w *Walker) Assuming() *Walker {
	return &Walker{net: w.net, topo: w.topo, lookups: w.lookups, patched: w.patched, unjudged: w.unjudged, assume: true}
}

func (w *Walker) unchanged(d *network.Device) bool {
	return d == nil || w.net.Numbered(d.Number()) == d
}

// packet is what a decision may depend on.
// It is not changed once it is on its way; what a device changes is another packet.
type packet struct {
	src, dst netip.Addr
	flow     network.Flow
	sender   *network.Device // that started it, nil where a host did
	done     []translated    // on the way so far
	undo     []translated    // of the packet that this one answers
	reply    bool
	state    map[*network.Device]bool // stateful devices that saw the packet that this one answers
	// as it came into the device that changed its destination; nil: as it is
	came  *packet
	depth int // of tunnels in tunnels
	// that must have dst, though no capture shows it; found once for a walk
	end  *network.Device
	home string                               // the table of that device in which the address is
	find func(*network.Table) selection.Match // of one destination for any source; nil for a packet on its way
}

// place is where a packet is.
type position struct {
	device  *network.Device
	table   string // in which the packet is looked up: that of the ingress interface, or of the address it starts from
	ingress string // "" where the packet starts here
	origin  bool   // the device itself sends it
	owned   bool   // the device was found, or deduced, to have the destination's address
}

// step is one way on: either an ending or the next place.
type step struct {
	hop      Hop
	share    float64
	verdict  Verdict
	delivery Delivery
	reason   Reason
	next     position
	pkt      *packet // as it goes on or ends
	dropped  bool    // by a source check
}

// decide appends to room what the device does with the packet: at least one step.
func (w *Walker) decide(pkt *packet, at position, room []step) []step {
	d, fam := at.device, route.FamilyOf(pkt.dst)
	hop := Hop{Device: d.Name, Table: at.table, InInterface: at.ingress}
	if t := d.Table(at.table, fam); t != nil {
		hop.Weak = t.Weak
	}
	if m := d.Blended(); m.Known() && !w.assume {
		hop.Evidence = []route.Mark{m}
		return append(room, step{hop: hop, share: 1, verdict: Unknown, pkt: pkt,
			reason: Reason{Code: CapturesBlended, Marks: hop.Evidence}})
	}
	if pkt.find == nil {
		var end *step
		if pkt, end = w.arrive(pkt, at, &hop); end != nil {
			return append(room, *end)
		}
	}
	at.owned = at.owned && !hop.NewDestination.IsValid()
	own := w.own(d, at.table, pkt.dst)
	if hop.NewDestination.IsValid() {
		pkt = w.withEnd(pkt)
	}
	if len(own) > 0 || at.owned || pkt.end == d && pkt.home == at.table {
		if r, ok := w.ruledBefore(pkt, at); ok {
			return append(room, step{hop: hop, share: 1, verdict: Unknown, pkt: pkt,
				reason: Reason{Code: RuleBeforeOwn, Marks: []route.Mark{r.Mark}}})
		}
		s := w.deliver(pkt, hop, at, own)
		s.pkt = pkt
		if drop, ok := w.sourceCheck(pkt, at, s.hop, ""); ok {
			s = drop
		}
		return append(room, w.filterSelf(pkt, at, s))
	}
	if s, ok := d.ForwardsFrom(fam, at.ingress); ok && !s.On && !at.origin {
		hop.Evidence = []route.Mark{s.Mark}
		end := step{hop: hop, share: 1, verdict: NotForwarding,
			reason: Reason{Code: SwitchOff, Interface: s.Interface, Marks: hop.Evidence}}
		if w.mayBeOwn(pkt, at) {
			end.verdict, end.reason.Code, end.reason.Address = Unknown, MaybeOwn, pkt.dst
		}
		return append(room, end)
	}
	m, why := w.route(pkt, at, &hop)
	if m.Table != nil {
		hop.Table = m.Table.Name
	}
	if why.Code != Nothing {
		if m.Found() {
			hop.Prefix, hop.Route = m.Prefix, m.Routes[0]
			hop.Evidence = m.Evidence(0)
		} else {
			hop.Evidence = why.Marks
		}
		if why.Code == NoCoveringRoute {
			why.Behind = w.behind(d, pkt.dst)
		}
		return append(room, step{hop: hop, share: 1, verdict: verdictOf(why), reason: why})
	}
	all := w.follow(pkt, at, hop, m, room)
	steps := all[len(room):]
	if m.Routes[0].Special == route.None || m.Routes[0].Special == route.Receive {
		if drop, all := w.checkEach(pkt, at, steps); all {
			return append(room, drop)
		}
	}
	for i := range steps {
		s := &steps[i]
		if s.dropped {
			continue
		}
		if s.verdict == Leaves && s.hop.Prefix.Bits() == 0 {
			s.reason.Behind = w.behind(d, pkt.dst)
		}
		s.pkt = pkt
		w.otherRouter(pkt, at, m, s)
		if d.Tunnels().Len() > 0 {
			*s = w.tunnel(pkt, at, *s)
		}
		if pkt.find == nil && (d.Flows().Len()+d.Translations().Len()+len(pkt.undo) > 0 || d.Stateful().Known()) {
			*s = w.leave(pkt, at, *s)
		}
	}
	return all
}

// mayBeOwn reports whether the destination may be an address of the device's own that no capture shows.
func (w *Walker) mayBeOwn(pkt *packet, at position) bool {
	if at.device.ListsAddresses(route.FamilyOf(pkt.dst)) || len(w.topo.Owners(pkt.dst)) > 0 {
		return false
	}
	t := at.device.Table(at.table, route.FamilyOf(pkt.dst))
	if t == nil {
		return true
	}
	m := w.longest(pkt, t)
	return m.Found() && m.Routes[0].Protocol == route.Direct &&
		!at.device.Addresses().Any(func(a network.Address) bool { return m.Prefix.Contains(a.Prefix.Addr()) })
}

// withEnd notes who must have the packet's destination.
func (w *Walker) withEnd(pkt *packet) *packet {
	deduced, _ := w.topo.DeducedOwner(pkt.dst)
	p := *pkt
	if p.end = deduced.Device; p.end != nil {
		p.home = w.topo.TableOf(p.end, deduced.Interface)
	}
	return &p
}

// behind names another captured device that has an address or is attached to its network, "" where none does.
func (w *Walker) behind(d *network.Device, a netip.Addr) string {
	for _, o := range append(w.topo.Owners(a), w.topo.Attached(a)...) {
		if o.Device != d {
			return o.Device.Name
		}
	}
	return ""
}

// own returns the device's own addresses equal to a that belong to a table, and the virtual one that it has.
func (w *Walker) own(d *network.Device, table string, a netip.Addr) []network.Address {
	var out []network.Address
	for _, o := range d.Own(a) {
		if w.inTable(d, table, o) {
			out = append(out, o)
		}
	}
	for _, v := range d.VirtualsOf(a).All() {
		if v.Holding == network.Holds && w.topo.TableOf(d, v.Interface) == table &&
			d.Interface(v.Interface).State != network.LinkDown {
			out = append(out, network.Address{Prefix: netip.PrefixFrom(a, a.BitLen()), Interface: v.Interface, Mark: v.Mark})
		}
	}
	return out
}

// inTable reports whether an own address belongs to a table.
func (w *Walker) inTable(d *network.Device, table string, a network.Address) bool {
	return a.Table == table || a.Interface == "" && a.Table == "" ||
		a.Interface != "" && w.topo.TableOf(d, a.Interface) == table
}

// enter is where a packet is that comes in by an interface.
func (w *Walker) enter(d *network.Device, ifname string) position {
	at := position{device: d, ingress: ifname, table: w.topo.TableOf(d, ifname)}
	if at.table == "default" && w.topo.InVRF(d, ifname) {
		at.table = topology.UntoldTable
	}
	return at
}

// origin is where a packet is that the device sends from an address on an interface.
func (w *Walker) origin(d *network.Device, ifname string) position {
	return position{device: d, origin: true, table: w.topo.TableOf(d, ifname)}
}

// deliver ends the walk at a device that has the destination, with the line that says so.
func (w *Walker) deliver(pkt *packet, hop Hop, at position, own []network.Address) step {
	dst := pkt.dst
	hop.Prefix = netip.PrefixFrom(dst, dst.BitLen())
	hop.Route = route.Route{
		Prefix:     hop.Prefix,
		Attributes: &route.Attributes{Protocol: route.Local, Special: route.Receive},
	}
	hop.Owner = topology.Deduced
	if len(own) > 0 {
		hop.Owner = topology.Known
		hop.OutInterface = own[0].Interface
		hop.Route.Mark = own[0].Mark
		hop.Evidence = []route.Mark{own[0].Mark}
	}
	if t := at.device.Table(at.table, route.FamilyOf(dst)); t != nil {
		if m := w.longest(pkt, t); m.Found() && m.Routes[0].Special == route.Receive {
			hop.Prefix, hop.Route, hop.Evidence = m.Prefix, m.Routes[0], t.Evidence(m.Index[0])
		}
	}
	return step{
		hop:      hop,
		share:    1,
		verdict:  Arrives,
		delivery: ToDevice,
		reason:   Reason{Code: OwnAddress, Marks: hop.Evidence},
	}
}

// longest is what a table does with the packet's destination.
func (w *Walker) longest(pkt *packet, t *network.Table) selection.Match {
	if pkt.find != nil {
		return pkt.find(t)
	}
	return w.ask(t, pkt.dst)
}

func (w *Walker) ask(t *network.Table, a netip.Addr) selection.Match {
	if t.Captured() != t {
		return w.patched.Longest(t, a)
	}
	return w.lookups.Longest(t, a)
}

// follow appends the steps for a match: its special action, or each resolved next hop.
func (w *Walker) follow(pkt *packet, at position, hop Hop, m selection.Match, steps []step) []step {
	equal := 1.0 / float64(len(m.Routes))
	for i, r := range m.Routes {
		h := hop
		h.Prefix, h.Route, h.Evidence = m.Prefix, r, m.Evidence(i)
		if r.Special != route.None {
			v, del, reason := special(r)
			steps = append(steps, step{hop: h, share: equal, verdict: v, delivery: del, reason: reason})
			continue
		}
		if len(hop.Evidence) > 0 { // what the device did to the packet before
			h.Evidence = append(slices.Clip(h.Evidence), hop.Evidence...)
		}
		for _, res := range m.Resolve(i) {
			share := equal * res.Share
			if res.Failure == selection.InOtherTable && r.Protocol != route.BGP {
				if t := at.device.Table(res.NextHop.Table, route.FamilyOf(pkt.dst)); t != nil &&
					res.NextHop.Address.IsValid() && !t.InPart() {
					if exits, ok := selection.ThroughOther(t, res.NextHop); ok {
						res.Exits, res.Failure = exits, selection.Resolved
					}
				}
			}
			if res.Failure != selection.Resolved {
				h.NextHop = res.NextHop.Address
				v := NextHopLost
				marks := h.Evidence
				switch res.Failure {
				case selection.Contradicted, selection.TooLong, selection.InOtherTable:
					v = Unknown
				case selection.Untold:
					v = Unknown
					if res.Mark.Known() {
						marks = append([]route.Mark{res.Mark}, marks...)
					}
				}
				steps = append(steps, step{hop: h, share: share, verdict: v,
					reason: Reason{Code: Unresolved, Failure: res.Failure, Address: res.At, Marks: marks}})
				continue
			}
			for _, e := range res.Exits {
				steps = append(steps, step{hop: h, share: share / float64(len(res.Exits))})
				w.exit(pkt, at, &steps[len(steps)-1], r, e)
			}
		}
	}
	return steps
}

// special is what becomes of a packet whose route has no next hop.
func special(r route.Route) (Verdict, Delivery, Reason) {
	reason := Reason{Special: r.Special, Marks: []route.Mark{r.Mark}}
	switch r.Special {
	case route.Blackhole:
		reason.Code = Blackholed
		return Discarded, NotDelivered, reason
	case route.Unreachable, route.Prohibit:
		reason.Code = Rejected
		return Refused, NotDelivered, reason
	case route.Receive:
		reason.Code = OwnAddress
		return Arrives, ToDevice, reason
	}
	reason.Code = BroadcastAddress
	return Unknown, NotDelivered, reason
}

// exit says what becomes of the packet on the link.
func (w *Walker) exit(pkt *packet, at position, s *step, r route.Route, e selection.Exit) {
	h := &s.hop
	h.NextHop, h.OutInterface, h.Via = e.Address, e.Interface, e.Via
	target, final := e.Address, false
	if !target.IsValid() || target == pkt.dst {
		target, final = pkt.dst, true
	}
	if e.Encapsulated || len(e.Via) > 0 && at.device.Interface(e.Interface).Labels {
		s.verdict, s.reason = Unknown, Reason{Code: Encapsulated, Address: target, Interface: e.Interface,
			Marks: h.Evidence}
		return
	}
	link := w.find(at.device, e.Interface, target, e.Dynamic, final)
	h.Owner = link.Confidence
	s.reason = Reason{
		Address:   target,
		Interface: e.Interface,
		TwoEnds:   link.TwoEnds,
		Learned:   e.Dynamic,
		Marks:     link.Marks,
	}
	if i := at.device.Interface(e.Interface); e.Down || i.State == network.LinkDown {
		s.verdict, s.reason.Code, s.reason.Device = NextHopLost, OwnLinkDown, at.device.Name
		if i.Mark.Known() {
			s.reason.Marks = []route.Mark{i.Mark}
		}
		return
	}
	if link.Device != nil {
		s.reason.Device = link.Device.Name
	}
	for _, d := range []*network.Device{link.Device, link.OtherEnd} {
		if d != nil && d.Blended().Known() && link.Answer != topology.Device {
			s.verdict, s.reason.Code, s.reason.Device = Unknown, CapturesBlended, d.Name
			s.reason.Marks = []route.Mark{d.Blended()}
			return
		}
	}
	if link.Answer == topology.Device && e.Address.Is6() && at.device.Lacks6(e.Interface) {
		s.verdict, s.reason.Code, s.reason.Device = Unknown, NoIPv6There, at.device.Name
		return
	}
	switch link.Answer {
	case topology.Device:
		s.next = w.enter(link.Device, link.Interface)
		s.next.owned = final && !link.Proxy
	case topology.Down:
		s.verdict, s.reason.Code, s.reason.Interface = NextHopLost, OwnerDown, link.Interface
		s.reason.Liveness = LivenessOf(at.device, link.Device, target)
		s.reason.Marks = append(s.reason.Marks, s.reason.Liveness.Marks...)
	case topology.Nobody:
		s.verdict, s.reason.Code = NextHopLost, NobodyAnswers
		s.reason.Liveness = LivenessOf(at.device, link.Device, target)
		s.reason.Marks = append(s.reason.Marks, s.reason.Liveness.Marks...)
	case topology.Elsewhere:
		s.verdict, s.reason.Code, s.reason.Interface = NextHopLost, OwnerElsewhere, link.Interface
	case topology.Beside:
		s.verdict, s.reason.Code, s.reason.Interface = Unknown, OwnerBeside, link.Interface
	case topology.MaybeDown:
		s.verdict, s.reason.Code, s.reason.Interface = Unknown, OwnerMaybeDown, link.Interface
	case topology.Several:
		s.verdict, s.reason.Code = Unknown, SeveralOwners
	case topology.Reused:
		s.verdict, s.reason.Code = Unknown, AddressReused
	case topology.Translated:
		s.verdict, s.reason.Code = Unknown, AddressTranslated
	case topology.Shared:
		s.verdict, s.reason.Code = Unknown, SharedAddress
		for _, d := range link.Sharers {
			s.reason.Sharers = append(s.reason.Sharers, d.Name)
		}
	case topology.Otherwise:
		s.verdict, s.reason.Code = Unknown, OwnerOtherwise
	case topology.Written:
		s.verdict, s.reason.Code = Unknown, OwnerWritten
	case topology.Unasked:
		s.verdict, s.reason.Code, s.reason.Interface = Unknown, OwnerUnasked, link.Interface
		s.reason.Marks = append(s.reason.Marks, link.Device.Interface(link.Interface).Mark)
	case topology.Conflict:
		s.verdict, s.reason.Code = Unknown, OwnerSilent
	case topology.Host:
		s.verdict, s.delivery, s.reason.Code = Leaves, NotDelivered, LeftCase
		if final {
			s.verdict, s.delivery, s.reason.Code = Arrives, ToNeighbour, HostSeen
		}
	default:
		if link.OtherEnd != nil {
			s.verdict, s.reason.Code, s.reason.Device = NextHopLost, NobodyHasIt, link.OtherEnd.Name
			break
		}
		s.silent(r, e, final, link.TwoEnds)
	}
}

// silent decides where no capture tells who has the address. A direct route promises its network, not the host in
// it. A next hop is believed to exist where it announced the route itself or where the link has one far end only.
func (s *step) silent(r route.Route, e selection.Exit, final, twoEnds bool) {
	direct := r.Protocol == route.Direct
	if n := len(e.Via); n > 0 {
		direct = e.Via[n-1].Protocol == route.Direct && e.Address == s.reason.Address
	}
	switch {
	case final && direct:
		s.verdict, s.delivery, s.reason.Code = Arrives, ToAttachedNetwork, NetworkAttached
	case final && !e.Address.IsValid():
		s.verdict, s.reason.Code = Unknown, InterfaceOnly
	case !final && (e.Dynamic || twoEnds):
		s.verdict, s.reason.Code = Leaves, LeftCase
	default:
		s.verdict, s.reason.Code = Unknown, OwnerNotKnown
	}
}

func verdictOf(r Reason) Verdict {
	switch r.Code {
	case NoCoveringRoute:
		return NoRoute
	case Blackholed:
		return Discarded
	case Rejected:
		return Refused
	}
	return Unknown
}
