package speaking

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

const paragraphs = `lift0 is up
  ifindex 2, MTU 1500 bytes, BW 10000 Mbit <UP,RUNNING,MULTICAST>
  Internet Address 172.28.61.1/30, Broadcast 172.28.61.3, Area 0.0.0.0
  Router ID 10.61.254.1, Network Type POINTOPOINT, Cost: 10
  Timer intervals configured, Hello 10s, Dead 40s, Wait 40s, Retransmit 5
    Hello due in 3.500s
  Neighbor Count is 1, Adjacent neighbor count is 1
hall0 is up, line protocol is up
  Internet Address 10.61.40.1/24, Area 3, Attached via Network Statement
  Process ID 1, Router ID 10.61.254.1, Network Type BROADCAST, Cost: 64
    No Hellos (Passive interface)
lift1 is up, line protocol is down
  Internet Address 172.28.61.5/30, Area 0
  Process ID 1, Router ID 10.61.254.1, Network Type BROADCAST, Cost: 1
  Neighbor Count is 1, Adjacent neighbor count is 1
lift2 is up
  Internet Address 172.28.61.9/30, Broadcast 172.28.61.11, Area 0.0.0.0
  Router ID 10.61.254.1, Network Type POINTOPOINT, Cost: 10
  Neighbor Count is 0, Adjacent neighbor count is 0
lift4 is up, type BROADCAST
  Interface ID: 2
  Internet Address:
    inet : 172.28.61.17/30
    inet6: fe80::1/64
  Area ID 0.0.0.1, Cost 7
  Neighbor Count is 1, Adjacent neighbor count is 1
lift5 is up
  Internet Address 172.28.61.21/30, Broadcast 172.28.61.23, Area 0.0.0.0
  Router ID 10.61.254.1, Network Type POINTOPOINT, Cost: 10
  Neighbor Count is 1, Adjacent neighbor count is 0
`

const rows = `Interface    PID   Area            IP Address/Mask    Cost  State Nbrs F/C
Li0          1     0               172.28.61.1/30     10    P2P   1/1
Ha0          1     0.0.0.3         10.61.40.1/24      64    DR    0/1
Li9          1     0               172.28.61.300/30   64    DR    0/0
Li8          1     0               172.28.61.12/30    64    DR
`

// told words what OSPF does on interfaces.
func told(r layout.Reading) (out []string) {
	for _, p := range r.Facts.Protocols {
		if !p.Listed {
			out = append(out, "not listed")
		}
		out = append(out, strings.Join(strings.Fields(fmt.Sprint(p.Interface, " ", p.Family, " ", p.Area, " on ", p.On, " passive ", p.Passive,
			" ", p.Cost.Value)), " "))
	}
	return out
}

func TestParagraphs(t *testing.T) {
	in := []byte(paragraphs)
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, []string{"lift0 ipv4 0.0.0.0 on true passive false 10", "hall0 ipv4 0.0.0.3 on true passive true 64",
		"ipv4 0.0.0.0 on false passive false 0", "ipv4 0.0.0.0 on false passive false 0", "lift4 ipv6 0.0.0.1 on true passive false 7",
		"ipv4 0.0.0.0 on false passive false 0"}, told(r))
	require.Empty(t, r.Unread)
	var states []string
	for _, i := range r.Facts.Interfaces {
		states = append(states, fmt.Sprint(i.Name, " ", i.State == network.LinkUp))
	}
	require.Equal(t, []string{"lift0 true", "hall0 true", "lift1 false", "lift2 true", "lift4 true", "lift5 true"}, states)
	require.Len(t, r.Facts.Addresses, 5)
	require.Positive(t, recognise(in))
	layouttest.Variants(t, Read, paragraphs)
}

func TestRows(t *testing.T) {
	in := []byte(rows)
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, []string{"Li0 ipv4 0.0.0.0 on true passive false 10", "ipv4 0.0.0.3 on false passive false 0"}, told(r))
	require.Len(t, r.Unread, 2)
	require.Positive(t, recognise(in))
	layouttest.Variants(t, Read, rows)
	other := []byte(" OSPF Process ID 1 VRF tills\n Interface   ID   Area      Cost  State  Neighbors Status\n Eth1/1      1    0.0.0.0   40    P2P    1         up\n")
	require.Empty(t, told(layouttest.Laws(t, Read, other)), "of another instance")
	require.Equal(t, []string{"ipv4 0.0.0.0 on false passive false 0"},
		told(Read([]byte(strings.Replace(string(other), "tills", "default", 1)))), "whether a neighbour is a full one is not told")
}

// TestAHeaderThatIsGone: the lines of an interface whose first line was lost do not speak of the one above.
func TestAHeaderThatIsGone(t *testing.T) {
	cut := []byte(strings.Replace(paragraphs, "hall0 is up, line protocol is up\n", "", 1))
	r := layouttest.Laws(t, Read, cut)
	require.NotContains(t, strings.Join(told(r), " "), "lift0")
	require.Len(t, r.Unread, 2)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(paragraphs))
	f.Add([]byte(rows))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}
