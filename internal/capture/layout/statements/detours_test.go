package statements

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

// TestPoliciesOfRouting: what fits a list goes where the policy says, what fits none by its destination; a policy that
// asks for more than was understood, or whose lists are not there, may send everything.
func TestPoliciesOfRouting(t *testing.T) {
	stopped := func(r layout.Reading) bool {
		return slices.ContainsFunc(r.Facts.Policy.Flows, func(f network.FlowRule) bool {
			return f.In == "up0" && f.NotRead && f.Hook == network.Steered && f.Undecided
		})
	}
	const head = "interface up0\n ip address 172.28.61.2 255.255.255.252\n ip policy route-map NIGHT\ninterface up1\n ip policy route-map NIGHT\n"
	const lists = "access-list 7 deny 10.61.16.9\naccess-list 7 permit 10.61.16.0 0.0.0.255\naccess-list 8 permit 10.61.18.0 0.0.0.255\n"
	const eight = "route-map NIGHT permit 10\n match ip address 8\n set "
	sent := func(to string) []string { return []string{"permit from 10.61.18.0/24 " + to} }
	for policy, want := range map[string][]string{
		"route-map NIGHT permit 10\n match ip address 7\n set ip next-hop 172.28.61.9\n": {"permit from 10.61.16.9/32", "permit from 10.61.16.0/24 to 172.28.61.9"},
		"route-map NIGHT permit 10\n match ip address 7\n set ip next-hop 172.28.61.9\nroute-map NIGHT permit 20\n match ip address 8\n set interface Null0\n": {
			"permit from 10.61.16.9/32 elsewhere", "permit from 10.61.16.0/24 to 172.28.61.9", "permit from 10.61.18.0/24 dropped"},
		"route-map NIGHT deny 10\n match ip address 8\nroute-map NIGHT permit 20\n set ip next-hop 172.28.61.9 172.28.61.13\n": {"permit from 10.61.18.0/24", "permit to 172.28.61.9"},
		eight + "ip precedence critical\n":                                                             {"permit from 10.61.18.0/24"},
		eight + "vrf yard\n":                                                                           sent("in yard"),
		eight + "ip vrf yard next-hop 172.28.61.9\n":                                                   sent("elsewhere"),
		eight + "vrf yard\n set ip next-hop 172.28.61.9\n":                                             sent("elsewhere"),
		eight + "ip next-hop 172.28.61.9\n set ip default next-hop 1.1.9.9\n":                          sent("to 172.28.61.9"),
		eight + "ip default next-hop 172.28.61.9\n":                                                    sent("elsewhere"),
		eight + "ip next-hop verify-availability 172.28.61.9 10 track 3\n":                             sent("elsewhere"),
		eight + "ip next-hop recursive 172.28.61.9\n":                                                  sent("elsewhere"),
		eight + "ip next-hop 172.28.61.9 172.28.61.13 load-share\n":                                    sent("elsewhere"),
		eight + "ip next-hop 172.28.61.9 track 7\n":                                                    sent("elsewhere"),
		eight + "ip next-hop peer-address\n":                                                           sent("elsewhere"),
		eight + "interface up7\n":                                                                      sent("elsewhere"),
		eight + "ip next-hop fe80::1\n":                                                                sent("elsewhere"),
		"route-map NIGHT permit 10\n match length 3 200\n set ip next-hop 172.28.61.9\n":               nil,
		"route-map NIGHT permit 10\n match ip address prefix-list ODD\n set ip next-hop 172.28.61.9\n": nil,
		"route-map NIGHT permit 10\n match ip address 99\n set ip next-hop 172.28.61.9\n":              nil,
		"route-map OTHER permit 10\n match ip address 7\n set ip next-hop 172.28.61.9\n":               nil,
	} {
		r := layouttest.Laws(t, Read, []byte(head+policy+lists))
		require.Equal(t, want, layouttest.Lists(r.Facts.ListRules)["policy routing by NIGHT"], policy)
		if want == nil {
			require.True(t, stopped(r), policy)
			continue
		}
		require.False(t, stopped(r), policy)
		require.Equal(t, []string{"policy routing by NIGHT 4 hook 5 permit in up0", "policy routing by NIGHT 4 hook 5 permit in up1"}, layouttest.Applied(r.Facts.Applied), policy)
	}
}

