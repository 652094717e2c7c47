package columns

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

// A shape is a listing whose headings, keys or rows are of a kind of their own.
type shape struct {
	name, in string
	want     []string
}

var shapes = []shape{
	{"signs in front of the rows in use, a key of codes, two tables", `IPv4 Dest-Routes for <guests> (1 entries)
--------------------------------------------------------------
H: Host C: Connected S: Static O: OSPF E1: OSPF external type 1
   ID          IP-Prefix      Interface         Gateway   P Pref    Mtr     Vsys
*   7          0.0.0.0/0           hall0     172.28.61.33   S   20      1     Root

IPv4 Dest-Routes for <trust-vr> (4 entries)
   ID          IP-Prefix      Interface         Gateway   P Pref    Mtr     Vsys
*   3          0.0.0.0/0           cable0     172.28.61.1   S   20      1     Root
*   2      172.28.61.6/32          cable0         0.0.0.0   H    0      0     Root
*   5      10.61.16.0/24           cable1     172.28.61.5  E1   60     20     Root
    6      10.61.16.0/24           cable0     172.28.61.1   S  120      1     Root
`, []string{"5 (guests) 0.0.0.0/0 static 20/1 via 172.28.61.33 dev hall0: active installed", "9 0.0.0.0/0 static 20/1 via 172.28.61.1 dev cable0: active installed",
		"10 172.28.61.6/32 local 0/0 receive dev cable0: active installed", "11 10.61.16.0/24 ospf 60/20 via 172.28.61.5 dev cable1: active installed", "12 10.61.16.0/24 static 120/1 via 172.28.61.1 dev cable0"}},
	{"names over two lines, letters for the best, a part of all", `****************************
      IP Route - GlobalRouter
============================
                                   NH                            INTER
DST             MASK            NEXT            VRF/ISID     COST FACE PROT AGE TYPE PRF
----------------------------------------------------------------------------------------
0.0.0.0         0.0.0.0         172.28.61.1     GlobalRouter 1    100  STAT 0   IB   5
10.61.16.0      255.255.255.0   10.61.16.1      -            1    16   LOC  0   DB   0
10.61.32.0      255.255.255.0   172.28.61.5     GlobalRouter 20   101  OSPF 0   IB   20
10.61.32.0      255.255.255.0   172.28.61.9     GlobalRouter 1    102  STAT 0   IA   5
10.61.49.0      255.255.255.0   172.28.61.9     GlobalRouter 1    102  OSPF 0   IAU  20

5 out of 5 Total Num of Route Entries, 5 Total Num of Dest Networks displayed.
TYPE Legend:
I=Indirect Route, D=Direct Route, A=Alternative Route, B=Best Route, E=Ecmp Route,
U=Unresolved Route, N=Not in HW
`, []string{"7 0.0.0.0/0 static 5/1 via 172.28.61.1 dev 100: active installed", "8 10.61.16.0/24 direct 0/1 dev 16: active installed",
		"9 10.61.32.0/24 ospf 20/20 via 172.28.61.5 dev 101: active installed", "10 10.61.32.0/24 static 5/1 via 172.28.61.9 dev 102",
		"11 10.61.49.0/24 ospf 20/1 via 172.28.61.9 dev 102"}},
	{"two columns of states", `Destination     Next Hop     Interface  Protocol  State   Valid  Comment
10.61.16.0/24   172.28.61.1  hall0      static    active  yes    a
10.61.17.0/24   172.28.61.1  hall0      static    active  no     b
10.61.18.0/24   172.28.61.1  hall0      static    down    yes    c
`, []string{"2 10.61.16.0/24 static -/- via 172.28.61.1 dev hall0: active installed", "3 10.61.17.0/24 static -/- via 172.28.61.1 dev hall0",
		"4 10.61.18.0/24 static -/- via 172.28.61.1 dev hall0"}},
	{"what forwards, with its size above and flags of a key", `virtual-router name: default
interfaces:

route table:
flags: u - up, h - host, g - gateway, e - ecmp, * - preferred path

maximum of IPv4 fib entries for device:               5000
number of fib entries shown:                          3

id      destination           nexthop            flags  interface          mtu
--------------------------------------------------------------------------------
7       0.0.0.0/0             172.28.61.1        ug     hall0              1500
5       10.61.16.0/24         0.0.0.0            u      hall0              1500
4       10.61.16.2/32         0.0.0.0            uh     hall0              1500
`, []string{"12 0.0.0.0/0 other -/- via 172.28.61.1 dev hall0: active installed", "13 10.61.16.0/24 direct -/- dev hall0: active installed",
		"14 10.61.16.2/32 local -/- receive dev hall0: active installed"}},
	{"codes behind other words, numbers, and a sign of the default", `Start index: 1  B:BGP D:Connected  R:RIP  S:Static  O:OSPF *:Candidate default
         Destination     NetMask         Gateway         Port    Cost     Type
1        10.61.16.0      255.255.255.0   0.0.0.0         v10     1        D
2        10.61.32.0      255.255.255.0   172.28.61.5     v10     20       O
3       *0.0.0.0         0.0.0.0         172.28.61.1     v10     1        S
`, []string{"3 10.61.16.0/24 direct -/1 dev v10: active installed", "4 10.61.32.0/24 ospf -/20 via 172.28.61.5 dev v10: active installed",
		"5 0.0.0.0/0 static -/1 via 172.28.61.1 dev v10: active installed"}},
	{"next hops on the next line, by a tunnel, discards, several", `===============================================================================
Route Table (Router: Base)
===============================================================================
Dest Prefix[Flags]                            Type    Proto     Age        Pref
      Next Hop[Interface Name]                                    Metric
-------------------------------------------------------------------------------
10.61.16.0/24                                 Local   Local     40d05h06m  0
       to-hall                                                      0
10.61.32.0/24                                 Remote  BGP       01d00h00m  170
       172.28.99.9 (tunneled:RSVP:3)                                0
10.61.48.0/24                                 Blackh* Static    09d00h00m  5
       Black Hole                                                   1
10.61.64.0/24 [2]                             Remote  ISIS      00h10m00s  18
       172.28.61.5                                                  40
10.61.64.0/24                                 Remote  ISIS      00h10m00s  18
       172.28.61.9                                                  40
-------------------------------------------------------------------------------
No. of Routes: 5
`, []string{"7 10.61.16.0/24 direct 0/0 dev to-hall: active installed", "9 10.61.32.0/24 bgp 170/0 via 172.28.99.9 encapsulated: active installed",
		"11 10.61.48.0/24 static 5/1 blackhole: active installed", "13 10.61.64.0/24 isis 18/40 via 172.28.61.5: active installed",
		"15 10.61.64.0/24 isis 18/40 via 172.28.61.9: active installed"}},
	{"a frame with names and cells that go on below", `+----------------+------+------------+-----------+--------+----------+----------+
|     Prefix     |  ID  | Route Type |  Active   | Metric | Next-hop | Next-hop |
|                |      |            |           |        |  (Type)  | Interface|
+================+======+============+===========+========+==========+==========+
| 0.0.0.0/0      | 0    | static     | True      | 1      | 172.28.6 | hall-rop |
|                |      |            |           |        | 1.1 (ind | e/1      |
|                |      |            |           |        | irect)   |          |
| 10.61.16.0/24  | 2    | local      | True      | 0      | None     | hall0.0  |
| 10.61.32.0/24  | 0    | static     | False     | 1      | 172.28.6 | hall1.0  |
|                |      |            |           |        | 1.5      |          |
+----------------+------+------------+-----------+--------+----------+----------+
`, []string{"5 0.0.0.0/0 static -/1 via 172.28.61.1 dev hall-rope/1: active installed", "8 10.61.16.0/24 direct -/0 dev hall0.0: active installed",
		"9 10.61.32.0/24 static -/1 via 172.28.61.5 dev hall1.0"}},
	{"a frame with several next hops in a cell", `+----------------+------------+--------+----------+----------+
|     Prefix     | Route Type | Metric | Next-hop | Next-hop |
|                |            |        |  (Type)  | Interface|
+================+============+========+==========+==========+
| 10.61.32.0/24  | ospfv2     | 20     | 172.28.6 | hall1.0  |
|                |            |        | 1.5 (di  | hall2.0  |
|                |            |        | rect)    |          |
|                |            |        | 172.28.6 |          |
|                |            |        | 1.9      |          |
+----------------+------------+--------+----------+----------+
`, []string{"5 10.61.32.0/24 ospf -/20 via 172.28.61.5 dev hall1.0 via 172.28.61.9 dev hall2.0: active installed"}},
	{"words in the place of a next hop", `Prefix               Next Hop             Interface
10.61.16.0/24        glean                hall0
10.61.17.0/24        no route
224.0.0.0/4          multicast
10.61.18.1/32        punt                 hall0
`, []string{"2 10.61.16.0/24 direct -/- dev hall0: active installed", "3 10.61.17.0/24 other -/- unreachable: active installed", "4 224.0.0.0/4 other -/- multicast: active installed", "5 10.61.18.1/32 local -/- receive dev hall0: active installed"}},
	{"a sign before the types of rows in use, which no key has, and no interface", `Ori  Destination        Gateway         Mtr  Flags         VLAN       Duration
#s   Default Route      172.28.61.1     1    UG---S-um--f- v40        3d:2h:1m:5s
#d   10.61.16.0/24      10.61.16.1      1    U------um--f- v16        3d:2h:1m:5s
 s   10.61.32.0/24      172.28.99.1     1    -G---S-um---- -          3d:2h:1m:5s
#oa  10.61.32.0/24      172.28.61.5     20   UG-D---um--f- v40        0d:2h:1m:5s

Origin(Ori): (d) Direct, (oa) OSPFIntra, (s) Static

Route Origin distribution:
     1 routes from Direct             2 routes from Static
`, []string{"2 0.0.0.0/0 static -/1 via 172.28.61.1 dev v40: active installed", "3 10.61.16.0/24 direct -/1 dev v16: active installed",
		"4 10.61.32.0/24 static -/1 via 172.28.99.1", "5 10.61.32.0/24 ospf -/20 via 172.28.61.5 dev v40: active installed"}},
	{"a flag for what is up", `Flags: (D) Dynamic, (G) Gateway, (U) Up
Destination        Gateway         Mtr  Flags  Interface
0.0.0.0/0          172.28.61.1     1    UG     hall0
10.61.32.0/24      172.28.61.5     1    G      hall1
`, []string{"3 0.0.0.0/0 other -/1 via 172.28.61.1 dev hall0: active installed", "4 10.61.32.0/24 other -/1 via 172.28.61.5 dev hall1"}},
	{"names in small letters, with hyphens", `-- IPv4 Routing Table
dest-prefix      next-hop     interface  protocol  distance  metric
---------------  -----------  ---------  --------  --------  ------
0.0.0.0/0        172.28.61.1  hall0      static    1         0
10.61.32.0/24    -            null       static    254       0
`, []string{"4 0.0.0.0/0 static 1/0 via 172.28.61.1 dev hall0: active installed", "5 10.61.32.0/24 static 254/0 blackhole: active installed"}},
	{"rows with numbers, of which a further way has none", `Type Codes - B:BGP D:Connected O:OSPF S:Static; Cost - Dist/Metric
OSPF Codes - i:Inter Area 1:External Type 1
        Destination        Gateway         Port     Cost     Type Uptime Src-vrf
1       10.61.16.0/24      DIRECT          ve 16    0/0      D    5d2h   -
2       10.61.32.0/24      172.28.61.5     ve 40    110/20   Oi   2h11m  -
        10.61.32.0/24      172.28.61.9     ve 41    110/20   Oi   2h11m  -
3       10.61.48.0/24      DIRECT          drop     1/1      S    5d2h   -
`, []string{"4 10.61.16.0/24 direct 0/0 dev ve 16: active installed", "5 10.61.32.0/24 ospf/inter-area 110/20 via 172.28.61.5 dev ve 40: active installed",
		"6 10.61.32.0/24 ospf/inter-area 110/20 via 172.28.61.9 dev ve 41: active installed", "7 10.61.48.0/24 static 1/1 blackhole: active installed"}},
	{"signs of what is best, own and broadcast addresses", `IPv4 Routing Table:
Headers: Dest: Destination,      Gw: Gateway,       Pri: Priority;
Codes  : BROADC: Broadcast, USER-I: User-ipaddr;
 status codes: *valid, >best, i-internal;
    Dest               Gw              Interface             Owner   Pri Metric
*>  10.61.16.0/24      10.61.16.1      vlan16                DIRECT  0   0
*>  10.61.16.1/32      10.61.16.1      vlan16                ADDRESS 0   0
*>  10.61.16.255/32    10.61.16.255    vlan16                BROADC  0   0
*>  10.61.32.0/24      172.28.61.5     cable-0/1             OSPF    110 20
*   10.61.32.0/24      172.28.61.9     cable-0/2             STATIC  150 0
`, []string{"6 10.61.16.0/24 direct 0/0 dev vlan16: active installed", "7 10.61.16.1/32 local 0/0 receive dev vlan16: active installed", "8 10.61.16.255/32 other 0/0 broadcast dev vlan16: active installed",
		"9 10.61.32.0/24 ospf 110/20 via 172.28.61.5 dev cable-0/1: active installed", "10 10.61.32.0/24 static 150/0 via 172.28.61.9 dev cable-0/2"}},
	{"what forwards, by flags alone", `Route Flags: G - Gateway Route, H - Host Route,    U - Up Route
             S - Static Route,  D - Dynamic Route, B - Black Hole Route
 FIB Table:
 Total number of Routes : 4
Destination/Mask   Nexthop         Flag TimeStamp     Interface      TunnelID
10.61.16.1/32      127.0.0.1       HU   t[21]         InLoop0        0x0
10.61.16.0/24      10.61.16.1      U    t[21]         Vlan16         0x0
10.61.32.0/24      172.28.61.6     DGU  t[404]        line1          0x0
10.61.46.0/24      0.0.0.0         BSU  t[22]         NULL0          0x0
`, []string{"6 10.61.16.1/32 local -/- receive dev InLoop0: active installed", "7 10.61.16.0/24 direct -/- dev Vlan16: active installed",
		"8 10.61.32.0/24 other -/- via 172.28.61.6 dev line1: active installed", "9 10.61.46.0/24 static -/- blackhole: active installed"}},
	{"names of the routes first, the type beside the origin", `Name                 Destination        Type       NextHop                       Origin
default              default            gw         172.28.61.1                   static
10.61.32.0/24        10.61.32.0/24      gw         172.28.61.5                   static
`, []string{"2 0.0.0.0/0 static -/- via 172.28.61.1: active installed", "3 10.61.32.0/24 static -/- via 172.28.61.5: active installed"}},
	{"an interface of a letter and a number", `Type Codes - B:BGP D:Connected O:OSPF R:RIP S:Static; Cost - Dist/Metric
        Destination        Gateway         Port          Cost          Type Uptime
1       0.0.0.0/0          172.28.61.1     e 1/1/1       1/1           S    5d3h
2       172.28.61.4/30     DIRECT          e 1/1/2       0/0           D    12d4h
3       10.61.16.0/24      DIRECT          ve 16         0/0           D    12d4h
`, []string{"3 0.0.0.0/0 static 1/1 via 172.28.61.1 dev e 1/1/1: active installed", "4 172.28.61.4/30 direct 0/0 dev e 1/1/2: active installed", "5 10.61.16.0/24 direct 0/0 dev ve 16: active installed"}},
	{"BSD: a network without zeros and length, own addresses with their own link-layer address", `Routing tables

Internet:
Destination        Gateway            Flags   Refs      Use   Mtu  Prio Iface
127                127.0.0.1          UGRS       0        0 32768     8 lo0
10.61.16/24        10.61.16.1         UCn        3      121     -     4 em1
10.61.16.1         02:00:00:00:00:07  UHLl       0      402     -     1 em1
10.61.16.20        02:00:00:00:00:10  UHLc       1       40     -     3 em1
`, []string{"5 127.0.0.0/8 other 8/- unreachable", "6 10.61.16.0/24 direct 4/- dev em1", "7 10.61.16.1/32 local 1/- receive dev em1"}},
	{"a sign in front of equal ways, explained above", ` + = ECMP routes

 Dest Address       Gateway Addr        Age        Protocol
------------------+-------------------+----------+-----------
  0.0.0.0/0          172.28.61.1         4d3h     STATIC
 +10.61.32.0/24      172.28.61.5         2d3h     OSPF
 +                   172.28.61.9         2d3h     OSPF
`, []string{"5 0.0.0.0/0 static -/- via 172.28.61.1: active installed", "6 10.61.32.0/24 ospf -/- via 172.28.61.5 via 172.28.61.9: active installed"}},
	{"codes with their meaning glued to them", `Flag:
  U:Usable   G:Gateway   H:Host   B:Blackhole   D:Dynamic   S:Static
  R:Relay    F:FRR

Destination/Mask   Nexthop         Flag     OutInterface/Token       Label
0.0.0.0/0          172.28.61.1     USGR     line1                    Null
10.61.16.0/24      10.61.16.1      U        hall1                    Null
10.61.46.0/24      0.0.0.0         UBS      NULL0                    Null
`, []string{"6 0.0.0.0/0 static -/- via 172.28.61.1 dev line1 recursive: active installed", "7 10.61.16.0/24 direct -/- dev hall1: active installed", "8 10.61.46.0/24 static -/- blackhole: active installed"}},
	{"states in words, of which some are not in use", `Destination          Next-Hop             Interface   Proto    Pref/Met   Status
0.0.0.0/0            172.28.61.1          line1       static   5/0        active
0.0.0.0/0            172.28.61.5          line2       static   10/0       backup
10.61.32.0/24        172.28.61.9          line3       static   5/0        Down
`, []string{"2 0.0.0.0/0 static 5/0 via 172.28.61.1 dev line1: active installed", "3 0.0.0.0/0 static 10/0 via 172.28.61.5 dev line2", "4 10.61.32.0/24 static 5/0 via 172.28.61.9 dev line3"}},
	{"a next hop that is another table", `flags: A:active, S:static
destination        nexthop            metric flags      age   interface
0.0.0.0/0          172.28.61.1        10     A S              line1
10.61.32.0/24      vr guests          10     A S              guests/i3
`, []string{"3 0.0.0.0/0 static -/10 via 172.28.61.1 dev line1: active installed", "4 10.61.32.0/24 static -/10 in guests: active installed"}},
	{"BSD's table of another system, by family", `Routing tables
Destination        Gateway           Flags   Refs     Use  If   Exp  Groups

Route Tree for Protocol Family 2 (Internet):
Destination        Gateway           Flags   Refs     Use  If   Exp  Groups
default            172.28.61.1       UG        2    104512 en0      -      -
10.61.16/24        10.61.16.1        U         3     40211 en1      -      -
10.61.16.1         127.0.0.1         UGHS      0       402 lo0      -      -
`, []string{"6 0.0.0.0/0 other -/- via 172.28.61.1 dev en0", "7 10.61.16.0/24 direct -/- dev en1", "8 10.61.16.1/32 static -/- receive dev lo0"}},
	{"next hops of a link with their interface in quotes", `Dest Prefix[Flags]                            Type    Proto     Age        Pref
      Next Hop[Interface Name]                                    Metric
fd61:32::/64                                  Remote  OSPF3     03h22m10s  10
       fe80::5-"line1"                                              110
`, []string{"3 fd61:32::/64 ospf 10/110 via fe80::5 dev line1: active installed"}},
	{"a table in a frame, with remarks in cells and rows of two lines", `IPv4 unicast route table of network instance guests
+---------------+-----+------------+--------+--------+------+-------------------+--------------------+
|    Prefix     | ID  | Route Type | Active | Metric | Pref |  Next-hop (Type)  | Next-hop Interface |
+===============+=====+============+========+========+======+===================+====================+
| 0.0.0.0/0     | 0   | static     | True   | 1      | 5    | 172.28.61.1       | line1.0            |
|               |     |            |        |        |      | (indirect/local)  |                    |
| 10.61.16.1/32 | 2   | host       | True   | 0      | 0    | None (extract)    | None               |
| 10.61.32.0/24 | 0   | ospfv2     | False  | 20     | 10   | 172.28.61.5       | line2.0            |
| 10.61.46.0/24 | 0   | static     | True   | 1      | 5    | None (blackhole)  | None               |
+---------------+-----+------------+--------+--------+------+-------------------+--------------------+
`, []string{"5 (guests) 0.0.0.0/0 static 5/1 via 172.28.61.1 dev line1.0: active installed", "7 (guests) 10.61.16.1/32 local 0/0 receive: active installed", "8 (guests) 10.61.32.0/24 ospf 10/20 via 172.28.61.5 dev line2.0",
		"9 (guests) 10.61.46.0/24 static 5/1 blackhole: active installed"}},
	{"a key that says which routes are activated", `Flags: A - Activated route, S - Static route, C - directly Connected
       O - OSPF derived, G - selected Gateway
       ! - reject, B - Black hole, L - Loop
IP Address/Netmask  Gateway          IFace      Metric    Flags     Persist
===========================================================================
0.0.0.0/0           172.28.61.1      wan1       0         ASG       -
10.61.16.0/24       0.0.0.0          lan1       0         ACG       -
10.61.46.0/24       0.0.0.0          -          0         ASB       -
10.61.45.0/24       0.0.0.0          -          0         AS!       -
10.61.47.0/24       172.28.61.9      wan3       0         SG        -
`, []string{"6 0.0.0.0/0 static -/0 via 172.28.61.1 dev wan1: active installed", "7 10.61.16.0/24 direct -/0 dev lan1: active installed", "8 10.61.46.0/24 static -/0 blackhole: active installed",
		"9 10.61.45.0/24 static -/0 unreachable: active installed", "10 10.61.47.0/24 static -/0 via 172.28.61.9 dev wan3"}},
	{"numbered rows with a state in words", `        Network          Netmask          Gateway/OwnedIP  VLAN     State   Traffic Domain    Type
        -------          -------          ---------------  ----     -----   --------------    ----
1)      0.0.0.0          0.0.0.0          172.28.61.1      0        UP      0              STATIC
2)      10.61.32.0       255.255.255.0    172.28.61.5      0        DOWN    0              STATIC
`, []string{"3 0.0.0.0/0 static -/- via 172.28.61.1: active installed", "4 10.61.32.0/24 static -/- via 172.28.61.5"}},
	{"the table of another router, named in words", `virtual-router name: guests
flags: u - up, h - host, g - gateway, e - ecmp, * - preferred path
id      destination           nexthop            flags  interface          mtu
1       0.0.0.0/0             172.28.61.33       ug     port1/1            1500
Logical Router: default
id      destination           nexthop            flags  interface          mtu
1       10.61.16.0/24         0.0.0.0            u      port1/2            1500
`, []string{"4 (guests) 0.0.0.0/0 other -/- via 172.28.61.33 dev port1/1: active installed", "7 10.61.16.0/24 direct -/- dev port1/2: active installed"}},
	{"a host flag gives the length that a listing lacks", `Routing Table: IPv4
  Destination           Gateway           Flags  Ref     Use     Interface
-------------------- -------------------- ----- ----- ---------- ---------
default              172.28.61.1          UG        2     104512
127.0.0.1            127.0.0.1            UH        2        102 lo0
`, []string{"4 0.0.0.0/0 other -/- via 172.28.61.1: active installed", "5 127.0.0.1/32 local -/- receive dev lo0: active installed"}},
}

