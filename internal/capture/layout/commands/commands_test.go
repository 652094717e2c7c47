package commands

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
)

func facts(r layout.Reading) []string {
	var out []string
	for _, i := range r.Facts.Interfaces {
		out = append(out, fmt.Sprint("if ", i.Name, " ", i.State))
	}
	for _, a := range r.Facts.Addresses {
		out = append(out, fmt.Sprint("addr ", a.Prefix, " ", a.Interface, " ", a.Table, " ", a.Configured))
	}
	for _, s := range r.Facts.Statics {
		out = append(out, fmt.Sprint("static ", s.Table, " ", s.Prefix, " ", s.NextHop.Address, " ", s.NextHop.Interface, s.NextHop.Table, " ", s.Special))
	}
	for _, f := range r.Facts.Forwarding {
		out = append(out, fmt.Sprint("forwards ", f.Family, " ", f.Interface, " ", f.On))
	}
	if len(r.Facts.Policy.Flows) > 0 {
		out = append(out, "restricted")
	}
	return out
}

var tests = []struct {
	name, in string
	want     []string
}{
	{"a firewall's, with policies", `set interface "cable0/0" zone "Out"
set interface cable0/0 ip 172.28.61.2/30
set interface cable0/0 route
set interface cable0/1 ip 10.61.16.1/24
set policy id 1 from "Hall" to "Out" "Any" "Any" "ANY" permit log
set policy id 2 from "Out" to "Hall" "Any" "Any" "ANY" deny log
set route 0.0.0.0/0 interface cable0/0 gateway 172.28.61.1
set route 10.61.46.0/24 interface null
set vrouter guests-vr route 10.62.0.0/16 gateway 172.28.61.33
`, []string{"addr 172.28.61.2/30 cable0/0  true", "addr 10.61.16.1/24 cable0/1  true", "static  0.0.0.0/0 172.28.61.1 cable0/0 ", "static  10.61.46.0/24 invalid IP  blackhole",
		"static guests-vr 10.62.0.0/16 172.28.61.33  ", "restricted"}},
	{"routes of several lines, in their routers", `set network interface ethernet port1/1 layer3 ip 172.28.61.2/30
set network interface ethernet port1/2 layer3 units port1/2.99 ip 10.61.99.1/24
set network virtual-router default interface [ port1/1 port1/3 ]
set network virtual-router guests interface port1/2.99
set network virtual-router default routing-table ip static-route out nexthop ip-address 172.28.61.1
set network virtual-router default routing-table ip static-route out interface port1/1
set network virtual-router default routing-table ip static-route out destination 0.0.0.0/0
set network virtual-router default routing-table ip static-route none destination 10.61.46.0/24
set network virtual-router default routing-table ip static-route none nexthop discard
set network virtual-router guests routing-table ip static-route out destination 0.0.0.0/0
set network virtual-router guests routing-table ip static-route out nexthop next-vr default
set network virtual-router guests routing-table ip static-route half destination 10.62.0.0/16
`, []string{"addr 172.28.61.2/30 port1/1  true", "addr 10.61.99.1/24 port1/2.99 guests true", "static  0.0.0.0/0 172.28.61.1 port1/1 ", "static  10.61.46.0/24 invalid IP  blackhole", "static guests 0.0.0.0/0 invalid IP default "}},
	{"what is passed on between VLANs", `configure vlan hall ipaddress 10.61.16.1 255.255.255.0
enable ipforwarding vlan hall
disable ipforwarding vlan "yard"
disable ipforwarding ipv6 vlan yard
`, []string{"addr 10.61.16.1/24 hall  true", "forwards ipv4 hall true", "forwards ipv4 yard false", "forwards ipv6 yard false"}},
	{"zones without rules", `set network interface ethernet port1/1 layer3 ip 172.28.61.2/30
set zone hall network layer3 port1/1
`, []string{"addr 172.28.61.2/30 port1/1  true", "restricted"}},
	{"a rule base, of which nothing says deny", `set network interface ethernet port1/1 layer3 ip 172.28.61.2/30
set rulebase security rules out from hall
set rulebase security rules out action allow
`, []string{"addr 172.28.61.2/30 port1/1  true", "restricted"}},
	{"a gateway's", `set interface eth0 ipv4-address 172.28.61.2 mask-length 30
set interface eth1 state off
set static-route default nexthop gateway address 172.28.61.1 on
set static-route 10.61.32.0/24 nexthop gateway address 172.28.61.5 priority 1 on
set static-route 10.61.33.0/24 nexthop gateway address 172.28.61.5 off
set static-route 10.61.46.0/24 nexthop reject
set password-controls min-password-length 6
set snmp agent acl 7
set bgp external remote-as 64998 export-routemap out policy on
`, []string{"if eth1 2", "addr 172.28.61.2/30 eth0  true", "static  0.0.0.0/0 172.28.61.1  ", "static  10.61.32.0/24 172.28.61.5  ", "static  10.61.46.0/24 invalid IP  unreachable"}},
	{"a switch's", `create vlan "hall"
configure vlan hall ipaddress 10.61.16.1 255.255.255.0
configure iproute add default 172.28.61.5
configure iproute add 10.61.32.0 255.255.255.0 172.28.61.5
configure iproute add blackhole 10.61.46.0/24
configure access-list keep-out ports 1 ingress
`, []string{"addr 10.61.16.1/24 hall  true", "static  0.0.0.0/0 172.28.61.5  ", "static  10.61.32.0/24 172.28.61.5  ", "static  10.61.46.0/24 invalid IP  blackhole", "restricted"}},
	{"another switch's", `ip interface "hall" address 10.61.16.1 mask 255.255.255.0 vlan 16 ifindex 1
ip static-route 0.0.0.0/0 gateway 172.28.61.5 metric 1
policy rule keep-out condition c1 action a1
`, []string{"addr 10.61.16.1/24 hall  true", "static  0.0.0.0/0 172.28.61.5  ", "restricted"}},
	{"of an open system's tool", `nv set interface swp1 ip address 172.28.61.2/30
nv set interface swp9 ip vrf guests
nv set interface swp9 ip address 10.61.99.1/24
nv set interface swp8 link state down
nv set vrf default router static 0.0.0.0/0 via 172.28.61.1
nv set vrf guests router static 10.62.0.0/16 via blackhole
nv set interface swp1 acl keep-out inbound
`, []string{"if swp8 2", "addr 172.28.61.2/30 swp1  true", "addr 10.61.99.1/24 swp9 guests true", "static  0.0.0.0/0 172.28.61.1  ", "static guests 10.62.0.0/16 invalid IP  blackhole", "restricted"}},
}

