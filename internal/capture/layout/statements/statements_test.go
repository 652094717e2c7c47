package statements

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const config = `hostname valley
!
interface hall0
 description the hall
 ip address 10.61.16.1/24
 ipv6 address fd6b:16::1/64
!
interface up0
 ip address 172.28.61.2 255.255.255.252
 shutdown
!
vrf yard
 ip route 10.70.0.0/16 10.71.0.1
exit-vrf
!
ip route 0.0.0.0/0 172.28.61.1
ip route 10.61.64.0 255.255.255.0 172.28.61.18 130 name till
ip route 10.61.40.0/21 Null0
ip route 10.61.41.0/24 reject
ip route vrf yard 10.72.0.0/16 10.71.0.1
ip route 10.61.42.0/24 hall0 172.28.61.9 5
ipv6 route fd6b:32::/64 fe80::1 line1 20
ip route 10.61.43.0/33 172.28.61.1
ip route 10.61.44.0/24 172.28.61.300
no ipv6 forwarding
router ospf
 network 10.61.0.0/16 area 0
`

func TestRead(t *testing.T) {
	in := []byte(config)
	r := layouttest.Laws(t, Read, in)
	var got []string
	for _, s := range r.Facts.Statics {
		got = append(
			got,
			fmt.Sprint(
				s.Table,
				" ",
				s.Prefix,
				" ",
				s.NextHop.Address,
				" ",
				s.NextHop.Interface,
				" ",
				s.Special,
				" ",
				s.Preference.Value,
			),
		)
	}
	require.Equal(
		t,
		[]string{
			"yard 10.70.0.0/16 10.71.0.1   0",
			" 0.0.0.0/0 172.28.61.1   0",
			" 10.61.64.0/24 172.28.61.18   130",
			" 10.61.40.0/21 invalid IP  blackhole 0",
			" 10.61.41.0/24 invalid IP  unreachable 0",
			"yard 10.72.0.0/16 10.71.0.1   0",
			" 10.61.42.0/24 172.28.61.9 hall0  5",
			" fd6b:32::/64 fe80::1 line1  20",
		},
		got,
	)
	require.Equal(
		t,
		[]string{`23 prefix length out of range: "10.61.43.0/33"`, `24 not an address: "172.28.61.300"`},
		layouttest.Unread(in, r),
	)
	require.Equal(
		t,
		"[hall0 0 up0 0 up0 2]",
		fmt.Sprint(
			[]any{
				r.Facts.Interfaces[0].Name,
				r.Facts.Interfaces[0].State,
				r.Facts.Interfaces[1].Name,
				r.Facts.Interfaces[1].State,
				r.Facts.Interfaces[2].Name,
				r.Facts.Interfaces[2].State,
			},
		),
		"what shuts it down is a line of its own",
	)
	require.Equal(t, "172.28.61.2/30", r.Facts.Addresses[2].Prefix.String())
	require.False(t, r.Facts.Forwarding[0].On)
	require.Positive(t, recognise(in))
	layouttest.Variants(t, Read, config)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(config))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestAnInterfaceThatIsNamed is called so by its address, its state and what is applied by that name.
func TestAnInterfaceThatIsNamed(t *testing.T) {
	in := []byte("interface Ethernet0\n shutdown\n nameif hall\n ip address 10.61.16.1 255.255.255.0\naccess-group NIGHT in interface hall\naccess-group ALL global\naccess-group OFF out interface hall\n")
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, "hall", r.Facts.Addresses[0].Interface)
	require.Equal(t, []string{"hall", "hall"}, []string{r.Facts.Interfaces[0].Name, r.Facts.Interfaces[1].Name})
	require.Equal(t, network.LinkDown, r.Facts.Interfaces[1].State)
	flows := r.Facts.Policy.Flows
	require.Equal(t, []string{"", ""}, []string{flows[0].In, flows[0].Out}, "one for all interfaces is not read")
	require.Equal(t, []string{"hall", "hall"}, []string{r.Facts.Applied[0].Rule.In, r.Facts.Applied[1].Rule.Out})
	layouttest.Variants(t, Read, string(in))
}