func TestShapes(t *testing.T) {
	for _, tt := range shapes {
		t.Run(tt.name, func(t *testing.T) {
			r := Read([]byte(tt.in))
			require.Equal(t, tt.want, layouttest.Words([]byte(tt.in), r))
			require.Empty(t, layouttest.Unread([]byte(tt.in), r))
		})
	}
}

// TestACountOfSomeOfAll: what says that it shows some of all is a part, as is a listing with fewer rows than it counts.
func TestACountOfSomeOfAll(t *testing.T) {
	in := shapes[1].in
	require.False(t, Read([]byte(in)).Facts.Tables[0].Filtered.Known())
	for _, s := range []string{"5 out of 40 Total", "6 out of 6 Total"} {
		require.True(t, Read([]byte(strings.Replace(in, "5 out of 5 Total", s, 1))).Facts.Tables[0].Filtered.Known(), s)
	}
}

// TestBestAndInDoubt: a row that is the best and of which the key says that it may not forward is left unread.
func TestBestAndInDoubt(t *testing.T) {
	in := strings.Replace(shapes[1].in, "OSPF 0   IB   20", "OSPF 0   IBN  20", 1)
	r := Read([]byte(in))
	require.Len(t, r.Unread, 1)
	require.NotContains(t, strings.Join(layouttest.Words([]byte(in), r), "\n"), "172.28.61.5")
}

