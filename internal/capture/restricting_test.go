package capture

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
)

// notRead lists the lines that are kept as filters which were not read.
func notRead(t *testing.T, text string) []string {
	c, err := Read("x", []byte(text), 1)
	require.NoError(t, err)
	var out []string
	lines := 0
	for i := range c.Parts {
		for _, f := range c.Parts[i].Facts.Policy.Flows {
			if f.Undecided && f.Hook != network.FromItself { // what comes in and what it sends itself stand beside each other
				out = append(out, strings.TrimSpace(string(c.Source.Text(f.Mark))))
			}
		}
		lines += c.Parts[i].Read + len(c.Parts[i].Passed) + len(c.Parts[i].Unread)
	}
	for _, g := range c.Gloss(nil) {
		if len(out) > 0 && strings.TrimSpace(g.Text) == out[0] {
			require.NotEqual(t, UnreadLine, g.Kind, "a line that decides is not called unread")
		}
	}
	return out
}

func TestWhatReadsLikeAFilterIsKept(t *testing.T) {
	for text, want := range map[string]string{
		"edge:~# ufw status verbose\nStatus: active\nDefault: deny (incoming), deny (routed)\n":     "Status: active",
		"Status: active\nDefault: deny (incoming), allow (outgoing), deny (routed)\n":               "Default: deny (incoming), allow (outgoing), deny (routed)",
		"hall (active)\n  target: DROP\n  interfaces: up0\n":                                        "target: DROP",
		"{\"ACL_RULE\":{\"UP|1\":{\n\"PACKET_ACTION\": \"DROP\",\n\"SRC_IP\":\"10.61.1.0/24\"}}}\n": `"PACKET_ACTION": "DROP",`,
		"<filter>\n <rule><type>block</type><interface>wan</interface></rule>\n</filter>\n":         "<rule><type>block</type><interface>wan</interface></rule>",
		"src 10.61.0.0/24 dst 10.61.1.0/24\n\tdir fwd priority 100 ptype main\n":                    "dir fwd priority 100 ptype main",
		"firewall.@rule[0].dest_ip='10.61.1.0/24'\nfirewall.@rule[0].target='DROP'\n":               "firewall.@rule[0].target='DROP'",
		"No,Source,Destination,Service,Action\n1,10.61.16.0/24,10.61.18.0/24,any,Drop\n":            "1,10.61.16.0/24,10.61.18.0/24,any,Drop",
		"#ACTION SOURCE DEST\nDROP hall depot:10.61.18.0/24\n":                                      "DROP hall depot:10.61.18.0/24",
		"{\"ace\":[{\"actions\":{\n\"forwarding\":\"drop\"}}]}\n":                                   "\"forwarding\":\"drop\"}}]}",
		"<ace><actions>\n<forwarding-action>oc:REJECT</forwarding-action></actions></ace>\n":        "<forwarding-action>oc:REJECT</forwarding-action></actions></ace>",
		"xdp:\nup0(2) driver id 5\n":                    "up0(2) driver id 5",
		"tc:\nup0(2) clsact/ingress keep-out id 7\n":    "up0(2) clsact/ingress keep-out id 7",
		" ip-filter 10 create\n  default-action drop\n": "ip-filter 10 create",
		"set rulebase security rules keep-out from up\nset rulebase security rules keep-out action deny\n":                        "set rulebase security rules keep-out action deny",
		"create access-list KEEPOUT \" source-address 10.61.1.0/24 ;\" \" deny ;\"\n":                                             "create access-list KEEPOUT \" source-address 10.61.1.0/24 ;\" \" deny ;\"",
		"edge# show access-lists summary\nIPV4 ACL FROM-UP\n        Configured on Ingress: up0\n":                                 "IPV4 ACL FROM-UP",
		"filter protocol ip pref 1 flower\n  action order 1: gact action drop\n":                                                  "action order 1: gact action drop",
		"nv set acl KEEPOUT rule 10 match ip source-ip 10.61.1.0/24\nnv set interface up0 acl KEEPOUT inbound\n":                  "nv set interface up0 acl KEEPOUT inbound",
		"00100 allow ip from any to any via lo0\n00200 deny ip from 10.61.1.0/24 to any\n":                                        "00100 allow ip from any to any via lo0",
		"<zone target=\"DROP\">\n  <interface name=\"up0\"/>\n</zone>\n":                                                          `<zone target="DROP">`,
		"<filter>\n <rule>\n <type>pass</type>\n <interface>hall</interface>\n</rule>\n</filter>\n":                               "<type>pass</type>",
		"<config><rulebase><security><rules><entry><action>allow</action></entry></rules></security></rulebase>":                  "<config><rulebase><security><rules><entry><action>allow</action></entry></rules></security></rulebase>",
		"security-policy\n rule name out\n  action permit\n":                                                                      "security-policy",
		" entry 10\n  permit tcp any any eq 443\n":                                                                                "permit tcp any any eq 443",
		"edge> fw stat\nHOST      POLICY     DATE\n":                                                                              "HOST      POLICY     DATE",
		"edge # get firewall policy\n== [ 1 ]\npolicyid: 1\n":                                                                     "== [ 1 ]",
		"hall (active)\n  target: default\n  icmp-block-inversion: no\n  interfaces: up0\n":                                       "icmp-block-inversion: no",
		"add ns acl KEEPOUT DENY -destIP = 10.61.1.1-10.61.1.9\napply ns acls\n":                                                  "add ns acl KEEPOUT DENY -destIP = 10.61.1.1-10.61.1.9",
		"Bridge table: filter\n\nBridge chain: FORWARD, entries: 1, policy: DROP\n":                                               "Bridge chain: FORWARD, entries: 1, policy: DROP",
		"-p IPv4 --ip-dst 10.61.1.0/24 -j DROP\n":                                                                                 "-p IPv4 --ip-dst 10.61.1.0/24 -j DROP",
		"configure {\n filter {\n  entry 10 {\n   action {\n    drop {\n    }\n   }\n  }\n }\n}\n":                                "filter {",
		"<firewall><term>\n<then>\n<discard>\n</discard>\n</then>\n</term></firewall>\n":                                          "<discard>",
		"<firewall><term><then><discard/></then></term></firewall>\n":                                                             "<firewall><term><then><discard/></then></term></firewall>",
		"{\"term\": [\n{\"then\": {\"discard\": [null]}}\n]}\n":                                                                   `{"then": {"discard": [null]}}`,
		"acl:\n  rule:\n    '10':\n      action:\n        deny: {}\n":                                                             "deny: {}",
		"interface p1 ipv4 address 10.61.16.1 255.255.255.0\nipv4 access-list A 10 deny ipv4 any any\n":                           "ipv4 access-list A 10 deny ipv4 any any",
		"Columns: CHAIN, ACTION\n#   CHAIN    ACTION\n0   forward  drop\n":                                                        "Columns: CHAIN, ACTION",
		"interface Vlan 64\nip address 10.61.64.1 255.255.255.0\nexit\nfilter acl ace action 1 10 deny\n":                         "filter acl ace action 1 10 deny",
		"object-policy ip P\n rule 0 drop\n":                                                                                      "rule 0 drop",
		"conn night\n  leftsubnet=10.61.1.0/24\n  right=172.28.61.9\n":                                                            "leftsubnet=10.61.1.0/24",
		"filter protocol ip pref 1 u32\n  action order 1: mirred (Egress Redirect to device up9) stolen\n":                        "action order 1: mirred (Egress Redirect to device up9) stolen",
		"hostname \"edge\"\npolicy pbr \"NIGHT\"\n   10 class ipv4 \"C\"\n":                                                       "policy pbr \"NIGHT\"",
		"router Base\n  interface \"up0\"\n    address 172.28.61.2/30\n    ingress\n      filter ip 10\n    exit\n  exit\nexit\n": "filter ip 10",
		"interface \"up0\" {\n ingress {\n  filter {\n   ip \"10\"\n  }\n }\n}\n":                                                 "filter {",
		"{\"ACL_TABLE\": {\"NIGHT\": {\"ports\": [\"up0\"]}}}\n":                                                                  `{"ACL_TABLE": {"NIGHT": {"ports": ["up0"]}}}`,
		"Interface       Admin Link Proto Input Filter         Output Filter\nup0.0           up    up   inet  NIGHT\n":           "Interface       Admin Link Proto Input Filter         Output Filter",
		"Security zone: hall\n  Interfaces bound: 1\n  Interfaces:\n    up0.0\n":                                                  "Security zone: hall",
		"# Warning: iptables-legacy tables present, use iptables-legacy to see them\n":                                            "# Warning: iptables-legacy tables present, use iptables-legacy to see them",
		"    prog/xdp id 33\n": "prog/xdp id 33",
		"<interfaces>\n<filter>\n<input>\n<filter-name>NIGHT</filter-name>\n</input>\n</filter>\n</interfaces>\n": "<filter-name>NIGHT</filter-name>",
		"{\"interfaces\": {\"filter\": {\"input\": {\n\"filter-name\": \"NIGHT\"\n}}}}\n":                         `"filter-name": "NIGHT"`,
		"{\"oc-acl:acl\": {\n\"ingress-acl-sets\": {\"set-name\": \"NIGHT\"}}}\n":                                 `"ingress-acl-sets": {"set-name": "NIGHT"}}}`,
		"<nat>\n<static-nat>\n<rule-set>\n</rule-set>\n</static-nat>\n</nat>\n":                                   "<static-nat>",
		"edge# show filter\nsome words in no form that is known\n":                                                "some words in no form that is known",
	} {
		got := notRead(t, text)
		require.Equal(t, []string{want}, got, text)
	}
}

