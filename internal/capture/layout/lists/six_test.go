package lists

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

// toldBy words what a reading says of interfaces, addresses and neighbours, a line each.
func toldBy(r layout.Reading) []string {
	var out []string
	for _, i := range r.Facts.Interfaces {
		out = append(out, fmt.Sprint(i.Name, " ", []string{"?", "up", "down"}[i.State]))
	}
	for _, a := range r.Facts.Addresses {
		out = append(out, fmt.Sprint(a.Interface, " has ", a.Prefix, map[bool]string{true: " in " + a.Table}[a.Table != ""]))
	}
	for _, n := range r.Facts.Neighbours {
		out = append(out, fmt.Sprint(n.Interface, " sees ", n.Address, " at ", n.MAC, map[bool]string{true: " alive"}[n.State == network.NeighbourAlive]))
	}
	for _, a := range r.Facts.Applied {
		out = append(out, fmt.Sprint(a.Rule.In, a.Rule.Out, " applies ", a.List, " to ", a.Rule.Family))
	}
	for _, c := range r.Facts.Checks {
		out = append(out, fmt.Sprint(c.Interface, " checks ", c.Family))
	}
	return out
}

// TestInterfacesWithIPv6Addresses reads the lists and paragraphs in which systems print IPv6 addresses, those of links
// included.
func TestInterfacesWithIPv6Addresses(t *testing.T) {
	for name, x := range map[string]struct {
		read func([]byte) layout.Reading
		text string
		want []string
	}{
		"paragraphs with the subnet beside the address": {ReadDetail, `hall16 is up, line protocol is up
  IPv6 is enabled, link-local address is FE80::5A:1
  Global unicast address(es):
    FD6B:16::1, subnet is FD6B:16::/64
    FD6B:17::1, subnet is FD6B:17::/64 [DUP]
  Joined group address(es):
    FF02::1
  Inbound access list GATE
hall17 is administratively down, line protocol is down
  IPv6 is tentative, link-local address is FE80::5A:2 [TEN]
  Global unicast address(es):
    FD6B:18::1, subnet is FD6B:18::/64 [TEN]
`, []string{"hall16 up", "hall17 down", "hall16 has fe80::5a:1/128", "hall16 has fd6b:16::1/64",
			"hall17 has fe80::5a:2/128", "hall17 has fd6b:18::1/64", "hall16 applies GATE to ipv6"}},
		"a family's protocol and the instance in the first line": {ReadDetail, `hall16 is Up, ipv6 protocol is Up, Vrfid is default (0x60000000)
  IPv6 is enabled, link-local address is fe80::5a:1
    fd6b:16::1, subnet is fd6b:16::/64
  Outgoing access list is not set
  Inbound  common access list is not set, access list is GATE
hall17 is Up, ipv6 protocol is Down, Vrfid is yard (0x60000002)
    fd6b:17::1, subnet is fd6b:17::/64
`, []string{"hall16 up", "hall17 ?", "hall16 has fe80::5a:1/128 in default", "hall16 has fd6b:16::1/64 in default",
			"hall17 has fd6b:17::1/64 in yard", "hall16 applies GATE to ipv6"}},
		"three states in the first line": {ReadDetail, `IPv6 Interface Status for VRF "yard"(3)

hall1/1, Interface status: protocol-up/link-up/admin-up, iod: 36
  IPv6 address:
    fd6b:16::1/64 [VALID]
    fd6b:17::1/64 [INVALID]
  IPv6 subnet:  fd6b:16::/64
  IPv6 link-local address: fe80::5a:1 (default) [VALID]
  IPv6 unicast reverse path forwarding: strict
hall1/2, Interface status: protocol-down/link-down/admin-down, iod: 37
  IP address: 10.61.16.1, IP subnet: 10.61.16.0/24 route-preference: 0, tag: 0
  IP broadcast address: 255.255.255.255
`, []string{"hall1/1 up", "hall1/2 down", "hall1/1 has fd6b:16::1/64 in yard", "hall1/1 has fe80::5a:1/128 in yard",
			"hall1/2 has 10.61.16.1/24 in yard", "hall1/1 checks ipv6"}},
		"lines that are not indented": {ReadDetail, `hall16 current state : UP
IPv6 protocol current state : UP
IPv6 is enabled, link-local address is FE80::5A:1
  Global unicast address(es):
    FD6B:16::1, subnet is FD6B:16::/64
hall17 current state : UP
IPv6 protocol current state : DOWN
IPv6 is enabled, link-local address is FE80::5A:2 [TENTATIVE]
`, []string{"hall16 up", "hall17 ?", "hall16 has fe80::5a:1/128", "hall16 has fd6b:16::1/64"}},
		"the instance below the address": {ReadDetail, `hall16 is up, line protocol is up
  Internet address is 10.61.16.1/24
  VPN Routing/Forwarding "yard"
hall17 is up, line protocol is up
  Internet address is 10.61.17.1/24
`, []string{"hall16 up", "hall17 up", "hall16 has 10.61.16.1/24 in yard", "hall17 has 10.61.17.1/24"}},
		"further addresses below the first": {Read, `   Interface   Status        MTU   IPv6 Address         Addr State    Addr Source
-------------- ------------ ------ -------------------- ------------- -----------
   hall16      up            1500  fe80::5a:1/64        up            link local
                                   fd6b:16::1/64        up            config
   hall17      admin down    1500  fd6b:17::1/64        down          config
`, []string{"hall16 up", "hall17 down", "hall16 has fe80::5a:1/64", "hall16 has fd6b:16::1/64", "hall17 has fd6b:17::1/64"}},
		"one blank between the first two names": {Read, `Interface Status     MTU IPv6 Address         Addr State    Addr Source
--------- ---------- --- -------------------- ------------ -----------
hall16    up        1500 fe80::5a:1/64        up           link local
                         fd6b:16::1/64        up           config
`, []string{"hall16 up", "hall16 has fe80::5a:1/64", "hall16 has fd6b:16::1/64"}},
		"both addresses in one column": {Read, ` IPv6 Interface Status for VRF "default"(1)
 Interface            IPv6 Address/Link-local Address               Interface Status
                                                                    prot/link/admin
 hall16               fd6b:16::1                                    up/up/up
                      fe80::5a:1
 hall17               fd6b:17::1                                    down/down/down
`, []string{"hall16 up", "hall17 down", "hall16 has fd6b:16::1/128 in default", "hall16 has fe80::5a:1/128 in default", "hall17 has fd6b:17::1/128 in default"}},
		"addresses with a word in front": {Read, `*down: administratively down
(s): spoofing
Interface                    Physical              Protocol  VPN
hall16                       up                    up        --
[IPv6 Address] FD6B:16::1
hall17                       *down                 down      yard
[IPv6 Address] FD6B:17::1
`, []string{"hall16 up", "hall17 down", "hall16 has fd6b:16::1/128", "hall17 has fd6b:17::1/128 in yard"}},
		"pairs": {ReadPairs, `dev=3 devname=hall16 flag=P scope=0 prefix=64 addr=fd6b:16::1 preferred=4294967295 valid=4294967295
dev=3 devname=hall16 flag=P scope=253 prefix=64 addr=fe80::5a:1 preferred=4294967295 valid=4294967295
dev=3 devname=hall16 flag=PT scope=0 prefix=64 addr=fd6b:17::1 preferred=4294967295 valid=4294967295
`, []string{"hall16 has fd6b:16::1/64", "hall16 has fe80::5a:1/64"}},
	} {
		t.Run(name, func(t *testing.T) {
			r := layouttest.Laws(t, x.read, []byte(x.text))
			require.Equal(t, x.want, toldBy(r))
			require.Empty(t, layouttest.Unread([]byte(x.text), r))
			layouttest.Variants(t, x.read, x.text)
		})
	}
}

