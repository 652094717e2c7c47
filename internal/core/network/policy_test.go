package network_test

import (
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
