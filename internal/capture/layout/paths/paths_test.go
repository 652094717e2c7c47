package paths

import (
	"fmt"
	"slices"
	"strings"
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

// TestWhatIsNotRead restricts: policies of IPsec, portals, rules for frames, and a line that goes on where the text ends.
func TestWhatIsNotRead(t *testing.T) {
	for text, flows := range map[string]int{
		"/ip firewall mangle\nadd action=mark-packet chain=prerouting\n":     0,
		"/ip ipsec policy\nadd action=discard src-address=10.61.16.0/24\n":   4,
		"/ip ipsec policy\nadd action=none src-address=10.61.16.0/24\n":      0,
		"/ip ipsec policy\nset 0 dst-address=::/0 src-address=::/0\n":        0,
		"/ip hotspot\nadd interface=hall0 name=night\n":                      2,
		"/ip hotspot\nadd disabled=yes interface=hall0 name=night\n":         0,
		"/interface ethernet switch rule\nadd new-dst-ports=\"\" ports=p3\n": 2,
		"/interface ethernet switch acl\nadd action=drop\n":                  2,
		"/interface bridge filter\nadd action=drop chain=forward\n":          2,
		"/ip firewall filter\nadd action=accept chain=forward \\\n":          4,
		"/ip settings\nset ip-forward=no rp-filter=strict\n":                 0,
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
	for _, only := range []string{"fasttrack-connection connection-state=established,related", "log", "add-src-to-address-list"} {
		r = layouttest.Laws(t, Read, []byte("/ip firewall filter\nadd chain=forward action="+only+"\n"))
		require.Empty(t, r.Facts.Applied, only) // it stops no packet of a flow that is asked about
	}
	require.Len(t, layouttest.Laws(t, Read, []byte("what is this\n/ip route\nnothing here\n")).Unread, 2)
}

// TestPoliciesOfRouting: marks and rules that lead to another table; where it is not told which of them counts, packets
// may go elsewhere.
func TestPoliciesOfRouting(t *testing.T) {
	const mark = "add action=mark-routing chain=prerouting new-routing-mark="
	for text, want := range map[string][]string{
		"/ip firewall mangle\n" + mark + "yard in-interface=hall0 src-address=10.61.16.0/24\n":                                        {"permit from 10.61.16.0/24 in hall0 in yard"},
		"/ip firewall mangle\n" + mark + "one\n" + mark + "two protocol=tcp dst-port=443\n":                                           {"permit tcp 443-443 in two", "permit in one"},
		"/ip firewall mangle\n" + mark + "one protocol=udp passthrough=no\n" + mark + "two passthrough=no\n":                          {"permit udp in one", "permit in two"},
		"/ip firewall mangle\n" + mark + "one protocol=udp passthrough=no\n" + mark + "two\n":                                         nil,
		"/ip firewall mangle\nadd action=accept chain=prerouting dst-address=10.61.18.0/24\n" + mark + "two\n":                        nil,
		"/ip firewall mangle\nadd action=mark-connection chain=prerouting new-connection-mark=c\n" + mark + "two connection-mark=c\n": {"permit perhaps in two"},
		"/ip firewall mangle\n" + mark + "one disabled=yes\n" + mark + "two protocol=udp\n":                                           {"permit udp in two"},
		"/ip firewall mangle\nadd action=route chain=prerouting route-dst=10.61.16.9\n":                                               nil,
		"/ip firewall mangle\nadd action=mark-packet chain=prerouting new-packet-mark=p\n":                                            {},
		"/ip route rule\nadd src-address=10.61.16.0/24 table=yard\nadd dst-address=10.61.18.0/24 interface=hall0 action=drop\nadd table=main\n": {
			"permit from 10.61.16.0/24 in yard", "permit to 10.61.18.0/24 in hall0 dropped", "permit"},
		"/routing rule\nadd action=lookup-only-in-table routing-mark=m table=yard\nadd action=unreachable\n": {"permit perhaps in yard", "permit elsewhere"},
		"/ip route rule\nadd table=yard\n/ip firewall mangle\n" + mark + "one\n":                             nil,
	} {
		r := layouttest.Laws(t, Read, []byte(text))
		lists := layouttest.Lists(r.Facts.ListRules)["policies of routing, ipv4"]
		restricted := slices.ContainsFunc(r.Facts.Policy.Flows, func(f network.FlowRule) bool { return f.Hook == network.Steered && f.Undecided })
		require.Equal(t, want == nil, restricted, text)
		require.Equal(t, len(want) > 0, len(r.Facts.Applied) > 0, text)
		require.Equal(t, append([]string{}, want...), append([]string{}, lists...), text)
	}
}

// TestChainsThatLeadToOthers have their rules where both fit.
func TestChainsThatLeadToOthers(t *testing.T) {
	for text, want := range map[string][]string{
		"jump-target=x dst-address=10.61.64.0/24\nadd chain=x action=drop protocol=tcp":  {"deny tcp to 10.61.64.0/24"},
		"jump-target=x protocol=udp\nadd chain=x action=drop protocol=tcp":               nil,
		"jump-target=x\nadd chain=x action=jump jump-target=y\nadd chain=y action=drop":  {"deny"},
		"jump-target=x\nadd chain=x action=return\nadd chain=x action=drop":              nil,
		"jump-target=x\nadd chain=x action=return protocol=tcp\nadd chain=x action=drop": {"deny perhaps"},
		"jump-target=x\nadd chain=x action=drop disabled=yes\nadd chain=x action=accept": {"permit"},
		"jump-target=x": {"deny perhaps", "permit perhaps"},
		"jump-target=x\nadd chain=x action=jump jump-target=x":                         {"deny perhaps", "permit perhaps"},
		"jump-target=x protocol=tcp\nadd chain=x action=jump jump-target=z src-port=7": {"deny tcp 7-7 perhaps", "permit tcp 7-7 perhaps"},
	} {
		r := layouttest.Laws(t, Read, []byte("/ip firewall filter\nadd action=jump chain=forward "+text+"\n"))
		require.Equal(t, want, layouttest.Lists(r.Facts.ListRules)["ip firewall filter forward"], text)
	}
	many := "/ip firewall filter\nadd action=jump chain=forward jump-target=c0\n" // each chain leads a hundred times to the next one
	for i := range 30 {
		many += strings.Repeat(fmt.Sprintf("add action=jump chain=c%d jump-target=c%d\n", i, i+1), 100)
	}
	require.NotEmpty(t, Read([]byte(many)).Facts.ListRules)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(config))
	f.Add([]byte(Reader.Sample))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

func TestGatewaysThatAreChecked(t *testing.T) {
	for check, want := range map[string]network.Tie{
		"": {}, " check-gateway=none": {}, " check-gateway=bfd": {Session: true},
		" check-gateway=ping": {Object: "check-gateway ping"},
	} {
		r := layouttest.Laws(t, Read, []byte("/ip route\nadd dst-address=10.61.96.0/20 gateway=172.28.61.1"+check+"\n"))
		require.Len(t, r.Facts.Statics, 1)
		require.Equal(t, want, r.Facts.Statics[0].Tie, check)
	}
}