func TestWhatForwardsIsAForwardingTable(t *testing.T) {
	i := slices.IndexFunc(shapes, func(s shape) bool { return strings.Contains(s.in, "FIB Table:") })
	require.Equal(t, network.ForwardingTable, Read([]byte(shapes[i].in)).Facts.Tables[0].Kind)
}

// TestSignsBetweenNames: column names with strokes between them, a title that names the table, a discard in both columns,
// further next hops, labels that packets get.
func TestSignsBetweenNames(t *testing.T) {
	in := `slot  1
=======

IPv4 routes for table sheds/base

------------------+-----------------------+----------------------+-----------------+-----------------
Prefix            | Next-hop              | Interface            | Labels          | Partial Install
------------------+-----------------------+----------------------+-----------------+-----------------
10.81.1.0/24         Attached                Ethernet1/2
10.81.1.1/32         Receive                 inband-0
10.81.4.0/24         Drop                    Null0
10.81.5.0/24         10.81.1.9               Ethernet1/2            NoLabel
                     10.81.1.10              Ethernet1/2            NoLabel
10.81.6.0/24         10.81.1.9               Ethernet1/2            PUSH 16002
`
	r := Read([]byte(in))
	require.Empty(t, layouttest.Unread([]byte(in), r))
	require.Equal(t, []string{
		"9 (sheds) 10.81.1.0/24 direct -/- dev Ethernet1/2: active installed",
		"10 (sheds) 10.81.1.1/32 local -/- receive dev inband-0: active installed",
		"11 (sheds) 10.81.4.0/24 other -/- blackhole: active installed",
		"12 (sheds) 10.81.5.0/24 other -/- via 10.81.1.9 dev Ethernet1/2 via 10.81.1.10 dev Ethernet1/2: active installed",
		"14 (sheds) 10.81.6.0/24 other -/- via 10.81.1.9 dev Ethernet1/2 encapsulated: active installed",
	}, layouttest.Words([]byte(in), r))
}

