package settle

import (
	"cmp"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// question is one prefix of one protocol.
type question struct {
	protocol route.Protocol
	family   route.Family
	part     int
	prefix   netip.Prefix
}

// madeFrom is what a prediction hangs on that may change from one round to the next.
type madeFrom struct {
	origins []origin
	gone    bool
}

// An origin is a node that announces a prefix, or may: least and most bound the metric that it begins with.
type origin struct {
	node        int
	least, most uint64
	fresh       bool // it did not announce it before
	// it takes it from another source and announces it, as its configuration tells (RFC 2328 section 2.3)
	external bool
	attached bool // it is attached to the network, and the protocol runs there
	// the external metric of type 2 with which it announces it, where captures show that
	told route.Number
}

// protocol predicts the routes of one protocol; true where any table changes.
func (r *run) protocol(in *instance) bool {
	in = r.grownBy(in)
	dead := make([]bool, len(in.arcs))
	some := false
	for i := range in.arcs {
		dead[i] = r.dead(in, &in.arcs[i])
		some = some || dead[i]
	}
	changed := false
	moved := r.moved(in)
	areas := r.areasOf(in, dead)
	for _, p := range r.candidates(in, dead, moved, some) {
		origins, gone := r.origins(in, p, dead, moved.with(in, p))
		if !some && !gone && !in.grown {
			continue
		}
		if !gone && !in.grown && !in.hidden && !in.veiled[p] && !in.mayUse(p, dead) {
			continue // no path of anybody uses what died
		}
		q := question{in.protocol, in.family, in.part, p}
		if last, again := r.asked[q]; again && last.gone == gone && slices.Equal(last.origins, origins) {
			continue
		}
		r.asked[q] = madeFrom{origins, gone}
		changed = r.predict(in, p, origins, gone, dead, areas) || changed
	}
	return changed
}

// mayUse reports whether the path of anybody to a prefix may go over a dead arc.
func (in *instance) mayUse(p netip.Prefix, dead []bool) bool {
	list := in.entries[p]
	for k := range list {
		if in.areas && list[k].rank > 0 { // the way beyond a border router is not that router's own
			return true
		}
		for _, i := range list[k].arcs {
			if dead[i] {
				return true
			}
		}
	}
	return false
}

// moved is where nodes differ from the network as it was.
type moved struct {
	nodes []int                  // all of them
	gone  []int                  // their devices are
	at    map[netip.Prefix][]int // those that have a prefix otherwise
}

// with are the nodes of which it must be asked what they have of a prefix now: who had it before, and has nothing
// otherwise, is known. Of a prefix that is new to the protocol, and of nodes that came up, nothing is.
func (m *moved) with(in *instance, p netip.Prefix) []int {
	if in.grown || len(in.entries[p]) == 0 {
		return m.nodes
	}
	return m.at[p]
}

// moved finds the nodes whose tables are not as they were captured.
func (r *run) moved(in *instance) moved {
	m := moved{at: map[netip.Prefix][]int{}}
	for n, x := range in.nodes {
		now := r.now.Numbered(x.device.Number())
		if now == x.device {
			continue
		}
		m.nodes = append(m.nodes, n)
		if now == nil {
			m.gone = append(m.gone, n)
			continue
		}
		for p := range now.Table(x.table.Name, in.family).ReplacedPrefixes() {
			m.at[p] = append(m.at[p], n)
		}
	}
	return m
}

// candidates lists the prefixes that may have other paths: those over dead adjacencies, those that several devices
// attach to, since a hidden path between these may have died, and those that a device has that is not as it was. Where
// something came up, or border routers hide their ways, it is all of them.
func (r *run) candidates(in *instance, dead []bool, moved moved, some bool) []netip.Prefix {
	if in.grown || (in.areas || in.hidden) && some {
		return append(slices.Clone(in.sorted), r.fresh(in)...)
	}
	wanted := make([]bool, len(in.sorted))
	for i, list := range in.uses {
		if !dead[i] {
			continue
		}
		for _, at := range list {
			wanted[at] = true
		}
	}
	if some {
		for _, at := range in.shared {
			wanted[at] = true
		}
	}
	for _, n := range moved.gone {
		for at, p := range in.sorted {
			if _, had := in.entryOf(p, n); had || slices.Contains(in.holders[p], n) || slices.Contains(in.ends[p], n) {
				wanted[at] = true
			}
		}
	}
	for p := range moved.at {
		if at, known := slices.BinarySearchFunc(in.sorted, p, netip.Prefix.Compare); known {
			wanted[at] = true
		}
	}
	out := r.fresh(in)
	for at, p := range in.sorted {
		if wanted[at] {
			out = append(out, p)
		}
	}
	slices.SortFunc(out, netip.Prefix.Compare)
	return slices.Compact(out)
}

// dead reports whether an adjacency is gone: either end is, or is down.
func (r *run) dead(in *instance, a *arc) bool {
	from := in.nodes[a.from].device
	now := r.now.Numbered(from.Number())
	if now == nil || now != from && wentDown(from, now, a.ifname) {
		return true
	}
	if a.to < 0 {
		return false
	}
	to := in.nodes[a.to].device
	far := r.now.Numbered(to.Number())
	return far == nil || far != to && wentDown(to, far, a.peer)
}

// predict puts the paths of one prefix into the tables as they would be; true where any changes.
func (r *run) predict(
	in *instance, p netip.Prefix, origins []origin, lost bool, dead []bool, areas areaState,
) bool {
	s, touched := r.searchAgain(in, p, origins, lost, dead)
	if s == nil {
		s = newSearch(in, p, slices.Clone(origins), lost, dead)
	}
	s.apart = areas.apart
	var paths []areaPath
	if areas.trusted != nil {
		paths, _ = areas.trusted.solve(r, p)
	}
	announces := func(n int) bool { return slices.ContainsFunc(origins, func(o origin) bool { return o.node == n }) }
	changed := false
	var none entry
	list := in.entries[p] // in the order of nodes
	for n, x := range in.nodes {
		own := &none
		had := len(list) > 0 && list[0].node == n
		if had {
			own, list = &list[0], list[1:]
		}
		now := r.now.Numbered(x.device.Number())
		if now == nil || touched != nil && !touched[n] && now == x.device && !announces(n) {
			continue
		}
		if had && own.own {
			if now.Interface(own.ifname).State == network.LinkDown { // what was its own network
				had = false
			} else {
				continue
			}
		}
		t := now.Table(x.table.Name, in.family)
		if had && paths == nil && !t.Replaces(p) && !announces(n) && s.keeps(own) {
			continue
		}
		by, how := r.otherwise(in, n, p)
		if by && how != route.Direct && how != route.Local && in.mayLearn(origins) {
			by = standFirst(t, t.RoutesTo(p), in.protocol, in.attributes(t, p, entry{}, false, n).Preference)
		}
		if !had && (by || paths == nil && !s.takesPart[n]) {
			continue // the protocol had no path there, or none that was shown beside what is used
		}
		e := *own
		from := s
		if announces(n) { // what it announces it does not learn
			others := slices.DeleteFunc(slices.Clone(origins), func(o origin) bool { return o.node == n })
			from = newSearch(in, p, others, lost, dead)
			from.apart = areas.apart
		}
		var a answer
		if paths != nil {
			a = paths[n].answer()
		} else {
			a = from.answer(n, e, had)
		}
		rows := t.RoutesTo(p)
		next, ok := in.rows(t, rows, p, e, had, a, n)
		if !ok {
			continue
		}
		changed = r.put(x.device.Name, t.Name, p, decide(r.was(x.device.Name), now, t, p, next)) || changed
	}
	return changed
}

// mayLearn reports whether there may be paths now where the protocol had none: something came up, or somebody announces
// who did not.
func (in *instance) mayLearn(origins []origin) bool {
	return in.grown || slices.ContainsFunc(origins, func(o origin) bool { return o.fresh })
}

// standFirst reports whether any of a prefix's routes is in use by another protocol than the one given, and comes
// before routes of that one, which have the preference told.
func standFirst(t *network.Table, rows []route.Route, protocol route.Protocol, told route.Number) bool {
	return slices.ContainsFunc(rows, func(x route.Route) bool {
		if !x.Is(route.Installed) || x.Protocol == protocol {
			return false
		}
		first, second := x.Preference, told
		if t.HighestWins {
			first, second = second, first
		}
		return x.Protocol == route.Direct || x.Protocol == route.Local ||
			first.Known && second.Known && first.Value <= second.Value
	})
}

// decide chooses among the routes of a prefix, of which the protocol's may be untold.
func decide(was, d *network.Device, t *network.Table, p netip.Prefix, rows []route.Route) []route.Route {
	if slices.ContainsFunc(rows, func(x route.Route) bool { return x.Is(route.Untold) }) {
		return selection.ElectAmongUntold(d, t, rows)
	}
	return elected(was, d, t, p, rows)
}

// entryOf finds what a node has of a prefix. Entries stand in the order of their nodes, as tables were read.
func (in *instance) entryOf(p netip.Prefix, n int) (entry, bool) {
	list := in.entries[p]
	at, found := slices.BinarySearchFunc(list, n, func(e entry, n int) int { return cmp.Compare(e.node, n) })
	if !found {
		return entry{}, false
	}
	return list[at], true
}

// rows are the routes of a prefix with the protocol's replaced by what it would find; false where nothing of it
// changes.
func (in *instance) rows(
	t *network.Table, rows []route.Route, p netip.Prefix, e entry, had bool, a answer, n int,
) ([]route.Route, bool) {
	left := slices.DeleteFunc(slices.Clone(rows),
		func(x route.Route) bool { return x.Protocol == in.protocol && !x.Is(route.Unusable) })
	switch a.kind {
	case nowhere:
		return left, len(left) < len(rows)
	case open:
		attr := in.attributes(t, p, e, had, n)
		return append(left, route.Route{Prefix: p, Attributes: attr, Metric: e.row.Metric,
			State: route.Active | route.Rejected | route.Untold, Mark: e.row.Mark}), true
	}
	if had && slices.Equal(a.arcs, sorted(e.arcs)) && a.metric == e.metric {
		return in.asBefore(t, left, p, n)
	}
	attr := *in.attributes(t, p, e, had, n)
	attr.NextHops = nil
	for _, i := range a.arcs {
		attr.NextHops = append(attr.NextHops, route.NextHop{Address: in.arcs[i].hop, Interface: in.arcs[i].ifname})
	}
	return append(left, route.Route{Prefix: p, Attributes: &attr, Metric: a.metric, Mark: e.row.Mark}), true
}

// asBefore puts a node's captured routes of the protocol back where an earlier round found others; false where it did
// not.
func (in *instance) asBefore(t *network.Table, left []route.Route, p netip.Prefix, n int) ([]route.Route, bool) {
	if !t.Replaces(p) {
		return nil, false
	}
	own := func(list []route.Route) []route.Route {
		return slices.DeleteFunc(list, func(x route.Route) bool {
			return x.Protocol != in.protocol || x.Is(route.Unusable)
		})
	}
	was, is := own(in.nodes[n].table.RoutesTo(p)), own(t.RoutesTo(p))
	if slices.EqualFunc(was, is, sameAttributes) {
		return nil, false
	}
	for i := range was {
		was[i].State &^= route.Active | route.Installed | route.Rejected | route.Untold
	}
	return append(left, was...), true
}

func sorted(list []int) []int {
	out := slices.Clone(list)
	slices.Sort(out)
	return slices.Compact(out)
}

// attributes are those of the entry, or of a route of the protocol of the same kind, whose preference it would have.
func (in *instance) attributes(t *network.Table, p netip.Prefix, e entry, had bool, n int) *route.Attributes {
	if had {
		return e.row.Attributes
	}
	want, subtype := 0, ""
	if len(in.entries[p]) == 0 {
		want = 3
	}
	for _, f := range in.entries[p] {
		if !f.own {
			want, subtype = f.rank, f.row.Subtype
		}
	}
	return &route.Attributes{Protocol: in.protocol, Subtype: subtype, Preference: in.preference(t, n, want)}
}

// preference is what a node's routes of the protocol and of one kind have, or all of its routes of the protocol.
func (in *instance) preference(t *network.Table, n, kind int) route.Number {
	for _, p := range in.sorted {
		for _, f := range in.entries[p] {
			if f.node == n && f.rank == kind && f.row.Preference.Known {
				return f.row.Preference
			}
		}
	}
	return in.onePreference(t)
}

// onePreference is what all routes of the protocol in a table have, not known where they differ.
func (in *instance) onePreference(t *network.Table) route.Number {
	var one route.Number
	for id := range t.Routes().Shared() {
		x := t.Routes().Attributes(route.AttrID(id))
		if x.Protocol != in.protocol || !x.Preference.Known {
			continue
		}
		if one.Known && one != x.Preference {
			return route.Number{}
		}
		one = x.Preference
	}
	return one
}
