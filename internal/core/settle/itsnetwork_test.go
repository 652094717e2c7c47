package settle

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/topology"
)

// TestTheWayToItsNetwork: what others pay for a network that a router attaches to tells what its interface there costs,
// unless it might come there for less by somebody else.
func TestTheWayToItsNetwork(t *testing.T) {
	const beyond = "c: addr 172.16.3.1/30 e3\nc: direct 172.16.3.0/30 dev e3\nc: link e3 up\nc: isis 10.9.0.0/24 pref 115 metric 5 via 172.16.3.2 dev e3\n" +
		"a: isis 10.9.0.0/24 pref 115 metric 15 via 172.16.2.1 dev e2\nb: isis 10.3.0.0/24 pref 115 metric 7 via 172.16.1.2 dev e1\n" +
		"d: addr 172.16.3.2/30 e3\nd: direct 172.16.3.0/30 dev e3\nd: link e3 up\nd: direct 10.9.0.0/24 dev lan\n"
	const less = "a: isis 172.16.1.0/30 pref 115 metric 19 via 172.16.2.1 dev e2\nd: isis 172.16.1.0/30 pref 115 metric 14 via 172.16.3.1 dev e3\n"
	for _, tt := range []struct {
		name, in string
		cost     uint64 // 0: not known
	}{
		{"less than by anybody else", less + "c: runs isis e1 area level-2\nc: runs isis e2 area level-2\nc: runs isis e3 area level-2\n", 9},
		{"it may leave to the far end to announce the network", less, 0},
		{"its own table tells that it does not", less + "c: isis 172.16.1.0/30 pref 115 metric 18 via 172.16.1.1 dev e1 candidate\n", 9},
		{"its own table tells that it may", less + "c: isis 172.16.1.0/30 pref 115 metric 9 via 172.16.1.1 dev e1 candidate\n", 0},
		{"another network of the interface", "c: runs isis e1 area level-2\nc: runs isis e2 area level-2\nc: runs isis e3 area level-2\nc: direct 10.8.0.0/24 dev e1\na: isis 10.8.0.0/24 pref 115 metric 19 via 172.16.2.1 dev e2\n", 0},
		{"others may come there for less", "c: runs isis e1 area level-2\nc: runs isis e2 area level-2\nc: runs isis e3 area level-2\na: isis 172.16.1.0/30 pref 115 metric 119 via 172.16.2.1 dev e2\nd: isis 172.16.1.0/30 pref 115 metric 3 via 172.16.3.9 dev e9\n", 0},
		{"its own table tells that others come there for more", "a: isis 172.16.1.0/30 pref 115 metric 119 via 172.16.2.1 dev e2\n" +
			"d: isis 172.16.1.0/30 pref 115 metric 3 via 172.16.3.9 dev e9\nc: isis 172.16.1.0/30 pref 115 metric 130 via 172.16.3.2 dev e3 candidate\n", 109},
		{"its own table tells that others come there for as much", "a: isis 172.16.1.0/30 pref 115 metric 119 via 172.16.2.1 dev e2\n" +
			"d: isis 172.16.1.0/30 pref 115 metric 3 via 172.16.3.9 dev e9\nc: isis 172.16.1.0/30 pref 115 metric 109 via 172.16.3.2 dev e3 candidate\n", 0},
	} {
		t.Run(tt.name, func(t *testing.T) {
			for _, c := range Costs(topology.Build(coretest.Build(ring + beyond + tt.in))) {
				if c.Device == "c" && c.Interface == "e1" {
					require.Equal(t, tt.cost > 0, c.Value.Known)
					require.Equal(t, tt.cost, c.Value.Value)
					return
				}
			}
			t.Fatal("no such adjacency")
		})
	}
}
