package compare

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
)

// TestProgress: what is told grows to the whole, which is every route of both networks twice.
func TestProgress(t *testing.T) {
	walker := func(text string) *forward.Walker {
		return forward.NewWalker(topology.Build(coretest.Build(text)))
	}
	before := walker("a: direct 10.0.0.0/24 dev lan\na: static 10.1.0.0/16 pref 1 via 10.0.0.2\na: direct fd6b::/64 dev lan")
	after := walker("a: direct 10.0.0.0/24 dev lan\na: direct fd6b::/64 dev lan")
	last, whole := 0, 0
	Run(before, after, Options{Audit: audit.Options{}, Progress: func(done, total int) {
		require.GreaterOrEqual(t, done, last)
		last, whole = done, total
	}})
	require.Equal(t, 2*(3+2), whole)
	require.Equal(t, whole, last)
}
