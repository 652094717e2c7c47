package survey_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/survey"
	"zarvek/internal/core/topology"
)

func TestHowEachDeviceKnowsANetwork(t *testing.T) {
	s := survey.Make(topology.Build(coretest.Build(`
		home: direct 10.1.2.0/24 dev e0
		own: ospf 10.1.2.0/24 via 10.9.0.1 dev e0
		summary: ospf 10.1.0.0/16 via 10.9.0.1 dev e0
		default: static 0.0.0.0/0 via 10.9.0.1 dev e0
		discard: static 10.1.0.0/16 blackhole
		discard: static 0.0.0.0/0 via 10.9.0.1 dev e0
		parts: static 10.1.2.0/25 via 10.9.0.1 dev e0
		parts: static 0.0.0.0/0 via 10.9.0.1 dev e0
		nothing: static 10.7.0.0/16 via 10.9.0.1 dev e0
		candidate: ospf 10.1.2.0/24 via 10.9.0.1 dev e0 candidate
		six: static fd6b::/48 via fe80::1 dev e0
	`)), 0)
	require.Len(t, s.Networks, 1)
	got := map[string]survey.Knowledge{}
	for k := range s.Known(s.Networks[0]) {
		got[k.Device.Name] = k.How
	}
	require.Equal(
		t,
		map[string]survey.Knowledge{
			"home":      survey.IsAttached,
			"own":       survey.KnowsExactly,
			"summary":   survey.KnowsBySummary,
			"default":   survey.KnowsByDefault,
			"discard":   survey.Swallowed,
			"parts":     survey.KnowsParts,
			"nothing":   survey.KnowsNot,
			"candidate": survey.KnowsNot,
			"six":       survey.TableMissing,
		},
		got,
	)
}

func TestClashes(t *testing.T) {
	s := survey.Make(topology.Build(coretest.Build(`
		a: direct 10.1.0.0/24 dev e0
		a: addr 10.1.0.1/24 e0
		b: direct 10.1.0.0/25 dev e0       # the same segment, with another mask
		b: addr 10.1.0.2/25 e0
		c: direct 10.1.0.128/26 dev e7     # somewhere else, inside of a's network
		c: addr 10.1.0.129/26 e7
		d: direct 10.5.0.0/24 dev e0
		d: addr 10.5.0.1/24 e0
		e: direct 10.5.0.0/24 dev e0
		e: addr 10.5.0.1/24 e0             # d's address
	`)), 0)
	require.Len(t, s.Masks, 1)
	require.Equal(t, "10.1.0.0/25 10.1.0.0/24", s.Masks[0].Prefix.String()+" "+s.Masks[0].Other.String())
	require.Len(t, s.Overlapping, 1)
	require.Equal(t, "c a", s.Overlapping[0].A.Device.Name+" "+s.Overlapping[0].B.Device.Name)
	require.Len(t, s.Duplicates, 1)
	require.Equal(t, "10.5.0.1/32", s.Duplicates[0].Prefix.String())
}

// TestOneFamily: what is asked for one family says all of it and nothing of the other.
func TestOneFamily(t *testing.T) {
	topo := topology.Build(coretest.Build(`
		a: direct 10.1.0.0/24 dev e0
		a: addr 10.1.0.1/24 e0
		a: direct fd61:1::/64 dev e0
		a: addr fd61:1::1/64 e0
		b: direct 10.1.0.0/24 dev e0
		b: addr 10.1.0.1/24 e0
		b: direct fd61:1::/64 dev e0
		b: addr fd61:1::1/64 e0
		b: direct fd61:1::/65 dev e7
		b: direct 10.1.0.0/25 dev e7`))
	for fam, nets := range map[route.Family][]string{route.IPv4: {"10.1.0.0/24", "10.1.0.0/25"}, route.IPv6: {"fd61:1::/64", "fd61:1::/65"}} {
		s := survey.Make(topo, fam)
		var got []string
		for _, n := range s.Networks {
			got = append(got, n.Prefix.String())
		}
		require.Equal(t, nets, got)
		require.Len(t, s.Duplicates, 1)
		require.Equal(t, fam, route.FamilyOf(s.Duplicates[0].Prefix.Addr()))
		require.Len(t, s.Overlapping, 1)
	}
	require.Len(t, survey.Make(topo, 0).Duplicates, 2)
}

func TestAnEmptyTableIsMissing(t *testing.T) {
	var b network.Builder
	b.Add("a", coretest.Facts("direct 10.1.0.0/24 dev e0", 1), 0)
	b.Add("b", network.Facts{Tables: []network.TableFacts{{Name: "default", Family: route.IPv4}}}, 0)
	s := survey.Make(topology.Build(b.Build()), 0)
	require.Equal(t, survey.TableMissing, slices.Collect(s.Known(s.Networks[0]))[1].How)
}

// TestLearned: what routes alone tell of, without own addresses, attached networks and defaults; what covers those is
// a summary.
func TestLearned(t *testing.T) {
	s := survey.Make(topology.Build(coretest.Build(`
		a: direct 10.1.0.0/24 dev e0
		a: addr 10.1.0.1/24 e0
		a: addr 10.254.0.1/32 lo
		a: ospf 10.7.0.0/24 via 10.1.0.2 dev e0
		a: static 0.0.0.0/0 via 10.1.0.2 dev e0
		a: ospf 10.8.0.0/24 via 10.1.0.2 dev e0 candidate
		a: static 10.9.0.0/24 blackhole
		b: addr 10.1.0.2/24 f0
		b: direct 10.1.0.0/24 dev f0
		b: ospf 10.254.0.1/32 via 10.1.0.1 dev f0
		b: ospf 10.7.0.0/24 via 10.1.0.9 dev f0
		b: static 10.0.0.0/8 via 10.1.0.9 dev f0
		b: static fd61::/48 via fe80::1 dev f0`)), 0)
	var got []string
	for _, l := range s.Learned {
		got = append(got, fmt.Sprintf("%s at %s, %d, covers %d", l.Prefix, l.Devices[0].Name, len(l.Devices), l.Covers))
	}
	require.Equal(
		t,
		[]string{"10.0.0.0/8 at b, 1, covers 1", "10.7.0.0/24 at a, 2, covers 0", "fd61::/48 at b, 1, covers 0"},
		got,
	)
	require.Equal(t, 3, s.LearnedCount)
	require.Len(t, s.Defaults, 1)
	require.Equal(t, "a", s.Defaults[0].Device.Name)
}
