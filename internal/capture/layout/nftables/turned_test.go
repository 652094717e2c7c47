package nftables

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
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
