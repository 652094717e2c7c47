package audit

import (
	"hash/maphash"
	"net/netip"
	"slices"
	"strings"

	"go4.org/netipx"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
)

// A Reach is what becomes of the packets of one family between all ends of a network, the ways they take included. It
// covers every address: what no captured network has is cut into ends that send nothing. It is what two snapshots are
// compared by.
type Reach struct {
	a     *auditor
	above *Basis // whose numbers it goes on from; nil for none
}

// A ReachEnd is the addresses of one network, or of none, to and from which packets fare alike.
type ReachEnd struct {
	Ranges []netipx.IPRange // in order
	Net    netip.Prefix     // the attached network; invalid where none is known
	Nobody bool             // no host or device can have the addresses, such as a network's own one
	Owner  string           // the captured device that has the address, "" for hosts
	Sends  bool             // packets from there have a known start
	Silent bool             // nobody answers for the address, as a neighbour entry says
	Down   bool             // the network is attached by interfaces without carrier alone
}

// A Fate is what becomes of the packets of a pair.
type Fate struct {
	Both    forward.Both
	Forward forward.Verdict // of the packets, whatever becomes of the replies
	// OneDirection: nobody is known at the destination, so that only the packets' own way counts.
	OneDirection bool
	Reply        bool            // the reply decides
	Ending       forward.Verdict // of the direction that decides
	Device       string          // at which that ends
	Out, Back    uint64          // the ways; equal numbers are equal ways
	Down         bool            // one of the networks is attached by interfaces without carrier alone
	Followed     bool            // by a packet, since devices on the way look at more than the destination
}

// beyondKey tells ranges apart in which nobody can be.
type beyondKey struct {
	class  int32
	policy int
	net    netip.Prefix // the network of which it is no host's address; invalid: none
}

// NewReach sweeps one family of a network.
func NewReach(w *forward.Walker, fam route.Family, progress func(int)) *Reach {
	a := newAuditor(w, fam)
	a.tellWays = true
	a.sweepAll(progress)
	return &Reach{a: a}
}

// NewReachOf is NewReach of destinations in some networks alone, which do not overlap; sources are those in them.
func NewReachOf(w *forward.Walker, fam route.Family, nets []netip.Prefix) *Reach {
	a := reachAuditor(w, fam, nets)
	a.sweepAll(func(int) {})
	return &Reach{a: a}
}

func reachAuditor(w *forward.Walker, fam route.Family, nets []netip.Prefix) *auditor {
	a := newAuditor(w, fam)
	a.tellWays, a.spaces = true, nil
	for _, n := range nets {
		a.spaces = append(a.spaces, spanOf(n))
	}
	slices.SortFunc(a.spaces, func(x, y span) int { return x.first.compare(y.first) })
	return a
}

// addBeyond keeps a range in which nobody can be.
func (w *worker) addBeyond(s span, class int32) {
	k := beyondKey{class: class, net: w.place.net}
	if slices.Contains(w.sensitive, true) {
		k.policy = w.addressFacts.policyAt(s.first)
	}
	if w.beyond == nil {
		w.beyond = map[beyondKey]*spanList{}
	}
	if w.beyond[k] == nil {
		w.beyond[k] = &spanList{}
	}
	w.beyond[k].add(s)
}

// groupBeyond makes groups of the ranges of a worker in which nobody can be.
func (w *worker) groupBeyond() []*group {
	var out []*group
	for k, list := range w.beyond {
		c := &w.found[k.class]
		spans := slices.Concat(list.pieces...)
		g := &group{
			end: end{
				span: spans[0], net: k.net, start: -1, down: -1, policy: k.policy,
				column: c.column, sum: c.sum, at: classAt{w, k.class},
			},
			spans: spans,
			rep:   spans[0].first.addr(w.fam),
		}
		out = append(out, g)
	}
	slices.SortFunc(out, func(x, y *group) int { return x.span.first.compare(y.span.first) })
	return out
}

// Ends returns the ends; a Fate names them by their places in the list.
func (r *Reach) Ends() []ReachEnd {
	out := make([]ReachEnd, len(r.a.groups))
	for i, g := range r.a.groups {
		e := ReachEnd{Net: g.net, Sends: g.start >= 0, Down: g.down >= 0}
		e.Silent = r.a.silent(g)
		e.Nobody = g.net.IsValid() && !e.Sends && !e.Down
		if g.owner != nil {
			e.Owner = g.owner.Name
		}
		for _, s := range g.spans {
			e.Ranges = append(e.Ranges, s.ipRange(r.a.fam))
		}
		out[i] = e
	}
	return out
}

