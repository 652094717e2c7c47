package lettered

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
)

const daemon = `Codes: K - kernel route, C - connected, S - static, R - RIP,
       O - OSPF, I - IS-IS, B - BGP, E - EIGRP,
       > - selected route, * - FIB route, q - queued, r - rejected, b - backup
       t - trapped, o - offload failure

`

const plain = `Codes: L - local, C - attached, S - static, O - OSPF, IA - OSPF inter area
       E1 - OSPF external type 1, E2 - OSPF external type 2
       i - IS-IS, L1 - IS-IS level-1, * - candidate default

`

var readTests = []struct {
	name, in string
	want     []string
	unread   []string
}{
	{
		"chosen and lost candidates",
		daemon + "O>* 10.61.16.0/24 [110/20] via 172.28.61.2, wan0, weight 1, 00:00:17\nS   10.61.16.0/24 [130/0] via 172.28.61.22, wan1, weight 1, 3d07h12m\n",
		[]string{
			"6 10.61.16.0/24 ospf 110/20 via 172.28.61.2 dev wan0 *: active installed",
			"7 10.61.16.0/24 static 130/0 via 172.28.61.22 dev wan1",
		},
		nil,
	},
	{
		"equal cost on sub-rows; one of them is not installed",
		daemon + "O>* 10.61.32.0/24 [110/30] via 172.28.61.2, wan0, weight 1, 00:00:17\n  *                        via 172.28.61.22, wan1, weight 2, 00:00:17\n                           via 172.28.61.30, wan2, weight 1, 00:00:17\n",
		[]string{
			"6 10.61.32.0/24 ospf 110/30 via 172.28.61.2 dev wan0 * via 172.28.61.22 dev wan1 weight 2 * via 172.28.61.30 dev wan2: active installed",
		},
		nil,
	},
	{
		"a recursive next hop: selected on its line, installed below",
		daemon + "B>  10.90.0.0/16 [200/0] via 10.61.254.4 (recursive), weight 1, 01:02:03\n  *                      via 172.28.61.6, line1, weight 1, 01:02:03\n",
		[]string{
			"6 10.90.0.0/16 bgp 200/0 via 10.61.254.4 recursive via 172.28.61.6 dev line1 resolves *: active installed",
		},
		nil,
	},
	{
		"attached networks, inactive next hops, flags",
		daemon + "C>* 10.61.40.0/24 is directly connected, hall0, 00:00:32\nS   10.61.41.0/24 [1/0] via 172.28.61.99 inactive, weight 1, 00:00:01\nS>* 10.61.42.0/24 [1/0] via 172.28.61.1, up0 onlink, weight 1, 00:00:01\nO>* 10.61.43.0/24 [110/2] via 172.28.61.1, up0 linkdown, weight 1, 00:00:01\n",
		[]string{
			"6 10.61.40.0/24 direct -/- dev hall0 *: active installed",
			"7 10.61.41.0/24 static 1/0 via 172.28.61.99 inactive",
			"8 10.61.42.0/24 static 1/0 via 172.28.61.1 dev up0 onlink *: active installed",
			"9 10.61.43.0/24 ospf 110/2 via 172.28.61.1 dev up0 down *: active installed",
		},
		nil,
	},
	{
		"discard and refuse",
		daemon + "S>* 10.61.40.0/21 [1/0] unreachable (blackhole), weight 1, 00:00:33\nS>* 10.62.0.0/16 [1/0] unreachable (ICMP unreachable), weight 1, 00:00:33\nS>* 10.63.0.0/16 [1/0] unreachable (ICMP admin-prohibited), weight 1, 00:00:33\n",
		[]string{
			"6 10.61.40.0/21 static 1/0 blackhole: active installed",
			"7 10.62.0.0/16 static 1/0 unreachable: active installed",
			"8 10.63.0.0/16 static 1/0 prohibit: active installed",
		},
		nil,
	},
	{
		"chosen but refused by the kernel, or queued",
		daemon + "S>r 10.61.40.0/21 [1/0] via 172.28.61.1, up0, weight 1, 00:00:33\nS>q 10.61.48.0/21 [1/0] via 172.28.61.1, up0, weight 1, 00:00:33\n",
		[]string{
			"6 10.61.40.0/21 static 1/0 via 172.28.61.1 dev up0: active rejected",
			"7 10.61.48.0/21 static 1/0 via 172.28.61.1 dev up0: active rejected",
		},
		nil,
	},
	{
		"in hardware that failed to take it, or that leaves it to the processor",
		strings.Replace(daemon, "b - backup", "b - backup, t - trapped, o - offload failure", 1) + "S>o 10.61.40.0/21 [1/0] via 172.28.61.1, up0, weight 1, 00:00:33\nS>t 10.61.48.0/21 [1/0] via 172.28.61.1, up0, weight 1, 00:00:33\n",
		[]string{
			"6 10.61.40.0/21 static 1/0 via 172.28.61.1 dev up0: active rejected",
			"7 10.61.48.0/21 static 1/0 via 172.28.61.1 dev up0 *: active installed",
		},
		nil,
	},
	{
		"IPv6 with link-local next hops and the link-local networks",
		daemon + "O>* fd6b:6a65:6c76:32::/64 [110/20] via fe80::6b:6aff:fe04:2, line2, weight 1, 00:00:27\nR>* ::/0 [120/2] via fe80::1, line2, weight 1, 00:00:27\nC * fe80::/64 is directly connected, hall0, 00:00:38\nC>* fe80::/64 is directly connected, line2, 00:00:38\n",
		[]string{
			"6 fd6b:6a65:6c76:32::/64 ospf 110/20 via fe80::6b:6aff:fe04:2 dev line2 *: active installed",
			"7 ::/0 ripng 120/2 via fe80::1 dev line2 *: active installed",
			"8 fe80::/64 direct -/- dev hall0 *: installed",
			"9 fe80::/64 direct -/- dev line2 *: active installed",
		},
		nil,
	},
	{
		"headings of tables",
		daemon + "VRF yard:\nC>* 10.70.0.0/24 is directly connected, y0, 00:00:32\n\nVRF default:\nC>* 10.71.0.0/24 is directly connected, y1, 00:00:32\nS>* 10.72.0.0/24 [1/0] via 10.70.0.9, y0 (vrf yard), weight 1, 00:00:32\n",
		[]string{
			"7 (yard) 10.70.0.0/24 direct -/- dev y0 *: active installed",
			"10 10.71.0.0/24 direct -/- dev y1 *: active installed",
			"11 10.72.0.0/24 static 1/0 via 10.70.0.9 dev y0 in yard *: active installed",
		},
		nil,
	},
	{
		"a legend without marks: every row is chosen; subtypes; the age before the interface",
		plain + "Gateway of last resort is 172.28.61.17 to network 0.0.0.0\n\nS*   0.0.0.0/0 [1/0] via 172.28.61.17\nO IA 10.61.16.0/24 [110/3] via 172.28.61.17, 00:12:33, outside\nO*E2 10.61.17.0/24 [110/1] via 172.28.61.17, 1w2d, outside\ni L1 10.61.18.0/24 [115/30] via 172.28.61.17, outside\nL    10.61.64.1/32 is directly connected, tills\n",
		[]string{
			"7 0.0.0.0/0 static 1/0 via 172.28.61.17: active installed",
			"8 10.61.16.0/24 ospf/inter-area 110/3 via 172.28.61.17 dev outside: active installed",
			"9 10.61.17.0/24 ospf/external-2 110/1 via 172.28.61.17 dev outside: active installed",
			"10 10.61.18.0/24 isis/level-1 115/30 via 172.28.61.17 dev outside: active installed",
			"11 10.61.64.1/32 local -/- receive dev tills: active installed",
		},
		nil,
	},
	{
		"the legend defines the letter: here L is no local route",
		"Codes: L - OSPF, O - static\n\nL    10.61.64.0/24 [110/2] via 10.0.0.1, e0\nO    10.61.65.0/24 [1/0] via 10.0.0.1, e0\n",
		[]string{
			"3 10.61.64.0/24 ospf 110/2 via 10.0.0.1 dev e0: active installed",
			"4 10.61.65.0/24 static 1/0 via 10.0.0.1 dev e0: active installed",
		},
		nil,
	},
	{
		"a letter that the legend lacks is read as another protocol, not lost",
		daemon + "Z>* 10.61.64.0/24 [9/2] via 10.0.0.1, e0, weight 1, 00:00:01\n",
		[]string{"6 10.61.64.0/24 other/code Z 9/2 via 10.0.0.1 dev e0 *: active installed"},
		nil,
	},
	{"no legend at all", "C    10.61.64.0/24 is directly connected, tills\nS    10.61.16.0/24 [1/0] via 10.61.64.9\n",
		[]string{
			"1 10.61.64.0/24 direct -/- dev tills: active installed",
			"2 10.61.16.0/24 static 1/0 via 10.61.64.9: active installed",
		}, nil},
	{
		"no legend, but marks of selection",
		"O   10.61.64.0/24 [110/10] is directly connected, t0, weight 1, 00:00:01\nC>* 10.61.64.0/24 is directly connected, t0, 00:00:01\n",
		[]string{"1 10.61.64.0/24 ospf 110/10 dev t0", "2 10.61.64.0/24 direct -/- dev t0 *: active installed"},
		nil,
	},
	{
		"parent headings carry the mask and are no routes",
		plain + "     10.0.0.0/24 is subnetted, 2 subnets\nO       10.61.16.0 [110/3] via 172.28.61.17, 00:12:33, outside\n     172.28.0.0/16 is variably subnetted, 2 subnets, 2 masks\nC       172.28.61.16/30 is directly connected, outside\n                                [110/3] via 172.28.61.21, 00:12:33, inside\n",
		[]string{
			"6 10.61.16.0/24 ospf 110/3 via 172.28.61.17 dev outside: active installed",
			"8 172.28.61.16/30 direct -/- dev outside via 172.28.61.21 dev inside: active installed",
		},
		nil,
	},
	{
		"dotted masks, and a summary to the discard interface",
		plain + "S    10.61.16.0 255.255.255.0 [1/0] via 172.28.61.17, outside\nO    10.61.0.0/16 is a summary, 00:00:10, Null0\n",
		[]string{
			"5 10.61.16.0/24 static 1/0 via 172.28.61.17 dev outside: active installed",
			"6 10.61.0.0/16 ospf -/- blackhole: active installed",
		},
		nil,
	},
	{
		"a bad value costs its line only",
		daemon + "S>* 10.61.40.0/33 [1/0] via 10.0.0.1, e0\nS>* 300.1.1.1/24 [1/0] via 10.0.0.1, e0\nS>* 10.61.41.0 255.0.255.0 [1/0] via 10.0.0.1, e0\nS>* 10.61.42.0/24 [1/-5] via 10.0.0.1, e0\nS>* 10.61.43.0/24 [1/99999999999] via 10.0.0.1, e0\nS>* 10.61.44.0/24 [1/0] via 10.0.0.300, e0\nwhat is this\n",
		[]string{"10 10.61.43.0/24 static 1/99999999999 via 10.0.0.1 dev e0 *: active installed"},
		[]string{
			`6 prefix length out of range: "10.61.40.0/33"`,
			`7 not an address: "300.1.1.1/24"`,
			"8 mask is not contiguous: 255.0.255.0",
			`9 not a number in range: "[1/-5]"`,
			"11 not in the form of this layout",
			"12 not in the form of this layout",
		},
	},
	{
		"sub-rows of an unread row do not join the route before it",
		daemon + "O>* 10.61.32.0/24 [110/30] via 172.28.61.2, wan0, weight 1, 00:00:17\nO>* 10.61.32.0/40 [110/30] via 172.28.61.2, wan0, weight 1, 00:00:17\n  *                        via 172.28.61.22, wan1, weight 1, 00:00:17\n",
		[]string{"6 10.61.32.0/24 ospf 110/30 via 172.28.61.2 dev wan0 *: active installed"},
		[]string{`7 prefix length out of range: "10.61.32.0/40"`, "8 a continuation without a route before it"},
	},
	{"a legend alone", daemon, nil, nil},
	{
		"IPv6 with the next hop on the following line",
		plain + "S   ::/0 [1/0]\n     via FE80::1, outside\nC   FD6B:10::/64 [0/0]\n     via tills, directly connected\nL   FD6B:10::1/128 [0/0]\n     via tills, receive\nO   FD6B:20::/64 [110/2], tag 7\n     via FE80::1, outside\n     via FE80::2, outside\nL   FF00::/8 [0/0]\n     via Null0, receive\n",
		[]string{
			"5 ::/0 static 1/0 via fe80::1 dev outside: active installed",
			"7 fd6b:10::/64 direct 0/0 dev tills: active installed",
			"9 fd6b:10::1/128 local 0/0 receive dev tills: active installed",
			"11 fd6b:20::/64 ospf 110/2 via fe80::1 dev outside via fe80::2 dev outside: active installed",
			"14 ff00::/8 local 0/0 receive dev Null0: active installed",
		},
		nil,
	},
	{
		"every row indented",
		"VRF: default\nCodes: C - connected, S - static,\n       B I - iBGP, O E2 - OSPF external type 2\n\nGateway of last resort:\n S        0.0.0.0/0 [1/0] via 172.28.61.1, cable1\n                              via 172.28.61.5, cable2\n\n C        10.61.16.0/24 is directly connected, hall1\n O E2     10.61.17.0/24 [110/1] via 172.28.61.1, cable1\n",
		[]string{
			"6 0.0.0.0/0 static 1/0 via 172.28.61.1 dev cable1 via 172.28.61.5 dev cable2: active installed",
			"9 10.61.16.0/24 direct -/- dev hall1: active installed",
			"10 10.61.17.0/24 ospf/external-2 110/1 via 172.28.61.1 dev cable1: active installed",
		},
		nil,
	},
	{
		"each prefix a heading, starred next hops below",
		"IP Route Table for VRF \"default\"\n'*' denotes best ucast next-hop\n'[x/y]' denotes [preference/metric]\n\n10.61.16.0/24, ubest/mbest: 1/0, attached\n    *via 10.61.16.1, hall16, [0/0], 3w2d, direct\n10.61.16.1/32, ubest/mbest: 1/0, attached\n    *via 10.61.16.1, hall16, [0/0], 3w2d, local\n10.61.32.0/24, ubest/mbest: 2/0\n    *via 172.28.61.6, cable1/1, [110/20], 1d02h, ospf-1, intra\n    *via 172.28.61.10, cable1/2, [110/20], 1d02h, ospf-1, intra\n     via 172.28.61.14, [200/0], 1d02h, bgp-64999, internal, tag 64999\n10.61.40.0/21, ubest/mbest: 1/0\n    *via Null0, [220/0], 3d01h, bgp-64999, discard\n0.0.0.0/0, ubest/mbest: 1/0\n    *via 172.28.61.1, [1/0], 2w1d, static\n10.61.99.0/33, ubest/mbest: 1/0\n    *via 172.28.61.1, [1/0], 2w1d, static\n",
		[]string{
			"6 10.61.16.0/24 direct 0/0 dev hall16: active installed",
			"8 10.61.16.1/32 local 0/0 receive via 10.61.16.1 dev hall16: active installed",
			"10 10.61.32.0/24 ospf/intra-area 110/20 via 172.28.61.6 dev cable1/1 via 172.28.61.10 dev cable1/2: active installed",
			"12 10.61.32.0/24 bgp 200/0 via 172.28.61.14",
			"14 10.61.40.0/21 bgp 220/0 blackhole: active installed",
			"16 0.0.0.0/0 static 1/0 via 172.28.61.1: active installed",
		},
		[]string{`17 prefix length out of range: "10.61.99.0/33"`, "18 a continuation without a route before it"},
	},
	{
		"firewall forms: resolved in brackets, distances behind, clients of a tunnel",
		"Routing table for VRF=0\nCodes: C - connected, S - static, B - BGP, V - VPN\n       * - candidate default\n\nS*      0.0.0.0/0 [10/0] via 172.28.61.1, wan1, [1/0]\nB       10.61.40.0/24 [200/0] via 10.61.254.9 (recursive via 172.28.61.1, wan1), 01:02:03, [1/0]\nB       10.61.41.0/24 [200/0] via 172.28.61.9 (recursive is directly connected, wan1), 01:02:03\nV       10.61.90.5 255.255.255.255 connected by VPN (advertised), outside\nS       0.0.0.0 0.0.0.0 [255/0] via 172.28.61.30, inside tunneled\n\nRouting table for VRF=7\nC       10.70.0.0/24 is directly connected, y0\n",
		[]string{
			"5 0.0.0.0/0 static 10/0 via 172.28.61.1 dev wan1: active installed",
			"6 10.61.40.0/24 bgp 200/0 via 10.61.254.9 recursive via 172.28.61.1 dev wan1 resolves: active installed",
			"7 10.61.41.0/24 bgp 200/0 via 172.28.61.9 dev wan1: active installed",
			"8 10.61.90.5/32 other -/- dev outside encapsulated: active installed",
			"12 (7) 10.70.0.0/24 direct -/- dev y0: active installed",
		},
		[]string{`9 not in the form of this layout: whether a route that is called "tunneled" is in use is not known`},
	},
	{
		"wrapped rows",
		plain + "O        10.61.16.0 255.255.255.0 \n           [110/20] via 172.28.61.17, 00:01:02, outside\nO IA     10.61.17.0/24\n           [110/30] via 172.28.61.17, 00:01:02, outside\n",
		[]string{
			"5 10.61.16.0/24 ospf 110/20 via 172.28.61.17 dev outside: active installed",
			"7 10.61.17.0/24 ospf/inter-area 110/30 via 172.28.61.17 dev outside: active installed",
		},
		nil,
	},
	{
		"a way kept for fast reroute, a next hop in another table",
		`Codes: C - connected, S - static, B - BGP, (>) - Diversion path
       O - OSPF, IA - OSPF inter area, E2 - OSPF external type 2
       L - local, * - candidate default, (!) - FRR Backup path

O    10.61.16.0/24 [110/20] via 172.28.61.5, 2d03h, cable0/0/0/2
                   [110/0] via 172.28.61.9, 2d03h, cable0/0/0/3 (!)
O E2 10.61.24.0/24 [110/20] via 172.28.61.5, 2d03h, cable0/0/0/2
B    10.62.0.0/16 [200/0] via 10.61.254.9 (nexthop in vrf default), 5d01h
`,
		[]string{
			"5 10.61.16.0/24 ospf 110/20 via 172.28.61.5 dev cable0/0/0/2 via 172.28.61.9 dev cable0/0/0/3 backup: active installed",
			"7 10.61.24.0/24 ospf/external-2 110/20 via 172.28.61.5 dev cable0/0/0/2: active installed",
			"8 10.62.0.0/16 bgp 200/0 via 10.61.254.9 in default: active installed",
		},
		nil,
	},
	{
		"a title with a count, IPv6 next hops alone on their line, short names of the external types",
		`IPv6 Routing Table - default - 6 entries
Codes: C - Connected, L - Local, S - Static, U - Per-user Static route
       B - BGP, R - RIP, I1 - ISIS L1, I2 - ISIS L2
       IA - ISIS interarea, IS - ISIS summary, D - EIGRP, EX - EIGRP external
       O - OSPF Intra, OI - OSPF Inter, OE1 - OSPF ext 1, OE2 - OSPF ext 2
       ON1 - OSPF NSSA ext 1, ON2 - OSPF NSSA ext 2
S   ::/0 [1/0]
     via FD6B:1::1
OE2 FD6B:40::/64 [110/20]
     via FE80::1, cable0/1
     via FE80::2, cable0/2
`,
		[]string{
			"7 ::/0 static 1/0 via fd6b:1::1: active installed",
			"9 fd6b:40::/64 ospf/external-2 110/20 via fe80::1 dev cable0/1 via fe80::2 dev cable0/2: active installed",
		},
		nil,
	},
	{
		"a protocol that the legend calls installed is no mark",
		"Codes: C - connected, O - OSPF, DH - DHCP client installed default route\n\nO 10.61.32.0/24 [110/20] via 172.28.61.5, cable2\n",
		[]string{"3 10.61.32.0/24 ospf 110/20 via 172.28.61.5 dev cable2: active installed"},
		nil,
	},
	{
		"column names above the rows, preference and metric behind the interface",
		`Codes: C - connected, S - static, O - OSPF,
       E2 - OSPF external type 2, * - candidate default, > - non-active route
  Destination                 Gateway                                        Dist/Metric       Last Change
----------------------------------------------------------------------------------------------------------
  *S    0.0.0.0/0             via 172.28.61.1          vlan10                1/0               01:16:56
  C     10.61.16.0/24         via 10.61.16.1           vlan16                0/0               01:16:56
  O     10.61.32.0/24         via 172.28.61.5          vlan11                110/20            00:12:01
                              via 172.28.61.9          vlan12
  O  E2 10.61.33.0/24         via 172.28.61.5          vlan11                110/1             00:12:01
  > S   10.61.34.0/24         via 172.28.61.9          vlan12                250/0             00:12:01
`,
		[]string{
			"5 0.0.0.0/0 static 1/0 via 172.28.61.1 dev vlan10: active installed",
			"6 10.61.16.0/24 direct 0/0 dev vlan16: active installed",
			"7 10.61.32.0/24 ospf 110/20 via 172.28.61.5 dev vlan11 via 172.28.61.9 dev vlan12: active installed",
			"9 10.61.33.0/24 ospf/external-2 110/1 via 172.28.61.5 dev vlan11: active installed",
			"10 10.61.34.0/24 static 250/0 via 172.28.61.9 dev vlan12: unusable",
		},
		nil,
	},
	{
		"entries of the legend in parentheses, cost and age in words, inactive routes",
		`Codes: C - Connected, S - Static, O - OSPF IntraArea (IA - InterArea, E - External),
       H - Hidden, i - Inactive

S         0.0.0.0/0           via 172.28.61.1, eth0, cost 0, age 2514
C         10.61.16.0/24       is directly connected, eth1
O         10.61.32.0/24       via 172.28.61.5, eth2, cost 20, age 2512
O E       10.61.33.0/24       via 172.28.61.5, eth2, cost 1:20, age 2512
S i       10.61.34.0/24       via 172.28.61.77, cost 0, age 12
`,
		[]string{
			"4 0.0.0.0/0 static -/0 via 172.28.61.1 dev eth0: active installed",
			"5 10.61.16.0/24 direct -/- dev eth1: active installed",
			"6 10.61.32.0/24 ospf/intra-area -/20 via 172.28.61.5 dev eth2: active installed",
			"7 10.61.33.0/24 ospf/external -/20 via 172.28.61.5 dev eth2: active installed",
			"8 10.61.34.0/24 static -/0 via 172.28.61.77: unusable",
		},
		nil,
	},
}

