package iproute

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

var textTests = []struct {
	name, in string
	want     []string
	unread   []string
}{
	{"routes of several tables and types", `default nhid 28 via 10.61.0.254 dev desk0 proto static metric 20
10.61.0.0/24 dev desk0 proto kernel scope link src 10.61.0.1
10.61.254.2 nhid 44 via 172.28.61.2 dev wan0 proto ospf metric 20
blackhole 10.61.40.0/21 proto static metric 20
local 10.61.0.1 dev desk0 table local proto kernel scope host src 10.61.0.1
broadcast 10.61.0.255 dev desk0 table local proto kernel scope link src 10.61.0.1
10.9.0.0/16 via 10.61.0.9 dev desk0 table 100 onlink
unreachable default dev lo metric 4294967295 error -101 pref medium
default via fe80::1 dev wan0 proto ra metric 1024 expires 1500sec pref medium
10.8.0.0/16 via inet6 fe80::9 dev wan0 linkdown
`, []string{"1 0.0.0.0/0 static -/20 via 10.61.0.254 dev desk0", "2 10.61.0.0/24 direct -/- dev desk0", "3 10.61.254.2/32 ospf -/20 via 172.28.61.2 dev wan0",
		"4 10.61.40.0/21 static -/20 blackhole", "5 10.61.0.1/32 local -/- receive dev desk0", "6 10.61.0.255/32 kernel -/- broadcast dev desk0",
		"10 10.8.0.0/16 static -/- via fe80::9 dev wan0 down", "7 (100) 10.9.0.0/16 static -/- via 10.61.0.9 dev desk0 onlink",
		"8 ::/0 static -/4294967295 unreachable", "9 ::/0 other/kernel protocol ra -/1024 via fe80::1 dev wan0"}, nil},
	{
		"several next hops, none of which has a carrier",
		"10.40.0.0/16 linkdown \n\tnexthop via 172.28.61.2 dev wan0 weight 1 linkdown \n\tnexthop via 172.28.61.22 dev wan1 weight 1 dead linkdown \n10.8.0.0/16 dev t0 scope link\n",
		[]string{
			"1 10.40.0.0/16 static -/- via 172.28.61.2 dev wan0 down via 172.28.61.22 dev wan1 inactive down",
			"4 10.8.0.0/16 static -/- dev t0",
		},
		nil,
	},
	{
		"several next hops on their own lines",
		"10.9.0.0/16 proto ospf metric 20\n\tnexthop via 172.28.61.2 dev wan0 weight 1\n\tnexthop via 172.28.61.22 dev wan1 weight 3 dead linkdown\n10.8.0.0/16 dev t0 scope link\n",
		[]string{
			"1 10.9.0.0/16 ospf -/20 via 172.28.61.2 dev wan0 via 172.28.61.22 dev wan1 weight 3 inactive down",
			"4 10.8.0.0/16 static -/- dev t0",
		},
		nil,
	},
	{
		"a next-hop object, said once more below",
		"unicast 10.9.0.0/16 nhid 7 via 10.0.0.2 dev t0 table main proto boot scope global metric 300 \n nh_info id 7 via 10.0.0.2 dev t0 scope link proto unspec \nunicast 10.8.0.0/16 nhid 7 via 10.0.0.2 dev t0 table main proto boot scope global \\ nh_info id 7 via 10.0.0.2 dev t0 scope link proto unspec \n",
		[]string{"1 10.9.0.0/16 static/kernel protocol boot -/300 via 10.0.0.2 dev t0", "3 10.8.0.0/16 static/kernel protocol boot -/- via 10.0.0.2 dev t0"},
		nil,
	},
	{
		"several next hops on one line",
		"10.9.0.0/16 proto ospf metric 20 \\\tnexthop via 172.28.61.2 dev wan0 weight 1 \\\tnexthop via 172.28.61.22 dev wan1 weight 3 \n10.8.0.0/16 dev t0 scope link \nfd61::/48 metric 300 pref medium\\\tnexthop via fe80::1 dev t0 weight 1 \\\tnexthop via fe80::2 dev t1 weight 1 \n10.7.0.0/16 proto ospf \\\tlost via 172.28.61.2 dev wan0 \n10.6.0.0/16 via 10.0.0.1 dev t0 \\\tnexthop via 10.0.0.2 dev t0 weight 1 \n",
		[]string{
			"1 10.9.0.0/16 ospf -/20 via 172.28.61.2 dev wan0 via 172.28.61.22 dev wan1 weight 3",
			"2 10.8.0.0/16 static -/- dev t0",
			"3 fd61::/48 static -/300 via fe80::1 dev t0 via fe80::2 dev t1",
		},
		[]string{"4 not in the form of this layout", "5 a continuation without a route before it"},
	},
	{
		"routes for some packets only",
		"10.9.0.0/16 tos 0x10 via 10.0.0.2 dev t0 \n10.9.0.0/16 tos 0x08 via 10.0.0.3 dev t0 \ndefault from fd02::/48 via fd00::3 dev t0 metric 1024 pref medium\nfd01::/48 from ::/0 via fd00::2 dev t0 metric 1024 pref medium\n",
		[]string{"4 fd01::/48 static -/1024 via fd00::2 dev t0"},
		[]string{
			"1 a route for some packets only, by their source or type of service",
			"2 a route for some packets only, by their source or type of service",
			"3 a route for some packets only, by their source or type of service",
		},
	},
	{
		"a default route of no family",
		"blackhole default\n",
		nil,
		[]string{"1 a default route that could be of either family"},
	},
	{
		"bad values cost their line",
		"10.9.0.0/33 via 10.0.0.1 dev t0\n10.9.0.0/16 via 10.0.0.300 dev t0\n10.9.0.0/16 via 10.0.0.1 dev t0 metric -4\n10.8.0.0/16 via 10.0.0.1 dev t0\nError: something\n",
		[]string{"4 10.8.0.0/16 static -/- via 10.0.0.1 dev t0"},
		[]string{
			`1 prefix length out of range: "10.9.0.0/33"`,
			`2 not an address: "10.0.0.300"`,
			`3 not a number in range: "-4"`,
			"5 not in the form of this layout",
		},
	},
}