// TestBlocksAroundRules: what chooses routes in one block says nothing of the next one.
func TestBlocksAroundRules(t *testing.T) {
	require.Equal(t, []string{"action drop"}, notRead(t, "configure\n  policy-options\n    policy-statement \"NIGHT\"\n      default-action drop\n"+
		"  service\n    vprn 10\n      interface \"up\"\n        action drop\n"))
}

// TestWhatIsNoFilter: ordinary texts restrict nothing.
func TestWhatIsNoFilter(t *testing.T) {
	for _, text := range []string{
		"up0  Ierrs 0 Oerrs 0 Drop 0\nInput queue: 0/75/0/0 (size/max/drops/flushes)\n",
		"The firewall people came in at two and denied everything.\nThey blocked the road, too.\n",
		"edge# show version\nRopeway control 7\nDrop-in replacement\n",
		"edge# show ip route | include firewall\n",
		"neighbor 172.28.61.1 prefix-list NIGHT out\nneighbor 172.28.61.1 filter-list 3 in\n",
		"rx_dropped: 5\ntx_dropped: 0\nReject count: 7\n",
		"5 packets dropped, 3 discarded\n",
		"{\"rx\": {\"drop\": 12, \"discard\": 0}}\n<drop>7</drop>\n",
		"interface p1\n ip address 10.61.16.1 255.255.255.0\n!\nip prefix-list NIGHT seq 5 deny 0.0.0.0/0 le 32\nroute-map NIGHT deny 10\n match tag 7\n!\n" +
			"ip as-path access-list 1 deny _64998_\nip community-list 7 deny 64998:1\nline vty 0 4\n access-class GUARDS in\nsnmp-server community NIGHT RO 10\n",
		"sysname edge\n#\nuser-interface vty 0 4\n acl 2000 inbound\n#\nroute-policy NIGHT\n  if destination in NIGHT then\n    pass\n  else\n    drop\n  endif\nend-policy\n",
		"configure\n    router\n        policy-options\n            policy-statement \"NIGHT\"\n                entry 10\n                    action accept\n                exit\n                default-action drop\n",
		"set policy prefix-list NIGHT rule 10 action 'permit'\nset policy route-map NIGHT rule 10 action 'deny'\nset interfaces ethernet eth0 address '10.61.16.1/24'\n",
		"set interfaces up0 unit 0 family inet address 172.28.61.2/30\nset policy-options policy-statement NIGHT term 7 then reject\n",
		"Nov 27 02:10:01 edge kernel: link up0 is up, 3 packets rejected before\n",
	} {
		require.Empty(t, notRead(t, text), text)
	}
}
