package forward_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/topology"
)

// TestUnjudged: of a device whose rules are not asked it cannot be told whether packets pass where they meet any; a
// chain that has rules for other interfaces alone, and lets the rest pass, is none that they meet.
func TestUnjudged(t *testing.T) {
	for _, tt := range []struct {
		name  string
		rules []network.FlowRule
		want  forward.Verdict
	}{
		{"a rule that all meet", []network.FlowRule{{Permit: true, Stateless: true}}, forward.Unknown},
		{"of another interface alone", []network.FlowRule{{In: "spare", Stateless: true}, {Permit: true, Stateless: true}}, forward.Arrives},
		{"of what is for the device itself", []network.FlowRule{{Hook: network.ForItself, Stateless: true}}, forward.Arrives},
	} {
		t.Run(tt.name, func(t *testing.T) {
			for i := range tt.rules {
				tt.rules[i].Mark = mark(uint32(50 + i))
			}
			x := coretest.Build(lanToLan).Draft()
			x.SetPolicy("a", network.Policy{Flows: tt.rules})
			n := x.Freeze()
			w := forward.NewWalker(topology.Build(n)).Unjudged(map[*network.Device]bool{n.Device("a"): true})
			require.Equal(t, tt.want, w.Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9")).Forward.Verdict)
		})
	}
}
