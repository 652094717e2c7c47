package lists

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

func TestTunnels(t *testing.T) {
	r := layouttest.Laws(t, ReadTunnels, []byte(Tunnels.Sample+"cable9: udp/ip remote 172.28.61.26 local 172.28.61.2\n"))
	require.Len(t, r.Facts.Policy.Tunnels, 2, "one without a far end is open to whoever sends into it")
	require.Equal(t, "7", r.Facts.Policy.Tunnels[1].Key)
	require.Len(t, r.Unread, 1, "of another kind")
}

func FuzzReadTunnels(f *testing.F) {
	f.Add([]byte(Tunnels.Sample))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, ReadTunnels, in) })
}