func TestRead(t *testing.T) {
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			r := layouttest.Laws(t, Read, []byte(tt.in))
			require.Equal(t, tt.want, facts(r))
			require.Empty(t, r.Unread)
			require.Positive(t, recognise([]byte(tt.in)))
		})
	}
}

// TestLeftUnread: a command in a known form with a value that none can be is left, and makes nothing.
func TestLeftUnread(t *testing.T) {
	for _, line := range []string{"set interface cable0/0 ip 172.28.61.2/33", "set interface cable0/0 ip 172.28.61.2 255.0.255.0", "configure iproute add 10.61.320.0/24 172.28.61.5",
		"set route 10.61.16.0/24 gateway 172.28.61.300", "nv set interface swp1 ip address 172.28.61.299/30"} {
		r := Read([]byte(line + "\n"))
		require.Len(t, r.Unread, 1, line)
		require.Empty(t, facts(r), line)
	}
}

func TestOtherTextIsNotRecognised(t *testing.T) {
	for _, in := range []string{"", "set interfaces hall0 unit 0 family inet address 10.61.16.1/24\n", "ip route 10.61.32.0/24 172.28.61.5\n", "setting out at once\n"} {
		require.Zero(t, recognise([]byte(in)), in)
	}
}

func FuzzRead(f *testing.F) {
	for _, tt := range tests {
		f.Add([]byte(tt.in))
	}
	f.Add([]byte(rules))
	f.Add([]byte(inBraces(rules)))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}
