package selection_test

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

func table(t *testing.T, in string) *network.Table {
	t.Helper()
	tab := coretest.Build(in).Device("a").Table("default", route.IPv4)
	require.NotNil(t, tab)
	return tab
}

func explain(in string, dst netip.Prefix) selection.Choice {
	d := coretest.Build(in).Device("a")
	return selection.Explain(d, d.Table("default", route.FamilyOf(dst.Addr())), dst)
}

func TestLongest(t *testing.T) {
	tab := table(t, `
		a: static 0.0.0.0/0 via 10.0.0.1
		a: static 10.0.0.0/8 via 10.0.0.2
		a: ospf 10.1.0.0/16 via 10.0.0.3 candidate   # no more than a candidate: the /8 forwards
		a: static 10.2.0.0/16 via 10.0.0.4 rejected
		a: direct 10.3.0.1/32 dev lo
		a: local 10.3.0.1/32 receive dev lo
	`)
	for addr, want := range map[string]string{"10.1.5.5": "10.0.0.0/8", "9.9.9.9": "0.0.0.0/0", "10.9.9.9": "10.0.0.0/8"} {
		m := selection.Longest(tab, netip.MustParseAddr(addr))
		require.Equal(t, want, m.Prefix.String(), addr)
		require.False(t, m.Refused)
	}
	require.True(t, selection.Longest(tab, netip.MustParseAddr("10.2.1.1")).Refused, "what packets follow is not known")
	m := selection.Longest(tab, netip.MustParseAddr("10.3.0.1"))
	require.Len(t, m.Routes, 1)
	require.Equal(t, route.Receive, m.Routes[0].Special)
}

// TestLongestAgainstLinearSearch compares with the simplest search there is, over random tables.
func TestLongestAgainstLinearSearch(t *testing.T) {
	for seed := range uint64(20) {
		rnd := rand.New(rand.NewPCG(seed, 1))
		var in strings.Builder
		var all []netip.Prefix
		for range 200 {
			bits := rnd.IntN(17)
			p := netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 0, byte(rnd.IntN(256)), byte(rnd.IntN(256))}), 16+bits).
				Masked()
			state := ""
			if rnd.IntN(4) == 0 {
				state = " candidate"
			} else {
				all = append(all, p)
			}
			fmt.Fprintf(&in, "a: static %s via 10.9.9.9%s\n", p, state)
		}
		tab := table(t, in.String())
		for range 500 {
			a := netip.AddrFrom4([4]byte{10, 0, byte(rnd.IntN(256)), byte(rnd.IntN(256))})
			want := netip.Prefix{}
			for _, p := range all {
				if p.Contains(a) && (!want.IsValid() || p.Bits() > want.Bits()) {
					want = p
				}
			}
			require.Equal(t, want, selection.Longest(tab, a).Prefix, "seed %d, %s", seed, a)
		}
	}
}

func TestResolve(t *testing.T) {
	for _, tt := range []struct {
		name, in string
		dst      string
		exits    []string
		failure  selection.Failure
	}{
		{"an interface needs no resolution", "a: static 10.1.0.0/16 via 10.0.0.2 dev e0", "10.1.0.1", []string{"e0 10.0.0.2"}, 0},
		{"through an attached network", "a: static 10.1.0.0/16 via 10.0.0.2\na: direct 10.0.0.0/24 dev e0", "10.1.0.1", []string{"e0 10.0.0.2"}, 0},
		{"through another route to its next hop", "a: bgp 10.1.0.0/16 via 10.7.0.1\na: ospf 10.7.0.1/32 via 10.0.0.2 dev e0", "10.1.0.1", []string{"e0 10.0.0.2"}, 0},
		{"over two steps and both equal ways",
			"a: bgp 10.1.0.0/16 via 10.7.0.1\na: static 10.7.0.0/16 via 10.8.0.1\na: ospf 10.8.0.0/16 via 10.0.0.2 dev e0 via 10.0.1.2 dev e1",
			"10.1.0.1", []string{"e0 10.0.0.2", "e1 10.0.1.2"}, 0},
		{"no route to the next hop", "a: static 10.1.0.0/16 via 10.0.0.2", "10.1.0.1", nil, selection.NoRoute},
		{"only the route itself covers its next hop", "a: static 10.1.0.0/16 via 10.1.0.2", "10.1.9.9", nil, selection.ThroughSelf},
		{"two routes resolve each other", "a: static 10.1.0.0/16 via 10.2.0.1\na: static 10.2.0.0/16 via 10.3.0.1\na: static 10.3.0.0/16 via 10.2.0.9", "10.1.0.1", nil, selection.Cycle},
		{"into a discard", "a: static 10.1.0.0/16 via 10.2.0.1\na: static 10.2.0.0/16 blackhole", "10.1.0.1", nil, selection.DiscardedHop},
		{"nothing to resolve", "a: static 10.1.0.0/16", "10.1.0.1", nil, selection.NoNextHop},
		{"through a route that what forwards refused", "a: static 10.1.0.0/16 via 10.2.0.1\na: static 10.2.0.0/16 via 10.0.0.2 dev e0 rejected", "10.1.0.1", nil, selection.NotReadable},
	} {
		t.Run(tt.name, func(t *testing.T) {
			tab := table(t, tt.in)
			m := selection.Longest(tab, netip.MustParseAddr(tt.dst))
			res := selection.Resolve(tab, m.Routes[0])
			require.Len(t, res, 1)
			var got []string
			for _, e := range res[0].Exits {
				got = append(got, e.Interface+" "+e.Address.String())
			}
			require.Equal(t, tt.exits, got)
			require.Equal(t, tt.failure, res[0].Failure)
		})
	}
}

