package settle

import (
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
	"zarvek/internal/core/topology"
)

// A bgpModel is a network of autonomous systems of one router each, which tell each other the shortest paths that they
// know (RFC 4271), in any order of events. Tables are printed of it before and after a failure.
type bgpModel struct {
	rnd   *rand.Rand
	size  int
	ends  [][2]int
	down  []bool
	keeps bool       // of equal paths the one in use stays; else a rank of links decides
	rank  [][]int    // of each router
	best  [][]bgpWay // of each router, of each router's network
	list  bool       // what every router hears is shown as a whole
}

// bgpWay is a path: the link that it was heard over, -1 for none or the router's own.
type bgpWay struct {
	link int
	path []int
}

func newBGPModel(seed uint64) *bgpModel {
	m := &bgpModel{rnd: rand.New(rand.NewPCG(seed, 4271))}
	m.size, m.keeps, m.list = 3+m.rnd.IntN(5), m.rnd.IntN(2) == 0, m.rnd.IntN(4) > 0
	for i := 1; i < m.size; i++ {
		m.ends = append(m.ends, [2]int{m.rnd.IntN(i), i})
	}
	for range m.rnd.IntN(m.size) {
		if a, b := m.rnd.IntN(m.size), m.rnd.IntN(m.size); a != b {
			m.ends = append(m.ends, [2]int{a, b})
		}
	}
	m.down = make([]bool, len(m.ends))
	for range m.size {
		m.rank = append(m.rank, m.rnd.Perm(len(m.ends)))
		m.best = append(m.best, make([]bgpWay, m.size))
	}
	for i := range m.best {
		for p := range m.best[i] {
			m.best[i][p] = bgpWay{link: -1}
		}
	}
	return m
}

// rest lets routers, one at a time and in any order, look at what their neighbours use, until nothing changes.
func (m *bgpModel) rest(t *testing.T) {
	for range 500 {
		moved := false
		for _, i := range m.rnd.Perm(m.size) {
			for p := range m.size {
				w := m.choose(i, p)
				moved = moved || w.link != m.best[i][p].link || !slices.Equal(w.path, m.best[i][p].path)
				m.best[i][p] = w
			}
		}
		if !moved {
			return
		}
	}
	t.Fatal("the model does not come to rest")
}

// heard is what a router's neighbours tell it.
func (m *bgpModel) heard(i, p int) (all []bgpWay) {
	for k, e := range m.ends {
		if m.down[k] || e[0] != i && e[1] != i {
			continue
		}
		far := e[0] + e[1] - i
		if w := m.best[far][p]; w.path != nil && !slices.Contains(w.path, i) && far != i {
			all = append(all, bgpWay{k, append([]int{far}, w.path...)})
		}
	}
	return all
}

// choose is what a router uses by what its neighbours use now.
func (m *bgpModel) choose(i, p int) bgpWay {
	all := m.heard(i, p)
	if i == p {
		return bgpWay{link: -1, path: []int{}}
	}
	if len(all) == 0 {
		return bgpWay{link: -1}
	}
	now := m.best[i][p]
	return slices.MinFunc(all, func(a, b bgpWay) int {
		if d := len(a.path) - len(b.path); d != 0 {
			return d
		}
		if m.keeps && now.link == a.link && slices.Equal(now.path, a.path) {
			return -1
		}
		if m.keeps && now.link == b.link && slices.Equal(now.path, b.path) {
			return 1
		}
		return m.rank[i][a.link] - m.rank[i][b.link]
	})
}

func bgpName(i int) string { return string(rune('a' + i)) }

