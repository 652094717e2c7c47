package network_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestCountFilters: a line of which several rules are made is one; one that was not understood, or not read, is open;
// what passes a filter by is none.
func TestCountFilters(t *testing.T) {
	line := func(n uint32) route.Mark { return route.Mark{File: 1, Off: n, End: n + 1} }
	x := coretest.Build("a: addr 10.1.0.1/24 e0").Draft()
	x.SetPolicy("a", network.Policy{
		Flows: []network.FlowRule{{Permit: true, Protocol: "tcp", Mark: line(5)}, {Permit: true, Protocol: "udp", Mark: line(5)}, {Mark: line(6)},
			{Undecided: true, Mark: line(7)}, {Permit: true, Mark: line(7)}, {Undecided: true, NotRead: true, Mark: line(8)}, {Permit: true, NotRead: true, Mark: line(8)}},
		Translations: []network.Translation{{From: netip.MustParsePrefix("10.1.0.0/24"), Mark: line(9)}},
	})
	got := x.Freeze().Device("a").CountFilters()
	require.Equal(t, network.FilterCount{Lines: 2, Open: []route.Mark{line(7), line(8)}, Changing: 1}, got)
}
