package network_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const mixed = `
	a: static 0.0.0.0/0 pref 1 via 10.0.0.9 dev e0
	a: direct 10.0.0.0/24 dev e0
	a: local 10.0.0.1/32 receive dev e0
	a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0 via 10.0.1.2 dev e1
	a: ospf 10.1.2.0/24 pref 110 via 10.0.0.2 dev e0
	a: static 10.1.2.0/24 pref 130 via 10.0.1.2 dev e1 candidate
	a: static 10.2.0.0/16 blackhole
	a: direct 127.0.0.0/8 dev lo
`

func TestFilter(t *testing.T) {
	tab := coretest.Build(mixed).Device("a").Table("default", route.IPv4)
	p := netip.MustParsePrefix
	for _, tt := range []struct {
		name string
		f    network.Filter
		want []string
	}{
		{"what is used", network.Filter{}, []string{"0.0.0.0/0", "10.0.0.0/24", "10.0.0.1/32", "10.1.0.0/16", "10.1.2.0/24", "10.2.0.0/16"}},
		{"inside a prefix", network.Filter{Within: p("10.1.0.0/16")}, []string{"10.1.0.0/16", "10.1.2.0/24"}},
		{"covering an address", network.Filter{Covering: p("10.1.2.3/32")}, []string{"0.0.0.0/0", "10.1.0.0/16", "10.1.2.0/24"}},
		{"covering a prefix, all of it", network.Filter{Covering: p("10.1.2.0/23")}, []string{"0.0.0.0/0", "10.1.0.0/16"}},
		{"covering a prefix of the table, itself too", network.Filter{Covering: p("10.1.2.0/24")}, []string{"0.0.0.0/0", "10.1.0.0/16", "10.1.2.0/24"}},
		{"by protocol, inside a prefix", network.Filter{Protocols: []route.Protocol{route.Static}, Within: p("10.0.0.0/8")}, []string{"10.2.0.0/16"}},
		{"by one of several interfaces", network.Filter{Interface: "e1"}, []string{"10.1.0.0/16"}},
		{"address and interface must be one next hop's", network.Filter{Interface: "e1", NextHop: netip.MustParseAddr("10.0.0.2")}, nil},
		{"what discards", network.Filter{Special: true}, []string{"10.2.0.0/16"}},
		{"all of it", network.Filter{All: true, Within: p("10.1.2.0/24")}, []string{"10.1.2.0/24", "10.1.2.0/24"}},
		{"with the housekeeping", network.Filter{Kept: true, Within: p("127.0.0.0/8")}, []string{"127.0.0.0/8"}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			var got []string
			for i := range tab.Routes().Len() {
				if r := tab.Routes().At(i); tt.f.Shows(r) {
					got = append(got, r.Prefix.String())
				}
			}
			require.Equal(t, tt.want, got)
		})
	}
}

func TestSummary(t *testing.T) {
	s := network.Summarise(coretest.Build(mixed).Device("a").Table("default", route.IPv4))
	require.Equal(
		t,
		[]int{1, 2, 2, 1, 1, 1, 1, 1, 16, 32, 6},
		[]int{
			s.Attached,
			s.Learned[route.Static],
			s.Learned[route.OSPF],
			s.Learned[route.Local],
			s.EqualCost,
			s.Discards,
			s.Unused,
			s.Kept,
			s.Short,
			s.Long,
			s.Used(),
		},
	)
	require.Equal(t, "10.0.0.9", s.Default.NextHops[0].Address.String())
	require.Equal(t, -1, network.Summarise(&network.Table{}).Short)
}
