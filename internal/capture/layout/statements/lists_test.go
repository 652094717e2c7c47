package statements

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

// TestRulesOfLists: each way in which a list of rules is written.
func TestRulesOfLists(t *testing.T) {
	for text, want := range map[string][]string{
		"access-list 101 permit tcp 10.61.16.0 0.0.0.255 any eq www": {"permit tcp from 10.61.16.0/24 80-80"},
		"access-list 7 deny 10.61.16.9":                              {"deny from 10.61.16.9/32"},
		"access-list 7 permit any log":                               {"permit"},
		"access-list NIGHT extended permit tcp host 10.61.16.9 10.61.80.0 255.255.255.0 range 8000 8010":   {"permit tcp from 10.61.16.9/32 to 10.61.80.0/24 8000-8010"},
		"access-list NIGHT line 3 extended deny ip any4 any (hitcnt=14) 0x8d12a3f0":                        {"deny from 0.0.0.0/0"},
		"access-list NIGHT extended permit ip 10.61.16.9 255.255.255.255 any":                              {"permit from 10.61.16.9/32"},
		"access-list NIGHT extended permit ip 8.0.0.0 3.255.255.255 any":                                   {"permit from 8.0.0.0/6"},
		"access-list NIGHT extended permit ip any any inactive":                                            nil,
		"access-list NIGHT remark permit ip any any":                                                       nil,
		"ip access-list extended NIGHT\n 10 permit udp any gt 1023 host 10.61.80.9 eq domain ntp":          {"permit udp 1024-65535 to 10.61.80.9/32 53-53", "permit udp 1024-65535 to 10.61.80.9/32 123-123"},
		"ip access-list extended NIGHT\n permit tcp any any established\n deny icmp any any echo":          {"permit tcp answers", "deny icmp type 8"},
		"ip access-list standard NIGHT\n deny   host 10.61.16.9\n permit 10.61.16.0 0.0.3.255":             {"deny from 10.61.16.9/32", "permit from 10.61.16.0/22"},
		"ip access-list NIGHT\n  statistics per-entry\n  10 permit tcp 10.61.16.0/24 10.61.80.0/24 neq 23": {"permit tcp from 10.61.16.0/24 to 10.61.80.0/24 0-22", "permit tcp from 10.61.16.0/24 to 10.61.80.0/24 24-65535"},
		"ipv6 access-list NIGHT\n sequence 10 permit tcp any any\n permit icmp any any echo-request":       {"permit tcp", "permit icmpv6 type 128"},
		"ip access-list extended NIGHT\n seq 5 deny tcp any any eq 23\n seq 10 permit ip any any":          {"deny tcp 23-23", "permit"},
		"IPv6 access list NIGHT\n    permit tcp any any eq bgp (8 matches) sequence 10\n    deny ipv6 any any sequence 20": {
			"permit tcp 179-179", "deny"},
		"ipv6 access-list NIGHT\n sequence permit tcp any any":                                                     {"permit perhaps", "deny perhaps"},
		"Extended IP access list NIGHT\n    10 permit tcp any any eq 443 (25 matches)\n    20 deny ip any any log": {"permit tcp 443-443", "deny"},
		"Standard IP access list 7\n    10 permit 10.61.16.0, wildcard bits 0.0.0.255 (3 matches)":                 {"permit from 10.61.16.0/24"},
		"acl number 3001\n rule 5 permit tcp source 10.61.16.0 0.0.0.255 destination 10.61.80.9 0 destination-port eq 443\n rule 10 deny ip": {
			"permit tcp from 10.61.16.0/24 to 10.61.80.9/32 443-443", "deny"},
		"acl name NIGHT\n rule 5 permit icmp source 10.61.16.9 0 icmp-type echo\n rule 7 deny": {"permit icmp type 8 from 10.61.16.9/32", "deny"},
		// what is not understood may fit, whatever it does
		"ip access-list extended NIGHT\n permit tcp any any eq 22 time-range DAY": {"permit tcp 22-22 perhaps"},
		"ip access-list extended NIGHT\n permit tcp any any dscp ef":              {"permit tcp perhaps"},
		"ip access-list extended NIGHT\n evaluate ODD":                            {"permit perhaps", "deny perhaps"},
		"ip access-list extended NIGHT\n permit ip any 10.61.16.0":                {"permit perhaps"},
		"ip access-list extended NIGHT\n permit":                                  {"permit perhaps", "deny perhaps"},
		"ip access-list extended NIGHT\n permit tcp any":                          {"permit perhaps", "deny perhaps"},
		"ip access-list extended NIGHT\n permit tcp any host depot.example eq 22": {"permit tcp 22-22 perhaps"},
		"access-list 101 permit ip 10.61.16.0 0.0.0.254 any":                      {"permit perhaps"},
		"access-list 101 permit tcp any any eq nothing-known":                     {"permit tcp perhaps"},
	} {
		in := []byte(text + "\n")
		r := layouttest.Laws(t, Read, in)
		var got []string
		for _, rules := range layouttest.Lists(r.Facts.ListRules) {
			require.Nil(t, got, text)
			got = rules
		}
		require.Equal(t, want, got, text)
		if len(want) > 0 {
			require.Positive(t, recognise(in), text)
		}
	}
}

