package hierarchy

import (
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

// rulesBelow writes the leaves of a numbered rule below a branch.
func rulesBelow(branch string, leaves ...string) string {
	out := ""
	for _, l := range leaves {
		out += "set " + branch + " " + l + "\n"
	}
	return out
}

// TestNumberedTranslations: in the order of their numbers, destinations first; what is not understood may fit.
func TestNumberedTranslations(t *testing.T) {
	const head = "set interfaces ethernet eth0 address '172.28.61.2/29'\nset interfaces ethernet eth1 address '10.61.16.1/24'\n"
	source := func(leaves ...string) string {
		return rulesBelow("nat source rule 100", append([]string{"outbound-interface 'eth0'"}, leaves...)...)
	}
	for text, want := range map[string][]string{
		source("source address '10.61.16.0/24'", "translation address 'masquerade'"):                                                 {"source from 10.61.16.0/24 >eth0 becomes invalid IP"},
		source("translation address '172.28.61.4'"):                                                                                  {"source >eth0 becomes 172.28.61.4"},
		source("translation address '172.28.61.4-172.28.61.5'"):                                                                      {"source >eth0 becomes invalid IP perhaps"},
		source("translation address 'masquerade'", "disable"):                                                                        nil,
		source("source group address-group 'TILLS'", "translation address 'masquerade'"):                                             {"source >eth0 becomes invalid IP perhaps"},
		source("odd thing", "translation address 'masquerade'"):                                                                      {"source >eth0 becomes invalid IP perhaps"},
		strings.Replace(source("translation address 'masquerade'"), "interface 'eth0'", "interface name 'eth0'", 1):                  {"source >eth0 becomes invalid IP"},
		source("translation address 'masquerade'") + rulesBelow("nat source rule 20", "destination address '10.0.0.0/8'", "exclude"): {"keep to 10.0.0.0/8 >", "source >eth0 becomes invalid IP"},
		rulesBelow("nat destination rule 10", "inbound-interface 'eth0'", "destination address '172.28.61.2'", "destination port '443'", "protocol 'tcp'", "translation address '10.61.16.9'", "translation port '8443'"): {
			"destination tcp to 172.28.61.2/32 443 eth0> becomes 10.61.16.9:8443"},
		rulesBelow("nat destination rule 10", "inbound-interface 'any'", "destination address '172.28.61.2'", "translation address '10.61.16.0/24'"): {"destination to 172.28.61.2/32 > becomes invalid IP perhaps"},
		rulesBelow("nat static rule 10", "inbound-interface 'eth0'", "destination address '172.28.61.4'", "translation address '10.61.16.9'"): {
			"destination to 172.28.61.4/32 eth0> becomes 10.61.16.9", "source from 10.61.16.9/32 >eth0 becomes 172.28.61.4"},
		rulesBelow("service nat rule 5010", "outbound-interface eth0", "type masquerade", "log disable"): {"source >eth0 becomes invalid IP"},
		rulesBelow("service nat rule 1", "inbound-interface eth0", "type destination", "protocol tcp", "destination port 443", "inside-address address 10.61.16.9", "inside-address port 8443"): {
			"destination tcp 443 eth0> becomes 10.61.16.9:8443"},
		rulesBelow("service nat rule 1", "outbound-interface eth0", "type source", "source address 10.61.16.0/24", "outside-address address 172.28.61.4"): {"source from 10.61.16.0/24 >eth0 becomes 172.28.61.4"},
		rulesBelow("nat cgnat rule 1", "source pool 'P'", "translation pool 'Q'"):                                                                         {"destination > becomes invalid IP perhaps", "source > becomes invalid IP perhaps"},
	} {
		require.Equal(t, want, layouttest.Translations(layouttest.Laws(t, Read, []byte(head+text))), text)
	}
	r := Read([]byte(head + rulesBelow("nat66 source rule 1", "outbound-interface 'eth0'", "translation address 'masquerade'")))
	four := network.Flow{Protocol: "tcp", SourcePort: 4000, DestinationPort: 443}
	x := r.Facts.Policy.Translations[0]
	require.Equal(t, network.No, x.Fits(addr("10.61.16.9"), addr("10.99.0.1"), four, "eth1", "eth0"))
	require.Equal(t, network.Yes, x.Fits(addr("fd6b::9"), addr("fd6c::1"), four, "eth1", "eth0"))
}

// TestNumberedPoliciesOfRouting: what each rule fits and where it sends that, at the interfaces that have the policy.
func TestNumberedPoliciesOfRouting(t *testing.T) {
	const head = "set interfaces ethernet eth1 address '10.61.16.1/24'\nset interfaces ethernet eth1 policy route 'STEER'\n"
	rule := func(leaves ...string) string { return rulesBelow("policy route STEER rule 10", leaves...) }
	for text, want := range map[string][]string{
		rule("destination port '80'", "protocol 'tcp'", "set table '10'"): {"permit tcp 80-80 in 10"},
		rule("source address '10.61.16.0/24'", "set table 'main'"):        {"permit from 10.61.16.0/24"},
		rule("source address '10.61.16.0/24'", "action 'drop'"):           {"permit from 10.61.16.0/24 dropped"},
		rule("set vrf 'yard'"):                 {"permit in yard"},
		rule("set mark '7'"):                   {"permit elsewhere"},
		rule("set table '10'", "set mark '7'"): {"permit elsewhere"},
		rule("odd thing", "set table '10'"):    {"permit perhaps in 10"},
		rule("set table '10'", "disable"):      nil,
		rule("set dscp '46'"):                  nil,
		rule("set table '10'") + rulesBelow("policy route STEER rule 5", "protocol 'udp'", "set table 9"): {"permit udp in 9", "permit in 10"},
	} {
		r := layouttest.Laws(t, Read, []byte(head+text))
		require.Equal(t, want, layouttest.Lists(r.Facts.ListRules)["policy route STEER"], text)
		require.Equal(t, want != nil, len(r.Facts.Applied) > 0, text)
	}
	r := layouttest.Laws(t, Read, []byte(head))
	require.True(t, slices.ContainsFunc(r.Facts.Policy.Flows, func(f network.FlowRule) bool {
		return f.Hook == network.Steered && f.NotRead && f.In == "eth1"
	}), "a policy that the text does not tell")
}

func addr(s string) netip.Addr { return netip.MustParseAddr(s) }
