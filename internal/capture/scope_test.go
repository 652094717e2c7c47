package capture

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestAsksForPart(t *testing.T) {
	for command, want := range map[string]bool{
		"show ip route | begin Gateway":             false,
		"show ip route | b Gateway of last":         false,
		"show ip route | begin 10.61":               true,
		"show ip route | begin Gateway | include O": true,
		"show ip route":                             false, "sh ip ro": false, "show ip route vrf red": false, "show ip route vrf static": false, "show route": false, "show route table inet6.0": false,
		"ip route show table all": false, "ip -6 route": false, "ip -j route show": false, "show ip route | no-more": false, "show route all": false, "netstat -rn": false,
		"display ip routing-table vpn-instance ospf": false, "show interfaces": false, "show ip static neighbours": false, "ip route 10.61.7.0 255.255.255.0 172.28.9.2": false, "ipv6 route fd61::/48 fe80::1": false, "": false, "show routing route": false,
		"show ip route static": true, "show ip route 10.61.7.0": true, "show ip route 10.61.0.0/16 longer-prefixes": true, "show route protocol ospf": true,
		"show ip route | include 10.61": true, "sh ip ro | i 10.61": true, "show route | match 10.61": true, "netstat -rn | grep eth1": true, "ip route get 10.61.7.1": true,
		"ip route show proto static": true, "ip route show dev e0": true, "show ip route vrf red ospf": true, "display ip routing-table protocol static": true, "show route 10.61.7.1": true,
		"birdc show route where net ~ 10.0.0.0/8": true, "show route export core": true, "show route filtered": true, "show route hidden": true, "show route advertising-protocol bgp": true,
		"show ipv6 route fd61::/48": true, "show ip route bgp": true,
	} {
		require.Equal(t, want, asksForPart(command), command)
	}
}