// TestStaticsInOtherOrders: the interface first, the table of the next hop in a word, next hops that no line tells.
func TestStaticsInOtherOrders(t *testing.T) {
	for line, want := range map[string]string{
		"route hall 0.0.0.0 0.0.0.0 172.28.61.1 1 track 7":              "0.0.0.0/0 172.28.61.1 hall 1",
		"route hall 0 0 172.28.61.1":                                    "0.0.0.0/0 172.28.61.1 hall 0",
		"route hall 10.61.40.0 255.255.248.0 172.28.61.1 1 tunneled":    "",
		"route null0 10.61.40.0 255.255.248.0":                          "10.61.40.0/21 invalid IP blackhole 0",
		"ipv6 route hall fd6b:32::/64 fe80::1 5":                        "fd6b:32::/64 fe80::1 hall 5",
		"ip route vrf yard 10.61.40.0 255.255.248.0 172.28.61.1 global": "10.61.40.0/21 172.28.61.1 default 0",
		"ip route 10.61.40.0 255.255.248.0 dhcp 20":                     "",
		"route add 10.61.40.0 255.255.248.0 172.28.61.1":                "",
	} {
		in := []byte("interface Ethernet0\n nameif hall\n ip address 172.28.61.2 255.255.255.0\n" + line + "\n")
		got := ""
		for _, s := range layouttest.Laws(t, Read, in).Facts.Statics {
			h := s.NextHop
			got = strings.Join(strings.Fields(fmt.Sprint(s.Prefix, " ", h.Address, " ", h.Interface, " ", h.Table, " ", s.Special, " ",
				s.Preference.Value)), " ")
		}
		require.Equal(t, want, got, line)
	}
}

// TestWhatIsAppliedToAnInterface is kept, by direction: it may stop packets, and what it says is not read.
func TestWhatIsAppliedToAnInterface(t *testing.T) {
	in := []byte(`interface hall0
 ip address 10.61.16.1 255.255.255.0
 ip access-group NIGHT in
 ip verify unicast source reachable-via any
interface up0
 ip address 172.28.61.2 255.255.255.252
 ipv6 traffic-filter DAY out
 traffic-filter inbound acl 3001
 ip policy route-map ODD
 ip verify source port-security
 ip nat outside
 zone-member security NIGHT
 description access-group of old
ip access-group NIGHT in
`)
	r := layouttest.Laws(t, Read, in)
	var got []string
	for _, f := range r.Facts.Policy.Flows {
		require.True(t, f.NotRead)
		if !f.Permit {
			require.True(t, f.Undecided)
			got = append(got, fmt.Sprint(1+bytes.Count(in[:f.Mark.Off], []byte{'\n'}), " ", uint8(f.Family), " in ", f.In, " out ", f.Out))
		}
	}
	require.Equal(t, []string{"10 4 in up0 out ", "12 0 in up0 out ", "12 0 in  out up0", "9 4 in up0 out ", "11 0 in  out up0", "11 0 in up0 out "}, got)
	require.Equal(t, network.SourceCheck{Family: route.IPv4, Interface: "hall0", Mode: network.CheckLoose, NotByDefault: true, Mark: r.Facts.Checks[0].Mark}, r.Facts.Checks[0])
	layouttest.Variants(t, Read, string(in))
}

// TestPoliciesThatThrowPacketsAway are kept where they are applied, and those that only order or limit are not.
func TestPoliciesThatThrowPacketsAway(t *testing.T) {
	const text = `interface up0
 ip address 172.28.61.2 255.255.255.252
 service-policy input THROW
 service-policy output SLOW
interface hall0
 ip address 10.61.16.1 255.255.255.0
 service-policy output THROW
policy-map THROW
 class BAD
  drop
policy-map SLOW
 class BAD
  police 8000 conform-action transmit exceed-action drop
vlan filter KEEP vlan-list 20
traffic-policy NIGHT global inbound
`
	r := layouttest.Laws(t, Read, []byte(text))
	var got []string
	for _, f := range r.Facts.Policy.Flows {
		if f.Undecided {
			got = append(got, fmt.Sprint(1+bytes.Count([]byte(text)[:f.Mark.Off], []byte{'\n'}), " in ", f.In, " out ", f.Out))
		}
	}
	require.Equal(t, []string{"14 in  out ", "15 in  out ", "3 in up0 out ", "7 in  out hall0"}, got)
	layouttest.Variants(t, Read, text)
}

// TestWhatIsForTheDeviceItself: policies and lists that it meets, by whatever interface it comes in.
func TestWhatIsForTheDeviceItself(t *testing.T) {
	const throw = "policy-map THROW\n class BAD\n  drop\npolicy-map type control-plane NONE\n class BAD\n  police cir 200 kbps bc 32000 bytes conform drop violate drop\npolicy-map SLOW\n class BAD\n  police 8000 conform-action transmit exceed-action drop\n"
	for text, want := range map[string]bool{
		"control-plane\n service-policy input THROW\n":   true,
		"control-plane\n service-policy input NONE\n":    true,
		"control-plane\n service-policy input SLOW\n":    false,
		"control-plane\n service-policy input NOWHERE\n": false,
		"control-plane\n management-plane\n  inband\n":   true,
		"interface up0\n service-policy input SLOW\n":    false,
	} {
		r := layouttest.Laws(t, Read, []byte(throw+"interface hall0\n ip address 10.61.16.1 255.255.255.0\n"+text))
		got := slices.ContainsFunc(r.Facts.Policy.Flows, func(f network.FlowRule) bool {
			return f.Hook == network.ForItself && f.Undecided && f.In == ""
		})
		require.Equal(t, want, got, text)
	}
	r := layouttest.Laws(t, Read, []byte("interface hall0\n ip address 10.61.16.1 255.255.255.0\nip receive access-list 199\naccess-list 199 permit tcp any any eq 22\n"))
	require.Equal(t, []string{"199 4 hook 3 deny"}, layouttest.Applied(r.Facts.Applied))
	require.Equal(t, []string{"permit tcp 22-22"}, layouttest.Lists(r.Facts.ListRules)["199"])
}

