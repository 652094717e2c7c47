package survey

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// TestKnownIsWhatEachTableSays: what is asked once for many networks is what each device's table says of each, whether a
// table is longer than the list of networks or not.
func TestKnownIsWhatEachTableSays(t *testing.T) {
	seen := map[Knowledge]int{}
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 61))
		prefix := func() string {
			if r.IntN(4) == 0 {
				return fmt.Sprintf("fd61:%x:%x::/%d", r.IntN(2), r.IntN(4), 32+16*r.IntN(2))
			}
			return fmt.Sprintf("10.%d.%d.0/%d", r.IntN(3), r.IntN(4), []int{8, 16, 24, 24, 24, 23}[r.IntN(6)])
		}
		var b strings.Builder
		for d := range 1 + r.IntN(5) {
			for range r.IntN(4) {
				fmt.Fprintf(&b, "d%d: direct %s dev e%d\n", d, prefix(), r.IntN(2))
			}
			for range []int{0, 1, 3, 40}[r.IntN(4)] {
				fmt.Fprintf(&b, "d%d: static %s %s\n", d, prefix(), []string{"dev e0", "via 10.0.0.1 dev e0", "blackhole", "dev e1 candidate"}[r.IntN(4)])
			}
			if r.IntN(2) == 0 {
				fmt.Fprintf(&b, "d%d: static 0.0.0.0/0 %s\n", d, []string{"dev e0", "blackhole"}[r.IntN(2)])
			}
		}
		if b.Len() == 0 {
			continue
		}
		s := Make(topology.Build(coretest.Build(b.String())), 0)
		for _, n := range s.Networks {
			got, count := slices.Collect(s.Known(n)), map[Knowledge]int{}
			require.Len(t, got, len(s.devices))
			for i, d := range s.devices {
				want := knows(d, d.Table("default", route.FamilyOf(n.Prefix.Addr())), n)
				count[want.How]++
				seen[want.How]++
				got[i].Route, want.Route = route.Route{Prefix: got[i].Route.Prefix}, route.Route{Prefix: want.Route.Prefix}
				require.Equal(t, want, got[i], "%s at %s of\n%s", n.Prefix, d.Name, b.String())
			}
			for how := KnowsNot; how <= IsAttached; how++ {
				require.Equal(t, count[how], s.Count(n)[how])
			}
		}
	}
	for how := KnowsNot; how <= IsAttached; how++ {
		require.Positive(t, seen[how], how)
	}
}
