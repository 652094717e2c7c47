package settle

import (
	"slices"
)

// lasting finds the speakers that have a prefix by the same source from before the change until all is at rest again,
// in whatever order messages come: what they have it by rests on what lasts too, in the end on somebody who has it of
// its own, and nothing can come before it.
func (x *exchange) lasting(now *roles, was *standing) []bool {
	lasts, tells := make([]bool, len(x.nodes)), make([]bool, len(x.nodes))
	for i := range x.nodes {
		lasts[i] = was.by[i] != byNothing && x.now.Device(x.list[i].device) != nil
		tells[i] = lasts[i]
	}
	for strikes := true; strikes; {
		strikes = false
		roots := x.rootsAmong(now, was, lasts, tells)
		for i := range x.nodes {
			if lasts[i] && !(roots[i] && x.mayLast(i, now, was, tells)) {
				lasts[i], strikes = false, true
			}
			if tells[i] && !(lasts[i] && x.tellsOn(i, now, was, tells)) {
				tells[i], strikes = false, true
			}
		}
	}
	return lasts
}

// mayLast reports whether nothing comes before what a speaker has, if what it rests on lasts.
func (x *exchange) mayLast(i int, now *roles, was *standing, tells []bool) bool {
	same := func(a, b *roles) bool {
		return (a.own[i] == nil) == (b.own[i] == nil) && (a.own[i] == nil ||
			a.own[i].Protocol == b.own[i].Protocol && a.own[i].Preference == b.own[i].Preference)
	}
	if !same(was.roles, now) {
		return false
	}
	announces := x.announces(i, now, was.by[i]) // then what it hears by BGP does not count
	switch was.by[i] {
	case byItself, byBGP:
		first, ok := x.prefers(i, now, x.of[i].inner != nil, !announces)
		return ok && first == was.by[i]
	}
	if !announces {
		for k := range x.nodes[i].peers {
			if q := &x.nodes[i].peers[k]; q.back >= 0 && (!tells[q.far] || !x.sameSession(i, k)) {
				return false
			}
		}
	}
	first, ok := x.prefers(i, now, true, false)
	return ok && first == byInside
}

// hearsOf reports whether a speaker hears a teller inside.
func (x *exchange) hearsOf(i int, a teller) bool {
	k, n := x.of[i].inner, x.of[i].node
	if k == nil || k.part[n] < 0 {
		return false
	}
	m, here := k.in.number[a.at]
	return here && m != n && k.part[m] == k.part[n]
}

// joined reports whether a speaker reaches another node inside by what was there before and still is.
func (x *exchange) joined(i, n int) bool {
	k := x.of[i].inner
	return k.lasting[n] >= 0 && k.lasting[n] == k.lasting[x.of[i].node] && n != x.of[i].node
}

// sameSession reports whether a session is up, or is not, as it was.
func (x *exchange) sameSession(i, k int) bool {
	up, known := x.session(i, k)
	was, sure := x.base.session(i, k)
	return known && sure && up == was
}

// tellsOn reports whether a speaker goes on telling its peers of the prefix by the same way: it announces what it has
// of its own, or nobody who tells it something else can come near what it uses.
func (x *exchange) tellsOn(i int, now *roles, was *standing, tells []bool) bool {
	if x.announces(i, now, was.by[i]) {
		return true
	}
	used := was.used[i]
	if len(used.used) == 0 || used.open {
		return false
	}
	one := used.used[0]
	if one.from == itself || one.trail == nil {
		return false
	}
	for _, h := range was.heard[i] { // no other way is as near
		if !slices.Equal(h.trail, one.trail) && (h.trail == nil || h.length <= one.length) {
			return false
		}
	}
	for k := range x.nodes[i].peers {
		q := &x.nodes[i].peers[k]
		if q.back < 0 {
			continue
		}
		gone, sure := x.session(i, k)
		uses := slices.ContainsFunc(used.used, func(h heard) bool { return h.from == k })
		if sure && !gone && (!uses || len(used.used) > 1) {
			continue
		}
		if !x.sameSession(i, k) || !tells[q.far] {
			return false
		}
	}
	return true
}

// rootsAmong finds the speakers of those that may last whose routes come, over others of them, from somebody who has
// the prefix of its own.
func (x *exchange) rootsAmong(now *roles, was *standing, lasts, tells []bool) []bool {
	roots := make([]bool, len(x.nodes))
	for grows := true; grows; {
		grows = false
		for i := range x.nodes {
			if roots[i] || !lasts[i] {
				continue
			}
			switch was.by[i] {
			case byItself:
				roots[i] = true
			case byBGP:
				roots[i] = slices.ContainsFunc(was.used[i].used, func(h heard) bool {
					q := &x.nodes[i].peers[h.from]
					up, known := x.session(i, h.from)
					return known && up && roots[q.far] && tells[q.far]
				})
			case byInside:
				roots[i] = x.rootInside(i, now, was, roots)
			}
			grows = grows || roots[i]
		}
	}
	return roots
}

// rootInside reports whether one of those whose route lasts announces a prefix to a speaker inside from before the
// change on: as a network of the protocol's own if one did before, else from outside.
func (x *exchange) rootInside(i int, now *roles, was *standing, roots []bool) bool {
	at := slices.Index(x.inner, x.of[i].inner)
	before := x.before.everyTeller(was.roles, was.by)
	after := x.tellers(at, now, was.by)
	within := slices.ContainsFunc(before, func(a teller) bool { return a.attached && x.before.hearsOf(i, a) }) ||
		slices.ContainsFunc(after, func(a teller) bool { return a.attached && x.hearsOf(i, a) })
	return slices.ContainsFunc(after, func(a teller) bool {
		k := x.inner[at]
		n := k.in.number[a.at]
		return a.attached == within && slices.Contains(before, a) && x.joined(i, n) &&
			(k.speaker[n] < 0 || roots[k.speaker[n]])
	})
}
