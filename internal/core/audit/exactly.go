package audit

import (
	"cmp"
	"hash/maphash"
	"iter"
	"maps"
	"net/netip"
	"slices"

	"go4.org/netipx"
)

// A Breakage is addresses each of which loses the packets of round trips to each of some others, or the replies.
type Breakage struct {
	From, To []Ends // in the order of their networks
	Reply    bool   // the packets arrive, and their replies are lost
	Split    bool   // on some of the equal ways only
}

// Ends is addresses of one network.
type Ends struct {
	Network   netip.Prefix
	Addresses []netipx.IPRange // in order; nil for all that are not of a longer attached network
}

// Partly reports whether not all addresses of all its networks are concerned, or not all equal ways.
func (b *Breakage) Partly() bool {
	some := func(p Ends) bool { return p.Addresses != nil }
	return b.Split || slices.ContainsFunc(b.From, some) || slices.ContainsFunc(b.To, some)
}

// Breakages yields what the finding breaks by exact addresses, where Losses tells of networks: each source and
// destination that lose their packets or replies are in one of them. Sources that lose the same are together.
func (f *Finding) Breakages() iter.Seq[Breakage] {
	return func(yield func(Breakage) bool) {
		if f.pairs.empty() {
			return
		}
		p := f.of.newTeller()
		for _, r := range joined(f.of.rowsOf(&f.pairs)) {
			b := Breakage{From: p.of(runsOf(r.from)), To: p.of(r.to), Reply: r.back, Split: r.split}
			if !yield(b) {
				return
			}
		}
	}
}

// joined joins all that a source loses, and then the sources that lose the same, whatever network they are in.
func joined(all []rows) []rows {
	type source struct {
		group       int32
		back, split bool
	}
	lost := map[source]runs{}
	for _, r := range all {
		for _, g := range r.from {
			k := source{g, r.back, r.split}
			lost[k] = lost[k].with(r.to)
		}
	}
	sources := slices.SortedFunc(maps.Keys(lost), func(x, y source) int {
		return cmp.Or(cmp.Compare(x.group, y.group), cmp.Compare(bit(x.back), bit(y.back)),
			cmp.Compare(bit(x.split), bit(y.split)))
	})
	var out []rows
	at := map[uint64][]int{} // by hash: numbers in out
	var h maphash.Hash
	for _, k := range sources {
		to := lost[k]
		h.Reset()
		for _, s := range to {
			maphash.WriteComparable(&h, s)
		}
		same := slices.IndexFunc(at[h.Sum64()], func(i int) bool {
			return out[i].back == k.back && out[i].split == k.split && slices.Equal(out[i].to, to)
		})
		if same < 0 {
			at[h.Sum64()] = append(at[h.Sum64()], len(out))
			out = append(out, rows{back: k.back, split: k.split, from: []int32{k.group}, to: to})
			continue
		}
		x := &out[at[h.Sum64()][same]]
		x.from = append(x.from, k.group)
	}
	return out
}

func runsOf(sorted []int32) (out runs) {
	for _, n := range sorted {
		out.add(n)
	}
	return out
}

// teller tells groups as ends of networks. It counts in lists that it keeps.
type teller struct {
	a      *auditor
	groups []int // of each network: how many groups are in it
	here   []int // of each network: how many of them are to be told
}

func (a *auditor) newTeller() *teller {
	p := &teller{a: a, groups: make([]int, len(a.nets)), here: make([]int, len(a.nets))}
	for _, n := range a.netOf {
		p.groups[n]++
	}
	return p
}

// of tells groups as ends, in the order of their networks.
func (p *teller) of(groups runs) []Ends {
	var out []Ends
	single := map[int32][]int32{} // of networks that are not whole
	note := func(g int32) { single[p.a.netOf[g]] = append(single[p.a.netOf[g]], g) }
	if p.a.netGroups.known {
		p.a.eachNet(groups, func(nets stretch) {
			for n := nets.first; n <= nets.last; n++ {
				out = append(out, Ends{Network: p.a.nets[n]})
			}
		}, note)
	} else {
		for g := range groups.all() {
			p.here[p.a.netOf[g]]++
		}
		for g := range groups.all() {
			switch n := p.a.netOf[g]; {
			case p.here[n] < p.groups[n]:
				note(g)
			case p.here[n] == p.groups[n]:
				out = append(out, Ends{Network: p.a.nets[n]})
				p.here[n]++ // told
			}
		}
		for g := range groups.all() {
			p.here[p.a.netOf[g]] = 0
		}
	}
	for n, list := range single {
		var spans []span
		for _, g := range list {
			spans = append(spans, p.a.groups[g].spans...)
		}
		spans, _ = merged(spans)
		e := Ends{Network: p.a.nets[n]}
		for _, s := range spans {
			e.Addresses = append(e.Addresses, s.ipRange(p.a.fam))
		}
		out = append(out, e)
	}
	slices.SortFunc(out, func(x, y Ends) int { return x.Network.Compare(y.Network) })
	return out
}
