package network_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestChainsOfTwoCapturesStayApart: what one of them permits the other may stop.
func TestChainsOfTwoCapturesStayApart(t *testing.T) {
	var b network.Builder
	for i := range uint32(2) {
		m := route.Mark{File: 1, Off: i, End: i + 1}
		b.Add("a", network.Facts{Policy: network.Policy{Flows: []network.FlowRule{{Chain: 7, Undecided: true, Mark: m}, {Chain: 7, Permit: true, Mark: m}}}}, 0)
	}
	f := b.Build().Device("a").Flows()
	require.Equal(t, 4, f.Len())
	require.Equal(t, f.At(0).Chain, f.At(1).Chain)
	require.NotEqual(t, f.At(1).Chain, f.At(2).Chain)
	require.Equal(t, f.At(2).Chain, f.At(3).Chain)
}

// TestInterfacesThatARuleIsNotFor: it fits what comes in, or leaves, by any other, and what does by none.
func TestInterfacesThatARuleIsNotFor(t *testing.T) {
	a := netip.MustParseAddr("10.61.0.1")
	for _, tt := range []struct {
		notIn, notOut, in, out string
		want                   network.Fit
	}{
		{"e0", "", "e0", "e1", network.No}, {"e0", "", "e1", "e0", network.Yes}, {"e0", "", "", "e0", network.Yes},
		{"", "e0", "e1", "e0", network.No}, {"", "e0", "e0", "e1", network.Yes}, {"", "e0", "e0", "", network.Yes},
	} {
		r, x := network.FlowRule{NotIn: tt.notIn, NotOut: tt.notOut}, network.Translation{NotIn: tt.notIn, NotOut: tt.notOut}
		require.Equal(t, tt.want, r.Fits(a, a, network.Flow{}, tt.in, tt.out), tt)
		require.Equal(t, tt.want, x.Fits(a, a, network.Flow{}, tt.in, tt.out), tt)
	}
}

// TestFirstSegmentsAlone: what answers them, and what comes behind them, opens nothing.
func TestFirstSegmentsAlone(t *testing.T) {
	a := netip.MustParseAddr("10.61.0.1")
	r := network.FlowRule{Protocol: "tcp", State: network.Opening}
	for want, f := range map[network.Fit][]network.Flow{
		network.Yes:   {{Protocol: "tcp"}},
		network.No:    {{Protocol: "tcp", Answer: true}, {Protocol: "tcp", Answer: true, Seen: true}, {Protocol: "tcp", Later: true}, {Protocol: "udp"}},
		network.Maybe: {{}},
	} {
		for _, f := range f {
			require.Equal(t, want, r.Fits(a, a, f, "", ""), f)
		}
	}
}
