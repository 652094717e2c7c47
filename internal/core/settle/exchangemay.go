package settle

import (
	"slices"

	"zarvek/internal/core/route"
)

// sources are by which a speaker may have a prefix at some time.
type sources [byBGP + 1]bool

// mayHave are the sources by which a speaker may have a prefix once all is at rest, of those by which it ever may.
func (x *exchange) mayHave(i int, w *roles, ever sources) []source {
	switch {
	case x.now.Device(x.list[i].device) == nil:
		return []source{byNothing}
	case w.own[i] != nil && w.own[i].Protocol == route.Direct:
		return []source{byItself}
	}
	out := []source{byNothing}
	if w.own[i] != nil {
		out[0] = byItself
	}
	for _, by := range []source{byInside, byBGP} {
		if ever[by] {
			out = append(out, by)
		}
	}
	return out
}

// spread finds by which sources each speaker may ever have a prefix from the change on: what it had it by, what it
// has of its own, and what others that may have it may tell it. Routes that hold each other up must have come from
// somebody. Those that last have it by what they had it by.
func (x *exchange) spread(now *roles, was *standing, lasts []bool) []sources {
	ever := make([]sources, len(x.nodes))
	for i := range x.nodes {
		ever[i][was.by[i]] = true
		ever[i][byItself] = now.own[i] != nil || was.by[i] == byItself
	}
	for grows := true; grows; {
		grows = false
		for i := range x.nodes {
			if lasts[i] || x.now.Device(x.list[i].device) == nil {
				continue
			}
			if !ever[i][byInside] && x.mayHearInside(i, now, was, ever) {
				ever[i][byInside], grows = true, true
			}
			if !ever[i][byBGP] && x.mayHearBGP(i, now, was, ever) {
				ever[i][byBGP], grows = true, true
			}
		}
	}
	return ever
}

// mayHearInside reports whether anybody whom a speaker hears inside, or heard, may announce the prefix there.
func (x *exchange) mayHearInside(i int, now *roles, was *standing, ever []sources) bool {
	return x.hearsAny(i, now, ever) || x.before.hearsAny(i, was.roles, ever)
}

func (x *exchange) hearsAny(i int, w *roles, ever []sources) bool {
	k := x.of[i].inner
	if k == nil {
		return false
	}
	for _, by := range []source{byItself, byBGP} {
		all := make([]source, len(x.nodes))
		for z := range all {
			if ever[z][by] {
				all[z] = by
			}
		}
		if slices.ContainsFunc(x.tellers(slices.Index(x.inner, k), w, all),
			func(a teller) bool { return x.hearsOf(i, a) }) {
			return true
		}
	}
	return false
}

// mayHearBGP reports whether a peer may tell a speaker of the prefix, or may have told it, by an interface that is up:
// what comes by another one the speaker does not use.
func (x *exchange) mayHearBGP(i int, now *roles, was *standing, ever []sources) bool {
	for k := range x.nodes[i].peers {
		q := &x.nodes[i].peers[k]
		own := now.own[i]
		attached := own != nil && own.Protocol == route.Direct && own.NextHops[0].Interface == q.ifname
		if q.back < 0 || attached { // what it is attached to comes before what it hears of that there
			continue
		}
		if up, known := x.reaches(i, k); known && !up && x.now.Device(x.list[q.far].device) != nil {
			continue
		}
		far := &x.nodes[q.far]
		for _, w := range []*roles{now, was.roles} {
			if ever[q.far][byItself] && x.announces(q.far, w, byItself) ||
				ever[q.far][byInside] && x.of[q.far].inner != nil && x.announces(q.far, w, byInside) {
				return true
			}
		}
		if (ever[q.far][byBGP] || len(was.used[q.far].used) > 0) && // whose way goes through the speaker's own
			slices.ContainsFunc(far.peers, func(o peer) bool { return o.as != x.nodes[i].as }) {
			return true
		}
	}
	return false
}
