package settle

import (
	"math"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// unlike any path that is heard
const (
	bestLocal = math.MaxUint64
	noLength  = 0
)

// hear is what each speaker hears where each uses what is given. Of peers that were not captured it is what captures
// show, as long as they can be reached.
func (v *view) hear(p netip.Prefix, used []choice) [][]heard {
	out := make([][]heard, len(v.nodes))
	for i := range v.nodes {
		if v.now.Device(v.list[i].device) == nil {
			continue
		}
		if h, ok := v.itself(i, p); ok {
			out[i] = append(out[i], h)
		}
		out[i] = append(out[i], v.fromOutside(i, p)...)
		for k := range v.nodes[i].peers {
			q := &v.nodes[i].peers[k]
			if q.back < 0 {
				continue
			}
			h, ok := v.tells(q.far, q.back, used[q.far])
			up, known := v.session(i, k)
			if !ok || known && !up {
				continue
			}
			h.from = k
			if _, sure := v.supposed[[2]int{i, k}]; !known || !q.seen && !sure && v.base != v && !v.comesUp(i, k) {
				h.open, h.trail = true, nil
			}
			if h, ok = v.resolved(i, q, h); ok {
				out[i] = append(out[i], h)
			}
		}
	}
	return out
}

// itself is what a speaker announces of its own: a prefix that its table has by a source that it announces. Where such
// a route stands behind one of BGP, which comes first when that one goes hangs on the moment: it is open.
func (v *view) itself(i int, p netip.Prefix) (heard, bool) {
	if v.announced != nil {
		if h := v.announced[i]; h != nil {
			return *h, true
		}
		return heard{}, false
	}
	x := &v.nodes[i]
	t := v.tableAt(i, v.now)
	if t == nil {
		return heard{}, false
	}
	var best *route.Route
	behind, other := false, false
	for _, r := range t.RoutesTo(p) {
		if r.Is(route.Installed) {
			behind = behind || r.Protocol == route.BGP
			other = other || r.Protocol != route.BGP && !x.takes[r.Protocol] && !x.networks[p]
		}
		if r.Protocol != route.BGP && (x.takes[r.Protocol] || x.networks[p]) && !r.Is(route.Unusable) &&
			(best == nil || r.Is(route.Installed) && !best.Is(route.Installed)) {
			best = &r
		}
	}
	if best == nil || other && x.strict {
		return heard{}, false
	}
	h := heard{bgpPath: bgpPath{from: itself, weight: ownWeight, local: usualPreference, origin: route.OriginIncomplete,
		med: best.Metric, open: !best.Is(route.Installed)}, trail: []uint32{}}
	h.waits, h.ready = h.open && behind, h.open && !other && !best.Is(route.Untold)
	if x.networks[p] {
		h.origin = route.OriginIGP
	}
	if !h.med.Known && (best.Protocol == route.Direct || best.Protocol == route.Static) {
		h.med = route.N(0)
	}
	if f := best.Forwarding(); len(f) > 0 {
		h.hop = f[0].Address
	}
	return h, true
}

// tableAt is a speaker's table in a network, nil where its device is gone.
func (v *vector) tableAt(i int, n *network.Snapshot) *network.Table {
	d := n.Device(v.list[i].device)
	if d == nil {
		return nil
	}
	return d.Table(v.list[i].table, v.family)
}

// fromOutside is what captures show of peers that were not captured.
func (v *view) fromOutside(i int, p netip.Prefix) []heard {
	x := &v.nodes[i]
	all, active := v.bgpRows(i, p)
	_, announces := v.base.itself(i, p)
	hidden := !x.table.ListsBGP && (len(active) > 0 || announces)
	var out []heard
	for k := range x.peers {
		q := &x.peers[k]
		if q.far >= 0 {
			continue
		}
		up, known := v.reaches(i, k)
		if known && !up {
			continue
		}
		found := false
		for _, r := range all {
			if r.Is(route.Unusable) || !slices.Contains(heardFrom(r), q.addr) {
				continue
			}
			found = true
			h := heard{bgpPath: x.shownPath(r, k), trail: outsideTrail(r)}
			h.open = !known
			if h, ok := v.resolved(i, q, h); ok {
				out = append(out, h)
			}
		}
		// It may have announced one that stands behind what is used, or begin to announce anything.
		if !found && (hidden || v.comesBack(i, k)) {
			out = append(out, heard{bgpPath: bgpPath{from: k, local: bestLocal, length: noLength, open: true}})
		}
	}
	return out
}

// comesBack reports whether a peer can be reached that could not.
func (v *view) comesBack(i, k int) bool {
	before, _ := v.base.reaches(i, k)
	after, known := v.reaches(i, k)
	return !before && (after || !known)
}

// shownPath is a captured route as a path.
func (x *speaker) shownPath(r route.Route, k int) bgpPath {
	q := &x.peers[k]
	out := bgpPath{from: k, weight: r.BGP.Weight.Value, local: usualPreference, length: r.BGP.Length.Value,
		origin: r.BGP.Origin, med: route.N(r.MultiExit().Value), first: r.BGP.NeighbourAS,
		internal: q.as == x.as, client: q.client, hop: q.addr,
		vague: !r.BGP.Length.Known || !r.BGP.Weight.Known && q.opaque}
	if r.BGP.LocalPreference.Known {
		out.local = r.BGP.LocalPreference.Value
	}
	return out
}

// outsideTrail is what is known of the way that a captured path went, nil where that is more than one system.
func outsideTrail(r route.Route) []uint32 {
	if r.BGP.Length == route.N(1) && r.BGP.NeighbourAS != 0 {
		return []uint32{r.BGP.NeighbourAS}
	}
	return nil
}

// comesUp reports whether a session over which nothing was heard is one that could not be up when the network was
// captured, and that will be as others of both ends are: those to other autonomous systems may need rules to exchange
// anything (RFC 8212), which is told, or seen where they do so without.
func (v *view) comesUp(i, k int) bool {
	q := &v.nodes[i].peers[k]
	if up, known := v.base.session(i, k); up || !known {
		return false
	}
	exchanges := func(x *speaker) bool {
		return x.unruled || slices.ContainsFunc(x.peers, func(o peer) bool { return o.seen && !o.opaque && o.as != x.as })
	}
	return q.as == v.nodes[i].as || exchanges(&v.nodes[i]) && exchanges(&v.nodes[q.far])
}

// tells is what a speaker announces to one of its peers, which is a speaker too; false for nothing.
func (v *vector) tells(i, k int, c choice) (heard, bool) {
	q := &v.nodes[i].peers[k]
	if len(c.used) == 0 {
		return heard{}, false
	}
	if q.opaque || v.nodes[q.far].peers[q.back].opaque {
		return heard{bgpPath: bgpPath{local: bestLocal, length: noLength, open: true, internal: q.as == v.nodes[i].as}}, true
	}
	var out []heard
	dropped := false
	for _, h := range c.used {
		if told, ok := v.told(i, k, h); ok {
			out = append(out, told)
		} else {
			dropped = true
		}
	}
	if len(out) == 0 {
		return heard{}, false
	}
	one, several := out[0], false
	for _, h := range out[1:] {
		several = several || !slices.Equal(h.trail, one.trail)
		if h.bgpPath != one.bgpPath {
			one.open = true
			one.local, one.length = max(one.local, h.local), min(one.length, h.length)
		}
	}
	if several {
		one.trail, one.blurred = nil, true
	}
	one.open = one.open || dropped
	return one, true
}

// told is one path as a peer hears it.
func (v *vector) told(i, k int, h heard) (heard, bool) {
	x, q := &v.nodes[i], &v.nodes[i].peers[k]
	h.weight, h.far, h.by = 0, route.Number{}, 0
	mine, from := h.from == itself, h.from
	h.from = 0 // the peer knows it by its own number
	if q.as == x.as {
		if from == k || h.internal && !h.client && !q.client {
			return h, false
		}
		switch {
		case !h.internal && q.self, mine && !h.hop.IsValid():
			h.hop = q.own
		case mine: // the next hop of what it takes from elsewhere is its own, or stays
			h.hop = netip.Addr{}
		}
		h.internal, h.client = true, v.nodes[q.far].peers[q.back].client
		return h, true
	}
	if slices.Contains(h.trail, q.as) {
		return h, false
	}
	third := q.ifname != "" && h.hop.IsValid() && linkTo(x.device, h.hop) == q.ifname
	h.open = h.open || h.trail == nil || third
	if h.trail != nil {
		h.trail = append([]uint32{x.as}, h.trail...)
	}
	h.length, h.first, h.local, h.internal, h.client = h.length+1, x.as, usualPreference, false, false
	if !mine {
		h.med = route.N(0)
	}
	h.hop = q.own
	return h, true
}
