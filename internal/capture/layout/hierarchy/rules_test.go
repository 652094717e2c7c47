package hierarchy

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

// TestTerms of filters: conditions of one term hold together, values of one condition are alternatives.
func TestTerms(t *testing.T) {
	for text, want := range map[string][]string{
		"set firewall family inet filter N term a from source-address 10.61.16.0/24\nset firewall family inet filter N term a from source-address 10.61.17.0/24\nset firewall family inet filter N term a from protocol tcp\nset firewall family inet filter N term a from destination-port [ ssh 8000-8010 ]\nset firewall family inet filter N term a then accept\n": {
			"permit tcp from 10.61.16.0/24 22-22", "permit tcp from 10.61.16.0/24 8000-8010", "permit tcp from 10.61.17.0/24 22-22", "permit tcp from 10.61.17.0/24 8000-8010"},
		"firewall {\n    family inet {\n        filter N {\n            term a {\n                from {\n                    destination-address {\n                        10.61.80.9/32;\n                    }\n                    protocol icmp;\n                    icmp-type echo-request;\n                }\n                then {\n                    count pings;\n                    discard;\n                }\n            }\n            term rest {\n                then accept;\n            }\n        }\n    }\n}\n": {
			"deny icmp type 8 to 10.61.80.9/32", "permit"},
		"set firewall filter N term a from tcp-established\nset firewall filter N term a then accept\nset firewall filter N term b then reject\n":                                                                                   {"permit tcp answers", "refuse"},
		"set firewall filter N term a from port 53\nset firewall filter N term a from protocol udp\nset firewall filter N term a then count x\n":                                                                                    {"permit udp 53-53", "permit udp 53-53"},
		"set firewall filter N term a from source-address 10.61.16.0/23\nset firewall filter N term a from source-address 10.61.16.0/24 except\nset firewall filter N term a then accept\n":                                         {"permit from 10.61.17.0/24"},
		"set firewall filter N term a from source-address 10.61.16.0/24 except\nset firewall filter N term a then accept\n":                                                                                                         {"permit perhaps"},
		"set firewall filter N term a from dscp ef\nset firewall filter N term a then discard\n":                                                                                                                                    {"deny perhaps"},
		"set firewall filter N term a then next term\nset firewall filter N term b then discard\n":                                                                                                                                  {"deny"},
		"set firewall filter N term a from protocol tcp\nset firewall filter N term a then routing-instance tills\n":                                                                                                                {"permit tcp in tills"},
		"set firewall filter N term a from protocol tcp\nset firewall filter N term a then next-ip 172.28.61.9/32\n":                                                                                                                {"permit tcp to 172.28.61.9"},
		"set firewall filter N term a from is-fragment\nset firewall filter N term a then accept\nset firewall filter N term b then discard\n":                                                                                      {"deny"}, // no whole packet is one
		"firewall {\n    filter N {\n        term a {\n            from {\n                first-fragment;\n            }\n            then discard;\n        }\n        term b {\n            then accept;\n        }\n    }\n}\n": {"permit"},
		"set firewall filter N term a from ip-options-of-nobody\nset firewall filter N term a then discard\n":                                                                                                                       {"deny perhaps"},
		"set firewall filter N term a then next-interface up7\n":                                                                                                                                                                    {"permit elsewhere"},
		"set firewall filter N term a then next-ip6 fe80::1\nset firewall filter N term b then discard\n":                                                                                                                           {"permit elsewhere", "deny"},
		"set policy-options prefix-list TILLS 10.61.16.0/24\nset firewall filter N term a from source-prefix-list TILLS\nset firewall filter N term a then accept\n":                                                                {"permit from 10.61.16.0/24"},
		"set firewall filter N term a from source-prefix-list NOWHERE\nset firewall filter N term a then accept\n":                                                                                                                  {"permit perhaps"},
		"set firewall filter N term a from destination-port 80\nset firewall filter N term a then accept\n":                                                                                                                         {"permit tcp 80-80", "permit udp 80-80"},
	} {
		r := layouttest.Laws(t, Read, []byte(text))
		require.Empty(t, r.Unread, text)
		require.Equal(t, map[string][]string{"N": want}, layouttest.Lists(r.Facts.ListRules), text)
	}
	r := layouttest.Laws(t, Read, []byte("set firewall family inet6 filter N term a then discard\nset interfaces up0 unit 0 family inet6 filter output N\nset interfaces lo0 unit 0 family inet filter input OWN\nset interfaces up0 unit 1 family inet filter input-list [ N O ]\n"))
	require.Equal(t, map[string][]string{"N (IPv6)": {"deny"}}, layouttest.Lists(r.Facts.ListRules))
	require.Equal(t, []string{"N (IPv6) 6 hook 2 deny out up0.0", "OWN 4 hook 3 deny"}, layouttest.Applied(r.Facts.Applied))
	require.Len(t, r.Facts.Policy.Flows, 2, "several filters one after another are not read")
	r = layouttest.Laws(t, Read, []byte("set interfaces up0 unit 0 family ethernet-switching filter input FRAMES\nset interfaces up0 unit 0 family mpls\n"))
	require.Len(t, r.Facts.Policy.Flows, 4, "nor is one of frames")
}