// TestKindsOfRoutes: a word for a discard in a column of its own, and no next hop.
func TestKindsOfRoutes(t *testing.T) {
	in := `Net::Routes
Name                 Destination          Type       NextHop            Origin
------------------------------------------------------------------------------
default              default              gw         10.81.2.2          static
old                  10.81.4.0/24         blackhole  None               static
10.81.1.0/24         10.81.1.0/24         interface  /sheds/lan         connected
`
	r := Read([]byte(in))
	require.Empty(t, layouttest.Unread([]byte(in), r))
	require.Equal(t, []string{
		"4 0.0.0.0/0 static -/- via 10.81.2.2: active installed", "5 10.81.4.0/24 static -/- blackhole: active installed",
		"6 10.81.1.0/24 direct -/- dev /sheds/lan: active installed",
	}, layouttest.Words([]byte(in), r))
}

// TestStatesNobodyKnows: whether a route is in use that has a state in a word of which nobody knows the meaning is not
// known either.
// TestStatesBehindAProtocol: words beside a protocol's may say that the route is not used.
func TestStatesBehindAProtocol(t *testing.T) {
	for word, active := range map[string]bool{"(inactive)": false, "(active)": true, "backup": false} {
		in := "  Dest Address       Gateway Addr        Age        Protocol\n------------------+-------------------+----------+-----------\n" +
			" 10.61.40.0/24      172.28.61.18        01:02:03   STATIC " + word + "\n"
		got := layouttest.Words([]byte(in), Read([]byte(in)))
		require.Len(t, got, 1, word)
		require.Equal(t, active, strings.Contains(got[0], ": active installed"), word)
	}
}