// TestIPv6Neighbours reads the lists of neighbour discovery (RFC 4861) under various names and in paragraphs.
func TestIPv6Neighbours(t *testing.T) {
	both := []string{"hall16 sees fd6b:16::20 at 02:00:00:00:00:10 alive", "hall16 sees fe80::5b:1 at 02:00:00:00:00:10 alive"}
	for name, x := range map[string]struct {
		read func([]byte) layout.Reading
		text string
		want []string
	}{
		"with router and secure flags": {Read, `IPv6 Address                 Linklayer Address State       Exp   Rtr  Secure  Interface
fd6b:16::20                  02:00:00:00:00:10 reachable   12    yes  no      hall16
fe80::5b:1                   02:00:00:00:00:10 stale       1033  yes  no      hall16
`, both},
		"with preference and source": {Read, `Address         Age       MAC Address     Pref Source     Interface
fd6b:16::20     00:01:21  0200.0000.0010  50   icmpv6     hall16
fe80::5b:1      00:02:07  0200.0000.0010  50   icmpv6     hall16
`, both},
		"with VLANs and letters of types": {Read, `Type: S-Static    D-Dynamic    I-Invalid
IPv6 address             Link layer     VID  Interface/Link ID   State T  Age
FD6B:16::20              0200-0000-0010 N/A  hall16              REACH D  10
FE80::5B:1               0200-0000-0010 N/A  hall16              STALE D  136
`, both},
		"below the number of the interface": {Read, `Interface 5: Hall

Internet Address              Physical Address   Type
----------------------------  -----------------  -----------
fd6b:16::20                   02-00-00-00-00-10  Reachable (Router)
`, []string{"5 sees fd6b:16::20 at 02:00:00:00:00:10 alive"}},
		"pairs": {ReadPairs, `ifindex=3 ifname=hall16 fd6b:16::20 02:00:00:00:00:10 state=00000002 use=11 confirm=22
ifindex=3 ifname=hall16 fe80::5b:1 02:00:00:00:00:10 state=00000004 use=11
ifindex=3 ifname=hall16 fd6b:16::21 00:00:00:00:00:00 state=00000020 use=11
`, slices.Concat(both, []string{"hall16 sees fd6b:16::21 at "})},
		"paragraphs": {ReadTold, `-----------------------------------------
IPv6 Address : FD6B:16::20
Link-layer   : 0200-0000-0010                  State : REACH
Interface    : hall16                          Age   : 0
VPN name     :                                 Is Router: TRUE
Secure FLAG  : UN-SECURE

IPv6 Address : FE80::5B:1
Link-layer   : 0200-0000-0010                  State : STALE
Interface    : hall16                          Age   : 3
-----------------------------------------
Total: 2        Dynamic: 2      Static: 0
`, both},
	} {
		t.Run(name, func(t *testing.T) {
			r := layouttest.Laws(t, x.read, []byte(x.text))
			require.Equal(t, x.want, toldBy(r))
			require.Empty(t, layouttest.Unread([]byte(x.text), r))
			layouttest.Variants(t, x.read, x.text)
		})
	}
}

