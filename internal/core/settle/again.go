package settle

import (
	"net/netip"
	"slices"
	"sync"
)

// before is the paths to one prefix as captured. Where the deduced costs give just the metrics that were captured, a
// failure leaves all paths as they are that go over nothing that died, and only the others are searched for. It exists
// because hundreds of failures are tried on one network, and each touches few paths. It is made when it is first asked
// for, and is safe for concurrent use.
type before struct {
	once    sync.Once
	search  *search  // nil where costs and metrics do not agree, or not all are known
	origins []origin // it begins with
	// of each node the arcs that its path uses: arcs[first[n]:first[n+1]]; none for one without a path
	first, arcs []int32
}

// searchAgain is newSearch where it is certain which paths are as they were: touched are the nodes of which the path
// may have changed. Nil where all must be searched for.
func (r *run) searchAgain(in *instance, p netip.Prefix, origins []origin, lost bool, dead []bool) (*search, []bool) {
	b := in.before[p]
	if lost || in.grown || b == nil {
		return nil, nil
	}
	b.once.Do(func() { b.find(r.Settler, in, p) })
	if b.search == nil || !slices.Equal(origins, b.origins) {
		return nil, nil
	}
	s := *b.search
	s.dead = dead
	touched := b.touchedBy(in, dead)
	s.most = slices.Clone(s.most)
	for n, x := range touched {
		if x {
			s.most[n] = endless
		}
	}
	over := func(i int, far uint64) uint64 {
		if x, ok := s.straight(i); ok {
			return x
		}
		return plus(s.high(i), far)
	}
	var starts []reached
	for n, x := range touched {
		if !x {
			continue
		}
		for _, i := range in.out[n] {
			if to := in.arcs[i].to; !touched[to] {
				starts = append(starts, reached{n, over(i, s.most[to])})
			}
		}
	}
	in.nearer(s.most, starts, over)
	s.least, s.any = s.most, s.most
	return &s, touched
}

// find searches for the paths as captured.
func (b *before) find(all *Settler, in *instance, p netip.Prefix) {
	r := &run{Settler: all, now: all.topo.Network}
	none := make([]bool, len(in.arcs))
	origins, changed := r.origins(in, p, none, nil)
	if changed || !in.exact || in.areas || in.hidden || in.blind {
		return
	}
	s := newSearch(in, p, slices.Clone(origins), false, none)
	if s.floor == nil || s.hasInside || s.area != "" || !s.exactly() {
		return
	}
	for _, o := range origins {
		if s.most[o.node] != o.most { // it is nearer to another one
			return
		}
	}
	first, arcs := make([]int32, len(in.nodes)+1), []int32(nil)
	list, have := in.entries[p], -1 // in the order of nodes
	for k := range list {
		e := &list[k]
		if e.node <= have || e.own && len(e.arcs) > 0 || !e.own && (s.most[e.node] != e.metric.Value || !s.tight(e)) {
			return
		}
		for n := have + 1; n <= e.node; n++ {
			first[n] = int32(len(arcs))
		}
		have = e.node
		for _, i := range e.arcs {
			arcs = append(arcs, int32(i))
		}
	}
	for n := have + 1; n < len(first); n++ {
		first[n] = int32(len(arcs))
	}
	b.search, b.origins, b.first, b.arcs = s, origins, first, arcs
}

// tight reports whether the whole way over each arc of a path costs what the path does.
func (s *search) tight(e *entry) bool {
	return e.metric.Known && len(e.arcs) > 0 && !slices.ContainsFunc(e.arcs, func(i int) bool {
		_, high := s.total(i)
		return high != e.metric.Value
	})
}

// touchedBy tells the nodes that have a path over a dead arc, or none that was captured. Those that announce the prefix
// have none.
func (b *before) touchedBy(in *instance, dead []bool) []bool {
	const (
		open = iota // not looked at
		looking
		intact
		broken
	)
	state := make([]uint8, len(in.nodes))
	for _, o := range b.origins {
		state[o.node] = intact
	}
	var look func(n int) bool // whether it is broken
	look = func(n int) bool {
		switch state[n] {
		case intact:
			return false
		case looking, broken:
			return true
		}
		state[n] = looking
		way := b.arcs[b.first[n]:b.first[n+1]]
		if len(way) == 0 {
			state[n] = broken
			return true
		}
		for _, i := range way {
			if dead[i] || look(in.arcs[i].to) {
				state[n] = broken
				return true
			}
		}
		state[n] = intact
		return false
	}
	out := make([]bool, len(in.nodes))
	for n := range out {
		out[n] = look(n)
	}
	return out
}
