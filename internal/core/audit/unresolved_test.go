package audit

import (
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
)

// TestRoutesByANextHopThatIsNotResolved: a finding names the prefixes that forward by it, not those whose route stands
// by.
func TestRoutesByANextHopThatIsNotResolved(t *testing.T) {
	n := coretest.Build("a: direct 10.1.0.0/24 dev lan\na: addr 10.1.0.1/24 lan\na: static 10.9.0.0/16 via 10.50.0.1\na: static 10.8.0.0/16 via 10.50.0.1 candidate\n" +
		"a: static 10.7.0.0/16 via 10.50.0.1\nb: direct 10.9.4.0/24 dev lan\nb: addr 10.9.4.1/24 lan\nb: direct 10.8.4.0/24 dev lan1\nb: addr 10.8.4.1/24 lan1\nb: direct 10.7.4.0/24 dev lan2\nb: addr 10.7.4.1/24 lan2")
	r := Run(forward.NewWalker(topology.Build(n)), Options{})
	i := slices.IndexFunc(r.Findings, func(f Finding) bool { return f.Kind == HopUnresolved })
	require.GreaterOrEqual(t, i, 0)
	require.Equal(t, []netip.Prefix{netip.MustParsePrefix("10.7.0.0/16"), netip.MustParsePrefix("10.9.0.0/16")}, r.Findings[i].Missing)
}
