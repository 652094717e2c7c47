package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// backbone is the area over which all others reach each other (RFC 2328 section 3.1).
const backbone = "0.0.0.0"

// areaModel solves the paths of an OSPF network of several areas as RFC 2328 section 16 tells, where configurations
// tell every area and every cost. Elsewhere there is none, and search bounds what it can.
type areaModel struct {
	in    *instance
	dead  []bool
	areas [][]string // of each node: those of its interfaces that are up
	// of each node: whether it is a border router, which looks at the backbone's summaries alone
	border []bool
	names  []string   // of all areas
	rules  []areaRule // of each node, where they are known
}

// areaPath is what a node has of a prefix: no arcs and a distance for one that is its own.
type areaPath struct {
	dist   uint64
	arcs   []int
	open   bool // it cannot be told
	metric route.Number
}

// areaState is what is known of several areas. The zero areaState is that there is one, or that they are not told.
type areaState struct {
	trusted *areaModel // nil where anything that decides is not told, or the model does not find what was captured
	apart   bool       // a border router has nobody on the backbone
}

// areasOf is the state of an instance's areas now.
func (r *run) areasOf(in *instance, dead []bool) (s areaState) {
	if in.protocol != route.OSPF || !in.byArea || !in.areas {
		return s
	}
	m := r.newAreaModel(in, dead)
	for n := range in.nodes {
		s.apart = s.apart || m.alone(n)
	}
	if !m.told() {
		return s
	}
	in.trust.once.Do(func() {
		before, whole := &run{Settler: r.Settler, now: r.topo.Network}, in.original()
		b := before.newAreaModel(whole, make([]bool, len(whole.arcs)))
		if b.told() {
			in.trust.rules = b.findRules(before)
			b.rules = in.trust.rules
			in.trust.holds = b.holds(before)
		}
	})
	if in.trust.holds {
		m.rules = in.trust.rules
		s.trusted = m
	}
	return s
}

// original is the instance of the network as it was captured: what came up was not there.
func (in *instance) original() *instance {
	if in.grown {
		return in.captured
	}
	return in
}

// newAreaModel notes the areas of all nodes as they are now.
func (r *run) newAreaModel(in *instance, dead []bool) *areaModel {
	m := &areaModel{in: in, dead: dead, areas: make([][]string, len(in.nodes)), border: make([]bool, len(in.nodes))}
	for n, x := range in.nodes {
		if now := r.now.Device(x.device.Name); now != nil {
			m.areas[n] = in.speaking(now, x.device)
		}
		m.border[n] = len(m.areas[n]) > 1
		m.names = append(m.names, m.areas[n]...)
	}
	slices.Sort(m.names)
	m.names = slices.Compact(m.names)
	return m
}

// told reports whether all that decides is told: the area and the cost of every adjacency, and that every border router
// is on the backbone; where one is not, implementations differ (RFC 3509).
func (m *areaModel) told() bool {
	if m.in.blind || m.in.altered() {
		return false
	}
	for i, a := range m.in.arcs {
		if m.usable(i) && (!a.proven || a.to < 0 || !a.cost.Known || a.area == "" || !a.hop.IsValid()) {
			return false
		}
	}
	for n, border := range m.border {
		if border && !slices.Contains(m.areas[n], backbone) {
			return false
		}
	}
	return true
}

// alone reports whether a node is a border router that has nobody on the backbone: what it does then, RFC 2328 section
// 16.2 and RFC 3509 section 2 do not agree on.
func (m *areaModel) alone(n int) bool {
	return m.border[n] && !slices.ContainsFunc(m.in.out[n],
		func(i int) bool { return m.usable(i) && m.in.arcs[i].area == backbone })
}

// speaking lists the areas of a device's interfaces that are up. The configuration is that of before.
func (in *instance) speaking(now, was *network.Device) (out []string) {
	for _, a := range now.Addresses().All() {
		if route.FamilyOf(a.Prefix.Addr()) != in.family || now.Interface(a.Interface).State == network.LinkDown {
			continue
		}
		if s := was.Runs(in.protocol, in.family, a.Interface); s.On && !slices.Contains(out, s.Area) {
			out = append(out, s.Area)
		}
	}
	return out
}

// usable reports whether an adjacency is there now.
func (m *areaModel) usable(i int) bool { return !m.dead[i] && !m.in.arcs[i].silent }

