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
		u, ok := tab.UnreadRow(netip.Addr{}, netip.MustParseAddr("10.1.2.3"), longer)
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

// TestAnUnreadRowOfUnknownLength may be a route to any network that has its address: those that share more bits with it
// than the route that was read. Where a route to its address is in use, it was read after all.
func TestAnUnreadRowOfUnknownLength(t *testing.T) {
	host := netip.MustParseAddr("10.61.20.0")
	build := func(routes string, hosts ...string) *network.Table {
		f := coretest.Facts(routes, 1)
		for _, h := range hosts {
			f.Tables[0].Unread = append(f.Tables[0].Unread, network.UnreadRow{Prefix: prefix("10.0.0.0/8"), Host: netip.MustParseAddr(h)})
		}
		var b network.Builder
		b.Add("a", f, 0)
		return b.Build().Device("a").Table("default", route.IPv4)
	}
	tab := build("static 10.61.0.0/16 via 10.0.0.1\nstatic 10.62.0.0/16 via 10.0.0.1", host.String())
	for _, c := range []struct {
		to     string
		longer int
		hidden bool
	}{
		{"10.61.20.9", 16, true},   // in a /24, or a /28
		{"10.61.23.9", 16, true},   // in a /22
		{"10.61.200.9", 16, false}, // no network longer than the route has both
		{"10.62.20.9", 14, false},
		{"10.62.20.9", 8, true},
		{"10.61.20.0", 31, true},
		{"11.61.20.0", -1, false},
	} {
		_, got := tab.UnreadRow(netip.Addr{}, netip.MustParseAddr(c.to), c.longer)
		require.Equal(t, c.hidden, got, c.to)
	}
	_, hidden := build("static 10.61.20.0/22 via 10.0.0.1", host.String()).UnreadRow(netip.Addr{}, host, 22)
	require.False(t, hidden, "it was read after all")
	for _, to := range []string{"10.61.20.9", "10.77.1.1"} {
		_, hidden = build("static 10.0.0.0/8 via 10.0.0.1", "10.61.20.0", "10.77.0.0").UnreadRow(netip.Addr{}, netip.MustParseAddr(to), 16)
		require.True(t, hidden, "several of one class: %s", to)
	}

	f := coretest.Facts("static 10.62.0.0/16 via 10.0.0.1", 1)
	f.Tables[0].Unread = []network.UnreadRow{{Prefix: prefix("10.0.0.0/8"), Host: netip.MustParseAddr("10.62.0.0"), Changed: true}}
	var b network.Builder
	b.Add("a", f, 0)
	_, hidden = b.Build().Device("a").Table("default", route.IPv4).UnreadRow(netip.Addr{}, netip.MustParseAddr("10.62.200.1"), 16)
	require.True(t, hidden, "somebody took away a route to its address, of whatever length")
}

// TestRowsOfOnePrefix: a line that goes on from a row does not hide that routes inside of its prefix may be missing.
func TestRowsOfOnePrefix(t *testing.T) {
	f := coretest.Facts("static 10.1.0.0/16 via 10.0.0.1\nstatic 10.1.2.0/24 via 10.0.0.1", 1)
	f.Tables[0].Unread = []network.UnreadRow{{Prefix: prefix("10.1.0.0/16"), Beside: true}, {Prefix: prefix("10.1.0.0/16"), Any: true}}
	var b network.Builder
	b.Add("a", f, 0)
	u, ok := b.Build().Device("a").Table("default", route.IPv4).UnreadRow(netip.Addr{}, netip.MustParseAddr("10.1.2.3"), 24)
	require.True(t, ok)
	require.True(t, u.Any && u.Beside)
}

// TestAnUnreadRowForSomeSources leads what comes from there; a kernel does not use another route to its prefix for any.
func TestAnUnreadRowForSomeSources(t *testing.T) {
	build := func(prefix string, from ...string) *network.Table {
		f := coretest.Facts("static fd6b:1::/32 via fd6b::1\nstatic ::/0 via fd6b::2", 1)
		for _, s := range from {
			row := network.UnreadRow{Prefix: netip.MustParsePrefix(prefix)}
			if s != "" {
				row.From = netip.MustParsePrefix(s)
			}
			f.Tables[0].Unread = append(f.Tables[0].Unread, row)
		}
		var b network.Builder
		b.Add("a", f, 0)
		return b.Build().Device("a").Table("default", route.IPv6)
	}
	require.False(t, build("fd6b:1::/64", "").PartsSources())
	for _, tt := range []struct {
		prefix string
		from   []string
		src    string
		longer int
		want   bool
	}{
		{"fd6b:1:2::/64", []string{"fd6b:5::/48"}, "fd6b:5::1", 48, true},
		{"fd6b:1:2::/64", []string{"fd6b:5::/48"}, "fd6b:6::1", 48, false},
		{"fd6b:1:2::/64", []string{"fd6b:5::/48"}, "", 48, true},
		{"fd6b:1:2::/64", []string{"fd6b:5::/48"}, "fd6b:5::1", 65, false},
		{"fd6b:1::/32", []string{"fd6b:5::/48"}, "fd6b:5::1", 32, true},
		{"fd6b:1::/32", []string{"fd6b:5::/48"}, "fd6b:6::1", 32, true},
		{"::/0", []string{"fd6b:5::/48"}, "fd6b:5::1", 0, true},
		{"::/0", []string{"fd6b:5::/48"}, "fd6b:6::1", 0, false},
		{"fd6b:1:2::/64", []string{"fd6b:5::/48", "fd6b:6::/48"}, "fd6b:6::1", 48, true},
		{"fd6b:1:2::/64", []string{"fd6b:5::/48", ""}, "fd6b:6::1", 48, true},
		{"fd6b:1:2::/64", []string{"fd6b:5::/48", "fd6b:5::/48"}, "fd6b:6::1", 48, false},
	} {
		src := netip.Addr{}
		if tt.src != "" {
			src = netip.MustParseAddr(tt.src)
		}
		require.True(t, build(tt.prefix, tt.from...).PartsSources())
		_, got := build(tt.prefix, tt.from...).UnreadRow(src, netip.MustParseAddr("fd6b:1:2::9"), tt.longer)
		require.Equal(t, tt.want, got, tt)
	}
}
