package audit

import (
	"encoding/binary"
	"net/netip"
	"slices"
	"sync"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// Firewalls often put one address in place of another for many single hosts, by a rule or two for each (RFC 3022). Each
// host is an end of its own then, and so is each address that stands for one. Where these rules alone tell hosts apart,
// to exchange two of them, with what stands for them, changes nothing in the network: so what became of the packets
// between some of them becomes of those between the others, and need not be followed again.

// standIn is two addresses of which rules put one in place of the other, and neither in place of a third.
type standIn struct{ inner, outer netip.Addr }

// standInOf returns the two addresses of a rule that puts a single address in place of a single one of the family.
func standInOf(t *network.Translation, fam route.Family) (standIn, bool) {
	single, by := t.From, t.Becomes
	if t.Destination {
		single = t.To
	}
	a := single.Addr()
	if t.Own || t.ToOwn {
		return standIn{}, false
	}
	if !single.IsSingleIP() || !by.IsValid() || a == by || route.FamilyOf(a) != fam || route.FamilyOf(by) != fam {
		return standIn{}, false
	}
	if t.Destination {
		return standIn{by, a}, true
	}
	return standIn{a, by}, true
}

// findStandIns lists the addresses that stand for others, or others for them, and with which one: those that do with
// several are left out, as are those that stand for one and are stood for.
func (a *auditor) findStandIns() {
	with := map[netip.Addr]standIn{}
	several := map[netip.Addr]bool{}
	for _, d := range a.devices {
		for _, t := range d.Translations().All() {
			s, ok := standInOf(&t, a.fam)
			if !ok {
				continue
			}
			for _, x := range []netip.Addr{s.inner, s.outer} {
				if was, ok := with[x]; ok && was != s {
					several[x] = true
				}
				with[x] = s
			}
		}
	}
	for x, s := range with {
		if several[s.inner] || several[s.outer] {
			delete(with, x)
		}
	}
	a.standIns = with
}

// standsIn reports whether a rule does nothing but put an address in place of the one that it alone stands for.
func (a *auditor) standsIn(t *network.Translation) (standIn, bool) {
	s, ok := standInOf(t, a.fam)
	return s, ok && a.standIns[s.inner] == s
}

// twins knows which groups may be exchanged, and what became of packets between some of them.
type twins struct {
	kind []int32 // of each group: those of one kind may be exchanged
	pair []int32 // of each group: the number of its standIn; -1: none
	mu   sync.Mutex
	told map[twinKey]*twinVerdict
}

// twinKey is what pairs of groups have in common that may be exchanged for each other.
type twinKey struct {
	from, to int32 // kinds
	one      bool  // both are of one standIn
}

// twinVerdict is what became of packets between groups of two kinds: of those between all of them, once it was seen to
// name none of them.
type twinVerdict struct {
	pair
	lost   bool
	of     [2]int32 // the numbers of the standIns of which it was seen first
	all    bool
	differ bool // it names them, or each is told by itself
}

// findTwins numbers the kinds of groups. Nil where nothing can be exchanged.
func (a *auditor) findTwins() {
	if len(a.standIns) == 0 || len(a.coarse) > 0 {
		return
	}
	forms := a.standInForms()
	numbers := map[standIn]int32{}
	kinds := map[string]int32{}
	t := &twins{told: map[twinKey]*twinVerdict{}}
	for i, g := range a.groups {
		kind, pair := int32(-1-i), int32(-1) // of its own
		s, ok := a.standIns[g.rep]
		if ok && !g.exact && len(g.spans) == 1 && g.spans[0].first == g.spans[0].last {
			n, seen := numbers[s]
			if !seen {
				n = int32(len(numbers))
				numbers[s] = n
			}
			text := binary.LittleEndian.AppendUint32([]byte(forms[s]), uint32(g.start))
			text = binary.LittleEndian.AppendUint32(text, uint32(g.down))
			if g.rep == s.inner {
				text = append(text, 'i')
			}
			id, known := kinds[string(text)]
			if !known {
				id = int32(len(kinds))
				kinds[string(text)] = id
			}
			kind, pair = id, n
		}
		t.kind, t.pair = append(t.kind, kind), append(t.pair, pair)
	}
	if len(kinds) > 0 {
		a.twins = t
	}
}

// standInForms tells of each standIn all that tells it from others but its addresses: the rules that name it, where in
// the order of the other rules they stand, and where its addresses lie among all that the network says of addresses.
func (a *auditor) standInForms() map[standIn]string {
	texts := map[standIn][]byte{}
	ruleForms := map[network.Translation]uint32{}
	for i, d := range a.devices {
		others := 0
		for _, t := range d.Translations().All() {
			s, ok := a.standsIn(&t)
			if !ok {
				others++
				continue
			}
			t.Mark, t.Becomes = route.Mark{}, netip.Addr{}
			if t.Destination {
				t.To = netip.Prefix{}
			} else {
				t.From = netip.Prefix{}
			}
			n, ok := ruleForms[t]
			if !ok {
				n = uint32(len(ruleForms))
				ruleForms[t] = n
			}
			for _, v := range []uint32{uint32(i), uint32(others), n} {
				texts[s] = binary.LittleEndian.AppendUint32(texts[s], v)
			}
		}
	}
	out := make(map[standIn]string, len(texts))
	for s, text := range texts {
		for _, x := range []netip.Addr{s.inner, s.outer} {
			text = a.appendPlace(append(text, 0xff), x)
		}
		out[s] = string(text)
	}
	return out
}

// appendPlace appends where an address lies between all that is named beside standIns, and what forwards it in each
// table: nothing else of an address decides.
func (a *auditor) appendPlace(text []byte, x netip.Addr) []byte {
	i, found := slices.BinarySearchFunc(a.addressFacts.beside, numberOf(x), number.compare)
	if !found {
		i--
	}
	text = binary.LittleEndian.AppendUint32(text, uint32(i))
	for _, d := range a.devices {
		for _, t := range familyTables(d, a.fam) {
			first := -1
			if m := selection.Longest(t, x); len(m.Index) > 0 {
				first = m.Index[0]
			}
			text = binary.LittleEndian.AppendUint32(text, uint32(first))
		}
	}
	return text
}

// keyOf returns what a pair of groups has in common with those that it may be exchanged for; false where that is none.
func (t *twins) keyOf(p *pair) (k twinKey, of [2]int32, ok bool) {
	k = twinKey{from: t.kind[p.from], to: t.kind[p.to]}
	of = [2]int32{t.pair[p.from], t.pair[p.to]}
	k.one = of[0] >= 0 && of[0] == of[1]
	return k, of, k.from >= 0 || k.to >= 0
}

// known returns what becomes of the packets of a pair, where that was told of others in its place.
func (t *twins) known(p pair) (_ pair, lost, ok bool) {
	k, _, ok := t.keyOf(&p)
	if !ok {
		return p, false, false
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	v := t.told[k]
	if v == nil || !v.all {
		return p, false, false
	}
	q := v.pair
	q.from, q.to = p.from, p.to
	return q, v.lost, true
}

// tell keeps what became of the packets of a pair, and whether anything is to be told of it. What is lost holds for the
// others only where it was so for two pairs that have no standIn in common: it names none then. Where a stateful device
// sees one direction only each pair is followed, since each is told.
func (t *twins) tell(p pair, lost, oneSided bool) {
	k, of, ok := t.keyOf(&p)
	if !ok {
		return
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	v := t.told[k]
	switch {
	case v == nil:
		t.told[k] = &twinVerdict{pair: p, lost: lost, of: of, all: !lost && !oneSided, differ: oneSided}
	case v.all || v.differ || v.shares(of):
	default:
		q := v.pair
		q.from, q.to = p.from, p.to
		v.all = v.lost == lost && q == p && !oneSided
		v.differ = !v.all
	}
}

// shares reports whether a pair has a standIn in common with the one that was seen first.
func (v *twinVerdict) shares(of [2]int32) bool {
	return slices.ContainsFunc(of[:], func(n int32) bool { return n >= 0 && slices.Contains(v.of[:], n) })
}

// passing goes through pairs of groups in turn: mostly many side by side have all in common.
type passing struct {
	*twins // nil: nothing is known
	key    twinKey
	isFine bool
	passed int64 // pairs that were fine
}

// inTurn begins to go through pairs.
func (t *twins) inTurn() passing { return passing{twins: t} }

// fine reports whether nothing is to be told of a pair, as was seen of others in its place.
func (x *passing) fine(from, to int32) bool {
	if x.twins == nil {
		return false
	}
	k, _, ok := x.keyOf(&pair{from: from, to: to})
	if !ok {
		return false
	}
	if k != x.key || !x.isFine {
		x.mu.Lock()
		v := x.told[k]
		x.key, x.isFine = k, v != nil && v.all && !v.lost
		x.mu.Unlock()
	}
	if x.isFine {
		x.passed++
	}
	return x.isFine
}
