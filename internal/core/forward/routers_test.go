package forward_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/forward"
)

// TestARouterThatDoesNotAnswer: a kernel that does not forward IPv6 takes another route that it has, so that the packet
// need not be lost.
func TestARouterThatDoesNotAnswer(t *testing.T) {
	const host = `
		h: kernel: direct fd6b:1::/64 dev e0
		h: addr fd6b:1::9/64 e0
		h: neigh fd6b:1::3 e0 failed
		h: kernel: static ::/0 metric 100 via fd6b:1::3 dev e0
`
	for name, tt := range map[string]struct {
		more string
		want forward.Verdict
	}{
		"the only one":             {"", forward.NextHopLost},
		"of two":                   {"h: kernel: static ::/0 metric 200 via fd6b:1::1 dev e0", forward.Unknown},
		"of two of a host":         {"h: kernel: static ::/0 metric 200 via fd6b:1::1 dev e0\nh: forwarding ipv6 off", forward.Unknown},
		"of two of a router":       {"h: kernel: static ::/0 metric 200 via fd6b:1::1 dev e0\nh: forwarding ipv6 on", forward.NextHopLost},
		"the other one is dead":    {"h: kernel: static ::/0 metric 200 via fd6b:1::1 dev e0 inactive", forward.NextHopLost},
		"the other one discards":   {"h: kernel: static ::/0 metric 200 blackhole", forward.NextHopLost},
		"the other one is shorter": {"h: kernel: static fd6b:7::/32 metric 100 via fd6b:1::3 dev e0", forward.Unknown},
		"with a routing table":     {"h: kernel: static ::/0 metric 200 via fd6b:1::1 dev e0\nh: static ::/0 via fd6b:1::3 dev e0", forward.NextHopLost},
	} {
		rt := trace(host+tt.more, "fd6b:1::9", "fd6b:7::1")
		require.Equal(t, tt.want, rt.Forward.Verdict, name)
		if tt.want == forward.Unknown {
			require.Equal(t, forward.AnotherRouter, rt.Forward.Branches[0].Reason.Code, name)
		}
	}
	four := trace(`
		h: kernel: direct 10.1.0.0/24 dev e0
		h: addr 10.1.0.9/24 e0
		h: neigh fd6b:1::3 e0 failed
		h: kernel: static 10.7.0.0/16 via fd6b:1::3 dev e0
		h: kernel: static 0.0.0.0/0 via 10.1.0.1 dev e0`, "10.1.0.9", "10.7.0.1")
	require.Equal(t, forward.NextHopLost, four.Forward.Verdict, "IPv4 by a router of IPv6")
	rt := trace("h: kernel: direct fd6b:1::/64 dev e0\nh: addr fd6b:1::9/64 e0\nh: neigh fd6b:1::3 e0 failed\nh: kernel: static ::/0 via fd6b:1::1 dev e0", "fd6b:1::9", "fd6b:1::3")
	require.Equal(t, forward.NextHopLost, rt.Forward.Verdict, "a neighbour itself")
}

// TestAnInterfaceWithoutIPv6: where a list shows that it has not even an address of its link, nothing by it is sure.
func TestAnInterfaceWithoutIPv6(t *testing.T) {
	const net = `
		a: link lan up
		a: link up up
		a: direct fd6b:1::/64 dev lan
		a: addr fd6b:1::1/64 lan
		a: static fd6b:9::/64 via fd6b:2::2 dev up
		b: link u0 up 02:00:00:00:00:02
		b: direct fd6b:2::/64 dev u0
		b: addr fd6b:2::2/64 u0
		b: direct fd6b:9::/64 dev hall
		b: addr fd6b:9::1/64 hall
		b: static fd6b:1::/64 via fd6b:2::1 dev u0
`
	for more, want := range map[string]forward.Verdict{
		"a: neigh fd6b:2::2 up alive 02:00:00:00:00:02":                                                           forward.Arrives,
		"a: neigh fd6b:2::2 up alive 02:00:00:00:00:02\na: link lo up\na: addr ::1/128 lo":                        forward.Unknown,
		"a: neigh fd6b:2::2 up alive 02:00:00:00:00:02\na: link lo up\na: addr ::1/128 lo\na: addr fe80::7/64 up": forward.Arrives,
	} {
		rt := trace(net+more, "fd6b:1::9", "fd6b:9::9")
		require.Equal(t, want, rt.Forward.Verdict, more)
		if want == forward.Unknown {
			require.Equal(t, forward.NoIPv6There, rt.Forward.Branches[0].Reason.Code)
		}
	}
}

// TestInterfacesOfIPv4Alone carry that, whatever they lack; a neighbour that does not answer is lost all the same.
func TestInterfacesOfIPv4Alone(t *testing.T) {
	const list = "\na: link lo up\na: addr ::1/128 lo\na: link up up\n"
	rt := trace(ring+backByDown+list, "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.TwoWay, rt.Verdict)
	lost := trace("a: direct fd6b:1::/64 dev lan\na: addr fd6b:1::1/64 lan\na: static fd6b:9::/64 via fd6b:2::2 dev up\na: neigh fd6b:2::2 up failed"+list,
		"fd6b:1::9", "fd6b:9::9")
	require.Equal(t, forward.NextHopLost, lost.Forward.Verdict)
}
