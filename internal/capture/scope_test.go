package capture

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestAsksForPart(t *testing.T) {
	for command, want := range map[string]bool{
		"show ip route | begin Gateway":     false,
		"show ip route | b Gateway of last": false,
		"show ip route | begin 10.61":       true,
		"Get-NetRoute":                      false, "Get-NetRoute -AddressFamily IPv6 | Sort-Object RouteMetric": false, "Get-NetRoute -InterfaceIndex 5": true,
		"Get-NetRoute -AddressFamily IPv4 -DestinationPrefix 10.61.0.0/16": true, "Get-NetRoute | Where-Object NextHop -ne 0.0.0.0": true,
		"show ip route | begin Gateway | include O": true,
		"show ip route": false, "sh ip ro": false, "show ip route vrf red": false, "show ip route vrf static": false, "show route": false, "show route table inet6.0": false,
		"ip route show table all": false, "ip -6 route": false, "ip -j route show": false, "show ip route | no-more": false, "show route all": false, "netstat -rn": false,
		"display ip routing-table vpn-instance ospf": false, "show interfaces": false, "show ip static neighbours": false, "ip route 10.61.7.0 255.255.255.0 172.28.9.2": false, "ipv6 route fd61::/48 fe80::1": false, "": false, "show routing route": false,
		"show ip route static": true, "show ip route 10.61.7.0": true, "show ip route 10.61.0.0/16 longer-prefixes": true, "show route protocol ospf": true,
		"show ip route | include 10.61": true, "sh ip ro | i 10.61": true, "show route | match 10.61": true, "netstat -rn | grep eth1": true, "ip route get 10.61.7.1": true,
		"ip route show proto static": true, "ip route show dev e0": true, "show ip route vrf red ospf": true, "display ip routing-table protocol static": true, "show route 10.61.7.1": true,
		"birdc show route where net ~ 10.0.0.0/8": true, "show route export core": true, "show route filtered": true, "show route hidden": true, "show route advertising-protocol bgp": true,
		// In words of which nobody knows what they do, or that stand in front.
		"show ip route tag 100": true, "show ip route default": true, "show router route-table protocol static": true, "show ospf route": true,
		"show ip static route": true, "show routing route type bgp": true, "show ip cef 10.61.7.0": true, "show iproute origin static": true, "route print 10.61*": true,
		"/ip/route/print where dst-address=10.61.7.0/24": true, "print where gateway=hall0": true, "netstat -rn | grepcidr 10.61.0.0/16": true, "show route | until 10": true,
		"/ip/route/print detail without-paging": false, "/ip route print": false, "print detail": false, "show router route-table": false, "show route forwarding-table family inet": false,
		"get router info routing-table all": false, "get route": false, "show iproute": false, "route print -4": false, "route -n show -inet": false, "show route-map": false,
		`vtysh -c "show ip route vrf red" | less`: false, `birdc "show route all" > x 2>&1`: false, "show router 10 route-table ipv6": false, "show ip route vrf red ipv4 unicast": false,
		"show ip route || true": false, "terminal length 0 ; show ip route": false, "show route | display xml | no-more": false, "netstat -rn 2>/dev/null &": false,
		// iproute's words, whole or shortened.
		"ip r": false, "ip ro ls t 100": false, "ip -4 -o r s": false, "ip -N route": false, "ip -n blue ro": false, "ip netns exec blue /sbin/ip r l vrf red": false, "ip rule": false,
		"sudo watch -n2 'ip route'": false, "ip route | sort | uniq": false, "(ip route; ip addr) > x": false, "ip -j route | jq .": false, "ip -j route | python3 -m json.tool": false,
		"ip r; ip a | grep inet": false, "ip -br l | grep UP && ip route": false, "ip n | head -3; ip r": false,
		"ip r | grep up0; ip a": true, "ip a; ip r | head": true, "ip -n a ro | grep up0": true, "ip -n blue ro | grep up0": true,
		"ip netns exec a ip ro | grep up0": true, "ip -f inet route | tail -2": true, "ip l; ip vrf exec a ip r | head": true,
		"ip r l match 10.61.7.1": true, "ip route list scope link": true, "ip route show type unicast": true, "ip ro sh ex 10/8": true, "ip route show metric 100": true,
		"ip route show cache": true, "ip route list src 10.61.7.1": true, "ip route show default; ip route show 10.61.7.0/24": true, "ip route | uniq -w 7": true,
		"for p in 10.61.7.0/24 default; do ip route show $p; done": true, `ip -j route | jq '.[] | select(.dev == "e0")'`: true, "ip r s table main proto bgp": true,

		"show ipv6 route fd61::/48": true, "show ip route bgp": true,
		"show static-routes": true, "show router static-route": true, "show vrf-routes": false,
	} {
		require.Equal(t, want, asksForPart(command), command)
	}
}

