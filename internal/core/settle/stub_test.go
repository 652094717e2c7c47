package settle

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/change"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/topology"
)

// TestANetworkWithNobodyOnIt comes up at a device that is told to announce it: its neighbours hear of it. Where nothing
// tells so they do not.
func TestANetworkWithNobodyOnIt(t *testing.T) {
	const net = `
	a: addr 172.16.0.1/30 e0
	a: direct 172.16.0.0/30 dev e0
	a: link e0 up
	a: runs ospf e0 area 0.0.0.0 cost 10
	a: ospf 10.6.0.0/24 pref 110 metric 20 via 172.16.0.2 dev e0
	b: addr 172.16.0.2/30 e0
	b: direct 172.16.0.0/30 dev e0
	b: link e0 up
	b: runs ospf e0 area 0.0.0.0 cost 10
	b: direct 10.6.0.0/24 dev lan
	b: addr 10.6.0.1/24 lan
	b: link lan up
	b: runs ospf lan area 0.0.0.0 cost 10
	b: addr 10.7.0.1/24 yard
	b: link yard down
	`
	p := netip.MustParsePrefix("10.7.0.0/24")
	for told, want := range map[string]string{"b: runs ospf yard area 0.0.0.0 cost 10\n": "ospf 172.16.0.2%e0", "": ""} {
		n := coretest.Build(net + told)
		edited, err := change.Change{change.InterfaceUp{Device: "b", Interface: "yard"}}.On(n)
		require.NoError(t, err)
		after := New(topology.Build(n)).Run(edited).Network
		require.Equal(t, want, plainWords(inUse(after, "a")[p]), told)
		require.Contains(t, inUse(after, "b")[p], "direct")
	}
}