// text prints tables, addresses and configurations.
func (m *bgpModel) text() string {
	var s strings.Builder
	keeps := ""
	if m.keeps {
		keeps = " keeps"
	}
	for i := range m.size {
		d := bgpName(i)
		fmt.Fprintf(&s, "%s: speaks %d%s\n%[1]s: addr 10.%[4]d.0.1/24 lan\n%[1]s: direct 10.%[4]d.0.0/24 dev lan\n%[1]s: announces 10.%[4]d.0.0/24\n",
			d, 64901+i, keeps, i)
		for k, e := range m.ends {
			if e[0] != i && e[1] != i {
				continue
			}
			own, far := 1, 2
			if e[1] == i {
				own, far = 2, 1
			}
			state := "up"
			if m.down[k] {
				state = "down"
			}
			fmt.Fprintf(&s, "%s: addr 172.16.%d.%d/30 e%[2]d\n%[1]s: link e%[2]d %[4]s\n%[1]s: peer 172.16.%[2]d.%[5]d as %[6]d\n", d, k, own, state,
				far, 64901+e[0]+e[1]-i)
			if !m.down[k] {
				fmt.Fprintf(&s, "%s: direct 172.16.%d.0/30 dev e%[2]d\n", d, k)
			}
		}
		for p := range m.size {
			w := m.best[i][p]
			for _, h := range m.heard(i, p) {
				far := 1
				if m.ends[h.link][0] == i {
					far = 2
				}
				if m.list {
					fmt.Fprintf(&s, "%s: database: bgp 10.%d.0.0/24 via 172.16.%d.%d len %d origin 1 as %d\n", d, p, h.link, far, len(h.path), 64901+h.path[0])
				}
			}
			if w.link < 0 {
				continue
			}
			far := 1
			if m.ends[w.link][0] == i {
				far = 2
			}
			fmt.Fprintf(&s, "%s: bgp 10.%d.0.0/24 pref 20 via 172.16.%d.%d dev e%[3]d\n", d, p, w.link, far)
		}
	}
	return s.String()
}

// TestPathsAgainstTheModel fails a link and brings it back, and compares every table with that of the model: nothing that
// is predicted is wrong, and most is predicted.
func TestPathsAgainstTheModel(t *testing.T) {
	touched, right, open := 0, 0, 0
	for seed := range uint64(*runs) {
		m := newBGPModel(seed)
		m.rest(t)
		k := m.rnd.IntN(len(m.ends))
		for _, down := range []bool{true, false} {
			before := m.text()
			n := coretest.Build(before)
			var c change.Change
			for _, i := range m.ends[k] {
				if down {
					c = append(c, change.InterfaceDown{Device: bgpName(i), Interface: fmt.Sprint("e", k)})
				} else {
					c = append(c, change.InterfaceUp{Device: bgpName(i), Interface: fmt.Sprint("e", k)})
				}
			}
			edited, err := c.On(n)
			require.NoError(t, err)
			res := New(topology.Build(n)).Run(edited)
			require.False(t, res.Oscillates, "seed %d", seed)
			m.down[k] = down
			m.rest(t)
			truth := coretest.Build(m.text())
			for _, d := range truth.Devices().All() {
				was, got, want := inUse(n, d.Name), inUse(res.Network, d.Name), inUse(truth, d.Name)
				all := maps.Clone(want)
				maps.Copy(all, got)
				for p := range all {
					if was[p] != want[p] || was[p] != got[p] {
						touched++
					}
					switch {
					case got[p] == "untold":
						open++
					case got[p] != want[p]:
						require.Failf(t, "wrong prediction", "seed %d, e%d down %v: %s of %s is said to be %q and is %q (was %q)\n%s", seed, k, down,
							p, d.Name, got[p], want[p], was[p], before)
					case was[p] != want[p]:
						right++
					}
				}
			}
		}
	}
	t.Logf("%d routes touched, %d predicted rightly, %d cannot be told (%.1f %%)", touched, right, open, 100*float64(open)/float64(touched))
	require.Greater(t, right, open, "hardly anything is predicted")
}

// exits is a with ways out by two neighbours that nobody captured, and b behind it in the same autonomous system.
const exits = `
	a: addr 172.16.0.1/30 e0
	a: direct 172.16.0.0/30 dev e0
	a: link e0 up
	a: addr 172.16.1.1/30 e1
	a: direct 172.16.1.0/30 dev e1
	a: link e1 up
	a: addr 172.16.2.1/30 e2
	a: direct 172.16.2.0/30 dev e2
	a: link e2 up
	a: speaks 64901
	a: peer 172.16.2.2 as 64901 self
	a: bgp 10.9.0.0/16 pref 20 via 172.16.0.2 dev e0
	b: addr 172.16.2.2/30 e2
	b: direct 172.16.2.0/30 dev e2
	b: link e2 up
	b: speaks 64901
	b: peer 172.16.2.1 as 64901
	b: bgp 10.9.0.0/16 pref 200 via 172.16.2.1
`

