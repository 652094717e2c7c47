package lettered

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

// TestShapes: listings whose rows or keys are of a kind of their own.
func TestShapes(t *testing.T) {
	for _, tt := range []struct {
		name, in     string
		want, unread []string
	}{
		{"signs glued to the prefix", `Codes: K - kernel route, C - connected, S - static, B - BGP,
       > - selected route, * - FIB route

S>*0.0.0.0/0 [1/0] via 172.28.61.1, line0, 3d07h12m
C>*10.61.16.0/24 is directly connected, hall0, 45d01h02m
B>*10.61.32.0/24 [20/0] via 172.28.61.5, line4, 1d02h03m
  *                     via 172.28.61.9, line8, 1d02h03m
S  10.61.32.0/24 [150/0] via 172.28.61.1, line0, 3d07h12m
`, []string{"4 0.0.0.0/0 static 1/0 via 172.28.61.1 dev line0 *: active installed", "5 10.61.16.0/24 direct -/- dev hall0 *: active installed",
			"6 10.61.32.0/24 bgp 20/0 via 172.28.61.5 dev line4 * via 172.28.61.9 dev line8 *: active installed", "8 10.61.32.0/24 static 150/0 via 172.28.61.1 dev line0"}, nil},
		{"what discards, on two lines; fewer next hops than counted", `IP Route Table for VRF "default"
10.61.16.0/24, ubest/mbest: 2/0
    *via Null0, [1/0], 2d04h, static
    *via Null0, [1/0], 2d04h, static
10.61.32.0/24, ubest/mbest: 1/0
10.61.48.0/24, ubest/mbest: 1/0
    *via 172.28.61.5, line4, [1/0], 2d04h, static
`, []string{"3 10.61.16.0/24 static 1/0 blackhole: active installed", "7 10.61.48.0/24 static 1/0 via 172.28.61.5 dev line4: active installed"},
			[]string{"5 "}},
		{"the sign of the best before the prefix, told apart from the key", `Route Codes: R - RIP Derived, O - OSPF Derived, C - Connected, S - Static
       IA - OSPF Inter Area

* Indicates the best (lowest metric) route for the subnet.

Default Gateway(s): 172.28.61.1

S  *0.0.0.0/0 [1/0] via 172.28.61.1,   Vl100
C  *10.61.16.0/24 [0/0] directly connected,   Vl16
O  *10.61.32.0/24 [110/20] via 172.28.61.5,  01d:02h:03m,  Vl101
S   10.61.32.0/24 [150/0] via 172.28.61.1,   Vl100
`, []string{"8 0.0.0.0/0 static 1/0 via 172.28.61.1 dev Vl100: active installed", "9 10.61.16.0/24 direct 0/0 dev Vl16: active installed",
			"10 10.61.32.0/24 ospf 110/20 via 172.28.61.5 dev Vl101: active installed", "11 10.61.32.0/24 static 150/0 via 172.28.61.1 dev Vl100"}, nil},
		{"three numbers, own addresses in words, the title of a virtual router", `Codes: K - kernel route, C - connected, S - static, H - HOST,
       > - selected first nexthop, * - FIB route

Routing Table for Virtual Router <tills>
================================================================================
S>* 0.0.0.0/0 [1/0/1] via 172.28.61.1, hall0/1
H>* 10.61.16.1/32 [0/0/1] is local address, hall0/2
S   10.61.32.0/24 [1/0/1] via 172.28.99.9 inactive
`, []string{"6 (tills) 0.0.0.0/0 static 1/0 via 172.28.61.1 dev hall0/1 *: active installed", "7 (tills) 10.61.16.1/32 other 0/0 receive dev hall0/2 *: active installed",
			"8 (tills) 10.61.32.0/24 static 1/0 via 172.28.99.9 inactive"}, nil},
		{"next hops with the length of an address, a tunnel in the place of an interface", `VRF: default
Displaying 2 of 6 IPv6 routing table entries
Codes: C - connected, S - static, B I - iBGP

 S        fd6b:32::/48 [1/0]
           via fd6b:61::5/128, Vlan40
 B I      fd6b:33::/48 [200/0]
           via fd6b:99::1/128, IS-IS SR tunnel index 2
`, []string{"5 fd6b:32::/48 static 1/0 via fd6b:61::5 dev Vlan40: active installed", "7 fd6b:33::/48 bgp 200/0 via fd6b:99::1 encapsulated: active installed"}, nil},
		{"a key without commas", `Codes: C - connected S - static R - RIP O - OSPF B - BGP
       IA - OSPF inter area N1 - OSPF NSSA external type 1

S    0.0.0.0/0 [1/0] via 172.28.61.1, eth 0/1
O IA 10.61.32.0/24 [110/20] via 172.28.61.5, eth 0/2
C    10.61.16.1/32 is local host.
`, []string{"4 0.0.0.0/0 static 1/0 via 172.28.61.1 dev eth 0/1: active installed", "5 10.61.32.0/24 ospf/inter-area 110/20 via 172.28.61.5 dev eth 0/2: active installed",
			"6 10.61.16.1/32 direct -/- receive: active installed"}, nil},
		{"masks behind a slash, the default behind a sign alone", `Codes: C - connected, S - static, R - RIP, * - default, ~ - private
*          0.0.0.0/         0.0.0.0 via 172.28.61.1,   WAN1
C       10.61.16.0/   255.255.255.0 is directly connected,   LAN1
S       10.61.32.0/   255.255.300.0 via 10.61.16.9,   LAN1
`, []string{"2 0.0.0.0/0 other/code * -/- via 172.28.61.1 dev WAN1: active installed", "3 10.61.16.0/24 direct -/- dev LAN1: active installed"}, []string{"4 "}},
		{"a key with a sign that no row has, interfaces of two words", `Maximum Parallel Paths: 1 (1 after reset)
IP Forwarding: enabled
Codes: > - best, C - connected, S - static, R - RIP

S   0.0.0.0/0 [1/4] via 172.28.61.1, 129:41:01, vlan 100
C   10.61.16.0/24 is directly connected, vlan 16
C   127.0.0.0/8 is directly connected, lo 0/0
`, []string{"5 0.0.0.0/0 static 1/4 via 172.28.61.1 dev vlan 100: active installed", "6 10.61.16.0/24 direct -/- dev vlan 16: active installed",
			"7 127.0.0.0/8 direct 0/0 dev lo: active installed"}, nil},
		{"the same key where one row has the sign", `Codes: > - best, C - connected, S - static

S>  10.61.32.0/24 [1/4] via 172.28.61.1, vlan 100
S   10.61.32.0/24 [5/4] via 172.28.61.5, vlan 16
`, []string{"3 10.61.32.0/24 static 1/4 via 172.28.61.1 dev vlan 100: active installed", "4 10.61.32.0/24 static 5/4 via 172.28.61.5 dev vlan 16"}, nil},
		{"age and interface in the next line", `Codes: C - connected, S - static, O - OSPF, L - local

S*   ::/0
      [1/0] via fe80::1, 3d07h, cable0/0
C    fd61:16::/64 is directly connected,
      45d1h, cable0/1
L    fd61:16::1/128 is directly connected,
      45d1h, cable0/1
S    fd61:46::/64 is directly connected,
      45d1h, Null0
O    fd61:32::/64
      [110/2] via fe80::6,
      1d02h, cable0/2
O    fd61:33::/64 is directly connected,
      by way of
`, []string{"3 ::/0 static 1/0 via fe80::1 dev cable0/0: active installed", "5 fd61:16::/64 direct -/- dev cable0/1: active installed",
			"7 fd61:16::1/128 local -/- receive dev cable0/1: active installed", "9 fd61:46::/64 static -/- blackhole: active installed", "11 fd61:32::/64 ospf 110/2 via fe80::6 dev cable0/2: active installed",
			"14 fd61:33::/64 ospf -/- dev by: active installed"}, nil},
		{"the way of attached networks in the next line", `VRF: default
Source Codes:
       C - connected, S - static,
       B E - eBGP

 C        10.61.16.0/24
           directly connected, Vlan16
 B E      10.62.8.0/24 [200/0]
           via 172.28.61.1, line1
 S        10.61.46.0/24 [1/0]
           directly connected, Null0

VRF: guests
 C        10.61.99.0/24
           directly connected, Vlan99
`, []string{"6 10.61.16.0/24 direct -/- dev Vlan16: active installed", "8 10.62.8.0/24 bgp 200/0 via 172.28.61.1 dev line1: active installed", "10 10.61.46.0/24 static 1/0 blackhole: active installed",
			"14 (guests) 10.61.99.0/24 direct -/- dev Vlan99: active installed"}, nil},
		{"prefixes with their table, ways below", `Displaying ipv4 routes selected for forwarding

'[x/y]' denotes [distance/metric]

0.0.0.0/0, vrf default
	via  172.28.61.1,  [1/0],  static
10.61.16.0/24, vrf default
	via  vlan16,  [0/0],  connected
10.61.16.1/32, vrf default
	via  vlan16,  [0/0],  local
10.61.32.0/24, vrf guests
	via  172.28.61.5,  [110/200],  ospf
	via  172.28.61.9,  [110/200],  ospf
10.61.320.0/24, vrf guests
Total Route Count : 4
`, []string{"6 0.0.0.0/0 static 1/0 via 172.28.61.1: active installed", "8 10.61.16.0/24 direct 0/0 dev vlan16: active installed", "10 10.61.16.1/32 local 0/0 receive dev vlan16: active installed",
			"12 (guests) 10.61.32.0/24 ospf 110/200 via 172.28.61.5 via 172.28.61.9: active installed"}, []string{"14"}},
		{"discards by other names than the usual one", `S    10.61.46.0/24 is directly connected, blackhole
S    10.61.47.0/24 is directly connected, Discard0
C    10.61.48.0/24 is directly connected, depot0
`, []string{"1 10.61.46.0/24 static -/- blackhole: active installed", "2 10.61.47.0/24 static -/- blackhole: active installed", "3 10.61.48.0/24 direct -/- dev depot0: active installed"}, nil},
	} {
		t.Run(tt.name, func(t *testing.T) {
			r := Read([]byte(tt.in))
			require.Equal(t, tt.want, layouttest.Words([]byte(tt.in), r))
			var unread []string
			for _, u := range layouttest.Unread([]byte(tt.in), r) {
				unread = append(unread, u[:2])
			}
			require.Equal(t, tt.unread, unread)
		})
	}
}

