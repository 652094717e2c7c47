package audit

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// TestUnreadRowsAreAskedForEachAddress: a line that was not read and names a prefix makes unknown what is inside of it,
// in an audit as in a trace, though the table does the same with addresses outside.
func TestUnreadRowsAreAskedForEachAddress(t *testing.T) {
	a := coretest.Facts("addr 10.0.0.1/24 lan\ndirect 10.0.0.0/24 dev lan\naddr 172.16.0.1/30 e0\ndirect 172.16.0.0/30 dev e0\nstatic 11.61.0.0/17 via 172.16.0.2", 1)
	a.Tables[0].Unread = []network.UnreadRow{{Prefix: netip.MustParsePrefix("10.9.0.0/16"), Mark: route.Mark{File: 1, Off: 90, End: 95}},
		{Prefix: netip.MustParsePrefix("11.0.0.0/8"), Host: netip.MustParseAddr("11.61.20.0"), Mark: route.Mark{File: 1, Off: 96, End: 99}}}
	far := coretest.Facts("addr 172.16.0.2/30 e0\ndirect 172.16.0.0/30 dev e0\naddr 10.9.1.1/24 l1\ndirect 10.9.1.0/24 dev l1\naddr 10.8.1.1/24 l2\ndirect 10.8.1.0/24 dev l2\naddr 11.61.100.1/17 l4\ndirect 11.61.0.0/17 dev l4\nstatic 10.0.0.0/24 via 172.16.0.1 dev e0", 2)
	var b network.Builder
	b.Add("a", a, 0)
	b.Add("b", far, 0)
	w := forward.NewWalker(topology.Build(b.Build()))
	r := Run(w, Options{})
	src := netip.MustParseAddr("10.0.0.9")
	for _, dst := range []string{"10.9.1.9", "10.8.1.9", "11.61.23.9"} {
		to := netip.MustParseAddr(dst)
		list, _ := r.Of(src, to)
		require.Len(t, list, 1)
		require.Equal(t, w.Trace(src, to).Forward.Verdict, list[0].Verdict, dst)
	}
	list, _ := r.Of(src, netip.MustParseAddr("11.61.64.9"))
	require.Empty(t, list, "no network has it and the row's address, and is longer than the route")
	require.Equal(t, forward.Arrives, w.Trace(src, netip.MustParseAddr("11.61.64.9")).Forward.Verdict)
}