func TestResolveSharesByWeight(t *testing.T) {
	tab := table(t, "a: static 10.1.0.0/16 via 10.0.0.2 dev e0 weight 3 via 10.0.1.2 dev e1")
	res := selection.Resolve(tab, selection.Longest(tab, netip.MustParseAddr("10.1.0.1")).Routes[0])
	require.InDelta(t, 0.75, res[0].Share, 1e-9)
	require.InDelta(t, 0.25, res[1].Share, 1e-9)
}

// TestResolveEnds holds the bound on tables that split at every step.
func TestResolveEnds(t *testing.T) {
	var in strings.Builder
	in.WriteString("a: static 10.100.0.0/16 via 10.0.0.1\n")
	for i := range 40 {
		fmt.Fprintf(&in, "a: static 10.%d.0.0/16", i)
		for j := range 8 {
			fmt.Fprintf(&in, " via 10.%d.0.%d", i+1, j+1)
		}
		in.WriteString("\n")
	}
	tab := table(t, in.String())
	res := selection.Resolve(tab, selection.Longest(tab, netip.MustParseAddr("10.100.0.1")).Routes[0])
	require.Equal(t, selection.TooLong, res[0].Failure)
}

func TestExplain(t *testing.T) {
	type lost struct {
		route string
		why   selection.Why
	}
	for _, tt := range []struct {
		name, in, dst, won string
		lost               []lost
		takesOver          string
	}{
		{"the longest prefix wins whatever the preference",
			"a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0\na: static 10.0.0.0/8 pref 1 via 10.0.0.3 dev e1", "10.1.0.1", "10.1.0.0/16 ospf",
			[]lost{{"10.0.0.0/8 static", selection.ShorterPrefix}}, "10.0.0.0/8 static"},
		{"the lower preference wins, and the floating one takes over",
			"a: ospf 10.1.0.0/16 pref 110 metric 900 via 10.0.0.2 dev e0\na: static 10.1.0.0/16 pref 115 metric 0 via 10.0.0.3 dev e1 candidate\na: static 0.0.0.0/0 via 10.0.0.9 dev e1",
			"10.1.0.1", "10.1.0.0/16 ospf",
			[]lost{{"10.1.0.0/16 static", selection.Preference}, {"0.0.0.0/0 static", selection.ShorterPrefix}}, "10.1.0.0/16 static"},
		{"OSPF path types come before the metric",
			"a: ospf/inter-area 10.1.0.0/16 pref 110 metric 900 via 10.0.0.2 dev e0\na: ospf/external-2 10.1.0.0/16 pref 110 metric 1 via 10.0.0.3 dev e1 candidate",
			"10.1.0.1", "10.1.0.0/16 ospf", []lost{{"10.1.0.0/16 ospf", selection.PathType}}, "10.1.0.0/16 ospf"},
		{"within one protocol the metric decides",
			"a: rip 10.1.0.0/16 pref 120 metric 2 via 10.0.0.2 dev e0\na: rip 10.1.0.0/16 pref 120 metric 3 via 10.0.0.3 dev e1 candidate",
			"10.1.0.1", "10.1.0.0/16 rip", []lost{{"10.1.0.0/16 rip", selection.Metric}}, "10.1.0.0/16 rip"},
		{"metrics of two protocols are not compared",
			"a: rip 10.1.0.0/16 pref 110 metric 2 via 10.0.0.2 dev e0\na: ospf 10.1.0.0/16 pref 110 metric 3 via 10.0.0.3 dev e1 candidate",
			"10.1.0.1", "10.1.0.0/16 rip", []lost{{"10.1.0.0/16 ospf", selection.NotChosen}}, "10.1.0.0/16 ospf"},
		{"the device's own choice stands, even against the rules",
			"a: bgp 10.1.0.0/16 pref 200 via 10.0.0.2 dev e0\na: static 10.1.0.0/16 pref 1 via 10.0.0.3 dev e1 candidate",
			"10.1.0.1", "10.1.0.0/16 bgp", []lost{{"10.1.0.0/16 static", selection.AgainstRules}}, "10.1.0.0/16 static"},
		{"an inactive candidate neither wins nor takes over",
			"a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0\na: static 10.1.0.0/16 pref 1 via 10.0.0.3 dev e1 inactive",
			"10.1.0.1", "10.1.0.0/16 ospf", []lost{{"10.1.0.0/16 static", selection.Unusable}}, ""},
		{"a candidate on the interface of the attached network goes with it",
			"a: direct 10.1.0.0/16 dev e0\na: ospf 10.1.0.0/16 pref 110 metric 10 dev e0 candidate",
			"10.1.0.1", "10.1.0.0/16 direct", []lost{{"10.1.0.0/16 ospf", selection.Preference}}, ""},
		{"nothing covers it", "a: static 10.1.0.0/16 via 10.0.0.2 dev e0", "10.2.0.1", "", nil, ""},
		{"the only route was not installed", "a: static 10.1.0.0/16 via 10.0.0.2 dev e0\na: kernel: static 10.2.0.0/16 via 10.0.0.2 dev e0",
			"10.1.0.1", "", []lost{{"10.1.0.0/16 static", selection.NotInstalled}}, ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			a := netip.MustParseAddr(tt.dst)
			c := explain(tt.in, netip.PrefixFrom(a, 32))
			word := func(r route.Route) string { return r.Prefix.String() + " " + r.Protocol.String() }
			won := ""
			if c.Match.Found() {
				won = word(c.Match.Routes[0])
			}
			require.Equal(t, tt.won, won)
			var got []lost
			for _, l := range c.Lost {
				got = append(got, lost{word(l.Route), l.Why})
			}
			require.Equal(t, tt.lost, got)
			over := ""
			if c.TakesOver != nil {
				over = word(c.TakesOver.Route)
			}
			require.Equal(t, tt.takesOver, over)
		})
	}
}