// owner is a node in whose area a prefix is attached, and what it costs from there.
type owner struct {
	node int
	area string
	cost uint64
}

// owners lists who attaches to a prefix; false where not all of it is told, or some device has it from elsewhere.
func (m *areaModel) owners(r *run, p netip.Prefix) (out []owner, ok bool) {
	for n, x := range m.in.nodes {
		now := r.now.Device(x.device.Name)
		if now == nil {
			continue
		}
		for _, row := range now.Table(x.table.Name, m.in.family).RoutesTo(p) {
			if row.Is(route.Untold) && row.Protocol != m.in.protocol {
				return nil, false
			}
			if row.Protocol == m.in.protocol || !row.Is(route.Installed) ||
				row.Protocol == route.Static && !m.in.announces(n, r, p) {
				continue
			}
			if row.Protocol != route.Direct || len(row.NextHops) != 1 {
				return nil, false
			}
			s := x.device.Runs(m.in.protocol, m.in.family, row.NextHops[0].Interface)
			cost := s.Cost
			if e, had := m.in.entryOf(p, n); had && e.own && e.metric.Known {
				cost = e.metric
			}
			if least, high := m.in.ownMetric(p, n); !cost.Known && least == high {
				cost = route.N(high)
			}
			if !s.On || s.Area == "" || !cost.Known || len(out) > 0 && out[0].area != s.Area {
				return nil, false
			}
			out = append(out, owner{n, s.Area, cost.Value})
		}
	}
	return out, true
}

// solve returns the path of every node to a prefix that is attached in one area, or comes from outside by one router;
// false where that is not so.
func (m *areaModel) solve(r *run, p netip.Prefix) ([]areaPath, bool) {
	if slices.ContainsFunc(m.in.entries[p], func(e entry) bool { return e.rank > 1 }) {
		return m.outside(r, p)
	}
	owners, ok := m.owners(r, p)
	if !ok {
		return nil, false
	}
	from := map[int]uint64{}
	var homes []string
	for _, o := range owners {
		from[o.node], homes = min(o.cost, get(from, o.node)), []string{o.area}
	}
	out := m.paths(homes, from)
	for n := range out {
		out[n].metric = route.N(out[n].dist)
	}
	return out, true
}

// outside is solve for a prefix that one router takes from another source, at a metric that no way adds to (type 2, RFC
// 2328 section 16.4): the way is that to the router.
func (m *areaModel) outside(r *run, p netip.Prefix) ([]areaPath, bool) {
	from, ok := m.announcer(r, p)
	if !ok {
		return nil, false
	}
	var homes []string
	goal := map[int]uint64{}
	if from >= 0 {
		homes, goal[from] = m.areas[from], 0
	}
	out := m.paths(homes, goal)
	for n := range out {
		out[n].metric = m.in.entries[p][0].metric
	}
	return out, true
}

// announcer is the one router that takes a prefix from another source, -1 for none any more; false where it is not
// one, or not for sure. A route that leads into a network in which the protocol speaks may be announced with an
// address of its own to forward to, and is left out.
func (m *areaModel) announcer(r *run, p netip.Prefix) (from int, ok bool) {
	list := m.in.entries[p]
	if len(list) == 0 || !oneMetric(list) ||
		slices.ContainsFunc(list, func(e entry) bool { return e.rank != 3 || e.own }) {
		return 0, false
	}
	from = -1
	for n, x := range m.in.nodes {
		now := r.now.Device(x.device.Name)
		if now == nil {
			continue
		}
		for _, row := range now.Table(x.table.Name, m.in.family).RoutesTo(p) {
			was := slices.Contains(m.in.chainEnds(p), n)
			switch {
			case row.Protocol == m.in.protocol:
			case row.Is(route.Untold):
				return 0, false
			case !row.Is(route.Installed) || !was && !m.in.announces(n, r, p):
			case from >= 0 && from != n, !was, !r.still(m.in, n, p), m.leadsInside(x.device, row):
				return 0, false
			default:
				from = n
			}
		}
	}
	return from, true
}

// leadsInside reports whether a route leads, or may lead, into a network in which the protocol speaks.
func (m *areaModel) leadsInside(d *network.Device, row route.Route) bool {
	return slices.ContainsFunc(row.NextHops, func(h route.NextHop) bool {
		return h.Interface == "" || d.Runs(m.in.protocol, m.in.family, h.Interface).On
	})
}

