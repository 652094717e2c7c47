package nftables

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
)

// TestWhereAKernelTranslates: what comes in, what leaves, and what it sends itself, each asked about apart; what a
// statement does that is not known may be a translation too.
func TestWhereAKernelTranslates(t *testing.T) {
	chain := func(hook, rules string) string {
		return "table ip tr {\n\tchain side {\n\t\tsnat to 10.61.0.9\n\t}\n\tchain one {\n\t\ttype nat hook " + hook +
			" priority 0; policy accept;\n\t\t" + rules + "\n\t}\n}\n"
	}
	saved := func(rule string) string { return "*nat\n:PREROUTING ACCEPT [0:0]\n" + rule + "\nCOMMIT\n" }
	for _, tt := range []struct {
		in   string
		read layout.Reader
		want []string
	}{
		{chain("output", "ip daddr 10.61.0.1 dnat to 10.62.0.2"), Text, []string{"destination of its own to 10.61.0.1/32 > becomes 10.62.0.2"}},
		{chain("output", `oifname "e0" dnat to 10.62.0.2`), Text, []string{"destination of its own > becomes 10.62.0.2 perhaps"}},
		{chain("prerouting", "counter return\n\t\tdnat to 10.62.0.2"), Text, nil},
		{chain("input", "snat to 10.62.0.2"), Text, nil},
		{chain("prerouting", "fib daddr type local dnat to 10.62.0.2"), Text, []string{"destination to itself > becomes 10.62.0.2"}},
		{chain("prerouting", "fib daddr type != local dnat to 10.62.0.2"), Text, []string{"destination > becomes 10.62.0.2 perhaps"}},
		{chain("postrouting", "fib daddr type local masquerade"), Text, []string{"source > becomes invalid IP perhaps"}},
		{chain("prerouting", "fib daddr type & local dnat to 10.62.0.2"), Text, []string{"destination > becomes 10.62.0.2 perhaps"}},
		{chain("prerouting", "fib daddr oifname local dnat to 10.62.0.2"), Text, []string{"destination > becomes 10.62.0.2 perhaps"}},
		{chain("prerouting", "fib daddr type broadcast dnat to 10.62.0.2"), Text, []string{"destination > becomes 10.62.0.2 perhaps"}},
		{chain("prerouting", "fib saddr . iif oif missing dnat to 10.62.0.2"), Text, []string{"destination > becomes 10.62.0.2 perhaps"}},
		{chain("postrouting", `ip saddr vmap { 10.61.0.7 : jump side }`), Text, []string{"source from 10.61.0.7/32 > becomes 10.61.0.9"}},
		{chain("postrouting", `ip saddr vmap @named`), Text, []string{"source > becomes invalid IP perhaps"}},
		{chain("postrouting", `oifname != "hull0" jump side`), Text, []string{"source > not >hull0 becomes 10.61.0.9"}},
		{chain("output", `oifname != "hull0" dnat to 10.62.0.2`), Text, []string{"destination of its own > becomes 10.62.0.2 perhaps"}},
		{chain("postrouting", `ip saddr 10.61.0.7 xt target "NETMAP"`), Text, []string{"source from 10.61.0.7/32 > becomes invalid IP perhaps"}},
		{chain("postrouting", "ip saddr 10.61.0.7 jump elsewhere"), Text, []string{"source from 10.61.0.7/32 > becomes invalid IP perhaps"}},
		{chain("postrouting", "ip saddr 10.61.0.7 counter jump side"), Text, []string{"source from 10.61.0.7/32 > becomes 10.61.0.9"}},
		{saved("-A POSTROUTING -s 10.61.0.0/24 -j NETMAP --to 10.62.0.0/24"), Saved, []string{"source from 10.61.0.0/24 > becomes invalid IP perhaps"}},
		{saved("-A OUTPUT -d 10.61.0.0/16 -m addrtype --dst-type LOCAL -j HULL\n:HULL - [0:0]\n-A HULL -p tcp -m tcp --dport 8080 -j DNAT --to-destination 10.62.0.2:80"), Saved, []string{"destination of its own to itself tcp to 10.61.0.0/16 8080 > becomes 10.62.0.2:80"}},
		{saved("-A PREROUTING -m addrtype --dst-type LOCAL -p tcp --dport 8080 -j DNAT --to-destination 10.62.0.2:80"), Saved, []string{"destination to itself tcp 8080 > becomes 10.62.0.2:80"}},
	} {
		require.Equal(t, tt.want, layouttest.Translations(tt.read.Read([]byte(tt.in))), tt.in)
	}
}

// TestRulesThatLookUpOwnAddresses: what is for the device itself is for one of them, what it forwards is not.
func TestRulesThatLookUpOwnAddresses(t *testing.T) {
	for hook, want := range map[string][]string{
		"input":      {"deny", "permit"},
		"forward":    {"permit"},
		"prerouting": {"deny perhaps", "permit"},
	} {
		in := "table inet f {\n\tchain one {\n\t\ttype filter hook " + hook + " priority 0; policy accept;\n\t\tfib daddr type local drop\n\t}\n}\n"
		require.Equal(t, want, inShort(Text)([]byte(in)), hook)
	}
	in := "table inet f {\n\tchain one {\n\t\ttype filter hook input priority 0; policy drop;\n\t\tfib daddr type != local accept\n\t}\n}\n"
	require.Equal(t, []string{"deny"}, inShort(Text)([]byte(in)))
	in = strings.Replace(in, "type != local", "type & local", 1)
	require.Equal(t, []string{"permit perhaps", "deny"}, inShort(Text)([]byte(in)))
}

// TestPacketsThatBelongToNoFlow: where rules keep some out, what asks for their state is not decided.
func TestPacketsThatBelongToNoFlow(t *testing.T) {
	with := func(raw string) string {
		return "table inet f {\n\tchain early {\n\t\ttype filter hook prerouting priority raw; policy accept;\n\t\t" + raw +
			"\n\t}\n\tchain one {\n\t\ttype filter hook forward priority 0; policy drop;\n\t\tct state established accept\n\t\ttcp dport 22 ct state new accept\n\t}\n}\n"
	}
	known := []string{"permit seen", "permit tcp 22-22 begins", "deny"}
	for raw, want := range map[string][]string{
		"counter":                    known,
		`iifname "lo" notrack`:       known,
		"ip saddr 10.61.0.1 notrack": {"permit seen perhaps", "permit tcp 22-22 begins perhaps", "deny"},
		`oifname "lo" notrack`:       known,
		"udp dport 53 notrack":       {"permit udp seen perhaps", "permit seen", "permit tcp 22-22 begins", "deny"},
		"tcp sport 53 notrack":       {"permit tcp seen perhaps", "permit seen", "permit tcp 22-22 begins perhaps", "deny"},
	} {
		require.Equal(t, want, inShort(Text)([]byte(with(raw))), raw)
	}
	for target, want := range map[string]string{"NOTRACK": "permit udp seen perhaps", "CT --notrack": "permit udp seen perhaps", "CT --helper tftp": "permit seen"} {
		in := "*raw\n:PREROUTING ACCEPT [0:0]\n-A PREROUTING -p udp -m udp --dport 69 -j " + target + "\nCOMMIT\n*filter\n:FORWARD DROP [0:0]\n-A FORWARD -m conntrack --ctstate ESTABLISHED -j ACCEPT\nCOMMIT\n"
		require.Contains(t, inShort(Saved)([]byte(in)), want, target)
	}
}