// Fate judges packets from src, in the end of number s, to dst in that of number d, and their replies. Any two
// addresses of the ends have the same fate.
func (r *Reach) Fate(s, d int, src, dst netip.Addr) Fate {
	a := r.a
	from, to := a.groups[s], a.groups[d]
	switch {
	case from.down >= 0 || to.down >= 0 && from.net != to.net && from.start >= 0:
		down := max(from.down, to.down)
		return Fate{Both: forward.Broken, Forward: forward.NextHopLost, Ending: forward.NextHopLost,
			Device: a.reg.causeAt(down).key.device, Down: true}
	case from.start < 0:
		return Fate{Both: forward.BothUnknown, Forward: forward.Unknown, Ending: forward.Unknown}
	case to.start < 0:
		return r.oneDirection(from, to, src, dst)
	case from == to || same(from, to):
		return Fate{Both: forward.TwoWay, Forward: forward.Arrives}
	}
	o, b := a.reg.outcomes.at(to.column[from.start]), a.reg.outcomes.at(from.column[to.start])
	if from.exact || to.exact || o.beyondDestination || o.elsewhere || a.mixed(from, to) ||
		o.verdict == forward.Arrives && (b.beyondDestination || b.elsewhere) {
		return r.Follow(src, dst, false)
	}
	f := Fate{Forward: o.verdict, Out: o.way, Ending: o.verdict, Both: forward.TwoWay}
	cause := o.cause
	switch {
	case o.verdict > forward.Unknown:
		f.Both = forward.Broken
	case o.verdict != forward.Arrives:
		f.Both = forward.BothUnknown
	default:
		f.Back, f.Reply, f.Ending, cause = b.way, b.verdict != forward.Arrives, b.verdict, b.cause
		switch {
		case b.verdict > forward.Unknown:
			f.Both = forward.OneWay
		case b.verdict != forward.Arrives:
			f.Both = forward.BothUnknown
		}
	}
	if cause >= 0 {
		f.Device = a.reg.causeAt(cause).key.device
	}
	return f
}

// oneDirection is Fate where nobody is known at the destination.
func (r *Reach) oneDirection(from, to *group, src, dst netip.Addr) Fate {
	if from.owner == nil && from.net.Contains(dst) { // no router is asked
		return Fate{OneDirection: true, Forward: forward.Arrives, Ending: forward.Arrives}
	}
	o := r.a.reg.outcomes.at(to.column[from.start])
	if from.exact || o.beyondDestination {
		return r.Follow(src, dst, true)
	}
	f := Fate{OneDirection: true, Forward: o.verdict, Ending: o.verdict, Out: o.way}
	if o.verdict > forward.Unknown {
		f.Both = forward.Broken
	}
	if o.cause >= 0 {
		f.Device = r.a.reg.causeAt(o.cause).key.device
	}
	return f
}

// Follow judges a pair by a packet and, unless only the packet's way counts, its reply.
func (r *Reach) Follow(src, dst netip.Addr, oneDirection bool) Fate {
	rt := r.a.walker.Trace(src, dst)
	f := Fate{Both: rt.Followed(), Forward: rt.Forward.Verdict, Out: wayOf(&rt.Forward), Followed: true,
		OneDirection: oneDirection}
	dir := &rt.Forward
	if !oneDirection && rt.Forward.Verdict == forward.Arrives && rt.Return != nil {
		dir, f.Back, f.Reply = rt.Return, wayOf(rt.Return), rt.Return.Verdict != forward.Arrives
	}
	f.Ending = dir.Verdict
	if b, ok := dir.Worst(); ok {
		f.Device = b.Where
		if _, loop := roundOf(b); len(loop) > 0 {
			f.Device = loop[0]
		}
	}
	return f
}

// roundOf parts a branch that loops into the hops before the loop and the loop's devices in the order of their names.
func roundOf(b forward.Branch) (before []forward.Hop, loop []string) {
	if b.Verdict != forward.Loops || len(b.Hops) == 0 {
		return b.Hops, nil
	}
	last := b.Hops[len(b.Hops)-1].Device
	at := slices.IndexFunc(b.Hops, func(h forward.Hop) bool { return h.Device == last })
	for _, h := range b.Hops[at:] {
		loop = append(loop, h.Device)
	}
	slices.Sort(loop)
	return b.Hops[:at], slices.Compact(loop)
}

// waySeed is one for a run: the numbers of ways are compared within it and go nowhere else.
var waySeed = maphash.MakeSeed()

// waySum is a number for what a way has at one place.
func waySum[T comparable, U comparable](what string, x T, y U) uint64 {
	return maphash.Comparable(waySeed, struct {
		what string
		x    T
		y    U
	}{what, x, y})
}

// named is the key without what differs between two captures of the same.
func (k causeKey) named() causeKey {
	k.mark, k.home = route.Mark{}, false
	if k.code == forward.HostSeen { // that a neighbour entry shows the host as well makes no other way
		k.code = forward.NetworkAttached
	}
	return k
}

// wayOf is a number for the ways of followed packets.
func wayOf(d *forward.Direction) uint64 {
	seen := map[uint64]bool{}
	sum := uint64(0)
	for _, b := range d.Branches {
		var last forward.Hop
		if n := len(b.Hops); n > 0 {
			last = b.Hops[n-1]
		}
		hops, loop := roundOf(b)
		one := waySum("branch", b.Where, keyOf(b.Where, b.Verdict, last, b.Reason).named())
		if len(loop) > 0 {
			one = waySum("round", strings.Join(loop, " "), 0)
		}
		for i, h := range hops {
			if b.Delivery == forward.ToDevice && i == len(b.Hops)-1 {
				h.OutInterface = "" // where its address is decides nothing
			}
			one = scramble(one ^ waySum(h.Device, h.Table, h.OutInterface))
		}
		if !seen[one] {
			seen[one] = true
			sum += scramble(one)
		}
	}
	return sum
}
