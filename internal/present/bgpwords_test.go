package present

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestWhatAConfigurationTellsOfBGP: what a system does unasked is told apart from what a line says.
func TestWhatAConfigurationTellsOfBGP(t *testing.T) {
	for want, x := range map[string]network.BGPStatement{
		"BGP: the device is of the autonomous system 64901": {Local: 64901},
		"BGP: the device is of the autonomous system 64901; by FRR's default up to 16 equal paths are used at once; " +
			"by FRR's default what other autonomous systems tell it has the preference 20; " +
			"of another protocol it takes what the table uses by that one": {Local: 64901, Paths: 16, Preference: route.N(20), Strict: true},
		"BGP: up to 4 equal paths are used at once":                           {Paths: 4},
		"BGP: what is exchanged with other autonomous systems needs no rules": {Unruled: true},
	} {
		require.Equal(t, want, bgpWords(x))
	}
	f := network.Facts{Redistributed: []network.Redistribution{{Protocol: route.OSPF, Source: route.BGP, Metric: route.N(20), Default: true}}}
	f.Each(func(x network.Fact) {
		require.Equal(t, "ospf announces what is known by bgp, with the external metric 20 (FRR's default)", factWords(x))
	})
}