// TestGroups: members of groups, groups in groups, and groups that nothing tells.
func TestGroups(t *testing.T) {
	in := []byte(`object-group network TILLS
 description of the valley
 network-object host 10.61.16.9
 network-object 10.61.17.0 255.255.255.0
 group-object MASTS
object-group network MASTS
 network-object object ONE
object network ONE
 range 10.61.18.4 10.61.18.5
object-group service WEB tcp
 port-object eq www
 port-object range 8000 8001
object-group service BOTH
 service-object tcp destination eq 22
 service-object udp source eq 53
 service-object icmp echo
object-group network ROUND
 group-object ROUND
 network-object host 10.61.19.1
access-list A extended permit tcp object-group TILLS any object-group WEB
access-list B extended permit object-group BOTH any object ONE
access-list C extended permit ip object-group NOWHERE any
access-list D extended permit ip object-group ROUND any
`)
	r := layouttest.Laws(t, Read, in)
	from := []string{"10.61.16.9/32", "10.61.17.0/24", "10.61.18.4/31"}
	var a []string
	for _, f := range from {
		a = append(a, "permit tcp from "+f+" 80-80", "permit tcp from "+f+" 8000-8001")
	}
	require.Equal(t, map[string][]string{
		"A": a,
		"B": {"permit tcp to 10.61.18.4/31 22-22", "permit udp 53-53 to 10.61.18.4/31", "permit icmp type 8 to 10.61.18.4/31"},
		"C": {"permit perhaps"},
		"D": {"permit perhaps"},
	}, layouttest.Lists(r.Facts.ListRules))
}

// TestLevels: where no list is applied, packets pass to lower levels, and to equal ones where that is said.
func TestLevels(t *testing.T) {
	text := "interface p0\n nameif in\n security-level 100\n ip address 10.61.16.1 255.255.255.0\ninterface p1\n nameif out\n security-level 0\n ip address 172.28.61.2 255.255.255.252\n" +
		"interface p2\n nameif mid\n security-level 50\ninterface p3\n nameif odd\naccess-list A extended permit ip any any\naccess-group A in interface mid\n"
	r := layouttest.Laws(t, Read, []byte(text))
	levels := layouttest.Lists(r.Facts.ListRules)
	maps.DeleteFunc(levels, func(list string, _ []string) bool {
		return strings.HasPrefix(list, "ICMP") || strings.HasPrefix(list, "what")
	})
	require.Equal(t, map[string][]string{
		"A":             {"permit"},
		"levels of in":  {"deny in in out in", "permit in in out out", "permit in in out mid", "deny in in out odd perhaps", "permit in in out odd perhaps"},
		"levels of out": {"deny in out out in", "deny in out out out", "deny in out out mid", "deny in out out odd perhaps", "permit in out out odd perhaps"},
		"levels of odd": {"deny in odd out in perhaps", "permit in odd out in perhaps", "deny in odd out out perhaps", "permit in odd out out perhaps",
			"deny in odd out mid perhaps", "permit in odd out mid perhaps", "deny in odd out odd perhaps", "permit in odd out odd perhaps"},
	}, levels)
	require.True(t, r.Facts.Policy.Stateful.Known() || r.Facts.Policy.Stateful.End > 0)
	require.Equal(t, "mid", r.Facts.Applied[0].Rule.In)
	require.Equal(t, []string{
		"A 0 hook 0 deny in mid", "levels of in 0 hook 0 deny in in", "levels of out 0 hook 0 deny in out", "levels of odd 0 hook 0 deny in odd",
		"ICMP of A 0 hook 0 deny icmp in mid", "ICMP of levels of in 0 hook 0 deny icmp in in", "ICMP of levels of out 0 hook 0 deny icmp in out",
		"ICMP of levels of odd 0 hook 0 deny icmp in odd",
	}, layouttest.Applied(r.Facts.Applied)[:8], "answers of ICMP are not known by themselves")
	require.Equal(t, []string{"permit icmp"}, layouttest.Lists(r.Facts.ListRules)["ICMP of A"], "the list holds for them once more")
	require.Len(t, r.Facts.Applied, 12)
	require.Equal(t, []string{"deny to 172.28.61.2/32", "permit icmp type 8", "permit perhaps"}, layouttest.Lists(r.Facts.ListRules)["what is for the device itself by in"],
		"an interface answers for its own address alone")
	for line, want := range map[string]bool{"icmp permit any in\n": false, "icmp deny any out\n": false, "logging permit any in\n": true} {
		r := layouttest.Laws(t, Read, []byte(text+line))
		require.Equal(t, want, slices.Contains(layouttest.Lists(r.Facts.ListRules)["what is for the device itself by in"], "permit icmp type 8"), line)
	}
}

