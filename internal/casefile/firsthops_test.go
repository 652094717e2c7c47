package casefile

import (
	"fmt"
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
	"zarvek/internal/core/topology"
)

// The table of one router in the forms in which it may have been captured: all but one of them show one next hop.
const (
	genmaskNames = "Destination     Gateway         Genmask         Flags Metric Ref    Use Iface\n"
	genmaskRows  = "10.61.1.0       0.0.0.0         255.255.255.0   U     0      0        0 hall0\n" +
		"172.28.61.0     0.0.0.0         255.255.255.252 U     0      0        0 up0\n" +
		"172.28.61.4     0.0.0.0         255.255.255.252 U     0      0        0 up1\n" +
		"10.61.2.0       172.28.61.2     255.255.255.0   UG    0      0        0 up0\n"
	hexRows = "Iface\tDestination\tGateway \tFlags\tRefCnt\tUse\tMetric\tMask\t\tMTU\tWindow\tIRTT\n" +
		"hall0\t00013D0A\t00000000\t0001\t0\t0\t0\t00FFFFFF\t0\t0\t0\n" +
		"up0\t003D1CAC\t00000000\t0001\t0\t0\t0\tFCFFFFFF\t0\t0\t0\n" +
		"up1\t043D1CAC\t00000000\t0001\t0\t0\t0\tFCFFFFFF\t0\t0\t0\n" +
		"up0\t00023D0A\t023D1CAC\t0003\t0\t0\t0\t00FFFFFF\t0\t0\t0\n"
	bothHops = "10.61.1.0/24 dev hall0 proto kernel scope link src 10.61.1.1\n" +
		"172.28.61.0/30 dev up0 proto kernel scope link src 172.28.61.1\n" +
		"172.28.61.4/30 dev up1 proto kernel scope link src 172.28.61.5\n" +
		"10.61.2.0/24 proto static \n\tnexthop via 172.28.61.2 dev up0 weight 1 \n" +
		"\tnexthop via 172.28.61.6 dev up1 weight 1 \n"
	bothChosen = "C>* 10.61.1.0/24 is directly connected, hall0, 00:10:11\n" +
		"C>* 172.28.61.0/30 is directly connected, up0, 00:10:11\nC>* 172.28.61.4/30 is directly connected, up1, 00:10:11\n" +
		"S>* 10.61.2.0/24 [1/0] via 172.28.61.6, up1, weight 1, 00:10:00\n" +
		"  *                    via 172.28.61.2, up0, weight 1, 00:10:00\n"
)

