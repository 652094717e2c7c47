package topology_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// inALine is four routers one after the other, r3 and r4 with a link on which r4's own address was not captured.
const inALine = `
r1: addr 172.28.12.1/30 e1
r1: direct 172.28.12.0/30 dev e1
r1: ospf 10.61.9.0/24 pref 110 metric 30 via 172.28.12.2 dev e1
r2: addr 172.28.12.2/30 e1
r2: direct 172.28.12.0/30 dev e1
r2: addr 172.28.23.1/30 e2
r2: direct 172.28.23.0/30 dev e2
r2: ospf 10.61.9.0/24 pref 110 metric 20 via 172.28.23.2 dev e2
r3: addr 172.28.23.2/30 e2
r3: direct 172.28.23.0/30 dev e2
r3: addr 172.28.34.1/30 e3
r3: direct 172.28.34.0/30 dev e3
r3: ospf 10.61.9.0/24 pref 110 metric 10 via 172.28.34.2 dev e3
r4: direct 172.28.34.0/30 dev e3
r4: addr 10.61.9.1/24 lan0
r4: direct 10.61.9.0/24 dev lan0
`

// TestDisturbed: who shares the link that differs is asked everywhere; who shares another one with a device that
// differs, for destinations there alone.
func TestDisturbed(t *testing.T) {
	n := coretest.Build(inALine)
	was := topology.Build(n)
	for _, tc := range []struct {
		name             string
		edit             func(x *network.Draft)
		anywhere, beside []string
	}{
		{"nothing", func(*network.Draft) {}, nil, nil},
		{"an interface", func(x *network.Draft) {
			x.SetInterface("r2", network.Interface{Name: "e1", State: network.LinkDown})
		}, []string{"r1", "r2"}, []string{"r3"}},
		{"a device", func(x *network.Draft) { x.Remove("r2") }, []string{"r1", "r2", "r3"}, nil},
		{"what a device does", func(x *network.Draft) {
			x.SetSwitch("r2", network.Switch{Family: route.IPv4})
		}, []string{"r1", "r2", "r3"}, nil},
		{"a next hop that is somebody's", func(x *network.Draft) {
			x.SetRoutes("r2", "default", netip.MustParsePrefix("10.61.9.0/24"), nil)
		}, nil, nil},
		{"a next hop of which the owner is deduced", func(x *network.Draft) {
			x.SetRoutes("r3", "default", netip.MustParsePrefix("10.61.9.0/24"), nil)
		}, []string{"r3", "r4"}, []string{"r2"}},
	} {
		t.Run(tc.name, func(t *testing.T) {
			x := n.Draft()
			tc.edit(x)
			d := was.Disturbed(was.On(x.Freeze()))
			require.Equal(t, tc.anywhere, told(n, d.Anywhere), "anywhere")
			require.Equal(t, tc.beside, told(n, d.Beside), "beside")
			if len(tc.beside) > 0 {
				require.True(t, d.Touches(netip.MustParseAddr("172.28.23.2")))
				require.False(t, d.Touches(netip.MustParseAddr("10.61.9.7")))
			}
		})
	}
}

// told names the devices that are told.
func told(n *network.Snapshot, which []bool) (out []string) {
	for i, is := range which {
		if is {
			out = append(out, n.Numbered(i).Name)
		}
	}
	return out
}
