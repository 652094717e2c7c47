package sysctl

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

const text = `net.ipv4.conf.all.forwarding = 1
net.ipv6.conf.all.forwarding = 0
net.ipv4.conf.all.rp_filter = 0
net.inet.ip.forwarding: 1
net.ipv4.ip_forward = yes
something else
`

func TestRead(t *testing.T) {
	r := layouttest.Laws(t, Read, []byte(text))
	var got []string
	for _, s := range r.Facts.Forwarding {
		got = append(got, fmt.Sprint(s.Family, " ", s.On))
	}
	require.Equal(t, []string{"ipv4 true", "ipv6 false", "ipv4 true"}, got)
	require.Equal(
		t,
		[]string{"5 not a number in range", "6 not in the form of this layout"},
		layouttest.Unread([]byte(text), r),
	)
	require.Equal(t, 5, recognise([]byte(text)))
	layouttest.Variants(t, Read, text)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(text))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestSwitchesOfInterfaces: each may forward or not, whatever all of them do; IPv6 has one for all.
func TestSwitchesOfInterfaces(t *testing.T) {
	in := []byte("net.ipv4.conf.all.forwarding = 1\nnet.ipv4.conf.default.forwarding = 1\nnet.ipv4.conf.up0.forwarding = 0\nnet.ipv4.conf.hall0/7.forwarding = 1\nnet.ipv6.conf.up0.forwarding = 0\n")
	var got []string
	for _, s := range layouttest.Laws(t, Read, in).Facts.Forwarding {
		got = append(got, fmt.Sprint(uint8(s.Family), s.Interface, s.On))
	}
	require.Equal(t, []string{"4true", "4up0false", "4hall0.7true"}, got)
}

// TestWhatAKernelDoesNotAnswer: echo requests to it, where it was told so.
func TestWhatAKernelDoesNotAnswer(t *testing.T) {
	in := []byte("net.ipv4.icmp_echo_ignore_all = 1\nnet.ipv6.icmp.echo_ignore_all = 1\nnet.ipv4.icmp_echo_ignore_broadcasts = 1\n")
	var got []string
	for _, r := range layouttest.Laws(t, Read, in).Facts.Policy.Flows {
		got = append(got, fmt.Sprint(r.Chain, " ", layouttest.RuleWords(r)))
		require.Equal(t, network.ForItself, r.Hook)
	}
	require.Equal(t, []string{"0 deny icmp type 8", "0 permit", "2 deny icmpv6 type 128", "2 permit"}, got)
	require.Empty(t, layouttest.Laws(t, Read, []byte("net.ipv4.icmp_echo_ignore_all = 0\n")).Facts.Policy.Flows)
}

// TestRoutesByInterfacesWithoutACarrier may be skipped, for each interface or for all.
func TestRoutesByInterfacesWithoutACarrier(t *testing.T) {
	in := []byte("net.ipv4.conf.all.ignore_routes_with_linkdown = 0\nnet.ipv4.conf.default.ignore_routes_with_linkdown = 1\n" +
		"net.ipv4.conf.up0/7.ignore_routes_with_linkdown = 1\nnet.ipv6.conf.all.ignore_routes_with_linkdown = 1\n")
	var got []string
	for _, s := range layouttest.Laws(t, Read, in).Facts.SkipsDown {
		got = append(got, fmt.Sprint(s.Family, s.Interface, s.On))
	}
	require.Equal(t, []string{"ipv4false", "ipv4up0.7true", "ipv6true"}, got)
}
