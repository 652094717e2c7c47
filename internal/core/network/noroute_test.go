package network_test

import (
	"math"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestTheEndOfATableOfIPv6 is no route: a kernel shows it as one that refuses all.
func TestTheEndOfATableOfIPv6(t *testing.T) {
	for name, tt := range map[string]struct {
		prefix  string
		special route.Special
		metric  uint64
		kind    network.Kind
		routes  int
	}{
		"the kernel's own":      {"::/0", route.Unreachable, math.MaxUint32, network.ForwardingTable, 1},
		"an operator's":         {"::/0", route.Unreachable, 1024, network.ForwardingTable, 2},
		"one that discards":     {"::/0", route.Blackhole, math.MaxUint32, network.ForwardingTable, 2},
		"of some addresses":     {"fd6b::/16", route.Unreachable, math.MaxUint32, network.ForwardingTable, 2},
		"of IPv4":               {"0.0.0.0/0", route.Unreachable, math.MaxUint32, network.ForwardingTable, 2},
		"of a routing protocol": {"::/0", route.Unreachable, math.MaxUint32, network.Candidates, 2},
	} {
		p := netip.MustParsePrefix(tt.prefix)
		other := netip.PrefixFrom(p.Addr(), 24)
		f := network.TableFacts{Name: "default", Family: route.FamilyOf(p.Addr()), Kind: tt.kind}
		f.Routes.AddRoute(route.Route{Prefix: p, Attributes: &route.Attributes{Special: tt.special}, Metric: route.N(tt.metric)})
		f.Routes.AddRoute(route.Route{Prefix: other, Attributes: &route.Attributes{Special: route.Blackhole}})
		var b network.Builder
		b.Add("r", network.Facts{Tables: []network.TableFacts{f}}, 0)
		require.Equal(t, tt.routes, b.Build().Device("r").Tables().At(0).Routes().Len(), name)
	}
}

// TestATableOfNothing: older kernels say that it stands in a table that there is none of.
func TestATableOfNothing(t *testing.T) {
	end := func(name string) network.TableFacts {
		f := network.TableFacts{Name: name, Family: route.IPv6, Kind: network.ForwardingTable}
		f.Routes.AddRoute(route.Route{Prefix: netip.MustParsePrefix("::/0"), Attributes: &route.Attributes{Special: route.Unreachable},
			Metric: route.N(math.MaxUint32)})
		return f
	}
	var b network.Builder
	b.Add("r", network.Facts{Tables: []network.TableFacts{end("default"), end("unspec")}}, 0)
	tables := b.Build().Device("r").Tables()
	require.Equal(t, 1, tables.Len(), "the main one is known to be empty")
	require.Equal(t, "default", tables.At(0).Name)
}
