package casefile

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
)

// TestPacketsIntoAVRF: what comes in by an interface of a VRF is looked up in the VRF's table alone. Where none was
// captured nobody knows where it goes.
func TestPacketsIntoAVRF(t *testing.T) {
	const (
		hub   = "C    10.61.16.0/24 is directly connected, hall\nL    10.61.16.1/32 is directly connected, hall\nS    10.61.64.0/24 [1/0] via 172.28.61.2\nC    172.28.61.0/30 is directly connected, line1\nL    172.28.61.1/32 is directly connected, line1\n"
		main  = "10.61.64.0/24 dev tills proto kernel scope link src 10.61.64.1\n10.61.16.0/24 via 172.28.61.1 dev up0\n"
		flags = "2: up0: <BROADCAST,MULTICAST,UP,LOWER_UP> mtu 1500 qdisc fq master night state UP\n    link/ether 02:00:00:00:00:01 brd ff:ff:ff:ff:ff:ff\n    inet 172.28.61.2/30 scope global up0\n" +
			"4: night: <NOARP,MASTER,UP,LOWER_UP> mtu 65575 qdisc noqueue state UP\n    link/ether 02:00:00:00:00:09 brd ff:ff:ff:ff:ff:ff\n"
		details = flags + "    vrf table 10 addrgenmode eui64\n"
		night   = "172.28.61.0/30 dev up0 proto kernel scope link src 172.28.61.2\nblackhole 10.61.64.0/24\n"
	)
	for what, tt := range map[string]struct {
		links, table string
		want         forward.Verdict
		code         forward.Code
	}{
		"no table":           {details, "", forward.Unknown, forward.TableMissing},
		"another one":        {details, "till:~$ ip route show table 11\n" + night, forward.Unknown, forward.TableMissing},
		"by the VRF's name":  {details, "till:~$ ip route show vrf night\n" + night, forward.Discarded, forward.Blackholed},
		"by the table's own": {details, "till:~$ ip route show table 10\n" + night, forward.Discarded, forward.Blackholed},
		"no number, and the one table that has its network": {flags, "till:~$ ip route show table 11\n" + night, forward.Discarded, forward.Blackholed},
		"no number and no table":                            {flags, "", forward.Unknown, forward.TableMissing},
	} {
		c, err := Load(write(t, map[string]string{"hub/r.txt": hub, "till/r.txt": main, "till/links.txt": tt.links, "till/vrf.txt": tt.table}))
		require.NoError(t, err)
		rt := forward.NewWalker(topology.Build(c.Network)).Trace(netip.MustParseAddr("10.61.16.9"), netip.MustParseAddr("10.61.64.9"))
		require.Len(t, rt.Forward.Branches, 1, what)
		require.Equal(t, tt.want, rt.Forward.Branches[0].Verdict, "%s: %v", what, rt.Forward.Branches[0].Reason.Code)
		require.Equal(t, tt.code, rt.Forward.Branches[0].Reason.Code, what)
	}
}
