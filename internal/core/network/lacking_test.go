package network_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestATableWithoutTheNetworkOfAnInterface that is up lacks rows, where it is known whose table would have it.
func TestATableWithoutTheNetworkOfAnInterface(t *testing.T) {
	up := network.Interface{Name: "hall16", State: network.LinkUp}
	here := network.Address{Prefix: netip.MustParsePrefix("10.61.16.1/24"), Interface: "hall16", Table: "default",
		Mark: route.Mark{File: 1, Off: 7, End: 8}}
	with := func(change func(a *network.Address)) network.Address {
		a := here
		change(&a)
		return a
	}
	for _, c := range []struct {
		name      string
		rows      []string
		port      network.Interface
		addresses []network.Address
		lacks     bool
		kind      network.Kind
	}{
		{"no row for it", []string{"10.61.17.0/24"}, up, []network.Address{here}, true, network.Candidates},
		{"what forwards by itself", []string{"10.61.17.0/24"}, up, []network.Address{here}, false, network.ForwardingTable},
		{"its network", []string{"10.61.16.0/24"}, up, []network.Address{here}, false, network.Candidates},
		{"its own row alone", []string{"10.61.17.0/24", "10.61.16.1/32"}, up, []network.Address{here}, false, network.Candidates},
		{"a shorter network", []string{"10.61.16.0/23"}, up, []network.Address{here}, true, network.Candidates},
		{"nothing tells of the state", []string{"10.61.17.0/24"}, network.Interface{Name: "hall16"},
			[]network.Address{here}, false, network.Candidates},
		{"a configuration alone", []string{"10.61.17.0/24"},
			network.Interface{Name: "hall16", State: network.LinkUp, Configured: true}, []network.Address{here}, false, network.Candidates},
		{"whose table is not told", []string{"10.61.17.0/24"}, up,
			[]network.Address{with(func(a *network.Address) { a.Table = "" })}, false, network.Candidates},
		{"told by another address", []string{"10.61.17.0/24"}, up, []network.Address{
			with(func(a *network.Address) { a.Table, a.Configured = "", true }),
			with(func(a *network.Address) { a.Prefix = netip.MustParsePrefix("10.61.16.1/32") })}, true, network.Candidates},
		{"told of a VRF", []string{"10.61.17.0/24"},
			network.Interface{Name: "hall16", State: network.LinkUp, VRF: "yard", VRFTable: "yard"},
			[]network.Address{with(func(a *network.Address) { a.Table = "" })}, false, network.Candidates},
		{"of a length that is not told", []string{"10.61.17.0/24"}, up,
			[]network.Address{with(func(a *network.Address) { a.Prefix = netip.MustParsePrefix("10.61.16.1/32") })}, false, network.Candidates},
		{"on the link alone", []string{"10.61.17.0/24"}, up,
			[]network.Address{with(func(a *network.Address) { a.Prefix = netip.MustParsePrefix("169.254.1.1/16") })}, false, network.Candidates},
	} {
		t.Run(c.name, func(t *testing.T) {
			table := network.TableFacts{Name: "default", Family: route.IPv4}
			for _, p := range c.rows {
				table.Routes.AddRoute(route.Route{Prefix: netip.MustParsePrefix(p), State: route.Active,
					Attributes: &route.Attributes{Protocol: route.Direct, NextHops: []route.NextHop{{Interface: "line1"}}}})
			}
			table.Kind = c.kind
			var b network.Builder
			b.Add("a", network.Facts{Tables: []network.TableFacts{table}, Interfaces: []network.Interface{c.port},
				Addresses: c.addresses}, 0)
			d := b.Build().Device("a")
			is := d.Table("default", route.IPv4)
			require.Equal(t, c.lacks, is.Lacks)
			require.Equal(t, c.lacks, is.Filtered == here.Mark)
			require.Equal(t, c.lacks, is.Undecided)
		})
	}
}

// TestAForwardingTableLacksNothing, whatever a listing of the other family's routes shows.
func TestAForwardingTableLacksNothing(t *testing.T) {
	four := network.TableFacts{Name: "default", Family: route.IPv4}
	six := network.TableFacts{Name: "default", Family: route.IPv6, Kind: network.ForwardingTable}
	direct := &route.Attributes{Protocol: route.Direct, NextHops: []route.NextHop{{Interface: "line1"}}}
	four.Routes.AddRoute(route.Route{Prefix: netip.MustParsePrefix("10.61.17.0/24"), State: route.Active, Attributes: direct})
	six.Routes.AddRoute(route.Route{Prefix: netip.MustParsePrefix("fd6b:17::/64"), State: route.Installed, Attributes: direct})
	var b network.Builder
	b.Add("a", network.Facts{Tables: []network.TableFacts{four, six},
		Interfaces: []network.Interface{{Name: "hall16", State: network.LinkUp}},
		Addresses: []network.Address{{Prefix: netip.MustParsePrefix("fd6b:16::1/64"), Interface: "hall16", Table: "default",
			Mark: route.Mark{File: 1, Off: 7, End: 8}}}}, 0)
	require.False(t, b.Build().Device("a").Table("default", route.IPv6).Lacks)
}
