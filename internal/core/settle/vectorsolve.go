package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// vectorState is what each speaker hears of one prefix and what it uses of that.
type vectorState struct {
	heard [][]heard
	used  []choice
}

// rounds is how often speakers tell each other what they use until it is taken to go on for ever.
func (v *vector) rounds() int { return 4*len(v.nodes) + 8 }

// captured is the state of a prefix in the captured network, nil where what is worked out is not what the tables show.
func (v *view) captured(p netip.Prefix) *vectorState {
	if known, ok := v.vector.before.Load(p); ok {
		return known.(*vectorState)
	}
	s := v.base.reproduce(p)
	v.vector.before.Store(p, s)
	return s
}

// reproduce works out what speakers hear where each uses what its table shows.
func (v *view) reproduce(p netip.Prefix) *vectorState {
	s := &vectorState{used: make([]choice, len(v.nodes))}
	for range v.rounds() {
		s.heard = v.hear(p, s.used)
		next := make([]choice, len(v.nodes))
		for i := range v.nodes {
			next[i] = v.shown(i, p, s.heard[i])
		}
		if slices.EqualFunc(next, s.used, choice.equal) {
			if !v.agrees(p, s) {
				return nil
			}
			return s
		}
		s.used = next
	}
	return nil
}

// bgpRows are the routes of BGP that a speaker's captured table has for a prefix, and those of them that are in use.
func (v *vector) bgpRows(i int, p netip.Prefix) (all, active []route.Route) {
	for _, r := range v.nodes[i].table.RoutesTo(p) {
		if r.Protocol != route.BGP {
			continue
		}
		all = append(all, r)
		if r.Is(route.Active) || r.Is(route.Installed) {
			active = append(active, r)
		}
	}
	return all, active
}

// shown is what a speaker uses of what it hears, by its captured table where that shows it.
func (v *vector) shown(i int, p netip.Prefix, list []heard) choice {
	_, active := v.bgpRows(i, p)
	at := slices.IndexFunc(list, func(h heard) bool { return h.from == itself && !h.open })
	if at >= 0 || len(active) == 0 { // what may be there would be used
		sure := slices.DeleteFunc(slices.Clone(list), func(h heard) bool { return h.open })
		return choose(choice{}, nil, sure, &v.nodes[i])
	}
	var c choice
	for _, h := range list {
		if slices.ContainsFunc(active, func(r route.Route) bool { return slices.Contains(heardFrom(r), h.hop) }) {
			c.used = append(c.used, h)
		}
	}
	return c
}

// agrees reports whether a state is what the captured tables show, and one that rests.
func (v *vector) agrees(p netip.Prefix, s *vectorState) bool {
	for i := range v.nodes {
		all, active := v.bgpRows(i, p)
		c := s.used[i]
		switch {
		case c.open:
			return false
		case len(active) > 0:
			hops := map[netip.Addr]bool{}
			for _, r := range active {
				for _, h := range heardFrom(r) {
					hops[h] = true
				}
			}
			for _, h := range c.used {
				if h.open || h.from == itself {
					return false
				}
				delete(hops, h.hop)
			}
			if len(hops) > 0 || len(c.used) == 0 {
				return false
			}
		case len(all) == 0 && len(c.used) > 0 && c.used[0].from != itself:
			if len(deciding(v.nodes[i].table.RoutesTo(p))) == 0 {
				return false // it would have it
			}
		}
		for _, h := range s.heard[i] {
			if !h.open && len(c.used) > 0 && order(h.bgpPath, c.used[0].bgpPath) < 0 {
				return false
			}
		}
	}
	return true
}

// solve works out what speakers use in the network as it is now; false where it does not come to rest.
func (v *view) solve(p netip.Prefix, before *vectorState) (*vectorState, bool) {
	for _, silent := range []bool{false, true} {
		s := &vectorState{used: slices.Clone(before.used)}
		rest := false
		for range v.rounds() {
			s.heard = v.hear(p, s.used)
			if silent {
				v.speakUp(s.heard)
			}
			next := make([]choice, len(v.nodes))
			for i := range v.nodes {
				next[i] = choose(before.used[i], before.heard[i], s.heard[i], &v.nodes[i])
			}
			if rest = slices.EqualFunc(next, s.used, choice.equal); rest {
				break
			}
			s.used = next
		}
		if !rest {
			return nil, false
		}
		if silent || v.announceAlike(before, s) || v.ofTheirOwn(before) {
			return s, true
		}
	}
	return nil, false
}

// severalAS reports whether the speakers are of more than one autonomous system.
func (v *vector) severalAS() bool {
	return slices.ContainsFunc(v.nodes, func(x speaker) bool { return x.as != v.nodes[0].as })
}

// announceAlike reports whether speakers tell peers that were not captured the same in both states.
func (v *vector) announceAlike(a, b *vectorState) bool {
	for i := range v.nodes {
		if !slices.ContainsFunc(v.nodes[i].peers, func(p peer) bool { return p.far < 0 }) {
			continue
		}
		alike := func(x, y heard) bool {
			x.from, y.from = min(x.from, 0), min(y.from, 0)
			x.hop, x.far, x.by, y.hop, y.far, y.by = netip.Addr{}, route.Number{}, 0, netip.Addr{}, route.Number{}, 0
			return x.bgpPath == y.bgpPath && slices.Equal(x.trail, y.trail)
		}
		if a.used[i].open != b.used[i].open || !slices.EqualFunc(a.used[i].used, b.used[i].used, alike) {
			return false
		}
	}
	return true
}

// ofTheirOwn reports whether a prefix is one that a speaker is attached to, or is told to announce, all of one
// autonomous system: what anybody else tells of it came from them. What is taken from another protocol may have come
// from elsewhere.
func (v *vector) ofTheirOwn(s *vectorState) bool {
	return !v.severalAS() && slices.ContainsFunc(s.heard, func(list []heard) bool {
		return slices.ContainsFunc(list, func(h heard) bool {
			return h.from == itself && !h.open && (h.origin == route.OriginIGP || !h.hop.IsValid())
		})
	})
}

// speakUp adds what peers may begin to announce that were not captured and announce nothing of the prefix: whoever
// heard of it through here may have another way (RFC 4271 section 9.1.3). What they do announce may come from another
// one of the speakers, where these are of several autonomous systems and the way is not known.
func (v *view) speakUp(list [][]heard) {
	for i := range v.nodes {
		for k := range list[i] {
			h := &list[i][k]
			outside := h.from != itself && v.nodes[i].peers[h.from].far < 0
			h.open = h.open || outside && h.trail == nil && v.severalAS()
		}
		for k, q := range v.nodes[i].peers {
			if q.far >= 0 || slices.ContainsFunc(list[i], func(h heard) bool { return h.from == k }) {
				continue
			}
			if up, known := v.reaches(i, k); up || !known {
				list[i] = append(list[i], heard{bgpPath: bgpPath{from: k, local: bestLocal, length: noLength, open: true}})
			}
		}
	}
}
