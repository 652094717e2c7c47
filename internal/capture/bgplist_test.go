package capture

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

const bgpList = `   Network          Next Hop            Metric LocPrf Weight Path
*> 10.61.90.0/24    172.28.61.6              0             0 64998 i
*> 10.61.91.0/24    0.0.0.0                  0         32768 i
*  10.61.92.0/24    172.28.61.6              0             0 64998 i

Displayed  3 routes and 3 total paths
`

// TestWhetherBGPsListIsWhole: by the command that asked for it, and where none is shown by the count at its end. What is
// told to others, or was not taken, is no candidate.
func TestWhetherBGPsListIsWhole(t *testing.T) {
	const whole, part, none = "whole", "part", "none"
	for command, want := range map[string]string{
		"show ip bgp": whole, "show bgp ipv4 unicast": whole, "sh bgp": whole, "display bgp routing-table": whole, "show ip bgp wide": whole,
		"": whole, "show ip bgp regexp ^64998": part, "show ip bgp neighbors 172.28.61.6 routes": part, "show ip bgp 10.0.0.0/8 longer-prefixes": part,
		"show ip bgp cidr-only": part, "show ip bgp community 1:1": part, "show ip bgp | include 64998": part, "show bgp vrf tickets": whole,
		"show bgp ipv4 unicast neighbors 172.28.61.6 advertised-routes": none, "show ip bgp neighbors 172.28.61.6 received-routes": none,
		"display bgp routing-table peer 172.28.61.6 advertised-routes": none, "show ip bgp dampening dampened-paths": none,
	} {
		t.Run(command, func(t *testing.T) {
			text := bgpList
			if command != "" {
				text = "depot# " + command + "\n" + bgpList + "depot# \n"
			}
			r, err := Read("x", []byte(text), 1)
			require.NoError(t, err)
			got := none
			for _, p := range r.Parts {
				for _, tab := range p.Facts.Tables {
					if got = part; tab.WholeList {
						got = whole
					}
				}
			}
			require.Equal(t, want, got)
		})
	}
	less, err := Read("x", []byte(strings.Replace(bgpList, "3 total", "9 total", 1)), 1)
	require.NoError(t, err)
	require.False(t, less.Parts[0].Facts.Tables[0].WholeList, "others are left out")
	require.Equal(t, 2, less.Parts[0].Facts.Tables[0].Routes.Len(), "what the device itself announces is no candidate")
}