// TestKeysAndSigns: keys and signs of selection in shapes of their own.
func TestKeysAndSigns(t *testing.T) {
	for about, x := range map[string]struct {
		in   string
		want []string
	}{
		"a key under the word for flags, codes of several letters and digits, signs apart from their code": {
			`Flags: u0c - Upper-Connected, u0s - Upper-Static, b - BGP, o - OSPF
u0n - Upper-Translated, v1s - Lower-Static, v1c - Lower-Connected,
v1n: Lower-Translated, v1l: Lower-Shared, v1tun: Lower-Tunnel,
> - selected route, * - FIB route

Total number of routes: 5

u0s> * 0.0.0.0/0 [1/0] via 10.81.2.2, mast-288, 2d03h12m
u0c> * 10.81.1.0/24 is directly connected, lift-290, 2d03h12m
b  > * 10.81.3.0/24 [20/0] via 10.81.2.2, mast-288, 01:12:03
b      10.81.4.0/24 [200/0] via 10.81.1.9, lift-290, 01:12:03
u0s> * 10.81.4.0/24 [1/0] is directly connected, blackhole, 01:12:03
`, []string{
				"8 0.0.0.0/0 static 1/0 via 10.81.2.2 dev mast-288 *: active installed",
				"9 10.81.1.0/24 direct -/- dev lift-290 *: active installed",
				"10 10.81.3.0/24 bgp 20/0 via 10.81.2.2 dev mast-288 *: active installed",
				"11 10.81.4.0/24 bgp 200/0 via 10.81.1.9 dev lift-290",
				"12 10.81.4.0/24 static 1/0 blackhole: active installed",
			}},
		"a sign that the key does not explain: a row without it is not in use": {
			"Codes: C - connected, S - static, O - OSPF\n\nC>* 10.81.1.0/24 is directly connected, e0\n" +
				"O   10.81.3.0/24 [110/20] via 10.81.1.9, e0\nS>* 10.81.3.0/24 [1/0] via 10.81.1.2, e0\n", []string{
				"3 10.81.1.0/24 direct -/- dev e0: active installed",
				"4 10.81.3.0/24 ospf 110/20 via 10.81.1.9 dev e0",
				"5 10.81.3.0/24 static 1/0 via 10.81.1.2 dev e0: active installed",
			}},
		"a sign of what is not in use in front of the code, at the margin too": {
			"Codes: C - connected, S - static, * - candidate default, > - non-active route\n" +
				"  *S   0.0.0.0/0          via 10.81.2.2, Te 0/1           1/0       2d4h\n" +
				"  C    10.81.2.0/30       Direct, Te 0/1                  0/0       1w2d\n" +
				"> S    10.81.3.0/24       via 10.81.1.9, Vl 100         250/0       3d\n" +
				"  S    10.81.4.0/24       Direct, Nu 0                    1/0       3d\n", []string{
				"2 0.0.0.0/0 static 1/0 via 10.81.2.2 dev Te 0/1: active installed",
				"3 10.81.2.0/30 direct 0/0 dev Te 0/1: active installed",
				"4 10.81.3.0/24 static 250/0 via 10.81.1.9 dev Vl 100: unusable",
				"5 10.81.4.0/24 static 1/0 blackhole: active installed",
			}},
	} {
		t.Run(about, func(t *testing.T) {
			r := Read([]byte(x.in))
			require.Empty(t, layouttest.Unread([]byte(x.in), r))
			require.Equal(t, x.want, layouttest.Words([]byte(x.in), r))
		})
	}
}

// TestTitlesBehindAKey: a title that stands right below a key names the table, whatever its letters look like.
func TestTitlesBehindAKey(t *testing.T) {
	for _, title := range []string{"VRF: RED", "Routing Table: RED", "VRF RED:"} {
		in := "Codes: C - connected, S - static\n" + title + "\nS    10.81.3.0/24 [1/0] via 10.81.2.2, e0\n"
		require.Equal(t, []string{"3 (RED) 10.81.3.0/24 static 1/0 via 10.81.2.2 dev e0: active installed"},
			layouttest.Words([]byte(in), Read([]byte(in))), title)
	}
}
