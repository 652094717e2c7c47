package casefile

import (
	"net/netip"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
)

// TestCapturesOfTwoKernelsInOneFolder promise nothing; two listings of one kernel do.
func TestCapturesOfTwoKernelsInOneFolder(t *testing.T) {
	const (
		routes = "10.61.2.0/24 dev hall0 proto kernel scope link src 10.61.2.1\n10.61.3.0/24 dev up0 proto kernel scope link src 10.61.3.1\n"
		one    = "1: lo: <LOOPBACK,UP,LOWER_UP> mtu 65536 state UNKNOWN\n2: hall0: <BROADCAST,UP,LOWER_UP> mtu 1500 state UP\n3: up0: <BROADCAST,UP,LOWER_UP> mtu 1500 state UP\n"
		other  = "1: lo: <LOOPBACK,UP,LOWER_UP> mtu 65536 state UNKNOWN\n2: cable9: <BROADCAST,UP,LOWER_UP> mtu 1500 state UP\n"
		alone  = "2: hall0: <BROADCAST,UP,LOWER_UP> mtu 1500 state UP\n"
	)
	for second, want := range map[string]forward.Verdict{other: forward.Unknown, one: forward.Arrives, alone: forward.Arrives} {
		dir := filepath.Join(t.TempDir(), "case", "edge")
		require.NoError(t, os.MkdirAll(dir, 0o755))
		for name, text := range map[string]string{"r.txt": routes, "a.txt": one, "b.txt": second} {
			require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
		}
		c, err := Load(filepath.Dir(dir))
		require.NoError(t, err)
		rt := forward.NewWalker(topology.Build(c.Network)).Trace(netip.MustParseAddr("10.61.2.9"), netip.MustParseAddr("10.61.3.9"))
		require.Equal(t, want, rt.Forward.Verdict, second)
	}
}