// TestWhatHoldsForTheWholeDevice outside of all interfaces: firewalls by zones, and forwarding that is switched off.
func TestWhatHoldsForTheWholeDevice(t *testing.T) {
	for text, restricts := range map[string]bool{
		"security-policy\n rule name a\n  action permit\n":  true,
		"firewall default deny\n":                           true,
		"firewall packet-filter default permit interzone\n": true,
		"policy interzone trust untrust inbound\n":          true,
		"firewall zone trust\n add interface hall0\n":       true,
		"policy-map SLOW\n class A\n  police 8000\n":        false,
		"traffic-filter inbound acl 3000\n":                 true,
		"packet-filter\n":                                   true,
	} {
		r := Read([]byte("interface hall0\n ip address 10.61.16.1 255.255.255.0\n" + text))
		require.Equal(t, restricts, len(r.Facts.Policy.Flows) > 0, text)
	}
	r := Read([]byte("no ip routing\nno ipv6 unicast-routing\nno ip forwarding\n"))
	require.Len(t, r.Facts.Forwarding, 3)
	require.Equal(t, route.IPv6, r.Facts.Forwarding[1].Family)
}

// TestProtocolsOfIPv6: the heading names the family, and what stands below it is of that.
func TestProtocolsOfIPv6(t *testing.T) {
	for heading, fam := range map[string]route.Family{"ipv6 router ospf 7": route.IPv6, "router ospf6": route.IPv6, "router ospf 7": route.IPv4} {
		r := layouttest.Laws(t, Read, []byte("hostname depot\n"+heading+"\n redistribute static\n"))
		require.Len(t, r.Facts.Redistributed, 1, heading)
		require.Equal(t, fam, r.Facts.Redistributed[0].Family, heading)
	}
}

// TestWhatAltersAProtocol: a line of a protocol's block that may change which ways it finds is told as one; timers,
// numbers and authentication change nothing.
func TestWhatAltersAProtocol(t *testing.T) {
	for _, x := range []struct {
		heading, line string
		alters        bool
		area          string
	}{
		{"router isis one", "is-type level-2-only", false, "level-2"},
		{"router isis one", "is-type level-1", false, ""},
		{"router isis one", "lsp-timers gen-interval 1 refresh-interval 900", false, ""},
		{"router isis one", "set-overload-bit", true, ""},
		{"router ospf6", "ospf6 router-id 10.61.0.1", false, ""},
		{"router ospf", "area 0 authentication message-digest", false, ""},
		{"router ospf", "area 7 stub", true, ""},
		{"router ospf", "default-information originate", false, ""},
		{"router ospf", "default-information originate always", true, ""},
	} {
		t.Run(x.line, func(t *testing.T) {
			in := []byte("hostname depot\n" + x.heading + "\n " + x.line + "\n")
			require.Positive(t, recognise(in), "a configuration that has neither addresses nor routes is one")
			r := layouttest.Laws(t, Read, in)
			alters, area := false, ""
			for _, p := range r.Facts.Protocols {
				alters, area = alters || p.Other, area+p.Area
			}
			require.Equal(t, x.alters, alters)
			require.Equal(t, x.area, area)
		})
	}
}

// TestBlocksOfProtocols: what stands below BGP's heading is not the block's above it.
func TestBlocksOfProtocols(t *testing.T) {
	r := layouttest.Laws(t, Read, []byte("hostname depot\nrouter ospf\n network 10.61.0.0/16 area 0\nrouter bgp 64901\n redistribute static\n"))
	require.Len(t, r.Facts.Redistributed, 1)
	require.Equal(t, route.BGP, r.Facts.Redistributed[0].Protocol)
	require.Len(t, r.Facts.Protocols, 2)
	require.Equal(t, route.BGP, r.Facts.Protocols[1].Protocol)
}