// TestAnAddressThatIsNone: nothing of the rule is understood then, not even whether it is for addresses.
func TestAnAddressThatIsNone(t *testing.T) {
	for rule, want := range map[string][]string{
		"access-list 107 permit ip banana any\n":             {"permit perhaps", "deny perhaps"},
		"access-list 107 permit ip any 10.61.16.0/99\n":      {"permit perhaps", "deny perhaps"},
		"access-list 107 deny ip host nobody any\n":          {"deny perhaps"},
		"access-list 107 deny ip 10.61.16.0 0.0.0.255 any\n": {"deny from 10.61.16.0/24"},
	} {
		r := layouttest.Laws(t, Read, []byte(rule))
		require.Equal(t, want, layouttest.Lists(r.Facts.ListRules)["107"], rule)
	}
}

// TestWhatHangsOnOtherTables: an entry that is opened for some, a redirection, rules by groups, translations without
// sides, limits that drop all.
func TestWhatHangsOnOtherTables(t *testing.T) {
	r := layouttest.Laws(t, Read, []byte("access-list 101 dynamic NIGHT permit ip any any\naccess-list 101 deny ip any any\n"))
	require.Equal(t, []string{"permit perhaps", "deny perhaps", "deny"}, layouttest.Lists(r.Facts.ListRules)["101"])
	for text, want := range map[string]bool{
		"interface up0\n ip wccp 61 redirect in\n":                                                                                   true,
		"interface up0\n ip wccp 61 group-listen\n":                                                                                  false,
		"interface up0\n ip vrf select source\n":                                                                                     true,
		"interface up0\n cts role-based enforcement\n":                                                                               true,
		"cts role-based enforcement\ninterface up0\n":                                                                                true,
		"cts role-based permissions from 7 to 8 NIGHT\ninterface up0\n":                                                              false,
		"interface up0\n ip nat enable\nip nat source list 7 interface up1 overload\n":                                               true,
		"policy-map P\n class C\n  police 8000 conform-action drop exceed-action drop\ninterface up0\n service-policy input P\n":     true,
		"policy-map P\n class C\n  police 8000 conform-action transmit exceed-action drop\ninterface up0\n service-policy input P\n": false,
	} {
		r := layouttest.Laws(t, Read, []byte(text))
		got := slices.ContainsFunc(r.Facts.Policy.Flows, func(f network.FlowRule) bool {
			return f.Undecided && f.NotRead && (f.In == "up0" || f.In == "" && f.Out == "")
		})
		require.Equal(t, want, got, text)
	}
}

