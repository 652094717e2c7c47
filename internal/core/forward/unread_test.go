package forward_test

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

// TestALineInTheWay: one that was not read and one that tells of a change are told apart, by the walk and by the
// explanation.
func TestALineInTheWay(t *testing.T) {
	for _, changed := range []bool{false, true} {
		f := coretest.Facts("direct 10.1.0.0/24 dev lan\naddr 10.1.0.1/24 lan\nstatic 10.9.0.0/16 via 10.1.0.2", 1)
		f.Tables[0].Unread = []network.UnreadRow{{Prefix: netip.MustParsePrefix("10.9.4.0/24"), Changed: changed, Mark: mark(50)}}
		var b network.Builder
		b.Add("a", f, 0)
		n := b.Build()
		w := forward.NewWalker(topology.Build(n))
		want := forward.RowUnread
		if changed {
			want = forward.ChangedSince
		}
		x := w.Why(n.Device("a"), n.Device("a").Table("default", route.IPv4), netip.MustParsePrefix("10.9.4.9/32"))
		code, line, unknown := x.CannotTell()
		require.True(t, unknown)
		require.Equal(t, want, code)
		require.Equal(t, mark(50), line)
		require.False(t, x.Forwards())
		d := w.Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.4.9")).Forward
		require.Equal(t, forward.Unknown, d.Verdict)
		require.Equal(t, want, d.Branches[0].Reason.Code)
		x = w.Why(n.Device("a"), n.Device("a").Table("default", route.IPv4), netip.MustParsePrefix("10.9.5.9/32"))
		_, _, unknown = x.CannotTell()
		require.False(t, unknown, "the line is in the way of its own prefix alone")
		require.True(t, x.Forwards())
	}
}

// TestRowsForSomeSources: what a device with one does hangs on the source.
func TestRowsForSomeSources(t *testing.T) {
	for from, want := range map[string]bool{"fd6b:5::/48": true, "": false} {
		f := coretest.Facts("direct fd6b:1::/64 dev e0\naddr fd6b:1::1/64 e0", 1)
		row := network.UnreadRow{Prefix: netip.MustParsePrefix("fd6b:7::/64")}
		if from != "" {
			row.From = netip.MustParsePrefix(from)
		}
		f.Tables[0].Unread = []network.UnreadRow{row}
		var b network.Builder
		b.Add("a", f, 0)
		n := b.Build()
		w := forward.NewWalker(topology.Build(n))
		require.Equal(t, want, w.Sensitive(n.Device("a"), route.IPv6))
		require.False(t, w.Sensitive(n.Device("a"), route.IPv4))
	}
}
