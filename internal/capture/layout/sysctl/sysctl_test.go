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
