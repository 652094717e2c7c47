package network_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestRoutesByInterfacesWithoutACarrier are not used where the kernel was told so, which tables of net-tools do not show.
func TestRoutesByInterfacesWithoutACarrier(t *testing.T) {
	on := func(fam route.Family, ifname string) network.Switch {
		return network.Switch{Family: fam, Interface: ifname, On: true}
	}
	off := on(route.IPv4, "e0")
	off.On = false
	down, up := network.Interface{Name: "e0", State: network.LinkDown}, network.Interface{Name: "e0", State: network.LinkUp}
	switchedOff := down
	switchedOff.Off = true
	for name, tt := range map[string]struct {
		plain    bool
		ifc      network.Interface
		switches []network.Switch
		unusable bool
	}{
		"for all":               {true, down, []network.Switch{on(route.IPv4, "")}, true},
		"for it":                {true, down, []network.Switch{off, on(route.IPv4, "e0")}, true},
		"for another":           {true, down, []network.Switch{on(route.IPv4, "e1")}, false},
		"for the other family":  {true, down, []network.Switch{on(route.IPv6, "")}, false},
		"not":                   {true, down, []network.Switch{off}, false},
		"with a carrier":        {true, up, []network.Switch{on(route.IPv4, "")}, false},
		"switched off":          {true, switchedOff, []network.Switch{on(route.IPv4, "")}, false},
		"of a table that tells": {false, down, []network.Switch{on(route.IPv4, "")}, false},
	} {
		f := network.TableFacts{Name: "default", Family: route.IPv4, Kind: network.ForwardingTable, Plain: tt.plain}
		f.Routes.AddRoute(route.Route{Prefix: netip.MustParsePrefix("10.61.0.0/16"), State: route.Installed,
			Attributes: &route.Attributes{NextHops: []route.NextHop{{Address: netip.MustParseAddr("10.7.0.1"), Interface: "e0"}}}})
		f.Routes.AddRoute(route.Route{Prefix: netip.MustParsePrefix("10.62.0.0/16"), State: route.Installed, Attributes: &route.Attributes{
			NextHops: []route.NextHop{{Interface: "e0"}, {Interface: "e1"}}}})
		var b network.Builder
		b.Add("r", network.Facts{Tables: []network.TableFacts{f}, Interfaces: []network.Interface{tt.ifc}, SkipsDown: tt.switches}, 0)
		rows := b.Build().Device("r").Tables().At(0).Routes()
		require.Equal(t, tt.unusable, rows.At(0).Is(route.Unusable), name)
		require.False(t, rows.At(1).Is(route.Unusable), "it has another next hop")
	}
}