// TestLinesThatNameAnInterface: what stands outside of its block decides over its packets all the same.
func TestLinesThatNameAnInterface(t *testing.T) {
	const text = "interface p0\n nameif hall\n ip address 10.61.16.1 255.255.255.0\ninterface p1\n nameif up\n ip address 172.28.61.2 255.255.255.252\n"
	for line, want := range map[string][]string{
		"crypto map M interface up\n":                                       {" up"},
		"crypto map M 10 match address X\n":                                 nil,
		"wccp interface hall 61 redirect in\n":                              {"hall "},
		"nat (hall) 1 10.61.16.0 255.255.255.0\n":                           {"hall ", " hall"},
		"global (up) 1 interface\n":                                         {"up ", " up"},
		"static (hall,up) 172.28.61.3 10.61.16.9\n":                         {" up", "up "},
		"nat-control\n":                                                     {" "},
		"policy-map P\n class C\n  drop\nservice-policy P interface hall\n": {"hall ", " hall"},
		"policy-map P\n class C\n  drop\nservice-policy P global\n":         {" ", " "},
		"policy-map P\n class C\n  inspect dns\nservice-policy P global\n":  nil,
		"interface p2\n nameif desk\n management-only\n":                    {"desk ", " desk"},
		"interface p0\n management-only\n":                                  {"hall ", " hall"},
		"interface p2\n nameif desk\n policy-route route-map NOBODY\n":      {"desk "},
	} {
		r := layouttest.Laws(t, Read, []byte(text+line))
		var got []string
		for _, f := range r.Facts.Policy.Flows {
			if f.NotRead && !f.Permit && f.Hook != network.ForItself || f.Hook == network.Steered && f.Undecided {
				got = append(got, f.In+" "+f.Out)
			}
		}
		require.Equal(t, want, got, line)
	}
	r := layouttest.Laws(t, Read, []byte(text+"ip verify reverse-path interface up\n"))
	require.Equal(t, "up", r.Facts.Checks[0].Interface)
	require.Equal(t, network.CheckStrict, r.Facts.Checks[0].Mode)
}

// TestOtherWordsForWhatDecides: of systems that call translations, policies and checks otherwise.
func TestOtherWordsForWhatDecides(t *testing.T) {
	for text, want := range map[string][]string{
		"interface up0\n ipsec policy P\n":                                                          {"up0 ", " up0"},
		"interface up0\n ip nat source dynamic access-list X overload\n":                            {"up0 ", " up0"},
		"interface up0\n ip policy-based-route R\n":                                                 {"up0 "},
		"interface up0\n epbr ip policy P\n":                                                        {"up0 "},
		"interface up0\n qos car inbound acl 3001 cir 8 red discard yellow discard green discard\n": {"up0 "},
		"interface up0\n qos car inbound acl 3001 cir 8 red discard yellow pass green pass\n":       nil,
		"interface up0\n ip redirect-group P\n":                                                     {"up0 "},
		"interface up0\n apply policy P routed-in\n":                                                {"up0 ", " up0"},
		"policy-based-route\n rule name x\n  action pbr next-hop 10.61.16.9\n":                      {" "},
		"management ssh\n ip access-group A in\n":                                                   nil,
		"system control-plane\n ip access-group A in\n":                                             {" "},
		"lost\n ip access-group A in\n":                                                             {" "},
		"router lisp\n ipv4 itr\n":                                                                  {" "},
		"interface up0\n traffic-redirect inbound acl 3000 ip-nexthop 172.28.61.9\n":                {"up0 "},
		"interface up0\n qos apply policy P inbound\n":                                              {"up0 "},
		"interface up0\n qos apply policy P outbound\n":                                             {" up0"},
		"interface up0\n access-list X in\n":                                                        {"up0 "},
		"interface up0\n ip source check user-bind enable\n":                                        {"up0 "},
		"#\nnat-policy\n rule name x\n  action source-nat easy-ip\n":                                {" "},
		"#\nnat static outbound 10.61.16.9 172.28.61.9\n":                                           {" "},
		"firewall zone trust\n add interface up0\n":                                                 {"up0 ", " up0"},
		"security-zone name Trust\n import interface up0\n":                                         {"up0 ", " up0"},
		"zone-pair security source any destination any\n object-policy apply ip P\n":                {" "},
		"router segment-security\n   vrf default\n":                                                 {" "},
		"interface up0\n ip rpf-mode strict\n":                                                      {"up0 ", " up0"},
		"interface up0\n ip source guard\n":                                                         {"up0 ", " up0"},
		"interface up0\n ip traffic-group 7 in\n":                                                   {"up0 "},
		"interface up0\n ip pbr P\n":                                                                {"up0 "},
		"interface up0\n ip policy P\n":                                                             {"up0 "},
		"interface up0\n ip vrf sitemap S\n":                                                        {"up0 ", " up0"},
		"interface up0\n security-zone inside\n":                                                    {"up0 ", " up0"},
		"interface up0\n rule-set R in\n":                                                           {"up0 "},
		"interface up0\n spanning-tree guard root\n":                                                nil,
		"interface up0\n!\nip up0 secure filter in 10 20\n":                                         {"up0 "},
		"interface up0\n!\nip up0 secure filter out 10 20\n":                                        {" up0"},
		"interface up0\n undo shutdown\n":                                                           nil,
	} {
		r := layouttest.Laws(t, Read, []byte(text))
		var got []string
		for _, f := range r.Facts.Policy.Flows {
			if f.Undecided {
				got = append(got, f.In+" "+f.Out)
			}
		}
		require.Equal(t, want, slices.Compact(got), text)
	}
	for line, want := range map[string]network.CheckMode{"urpf strict": network.CheckStrict, "ip urpf loose": network.CheckLoose} {
		r := layouttest.Laws(t, Read, []byte("interface up0\n "+line+"\n"))
		require.Equal(t, want, r.Facts.Checks[0].Mode, line)
	}
	for line, want := range map[string]bool{"urpf strict": true, "urpf strict allow-default-route": false, "ip verify unicast source reachable-via rx": true,
		"ip verify unicast source reachable-via any allow-default": false, "ipv4 verify unicast source reachable-via rx": true} {
		r := layouttest.Laws(t, Read, []byte("interface up0\n "+line+"\n"))
		require.Equal(t, want, r.Facts.Checks[0].NotByDefault, line)
	}
	for line, want := range map[string]string{"urpf strict": "6 usual, 4 sure", "ip urpf strict": "4 sure", "ipv6 urpf strict": "6 sure",
		"ipv4 verify unicast source reachable-via rx": "4 sure", "ipv6 verify unicast source reachable-via any": "6 sure"} {
		r := layouttest.Laws(t, Read, []byte("interface up0\n "+line+"\n"))
		var got []string
		for _, c := range r.Facts.Checks {
			got = append(got, fmt.Sprint(int(c.Family), map[bool]string{true: " usual", false: " sure"}[c.Usual]))
		}
		require.Equal(t, want, strings.Join(got, ", "), line)
	}
	r := layouttest.Laws(t, Read, []byte("no ip routing vrf default\ninterface up0\n"))
	require.Len(t, r.Facts.Forwarding, 1)
}