func TestReadText(t *testing.T) {
	for _, tt := range textTests {
		t.Run(tt.name, func(t *testing.T) {
			in := []byte(tt.in)
			r := layouttest.Laws(t, ReadText, in)
			require.Equal(t, tt.want, layouttest.Words(in, r))
			require.Equal(t, tt.unread, layouttest.Unread(in, r))
			layouttest.Variants(t, ReadText, tt.in)
			require.Positive(t, recogniseText(in))
		})
	}
}

const links = `1: lo: <LOOPBACK,UP,LOWER_UP> mtu 65536 qdisc noqueue state UNKNOWN group default qlen 1000
    link/loopback 00:00:00:00:00:00 brd 00:00:00:00:00:00
    inet 127.0.0.1/8 scope host lo
       valid_lft forever preferred_lft forever
2: desk0@if7: <BROADCAST,MULTICAST,UP,LOWER_UP> mtu 1500 qdisc noqueue state UP group default qlen 1000
    link/ether 02:6B:6a:01:00:01 brd ff:ff:ff:ff:ff:ff link-netnsid 0
    inet 10.61.0.1/24 brd 10.61.0.255 scope global desk0
       valid_lft forever preferred_lft forever
    inet6 fd6b::1/64 scope global dadfailed tentative
       valid_lft forever preferred_lft forever
3: t0: <NO-CARRIER,UP> mtu 1500 qdisc noqueue state DOWN
    link/ether 02:6b:6a:01:00:02 brd ff:ff:ff:ff:ff:ff
    inet 10.99.0.1 peer 10.99.0.2/32 scope global t0
`

func TestLinkText(t *testing.T) {
	for _, tt := range []struct {
		in   string
		want []string
	}{
		{links, []string{"lo 127.0.0.1/8", "desk0 10.61.0.1/24", "t0 10.99.0.1/32", "lo 1 00:00:00:00:00:00", "desk0 1 02:6b:6a:01:00:01", "t0 2 02:6b:6a:01:00:02"}},
		{"lo               UNKNOWN        127.0.0.1/8 ::1/128 \ndesk0@if7        UP             10.61.0.1/24 fd6b::1/64 \nt0               DOWN           \n",
			[]string{"lo 127.0.0.1/8", "lo ::1/128", "desk0 10.61.0.1/24", "desk0 fd6b::1/64", "lo 0 ", "desk0 1 ", "t0 2 "}},
	} {
		require.Positive(t, recogniseText([]byte(tt.in)))
		r := layouttest.Laws(t, ReadText, []byte(tt.in))
		require.Empty(t, r.Unread)
		var got []string
		for _, a := range r.Facts.Addresses {
			got = append(got, a.Interface+" "+a.Prefix.String())
		}
		for _, i := range r.Facts.Interfaces {
			got = append(got, fmt.Sprint(i.Name, " ", i.State, " ", i.MAC))
		}
		require.Equal(t, tt.want, got)
		layouttest.Variants(t, ReadText, tt.in)
	}
}

