package settle

import (
	"cmp"
	"fmt"
	"maps"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/change"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// A model is a network that speaks OSPF by the book (RFC 2328 sections 16.1 to 16.4), from which tables are printed
// before and after a failure. It knows all costs; the predictions see the tables alone.
type model struct {
	rnd      *rand.Rand
	size     int
	links    []modelLink
	lan      []modelLan
	external map[int]int  // by router: 1 or 2, the type of its redistributed static route
	backups  []backup     // static routes that wait
	plain    bool         // tables show no kinds of paths, and configurations tell the areas
	costs    bool         // and the costs
	showOwn  bool         // tables show the protocol's own networks beside the attached ones
	down     map[end]bool // interfaces
	dead     map[int]bool // routers
}

type modelLink struct {
	ends [2]int
	cost [2]int
	area int
}

type modelLan struct{ cost, area int }

type end struct{ router, link int }

type backup struct{ router, goal, link int }

func newModel(seed uint64, areas int) *model {
	rnd := rand.New(rand.NewPCG(seed, 99))
	costs := func() [2]int { return [2]int{1 + rnd.IntN(12), 1 + rnd.IntN(12)} }
	if rnd.IntN(3) > 0 { // mostly both ends count the same, and many links are alike
		costs = func() [2]int {
			c := []int{10, 10, 10, 1, 4, 40, 100}[rnd.IntN(7)]
			return [2]int{c, c}
		}
	}
	m := &model{rnd: rnd, size: 4 + rnd.IntN(6), external: map[int]int{}, down: map[end]bool{}, dead: map[int]bool{}, showOwn: rnd.IntN(3) > 0}
	area := make([]int, m.size) // of a router's own networks
	for i := range m.size {
		if areas > 1 && i > 2 {
			area[i] = rnd.IntN(areas)
		}
		m.lan = append(m.lan, modelLan{1 + rnd.IntN(20), area[i]})
	}
	join := func(a, b int) {
		where := max(area[a], area[b])
		if area[a] != area[b] && area[a] != 0 && area[b] != 0 {
			return // two areas meet at the backbone alone
		}
		m.links = append(m.links, modelLink{[2]int{a, b}, costs(), where})
	}
	for i := 1; i < m.size; i++ {
		far := rnd.IntN(i)
		for area[far] != area[i] && area[far] != 0 {
			far = rnd.IntN(min(i, 3))
		}
		join(far, i)
	}
	for range 1 + rnd.IntN(m.size) {
		a, b := rnd.IntN(m.size), rnd.IntN(m.size)
		if !slices.ContainsFunc(m.links, func(l modelLink) bool { return slices.Contains(l.ends[:], a) && slices.Contains(l.ends[:], b) }) && a != b {
			join(a, b)
		}
	}
	for range rnd.IntN(3) {
		m.external[rnd.IntN(m.size)] = 1 + rnd.IntN(2)
	}
	if areas > 1 {
		clear(m.external)
	}
	for range rnd.IntN(4) {
		k := rnd.IntN(len(m.links))
		side := rnd.IntN(2)
		if r := m.links[k].ends[side]; m.external[r] == 0 { // one that redistributes would announce it
			m.backups = append(m.backups, backup{r, rnd.IntN(m.size), k})
		}
	}
	return m
}

// costOf is a cost as a configuration tells it, where it does.
func (m *model) costOf(cost int) string {
	if !m.costs {
		return ""
	}
	return fmt.Sprint(" cost ", cost)
}

func (m *model) up(r, link int) bool { return !m.down[end{r, link}] && !m.dead[r] }

// runs reports whether an adjacency is up: both ends are.
func (m *model) runs(k int) bool {
	l := m.links[k]
	return m.up(l.ends[0], k) && m.up(l.ends[1], k)
}

// inArea reports whether a router has an interface in an area.
func (m *model) inArea(r, area int) bool {
	if m.lan[r].area == area {
		return true
	}
	return slices.ContainsFunc(m.links, func(l modelLink) bool { return (l.ends[0] == r || l.ends[1] == r) && l.area == area })
}

const far = 1 << 30

// path is a distance with the links by which it begins.
type path struct {
	dist  int
	first map[int]bool // links
}

// within are the paths from every router to one within an area.
func (m *model) within(area, to int) []path {
	dist := make([]path, m.size)
	for i := range dist {
		dist[i] = path{far, map[int]bool{}}
	}
	if m.dead[to] {
		return dist
	}
	dist[to].dist = 0
	for range m.size {
		for k, l := range m.links {
			for side, r := range l.ends {
				if o := l.ends[1-side]; l.area == area && m.runs(k) && dist[o].dist+l.cost[side] < dist[r].dist {
					dist[r].dist = dist[o].dist + l.cost[side]
				}
			}
		}
	}
	for k, l := range m.links {
		for side, r := range l.ends {
			if o := l.ends[1-side]; l.area == area && m.runs(k) && r != to && dist[o].dist < far && dist[o].dist+l.cost[side] == dist[r].dist {
				dist[r].first[k] = true
			}
		}
	}
	return dist
}

// learned is what OSPF knows of a prefix at a router.
type learned struct {
	path
	subtype string
	metric  int
}

func (l learned) better(o learned) bool {
	rank := map[string]int{"": 0, "inter-area": 1, "external-1": 2, "external-2": 3}
	if l.dist == far || o.dist == far {
		return l.dist < o.dist
	}
	if rank[l.subtype] != rank[o.subtype] {
		return rank[l.subtype] < rank[o.subtype]
	}
	return l.dist < o.dist
}

func join(a, b learned) learned {
	if a.better(b) {
		return a
	}
	if b.better(a) || a.dist == far {
		return b
	}
	for k := range b.first {
		a.first[k] = true
	}
	return a
}

// announcer is a router that announces a prefix in an area with a cost of its own.
type announcer struct{ router, cost int }

// routes are what each router knows by OSPF of a network in an area that some routers announce.
func (m *model) routes(area int, from []announcer) []learned {
	out := make([]learned, m.size)
	inside := make([]learned, m.size)
	none := learned{path: path{dist: far}}
	for i := range out {
		out[i], inside[i] = none, none
	}
	for _, a := range from {
		for i, p := range m.within(area, a.router) {
			if p.dist < far && m.inArea(i, area) {
				inside[i] = join(inside[i], learned{path: path{p.dist + a.cost, maps.Clone(p.first)}, metric: p.dist + a.cost})
			}
		}
	}
	copy(out, inside)
	// Over the backbone: from what its border routers know within the area; then into the other areas.
	backbone := slices.Clone(inside)
	if area != 0 {
		for b := range m.size {
			if !m.inArea(b, 0) || !m.inArea(b, area) || inside[b].dist == far {
				continue
			}
			for i, p := range m.within(0, b) {
				if p.dist < far && m.inArea(i, 0) && i != b && inside[i].dist == far {
					d := p.dist + inside[b].dist
					backbone[i] = join(backbone[i], learned{path: path{d, maps.Clone(p.first)}, subtype: "inter-area", metric: d})
				}
			}
		}
		copy(out, backbone)
	}
	for b := range m.size {
		if !m.inArea(b, 0) || backbone[b].dist == far {
			continue
		}
		for c := 1; c < 4; c++ {
			// A part of the area that is cut off hears it from the backbone (RFC 2328 section 3.7).
			if c == area && inside[b].dist < far || !m.inArea(b, c) {
				continue
			}
			for i, p := range m.within(c, b) {
				if p.dist < far && m.inArea(i, c) && !m.inArea(i, 0) && i != b && inside[i].dist == far {
					d := p.dist + backbone[b].dist
					out[i] = join(out[i], learned{path: path{d, maps.Clone(p.first)}, subtype: "inter-area", metric: d})
				}
			}
		}
	}
	return out
}

// text prints the tables.
func (m *model) text() string {
	var b strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	hops := func(r int, first map[int]bool) string {
		s := ""
		for _, k := range slices.Sorted(maps.Keys(first)) {
			o := 2
			if m.links[k].ends[1] == r {
				o = 1
			}
			s += fmt.Sprintf(" via 172.28.%d.%d dev e%d", k, o, k)
		}
		return s
	}
	chosen := map[int]map[string]bool{} // prefixes that a router has better than OSPF
	for r := range m.size {
		if m.dead[r] {
			continue
		}
		chosen[r] = map[string]bool{}
		say("r%d: addr 10.61.%d.1/24 lan0", r, r)
		say("r%d: direct 10.61.%d.0/24 dev lan0", r, r)
		chosen[r][fmt.Sprintf("10.61.%d.0/24", r)] = true
		for k, l := range m.links {
			side := slices.Index(l.ends[:], r)
			if side < 0 {
				continue
			}
			say("r%d: addr 172.28.%d.%d/30 e%d", r, k, side+1, k)
			if !m.up(r, k) {
				say("r%d: link e%d down", r, k)
				continue
			}
			say("r%d: link e%d up", r, k)
			say("r%d: direct 172.28.%d.0/30 dev e%d", r, k, k)
			chosen[r][fmt.Sprintf("172.28.%d.0/30", k)] = true
		}
		if m.external[r] > 0 {
			say("r%d: static 10.70.%d.0/24 pref 1 blackhole", r, r)
			chosen[r][fmt.Sprintf("10.70.%d.0/24", r)] = true
		}
	}
	knows := map[int]map[string]bool{}
	ports := map[string]string{} // of attached networks, the same at both ends
	for k := range m.links {
		ports[fmt.Sprintf("172.28.%d.0/30", k)] = fmt.Sprintf("e%d", k)
	}
	for r := range m.size {
		ports[fmt.Sprintf("10.61.%d.0/24", r)] = "lan0"
	}
	if m.plain {
		for r := range m.size {
			if m.dead[r] {
				continue
			}
			say("r%d: runs ospf lan0 area 0.0.0.%d", r, m.lan[r].area)
			for k, l := range m.links {
				if slices.Contains(l.ends[:], r) {
					say("r%d: runs ospf e%d area 0.0.0.%d%s", r, k, l.area, m.costOf(l.cost[slices.Index(l.ends[:], r)]))
				}
			}
		}
	}
	tell := func(p string, list []learned) {
		for r, l := range list {
			if m.dead[r] || l.dist == far {
				continue
			}
			if chosen[r][p] {
				if m.showOwn && l.subtype == "" {
					say("r%d: %s %s pref 110 metric %d%s candidate", r, map[bool]string{true: "ospf", false: "ospf/intra-area"}[m.plain], p, l.metric, cmp.Or(hops(r, l.first), " dev "+ports[p]))
				}
				continue
			}
			if knows[r] == nil {
				knows[r] = map[string]bool{}
			}
			knows[r][p] = true
			kind := "ospf/" + cmp.Or(l.subtype, "intra-area")
			if m.plain {
				kind = "ospf"
			}
			say("r%d: %s %s pref 110 metric %d%s", r, kind, p, l.metric, hops(r, l.first))
		}
	}
	for r, lan := range m.lan {
		if !m.dead[r] {
			tell(fmt.Sprintf("10.61.%d.0/24", r), m.routes(lan.area, []announcer{{r, lan.cost}}))
		}
	}
	for k, l := range m.links {
		var from []announcer
		for side, r := range l.ends {
			if m.up(r, k) {
				from = append(from, announcer{r, l.cost[side]})
			}
		}
		tell(fmt.Sprintf("172.28.%d.0/30", k), m.routes(l.area, from))
	}
	for r, kind := range m.external {
		if m.dead[r] {
			continue
		}
		list := m.routes(0, []announcer{{r, 0}})
		for i := range list {
			list[i].subtype = fmt.Sprintf("external-%d", kind)
			list[i].metric = 20
			if kind == 1 {
				list[i].metric = list[i].dist + 20
			}
		}
		tell(fmt.Sprintf("10.70.%d.0/24", r), list)
	}
	done := map[string]bool{}
	for _, w := range m.backups {
		p := fmt.Sprintf("10.61.%d.0/24", w.goal)
		key := fmt.Sprint(w.router, p)
		if done[key] {
			continue
		}
		if done[key] = true; m.dead[w.router] || chosen[w.router][p] || !m.up(w.router, w.link) {
			continue
		}
		state := ""
		if knows[w.router][p] {
			state = " candidate"
		}
		say("r%d: static %s pref 200%s%s", w.router, p, hops(w.router, map[int]bool{w.link: true}), state)
	}
	return b.String()
}

// fail breaks something of the model and returns the change that says so.
func (m *model) fail() (change.Change, string) {
	k := m.rnd.IntN(len(m.links))
	l := m.links[k]
	name := func(r int) string { return fmt.Sprintf("r%d", r) }
	port := fmt.Sprintf("e%d", k)
	switch m.rnd.IntN(4) {
	case 0: // one end, which the other one does not notice
		r := l.ends[m.rnd.IntN(2)]
		m.down[end{r, k}] = true
		return change.Change{change.InterfaceDown{Device: name(r), Interface: port}}, name(r) + ":" + port
	case 1:
		r := m.rnd.IntN(m.size)
		m.dead[r] = true
		return change.Change{change.DeviceDown{Device: name(r)}}, name(r)
	}
	m.down[end{l.ends[0], k}], m.down[end{l.ends[1], k}] = true, true
	return change.Change{
		change.InterfaceDown{Device: name(l.ends[0]), Interface: port},
		change.InterfaceDown{Device: name(l.ends[1]), Interface: port},
	}, "link " + port
}

// inUse words what a table forwards by, for each prefix.
func inUse(n *network.Snapshot, device string) map[netip.Prefix]string {
	out := map[netip.Prefix]string{}
	t := n.Device(device).Table("default", route.IPv4)
	for i := 0; i < t.Routes().Len(); {
		g := t.Group(i)
		i = g.Hi
		var all []string
		for _, x := range t.Members(g) {
			switch {
			case x.Is(route.Untold):
				out[x.Prefix] = "untold"
			case x.Is(route.Installed):
				s := x.Protocol.String() + " " + x.Special.String()
				if x.Protocol == route.OSPF && x.Metric.Known {
					s += fmt.Sprint(x.Metric.Value)
				}
				var hops []string
				for _, h := range x.NextHops {
					hops = append(hops, fmt.Sprint(h.Address, "%", h.Interface))
				}
				slices.Sort(hops)
				all = append(all, s+" "+strings.Join(hops, " "))
			}
		}
		if len(all) > 0 {
			out[g2p(t, g)] = strings.Join(all, " and ")
		}
	}
	return out
}

func g2p(t *network.Table, g network.Group) netip.Prefix { return t.Routes().Prefix(g.Lo) }

// withoutMetric leaves the metric out of an OSPF route's words.
func withoutMetric(s string) string {
	w := strings.Fields(s)
	if len(w) > 1 && w[0] == "ospf" && !strings.Contains(w[1], "%") {
		w = slices.Delete(w, 1, 2)
	}
	return strings.Join(w, " ")
}

// seeds numbers the networks to try: as many as asked for, and those of which a prediction was wrong once. In 3367 a
// device's hidden way to a network that it attaches to dies; in 7488 and 8564 areas keep a path from a router.
func seeds() []uint64 {
	out := []uint64{16, 45, 3367, 7488, 8564}
	for seed := range uint64(*runs) {
		out = append(out, seed)
	}
	return out
}

// TestPredictionsAgainstTheModel fails links, interfaces and routers, and compares every table with that of the model
// after the failure: nothing that is predicted is wrong, and little cannot be told.
func TestPredictionsAgainstTheModel(t *testing.T) {
	for _, kind := range []struct {
		name  string
		areas int
		plain bool
		costs bool
	}{
		{"one area", 1, false, false}, {"three areas", 3, false, false}, {"one area as configured", 1, true, false},
		{"three areas as configured", 3, true, false}, {"one area with costs", 1, true, true}, {"three areas with costs", 3, true, true},
	} {
		t.Run(kind.name, func(t *testing.T) {
			right, open, touched := 0, 0, 0
			for _, seed := range seeds() {
				m := newModel(seed, kind.areas)
				m.costs = kind.costs
				if m.plain = kind.plain; m.plain {
					clear(m.external) // a metric alone does not tell all of them apart
				}
				before := m.text()
				n := coretest.Build(before)
				c, what := m.fail()
				edited, err := c.On(n)
				require.NoError(t, err)
				after := New(topology.Build(n)).Run(edited).Network
				truth := coretest.Build(m.text())
				for _, d := range truth.Devices().All() {
					was, got, want := inUse(n, d.Name), inUse(after, d.Name), inUse(truth, d.Name)
					all := maps.Clone(want)
					maps.Copy(all, got)
					for p := range all {
						changed := was[p] != want[p]
						if changed || was[p] != got[p] {
							touched++
						}
						switch {
						case got[p] == "untold":
							open++
						case got[p] == want[p], withoutMetric(got[p]) == withoutMetric(want[p]) && !strings.HasPrefix(got[p], "ospf 1") && !hasMetric(got[p]):
							if changed {
								right++
							}
						default:
							require.Failf(t, "wrong prediction", "seed %d, %s fails: %s of %s is said to be %q and is %q (was %q)\n%s", seed, what, p, d.Name, got[p], want[p], was[p], before)
						}
					}
				}
			}
			t.Logf("%d routes touched, %d predicted rightly, %d cannot be told (%.1f %%)", touched, right, open, 100*float64(open)/float64(touched))
			require.Greater(t, right, *runs, "hardly anything is predicted")
		})
	}
}

// hasMetric reports whether an OSPF route's words have a metric.
func hasMetric(s string) bool { return withoutMetric(s) != strings.Join(strings.Fields(s), " ") }
