package nftables

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestFlowsWhoseDestinationIsTranslated: what asks for them is decided, but before the device translates.
func TestFlowsWhoseDestinationIsTranslated(t *testing.T) {
	for _, tt := range []struct {
		in   string
		read func([]byte) []string
		want []string
	}{
		{"table inet f {\n\tchain forward {\n\t\ttype filter hook forward priority filter; policy drop;\n\t\tct status dnat accept\n\t\tct status != dnat iifname \"up0\" drop\n\t\tct status snat accept\n\t}\n}\n", inShort(Text),
			[]string{"permit turned", "deny in up0 not turned", "permit perhaps", "deny"}},
		{"table inet f {\n\tchain pre {\n\t\ttype filter hook prerouting priority raw; policy accept;\n\t\tct status dnat drop\n\t}\n}\n", inShort(Text), []string{"deny perhaps", "permit"}},
		{"*filter\n:FORWARD DROP [0:0]\n-A FORWARD -m conntrack --ctstate DNAT -j ACCEPT\nCOMMIT\n", inShort(Saved), []string{"permit turned", "deny"}},
		{"*filter\n:FORWARD DROP [0:0]\n-A FORWARD -m conntrack --ctstate DNAT,ESTABLISHED -j ACCEPT\nCOMMIT\n", inShort(Saved), []string{"permit perhaps", "deny"}},
	} {
		require.Equal(t, tt.want, tt.read([]byte(tt.in)), tt.in)
	}
}

// inShort reads with a reader and writes the rules in short.
func inShort(r layout.Reader) func([]byte) []string {
	return func(in []byte) (out []string) {
		for _, f := range r.Read(in).Facts.Policy.Flows {
			out = append(out, layouttest.RuleWords(f))
		}
		return out
	}
}

// TestWhoBreaksConnections: a rule that drops what belongs to no connection, of one family or both; not one for some
// addresses, ports or interfaces alone.
func TestWhoBreaksConnections(t *testing.T) {
	drop := func(family, rule string) string {
		return "table " + family + " f {\n\tchain one {\n\t\ttype filter hook forward priority 0; policy accept;\n\t\t" + rule + "\n\t}\n}\n"
	}
	for in, want := range map[string][2]bool{
		drop("inet", "ct state invalid drop"):                                      {true, true},
		drop("ip", "ct state invalid drop"):                                        {true, false},
		drop("ip6", "ct state invalid drop"):                                       {false, true},
		drop("ip", "ct state invalid drop") + drop("ip6", "ct state invalid drop"): {true, true},
		drop("ip", "tcp dport 80 ct state invalid drop"):                           {false, false},
		drop("ip", "ip dscp ef ct state invalid drop"):                             {false, false},
		drop("ip", "udp sport 53 ct state invalid drop"):                           {false, false},
		drop("ip", "meta l4proto tcp ct state invalid drop"):                       {true, false},
		drop("ip", "ip saddr 10.61.0.1 ct state invalid drop"):                     {false, false},
		drop("ip", "ip daddr 10.61.0.1 ct state invalid drop"):                     {false, false},
		drop("ip", `iifname "e0" ct state invalid drop`):                           {false, false},
		drop("ip", `oifname "e0" ct state invalid drop`):                           {false, false},
		drop("ip", "ct state invalid accept"):                                      {false, false},
	} {
		var b network.Builder
		b.Add("r", Text.Read([]byte(in)).Facts, 1)
		d := b.Build().Device("r")
		require.Equal(t, want, [2]bool{d.StatefulFor(route.IPv4).Known(), d.StatefulFor(route.IPv6).Known()}, in)
	}
	var b network.Builder
	b.Add("r", Text.Read([]byte(drop("ip", "ct state invalid drop"))).Facts, 1)
	b.Add("r", Text.Read([]byte(drop("ip6", "ct state invalid drop"))).Facts, 2)
	require.True(t, b.Build().Device("r").StatefulFor(route.IPv6).Known(), "of two captures")
}