// TestFirstNextHops: where the capture shows the first next hop of each route alone, what hangs on it is said, of losses
// too; where another capture shows all of them, the packets take them all.
func TestFirstNextHops(t *testing.T) {
	far := "10.61.2.0/24 dev hall0 proto kernel scope link src 10.61.2.1\n" +
		"172.28.61.0/30 dev up0 proto kernel scope link src 172.28.61.2\n" +
		"172.28.61.4/30 dev up1 proto kernel scope link src 172.28.61.6\n10.61.1.0/24 via 172.28.61.1 dev up0\n" +
		"blackhole 10.61.2.128/25\n"
	title := "Kernel IP routing table\n"
	for name, tt := range map[string]struct {
		near  []string
		first bool // one next hop is known, which may not be all
		ways  int
	}{
		"as net-tools print it":    {[]string{title + genmaskNames + genmaskRows}, true, 1},
		"without its title":        {[]string{genmaskNames + genmaskRows}, true, 1},
		"twice, without its title": {[]string{genmaskNames + genmaskRows + genmaskNames + genmaskRows}, true, 1},
		"as the kernel's file":     {[]string{hexRows}, true, 1},
		"in both these forms":      {[]string{title + genmaskNames + genmaskRows, hexRows}, true, 1},
		"all next hops":            {[]string{bothHops}, false, 2},
		"all beside the first":     {[]string{title + genmaskNames + genmaskRows, bothHops}, false, 2},
		"the first beside all":     {[]string{bothHops, genmaskNames + genmaskRows, hexRows}, false, 2},
		"below a routing table":    {[]string{bothChosen, hexRows}, false, 2},
		"untitled, below one":      {[]string{genmaskNames + genmaskRows, bothChosen}, false, 2},
	} {
		files := map[string]string{"far/far.txt": far}
		for i, text := range tt.near {
			files[fmt.Sprintf("near/%d.txt", i)] = text
		}
		c, err := Load(write(t, files))
		require.NoError(t, err)
		near := c.Network.Device("near")
		table := near.Table("default", route.IPv4)
		require.Equal(t, tt.first, table.FirstHops, name)
		require.Zero(t, table.Differences().Len(), name)
		to, _ := table.Exact(netip.MustParsePrefix("10.61.2.0/24"))
		require.Zero(t, table.Routes().At(to.Lo).State&^(route.Active|route.Installed), name)
		require.Equal(t, tt.first, selection.Explain(near, table, netip.MustParsePrefix("10.61.2.0/24")).Remarks != nil, name)
		require.Nil(t, selection.Explain(near, table, netip.MustParsePrefix("10.61.1.0/24")).Remarks, name)
		w := forward.NewWalker(topology.Build(c.Network))
		for to, lost := range map[string]bool{"10.61.2.10": false, "10.61.2.130": true} {
			rt := w.Trace(netip.MustParseAddr("10.61.1.10"), netip.MustParseAddr(to))
			require.Equal(t, lost, rt.Verdict != forward.TwoWay, name)
			require.Len(t, rt.Forward.Branches, tt.ways, name)
			require.Equal(t, lost, rt.Forward.Branches[0].Verdict != forward.Arrives, name)
			said := slices.ContainsFunc(c.Assumed(&rt), func(a Assumption) bool { return slices.Contains(a.What, UntoldHops) })
			require.Equal(t, tt.first, said, name)
		}
	}
}

// TestASourceCheckByTheFirstNextHop: a check looks at all next hops that lead back, of which one is shown.
func TestASourceCheckByTheFirstNextHop(t *testing.T) {
	c, err := Load(write(t, map[string]string{
		"near/a.txt": genmaskNames + genmaskRows,
		"near/b.txt": "net.ipv4.ip_forward = 1\nnet.ipv4.conf.all.rp_filter = 1\n",
		"far/a.txt": "10.61.2.0/24 dev hall0 proto kernel scope link src 10.61.2.1\n" +
			"172.28.61.0/30 dev up0 proto kernel scope link src 172.28.61.2\n" +
			"172.28.61.4/30 dev up1 proto kernel scope link src 172.28.61.6\n10.61.1.0/24 via 172.28.61.5 dev up1\n",
	}))
	require.NoError(t, err)
	rt := forward.NewWalker(topology.Build(c.Network)).Trace(netip.MustParseAddr("10.61.2.10"), netip.MustParseAddr("10.61.1.10"))
	require.Equal(t, forward.SourceCheck, rt.Forward.Verdict)
	require.Contains(t, c.Assumed(&rt), Assumption{[]string{"near"}, []Untold{UntoldRouting, UntoldHops}})
}

// TestATunnelCarriedByFirstNextHops: what its outer packet passes takes the same for granted.
func TestATunnelCarriedByFirstNextHops(t *testing.T) {
	c, err := Load(write(t, map[string]string{"near/a.txt": genmaskNames + genmaskRows, "far/a.txt": bothHops}))
	require.NoError(t, err)
	for carrier, first := range map[string]bool{"near": true, "far": false} {
		end := netip.MustParseAddr("10.61.2.1")
		rt := forward.RoundTrip{Destination: forward.End{Address: end}, Forward: forward.Direction{Verdict: forward.Arrives,
			Branches: []forward.Branch{{Verdict: forward.Arrives, Hops: []forward.Hop{{Outside: []string{carrier}, Tunnel: end}}}}}}
		all := c.Assumed(&rt)
		require.Len(t, all, 1)
		require.Equal(t, []string{carrier}, all[0].Devices)
		require.Equal(t, first, slices.Contains(all[0].What, UntoldHops))
	}
}
