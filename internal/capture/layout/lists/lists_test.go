package lists

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
)

var tests = []struct {
	name, in string
	want     []string
	unread   []string
}{
	{
		"interfaces with address and two states",
		`Interface              IP-Address      OK? Method Status                Protocol
cable0/1               172.28.61.1     YES NVRAM  up                    up
cable0/2               172.28.61.5     YES manual administratively down down
hall16                 unassigned      YES unset  up                    down
bad0                   172.28.61.500   YES unset  up                    up
`,
		[]string{
			"if cable0/1 1",
			"if cable0/2 2",
			"if hall16 2",
			"addr 172.28.61.1/32 cable0/1",
			"addr 172.28.61.5/32 cable0/2",
		},
		[]string{`5 not an address: "172.28.61.500"`},
	},
	{
		"interfaces with length, marked states",
		`Interface                         IP Address/Mask      Physical   Protocol  VPN
hall16                            10.61.16.1/24        up         up        --
cable11                           172.28.61.9/30       *down      down      --
null0                             unassigned           up         up(s)     --
`,
		[]string{
			"if hall16 1",
			"if cable11 2",
			"if null0 1",
			"addr 10.61.16.1/24 hall16",
			"addr 172.28.61.9/30 cable11",
		},
		nil,
	},
	{"the addresses of a pair and those of the one that stands by", `System IP Addresses:
Interface                Name                   IP address      Subnet mask     Method
cable0/0                 up                     172.28.61.2     255.255.255.252 CONFIG
cable0/1                 hall                   10.61.16.1      255.255.255.0   CONFIG
Current IP Addresses:
Interface                Name                   IP address      Subnet mask     Method
cable0/1                 hall                   10.61.16.2      255.255.255.0   CONFIG
`, []string{"if hall 0", "addr 10.61.16.2/24 hall"}, nil},
	{"neighbours of all tables, with a key of two letters", `Flags: * - Adjacencies learnt on non-active router
       CP - Added via the control plane
IP ARP Table for all contexts
Total number of entries: 1
Address         Age       MAC Address     Interface       Flags
10.61.16.9      00:12:13  0200.6b6a.0009  hall16
`, []string{"neigh 10.61.16.9 hall16 02:00:6b:6a:00:09 1"}, nil},
	{"neighbours of a router", `Protocol  Address          Age (min)  Hardware Addr   Type   Interface
Internet  10.61.16.9              5   0200.6b6a.0009  ARPA   hall16
Internet  10.61.16.10             0   Incomplete      ARPA
Internet  172.28.61.2             -   0200.6b6a.0002  ARPA   cable0/1
`, []string{"neigh 10.61.16.9 hall16 02:00:6b:6a:00:09 1", "neigh 10.61.16.10   0", "neigh 172.28.61.2 cable0/1 02:00:6b:6a:00:02 1"}, nil},
	{
		"an interface with further addresses below",
		`Interface               Admin Link Proto    Local                 Remote
hall-0/0/1              up    up
hall-0/0/1.0            up    up   inet     10.61.16.1/24
                                   inet6    fd6b:16::1/64
cable-0/0/2.0           up    down inet     172.28.61.6/30
`,
		[]string{
			"if hall-0/0/1 1",
			"if hall-0/0/1.0 1",
			"if cable-0/0/2.0 2",
			"addr 10.61.16.1/24 hall-0/0/1.0",
			"addr fd6b:16::1/64 hall-0/0/1.0",
			"addr 172.28.61.6/30 cable-0/0/2.0",
		},
		nil,
	},
	{"neighbours by net-tools", `Address                  HWtype  HWaddress           Flags Mask            Iface
10.61.0.31               ether   02:6b:6a:00:00:31   C                     desk0
10.61.0.254                      (incomplete)                              desk0
`, []string{"neigh 10.61.0.31 desk0 02:6b:6a:00:00:31 1", "neigh 10.61.0.254 desk0  0"}, nil},
}

func words(in []byte) []string { return wordsOf(Read(in)) }

func wordsOf(r layout.Reading) []string {
	var out []string
	for _, i := range r.Facts.Interfaces {
		out = append(out, fmt.Sprint("if ", i.Name, " ", i.State))
	}
	for _, a := range r.Facts.Addresses {
		s := fmt.Sprint("addr ", a.Prefix, " ", a.Interface)
		if a.Table != "" {
			s += " in " + a.Table
		}
		out = append(out, s)
	}
	for _, n := range r.Facts.Neighbours {
		out = append(out, fmt.Sprint("neigh ", n.Address, " ", n.Interface, " ", n.MAC, " ", n.State))
	}
	return out
}

// TestWhatIsNoRow: names of columns, rulers and keys are told apart.
func TestWhatIsNoRow(t *testing.T) {
	text := "Interface              IP-Address      OK? Method Status                Protocol\n---------------------------------------------------------------------------\n" +
		"cable0/1               172.28.61.1     YES NVRAM  up                    up\n"
	r := layouttest.Laws(t, Read, []byte(text))
	var got []layout.As
	for _, p := range r.Passed {
		got = append(got, p.As)
	}
	require.Equal(t, []layout.As{layout.Names, layout.Ruler}, got)
}

func TestRead(t *testing.T) {
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			r := layouttest.Laws(t, Read, []byte(tt.in))
			require.Equal(t, tt.want, words([]byte(tt.in)))
			require.Equal(t, tt.unread, layouttest.Unread([]byte(tt.in), r))
			layouttest.Variants(t, Read, tt.in)
			require.Positive(t, recognise([]byte(tt.in)))
		})
	}
}

func TestOtherTextIsNotRecognised(t *testing.T) {
	for _, in := range []string{"", "Destination     Gateway         Genmask         Flags Metric Ref    Use Iface\n", "Interface Status Protocol\n", "Neighbor ID Pri State Dead Time Address Interface\n",
		"    Network          Next Hop            Metric LocPrf Weight Path\n", "Interface       Status  VRF             Addresses\n"} {
		require.Zero(t, recognise([]byte(in)), in)
	}
}

func FuzzRead(f *testing.F) {
	for _, tt := range tests {
		f.Add([]byte(tt.in))
	}
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

func FuzzPairs(f *testing.F) {
	f.Add([]byte(Pairs.Sample))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, ReadPairs, in) })
}

func FuzzWorkstation(f *testing.F) {
	f.Add([]byte(Workstation.Sample))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, ReadWorkstation, in) })
}
