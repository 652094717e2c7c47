package sysctl

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
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