func TestNeighbourAndRuleText(t *testing.T) {
	in := []byte(
		"10.61.0.254 dev desk0 FAILED \n10.61.0.31 dev desk0 lladdr 02:AA REACHABLE \nfe80::1 dev wan0 lladdr 02:bb router proto zebra STALE\n" +
			"10.61.0.32 dev desk0 lladdr 02:ab PERMANENT \n" +
			"0:\tfrom all lookup local\n100:\tfrom 10.9.0.0/16 to 10.8.0.0/16 iif d0 [detached] lookup 100\n102:\tfrom all fwmark 0x5 lookup 100\n103:\tfrom 10.7.0.1 blackhole\n105:\tnot from 10.6.0.0/16 lookup 100\n108:\tfrom all goto 32766\n109:\tfrom all ipproto tcp sport 9-10 dport 443 lookup 100\n110:\tfrom all fwmark 0x2/0xff lookup main suppress_prefixlength 0\n111:\tfrom all oif d0 lookup 100\n112:\tfrom all nop\n113:\tfrom 10.5.0.0/16 7\n114:\tfrom 10.5.0.0/16 frobnicate\n115:\tfrom 10.5.0.0/16 lookup 100 realms 5/6 proto bgp\n32766:\tfrom all lookup main proto kernel\n",
	)
	r := layouttest.Laws(t, ReadText, in)
	require.Empty(t, r.Unread)
	var got []string
	for _, n := range r.Facts.Neighbours {
		require.Equal(t, n.MAC == "02:ab", n.Written)
		got = append(got, fmt.Sprint(n.Address, " ", n.State, " ", n.MAC))
	}
	require.Equal(t, []string{"10.61.0.254 2 ", "10.61.0.31 1 02:aa", "fe80::1 1 02:bb", "10.61.0.32 1 02:ab"}, got)
	require.Equal(t, []string{
		"100 from 10.9.0.0/16 to 10.8.0.0/16 iif d0 table 100", "102 mark 0x5/0xffffffff table 100", "103 from 10.7.0.1/32 action 1",
		"105 not from 10.6.0.0/16 table 100", "108 action 4", "109 proto tcp sport 9-10 dport 443-443 table 100", "110 mark 0x2/0xff suppress 1 table default",
		"111 undecided table 100", "112 table ", "113 from 10.5.0.0/16 action 2", "114 from 10.5.0.0/16 undecided action 4", "115 from 10.5.0.0/16 table 100",
		"32766 table default",
	}, rulesOf(r))
}

func TestRulesGetTheFamilyOfTheirListing(t *testing.T) {
	four := "0:\tfrom all lookup local\n1000:\tfrom all iif e10 lookup 77\n32766:\tfrom all lookup main\n32767:\tfrom all lookup default\n"
	six := "0:\tfrom all lookup local\n1000:\tfrom all iif e10 lookup 77\n32766:\tfrom all lookup main\n"
	some := "1000:\tfrom all iif e10 lookup 77\n"
	for in, want := range map[string]string{
		four: "[ipv4 ipv4 ipv4]", six: "[ipv6 ipv6]", four + six: "[ipv4 ipv4 ipv4 ipv6 ipv6]", some: "[0 0 0]",
		some + "1001:\tfrom 10.1.0.0/16 lookup 77\n": "[ipv4 ipv4 ipv4 ipv4]",
	} {
		var got []string
		for _, r := range ReadText([]byte(in)).Facts.Rules {
			if f := r.Family; f == 0 {
				got = append(got, "0")
			} else {
				got = append(got, f.String())
			}
		}
		require.Equal(t, want, fmt.Sprint(got), in)
	}
}

// TestRulesThatAListingLacks: a listing without the rule for the local table has lost its begin, one that never leads to
// the main table a line; what stands in their place is not known.
func TestRulesThatAListingLacks(t *testing.T) {
	const local, main, last = "0:\tfrom all lookup local\n", "32766:\tfrom all lookup main\n", "32767:\tfrom all lookup default\n"
	for in, want := range map[string][]string{
		local + main + last: {"32766 table default", "32767 table 253"},
		main + last:         {"0 undecided action 4", "32766 table default", "32767 table 253"},
		local + last:        {"32767 table 253", "32766 undecided action 4"},
		local + "1000:\tfrom 10.1.0.0/16 lookup 77\n": {"1000 from 10.1.0.0/16 table 77", "32766 undecided action 4"},
		local + "1000:\tfrom all lookup main\n":       {"1000 table default"},
	} {
		require.Equal(t, want, rulesOf(ReadText([]byte(in))), in)
	}
}

