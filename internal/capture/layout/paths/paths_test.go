package paths

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

const config = `# nov/12/2026 02:11:09 by night
/interface list member
add interface=up0 list=outside
add interface=hall0 list=inside
/interface ethernet
set [ find default-name=p3 ] disabled=yes name=yard0
/ip address
add address=10.61.16.1/24 interface=hall0 network=10.61.16.0
add address=172.28.61.2/30 disabled=no interface=up0
add address=10.61.99.1/24 disabled=yes interface=hall0
/ip firewall address-list
add address=10.61.16.0/25 list=tills
add address=10.61.18.4-10.61.18.5 list=tills
/ip firewall filter
add action=accept chain=forward connection-state=established,related,untracked
add action=drop chain=forward connection-state=invalid
add action=accept chain=forward dst-port=443,8000-8001 in-interface-list=\
    inside protocol=tcp src-address-list=tills comment="tills = work"
add action=accept chain=forward icmp-options=8:0 protocol=icmp
add action=drop chain=forward in-interface=!hall0
add action=jump chain=forward jump-target=odd dst-address=10.61.80.0/24
add chain=forward action=accept disabled=yes
add action=drop chain=forward
add action=drop chain=input in-interface-list=outside
/ip firewall nat
add action=dst-nat chain=dstnat dst-port=80 in-interface=up0 protocol=tcp to-addresses=10.61.16.9 to-ports=8080
add action=masquerade chain=srcnat out-interface-list=outside
/ip route
add distance=20 dst-address=10.61.96.0/20 gateway=172.28.61.1
add gateway=172.28.61.1,up0
add dst-address=10.61.97.0/24 type=blackhole
/ipv6 address add address=fd6b:16::1/64 interface=hall0
`

func TestRead(t *testing.T) {
	in := []byte(config)
	r := layouttest.Laws(t, Read, in)
	require.Empty(t, r.Unread)
	var got []string
	for _, a := range r.Facts.Addresses {
		got = append(got, a.Interface+" "+a.Prefix.String())
	}
	for _, s := range r.Facts.Statics {
		got = append(got, fmt.Sprint(s.Prefix, " ", s.NextHop.Address, " ", s.NextHop.Interface, " ", s.Special, " ", s.Preference.Value))
	}
	require.Equal(t, []string{"hall0 10.61.16.1/24", "up0 172.28.61.2/30", "hall0 fd6b:16::1/64", "10.61.96.0/20 172.28.61.1   20", "0.0.0.0/0 172.28.61.1   0",
		"0.0.0.0/0 invalid IP up0  0", "10.61.97.0/24 invalid IP  blackhole 0"}, got)
	require.Equal(t, network.Interface{Name: "yard0", State: network.LinkDown, Configured: true, Mark: r.Facts.Interfaces[0].Mark}, r.Facts.Interfaces[0])
	require.Equal(t, map[string][]string{
		"ip firewall filter forward": {"permit seen", "deny unseen",
			"permit tcp from 10.61.16.0/25 443-443 in hall0", "permit tcp from 10.61.16.0/25 8000-8001 in hall0",
			"permit tcp from 10.61.18.4/31 443-443 in hall0", "permit tcp from 10.61.18.4/31 8000-8001 in hall0",
			"permit icmp type 8", "deny perhaps", "deny to 10.61.80.0/24 perhaps", "permit to 10.61.80.0/24 perhaps", "deny"},
		"ip firewall filter input": {"deny in up0"},
	}, layouttest.Lists(r.Facts.ListRules))
	require.Equal(t, []string{"ip firewall filter forward 4 hook 0 permit", "ip firewall filter input 4 hook 3 permit"}, layouttest.Applied(r.Facts.Applied))
	require.Len(t, r.Facts.Policy.Translations, 2)
	first := r.Facts.Policy.Translations[0]
	require.Equal(t, "true tcp 80 up0 10.61.16.9 8080", fmt.Sprint(first.Destination, " ", first.Protocol, " ", first.ToPorts.Lo, " ", first.In, " ", first.Becomes, " ", first.BecomesPort))
	require.Equal(t, "up0", r.Facts.Policy.Translations[1].Out)
	require.Greater(t, recognise(in), 20)
	layouttest.Variants(t, Read, config)
}

// TestWhatIsNotRead restricts: marks that choose a table, rules that do, and a line that goes on where the text ends.
func TestWhatIsNotRead(t *testing.T) {
	for text, flows := range map[string]int{
		"/ip firewall mangle\nadd action=mark-routing chain=prerouting in-interface=hall0 new-routing-mark=odd\n": 2,
		"/ip firewall mangle\nadd action=mark-packet chain=prerouting\n":                                          0,
		"/ip ipsec policy\nadd action=discard src-address=10.61.16.0/24\n":                                        4,
		"/ip ipsec policy\nadd action=none src-address=10.61.16.0/24\n":                                           0,
		"/ip ipsec policy\nset 0 dst-address=::/0 src-address=::/0\n":                                             0,
		"/ip hotspot\nadd interface=hall0 name=night\n":                                                           2,
		"/ip hotspot\nadd disabled=yes interface=hall0 name=night\n":                                              0,
		"/interface ethernet switch rule\nadd new-dst-ports=\"\" ports=p3\n":                                      2,
		"/interface bridge filter\nadd action=drop chain=forward\n":                                               2,
		"/ip route rule\nadd src-address=10.61.16.0/24 table=odd\n":                                               4,
		"/ip firewall filter\nadd action=accept chain=forward \\\n":                                               4,
		"/ip settings\nset ip-forward=no rp-filter=strict\n":                                                      0,
	} {
		r := layouttest.Laws(t, Read, []byte(text))
		require.Len(t, r.Facts.Policy.Flows, flows, text)
	}
	r := Read([]byte("/ip settings\nset ip-forward=no rp-filter=strict\n"))
	require.False(t, r.Facts.Forwarding[0].On)
	require.Equal(t, network.CheckStrict, r.Facts.Checks[0].Mode)
	r = Read([]byte("/ip firewall filter\nadd action=drop chain=forward connection-nat-state=!dstnat in-interface=up0\nadd action=accept chain=forward layer7-protocol=odd\n"))
	require.Equal(t, []string{"deny in up0", "permit perhaps"}, layouttest.Lists(r.Facts.ListRules)["ip firewall filter forward"])
	for cond, want := range map[string]string{"protocol=polish": "permit perhaps", "protocol=!tcp": "permit perhaps", "protocol=tcp": "permit tcp", "dst-port=no": "permit perhaps",
		"src-address-list=!tills": "permit perhaps", "icmp-options=odd protocol=icmp": "permit icmp perhaps", "in-interface=!hall0": "permit perhaps", "in-interface-list=nobody": "permit perhaps"} {
		r = Read([]byte("/ip firewall filter\nadd action=accept chain=forward " + cond + "\n"))
		require.Equal(t, []string{want}, layouttest.Lists(r.Facts.ListRules)["ip firewall filter forward"], cond)
	}
	require.Len(t, layouttest.Laws(t, Read, []byte("what is this\n/ip route\nnothing here\n")).Unread, 2)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(config))
	f.Add([]byte(Reader.Sample))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}