// paths are the best ones of all nodes to some that are in the areas called homes.
func (m *areaModel) paths(homes []string, from map[int]uint64) []areaPath {
	best := make([]areaPath, len(m.in.nodes))
	for n := range best {
		best[n].dist = endless
	}
	within := make([]bool, len(best))
	for n, ways := range m.ways(homes, from) {
		if within[n] = len(ways) > 0; within[n] {
			best[n] = m.rule(n).choose(ways)
		}
	}
	if told := m.tellers(best, homes); len(told) > 0 { // border routers tell the backbone what is within their area
		m.hear(best, backbone, told, func(n int) bool { return true })
	}
	for _, area := range m.names {
		if area != backbone {
			m.hear(best, area, m.tellers(best, []string{backbone}), func(n int) bool { return !m.border[n] })
		}
	}
	apart := false
	for n := range from {
		apart = apart || slices.Contains(homes, backbone) && m.alone(n)
	}
	for n := range best {
		best[n].open = best[n].open || !within[n] && (apart || m.alone(n))
	}
	return best
}

// tellers are the border routers with a path, as they tell it to another area: those that are in one of some areas too.
func (m *areaModel) tellers(best []areaPath, areas []string) map[int]uint64 {
	out := map[int]uint64{}
	for n := range best {
		in := slices.ContainsFunc(m.areas[n], func(a string) bool { return slices.Contains(areas, a) })
		if m.border[n] && in && best[n].dist < endless {
			out[n] = best[n].dist
		}
	}
	return out
}

// hear gives those nodes of an area that have no path yet the best of what its border routers tell (RFC 2328 section
// 16.2). A border router does not tell an area what it has a path to in that area.
func (m *areaModel) hear(best []areaPath, area string, told map[int]uint64, who func(int) bool) {
	for n := range told {
		if slices.ContainsFunc(best[n].arcs, func(i int) bool { return m.in.arcs[i].area == area }) ||
			!slices.Contains(m.areas[n], area) {
			delete(told, n)
		}
	}
	open := false
	for n := range told {
		open = open || best[n].open
	}
	dist := m.within(area, told)
	for n := range best {
		if slices.Contains(m.areas[n], area) && who(n) && best[n].dist >= endless && dist[n] < endless {
			best[n] = areaPath{dist: dist[n], arcs: m.next(area, n, dist), open: open}
		}
	}
}

// within solves distances over the arcs of one area.
func (m *areaModel) within(area string, from map[int]uint64) []uint64 {
	return m.in.distances(from, func(i int, far uint64) uint64 {
		if a := m.in.arcs[i]; a.area == area && m.usable(i) {
			return plus(a.cost.Value, far)
		}
		return endless
	})
}

// next lists the arcs of an area by which a node has its distance, in order; none where that begins at the node.
func (m *areaModel) next(area string, n int, dist []uint64) (out []int) {
	for _, i := range m.in.out[n] {
		if a := m.in.arcs[i]; a.area == area && m.usable(i) && plus(a.cost.Value, dist[a.to]) == dist[n] {
			out = append(out, i)
		}
	}
	slices.Sort(out)
	return out
}

// holds reports whether the model finds what the captured tables show, before anything is changed: only then it is
// asked what comes after.
func (m *areaModel) holds(r *run) bool {
	for _, p := range m.in.sorted {
		paths, ok := m.solve(r, p)
		if !ok {
			continue
		}
		for _, e := range m.in.entries[p] {
			if e.own || paths[e.node].open {
				continue
			}
			if x := paths[e.node]; x.metric != e.metric || !slices.Equal(x.arcs, sorted(e.arcs)) {
				return false
			}
		}
		for n, x := range paths {
			if _, had := m.in.entryOf(p, n); !had && !x.open && x.dist < endless && len(x.arcs) > 0 &&
				!otherwiseAt(m.in.nodes[n].table, p, m.in.protocol) {
				return false
			}
		}
	}
	return true
}

// answer is what a node would use.
func (x areaPath) answer() answer {
	if x.open {
		return answer{}
	}
	if x.dist >= endless || len(x.arcs) == 0 {
		return answer{kind: nowhere}
	}
	return answer{kind: found, arcs: x.arcs, metric: x.metric}
}
