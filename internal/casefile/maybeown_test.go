package casefile

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
)

// TestADestinationThatMayBeTheDevicesOwn: what a device does not forward may be for itself, where no list shows its
// addresses of that family.
func TestADestinationThatMayBeTheDevicesOwn(t *testing.T) {
	const (
		sixes  = "00000000000000000000000000000001 01 80 10 80 lo\n"
		fours  = "lo               UNKNOWN        127.0.0.1/8\nhall0            UP             10.61.2.1/24\n"
		off    = "net.ipv4.ip_forward = 0\n"
		chance = "*filter\n:INPUT ACCEPT [0:0]\n:FORWARD ACCEPT [0:0]\n:OUTPUT ACCEPT [0:0]\n" +
			"-A FORWARD -m statistic --mode random --probability 0.5 -j DROP\nCOMMIT\n"
		filter = "*filter\n:INPUT ACCEPT [0:0]\n:FORWARD DROP [0:0]\n:OUTPUT ACCEPT [0:0]\nCOMMIT\n"
	)
	for name, tt := range map[string]struct {
		addresses, file, text string
		verdict               forward.Verdict
		code                  forward.Code
	}{
		"it does not forward":               {sixes, "sysctl.txt", off, forward.Unknown, forward.MaybeOwn},
		"it does not forward, addresses":    {fours, "sysctl.txt", off, forward.NotForwarding, forward.SwitchOff},
		"it drops what it forwards":         {sixes, "saved.txt", filter, forward.Unknown, forward.MaybeOwnFiltered},
		"it drops what it forwards, a list": {fours, "saved.txt", filter, forward.Filtered, forward.RuleDenies},
		"it may drop what it forwards":      {sixes, "saved.txt", chance, forward.Unknown, forward.RuleNotUnderstood},
		"it forwards":                       {sixes, "sysctl.txt", "net.ipv4.ip_forward = 1\n", forward.Arrives, 0},
	} {
		c, err := Load(write(t, map[string]string{
			"near/r.txt": "C    10.61.1.0/24 is directly connected, hall0\nC    172.28.61.0/30 is directly connected, up0\n" +
				"L    172.28.61.1/32 is directly connected, up0\nS    10.61.2.0/24 [1/0] via 172.28.61.2\n",
			"far/r.txt": genmaskNames + "10.61.2.0       0.0.0.0         255.255.255.0   U     0      0        0 hall0\n" +
				"172.28.61.0     0.0.0.0         255.255.255.252 U     0      0        0 up0\n",
			"far/addresses.txt": tt.addresses,
			"far/" + tt.file:    tt.text,
		}))
		require.NoError(t, err)
		rt := forward.NewWalker(topology.Build(c.Network)).Trace(netip.MustParseAddr("10.61.1.10"), netip.MustParseAddr("10.61.2.2"))
		require.Equal(t, tt.verdict, rt.Forward.Verdict, name)
		if tt.verdict != forward.Arrives {
			require.Equal(t, tt.code, rt.Forward.Branches[0].Reason.Code, name)
		}
	}
}