// TestATitleOfOneSource above a table in columns says that other sources' routes are not in it.
func TestATitleOfOneSource(t *testing.T) {
	const rows = "Destination        Next Hop        Interface     Distance\n" +
		"0.0.0.0/0          172.28.61.1     line0         1\n10.61.32.0/24      172.28.61.6     line1         1\n"
	for title, part := range map[string]bool{
		"Static Route Table": true, "Static routes": true, "--- OSPF Routing Table (VRF default) ---": true,
		"Static Route Table (Router: Base)  Family: IPv4": true, "IPv4 Route Table": false, "Static routes: 2": false,
		"static route 0.0.0.0/0 is backed by none": false, "Routing table": false,
	} {
		c, err := Read("n.log", []byte("ridge# show what\n"+title+"\n"+rows+"ridge# \n"), 1)
		require.NoError(t, err)
		require.Equal(t, part, c.Parts[0].Facts.Tables[0].Filtered.Known(), title)
		if part {
			require.Equal(t, title, string(c.Source.Text(c.Parts[0].Facts.Tables[0].Filtered)))
		}
	}
}

// TestAProtocolsOwnListIsWhole: the word for the protocol in front asks for all of its list, and for a part of a
// routing table.
func TestAProtocolsOwnListIsWhole(t *testing.T) {
	for command, want := range map[string]bool{
		"show bgp routing-table": false, "display bgp routing-table": false, "show ip bgp": false,
		"show bgp routing-table 10.61.0.0/16 longer": true, "show bgp routing-table | include 10.61": true,
	} {
		require.Equal(t, want, asksForPartOfOwn(command), command)
	}
	list := "   Network          Next Hop            Metric LocPrf Weight Path\n*> 10.61.9.0/24     172.28.61.1              0             0 65010 i\n"
	for command, want := range map[string]bool{"show bgp routing-table": false, "show bgp routing-table | include 10.61": true} {
		c, err := Read("n.log", []byte("ridge# "+command+"\n"+list+"ridge# \n"), 1)
		require.NoError(t, err)
		require.Len(t, c.Parts[0].Facts.Tables, 1)
		require.Equal(t, want, c.Parts[0].Facts.Tables[0].Filtered.Known(), command)
	}
}

func TestCommandScopes(t *testing.T) {
	for command, want := range map[string]string{
		"show ip route 10.61.7.9":                      "10.61.7.9/32",
		"show route for 10.61.7.9":                     "10.61.7.9/32",
		"show ip route vrf red 10.61.7.9":              "10.61.7.9/32",
		"show ip route 10.61.0.0/16 longer-prefixes":   "10.61.0.0/16",
		"show ip route 10.61.0.0 255.255.0.0 longer":   "10.61.0.0/16",
		"show ip route 10.61.0.0/16":                   "",
		"show ip route 10.61.7.9 | include via":        "",
		"show ip route ospf 10.61.7.9":                 "",
		"show route 10.61.7.9 exact":                   "",
		"ip route get 10.61.7.9":                       "",
		"ip route show match 10.61.7.9":                "",
		"show ip route 10.61.7.9 10.61.7.10":           "",
		"show interfaces 10.61.7.9":                    "",
		"show ip route tag 100 10.61.0.0/16 longer":    "",
		"show route protocol bgp for 10.61.7.9":        "",
		"show router route-table 10.61.0.0/16 longer":  "10.61.0.0/16",
		"display ip routing-table 10.61.7.9 verbose":   "10.61.7.9/32",
		"show ip route 10.61.7.9 255.255.255.0 longer": "10.61.7.0/24",
	} {
		got := ""
		if s := commandScopes(command); len(s) > 0 {
			got = s[0].String()
		}
		require.Equal(t, want, got, command)
	}
}