// TestEqualWaysOfProtocols: how many equal ways a protocol uses.
func TestEqualWaysOfProtocols(t *testing.T) {
	for line, want := range map[string]uint64{"maximum-paths 1": 1, "maximum-paths 4": 4, "no maximum-paths": 0, "no maximum-paths 4": 0} {
		r := Read([]byte("hostname mast-3\nrouter ospf 7\n network 10.61.0.0 0.0.255.255 area 0\n " + line + "\n"))
		got := uint64(0)
		for _, p := range r.Facts.Protocols {
			got = max(got, p.Paths)
			require.False(t, p.Other, line)
		}
		require.Equal(t, want, got, line)
	}
}

// TestTimersOfRIP: those with which a router may change between equal ways at any time, and others.
func TestTimersOfRIP(t *testing.T) {
	for line, want := range map[string]bool{"timers basic 30 180 120": false, "timers basic 5 15 10": true,
		"timers basic 30 92 120": true, "timers basic 30 93 120": false, "no timers basic 5 15 10": false, "timers basic 5": false} {
		r := Read([]byte("hostname mast-3\nrouter ripng\n network e0\n " + line + "\n"))
		hasty := slices.ContainsFunc(r.Facts.Protocols, func(p network.ProtocolInterface) bool { return p.Hasty })
		require.Equal(t, want, hasty, line)
	}
}

// TestIPv6AddressesOfAnInterface: that of the link is told by a word in the place of the length; one that is made of
// the link-layer address is not told at all.
func TestIPv6AddressesOfAnInterface(t *testing.T) {
	in := []byte("interface hall16\n ipv6 address FE80::5A:1 link-local\n ipv6 address fd6b:16::1/64\n" +
		" ipv6 address fd6b:17::/64 eui-64\n!\ninterface hall17\n ipv6 link-local fe80::5a:2\n!\n")
	r := layouttest.Laws(t, Read, in)
	var got []string
	for _, a := range r.Facts.Addresses {
		got = append(got, fmt.Sprint(a.Interface, " ", a.Prefix))
	}
	require.Equal(t, []string{"hall16 fe80::5a:1/128", "hall16 fd6b:16::1/64", "hall17 fe80::5a:2/128"}, got)
}

func TestWhatStaticsAreTiedTo(t *testing.T) {
	for in, want := range map[string]network.Tie{
		"ip route 10.61.8.0 255.255.248.0 172.28.61.1 10 track 1\n":                                                                 {Object: "1"},
		"ip route 10.61.8.0 255.255.248.0 172.28.61.1 track valley name upper 20\n":                                                 {Object: "valley"},
		"ip route 10.61.8.0/21 172.28.61.1 track bfd\n":                                                                             {Session: true},
		"ip route 10.61.8.0/21 172.28.61.1 bfd\n":                                                                                   {Session: true},
		"ip route 10.61.8.0/21 172.28.61.1 bfd profile slow\n":                                                                      {Session: true},
		"ip route 10.61.8.0/21 172.28.61.1 bfd tag 7\n":                                                                             {Session: true},
		"ip route-static 10.61.8.0 21 172.28.61.1 bfd enable\n":                                                                     {Session: true},
		"ip route-static 10.61.8.0 21 172.28.61.1 preference 10 track bfd-session up description x\n":                               {Object: "bfd-session up"},
		"ip route-static 10.61.8.0 21 172.28.61.1 track nqa admin valley\n":                                                         {Object: "nqa admin valley"},
		"router static\n address-family ipv4 unicast\n  10.61.8.0/21 172.28.61.1 bfd fast-detect minimum-interval 7 multiplier 3\n": {Session: true},
		"router static\n address-family ipv4 unicast\n  10.61.8.0/21 line0 172.28.61.1 track valley\n":                              {Object: "valley"},
		"ip route 10.61.8.0 255.255.248.0 172.28.61.1 name track\n":                                                                 {},
	} {
		r := layouttest.Laws(t, Read, []byte(in))
		require.Len(t, r.Facts.Statics, 1, in)
		require.Equal(t, want, r.Facts.Statics[0].Tie, in)
		require.False(t, r.Facts.Statics[0].Preference.Known && r.Facts.Statics[0].Preference.Value == 7, in)
	}
}

func TestNextHopsThatSessionsWatch(t *testing.T) {
	for in, want := range map[string]string{
		"ip route static bfd line0 172.28.61.1\n":                  "172.28.61.1 line0",
		"ip route static bfd 172.28.61.1 172.28.61.2\n":            "172.28.61.1 ",
		"ipv6 route static bfd line0 fd6b::1 unassociated\n":       "fd6b::1 line0",
		"ip route static bfd vrf red\nip route static bfd line0\n": "",
	} {
		got := ""
		for _, w := range layouttest.Laws(t, Read, []byte(in)).Facts.Watches {
			got += w.NextHop.Address.String() + " " + w.NextHop.Interface
		}
		require.Equal(t, want, got, in)
	}
}