func TestExplainPrefixCountsOnlyWhatCoversAllOfIt(t *testing.T) {
	in := "a: static 10.1.0.0/16 via 10.0.0.2 dev e0\na: static 10.1.2.0/24 via 10.0.0.3 dev e0"
	require.Equal(t, "10.1.0.0/16", explain(in, netip.MustParsePrefix("10.1.0.0/20")).Match.Prefix.String())
}

// TestALookupThatIsKept says what one that is not does, the first time and later, where the longest prefix does not
// forward too.
func TestALookupThatIsKept(t *testing.T) {
	tab := coretest.Build("a: static 10.0.0.0/8 via 10.9.0.2 dev e0\na: static 10.1.0.0/16 via 10.9.0.3 dev e0 candidate\na: static 10.2.0.0/16 via 10.9.0.4 dev e0").
		Device("a").Table("default", route.IPv4)
	var l selection.Lookup
	for range 2 {
		for a, want := range map[string]string{"10.1.0.9": "10.0.0.0/8", "10.2.0.9": "10.2.0.0/16", "10.3.0.9": "10.0.0.0/8", "11.0.0.1": "invalid Prefix"} {
			got := l.Longest(tab, netip.MustParseAddr(a))
			require.Equal(t, want, got.Prefix.String(), a)
			require.Equal(t, selection.Longest(tab, netip.MustParseAddr(a)).Found(), got.Found())
			if got.Found() {
				require.Equal(t, selection.Resolve(tab, got.Routes[0]), got.Resolve(0), a)
			}
		}
	}
}
