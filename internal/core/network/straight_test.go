package network_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestRoutesStraightOutOfInterfaces: net-tools print them as they print attached networks; own addresses tell.
func TestRoutesStraightOutOfInterfaces(t *testing.T) {
	mark := func(file uint32) route.Mark { return route.Mark{File: file, Off: 1, End: 2} }
	at := func(prefix, ifname string, first bool) network.Address {
		return network.Address{Prefix: netip.MustParsePrefix(prefix), Interface: ifname, First: first, Mark: mark(1)}
	}
	lo, firstLo, six := at("127.0.0.1/8", "lo", false), at("127.0.0.1/8", "lo", true), at("::1/128", "lo", false)
	other := lo
	other.Mark = mark(2)
	configured := lo
	configured.Configured = true
	elsewhere := at("10.61.0.1/20", "e1", false)
	own, first, bare := at("10.61.7.1/24", "e0", false), at("10.61.7.1/24", "e0", true), at("10.61.0.9/32", "e0", false)
	for name, tt := range map[string]struct {
		plain     bool
		prefix    string
		addresses []network.Address
		want      route.Protocol
	}{
		"nothing known":                      {true, "10.61.0.0/20", nil, route.Direct},
		"none there":                         {true, "10.61.0.0/20", []network.Address{lo}, route.Static},
		"one of another network":             {true, "10.61.0.0/20", []network.Address{lo, own}, route.Static},
		"its own, elsewhere":                 {true, "10.61.0.0/20", []network.Address{lo, elsewhere}, route.Static},
		"its own":                            {true, "10.61.7.0/24", []network.Address{lo, own}, route.Direct},
		"one without a length":               {true, "10.61.0.0/20", []network.Address{lo, bare}, route.Direct},
		"the first of another network":       {true, "10.61.0.0/20", []network.Address{firstLo, first}, route.Static},
		"not even a first":                   {true, "10.61.0.0/20", []network.Address{firstLo}, route.Static},
		"a list of others":                   {true, "10.61.0.0/20", []network.Address{other}, route.Direct},
		"a configuration":                    {true, "10.61.0.0/20", []network.Address{configured}, route.Direct},
		"a list of the other family":         {true, "10.61.0.0/20", []network.Address{six}, route.Direct},
		"IPv6":                               {true, "fd6b:7::/64", []network.Address{six}, route.Static},
		"the link's own, which a list lacks": {true, "fe80::/64", []network.Address{six}, route.Direct},
		"of a layout that tells protocols":   {false, "10.61.0.0/20", []network.Address{lo}, route.Direct},
	} {
		p := netip.MustParsePrefix(tt.prefix)
		f := network.TableFacts{Name: "default", Family: route.FamilyOf(p.Addr()), Kind: network.ForwardingTable, Plain: tt.plain}
		direct := &route.Attributes{Protocol: route.Direct, NextHops: []route.NextHop{{Interface: "e0"}}}
		id := f.Routes.Share(direct)
		for _, x := range []netip.Prefix{p, netip.PrefixFrom(p.Addr(), p.Addr().BitLen())} {
			f.Routes.Add(route.Route{Prefix: x, Attributes: direct, Metric: route.N(7), Mark: mark(3)}, id)
		}
		var b network.Builder
		b.Add("r", network.Facts{Addresses: tt.addresses, Tables: []network.TableFacts{f},
			Interfaces: []network.Interface{{Name: "e0", Mark: mark(1)}, {Name: "lo", Mark: mark(1)}}}, 0)
		table := b.Build().Device("r").Tables().At(0)
		require.Equal(t, tt.plain && p.Addr().Is4(), table.FirstHops, name)
		rows := table.Routes()
		require.Equal(t, tt.want, rows.At(0).Protocol, name)
		require.Equal(t, []any{p, route.N(7)}, []any{rows.At(0).Prefix, rows.At(0).Metric}, name)
		require.Equal(t, route.Direct, rows.At(1).Protocol, name+": one address is no network")
	}
}

// TestWhatTellsOfOneNextHop: a protocol's own list does not tell how many there are, another capture does; a route that
// leads nowhere is no network.
func TestWhatTellsOfOneNextHop(t *testing.T) {
	for kind, first := range map[network.Kind]bool{network.Database: true, network.ForwardingTable: false} {
		table := func(plain bool, k network.Kind) network.TableFacts {
			f := network.TableFacts{Name: "default", Family: route.IPv4, Kind: k, Plain: plain}
			f.Routes.AddRoute(route.Route{Prefix: netip.MustParsePrefix("10.61.0.0/20"), Attributes: &route.Attributes{Protocol: route.Direct}})
			return f
		}
		var b network.Builder
		b.Add("r", network.Facts{Tables: []network.TableFacts{table(true, network.ForwardingTable), table(false, kind)}}, 0)
		require.Equal(t, first, b.Build().Device("r").Tables().At(0).FirstHops)
	}
}