// list is what a hears by BGP as a whole.
const list = "a: database: bgp 10.7.0.0/24 via 172.16.0.2 len 2 origin 1 as 65100\na: database: bgp 10.7.0.0/24 via 172.16.1.2 len 3 origin 1 as 65101\n" +
	"a: database: bgp 10.9.0.0/16 via 172.16.0.2 len 1 origin 1 as 65100\na: database: bgp 10.9.0.0/16 via 172.16.1.2 len 2 origin 1 as 65101\n"

// TestWaysOut: of what was heard from others the next best is used, where all is known that could be used.
func TestWaysOut(t *testing.T) {
	const peers = "a: peer 172.16.0.2 as 65100\na: peer 172.16.1.2 as 65101\n"
	const third = "a: addr 172.16.3.1/30 e3\na: direct 172.16.3.0/30 dev e3\na: link e3 up\na: peer 172.16.3.2 as 65102\n"
	const used = "a: bgp 10.7.0.0/24 pref 20 via 172.16.0.2 dev e0\nb: bgp 10.7.0.0/24 pref 200 via 172.16.2.1\n"
	p := netip.MustParsePrefix("10.7.0.0/24")
	one := change.Change{change.InterfaceDown{Device: "a", Interface: "e0"}}
	other := change.Change{change.InterfaceDown{Device: "a", Interface: "e1"}}
	for _, tt := range []struct {
		name, in string
		change   change.Change
		a, b     string
	}{
		{"the other way out is used", peers + used + list, one, "bgp 172.16.1.2%e1", "bgp 172.16.2.1%"},
		{"what was not used may go", peers + used + list, other, "bgp 172.16.0.2%e0", "bgp 172.16.2.1%"},
		{"rules that are not told have made what was heard", strings.ReplaceAll(peers, "65101", "65101 in") + used +
			strings.ReplaceAll(list, "origin", "bgpweight 0 origin"), one, "bgp 172.16.1.2%e1", "bgp 172.16.2.1%"},
		{"a weight that is not shown may come from them", strings.ReplaceAll(peers, "65101", "65101 in") + used +
			strings.ReplaceAll(list, "origin 1 as 65100", "bgpweight 0 origin 1 as 65100"), one, "bgp 172.16.1.2%e1", "bgp 172.16.2.1%"},
		{"all that was heard is not known", peers + used, one, "untold", "untold"},
		{"a third one may have it too", peers + third + used + list, one, "untold", "untold"},
		{"one within was not captured", peers + strings.ReplaceAll(third, "65102", "64901") + used + list, one, "untold", "untold"},
		{"of whom a neighbour is nobody tells", peers + strings.ReplaceAll(third, "65102", "0") + used + list, one, "untold", "untold"},
		{"the third one is switched off", peers + strings.ReplaceAll(third, "65102", "65102 off") + used + list, one, "bgp 172.16.1.2%e1", "bgp 172.16.2.1%"},
		{"what is told within is filtered", strings.ReplaceAll(exits, "64901 self", "64901 self out") + peers + used + list, one, "untold", "untold"},
		{"both are equal", peers + used + strings.ReplaceAll(list, "len 3", "len 2") + third + "a: database: bgp 10.7.0.0/24 via 172.16.3.2 len 2 origin 1 as 65102\n",
			one, "untold", "untold"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			in := exits + tt.in
			if strings.HasPrefix(tt.in, exits) {
				in = tt.in
			}
			n := coretest.Build(in)
			edited, err := tt.change.On(n)
			require.NoError(t, err)
			after := New(topology.Build(n)).Run(edited)
			require.False(t, after.Oscillates)
			require.Equal(t, tt.a, plainWords(inUse(after.Network, "a")[p]))
			require.Equal(t, tt.b, plainWords(inUse(after.Network, "b")[p]))
		})
	}
}

