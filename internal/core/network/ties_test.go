package network

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/route"
)

func TestWatchesTieTheStaticsByTheirNextHop(t *testing.T) {
	near, far := netip.MustParseAddr("172.28.61.1"), netip.MustParseAddr("172.28.61.5")
	static := func(a netip.Addr, ifname string) Static {
		return Static{Prefix: netip.MustParsePrefix("10.61.8.0/21"), NextHop: route.NextHop{Address: a, Interface: ifname}}
	}
	var b Builder
	b.Add("gate", Facts{Statics: []Static{static(near, "up0"), static(far, "up1"), static(near, "")}}, 0)
	b.Add("gate", Facts{Watches: []Watch{
		{NextHop: route.NextHop{Interface: "up0"}, Tie: Tie{Object: "valley"}},
		{NextHop: route.NextHop{Address: near}, Tie: Tie{Session: true}},
	}}, 0)
	var got []Tie
	for _, s := range b.Build().Device("gate").Statics().All() {
		got = append(got, s.Tie)
	}
	require.Equal(t, []Tie{{Object: "valley", Session: true}, {}, {Session: true}}, got)
}
