package audit

import (
	"fmt"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// TestFiltersThatTellTooManyAddressesApart are not judged for every pair: what meets them is restricted, and nothing
// arrives for certain that they may stop.
func TestFiltersThatTellTooManyAddressesApart(t *testing.T) {
	for _, tt := range []struct {
		rules int
		want  Kind
	}{{20, Filtered}, {2 * mostParts, Restricted}} {
		n := coretest.Build(coretest.OutAndBack)
		x := n.Draft()
		var p network.Policy
		for i := range tt.rules {
			from := netip.MustParsePrefix(fmt.Sprintf("10.61.1.%d/32", 2+i%250))
			to := netip.MustParsePrefix(fmt.Sprintf("10.61.2.%d/32", 2+(7*i)%250))
			p.Flows = append(p.Flows, network.FlowRule{Permit: true, From: from, To: to, Mark: route.Mark{File: 1, Off: uint32(i), End: uint32(i + 1)}})
		}
		p.Flows = append(p.Flows, network.FlowRule{From: netip.MustParsePrefix("10.61.1.0/24"), Mark: route.Mark{File: 1, Off: 9000, End: 9001}}, network.FlowRule{Permit: true})
		x.SetPolicy("b", p)
		r := Run(forward.NewWalker(topology.Build(x.Freeze())), Options{})
		kinds := map[Kind]bool{}
		for _, f := range r.Findings {
			kinds[f.Kind] = true
		}
		require.True(t, kinds[tt.want], "%d rules: %v", tt.rules, kinds)
		if tt.want == Restricted {
			require.False(t, kinds[Filtered])
		}
	}
}

// TestFiltersOfWhatIsForTheDevice: packets to its own addresses meet them, those through it do not.
func TestFiltersOfWhatIsForTheDevice(t *testing.T) {
	x := coretest.Build(coretest.OutAndBack).Draft()
	x.SetPolicy("b", network.Policy{Flows: []network.FlowRule{{Hook: network.ForItself, From: netip.MustParsePrefix("10.61.1.0/24"), Mark: route.Mark{File: 1, Off: 1, End: 2}},
		{Hook: network.ForItself, Permit: true}}})
	r := Run(forward.NewWalker(topology.Build(x.Freeze())), Options{})
	require.NotEmpty(t, r.Findings)
	for _, f := range r.Findings {
		require.Equal(t, []any{Filtered, "b"}, []any{f.Kind, f.Device})
		require.True(t, f.Holds(netip.MustParseAddr("10.61.2.1")))
		require.False(t, f.Holds(netip.MustParseAddr("10.61.2.9")))
	}
}