// TestWhoseOwnAPrefixIs: what the speakers are attached to or told to announce nobody outside has from elsewhere. What
// they took from another protocol somebody outside may have as well, and tell of once they do not.
func TestWhoseOwnAPrefixIs(t *testing.T) {
	const lan = "a: addr 172.16.4.1/30 e4\na: direct 172.16.4.0/30 dev e4\na: link e4 up\na: peer 172.16.0.2 as 65100\na: peer 172.16.1.2 as 65101\n" +
		"b: bgp 10.20.0.0/24 pref 200 via 172.16.2.1\n" + list
	const attached = "a: addr 10.20.0.1/24 e5\na: direct 10.20.0.0/24 dev e5\na: link e5 up\n"
	const beyond = "a: static 10.20.0.0/24 pref 1 via 172.16.4.2 dev e4\n"
	p := netip.MustParsePrefix("10.20.0.0/24")
	for _, tt := range []struct{ name, in, down, b string }{
		{"attached, and told to announce it", attached + "a: announces 10.20.0.0/24\n", "e5", ""},
		{"attached, and announced as such", attached + "a: hands direct to bgp\n", "e5", ""},
		{"beyond, and told to announce it", beyond + "a: announces 10.20.0.0/24\n", "e4", ""},
		{"beyond, and taken from another protocol", beyond + "a: hands static to bgp\n", "e4", "untold"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			n := coretest.Build(exits + lan + tt.in)
			edited, err := change.Change{change.InterfaceDown{Device: "a", Interface: tt.down}}.On(n)
			require.NoError(t, err)
			require.Equal(t, tt.b, plainWords(inUse(New(topology.Build(n)).Run(edited).Network, "b")[p]))
		})
	}
}

// TestEditedPaths: a route of BGP that somebody takes out is not put back as if nothing had happened.
func TestEditedPaths(t *testing.T) {
	p := netip.MustParsePrefix("10.7.0.0/24")
	n := coretest.Build(exits + "a: peer 172.16.0.2 as 65100\na: peer 172.16.1.2 as 65101\n" +
		"a: bgp 10.7.0.0/24 pref 20 via 172.16.0.2 dev e0\nb: bgp 10.7.0.0/24 pref 200 via 172.16.2.1\n" + list)
	edited, err := change.Change{change.RemoveRoute{Device: "a", Table: "default", Prefix: p, NextHop: netip.MustParseAddr("172.16.0.2")}}.On(n)
	require.NoError(t, err)
	after := New(topology.Build(n)).Run(edited).Network
	require.NotEqual(t, "bgp 172.16.0.2%e0", plainWords(inUse(after, "a")[p]))
	require.Equal(t, "untold", plainWords(inUse(after, "b")[p]), "what a tells now is not known")
}

// TestWithinComesFirst: a router that announces from outside what another one is attached to draws nobody off, however
// near it is (RFC 2328 section 11); who has nobody left but that one may use it.
func TestWithinComesFirst(t *testing.T) {
	const net = `
	a: addr 172.16.0.1/30 e0
	a: link e0 down
	a: addr 172.16.1.1/30 e1
	a: direct 172.16.1.0/30 dev e1
	a: link e1 up
	a: runs ospf e0 area 0.0.0.0 cost 1
	a: runs ospf e1 area 0.0.0.0 cost 20
	a: ospf 10.7.0.0/24 pref 110 metric 30 via 172.16.1.2 dev e1
	b: addr 172.16.0.2/30 e0
	b: link e0 down
	b: runs ospf e0 area 0.0.0.0 cost 1
	b: ospf 10.6.0.0/24 pref 110 metric 1 dev lan candidate
	b: bgp 10.7.0.0/24 pref 20 via 172.16.9.9 dev e9
	b: addr 172.16.9.1/24 e9
	b: direct 172.16.9.0/24 dev e9
	b: speaks 64901
	b: peer 172.16.9.9 as 64999
	b: hands bgp to ospf
	c: addr 172.16.1.2/30 e1
	c: direct 172.16.1.0/30 dev e1
	c: link e1 up
	c: direct 10.7.0.0/24 dev lan
	c: addr 10.7.0.1/24 lan
	c: runs ospf e1 area 0.0.0.0 cost 20
	c: runs ospf lan area 0.0.0.0 cost 10
	c: ospf 10.7.0.0/24 pref 110 metric 10 dev lan candidate
	`
	p := netip.MustParsePrefix("10.7.0.0/24")
	n := coretest.Build(net)
	up := change.Change{change.InterfaceUp{Device: "a", Interface: "e0"}, change.InterfaceUp{Device: "b", Interface: "e0"}}
	edited, err := up.On(n)
	require.NoError(t, err)
	require.Equal(t, "ospf 172.16.1.2%e1", plainWords(inUse(New(topology.Build(n)).Run(edited).Network, "a")[p]))
	edited, err = append(up, change.InterfaceDown{Device: "a", Interface: "e1"}, change.InterfaceDown{Device: "c", Interface: "e1"}).On(n)
	require.NoError(t, err)
	require.Equal(t, "untold", plainWords(inUse(New(topology.Build(n)).Run(edited).Network, "a")[p]))
}