// TestNextHopsThatAreSeveral: a kind of next hop that leads on to others which the row does not show.
func TestNextHopsThatAreSeveral(t *testing.T) {
	in := "Name     Destination     Type       NextHop       Origin\n-----------------------------------------------------\n" +
		"one      10.61.40.0/24   gw         172.28.61.18  static\ntwo      10.61.44.0/24   pool       gates         static\n"
	r := Read([]byte(in))
	require.Equal(t, []string{"3 10.61.40.0/24 static -/- via 172.28.61.18: active installed"}, layouttest.Words([]byte(in), r))
	require.Len(t, layouttest.Unread([]byte(in), r), 1)
}

func TestStatesNobodyKnows(t *testing.T) {
	in := []byte("Destination          Next-Hop             Interface   Proto    Pref/Met   Status\n" +
		"10.61.32.0/24        172.28.61.9          line3       static   5/0        active\n" +
		"10.61.33.0/24        172.28.61.9          line3       static   5/0        dampened\n")
	r := Read(in)
	require.Equal(t, []string{"2 10.61.32.0/24 static 5/0 via 172.28.61.9 dev line3: active installed"}, layouttest.Words(in, r))
	require.Equal(t, []string{`3 not in the form of this layout: whether "dampened" is a route in use is not known`}, layouttest.Unread(in, r))
}