func TestAPrefixAloneIsARouteOnlyWithItsNextHops(t *testing.T) {
	in := []byte(
		"10.61.40.0/23 \n\tnexthop via 172.28.11.2 dev e11 weight 1 \n\tnexthop via 172.28.12.2 dev e12 weight 1 \n10.61.48.0/23\n10.61.56.0/23 via 172.28.11.1 dev e11\n",
	)
	r := layouttest.Laws(t, ReadText, in)
	require.Equal(
		t,
		[]string{
			"1 10.61.40.0/23 static -/- via 172.28.11.2 dev e11 via 172.28.12.2 dev e12",
			"5 10.61.56.0/23 static -/- via 172.28.11.1 dev e11",
		},
		layouttest.Words(in, r),
	)
	require.Equal(t, []string{"4 not in the form of this layout"}, layouttest.Unread(in, r))
}

// TestAnAddressAndAnInterfaceAlone are neither a route nor what is known of a neighbour; a prefix or the default is a
// route.
func TestAnAddressAndAnInterfaceAlone(t *testing.T) {
	for line, routes := range map[string]int{"10.61.9.9 dev up0": 0, "10.61.9.0/24 dev up0": 1, "default dev up0": 1, "10.61.9.9 dev up0 scope link": 1, "10.61.9.9 via 172.28.61.1 dev up0": 1} {
		r := layouttest.Laws(t, ReadText, []byte("10.61.16.0/24 dev lan0 proto kernel scope link src 10.61.16.1\n"+line+"\n"))
		n := -1
		for _, table := range r.Facts.Tables {
			n += table.Routes.Len()
		}
		require.Equal(t, routes, n, line)
		require.Len(t, r.Unread, 1-routes, line)
	}
}

func TestTunnels(t *testing.T) {
	text := "7: tun0@NONE: <POINTOPOINT,NOARP,UP,LOWER_UP> mtu 1480 qdisc noqueue state UNKNOWN mode DEFAULT group default qlen 1000\n    link/ipip 172.28.61.1 peer 172.28.61.6\n" +
		"8: open0@NONE: <NOARP,UP,LOWER_UP> mtu 1480 qdisc noqueue state UNKNOWN mode DEFAULT group default qlen 1000\n    link/gre 172.28.61.1 brd 0.0.0.0\n"
	r := layouttest.Laws(t, ReadText, []byte(text))
	require.Len(t, r.Facts.Policy.Tunnels, 1)
	require.Equal(
		t,
		"tun0 172.28.61.1 172.28.61.6",
		fmt.Sprint(
			r.Facts.Policy.Tunnels[0].Interface,
			" ",
			r.Facts.Policy.Tunnels[0].Local,
			" ",
			r.Facts.Policy.Tunnels[0].Remote,
		),
	)
	doc := `[{"ifindex":7,"ifname":"tun0","flags":["POINTOPOINT","NOARP","UP","LOWER_UP"],"operstate":"UNKNOWN","link_type":"gre","address":"172.28.61.1","link_pointtopoint":true,"broadcast":"172.28.61.6"},` +
		`{"ifindex":2,"ifname":"hall0","flags":["BROADCAST","UP"],"link_type":"ether","address":"02:00:00:00:00:01","broadcast":"ff:ff:ff:ff:ff:ff"}]`
	r = layouttest.Laws(t, Read, []byte(doc))
	require.Len(t, r.Facts.Policy.Tunnels, 1)
	require.Equal(t, "172.28.61.6", r.Facts.Policy.Tunnels[0].Remote.String())
}

func FuzzReadText(f *testing.F) {
	for _, tt := range textTests {
		f.Add([]byte(tt.in))
	}
	f.Add([]byte(links))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, ReadText, in) })
}

