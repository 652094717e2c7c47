package casefile

import (
	"net/netip"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

const kernelRoutes = "10.61.2.0/24 dev hall0 proto kernel scope link src 10.61.2.1\ndefault via 172.28.61.1 dev up0\n"

// TestUntold: what no capture of a device speaks of is untold, and an empty answer is an answer.
func TestUntold(t *testing.T) {
	all := []Untold{UntoldForwarding, UntoldFilters, UntoldChecks, UntoldRouting}
	for name, tt := range map[string]struct {
		files map[string]string
		want  []Untold
	}{
		"a table alone": {map[string]string{"r": kernelRoutes}, all},
		"all of a kernel": {map[string]string{
			"r": kernelRoutes, "s": "net.ipv4.ip_forward = 1\nnet.ipv4.conf.all.rp_filter = 0\n",
			"n": `{"nftables":[{"metainfo":{"version":"1.0.6","release_name":"x","json_schema_version":1}}]}`,
			"u": "0:\tfrom all lookup local\n32766:\tfrom all lookup main\n32767:\tfrom all lookup default\n",
		}, nil},
		"rules of the other family": {map[string]string{
			"r": kernelRoutes, "s": "net.ipv4.ip_forward = 1\nnet.ipv4.conf.all.rp_filter = 0\n",
			"u": "0:\tfrom all lookup local\n32766:\tfrom all lookup main\n",
		}, []Untold{UntoldFilters, UntoldRouting}},
		"iptables alone": {map[string]string{
			"r": kernelRoutes, "n": "*filter\n:INPUT ACCEPT [0:0]\n:FORWARD ACCEPT [0:0]\n:OUTPUT ACCEPT [0:0]\nCOMMIT\n",
		}, []Untold{UntoldForwarding, UntoldBeside, UntoldChecks, UntoldRouting}},
		"iptables and all of nftables": {map[string]string{
			"r": kernelRoutes, "n": "*filter\n:INPUT ACCEPT [0:0]\n:FORWARD ACCEPT [0:0]\n:OUTPUT ACCEPT [0:0]\nCOMMIT\n",
			"m": `{"nftables":[{"metainfo":{"version":"1.0.6","release_name":"x","json_schema_version":1}}]}`,
		}, []Untold{UntoldForwarding, UntoldChecks, UntoldRouting}},
		"a daemon's configuration above a kernel": {map[string]string{
			"r": kernelRoutes, "c": "hostname edge\n!\ninterface hall0\n ip address 10.61.2.1/24\n!\nend\n",
		}, []Untold{UntoldFilters, UntoldChecks, UntoldRouting}},
		"a router's configuration": {map[string]string{
			"r": "C    10.61.2.0/24 is directly connected, hall0\n", "c": "hostname edge\n!\ninterface hall0\n ip address 10.61.2.1 255.255.255.0\n!\nend\n",
		}, nil},
		"a configuration that lacks an interface": {map[string]string{
			"r": "C    10.61.2.0/24 is directly connected, hall0\nC    10.61.3.0/24 is directly connected, hall1\n",
			"c": "hostname edge\n!\ninterface hall0\n ip address 10.61.2.1 255.255.255.0\n!\nend\n",
		}, all},
		"one that names the interface otherwise": {map[string]string{
			"r": "C    10.61.2.0/24 is directly connected, inside\n",
			"c": "hostname edge\n!\ninterface GigabitEthernet0/1\n ip address 10.61.2.1 255.255.255.0\n!\nend\n",
		}, nil},
		"one without the address": {map[string]string{
			"r": "C    10.61.2.0/24 is directly connected, hall0\n",
			"c": "hostname edge\n!\ninterface hall0\n ip address dhcp\n!\nend\n",
		}, nil},
		"a part of a configuration": {map[string]string{
			"s": "edge# show ip route\nC    10.61.2.0/24 is directly connected, hall0\n\n" +
				"edge# show running-config interface hall0\ninterface hall0\n ip address 10.61.2.1 255.255.255.0\nend\nedge#\n",
		}, all},
		"the names of a whole one": {map[string]string{
			"s": "edge# show ip route\nC    10.61.2.0/24 is directly connected, hall0\n\n" +
				"edge# show running-config formal\nhostname edge\n!\ninterface hall0\n ip address 10.61.2.1 255.255.255.0\nend\nedge#\n",
		}, nil},
		"routes of a configuration": {map[string]string{
			"r": "C    10.61.2.0/24 is directly connected, hall0\n", "c": "ip route 10.61.9.0 255.255.255.0 172.28.61.1\n",
		}, all},
	} {
		dir := t.TempDir()
		require.NoError(t, os.MkdirAll(filepath.Join(dir, "edge"), 0o755))
		for f, text := range tt.files {
			require.NoError(t, os.WriteFile(filepath.Join(dir, "edge", f+".txt"), []byte(text), 0o644))
		}
		c, err := Load(dir)
		require.NoError(t, err)
		require.Equal(t, tt.want, c.Untold(c.Network.Device("edge"), route.IPv4), name)
		if name == "iptables alone" {
			require.Equal(t, all, c.Untold(c.Network.Device("edge"), route.IPv6), "of the other family nothing is told")
		}
	}
}

func TestWhatATripTakesForGranted(t *testing.T) {
	dir := t.TempDir()
	for file, text := range map[string]string{
		"core/r.txt": "C    10.61.1.0/24 is directly connected, lan0\nC    172.28.61.0/30 is directly connected, wan0\nL    172.28.61.1/32 is directly connected, wan0\nS    10.61.2.0/24 [1/0] via 172.28.61.2\n",
		"edge/n.txt": "10.61.2.77 dev hall0 lladdr 02:00:00:00:00:77 REACHABLE\n",
		"edge/r.txt": "C    10.61.2.0/24 is directly connected, hall0\nC    172.28.61.0/30 is directly connected, up0\nL    172.28.61.2/32 is directly connected, up0\nS    10.61.1.0/24 [1/0] via 172.28.61.1\n",
	} {
		at := filepath.Join(dir, filepath.FromSlash(file))
		require.NoError(t, os.MkdirAll(filepath.Dir(at), 0o755))
		require.NoError(t, os.WriteFile(at, []byte(text), 0o644))
	}
	c, err := Load(dir)
	require.NoError(t, err)
	w := forward.NewWalker(topology.Build(c.Network))
	rt := w.Trace(netip.MustParseAddr("10.61.1.10"), netip.MustParseAddr("10.61.2.10"))
	require.Equal(t, forward.TwoWay, rt.Verdict)
	got := c.Assumed(&rt)
	require.Len(t, got, 2)
	require.Equal(t, []string{"core", "edge"}, got[0].Devices)
	require.Equal(t, Assumption{[]string{"10.61.2.10"}, []Untold{UntoldHost}}, got[1])
	seen := w.Trace(netip.MustParseAddr("10.61.1.10"), netip.MustParseAddr("10.61.2.77"))
	require.Equal(t, Assumption{[]string{"10.61.2.77"}, []Untold{UntoldAnswer}}, c.Assumed(&seen)[1])
	back := *seen.Return
	back.Verdict = forward.NoRoute
	oneWay := seen
	oneWay.Return = &back
	for _, a := range c.Assumed(&oneWay) {
		require.NotContains(t, a.What, UntoldAnswer, "its answer is lost")
	}
	itself := w.Trace(netip.MustParseAddr("10.61.1.10"), netip.MustParseAddr("172.28.61.2"))
	require.Equal(t, forward.TwoWay, itself.Verdict)
	require.Len(t, c.Assumed(&itself), 1, "a captured device answers")
	lost := w.Trace(netip.MustParseAddr("10.61.1.10"), netip.MustParseAddr("10.99.1.1"))
	require.Equal(t, []Assumption{{[]string{"core"}, []Untold{UntoldRouting}}}, c.Assumed(&lost), "nothing sends it elsewhere")
}

// TestRulesOfTheOtherFamily tell nothing of what leads to a table beside the main one.
func TestRulesOfTheOtherFamily(t *testing.T) {
	dir := t.TempDir()
	for f, text := range map[string]string{
		"r": kernelRoutes + "default via 172.28.61.9 dev up1 table 77\n",
		"u": "0:\tfrom all lookup local\n32766:\tfrom all lookup main\n", // of IPv6: no default table
	} {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, "edge"), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, "edge", f+".txt"), []byte(text), 0o644))
	}
	c, err := Load(dir)
	require.NoError(t, err)
	rt := forward.NewWalker(topology.Build(c.Network)).Trace(netip.MustParseAddr("10.61.2.1"), netip.MustParseAddr("10.9.0.9"))
	require.Equal(t, forward.RulesMissing, rt.Forward.Branches[0].Reason.Code)
	require.Empty(t, c.Assumed(&rt), "what is not known takes nothing for granted")
}
