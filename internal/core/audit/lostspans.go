package audit

import (
	"cmp"
	"math/big"
	"slices"
)

// spanFinder finds the addresses to which packets of pairs are lost. It counts in lists that it keeps, since there may
// be as many causes as networks.
type spanFinder struct {
	a      *auditor
	whole  []span  // of each network
	groups []int   // of each network: how many groups are in it
	lost   []int   // of each network: how many of them are lost
	seen   []int32 // of each group: the last round in which it was met
	round  int32
	met    []int32 // groups of this round
	found  []span
}

func (a *auditor) newSpanFinder() *spanFinder {
	f := &spanFinder{a: a, groups: make([]int, len(a.nets)), lost: make([]int, len(a.nets)),
		seen: make([]int32, len(a.groups))}
	for i := range a.groups {
		f.groups[a.netOf[i]]++
	}
	for _, n := range a.nets {
		f.whole = append(f.whole, spanOf(n))
	}
	return f
}

// of lists the addresses: whole networks where nobody in them is reached. What no host has, a network's own and its
// broadcast address, goes with its neighbours. The list holds until the next call.
func (f *spanFinder) of(lost *lostPairs) []span {
	f.round++
	f.met, f.found = f.met[:0], f.found[:0]
	if f.a.netGroups.known && lost.oneTo() {
		f.a.eachNet(lost.blocks[0].to, func(nets stretch) {
			f.found = append(f.found, f.whole[nets.first:nets.last+1]...)
		}, f.addGroup)
		return f.found
	}
	meet := func(i int32) {
		if f.seen[i] != f.round {
			f.seen[i] = f.round
			f.met = append(f.met, i)
			f.lost[f.a.netOf[i]]++
		}
	}
	for _, p := range lost.pairs {
		meet(f.a.lostTo(p))
	}
	for _, b := range lost.blocks {
		for i := range b.to.all() {
			meet(i)
		}
	}
	for _, i := range f.met {
		n := f.a.netOf[i]
		whole := f.whole[n]
		if f.lost[n] == f.groups[n] {
			if n := len(f.found); n == 0 || f.found[n-1] != whole {
				f.found = append(f.found, whole)
			}
			continue
		}
		f.addGroup(i)
	}
	for _, i := range f.met {
		f.lost[f.a.netOf[i]] = 0
	}
	return f.found
}

// addGroup lists the addresses of a group of which others of its network are not lost.
func (f *spanFinder) addGroup(i int32) {
	whole := f.whole[f.a.netOf[i]]
	for _, s := range f.a.groups[i].spans {
		if s.first.previous() == whole.first {
			s.first = whole.first
		}
		if s.last.next() == whole.last {
			s.last = whole.last
		}
		f.found = append(f.found, s)
	}
}

// merged puts spans in order, joins those that meet, and counts their addresses. It may change spans.
func merged(spans []span) ([]span, *big.Int) {
	if order := func(x, y span) int {
		return cmp.Or(x.first.compare(y.first),
			x.last.compare(y.last))
	}; !slices.IsSortedFunc(
		spans,
		order,
	) {
		slices.SortFunc(spans, order)
	}
	out := spans[:0]
	for _, s := range spans {
		n := len(out)
		switch {
		case n == 0 || out[n-1].last.next().less(s.first):
			out = append(out, s)
		case out[n-1].last.less(s.last):
			out[n-1].last = s.last
		}
	}
	var total number // of 2^128 addresses no audit ever tells
	for _, s := range out {
		total = total.plus(s.last.minus(s.first)).next()
	}
	n := new(big.Int).SetUint64(total.hi)
	return out, n.Lsh(n, 64).Add(n, new(big.Int).SetUint64(total.lo))
}
