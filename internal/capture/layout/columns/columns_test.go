package columns

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

var readTests = []struct {
	name, in string
	want     []string
	unread   []string
}{
	{"net-tools, both families", `Kernel IP routing table
Destination     Gateway         Genmask         Flags Metric Ref    Use Iface
0.0.0.0         10.61.0.254     0.0.0.0         UG    20     0        0 desk0
10.61.0.0       0.0.0.0         255.255.255.0   U     0      0        0 desk0
10.61.40.0      -               255.255.248.0   !     20     -        0 -
10.61.254.2     172.28.61.2     255.255.255.255 UGH   20     0        0 wan0
10.61.48.0      0.0.0.0         255.255.248.0   U     0      0        0 *

Kernel IPv6 routing table
Destination                    Next Hop                   Flag Met Ref Use If
fd6b:10::/64                   [::]                       U    256 1     0 desk0
[::]/0                         fe80::1                    UG   1024 1    0 wan0
fd6b:10::1/128                 [::]                       Un   0   3     0 desk0
::/0                           ::                         !n   -1  1     0 lo
`, []string{"3 0.0.0.0/0 other -/20 via 10.61.0.254 dev desk0", "4 10.61.0.0/24 direct -/0 dev desk0", "5 10.61.40.0/21 other -/20 unreachable",
		"6 10.61.254.2/32 other -/20 via 172.28.61.2 dev wan0", "7 10.61.48.0/21 other -/0 blackhole", "11 fd6b:10::/64 direct -/256 dev desk0", "12 ::/0 other -/1024 via fe80::1 dev wan0",
		"13 fd6b:10::1/128 local -/0 receive dev desk0", "14 ::/0 other -/4294967295 unreachable"}, nil},
	{"BSD sections, zeros left out, neighbours among the routes", `Routing tables

Internet:
Destination        Gateway            Flags     Netif Expire
default            10.61.0.254        UGS       em0
10.61/16           10.61.0.9          UGS       em0
10.61.0.0/24       link#1             U         em0
10.61.0.1          link#1             UHS       lo0
10.61.0.31         02:6b:6a:00:00:31  UHLW      em0     1187
10.62              10.61.0.9          UGSB      lo0

Internet6:
Destination                       Gateway                       Flags     Netif Expire
default                           fe80::1%em0                   UGS       em0
fd6b:10::/64                      link#1                        U         em0
fe80::%em0/64                     link#1                        U         em0
`, []string{"5 0.0.0.0/0 static -/- via 10.61.0.254 dev em0", "6 10.61.0.0/16 static -/- via 10.61.0.9 dev em0", "7 10.61.0.0/24 direct -/- dev em0",
		"8 10.61.0.1/32 local -/- receive dev em0", "10 10.62.0.0/16 other -/- blackhole",
		"14 ::/0 static -/- via fe80::1 dev em0", "15 fd6b:10::/64 direct -/- dev em0", "16 fe80::/64 direct -/- dev em0"}, nil},
	{
		"a workstation's print, persistent routes apart",
		`===========================================================================
Interface List
 12...02 6b 6a 00 00 31 ......Some adapter
===========================================================================

IPv4 Route Table
===========================================================================
Active Routes:
Network Destination        Netmask          Gateway       Interface  Metric
          0.0.0.0          0.0.0.0      10.61.0.254      10.61.0.31     25
        10.61.0.0    255.255.255.0         On-link       10.61.0.31    281
       10.61.0.31  255.255.255.255         On-link       10.61.0.31    281
      10.61.0.255  255.255.255.255         On-link       10.61.0.31    281
===========================================================================
Persistent Routes:
  Network Address          Netmask  Gateway Address  Metric
          10.9.0.0      255.255.0.0       10.61.0.9       1
===========================================================================

IPv6 Route Table
===========================================================================
Active Routes:
 If Metric Network Destination      Gateway
 12    281 fd6b:10::/64             On-link
 12     25 ::/0                     fe80::1
Persistent Routes:
  None
`,
		[]string{
			"10 0.0.0.0/0 static -/25 via 10.61.0.254 dev 10.61.0.31",
			"11 10.61.0.0/24 direct -/281 dev 10.61.0.31",
			"12 10.61.0.31/32 local -/281 receive dev 10.61.0.31",
			"13 10.61.0.255/32 other -/281 broadcast dev 10.61.0.31",
			"24 fd6b:10::/64 direct -/281 dev 12",
			"25 ::/0 static -/25 via fe80::1 dev 12",
		},
		nil,
	},
	{
		"a campus switch: right-aligned prefixes, second next hops without one",
		`Route Flags: R - relay, D - download to fib
------------------------------------------------------------------------------
Routing Tables: Public
         Destinations : 5        Routes : 6

Destination/Mask    Proto   Pre  Cost      Flags NextHop         Interface

        0.0.0.0/0   Static  60   0          RD   172.28.61.1     hall10  
     10.61.16.0/24  Direct  0    0           D   10.61.16.1      hall16  
     10.61.16.1/32  Direct  0    0           D   127.0.0.1       loopback0  
     10.61.32.0/24  OSPF    10   20          D   172.28.61.6     hall11  
                    OSPF    10   20          D   172.28.61.10    hall12  
     10.61.40.0/21  O_ASE   150  1           D   172.28.61.6     hall11  
     10.61.48.0/21  Static  60   0           D   0.0.0.0         NULL0
`,
		[]string{
			"8 0.0.0.0/0 static 60/0 via 172.28.61.1 dev hall10 recursive: active installed",
			"9 10.61.16.0/24 direct 0/0 dev hall16: active installed",
			"10 10.61.16.1/32 local 0/0 receive dev loopback0: active installed",
			"11 10.61.32.0/24 ospf 10/20 via 172.28.61.6 dev hall11 via 172.28.61.10 dev hall12: active installed",
			"13 10.61.40.0/21 ospf/external 150/1 via 172.28.61.6 dev hall11: active installed",
			"14 10.61.48.0/21 static 60/0 blackhole: active installed",
		},
		nil,
	},
	{
		"another switch: an interface in place of the gateway, empty columns",
		`                               IP Route Entries

  Destination        Gateway         VLAN Type      Sub-Type   Metric     Dist.
  ------------------ --------------- ---- --------- ---------- ---------- -----
  0.0.0.0/0          172.28.61.1     10   static               1          1
  10.61.16.0/24      HALL            16   connected            1          0
  127.0.0.0/8        reject               static               0          0
  10.61.32.0/24      172.28.61.6     11   ospf      IntraArea  20         110
`,
		[]string{
			"5 0.0.0.0/0 static 1/1 via 172.28.61.1: active installed",
			"6 10.61.16.0/24 direct 0/1 dev HALL: active installed",
			"7 127.0.0.0/8 static 0/0 unreachable: active installed",
			"8 10.61.32.0/24 ospf 110/20 via 172.28.61.6: active installed",
		},
		nil,
	},
	{
		"a firewall: flags learned from its key, only active ones are used",
		`flags: A:active, ?:loose, C:connect, H:host, S:static, O:ospf,
       Oi:ospf intra-area, O2:ospf ext-type-2, E:ecmp

VIRTUAL ROUTER: default (id 1)
  ==========
destination                                 nexthop                                 metric flags      age   interface          next-AS
0.0.0.0/0                                   172.28.61.1                             10     A S              ether1/1
0.0.0.0/0                                   172.28.61.5                             20       S              ether1/2
10.61.64.0/24                               10.61.64.1                              0      A C              ether1/3
10.61.64.1/32                               0.0.0.0                                 0      A H
10.61.32.0/24                               172.28.61.6                             20     A Oi       1187  ether1/1
total routes shown: 5

VIRTUAL ROUTER: yard (id 2)
destination                                 nexthop                                 metric flags      age   interface          next-AS
10.70.0.0/24                                10.70.0.1                               0      A C              ether1/7
`,
		[]string{
			"7 0.0.0.0/0 static -/10 via 172.28.61.1 dev ether1/1: active installed",
			"8 0.0.0.0/0 static -/20 via 172.28.61.5 dev ether1/2",
			"9 10.61.64.0/24 direct -/0 dev ether1/3: active installed",
			"10 10.61.64.1/32 local -/0 receive: active installed",
			"11 10.61.32.0/24 ospf/intra-area -/20 via 172.28.61.6 dev ether1/1: active installed",
			"16 (yard) 10.70.0.0/24 direct -/0 dev ether1/7: active installed",
		},
		nil,
	},
	{
		"wrapped rows, P/M in one cell, bad values",
		`IP Address          Mask             Next-Hop         Interface   Metric
10.61.16.0          255.255.255.0    172.28.61.1      cable1      110/20
10.61.17.0          255.0.255.0      172.28.61.1      cable1      110/20
10.61.18.0
                    255.255.255.0    172.28.61.1      cable1      110/20
10.61.19.0          255.255.255.0    172.28.61.300    cable1      110/20
10.61.20.0          255.255.255.0    172.28.61.1      cable1      -7
`,
		[]string{
			"2 10.61.16.0/24 other 110/20 via 172.28.61.1 dev cable1: active installed",
			"4 10.61.18.0/24 other 110/20 via 172.28.61.1 dev cable1: active installed",
		},
		[]string{
			"3 mask is not contiguous: 255.0.255.0",
			`6 not an address: "172.28.61.300"`,
			`7 not a number in range: "-7"`,
		},
	},
	{
		"the key of letters and marks stands below the rows",
		`Ori  Destination        Gateway         Mtr  Flags         VLAN       Duration
#s   Default Route      172.28.61.1     1    UG---S-um--f- uplink     12d:3h:4m:5s
#d   10.61.16.0/24      10.61.16.1      1    U------um--f- hall       12d:3h:4m:5s
#oa  10.61.32.0/24      172.28.61.5     20   UG-D---um--f- lift       1d:3h:4m:5s
 s   10.61.32.0/24      172.28.61.9     1    UG---S-um--f- lift       1d:3h:4m:5s
#d   172.28.61.4/30     172.28.61.6     1    U------um--f- lift       1d:3h:4m:5s

Origin(Ori): (d) Direct, (s) Static, (oa) OSPFIntra, (or) OSPFInter,
       (*) Preferred unicast route, (#) Preferred unicast and multicast route

Flags: (U) Up, (G) Gateway, (S) Static, (m) Multicast, (f) Provided to FIB
       (D) Dynamic, (u) Unicast

Mask distribution:
     1 default routes          3 routes at length 24
Total number of routes = 5
`,
		[]string{
			"2 0.0.0.0/0 static -/1 via 172.28.61.1 dev uplink: active installed",
			"3 10.61.16.0/24 direct -/1 dev hall: active installed",
			"4 10.61.32.0/24 ospf -/20 via 172.28.61.5 dev lift: active installed",
			"5 10.61.32.0/24 static -/1 via 172.28.61.9 dev lift",
			"6 172.28.61.4/30 direct -/1 dev lift: active installed",
		},
		nil,
	},
	{
		"rows of two lines under a heading of two",
		`Dest Prefix[Flags]                            Type    Proto     Age        Pref
      Next Hop[Interface Name]                                    Metric
-------------------------------------------------------------------------------
0.0.0.0/0                                     Remote  Static    12d03h04m  5
       172.28.61.1                                                  1
10.61.16.0/24                                 Local   Local     12d03h04m  0
       hall                                                         0
10.61.32.0/24                                 Remote  OSPF      01d03h04m  10
       172.28.61.5                                                  20
10.61.32.0/24                                 Remote  OSPF      01d03h04m  10
       172.28.61.9[lift-2]                                          20
10.61.48.0/20                                 Blackh* Static    01d03h04m  5
       Black Hole                                                   1
-------------------------------------------------------------------------------
No. of Routes: 5
`,
		[]string{
			"4 0.0.0.0/0 static 5/1 via 172.28.61.1: active installed",
			"6 10.61.16.0/24 direct 0/0 dev hall: active installed",
			"8 10.61.32.0/24 ospf 10/20 via 172.28.61.5: active installed",
			"10 10.61.32.0/24 ospf 10/20 via 172.28.61.9 dev lift-2: active installed",
			"12 10.61.48.0/20 static 5/1 blackhole: active installed",
		},
		nil,
	},
	{"a sign for equal cost on the next hop, own networks called local", ` + = Equal cost multipath routes
 Total 5 routes

  Dest Address       Gateway Addr        Age        Protocol
------------------+-------------------+----------+-----------
  0.0.0.0/0          172.28.61.1         12d3h      STATIC
  10.61.16.0/24      10.61.16.1          12d3h      LOCAL
  10.61.32.0/24      172.28.61.5         1d3h       OSPF
  10.61.32.0/24     +172.28.61.9         1d3h       OSPF
  127.0.0.1/32       127.0.0.1           12d3h      LOCAL
`, []string{"6 0.0.0.0/0 static -/- via 172.28.61.1: active installed", "7 10.61.16.0/24 direct -/- dev port in 10.61.16.0/24: active installed",
		"8 10.61.32.0/24 ospf -/- via 172.28.61.5: active installed", "9 10.61.32.0/24 ospf -/- via 172.28.61.9: active installed", "10 127.0.0.1/32 local -/- receive: active installed"}, nil},
	{
		"column names over two lines, types of two signs, a further next hop",
		`Origin Codes: C - connected, S - static, L - local, O - OSPF
Type Codes:   E1 - OSPF external type 1, E2 - OSPF external type 2

VRF: default

Prefix              Nexthop          Interface     VRF(egress)       Origin/   Distance/    Age
                                                                     Type      Metric
-----------------------------------------------------------------------------------------------------
0.0.0.0/0           172.28.61.1      vlan10        -                 S         [1/0]        01h:02m:03s
10.61.16.0/24       -                vlan16        -                 C         [0/0]        -
10.61.16.1/32       -                vlan16        -                 L         [0/0]        -
10.61.32.0/24       172.28.61.5      vlan11        -                 O/E2      [110/25]     05m:03s
                    172.28.61.9      vlan12        -                           [110/25]     05m:03s
`,
		[]string{
			"9 0.0.0.0/0 static 1/0 via 172.28.61.1 dev vlan10: active installed",
			"10 10.61.16.0/24 direct 0/0 dev vlan16: active installed",
			"11 10.61.16.1/32 local 0/0 receive dev vlan16: active installed",
			"12 10.61.32.0/24 ospf/external-2 110/25 via 172.28.61.5 dev vlan11 via 172.28.61.9 dev vlan12: active installed",
		},
		nil,
	},
	{
		"numbered rows without a column for the number, interfaces of two words, a key parted by blanks",
		`Type Codes - D:Connected O:OSPF S:Static; Cost - Dist/Metric
OSPF Codes - i:Inter Area 1:External Type 1 2:External Type 2
        Destination        Gateway         Port          Cost          Type Uptime
1       0.0.0.0/0          172.28.61.1     ve 10         1/1           S    12d3h
2       10.61.16.0/24      DIRECT          ve 16         0/0           D    12d3h
3       10.61.32.0/24      172.28.61.5     ve 11         110/20        O    1d3h
        10.61.32.0/24      172.28.61.9     ve 12         110/20        O    1d3h
4       10.61.33.0/24      172.28.61.5     ve 11         110/1         O2   1d3h
`,
		[]string{
			"4 0.0.0.0/0 static 1/1 via 172.28.61.1 dev ve 10: active installed",
			"5 10.61.16.0/24 direct 0/0 dev ve 16: active installed",
			"6 10.61.32.0/24 ospf 110/20 via 172.28.61.5 dev ve 11: active installed",
			"7 10.61.32.0/24 ospf 110/20 via 172.28.61.9 dev ve 12: active installed",
			"8 10.61.33.0/24 ospf/external-2 110/1 via 172.28.61.5 dev ve 11: active installed",
		},
		nil,
	},
	{"net-tools, a gateway of the other family", `Kernel IP routing table
Destination     Gateway         Genmask         Flags Metric Ref    Use Iface
10.61.0.0       0.0.0.0         255.255.255.0   U     0      0        0 desk0
10.61.8.0       0.0.0.0         255.255.255.0   UG    0      0        0 wan0
`, []string{"3 10.61.0.0/24 direct -/0 dev desk0"}, []string{"4 not in the form of this layout: its gateway, of the other family, is not shown"}},
}

