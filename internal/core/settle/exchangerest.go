package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// mostTrials bounds how many ways to have a prefix are tried, mostUnsure of how many sessions it is tried whether
// they are up.
const (
	mostTrials = 1024
	mostUnsure = 3
	mostEffort = 1 << 22 // ends of sessions that are looked at in all, so that large networks are left open in time
)

// settle is what speakers use of a prefix in every state in which the network may come to rest; those that differ are
// open. Nil where captures do not tell enough, or the captured tables are no such state.
func (x *exchange) settle(p netip.Prefix) (*standing, *vectorState) {
	now := x.rolesOf(p)
	if now == nil || len(x.unsure) > mostUnsure {
		return nil, nil
	}
	all := &common{}
	var first *standing
	for world := range 1 << len(x.unsure) {
		was := x.suppose(world, p)
		if was == nil || !x.tryAll(now, was, all) {
			return nil, nil
		}
		if first == nil {
			first = was
		}
	}
	if all.differ {
		x.raced.Store(p, true)
	}
	return first, all.state
}

// racedAmong reports whether any move cannot be told because it hangs on which routes come first.
func (v *vector) racedAmong(moves []Move) bool {
	return v != nil && slices.ContainsFunc(moves, func(m Move) bool {
		_, raced := v.raced.Load(m.Prefix)
		return raced && m.Kind == Untold
	})
}

// devices are those that have routes by BGP and by a protocol inside.
func (x *exchange) devices() (out []string) {
	for i := range x.nodes {
		if x.of[i].inner != nil {
			out = append(out, x.list[i].device)
		}
	}
	slices.SortFunc(out, network.CompareNames)
	return out
}

// common is what several states have in common.
type common struct {
	state  *vectorState
	by     []source
	differ bool
}

func (c *common) add(by []source, used []choice, list [][]heard) {
	if c.state == nil {
		c.state, c.by = &vectorState{used: used, heard: list}, slices.Clone(by)
		return
	}
	for i := range by {
		if c.by[i] != by[i] || !c.state.used[i].equal(used[i]) {
			c.state.used[i].open, c.differ = true, true
		}
	}
}

// tryAll adds every state in which the network may come to rest; false where that cannot be told.
func (x *exchange) tryAll(now *roles, was *standing, all *common) bool {
	lasts := x.lasting(now, was)
	may := x.spread(now, was, lasts)
	choices := make([][]source, len(x.nodes))
	trials := 1
	for i := range x.nodes {
		if lasts[i] {
			choices[i] = []source{was.by[i]}
			continue
		}
		choices[i] = x.mayHave(i, now, may[i])
		if trials *= len(choices[i]); trials > mostTrials {
			return false
		}
	}
	by := make([]source, len(x.nodes))
	for k := range trials {
		for i, c := range choices {
			by[i], k = c[k%len(c)], k/len(c)
		}
		used, list, is, told := x.rests(now, by, lasts, was)
		if !told {
			return false
		}
		if is {
			all.add(by, used, list)
		}
	}
	return true
}

// rests reports whether a state is one in which everybody has what it prefers of what the others then tell it, and what
// is used of BGP in it. Told is false where that cannot be told.
func (x *exchange) rests(
	w *roles, by []source, lasts []bool, was *standing,
) (used []choice, list [][]heard, is, told bool) {
	tellers := make([][]teller, len(x.inner))
	for at := range x.inner {
		tellers[at] = x.tellers(at, w, by)
	}
	inside := make([]bool, len(x.nodes))
	for i := range x.nodes {
		inside[i] = x.hearsInside(i, tellers)
		if by[i] == byInside && !inside[i] || by[i] == byNothing && inside[i] {
			return nil, nil, false, true
		}
	}
	used, list, told = x.flows(w, by, tellers, lasts, was)
	if !told {
		return nil, nil, false, false
	}
	for i := range x.nodes {
		if x.now.Device(x.list[i].device) == nil {
			continue
		}
		listens := len(used[i].used) > 0 && used[i].used[0].from != itself
		if slices.ContainsFunc(list[i], func(h heard) bool { return h.open }) {
			return nil, nil, false, false
		}
		first, ok := x.prefers(i, w, inside[i], listens)
		switch {
		case !ok:
			return nil, nil, false, false
		case first != by[i]:
			return nil, nil, false, true
		}
	}
	return used, list, true, true
}

