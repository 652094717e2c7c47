package bfd

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

const text = `BFD Peers:
	peer 172.28.61.2 local-address 172.28.61.1 vrf default interface wan0
		ID: 4
		Status: up
		Diagnostics: ok
	peer 172.28.61.22 vrf default interface wan1
		Status: down

Session count: 1
SessionId  LocalAddress       PeerAddress      Status
=========  ============       ===========      ======
4          172.28.61.5        172.28.61.6      up
5          172.28.61.5        nonsense         up

bfd1:
IP address                Interface  State      Since         Interval  Timeout
172.28.61.10              line2      Down       09:12:31.001    1.000    3.000
`

func TestRead(t *testing.T) {
	in := []byte(text)
	r := layouttest.Laws(t, Read, in)
	var got []string
	for _, s := range r.Facts.Sessions {
		got = append(got, fmt.Sprint(s.Peer, " ", s.Interface, " ", s.Up))
	}
	require.Equal(
		t,
		[]string{"172.28.61.2 wan0 true", "172.28.61.22 wan1 false", "172.28.61.6  true", "172.28.61.10 line2 false"},
		got,
	)
	require.Equal(t, []string{`13 not an address: "nonsense"`}, layouttest.Unread(in, r))
	require.Positive(t, recognise(in))
	layouttest.Variants(t, Read, text)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(text))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}