// TestOneLine reads what ip -o prints: what stands on lines below otherwise stands behind a backslash.
func TestOneLine(t *testing.T) {
	in := `1: lo    inet 127.0.0.1/8 scope host lo\       valid_lft forever preferred_lft forever
4: hall0    inet 10.61.16.1/24 brd 10.61.16.255 scope global hall0\       valid_lft forever preferred_lft forever
4: hall0    inet6 fd6b:16::1/64 scope global dadfailed tentative \       valid_lft forever preferred_lft forever
4: hall0    inet6 fe80::1/64 scope link \       valid_lft forever preferred_lft forever
6: tun0    inet 172.28.61.18 peer 172.28.61.17/32 scope global tun0\       valid_lft forever preferred_lft forever
5: up0@if7: <BROADCAST,MULTICAST,UP,LOWER_UP> mtu 1500 qdisc noqueue state UP mode DEFAULT \    link/ether 02:00:5E:00:00:05 brd ff:ff:ff:ff:ff:ff
7: up1: <BROADCAST,MULTICAST> mtu 1500 qdisc noop state DOWN \    link/ether 02:00:5e:00:00:07 brd ff:ff:ff:ff:ff:ff
`
	r := layouttest.Laws(t, ReadText, []byte(in))
	require.Empty(t, r.Unread)
	var got []string
	for _, a := range r.Facts.Addresses {
		got = append(got, a.Prefix.String()+" "+a.Interface)
	}
	require.Equal(t, []string{"127.0.0.1/8 lo", "10.61.16.1/24 hall0", "fe80::1/64 hall0", "172.28.61.18/32 tun0"}, got)
	up := r.Facts.Interfaces[len(r.Facts.Interfaces)-2:]
	require.Equal(t, "up0 1 02:00:5e:00:00:05", fmt.Sprint(up[0].Name, " ", up[0].State, " ", up[0].MAC))
	require.Equal(t, network.LinkDown, up[1].State)
	require.Equal(t, 7, recogniseText([]byte(in)))
	layouttest.Variants(t, ReadText, in)
}

// TestRulesBeforeOwnAddresses: those with a smaller priority than the first rule for the local table that is for all
// packets; what asks for a VRF's table is for packets of none other.
func TestRulesBeforeOwnAddresses(t *testing.T) {
	const main, last = "32766:\tfrom all lookup main\n", "32767:\tfrom all lookup default\n"
	for in, want := range map[string][]uint32{
		"0:\tfrom all lookup local\n100:\tfrom 10.9.0.0/16 lookup 77\n" + main + last:                                                          nil,
		"100:\tfrom 10.9.0.0/16 lookup 77\n200:\tfrom all lookup local\n300:\tfrom all lookup 78\n" + main + last:                              {100},
		"100:\tfrom 10.9.0.0/16 lookup 77\n200:\tfrom 10.8.0.0/16 lookup local\n300:\tfrom all lookup local\n" + main + last:                   {100},
		"100:\tfrom 10.9.0.0/16 lookup 77\n200:\tfrom all iif e0 lookup local\n210:\tfrom all lookup 78\n300:\tfrom all lookup local\n" + main: {100, 210},
		"100:\tfrom 10.9.0.0/16 lookup 77\n200:\tfrom all lookup local\n210:\tfrom all lookup 78\n300:\tfrom all lookup local\n" + main:        {100},
		"1000:\tfrom all lookup [l3mdev-table]\n32765:\tfrom all lookup local\n" + main + last:                                                 nil,
	} {
		var got []uint32
		for _, r := range layouttest.Laws(t, ReadText, []byte(in)).Facts.Rules {
			if r.BeforeOwn {
				got = append(got, r.Priority)
			}
		}
		require.Equal(t, want, got, in)
	}
	vrf := rulesOf(layouttest.Laws(t, ReadText, []byte("1000:\tfrom all lookup [l3mdev-table]\n32765:\tfrom all lookup local\n"+main+last)))
	require.Equal(t, "1000 undecided table ", vrf[0], "whose table that is, the packet tells")
}

// TestRulesForOwnPackets: an interface that a socket is bound to only those have; what a rule is not for says nothing of
// that, and whose a packet is a kernel says of those that it forwards too.
func TestRulesForOwnPackets(t *testing.T) {
	in := "0:\tfrom all lookup local\n10:\tfrom all oif e0 lookup 77\n20:\tfrom all uidrange 0-10 lookup 77\n" +
		"30:\tnot from all oif e0 lookup 77\n40:\tfrom all iif e0 lookup 77\n32766:\tfrom all lookup main\n"
	var got []bool
	for _, r := range layouttest.Laws(t, ReadText, []byte(in)).Facts.Rules {
		got = append(got, r.Own)
	}
	require.Equal(t, []bool{true, false, false, false, false}, got)
}