// TestPoliciesBetweenZones: by the interfaces of the zones, in order, those for all zones last, then what is told for
// the rest.
func TestPoliciesBetweenZones(t *testing.T) {
	in := []byte(`set security zones security-zone in interfaces hall0.0
set security zones security-zone in host-inbound-traffic system-services all
set security zones security-zone out interfaces up0.0
set security zones security-zone out host-inbound-traffic protocols all
set security address-book global address tills 10.61.16.0/24
set security address-book global address masts range-address 10.61.18.4 to 10.61.18.5
set security address-book global address-set all-of address tills
set security address-book global address-set all-of address masts
set applications application till protocol tcp
set applications application till destination-port 8443
set applications application-set work application till
set applications application-set work application know-https
set security policies global policy last match source-address any
set security policies global policy last match destination-address any
set security policies global policy last match application x-ping
set security policies global policy last then permit
set security policies from-zone in to-zone out policy one match source-address all-of
set security policies from-zone in to-zone out policy one match destination-address any
set security policies from-zone in to-zone out policy one match application work
set security policies from-zone in to-zone out policy one then permit
set security policies from-zone in to-zone out policy two match source-address somebody
set security policies from-zone in to-zone out policy two match application any
set security policies from-zone in to-zone out policy two then deny
`)
	r := layouttest.Laws(t, Read, in)
	require.Empty(t, r.Unread)
	require.Equal(t, map[string][]string{between: {
		"permit tcp from 10.61.16.0/24 8443-8443 in hall0.0 out up0.0", "permit tcp from 10.61.16.0/24 443-443 in hall0.0 out up0.0",
		"permit tcp from 10.61.18.4/31 8443-8443 in hall0.0 out up0.0", "permit tcp from 10.61.18.4/31 443-443 in hall0.0 out up0.0",
		"deny in hall0.0 out up0.0 perhaps", "permit icmp type 8",
		"deny in hall0.0 out hall0.0", "deny in hall0.0 out up0.0", "deny in up0.0 out hall0.0", "deny in up0.0 out up0.0",
	}}, layouttest.Lists(r.Facts.ListRules))
	require.Equal(t, []string{between + " 0 hook 0 deny perhaps"}, layouttest.Applied(r.Facts.Applied))
	require.Len(t, r.Facts.Policy.Flows, 2, "what is for the device itself from outside is not read")
	require.Equal(t, "up0.0", r.Facts.Policy.Flows[0].In)
	require.Positive(t, r.Facts.Policy.Stateful.End)
	layouttest.Variants(t, Read, string(in))
}

// TestPoliciesThatAskForMore than packets, and a device that asks none of them.
func TestPoliciesThatAskForMore(t *testing.T) {
	const zones = "set security zones security-zone in interfaces hall0.0\nset security zones security-zone out interfaces up0.0\n"
	const policy = "set security policies from-zone in to-zone out policy one match source-address any\n" +
		"set security policies from-zone in to-zone out policy one match destination-address any\n" +
		"set security policies from-zone in to-zone out policy one match application any\n" +
		"set security policies from-zone in to-zone out policy one then permit"
	for text, want := range map[string]string{
		policy + "\n":                                                     "permit in hall0.0 out up0.0",
		policy + " application-services idp\n":                            "permit in hall0.0 out up0.0",
		policy + " firewall-authentication pass-through\n":                "permit in hall0.0 out up0.0 perhaps",
		policy + " tunnel ipsec-vpn upper\n":                              "permit in hall0.0 out up0.0 perhaps",
		policy + " destination-address drop-untranslated\n":               "permit in hall0.0 out up0.0 perhaps",
		"set security forwarding-options family mpls mode packet-based\n": "permit perhaps",
		"set security forwarding-options family mpls mode flow-based\n":   "deny in hall0.0 out hall0.0",
	} {
		r := layouttest.Laws(t, Read, []byte(zones+text))
		require.Equal(t, want, layouttest.Lists(r.Facts.ListRules)[between][0], text)
	}
}

