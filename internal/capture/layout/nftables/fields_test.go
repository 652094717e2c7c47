package nftables

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestFieldsBesideEachOther holds that a rule which compares several fields at once, or names the ports that do not
// fit, is as many rules as it takes, and that what stands in the way leaves it undecided.
func TestFieldsBesideEachOther(t *testing.T) {
	const head = "table inet f {\n\tset filled {\n\t\ttype inet_service\n\t\tflags dynamic\n\t}\n\tset pairs {\n\t\ttype ipv4_addr . inet_service\n\t\telements = { 10.61.1.1 . 22 timeout 10s,\n\t\t\t     10.61.1.2 . 80-81 }\n\t}\n" +
		"\tchain c {\n\t\ttype filter hook forward priority filter; policy accept;\n\t\t"
	for rule, want := range map[string][]string{
		"ip saddr . ip daddr { 10.61.1.1 . 10.61.2.2, 10.61.3.0/24 . 10.61.4.4 } drop": {
			"deny from 10.61.1.1/32 to 10.61.2.2/32", "deny from 10.61.3.0/24 to 10.61.4.4/32"},
		"ip saddr . tcp dport @pairs drop":                              {"deny tcp from 10.61.1.1/32 22-22", "deny tcp from 10.61.1.2/32 80-81"},
		"meta l4proto . iifname { tcp . \"up0\" } drop":                 {"deny tcp in up0"},
		"ip saddr . ip dscp { 10.61.1.1 . ef } drop":                    {"deny perhaps"},
		"ip saddr . ip daddr != { 10.61.1.1 . 10.61.2.2 } drop":         {"deny perhaps"},
		"ip saddr . ip daddr { 10.61.1.1 } drop":                        {"deny perhaps"},
		"tcp dport != 80 drop":                                          {"deny tcp 1-79", "deny tcp 81-65535"},
		"tcp dport != { 1-1023, 8080 } drop":                            {"deny tcp 1024-8079", "deny tcp 8081-65535"},
		"udp dport != 1-65534 drop":                                     {"deny udp 65535-65535"},
		"tcp dport != 80 udp dport 53 drop":                             nil,
		"tcp dport != @elsewhere drop":                                  {"deny perhaps"},
		"th dport != 53 drop":                                           {"deny perhaps"},
		"meta l4proto udp th dport != 1-52 drop":                        {"deny udp 53-65535"},
		"ip saddr . ip daddr { 10.61.1.1 . 10.61.2.2 . 80 } drop":       {"deny perhaps"},
		"tcp dport != @filled drop":                                     {"deny perhaps"},
		"tcp dport > 80 drop":                                           {"deny perhaps"},
		"th dport 53 meta l4proto udp drop":                             {"deny udp 53-53"},
		"meta l4proto { tcp, udp } th dport 53 ip saddr 10.61.1.1 drop": {"deny tcp from 10.61.1.1/32 53-53", "deny udp from 10.61.1.1/32 53-53"},
	} {
		r := ReadText([]byte(head + rule + "\n\t}\n}\n"))
		require.Empty(t, r.Unread, rule)
		got := rulesOf(r)[0]
		if n := len(got); n > 0 && got[n-1] == "permit" { // the policy
			got = got[:n-1]
		}
		if len(want) == 0 {
			require.Empty(t, got, rule)
			continue
		}
		require.Equal(t, want[0], got[0], rule)
		require.ElementsMatch(t, want, got[:min(len(got), len(want))], rule)
	}
}

// TestStatesOfFlows holds that states are read by name and by number, and that what is neither leaves the rule open.
func TestStatesOfFlows(t *testing.T) {
	for rule, want := range map[string]string{
		"ct state 0x2,0x4 accept":              "permit seen",
		"ct state 0x8 accept":                  "permit begins",
		"ct state 10 accept":                   "permit",
		"ct state { established, 0x4 } accept": "permit seen",
		"ct state 0x1 drop":                    "deny unseen",
		"ct state 0x4,0x40 accept":             "",
		"ct state 0x80 accept":                 "permit perhaps",
		"ct state fresh accept":                "permit perhaps",
		"ct state established,fresh accept":    "permit perhaps",
		"ct state @states accept":              "permit perhaps",
	} {
		r := ReadText([]byte("table inet f {\n\tchain c {\n\t\ttype filter hook forward priority filter; policy drop;\n\t\t" + rule + "\n\t}\n}\n"))
		got := rulesOf(r)[0]
		require.Equal(t, "deny", got[len(got)-1], "the policy")
		if got = got[:len(got)-1]; want == "" {
			require.Empty(t, got, rule)
			continue
		}
		require.Equal(t, []string{want}, got, rule)
	}
}
