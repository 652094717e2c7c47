package statements

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestAConfigurationThatForwardsNoIPv6: a whole one of the systems that have to be told to forward IPv6, and that is not
// told, may forward none; a part of one, or one of another system, says nothing of that.
func TestAConfigurationThatForwardsNoIPv6(t *testing.T) {
	const whole = "Current configuration : 820 bytes\n!\nhostname gate\n!\ninterface up0\n ipv6 address fd6b:61::1/64\n!\nend\n"
	for name, tt := range map[string]struct {
		text string
		want bool
	}{
		"not told":                 {whole, true},
		"a version in its place":   {strings.Replace(whole, "Current configuration : 820 bytes", "version 15.7", 1), true},
		"told":                     {strings.Replace(whole, "!\ninterface", "ipv6 unicast-routing\n!\ninterface", 1), false},
		"told that it does not":    {strings.Replace(whole, "!\ninterface", "no ipv6 unicast-routing\n!\ninterface", 1), false},
		"a protocol that needs it": {strings.Replace(whole, "!\nend", "ipv6 router ospf 1\n!\nend", 1), false},
		"of one interface":         {strings.Replace(whole, "!\nend", " ipv6 ospf 1 area 0\n!\nend", 1), false},
		"without IPv6":             {strings.Replace(whole, " ipv6 address fd6b:61::1/64", " ip address 172.28.61.1 255.255.255.248", 1), false},
		"without its begin":        {strings.Replace(whole, "Current configuration : 820 bytes\n", "", 1), false},
		"without its end":          {strings.TrimSuffix(whole, "end\n"), false},
		"of a routing daemon":      {strings.Replace(whole, "!\nhostname", "frr version 8.4\nhostname", 1), false},
	} {
		r := layouttest.Laws(t, Read, []byte(tt.text))
		got := slices.ContainsFunc(r.Facts.Policy.Flows, func(f network.FlowRule) bool {
			return f.Missing == network.SwitchedOn && f.Family == route.IPv6 && f.Undecided && f.Hook == network.Forwarded
		})
		require.Equal(t, tt.want, got, name)
	}
}