func TestRead(t *testing.T) {
	for _, tt := range readTests {
		t.Run(tt.name, func(t *testing.T) {
			in := []byte(tt.in)
			r := layouttest.Laws(t, Read, in)
			require.Equal(t, tt.want, layouttest.Words(in, r))
			require.Equal(t, tt.unread, layouttest.Unread(in, r))
			layouttest.Variants(t, Read, tt.in)
			require.Positive(t, recognise(in))
		})
	}
}

func TestBeside(t *testing.T) {
	r := Read([]byte(readTests[1].in))
	require.Equal(
		t,
		"10.61.0.31 em0 02:6b:6a:00:00:31",
		fmt.Sprint(r.Facts.Neighbours[0].Address, " ", r.Facts.Neighbours[0].Interface, " ", r.Facts.Neighbours[0].MAC),
	)
	r = Read([]byte(readTests[2].in))
	require.Equal(t, "10.61.0.31/32", r.Facts.Addresses[0].Prefix.String())
	require.Len(t, r.Facts.Statics, 1)
	require.Equal(t, "10.9.0.0/16", r.Facts.Statics[0].Prefix.String())
}

func TestEveryNameIsKnownOnce(t *testing.T) {
	require.Greater(t, len(synonyms()), 80)
	require.Equal(t, destination, synonyms()["destination/mask"])
}