func TestRead(t *testing.T) {
	for _, tt := range readTests {
		t.Run(tt.name, func(t *testing.T) {
			in := []byte(tt.in)
			r := layouttest.Laws(t, Read, in)
			require.Equal(t, tt.want, layouttest.Words(in, r))
			require.Equal(t, tt.unread, layouttest.Unread(in, r))
			layouttest.Variants(t, Read, tt.in)
			require.Positive(t, recognise(in), "the reader must recognise its own layout")
		})
	}
}

func TestCutOffTableSaysSo(t *testing.T) {
	in := daemon + "O>* 10.61.16.0/24 [110/20] via 172.28.61.2, wan0, weight 1, 00:00:17\nO>* 10.61.32.0/24 [110/3"
	r := layouttest.Laws(t, Read, []byte(in))
	require.True(t, r.Facts.Tables[0].Cut)
	require.ErrorIs(t, r.Unread[0].Reason, layout.ErrCut)
}

func TestEvidenceCoversTheSubRows(t *testing.T) {
	in := daemon + "O>* 10.61.32.0/24 [110/30] via 172.28.61.2, wan0, weight 1, 00:00:17\n  *                        via 172.28.61.22, wan1, weight 1, 00:00:17\n"
	m := Read([]byte(in)).Facts.Tables[0].Routes.At(0).Mark
	require.Equal(t, in[len(daemon):len(in)-1], in[m.Off:m.End])
}

