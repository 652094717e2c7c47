package network_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestAnUnreadRow is in the way of shorter routes, unless a route of its own prefix is in use in some capture.
func TestAnUnreadRow(t *testing.T) {
	build := func(routes string, unread ...string) *network.Table {
		f := coretest.Facts(routes, 1)
		for i, p := range unread {
			f.Tables[0].Unread = append(f.Tables[0].Unread, network.UnreadRow{Prefix: prefix(p), Mark: route.Mark{File: 1, Off: uint32(100 + i), End: uint32(101 + i)}})
		}
		var b network.Builder
		b.Add("a", f, 0)
		return b.Build().Device("a").Table("default", route.IPv4)
	}
	at := func(tab *network.Table, longer int) string {
		u, ok := tab.UnreadRow(netip.MustParseAddr("10.1.2.3"), longer)
		if !ok {
			return "none"
		}
		return u.Prefix.String()
	}
	tab := build("static 0.0.0.0/0 via 10.0.0.1", "10.1.0.0/16", "10.1.2.0/24", "10.9.0.0/16")
	require.Equal(t, "10.1.2.0/24", at(tab, -1))
	require.Equal(t, "10.1.2.0/24", at(tab, 16))
	require.Equal(t, "none", at(tab, 24), "a route as long is not led elsewhere")
	require.Equal(t, "none", at(build("static 10.1.2.0/24 via 10.0.0.1", "10.1.2.0/24"), -1), "it was read after all")
	require.Equal(t, "10.1.2.0/24", at(build("static 10.1.2.0/24 via 10.0.0.1 candidate", "10.1.2.0/24"), -1), "the one in use may be the unread one")
	require.Equal(t, "none", at(build("static 0.0.0.0/0 via 10.0.0.1"), -1))
	var all []string
	for u := range tab.UnreadRows() {
		all = append(all, u.Prefix.String())
	}
	require.Equal(t, []string{"10.1.0.0/16", "10.1.2.0/24", "10.9.0.0/16"}, all)
}

// TestRowsOfOnePrefix: a line that goes on from a row does not hide that routes inside of its prefix may be missing.
func TestRowsOfOnePrefix(t *testing.T) {
	f := coretest.Facts("static 10.1.0.0/16 via 10.0.0.1\nstatic 10.1.2.0/24 via 10.0.0.1", 1)
	f.Tables[0].Unread = []network.UnreadRow{{Prefix: prefix("10.1.0.0/16"), Beside: true}, {Prefix: prefix("10.1.0.0/16"), Any: true}}
	var b network.Builder
	b.Add("a", f, 0)
	u, ok := b.Build().Device("a").Table("default", route.IPv4).UnreadRow(netip.MustParseAddr("10.1.2.3"), 24)
	require.True(t, ok)
	require.True(t, u.Any && u.Beside)
}
