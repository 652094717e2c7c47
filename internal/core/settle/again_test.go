package settle

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/topology"
)

// TestSearchingAgain: searching for the touched paths alone finds the distances that a whole search does, and a path
// that is not touched is kept.
func TestSearchingAgain(t *testing.T) {
	again, left := 0, 0
	for seed := range uint64(300) {
		m := newModel(seed, 1)
		m.costs, m.plain = true, true
		clear(m.external)
		n := coretest.Build(m.text())
		c, what := m.fail()
		edited, err := c.On(n)
		require.NoError(t, err)
		r := &run{Settler: New(topology.Build(n)), now: edited, asked: map[question]madeFrom{}}
		for _, in := range r.instances {
			dead := make([]bool, len(in.arcs))
			for i := range in.arcs {
				dead[i] = r.dead(in, &in.arcs[i])
			}
			moved := r.moved(in)
			for _, p := range in.sorted {
				origins, gone := r.origins(in, p, dead, moved.with(in, p))
				s, touched := r.searchAgain(in, p, origins, gone, dead)
				if s == nil {
					continue
				}
				again++
				whole := newSearch(in, p, slices.Clone(origins), gone, dead)
				require.Equal(t, whole.most, s.most, "seed %d, %s fails, %s", seed, what, p)
				require.Equal(t, whole.least, s.least, "seed %d, %s fails, %s", seed, what, p)
				for k := range in.entries[p] {
					e := &in.entries[p][k]
					announces := slices.ContainsFunc(origins, func(o origin) bool { return o.node == e.node })
					if !touched[e.node] && !announces {
						left++
						require.True(t, whole.keeps(e), "seed %d, %s fails, %s", seed, what, p)
					}
				}
			}
		}
	}
	require.Greater(t, again, 1000, "hardly anything was searched for again")
	require.Greater(t, left, 1000, "hardly any path was left as it was")
}