// TestRulesWithNumbers: they count in the order of their numbers, what fits none by the list's own word.
func TestRulesWithNumbers(t *testing.T) {
	in := []byte(`set firewall group network-group TILLS network 10.61.16.0/24
set firewall group port-group WEB port 443
set firewall group port-group WEB port 8000-8010
set firewall name N default-action drop
set firewall name N rule 100 action accept
set firewall name N rule 100 protocol icmp
set firewall name N rule 20 action accept
set firewall name N rule 20 protocol tcp
set firewall name N rule 20 source group network-group TILLS
set firewall name N rule 20 destination group port-group WEB
set firewall name N rule 10 action accept
set firewall name N rule 10 state established enable
set firewall name N rule 10 state related enable
set firewall name N rule 30 action drop
set firewall name N rule 30 disable
set firewall name N rule 40 action drop
set firewall name N rule 40 packet-length 100
set firewall name N rule 50 action jump
set interfaces ethernet eth0 firewall in name N
set firewall ipv4 name LED default-action return
set firewall ipv4 name LED rule 10 action drop
set firewall ipv4 name LED rule 10 protocol tcp
set firewall ipv4 forward filter default-action drop
set firewall ipv4 forward filter rule 4 action jump
set firewall ipv4 forward filter rule 4 jump-target LED
set firewall ipv4 forward filter rule 4 destination address 10.61.80.0/24
set firewall ipv4 forward filter rule 5 action accept
set firewall ipv4 forward filter rule 5 inbound-interface name eth0
set firewall ipv4 input filter rule 5 action drop
set firewall ipv4 input filter rule 5 protocol tcp_udp
set firewall ipv4 input filter rule 5 destination port ssh
`)
	r := layouttest.Laws(t, Read, in)
	require.Empty(t, r.Unread)
	require.Equal(t, map[string][]string{
		"N": {"permit seen", "permit tcp from 10.61.16.0/24 443-443", "permit tcp from 10.61.16.0/24 8000-8010", "deny perhaps", "permit perhaps", "deny perhaps",
			"permit icmp", "deny"},
		"forward filter": {"deny tcp to 10.61.80.0/24", "permit in eth0", "deny"},
		"LED":            {"deny tcp", "deny perhaps"},
		"input filter":   {"deny tcp 22-22", "deny udp 22-22", "permit"},
	}, layouttest.Lists(r.Facts.ListRules))
	require.Equal(t, []string{"forward filter 4 hook 0 deny", "input filter 4 hook 3 deny", "N 4 hook 0 deny in eth0"}[2:], layouttest.Applied(r.Facts.Applied)[:1])
	require.Len(t, r.Facts.Applied, 3)
}

// TestNumberedRulesThatAreNotUnderstood: what a rule asks for and no reader knows makes it one that may fit or not.
func TestNumberedRulesThatAreNotUnderstood(t *testing.T) {
	for line, want := range map[string][]string{
		"protocol tcp":         {"permit tcp", "deny"},
		"protocol smell":       {"permit perhaps", "deny"},
		"icmp type 8":          {"permit icmp type 8", "deny"},
		"icmp type-name smell": {"permit icmp perhaps", "deny"},
		"icmp code 3":          {"permit perhaps", "deny"},
		"time monday":          {"permit perhaps", "deny"},
		"destination port 22":  {"permit tcp 22-22", "permit udp 22-22", "deny"},
	} {
		in := []byte("set firewall name N default-action drop\nset firewall name N rule 10 action accept\nset firewall name N rule 10 " + line + "\nset interfaces ethernet eth0 firewall in name N\n")
		r := layouttest.Laws(t, Read, in)
		require.Equal(t, want, layouttest.Lists(r.Facts.ListRules)["N"], line)
	}
}

// TestSeveralOnALine: braces that open and close within a line are the tree that they are over several lines.
func TestSeveralOnALine(t *testing.T) {
	const long = `interfaces {
    up1 {
        description "to the { yard }";
        unit 0 {
            family inet {
                filter {
                    output guard;
                }
                address 10.61.40.1/24;
            }
        }
    }
}
firewall {
    family inet {
        filter guard {
            term tills {
                from {
                    source-address {
                        10.61.64.0/24;
                    }
                }
                then {
                    discard;
                }
            }
            term rest {
                then accept;
            }
        }
    }
}
routing-options {
    static {
        route 10.61.96.0/20 next-hop 172.28.61.1;
    }
}
`
	plain := func(in string) []string {
		r := Read([]byte(in))
		require.Empty(t, r.Unread, in)
		var out []string
		for _, a := range r.Facts.Addresses {
			out = append(out, a.Prefix.String()+" "+a.Interface)
		}
		for _, x := range r.Facts.ListRules {
			out = append(out, x.List, x.From.String(), fmt.Sprint(x.Permit))
		}
		for _, s := range r.Facts.Statics {
			out = append(out, s.Prefix.String(), s.NextHop.Address.String())
		}
		return out
	}
	want := plain(long)
	require.Len(t, want, 9)
	require.Positive(t, recognise([]byte(long)))
	for _, in := range []string{
		strings.Join(strings.Fields(long), " "),
		strings.ReplaceAll(long, ";\n", "; "),
		strings.NewReplacer("{\n", "{ ").Replace(long),
		strings.ReplaceAll(long, "then {\n                    discard;\n                }", "then {discard;}"),
	} {
		require.Equal(t, want, plain(in), in)
		require.Positive(t, recognise([]byte(in)), in)
	}
}