func TestOtherTextIsNotRecognised(t *testing.T) {
	for _, in := range []string{"", "Interface Status Protocol\n", "Neighbor ID Pri State Dead Time Address Interface\n", "Destination unreachable\n", "one two three\n"} {
		require.Zero(t, recognise([]byte(in)), in)
	}
}

func FuzzRead(f *testing.F) {
	for _, tt := range readTests {
		f.Add([]byte(tt.in))
	}
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestSectionsOfWorkstations: a link-layer address in place of a gateway is a neighbour that has answered; a heading
// tells the family.
// TestTheLastAddressOfANetworkThatIsGone: an address alone that leads to the device itself may be that of broadcasts.
func TestTheLastAddressOfANetworkThatIsGone(t *testing.T) {
	const head = "Destination/Mask    Proto   Pre  Cost      Flags NextHop         Interface\n\n"
	const net = "     10.61.16.0/24  Direct  0    0           D   10.61.16.1      hall16\n"
	const last = "   10.61.16.255/32  Direct  0    0           D   127.0.0.1       hall16\n"
	const own = "     10.61.16.1/32  Direct  0    0           D   127.0.0.1       hall16\n"
	const lone = "     10.61.99.7/32  Direct  0    0           D   127.0.0.1       LoopBack7\n"
	in := []byte(head + net + own + last + lone)
	require.Equal(t, []string{"3 10.61.16.0/24 direct 0/0 dev hall16: active installed", "4 10.61.16.1/32 local 0/0 receive dev hall16: active installed",
		"5 10.61.16.255/32 other 0/0 broadcast dev hall16: active installed", "6 10.61.99.7/32 local 0/0 receive dev LoopBack7: active installed"}, layouttest.Words(in, Read(in)))
	in = []byte(head + own + last + lone)
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, []string{"3 10.61.16.1/32 local 0/0 receive dev hall16: active installed", "5 10.61.99.7/32 local 0/0 receive dev LoopBack7: active installed"}, layouttest.Words(in, r))
	require.Len(t, r.Unread, 1)
}

