package settle

import (
	"net/netip"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// A view is a vector's speakers in one network, with what was looked up there so far. It is not safe for concurrent
// use.
type view struct {
	*vector
	now  *network.Snapshot
	base *view // of the captured network
	up   map[[2]int]reach
	ways map[wayKey]wayTo
	// of each speaker what it announces of its own in a state that is tried, whatever its table has; nil: by its table
	announced []*heard
	// sessions of which it is supposed whether they are up where they could be
	supposed map[[2]int]bool
}

// reach is whether a peer can be reached, as far as that is known.
type reach struct{ up, known bool }

type wayKey struct {
	speaker int
	hop     netip.Addr
}

// wayTo is by which way a speaker gets to a next hop.
type wayTo struct {
	found, open bool
	far         route.Number
	by          route.Protocol
}

// viewOf is a view of a network; base is that of the captured one, nil where it is that itself.
func (v *vector) viewOf(n *network.Snapshot, base *view) *view {
	w := &view{vector: v, now: n, base: base, up: map[[2]int]reach{}, ways: map[wayKey]wayTo{}}
	if base == nil {
		w.base = w
	}
	return w
}

// session reports whether a session between two speakers is up.
func (v *view) session(i, k int) (up, known bool) {
	q := &v.nodes[i].peers[k]
	up, known = v.reaches(i, k)
	if !up {
		return up, known
	}
	if as, ok := v.supposed[[2]int{i, k}]; ok && !as {
		return false, true
	}
	return v.reaches(q.far, q.back)
}

// reaches reports whether a speaker can send to a peer: over the link to another autonomous system, by its table
// elsewhere. Where another prefix covers the address than before nobody knows.
func (v *view) reaches(i, k int) (up, known bool) {
	key := [2]int{i, k}
	r, asked := v.up[key]
	if !asked {
		r.up, r.known = v.findReach(i, &v.nodes[i].peers[k])
		v.up[key] = r
	}
	return r.up, r.known
}

func (v *view) findReach(i int, q *peer) (up, known bool) {
	d := v.now.Device(v.list[i].device)
	if d == nil || q.far >= 0 && v.now.Device(v.list[q.far].device) == nil {
		return false, true
	}
	if q.ifname != "" && q.as != v.nodes[i].as {
		return d.Interface(q.ifname).State != network.LinkDown, true
	}
	a, b := selection.Longest(v.nodes[i].table, q.addr), selection.Longest(v.tableAt(i, v.now), q.addr)
	switch {
	case !b.Found():
		return false, true
	case b.Refused || b.Prefix.Bits() == 0 || a.Found() && a.Prefix != b.Prefix:
		return false, false
	}
	return b.Routes[0].Special == route.None, true
}

// resolved asks by which way a speaker gets to the next hop of a path; false where by none.
func (v *view) resolved(i int, q *peer, h heard) (heard, bool) {
	if q.ifname != "" && q.as != v.nodes[i].as && h.hop == q.addr {
		h.far, h.by = route.N(0), route.Direct
		return h, true
	}
	if !h.hop.IsValid() {
		h.open = true
		return h, true
	}
	key := wayKey{i, h.hop}
	w, asked := v.ways[key]
	if !asked {
		w = v.findWay(i, h.hop)
		v.ways[key] = w
	}
	h.open, h.far, h.by = h.open || w.open, w.far, w.by
	return h, w.found
}

func (v *view) findWay(i int, hop netip.Addr) wayTo {
	m := selection.Longest(v.tableAt(i, v.now), hop)
	switch {
	case !m.Found():
		return wayTo{}
	case m.Refused || m.Prefix.Bits() == 0 || m.Routes[0].Protocol == route.BGP || m.Routes[0].Special != route.None:
		return wayTo{found: true, open: true}
	}
	w := wayTo{found: true, far: m.Routes[0].Metric, by: m.Routes[0].Protocol}
	if w.by == route.Direct || w.by == route.Static {
		w.far = route.N(0)
	}
	return w
}
