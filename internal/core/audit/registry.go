package audit

import (
	"slices"
	"strings"
	"sync"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
)

// registry numbers causes and outcomes for all workers. One above another, whose sweep is over, goes on from its
// numbers and leaves it as it is.
type registry struct {
	mu       sync.Mutex
	causes   layered[*cause]
	byKey    numbering[causeKey]
	byLoop   numbering[string]
	outcomes layered[outcome]
	byWhat   numbering[outcome]
}

// numbering is numbers by content: those of a layer below, which stays as it is, and further ones.
type numbering[K comparable] struct{ below, own map[K]int32 }

func (n *numbering[K]) of(k K) (int32, bool) {
	if id, ok := n.below[k]; ok {
		return id, true
	}
	id, ok := n.own[k]
	return id, ok
}

func (n *numbering[K]) set(k K, id int32) {
	if n.own == nil {
		n.own = map[K]int32{}
	}
	n.own[k] = id
}

// above returns a numbering that goes on from n, which must not be above another one.
func (n *numbering[K]) above() numbering[K] { return numbering[K]{below: n.own} }

// layered is a list that goes on from one below it.
type layered[T any] struct{ below, own []T }

func (l *layered[T]) at(i int32) *T {
	if n := int32(len(l.below)); i >= n {
		return &l.own[i-n]
	}
	return &l.below[i]
}

func (l *layered[T]) len() int32 { return int32(len(l.below) + len(l.own)) }

func (l *layered[T]) add(x T) int32 {
	l.own = append(l.own, x)
	return l.len() - 1
}

// above returns a list that goes on from l, which must not be above another one.
func (l *layered[T]) above() layered[T] { return layered[T]{below: l.own} }

func newRegistry() *registry {
	r := &registry{}
	r.outcome(outcome{verdict: forward.Arrives, cause: -1, split: -1, arrives: true})
	return r
}

// above returns a registry that goes on from r's numbers.
func (r *registry) above() *registry {
	return &registry{causes: r.causes.above(), byKey: r.byKey.above(), byLoop: r.byLoop.above(),
		outcomes: r.outcomes.above(), byWhat: r.byWhat.above()}
}

// causeAt returns the cause of a number.
func (r *registry) causeAt(id int32) *cause { return *r.causes.at(id) }

// silent reports whether an outcome is that nobody answers at the destination, as a neighbour entry shows.
func (r *registry) silent(o int32) bool {
	c := r.outcomes.at(o).cause
	return c >= 0 && r.causeAt(c).key.final && r.causeAt(c).key.code == forward.NobodyAnswers
}

// outcome numbers an outcome.
func (r *registry) outcome(o outcome) int32 {
	r.mu.Lock()
	defer r.mu.Unlock()
	id, ok := r.byWhat.of(o)
	if !ok {
		id = r.outcomes.add(o)
		r.byWhat.set(o, id)
	}
	return id
}

// cause numbers an ending.
func (r *registry) cause(d *network.Device, k causeKey, hop forward.Hop, reason forward.Reason) int32 {
	r.mu.Lock()
	defer r.mu.Unlock()
	id, ok := r.byKey.of(k)
	if !ok {
		id = r.causes.add(&cause{key: k, device: d, hop: hop, reason: reason})
		r.byKey.set(k, id)
	}
	return id
}

// loop numbers a loop by its devices.
func (r *registry) loop(devices []*network.Device) int32 {
	names := make([]string, len(devices))
	for i, d := range devices {
		names[i] = d.Name
	}
	slices.Sort(names)
	names = slices.Compact(names)
	text := strings.Join(names, "\x00")
	r.mu.Lock()
	defer r.mu.Unlock()
	id, ok := r.byLoop.of(text)
	if !ok {
		i := slices.IndexFunc(devices, func(d *network.Device) bool { return d.Name == names[0] })
		id = r.causes.add(&cause{
			key:    causeKey{device: names[0], verdict: forward.Loops, code: forward.CameBack},
			device: devices[i],
			loop:   names,
		})
		r.byLoop.set(text, id)
	}
	return id
}