func TestSectionsOfWorkstations(t *testing.T) {
	in := []byte("Routing tables\n\nInternet:\nDestination        Gateway            Flags     Netif Expire\n10.61.16.0/24      link#1             UC        em0\n10.61.16.5         00:16:3e:01:02:03  UHLW      em0   1100\n")
	r := Read(in)
	require.Len(t, r.Facts.Neighbours, 1)
	require.Equal(t, network.NeighbourAlive, r.Facts.Neighbours[0].State)
	in = []byte("Kernel IPv6 routing table\nDestination                    Next Hop                   Flag Met Ref Use If\nfd6b:16::/64                   ::                         U    256 1     0 hall0\ndefault                        fd6b:16::1                 UG   1024 1    0 hall0\n")
	tables := Read(in).Facts.Tables
	require.NotEmpty(t, tables)
	for _, table := range tables {
		require.Equal(t, route.IPv6, table.Family)
	}
}

// TestATableBelowAnUntitledOne is read by its own names.
func TestATableBelowAnUntitledOne(t *testing.T) {
	tables := Read([]byte(`Destination     Gateway         Genmask         Flags Metric Ref    Use Iface
10.61.16.0      0.0.0.0         255.255.255.0   U     0      0        0 hall0
Destination/Mask    Proto   Pre  Cost        NextHop         Interface
10.61.32.0/24       Static  60   0           172.28.61.6     line1
`)).Facts.Tables
	require.Len(t, tables, 2)
	require.Equal(t, []any{network.ForwardingTable, true}, []any{tables[0].Kind, tables[0].Plain})
	require.Equal(t, []any{network.Candidates, false}, []any{tables[1].Kind, tables[1].Plain})
}

