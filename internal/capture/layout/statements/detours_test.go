package statements

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

// TestPoliciesOfRouting: what fits a list may go another way, what fits none goes by its destination; a policy that asks for more,
// or whose lists are not there, may send everything.
func TestPoliciesOfRouting(t *testing.T) {
	stopped := func(r layout.Reading) bool {
		return slices.ContainsFunc(r.Facts.Policy.Flows, func(f network.FlowRule) bool { return f.In == "up0" && f.NotRead && !f.Permit })
	}
	const head = "interface up0\n ip address 172.28.61.2 255.255.255.252\n ip policy route-map NIGHT\ninterface up1\n ip policy route-map NIGHT\n"
	const lists = "access-list 7 deny 10.61.16.9\naccess-list 7 permit 10.61.16.0 0.0.0.255\naccess-list 8 permit 10.61.18.0 0.0.0.255\n"
	maybe := func(s string) []string { return []string{"permit " + s + " perhaps", "deny " + s + " perhaps"} }
	for policy, want := range map[string][]string{
		"route-map NIGHT permit 10\n match ip address 7\n set ip next-hop 172.28.61.9\n": append([]string{"permit from 10.61.16.9/32"}, maybe("from 10.61.16.0/24")...),
		"route-map NIGHT permit 10\n match ip address 7\n set ip next-hop 172.28.61.9\nroute-map NIGHT permit 20\n match ip address 8\n set interface Null0\n": append(append(maybe("from 10.61.16.9/32"),
			maybe("from 10.61.16.0/24")...), maybe("from 10.61.18.0/24")...),
		"route-map NIGHT deny 10\n match ip address 8\nroute-map NIGHT permit 20\n set ip vrf yard next-hop 172.28.61.9\n": {"permit from 10.61.18.0/24", "permit perhaps", "deny perhaps"},
		"route-map NIGHT permit 10\n match ip address 8\n set ip precedence critical\n":                                    {"permit from 10.61.18.0/24"},
		"route-map NIGHT permit 10\n match length 3 200\n set ip next-hop 172.28.61.9\n":                                   nil,
		"route-map NIGHT permit 10\n match ip address prefix-list ODD\n set ip next-hop 172.28.61.9\n":                     nil,
		"route-map NIGHT permit 10\n match ip address 99\n set ip next-hop 172.28.61.9\n":                                  nil,
		"route-map OTHER permit 10\n match ip address 7\n set ip next-hop 172.28.61.9\n":                                   nil,
	} {
		r := layouttest.Laws(t, Read, []byte(head+policy+lists))
		require.Equal(t, want, layouttest.Lists(r.Facts.ListRules)["policy routing by NIGHT"], policy)
		if want == nil {
			require.True(t, stopped(r), policy)
			continue
		}
		require.False(t, stopped(r), policy)
		require.Equal(t, []string{"policy routing by NIGHT 4 hook 0 permit in up0", "policy routing by NIGHT 4 hook 0 permit in up1"}, layouttest.Applied(r.Facts.Applied), policy)
	}
	r := layouttest.Laws(t, Read, []byte("hostname depot\ninterface up0\n pbr-policy NIGHT\n"))
	require.True(t, stopped(r))
}