func TestEqualAttributesAreShared(t *testing.T) {
	in := daemon + "B>* 10.1.0.0/16 [20/0] via 10.0.0.1, e0, weight 1, 00:00:17\nB>* 10.2.0.0/16 [20/0] via 10.0.0.1, e0, weight 1, 00:09:17\nB>* 10.3.0.0/16 [20/5] via 10.0.0.1, e0, weight 1, 00:09:17\n"
	l := &Read([]byte(in)).Facts.Tables[0].Routes
	require.Same(t, l.At(0).Attributes, l.At(1).Attributes)
	require.Same(t, l.At(0).Attributes, l.At(2).Attributes, "the metric is the route's own")
	require.Equal(t, []uint64{0, 0, 5}, []uint64{l.At(0).Metric.Value, l.At(1).Metric.Value, l.At(2).Metric.Value})
}

func TestOtherTextIsNotRecognised(t *testing.T) {
	for _, in := range []string{"", "\n\n", "hello world\n", `[{"dst":"10.0.0.0/8"}]`, "default via 10.0.0.1 dev eth0\n", "# README\nSome text via e-mail.\n"} {
		require.Zero(t, recognise([]byte(in)), in)
	}
}

func FuzzRead(f *testing.F) {
	for _, tt := range readTests {
		f.Add([]byte(tt.in))
	}
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestWordsThatAreNoCodes: a word before a row that the key does not explain is the word of something else.
func TestWordsThatAreNoCodes(t *testing.T) {
	for line, routes := range map[string]int{
		"C     10.61.24.0/24 is directly connected, hall0\n":       1,
		"O IA  10.61.24.0/24 [110/20] via 10.61.1.9, hall0\n":      1,
		"INFO  C     10.61.24.0/24 is directly connected, hall0\n": 0,
	} {
		r := Read([]byte(line))
		n := 0
		for _, table := range r.Facts.Tables {
			n += table.Routes.Len()
		}
		require.Equal(t, routes, n, line)
	}
}

// TestRowsOfALargeTableSayWhatTheySayAlone: what rows have in common is read once.
func TestRowsOfALargeTableSayWhatTheySayAlone(t *testing.T) {
	forms := []string{
		"B>* <P> [20/<M>] via 10.0.0.1, e0, weight 1, 00:00:17",
		"B>* <P> [20/<M>] via 10.0.0.1 (recursive), 1d02h",
		"O>* <P> [<M>/20] via 10.0.0.2, Hall1/0, weight 1, 00:00:17",
		"O   <P> [110/<M>] via 10.0.0.2, Hall1/0, weight 1, 00:00:17",
		"O>* <P> [110/<M>] via 10.0.0.2, e1, metric 7, 00:00:17",
		"O>* <P> [110/<M>/1] via 10.0.0.2, e1, 00:00:17",
		"O>* <P> [110/<M>x] via 10.0.0.2, e1, 00:00:17",
		"R>* <P> [120/] via 10.0.0.2, e1, 00:00:17",
		"R>* <P> [120/<M>] via 10.0.0.2, e1 inactive, 00:00:17",
		"S>* <P> [1/<M>] is directly connected, e1, weight 1, 00:00:17",
		"S>* <P> [1/<M>] unreachable (blackhole), weight 1, 00:00:17",
		"S>* <P> via 10.0.0.2, e1, metric <M>, 00:00:17",
		"O>* <P> [110/<M>] via 10.0.0.2, e1, weight 1, 00:00:17\n  *                    via 10.0.0.3, e2, weight 1, 00:00:17",
	}
	for _, prefix := range []func(int) string{layouttest.IPv4, layouttest.IPv6} {
		layouttest.Alone(t, Read, daemon, "\n", "\n", layouttest.Rows(9000, prefix, forms...))
	}
}