// TestARowWithoutItsMask is no host's: net-tools print the masks of those too.
func TestARowWithoutItsMask(t *testing.T) {
	for _, title := range []string{"", "Kernel IP routing table\n"} {
		r := Read([]byte(title + "Destination     Gateway         Genmask         Flags Metric Ref    Use Iface\n" +
			"10.61.16.0      172.28.61.6     255.255.255.0UG    0      0        0 line1\n10.61.17.9 line1\n"))
		require.Empty(t, r.Facts.Tables)
		require.Len(t, r.Unread, 2)
	}
}

// TestAnotherTableInFront: net-tools show the kernel's IPv6 tables one behind the other.
func TestAnotherTableInFront(t *testing.T) {
	tables := Read([]byte(`Kernel IPv6 routing table
Destination                    Next Hop                   Flag Met Ref  Use If
fd6b:101::/56                  fd6b:ffff:3::2             UG   50  1      0 line3
::/0                           fd6b:ffff:3::2             UG   1024 1      0 line3
fd6b:101::/56                  fd6b:ffff:5::1             UG   512 3      0 line5
fe80::/64                      ::                         U    256 1      0 line5
::/0                           ::                         !n   -1  1      0 lo
::1/128                        ::                         Un   0   2      0 lo
::/0                           ::                         !n   -1  1      0 lo
`)).Facts.Tables
	require.Len(t, tables, 2)
	require.Equal(t, 5, tables[0].Routes.Len())
	require.Equal(t, "line5", tables[0].Routes.At(0).NextHops[0].Interface)
	require.Equal(t, []any{"unnumbered 1", true, 2}, []any{tables[1].Name, tables[1].ByRule, tables[1].Routes.Len()})
}