// TestPoliciesWithMatchesOfTheirOwn: clauses that ask for addresses, ports and protocols by themselves (FRR); with one
// that sends nowhere nothing of the policy is sure.
func TestPoliciesWithMatchesOfTheirOwn(t *testing.T) {
	const head = "hostname depot\ninterface up0\n ip address 172.28.61.2/30\n pbr-policy NIGHT\n"
	for policy, want := range map[string][]string{
		"pbr-map NIGHT seq 10\n match src-ip 10.61.16.0/24\n match dst-ip 10.61.18.0/24\n set nexthop 172.28.61.9\n": {
			"permit from 10.61.16.0/24 to 10.61.18.0/24 to 172.28.61.9"},
		"pbr-map NIGHT seq 10\n match dst-port 53\n set nexthop 172.28.61.9 up1\n":                                                       {"permit tcp 53-53 to 172.28.61.9", "permit udp 53-53 to 172.28.61.9", "permit perhaps to 172.28.61.9"},
		"pbr-map NIGHT seq 10\n match ip-protocol udp\n match src-port 53\n set vrf yard\n":                                              {"permit udp 53-53 in yard", "permit udp perhaps in yard"},
		"pbr-map NIGHT seq 10\n match src-port 53\n match ip-protocol tcp\n set nexthop blackhole\n":                                     {"permit tcp 53-53 dropped", "permit tcp perhaps dropped"},
		"pbr-map NIGHT seq 10\n match src-ip 10.61.16.0/24\n set nexthop-group PAIR\n":                                                   {"permit from 10.61.16.0/24 elsewhere"},
		"pbr-map NIGHT seq 10\n match src-ip 10.61.16.0/24\n set vrf unchanged\n":                                                        {"permit from 10.61.16.0/24"},
		"pbr-map NIGHT seq 5\n match src-ip 10.61.0.0/16\npbr-map NIGHT seq 10\n match src-ip 10.61.16.0/24\n set nexthop 172.28.61.9\n": nil,
		"pbr-map NIGHT seq 10\n match src-ip 10.61.16.0/24\n match dscp 8\n set nexthop 172.28.61.9\n":                                   nil,
		"pbr-map NIGHT seq 10\n match src-ip wrong\n set nexthop 172.28.61.9\n":                                                          nil,
		"": nil,
	} {
		r := layouttest.Laws(t, Read, []byte(head+policy))
		require.Equal(t, want, layouttest.Lists(r.Facts.ListRules)["policy routing by NIGHT"], policy)
		if want != nil {
			require.Equal(t, []string{"policy routing by NIGHT 0 hook 5 permit in up0"}, layouttest.Applied(r.Facts.Applied), policy)
			continue
		}
		require.Empty(t, r.Facts.Applied, policy)
		require.True(t, slices.ContainsFunc(r.Facts.Policy.Flows, func(f network.FlowRule) bool { return f.Hook == network.Steered && f.NotRead && f.In == "up0" }), policy)
	}
}

// TestPoliciesOfNodes: the same in the words "if-match" and "apply".
func TestPoliciesOfNodes(t *testing.T) {
	const head = "sysname depot\n#\nacl number 3000\n rule 5 permit ip source 10.61.18.0 0.0.0.255\n#\ninterface up0\n ip address 172.28.61.2 255.255.255.252\n ip policy-based-route NIGHT\n#\n"
	const node = "policy-based-route NIGHT permit node 10\n if-match acl 3000\n "
	for policy, want := range map[string][]string{
		node + "apply next-hop 172.28.61.9\n":                          {"permit from 10.61.18.0/24 to 172.28.61.9"},
		node + "apply ip-address next-hop 172.28.61.9\n":               {"permit from 10.61.18.0/24 to 172.28.61.9"},
		node + "apply ip-address next-hop 172.28.61.9 172.28.61.13\n":  {"permit from 10.61.18.0/24 elsewhere"},
		node + "apply next-hop 172.28.61.9\n apply next-hop 1.1.9.9\n": {"permit from 10.61.18.0/24 elsewhere"},
		node + "apply output-interface up1\n":                          {"permit from 10.61.18.0/24 elsewhere"},
		node + "apply ip-precedence 5\n":                               {"permit from 10.61.18.0/24"},
		"policy-based-route NIGHT deny node 5\n if-match acl 3000\n#\npolicy-based-route NIGHT permit node 10\n apply next-hop 172.28.61.9\n": {"permit from 10.61.18.0/24", "permit to 172.28.61.9"},
		"policy-based-route NIGHT permit node 10\n if-match packet-length 1 90\n apply next-hop 172.28.61.9\n":                                nil,
		node + "if-match acl 3001\n apply next-hop 172.28.61.9\n":                                                                             nil,
		"policy-based-route OTHER permit node 10\n apply next-hop 172.28.61.9\n":                                                              nil,
	} {
		r := layouttest.Laws(t, Read, []byte(head+policy))
		require.Equal(t, want, layouttest.Lists(r.Facts.ListRules)["policy routing by NIGHT"], policy)
		require.Equal(t, want == nil, slices.ContainsFunc(r.Facts.Policy.Flows, func(f network.FlowRule) bool { return f.Hook == network.Steered && f.NotRead && f.In == "up0" }), policy)
	}
}

// TestPolicyForOwnPackets: it decides over what the device sends itself, and is not followed.
func TestPolicyForOwnPackets(t *testing.T) {
	for _, line := range []string{"ip local policy route-map NIGHT", "ip local policy-based-route NIGHT"} {
		r := layouttest.Laws(t, Read, []byte("hostname depot\n"+line+"\ninterface up0\n ip address 172.28.61.2 255.255.255.252\n"))
		require.True(t, slices.ContainsFunc(r.Facts.Policy.Flows, func(f network.FlowRule) bool { return f.Hook == network.FromItself && f.NotRead && f.Undecided }), line)
	}
}