// TestWordsOutOfPlace: a sign of the key is no age and no interface, wherever a row was squeezed or lost a blank.
func TestWordsOutOfPlace(t *testing.T) {
	const head = `flags: A:active, C:connect, H:host, S:static
destination                                 nexthop                                 metric flags      age   interface          next-AS
0.0.0.0/0                                   172.28.61.17                            10     A S              outside
`
	const names = "flags: A:active, C:connect, H:host, S:static\ndestination nexthop metric flags age interface next-AS\n"
	for in, want := range map[string][]string{
		head + "10.61.64.0/24                               10.61.64.10      A C              tills\n": {"3 0.0.0.0/0 static -/10 via 172.28.61.17 dev outside: active installed"},
		names + "192.168.7.16/29 192.168.7.18 0 A C ethernet1/2\n":                                     {"3 192.168.7.16/29 direct -/0 dev ethernet1/2: active installed"},
	} {
		require.Equal(t, want, layouttest.Words([]byte(in), Read([]byte(in))), in)
	}
}

// TestAnOwnAddressOfALinkThatIsNotShown: the link's network, by which its interface is known, could not be read.
func TestAnOwnAddressOfALinkThatIsNotShown(t *testing.T) {
	in := "Internet:\nDestination        Gateway            Flags     Netif Expire\n" +
		"10.61.17.1         link#2             UHS       lo0\n127.0.0.1          link#3             UHS       lo0\n"
	r := layouttest.Laws(t, Read, []byte(in))
	require.Equal(t, []string{"3 10.61.17.1/32 local -/- receive", "4 127.0.0.1/32 local -/- receive dev lo0"}, layouttest.Words([]byte(in), r))
}