const storeText = `ifIndex DestinationPrefix                              NextHop                                  RouteMetric ifMetric PolicyStore
------- -----------------                              -------                                  ----------- -------- -----------
12      255.255.255.255/32                             0.0.0.0                                          256 25       ActiveStore
12      224.0.0.0/4                                    0.0.0.0                                          256 25       ActiveStore
12      10.61.16.255/32                                0.0.0.0                                          256 25       ActiveStore
12      10.61.16.9/32                                  0.0.0.0                                          256 25       ActiveStore
12      10.61.16.0/24                                  0.0.0.0                                          256 25       ActiveStore
12      0.0.0.0/0                                      10.61.16.1                                         0 25       ActiveStore
12      10.61.44.0/24                                  10.61.16.3                                         1          PersistentStore
12      10.61.45.0/24                                  10.61.16.3                                         1 1        Elsewhere
`

// TestAStoreOfRoutes: the interface's metric counts too, addresses alone are told from those of broadcasts, and what is
// only configured is no route.
func TestAStoreOfRoutes(t *testing.T) {
	in := []byte(storeText)
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, []string{"4 224.0.0.0/4 direct -/281 multicast", "7 10.61.16.0/24 direct -/281 dev 12", "8 0.0.0.0/0 static -/25 via 10.61.16.1 dev 12",
		"3 255.255.255.255/32 other -/281 broadcast dev 12", "5 10.61.16.255/32 other -/281 broadcast dev 12", "6 10.61.16.9/32 local -/281 receive dev 12"}, layouttest.Words(in, r))
	require.Equal(t, []string{`10 not in the form of this layout: "Elsewhere"`}, layouttest.Unread(in, r))
	require.Len(t, r.Facts.Statics, 1)
	require.Equal(t, netip.MustParsePrefix("10.61.44.0/24"), r.Facts.Statics[0].Prefix)
	require.Len(t, r.Facts.Addresses, 1)
	require.Equal(t, netip.MustParsePrefix("10.61.16.9/24"), r.Facts.Addresses[0].Prefix)
}

