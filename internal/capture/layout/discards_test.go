package layout_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestDiscards: an interface that throws packets away is one by its name, whoever prints it; others that begin alike
// are none.
func TestDiscards(t *testing.T) {
	for _, name := range []string{"Null0", "NULL0", "null 0", "Nu 0", "nu0", "Null", "blackhole", "discard0", "dsc.0", "dsc"} {
		require.True(t, layout.Discards(name), name)
	}
	for _, name := range []string{"", "nu", "num0", "nutshell", "bond0", "nullstation", "dscp", "d0", "drop0", "br0"} {
		require.False(t, layout.Discards(name), name)
	}
	via := func(hops ...route.NextHop) route.Special {
		var c layout.Collector
		s := c.Add("default", network.ForwardingTable, route.Route{
			Prefix: netip.MustParsePrefix("10.81.0.0/16"), Attributes: &route.Attributes{Protocol: route.Static, NextHops: hops},
		}, 0)
		return c.Attributes(s).Special
	}
	require.Equal(t, route.Blackhole, via(route.NextHop{Interface: "Nu 0"}))
	require.Equal(t, route.None, via(route.NextHop{Interface: "nutshell"}))
	require.Equal(t, route.None, via(route.NextHop{Interface: "Null0"}, route.NextHop{Interface: "e0"}))
	require.Equal(t, route.None, via())
}