// TestAParagraphWithoutItsFirstLine belongs to nobody: neither to the neighbour above nor to the one below.
func TestAParagraphWithoutItsFirstLine(t *testing.T) {
	in := []byte("IPv6 Address : FD6B:16::20\nLink-layer   : 0200-0000-0010  State : REACH\nInterface    : hall16  Age : 0\n" +
		"Link-layer   : 0200-0000-0011  State : STALE\nInterface    : hall17  Age   : 3\n")
	r := layouttest.Laws(t, ReadTold, in)
	require.Empty(t, r.Facts.Neighbours)
	require.Positive(t, recogniseTold(in))
}

// TestAnAddressBelowARowThatCouldNotBeRead is nobody's.
func TestAnAddressBelowARowThatCouldNotBeRead(t *testing.T) {
	in := []byte("Interface  Status  MTU  IPv6 Address     Addr State\nhall16     up      1500 fe80::5a:1/64    up\n" +
		"hall17     up      1500 fe80::5a:2/640   up\n                        fd6b:17::1/64    up\n")
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, []string{"hall16 up", "hall16 has fe80::5a:1/64"}, toldBy(r))
	require.Len(t, r.Unread, 2)
}

func FuzzReadTold(f *testing.F) {
	f.Add([]byte(Told.Sample))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, ReadTold, in) })
}
