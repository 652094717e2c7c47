package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// exchange is BGP together with the protocols inside that hand routes to it and take its routes. Which of the two a
// device uses may hang on which came first, since what a device announces itself comes before all that it hears. So
// all states are looked for in which the network may come to rest: what is the same in each of them is known whatever
// came first, and the rest is open.
type exchange struct {
	*view
	run      *run
	inner    []*inner
	of       []place   // of each speaker
	before   *exchange // that of the captured network; nil in that one
	sessions int       // how many ends they have
	effort   int
	// sessions that no capture shows to have carried anything: they may be down
	unsure [][2]int
	// of each speaker: the preferences of what it hears inside and by BGP, where the table shows one
	inside, beyond []route.Number
}

// inner is a protocol inside whose metrics add up, as it is in a network.
type inner struct {
	in      *instance
	dead    []bool
	part    []int // of each node: which piece of the network it is in; -1: its device is gone
	lasting []int // likewise by adjacencies that were there before and still are
	speaker []int // of each node; -1: it speaks no BGP
}

// place is where a speaker stands in a protocol inside. The zero place is in none.
type place struct {
	inner *inner
	node  int
}

// newExchange is nil where captures do not tell all that counts: who speaks with whom, that nobody else does, the area
// of everybody inside, and what is handed over.
func newExchange(r *run, v *view) *exchange {
	x := &exchange{view: v, run: r, of: make([]place, len(v.nodes))}
	for i := range v.nodes {
		n := &v.nodes[i]
		x.sessions += len(n.peers)
		if !n.strict && n.takesInside() || slices.ContainsFunc(n.peers,
			func(q peer) bool { return q.far < 0 || q.opaque || q.as == n.as }) {
			return nil
		}
	}
	for _, whole := range r.instances {
		if whole.family != v.family {
			continue
		}
		for _, part := range r.partsOf(whole) {
			if !x.take(r, r.grownBy(part)) {
				return nil
			}
		}
	}
	x.unsure = v.unsure()
	x.inside, x.beyond = make([]route.Number, len(v.nodes)), make([]route.Number, len(v.nodes))
	for i := range v.nodes {
		x.beyond[i] = v.preferenceOf(i, false)
		if k := x.of[i].inner; k != nil {
			x.inside[i] = k.in.onePreference(v.nodes[i].table)
		}
	}
	return x
}

// takesInside reports whether a speaker takes routes of a protocol inside. Which ones differs by system: some leave out
// those from outside of that protocol, or take attached networks in.
func (x *speaker) takesInside() bool {
	for p, on := range x.takes {
		if on && adds(p) {
			return true
		}
	}
	return false
}

// take adds a protocol inside that any speaker speaks; false where it does not tell enough.
func (x *exchange) take(r *run, in *instance) bool {
	k := &inner{in: in, dead: make([]bool, len(in.arcs)), speaker: make([]int, len(in.nodes))}
	some := false
	for n := range in.nodes {
		k.speaker[n] = slices.Index(x.list, in.key(n))
		if i := k.speaker[n]; i >= 0 {
			if x.of[i].inner != nil {
				return false
			}
			x.of[i], some = place{k, n}, true
		}
	}
	if !some {
		return true
	}
	if in.byVectors() || !in.known || in.areas || in.hidden || in.blind {
		return false
	}
	for i := range in.arcs {
		a := &in.arcs[i]
		k.dead[i] = r.dead(in, a)
		if a.silent || k.dead[i] {
			continue
		}
		if a.to < 0 || !a.proven || x.speaksOver(k.speaker[a.from], a.ifname) {
			return false
		}
	}
	for n := range in.nodes {
		d := in.nodes[n].device
		filtered := func(o network.Redistribution) bool {
			return o.Protocol == in.protocol && o.Filtered && (o.Family == 0 || o.Family == in.family)
		}
		if !d.Configures(in.protocol) || d.Redistributed().Any(filtered) || in.nodes[n].table.Undecided {
			return false
		}
	}
	before := len(in.arcs)
	if in.grown {
		before = len(in.captured.arcs)
	}
	k.part, k.lasting = k.pieces(r, len(in.arcs)), k.pieces(r, before)
	x.inner = append(x.inner, k)
	return true
}

// speaksOver reports whether a speaker has a session over an interface.
func (x *exchange) speaksOver(i int, ifname string) bool {
	return i >= 0 && slices.ContainsFunc(x.nodes[i].peers, func(q peer) bool { return q.ifname == ifname })
}

// pieces numbers the pieces of the network that the first adjacencies join.
func (k *inner) pieces(r *run, arcs int) []int {
	out := make([]int, len(k.in.nodes))
	for n := range out {
		out[n] = -1
	}
	for first := range out {
		if out[first] >= 0 || r.now.Numbered(k.in.nodes[first].device.Number()) == nil {
			continue
		}
		out[first] = first
		for todo := []int{first}; len(todo) > 0; todo = todo[1:] {
			for _, i := range slices.Concat(k.in.out[todo[0]], k.in.into[todo[0]]) {
				a := &k.in.arcs[i]
				if i >= arcs || k.dead[i] || a.silent {
					continue
				}
				for _, n := range []int{a.from, a.to} {
					if out[n] < 0 {
						out[n], todo = first, append(todo, n)
					}
				}
			}
		}
	}
	return out
}

// unsure are the sessions that should have been up when the network was captured, and that no capture shows to have
// carried anything: rules may keep all back (RFC 8212), or it may be down for a reason that nothing tells.
func (v *view) unsure() (out [][2]int) {
	for i := range v.nodes {
		for k := range v.nodes[i].peers {
			q := &v.nodes[i].peers[k]
			if up, known := v.base.session(i, k); q.back >= 0 && i < q.far && !q.seen && up && known {
				out = append(out, [2]int{i, k})
			}
		}
	}
	return out
}

// suppose takes each of the unsure sessions to be up, or not, by its bit of a number, and is how a prefix was then.
func (x *exchange) suppose(world int, p netip.Prefix) *standing {
	x.view.supposed = map[[2]int]bool{}
	for n, s := range x.unsure {
		q := &x.nodes[s[0]].peers[s[1]]
		up := world&(1<<n) == 0
		x.view.supposed[s], x.view.supposed[[2]int{q.far, q.back}] = up, up
	}
	x.base.supposed = x.view.supposed
	key := stoodKey{p, world}
	known, ok := x.stood.Load(key)
	if !ok {
		base := *x.before // with a view of its own, which is not safe for concurrent use
		base.view = x.vector.viewOf(x.base.now, nil)
		base.view.supposed = x.view.supposed
		known = base.standingOf(p)
		x.stood.Store(key, known)
	}
	return known.(*standing)
}

// stoodKey is a prefix, and which of the unsure sessions are taken to be up.
type stoodKey struct {
	prefix netip.Prefix
	world  int
}
