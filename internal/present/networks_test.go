package present

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/survey"
	"zarvek/internal/core/topology"
)

// star is n stations, each with a hall of its own and a default route over its link to the control room, which knows
// every second hall.
func star(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "s%d: direct 10.61.%d.0/24 dev hall\ns%d: addr 172.28.%d.2/30 up\ns%d: direct 172.28.%d.0/30 dev up\ns%d: static 0.0.0.0/0 via 172.28.%d.1 dev up\n", i, i, i, i, i, i, i, i)
		fmt.Fprintf(&b, "control: addr 172.28.%d.1/30 p%d\ncontrol: direct 172.28.%d.0/30 dev p%d\n", i, i, i, i)
		if i%2 == 0 {
			fmt.Fprintf(&b, "control: static 10.61.%d.0/24 via 172.28.%d.2 dev p%d\n", i, i, i)
		}
	}
	return b.String()
}

func TestNetworksOfManyDevicesAreCounted(t *testing.T) {
	for _, tt := range []struct {
		n         int
		has, lack []string
	}{
		{4, []string{"4 devices have a default route: s0, s1, s2, s3\n", "How each device knows each network:"}, []string{"How many"}},
		{70, []string{"70 devices have a default route: s0, s1,", "s23 and 46 others", "How many devices know each network in which way",
			"network         attached  own route  summary  default only  parts only  discarded  not at all  no table",
			"10.61.2.0/24    1         1          0        69            0           0          0           0",
			"10.61.3.0/24    1         0          0        69            0           0          1           0"}, []string{"How each device", "s24,"}},
	} {
		topo := topology.Build(coretest.Build(star(tt.n)))
		var b strings.Builder
		require.NoError(t, NetworksText(&b, survey.Make(topo, 0), topo.Network.Devices().Copy(), View{Evidence: fixed{}}))
		for _, s := range tt.has {
			require.Contains(t, b.String(), s)
		}
		for _, s := range tt.lack {
			require.NotContains(t, b.String(), s)
		}
	}
}