// TestARulerTellsTheColumns: a value stands where the ruler says that its column is, though another name is nearer.
func TestARulerTellsTheColumns(t *testing.T) {
	text := "Routing Table: IPv4\n  Destination           Gateway           Flags  Ref     Use     Interface\n" +
		"-------------------- -------------------- ----- ----- ---------- ---------\n" +
		"default              10.61.16.1           UG        2        123           \n" +
		"10.61.16.9           10.61.16.9           UH        2         78 lo0       \n"
	r := layouttest.Laws(t, Read, []byte(text))
	require.Equal(t, []string{"4 0.0.0.0/0 other -/- via 10.61.16.1: active installed", "5 10.61.16.9/32 local -/- receive dev lo0: active installed"}, layouttest.Words([]byte(text), r))
	r = Read([]byte(strings.Replace(text, "-------------------- -------------------- ----- ----- ---------- ---------\n", "", 1)))
	require.NotContains(t, layouttest.Words([]byte(text), r), "3 0.0.0.0/0 other -/- via 10.61.16.1 dev 123: active installed")
}

// TestATitleNamesTheFamily of a default route whose gateway does not.
func TestATitleNamesTheFamily(t *testing.T) {
	for family, want := range map[string]string{"IPv4": "0.0.0.0/0", "IPv6": "::/0"} {
		text := "Routing Table: " + family + "\n  Destination           Gateway           Flags  Ref     Use     Interface\n" +
			"default              up0                  U         2        123 up0       \n"
		r := layouttest.Laws(t, Read, []byte(text))
		require.Len(t, r.Facts.Tables, 1, family)
		require.Equal(t, want, r.Facts.Tables[0].Routes.Prefix(0).String(), family)
	}
}

