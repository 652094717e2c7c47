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

func TestColumnsOfOneWord(t *testing.T) {
	for in, want := range map[string][]string{
		"IPv4 Sessions\nNeighAddr                              LD/RD         RH/RS     State     Int\n172.28.61.1                             1/1          Up        Up        line0/1\n172.28.61.6                             2/0          Down      Down      line0/2\n":                                                                                                                                                                  {"172.28.61.1 line0/1 true", "172.28.61.6 line0/2 false"},
		"OurAddr         NeighAddr       LD/RD                 RH/RS   Holdown(mult)     State       Int                   Vrf\n172.28.61.2     172.28.61.1     1090519041/1090519042 Up      5219(3)           Up          line1/1               default\n":                                                                                                                                                                                 {"172.28.61.1 line1/1 true"},
		"                                                  Detect   Transmit\nAddress                  State     Interface      Time     Interval  Multiplier\n172.28.61.1              Up        line0/1.0      0.900     0.300        3\n172.28.61.6              Init      line0/2.0      0.000     1.000        3\n\n2 sessions, 2 clients\n":                                                                                            {"172.28.61.1 line0/1.0 true", "172.28.61.6 line0/2.0 false"},
		"--------------------------------------------------------------------------------\nLocal      Remote     PeerIpAddr      State     Type        InterfaceName\n16385      16386      172.28.61.1     Up        S_AUTO_IF   line0/1\n16387      0          172.28.61.6     Down      S_AUTO_IF   line0/2\n--------------------------------------------------------------------------------\n     Total UP/DOWN Session Number : 1/1\n": {"172.28.61.1 line0/1 true", "172.28.61.6 line0/2 false"},
		" Total Session Num: 1     Up Session Num: 1     Init Mode: Active\n\n IPv4 session working in control packet mode:\n\n LD/RD          SourceAddr      DestAddr        State    Holdtime    Interface\n 31/33          172.28.61.2     172.28.61.1     Up       1700ms      line0/1\n":                                                                                                                                               {"172.28.61.1 line0/1 true"},
	} {
		r := layouttest.Laws(t, Read, []byte(in))
		var got []string
		for _, s := range r.Facts.Sessions {
			got = append(got, fmt.Sprint(s.Peer, " ", s.Interface, " ", s.Up))
		}
		require.Equal(t, want, got)
	}
}