// TestAListWithoutADirection may stop what comes in and what goes out.
func TestAListWithoutADirection(t *testing.T) {
	for line, want := range map[string][2]bool{"ip access-group ONE TWO": {true, true}, "ip access-group ONE TWO in": {true, false}, "ip access-group ONE TWO out": {false, true}} {
		r := layouttest.Laws(t, Read, []byte("interface up0\n "+line+"\n"))
		stops := func(dir func(network.FlowRule) string) bool {
			return slices.ContainsFunc(r.Facts.Policy.Flows, func(f network.FlowRule) bool { return dir(f) == "up0" && f.Undecided })
		}
		got := [2]bool{stops(func(f network.FlowRule) string { return f.In }), stops(func(f network.FlowRule) string { return f.Out })}
		require.Equal(t, want, got, line)
	}
}

// TestWhereAListIsApplied by interface, direction and family.
func TestWhereAListIsApplied(t *testing.T) {
	in := []byte(`interface hall0
 ip address 10.61.16.1 255.255.255.0
 ip access-group NIGHT in
 ip access-group 101 out
 ipv6 traffic-filter NIGHT6 in
 traffic-filter inbound acl 3001
 packet-filter name DAY outbound
 traffic-filter inbound ipv6 acl 3002
 mac access-group FRAMES in
router ospf
`)
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, []string{"NIGHT 4 hook 1 deny in hall0", "101 4 hook 2 deny out hall0", "NIGHT6 6 hook 1 deny in hall0", "3001 4 hook 1 deny in hall0 perhaps", "DAY 4 hook 2 deny out hall0 perhaps",
		"3002 6 hook 1 deny in hall0 perhaps"}, layouttest.Applied(r.Facts.Applied))
	require.Len(t, r.Facts.Policy.Flows, 2, "a filter of frames is not read")
}

// TestWhatIsAppliedToASwitchingPort decides over some of what the interface of its VLAN has; of several VLANs it may be
// any.
func TestWhatIsAppliedToASwitchingPort(t *testing.T) {
	vlans := "interface Vlan64\n ip address 10.61.64.1 255.255.255.0\ninterface Vlan65\n ip address 10.61.65.1 255.255.255.0\n!\n"
	for lines, want := range map[string][]string{
		" switchport access vlan 64\n ip access-group NIGHT in\n":                           {"Vlan64"},
		" switchport mode trunk\n ip access-group NIGHT in\n":                               {""},
		" switchport access vlan 64\n ip verify source\n":                                   {"p1", "Vlan64"},
		" port link-type access\n port default vlan 65\n traffic-policy NIGHT inbound\n":    {"p1", "Vlan65"},
		" no switchport\n ip address 10.61.66.1 255.255.255.0\n ip access-group NIGHT in\n": nil,
		" switchport access vlan 64\n":                                                      nil,
	} {
		r := layouttest.Laws(t, Read, []byte("interface p1\n"+lines+vlans))
		var in []string
		for _, f := range r.Facts.Policy.Flows {
			if f.Undecided {
				in = append(in, f.In)
			}
		}
		require.Equal(t, want, in, lines)
	}
}