// TestALowerLineWithoutItsUpperOne is of a row that is missing, which may be for any destination.
func TestALowerLineWithoutItsUpperOne(t *testing.T) {
	const head = "Dest Prefix[Flags]                            Type    Proto     Age        Pref\n      Next Hop[Interface Name]                                    Metric   \n"
	const rows = "10.61.16.0/24                                 Remote  Static    2d04h      5\n       172.28.61.6                                               1\n"
	r := layouttest.Laws(t, Read, []byte(head+rows))
	require.False(t, r.Facts.Tables[0].Filtered.Known())
	r = layouttest.Laws(t, Read, []byte(head+rows+"       hall0                                                     0\n"))
	require.True(t, r.Facts.Tables[0].Filtered.Known())
}

// TestOneAddressInSeveralTables: each table has its own addresses, though they may be the same.
func TestOneAddressInSeveralTables(t *testing.T) {
	const rows = "destination      nexthop       metric flags  interface\n10.61.16.0/24    10.61.16.1    0      A C    hall%d\n"
	in := "flags: A:active, C:connect\n\nVIRTUAL ROUTER: yard (id 2)\n" + fmt.Sprintf(rows, 1) + "\nVIRTUAL ROUTER: tills (id 3)\n" + fmt.Sprintf(rows, 2)
	r := layouttest.Laws(t, Read, []byte(in))
	require.Len(t, r.Facts.Addresses, 2)
	require.Equal(t, "hall2", r.Facts.Addresses[1].Interface)
}

