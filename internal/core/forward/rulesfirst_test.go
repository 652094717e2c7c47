package forward_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// TestRulesBeforeOwnAddresses may send elsewhere, or refuse, what is for the device itself.
func TestRulesBeforeOwnAddresses(t *testing.T) {
	const net = "direct 10.1.0.0/24 dev lan\naddr 10.1.0.1/24 lan\ndirect 10.9.0.0/24 dev out\naddr 10.9.0.1/24 out\n" +
		"static 10.1.0.1/32 via 10.9.0.7 dev out in side\nstatic 10.5.0.1/32 via 10.9.0.7 dev out in cut\n"
	for name, tt := range map[string]struct {
		rule network.Rule
		want forward.Verdict
	}{
		"a table not read whole": {network.Rule{BeforeOwn: true, Table: "cut"}, forward.Unknown},
		"behind them":            {network.Rule{Action: network.RuleProhibit}, forward.Arrives},
		"for none":               {network.Rule{BeforeOwn: true, Action: network.RuleProhibit, From: netip.MustParsePrefix("10.7.0.0/16")}, forward.Arrives},
		"for it":                 {network.Rule{BeforeOwn: true, Action: network.RuleProhibit, From: netip.MustParsePrefix("10.9.0.0/16")}, forward.Unknown},
		"a table that has it":    {network.Rule{BeforeOwn: true, Table: "side"}, forward.Unknown},
		"a route too short":      {network.Rule{BeforeOwn: true, Table: "side", Suppress: 33}, forward.Arrives},
		"a table without it":     {network.Rule{BeforeOwn: true, Table: "default", Suppress: 25}, forward.Arrives},
		"a table nobody showed":  {network.Rule{BeforeOwn: true, Table: "dark"}, forward.Unknown},
	} {
		f := coretest.Facts(net, 1)
		tt.rule.Mark = mark(50)
		f.Tables[2].Unread = []network.UnreadRow{{Prefix: netip.MustParsePrefix("10.1.0.0/16"), Mark: mark(60)}}
		f.Rules = []network.Rule{tt.rule, {Priority: 32766, Table: "default"}}
		var b network.Builder
		b.Add("a", f, 0)
		rt := forward.NewWalker(topology.Build(b.Build())).Trace(netip.MustParseAddr("10.9.0.9"), netip.MustParseAddr("10.1.0.1"))
		require.Equal(t, tt.want, rt.Forward.Verdict, name)
		if tt.want == forward.Unknown {
			require.Equal(t, forward.Reason{Code: forward.RuleBeforeOwn, Marks: []route.Mark{mark(50)}}, rt.Forward.Branches[0].Reason, name)
		}
	}
}

// TestRulesAreOfTheMainTable: interfaces of a VRF ask none of them about own addresses.
func TestRulesAreOfTheMainTable(t *testing.T) {
	f := coretest.Facts("direct 10.1.0.0/24 dev lan in red\naddr 10.1.0.1/24 lan\ndirect 10.9.0.0/24 dev out in red\naddr 10.9.0.1/24 out\n", 1)
	f.Rules = []network.Rule{{BeforeOwn: true, Action: network.RuleProhibit, Mark: mark(50)}, {Priority: 32766, Table: "default"}}
	var b network.Builder
	b.Add("a", f, 0)
	rt := forward.NewWalker(topology.Build(b.Build())).Trace(netip.MustParseAddr("10.9.0.9"), netip.MustParseAddr("10.1.0.1"))
	require.Equal(t, forward.Arrives, rt.Forward.Verdict)
}

// TestRulesForWhatADeviceSends: what they ask, only its own packets can have; others do not fit.
func TestRulesForWhatADeviceSends(t *testing.T) {
	f := coretest.Facts("direct 10.1.0.0/24 dev lan\naddr 10.1.0.1/24 lan\ndirect 10.9.0.0/24 dev out\naddr 10.9.0.1/24 out\n", 1)
	f.Rules = []network.Rule{{Own: true, Undecided: true, Action: network.RuleProhibit, Mark: mark(50)}, {Priority: 32766, Table: "default"}}
	var b network.Builder
	b.Add("a", f, 0)
	w := forward.NewWalker(topology.Build(b.Build()))
	require.Equal(t, forward.Arrives, w.Trace(netip.MustParseAddr("10.9.0.9"), netip.MustParseAddr("10.1.0.9")).Forward.Verdict)
	require.Equal(t, forward.Unknown, w.Trace(netip.MustParseAddr("10.9.0.1"), netip.MustParseAddr("10.1.0.9")).Forward.Verdict)
}
