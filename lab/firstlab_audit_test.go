package lab

import (
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
)

// TestFirstLabAudit compares the audit with what packets did: every measured pair that failed is in one finding, every
// pair that worked in none.
func TestFirstLabAudit(t *testing.T) {
	raw, err := os.ReadFile(filepath.Join(firstLab, "truth.json"))
	require.NoError(t, err)
	var tr truth
	require.NoError(t, json.Unmarshal(raw, &tr))
	c, err := casefile.Load(filepath.Join(firstLab, "captures"))
	require.NoError(t, err)
	found := audit.Run(forward.NewWalker(topology.Build(c.Network)), audit.Options{})
	failing, working, nobody := 0, 0, 0
	for _, e := range tr.Entries {
		list, reply := found.Of(e.Source.Address, e.Destination)
		if e.Ping {
			working++
			require.Empty(t, names(list), "%s to %s works", e.Source.Address, e.Destination)
			continue
		}
		if len(list) == 0 { // nobody captured has the address, nor is any network of it attached
			nobody++
			require.True(
				t,
				e.Forward.Outcome == "no-route" ||
					slices.ContainsFunc(found.Findings, func(f audit.Finding) bool { return f.Holds(e.Destination) }),
				"%s to %s fails (%+v), and no finding has the address",
				e.Source.Address,
				e.Destination,
				e.Forward,
			)
			continue
		}
		failing++
		require.Len(t, list, 1, "%s to %s: %s", e.Source.Address, e.Destination, names(list))
		require.Equal(t, e.Forward.Outcome == "arrives", reply, "%s to %s", e.Source.Address, e.Destination)
	}
	t.Logf(
		"%d failing pairs each in one finding, %d more to addresses that nobody has, %d working ones in none",
		failing,
		nobody,
		working,
	)
	require.Positive(t, failing)
	require.Positive(t, working)
}