// TestWhatForwardsHasNotTaken: where the key has a flag for routes that the forwarding table has, one without it is
// chosen and no more.
func TestWhatForwardsHasNotTaken(t *testing.T) {
	in := []byte("Route Flags: R - relay, D - download to fib\n\n" +
		"Destination/Mask    Proto   Pre  Cost      Flags NextHop         Interface\n\n" +
		"      10.41.0.0/24  OSPF    10   20          D   10.43.0.9       Hall0\n" +
		"      10.42.0.0/24  IBGP    255  0          RD   10.43.0.9       Hall0\n" +
		"      10.45.0.0/24  OSPF    10   30              10.43.0.9       Hall0\n")
	require.Equal(t, []string{
		"5 10.41.0.0/24 ospf 10/20 via 10.43.0.9 dev Hall0: active installed",
		"6 10.42.0.0/24 bgp 255/0 via 10.43.0.9 dev Hall0 recursive: active installed",
		"7 10.45.0.0/24 ospf 10/30 via 10.43.0.9 dev Hall0: active rejected",
	}, layouttest.Words(in, Read(in)))
	in = []byte("Route Flags: R - relay, D - download to fib\n\n" +
		"Destination/Mask    Proto   Pre  Cost      NextHop         Interface\n\n" +
		"      10.41.0.0/24  OSPF    10   20        10.43.0.9       Hall0\n")
	require.Equal(t, []string{"5 10.41.0.0/24 ospf 10/20 via 10.43.0.9 dev Hall0: active installed"},
		layouttest.Words(in, Read(in)), "no column shows them")
}

// TestAHarmedDestination: a row whose destination is none is no further next hop of the row above, and one that lost
// its line end does not swallow the next.
func TestAHarmedDestination(t *testing.T) {
	const pre = "Destination/Mask    Proto   Pre  Cost      Flags NextHop         Interface\n\n" +
		"      10.61.16.0/24  Static  60   0           D   172.28.61.6     line0\n"
	in := pre + "      10.6l.17.0/24  Static  60   0           D   172.28.61.9     line1\n"
	r := Read([]byte(in))
	require.Equal(t, []string{"3 10.61.16.0/24 static 60/0 via 172.28.61.6 dev line0: active installed"}, layouttest.Words([]byte(in), r))
	require.Equal(t, []string{"4 " + errRow.Error()}, layouttest.Unread([]byte(in), r))
	in = pre + "                     Static  60   0           D   172.28.61.9     line1\n"
	require.Empty(t, layouttest.Unread([]byte(in), Read([]byte(in))), "a further next hop")

	const routing = "destination        nexthop       metric flags   age   interface   next-AS\n"
	in = routing + "10.61.16.0/24      172.28.61.6   10     A S           line0\n"
	require.Empty(t, layouttest.Unread([]byte(in), Read([]byte(in))))
	in = routing + "10.61.16.0/24      172.28.61.6   10     A S           line0    10.61.17.0/24  172.28.61.9   10   A S   line1\n"
	require.Len(t, layouttest.Unread([]byte(in), Read([]byte(in))), 1)
}
