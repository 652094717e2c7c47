package filters

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
)

// TestBoth holds against packets: what both rules fit is what the new one fits.
func TestBoth(t *testing.T) {
	p := netip.MustParsePrefix
	rules := []network.FlowRule{
		{}, {From: p("10.61.0.0/16")}, {From: p("10.61.16.0/24"), Protocol: "tcp"}, {To: p("10.61.80.0/24"), Protocol: "udp"},
		{Protocol: "tcp", ToPorts: network.Ports{Lo: 80, Hi: 443}}, {Protocol: "tcp", ToPorts: network.Ports{Lo: 443, Hi: 500}, In: "a"}, {In: "b"}, {Out: "a", From: p("10.62.0.0/16")},
		{Protocol: "icmp", Type: 9}, {Protocol: "icmp"}, {State: network.Seen},
	}
	flows := []network.Flow{{Protocol: "tcp", SourcePort: 9, DestinationPort: 443}, {Protocol: "tcp", SourcePort: 9, DestinationPort: 80, Answer: true, Seen: true},
		{Protocol: "udp", SourcePort: 9, DestinationPort: 443}, {Protocol: "icmp"}}
	for _, a := range rules {
		for _, b := range rules {
			both, ok := Both(a, b)
			for _, src := range []string{"10.61.16.1", "10.61.17.1", "10.62.0.1"} {
				for _, dst := range []string{"10.61.80.1", "10.61.81.1"} {
					for _, f := range flows {
						for _, in := range []string{"a", "b"} {
							s, d := netip.MustParseAddr(src), netip.MustParseAddr(dst)
							want := min(a.Fits(s, d, f, in, "a"), b.Fits(s, d, f, in, "a"))
							got := network.No
							if ok {
								got = both.Fits(s, d, f, in, "a")
							}
							require.Equal(t, want, got, "%+v and %+v: %+v", a, b, f)
						}
					}
				}
			}
		}
	}
	one, _ := Both(network.FlowRule{State: network.Seen}, network.FlowRule{State: network.Beginning, Permit: true})
	require.True(t, one.Undecided && one.Permit)
	one, _ = Both(network.FlowRule{Undecided: true}, network.FlowRule{Refuse: true})
	require.True(t, one.Undecided && one.Refuse)
}