// TestWhatHoldsItselfUp: two parts of OSPF that hand routes to each other by BGP. What nobody owns any more goes where
// one way joins them; over two it may go round for ever, or not.
func TestWhatHoldsItselfUp(t *testing.T) {
	const net = `
	a: addr 172.16.0.1/30 e0
	a: direct 172.16.0.0/30 dev e0
	a: link e0 up
	a: addr 10.1.0.1/24 lan
	a: direct 10.1.0.0/24 dev lan
	a: link lan up
	a: speaks 64901 strict
	a: peer 172.16.0.2 as 64902
	a: runs ospf lan area 0.0.0.0 cost 10
	a: hands ospf to bgp
	a: hands direct to bgp
	a: hands bgp to ospf
	a: ospf 10.1.0.0/24 pref 110 metric 10 dev lan candidate
	b: addr 172.16.0.2/30 e0
	b: direct 172.16.0.0/30 dev e0
	b: link e0 up
	b: addr 172.16.1.1/30 e1
	b: direct 172.16.1.0/30 dev e1
	b: link e1 up
	b: speaks 64902 strict
	b: peer 172.16.0.1 as 64901
	b: runs ospf e1 area 0.0.0.0 cost 10
	b: hands ospf to bgp
	b: hands direct to bgp
	b: hands bgp to ospf
	b: bgp 10.1.0.0/24 pref 20 via 172.16.0.1 dev e0
	c: addr 172.16.1.2/30 e1
	c: direct 172.16.1.0/30 dev e1
	c: link e1 up
	c: runs ospf e1 area 0.0.0.0 cost 10
	c: ospf 10.1.0.0/24 pref 110 metric 20 via 172.16.1.1 dev e1
	`
	p := netip.MustParsePrefix("10.1.0.0/24")
	const second = `
	a: addr 172.16.2.1/30 e2
	a: direct 172.16.2.0/30 dev e2
	a: link e2 up
	a: runs ospf e2 area 0.0.0.0 cost 10
	d: addr 172.16.2.2/30 e2
	d: direct 172.16.2.0/30 dev e2
	d: link e2 up
	d: runs ospf e2 area 0.0.0.0 cost 10
	d: ospf 10.1.0.0/24 pref 110 metric 20 via 172.16.2.1 dev e2
	d: addr 172.16.3.1/30 e3
	d: direct 172.16.3.0/30 dev e3
	d: link e3 up
	d: speaks 64901 strict
	d: peer 172.16.3.2 as 64902
	d: hands ospf to bgp
	d: hands bgp to ospf
	c: addr 172.16.3.2/30 e3
	c: direct 172.16.3.0/30 dev e3
	c: link e3 up
	c: speaks 64902 strict
	c: peer 172.16.3.1 as 64901
	c: hands ospf to bgp
	c: hands bgp to ospf
	`
	run := func(n *network.Snapshot, c change.Change) (b, far string) {
		edited, err := c.On(n)
		require.NoError(t, err)
		after := New(topology.Build(n)).Run(edited)
		require.False(t, after.Oscillates)
		return plainWords(inUse(after.Network, "b")[p]), plainWords(inUse(after.Network, "c")[p])
	}
	one := coretest.Build(net)
	b, c := run(one, change.Change{change.InterfaceDown{Device: "a", Interface: "e0"}, change.InterfaceDown{Device: "b", Interface: "e0"}})
	require.Equal(t, []string{"", ""}, []string{b, c}, "with the session all of it is gone")
	lan := change.Change{change.InterfaceDown{Device: "a", Interface: "lan"}}
	b, c = run(one, lan)
	require.Equal(t, []string{"", ""}, []string{b, c}, "nobody can tell it to those who told it")
	b, c = run(coretest.Build(net+second), lan)
	require.Equal(t, []string{"untold", "untold"}, []string{b, c}, "they hand it to each other, and nobody owns it")
}
