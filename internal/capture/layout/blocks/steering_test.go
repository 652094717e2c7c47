package blocks

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

// TestPoliciesOfRouting: what each fits and where it sends that; what is not understood may send packets elsewhere.
func TestPoliciesOfRouting(t *testing.T) {
	const head = "config system interface\n    edit \"up1\"\n        set ip 172.28.61.10 255.255.255.252\n    next\nend\nconfig firewall address\n    edit \"tills\"\n        set subnet 10.61.18.0 255.255.255.0\n    next\nend\nconfig router policy\n    edit 1\n"
	const there = "set gateway 172.28.61.9\nset output-device \"up1\"\n"
	for sets, want := range map[string][]string{
		"set input-device \"hall0\"\nset src \"10.61.16.0/255.255.255.0\"\n" + there:                      {"permit from 10.61.16.0/24 in hall0 to 172.28.61.9"},
		"set srcaddr \"tills\"\nset dstaddr \"all\"\n" + there:                                            {"permit from 10.61.18.0/24 to 172.28.61.9"},
		"set protocol 6\nset start-port 443\nset end-port 443\nset tos 0x00\nset tos-mask 0x00\n" + there: {"permit tcp 443-443 to 172.28.61.9"},
		"set protocol 17\nset start-port 1\nset end-port 65535\n" + there:                                 {"permit udp to 172.28.61.9"},
		"set dst \"10.61.16.0/255.255.255.0\"\nset action deny\n":                                         {"permit to 10.61.16.0/24"},
		"set src \"10.61.16.0/255.255.255.0\"\nset output-device \"up1\"\n":                               {"permit from 10.61.16.0/24 elsewhere"},
		"set gateway 172.28.61.9\nset output-device \"up2\"\n":                                            {"permit elsewhere"},
		"set srcaddr \"nobody told\"\n" + there:                                                           {"permit perhaps to 172.28.61.9"},
		"set input-device \"hall0\"\nset internet-service-id 9\n" + there:                                 {"permit in hall0 perhaps to 172.28.61.9"},
		"set tos 0x10\nset tos-mask 0xff\n" + there:                                                       {"permit perhaps to 172.28.61.9"},
		"set status disable\n" + there:                                                                    nil,
	} {
		r := layouttest.Laws(t, Read, []byte(head+sets+"    next\nend\n"))
		var got []string
		for _, rule := range layouttest.Lists(r.Facts.ListRules)[steered] {
			if strings.Contains(rule, " begins") {
				got = append(got, strings.Replace(rule, " begins", "", 1))
				continue
			}
			require.Contains(t, rule, " answers perhaps", "whether what answers is sent so too is not told")
		}
		require.Equal(t, want, got, sets)
		require.Equal(t, want != nil, slices.ContainsFunc(r.Facts.Applied, func(a network.AppliedFilter) bool {
			return a.List == steered && a.Rule.Hook == network.Steered && a.Rule.Permit
		}), sets)
	}
}
