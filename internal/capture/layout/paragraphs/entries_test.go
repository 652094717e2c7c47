package paragraphs

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

func TestForwardingEntries(t *testing.T) {
	for _, c := range []struct {
		name, text string
		special    route.Special
		hops       string
		unread     int
	}{
		{"two next hops", "10.61.32.0/24, epoch 2, per-destination sharing\n  nexthop 172.28.61.6 line1\n  nexthop 172.28.61.10 line2\n", route.None, "172.28.61.6 line1, 172.28.61.10 line2", 0},
		{"attached", "10.61.32.0/24\n  attached to line1\n", route.None, "line1", 0},
		{"attached to nothing", "10.61.32.0/24\n  attached to Null0\n", route.Blackhole, "", 0},
		{"dropped", "10.61.32.0/24\n  drop\n", route.Blackhole, "", 0},
		{"no route", "0.0.0.0/0\n  no route\n", route.Unreachable, "", 0},
		{"its own", "10.61.32.1/32\n  receive for line1\n", route.Receive, "", 0},
		{"found by another entry", "10.61.32.0/24, version 9\n0 packets, 0 bytes\n  recursive via 10.9.9.9\n    nexthop 172.28.61.6 line1\n", route.None, "172.28.61.6 line1", 0},
		{"found by another entry that is not shown", "10.61.32.0/24\n  via 10.9.9.9, 0 dependencies, recursive\n", route.None, "10.9.9.9", 0},
		{"sixth", "fd6b:20::/48\n  nexthop fe80::6 line1\n", route.None, "fe80::6 line1", 0},
		{"no way", "10.61.32.0/24\n  valid adjacency\n", route.None, "", 2},
		{"something else below", "10.61.32.0/24\n  attached to line1\nmore of this\n", route.None, "line1", 1},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := ReadEntries([]byte(c.text))
			require.Len(t, r.Unread, c.unread)
			require.Equal(t, layout.NonBlank([]byte(c.text)), r.Read+len(r.Unread)+len(r.Passed))
			if c.hops == "" && c.special == route.None {
				require.Empty(t, r.Facts.Tables)
				return
			}
			tab := r.Facts.Tables[0]
			require.Equal(t, network.ForwardingTable, tab.Kind)
			require.True(t, tab.Filtered.Known(), "it is an answer, not the table")
			got := tab.Routes.At(0)
			require.Equal(t, c.special, got.Special)
			hops := ""
			for i, h := range got.NextHops {
				if i > 0 {
					hops += ", "
				}
				if h.Address.IsValid() {
					hops += h.Address.String()
					if h.Interface != "" {
						hops += " "
					}
				}
				hops += h.Interface
			}
			require.Equal(t, c.hops, hops)
		})
	}
}

func FuzzEntries(f *testing.F) {
	f.Add([]byte(Entries.Sample))
	f.Add([]byte("10.61.32.0/24, version 9\n0 packets, 0 bytes\n  recursive via 10.9.9.9\n    nexthop 172.28.61.6 line1\n"))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, ReadEntries, in) })
}