// hearsInside reports whether a speaker is told of the prefix by a protocol inside.
func (x *exchange) hearsInside(i int, tellers [][]teller) bool {
	k := x.of[i].inner
	return k != nil && slices.ContainsFunc(tellers[slices.Index(x.inner, k)],
		func(a teller) bool { return x.hearsOf(i, a) })
}

// flows is what speakers use of BGP where they have the prefix by what is given; false where it does not come to rest.
func (x *exchange) flows(
	w *roles, by []source, tellers [][]teller, lasts []bool, was *standing,
) (used []choice, list [][]heard, told bool) {
	x.announced = make([]*heard, len(x.nodes))
	defer func() { x.announced = nil }()
	for i := range x.nodes {
		if x.announces(i, w, by[i]) {
			x.announced[i] = x.announcedBy(i, w, by[i], tellers)
		}
	}
	used = slices.Clone(was.used)
	for range x.rounds() {
		if x.effort += x.sessions; x.effort > mostEffort {
			return nil, nil, false
		}
		list = x.hear(w.prefix, used)
		next := make([]choice, len(x.nodes))
		for i := range x.nodes {
			if x.announced[i] != nil {
				next[i] = choice{used: []heard{*x.announced[i]}}
			} else if lasts[i] {
				next[i] = choose(was.used[i], was.heard[i], list[i], &x.nodes[i])
			} else {
				next[i] = choose(choice{}, nil, list[i], &x.nodes[i])
			}
		}
		if slices.EqualFunc(next, used, choice.equal) {
			return used, list, true
		}
		used = next
	}
	return nil, nil, false
}

// announcedBy is what a speaker tells of a prefix that it has by another source.
func (x *exchange) announcedBy(i int, w *roles, by source, tellers [][]teller) *heard {
	h := heard{bgpPath: bgpPath{from: itself, weight: ownWeight, local: usualPreference, origin: route.OriginIncomplete},
		trail: []uint32{}}
	if x.nodes[i].networks[w.prefix] {
		h.origin = route.OriginIGP
	}
	if by == byInside {
		h.med = x.metricInside(i, w, tellers)
		return &h
	}
	own := w.own[i]
	if h.med = own.Metric; !h.med.Known && (own.Protocol == route.Direct || own.Protocol == route.Static) {
		h.med = route.N(0)
	}
	if f := own.Forwarding(); len(f) > 0 {
		h.hop = f[0].Address
	}
	return &h
}

// metricInside is the metric of what a speaker hears inside, as far as it is known.
func (x *exchange) metricInside(i int, w *roles, tellers [][]teller) (m route.Number) {
	k, n := x.of[i].inner, x.of[i].node
	at := slices.Index(x.inner, k)
	var within []origin
	for _, a := range tellers[at] {
		if z := k.in.number[a.at]; a.attached && x.hearsOf(i, a) {
			cost, ok := x.run.attachedCost(k.in, z, w.prefix)
			if own, has := k.in.entryOf(w.prefix, z); has && own.own && own.metric.Known {
				cost, ok = [2]uint64{own.metric.Value, own.metric.Value}, true
			}
			if !ok {
				return m
			}
			within = append(within, origin{node: z, least: cost[0], most: cost[1], attached: true})
		}
	}
	if len(within) > 0 {
		s := newSearch(k.in, w.prefix, within, false, k.dead)
		if s.least[n] == s.most[n] && s.most[n] < endless {
			return route.N(s.most[n])
		}
		return m
	}
	for _, a := range tellers[at] {
		if !x.hearsOf(i, a) {
			continue
		}
		told := k.in.toldWith(k.in.number[a.at], a.by)
		if !told.Known || m.Known && m != told {
			return route.Number{}
		}
		m = told
	}
	return m
}