// TestWhoseTableItIs: a title names the table; one in words that are not known leaves it open.
func TestWhoseTableItIs(t *testing.T) {
	const rows = "Destination        Gateway         Interface\n10.61.16.0/24      172.28.61.6     line1\n"
	for title, want := range map[string]string{
		"Route Table (Router: Base)":        "3 10.61.16.0/24 other -/- via 172.28.61.6 dev line1: active installed",
		"Route Table (Router: tickets)":     "3 (tickets) 10.61.16.0/24 other -/- via 172.28.61.6 dev line1: active installed",
		"IPv6 Route Table (Service: 7)":     "3 (7) 10.61.16.0/24 other -/- via 172.28.61.6 dev line1: active installed",
		"Here is what VRF tickets has:":     "",
		"entries of vpn-instance \"yard\"":  "",
		"Service 7 has these":               "",
		"Service as usual":                  "3 10.61.16.0/24 other -/- via 172.28.61.6 dev line1: active installed",
		"Those of VRF default, as it seems": "3 10.61.16.0/24 other -/- via 172.28.61.6 dev line1: active installed",
		"Routing tables (fib: 2)":           "3 (fib 2) 10.61.16.0/24 other -/- via 172.28.61.6 dev line1: active installed",
		"Routing tables (fib: 0)":           "3 10.61.16.0/24 other -/- via 172.28.61.6 dev line1: active installed",
		"what the vrf table holds":          "3 10.61.16.0/24 other -/- via 172.28.61.6 dev line1: active installed",
	} {
		in := []byte(title + "\n" + rows)
		require.Equal(t, want, strings.Join(layouttest.Words(in, layouttest.Laws(t, Read, in)), " "), title)
	}
}

// TestFlagsOfDiscards: the key's words tell them, and BSD's letters those of broadcasts.
func TestFlagsOfDiscards(t *testing.T) {
	in := []byte("flags: * = valid, B = BGP, C = Connected, S = Static\n       r = reject route, b = blackhole route\n\nflags prio destination          gateway\n" +
		"*S       8 0.0.0.0/0            10.90.0.1\n*S r     8 10.92.0.0/16         127.0.0.1\n*S b     8 10.93.0.0/16         127.0.0.1\n")
	require.Equal(t, []string{"5 0.0.0.0/0 static 8/- via 10.90.0.1: active installed", "6 10.92.0.0/16 static 8/- unreachable: active installed",
		"7 10.93.0.0/16 static 8/- blackhole: active installed"}, layouttest.Words(in, layouttest.Laws(t, Read, in)))
	in = []byte("Internet:\nDestination        Gateway            Flags   Refs      Use   Mtu  Prio Iface\n10.90.0.255        10.90.0.7          UHb        0        0     -     1 em0\n")
	require.Equal(t, []string{"3 10.90.0.255/32 other 1/- broadcast dev em0"}, layouttest.Words(in, layouttest.Laws(t, Read, in)))
}

// TestAHeadingThatLostAByte may be another layout's, whose rows mean something else.
func TestAHeadingThatLostAByte(t *testing.T) {
	const rows = "1       127.0.0.1/32                 0.0.0.0              256 75       ActiveStore\n"
	const names = "ifIndex DestinationPrefix            NextHop      RouteMetric ifMetric PolicyStore\n"
	r := layouttest.Laws(t, Read, []byte(names+rows))
	require.Equal(t, 1, r.Routes())
	for _, lost := range []string{"Route\x00Metric", "Route¤Metric"} {
		r = layouttest.Laws(t, Read, []byte(strings.Replace(names, "RouteMetric", lost, 1)+rows))
		require.Zero(t, r.Routes(), lost)
		require.NotEmpty(t, r.Unread, lost)
	}
}