// TestACutConfigurationPromisesNothing of the interface at whose lines it ends, or of any where its end is missing.
func TestACutConfigurationPromisesNothing(t *testing.T) {
	for text, want := range map[string]int{
		"interface hall0\n ip address 10.61.16.1/24\n ip acc":             1,
		"interface hall0\n ip address 10.61.16.1/24\n":                    0,
		"version 9.9\n!\ninterface hall0\n ip address 10.61.16.1/24\n!\n": 1,

		"interface hall0\n ip address 10.61.16.1/24\n!\n":                                                                         0,
		"Current configuration : 90 bytes\n!\ninterface hall0\n ip address 10.61.16.1/24\n!\n":                                    1,
		"Current configuration : 90 bytes\n!\ninterface hall0\n ip address 10.61.16.1/24\n!\nend\n\n":                             0,
		"frr version 8.4\ninterface hall0\n ip address 10.61.16.1/24\nexit\n!\nend\n":                                             0,
		"frr version 8.4\nip route 10.61.96.0/20 172.28.61.1\n":                                                                   0,
		"access-list A extended permit ip any any\ninterface p0\n nameif in\n security-level 9\n":                                 1,
		"hostname edge\naccess-list A extended permit ip any any\ninterface p0\n nameif in\n security-level 9\n: end\n":           0,
		" duplex auto\n!\ninterface hall0\n ip address 10.61.16.1/24\n!\nip access-list extended A\n permit ip any any\n!\nend\n": 1, // its begin is missing
		"ip access-list extended A\n permit ip any any\nline vty 0\n access-class A in\n":                                         0,
		"ip access-list extended A\n permit ip any any\nrouter ospf\n":                                                            1,
	} {
		r := layouttest.Laws(t, Read, []byte(text))
		missing := slices.ContainsFunc(r.Facts.Policy.Flows, func(f network.FlowRule) bool { return f.Missing != 0 })
		require.Equal(t, want > 0, missing, text)
	}
}

// TestInterfacesOfOtherTables: an address belongs to the table that its interface is in.
func TestInterfacesOfOtherTables(t *testing.T) {
	in := []byte("interface a 1/1\n vrf forwarding TILLS\n ip address 10.61.16.1/24\ninterface b vrf MASTS\n ip address 10.61.17.1/24\ninterface c\n ip address 10.61.18.1/24\n ip vrf forwarding LATE\ninterface d\n ip address 10.61.19.1/24\n!\n")
	r := layouttest.Laws(t, Read, in)
	var got []string
	for _, a := range r.Facts.Addresses {
		got = append(got, a.Interface+" "+a.Table)
	}
	require.Equal(t, []string{"a 1/1 TILLS", "b MASTS", "c LATE", "d "}, got)
}

// TestListsOfAFirewallAlone: without its interfaces it keeps state, and what comes in where no list is applied is not
// known.
func TestListsOfAFirewallAlone(t *testing.T) {
	r := layouttest.Laws(t, Read, []byte("access-list A extended permit tcp any any eq 443\naccess-group A in interface outside\n"))
	require.Positive(t, r.Facts.Policy.Stateful.End)
	r = layouttest.Laws(t, Read, []byte("access-list A extended permit tcp any any eq 443\naccess-group A in interface out\n"))
	require.Equal(t, "A 0 hook 0 deny in out", layouttest.Applied(r.Facts.Applied)[0], "an interface may be called as a direction")
	r = layouttest.Laws(t, Read, []byte("access-list A extended permit tcp any any eq 443\naccess-group A in interface outside\n"))
	require.Equal(t, []string{"permit in outside"}, layouttest.Lists(r.Facts.ListRules)["levels that were not captured"])
	require.Equal(t, []string{"A 0 hook 0 deny in outside", "levels that were not captured 0 hook 0 deny perhaps"}, layouttest.Applied(r.Facts.Applied))
}
