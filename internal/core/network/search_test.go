package network_test

import (
	"math/rand/v2"
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestSearchAgreesWithTheIndex: the first lookups in a large table, which are answered by searching, and later ones
// find the same.
func TestSearchAgreesWithTheIndex(t *testing.T) {
	for _, fam := range []route.Family{route.IPv4, route.IPv6} {
		rnd := rand.New(rand.NewPCG(uint64(fam), 4))
		address := func() netip.Addr {
			if fam == route.IPv4 {
				return netip.AddrFrom4([4]byte{10, byte(rnd.IntN(4)), byte(rnd.IntN(256)), byte(rnd.IntN(256))})
			}
			return netip.AddrFrom16(
				[16]byte{0: 0xfd, 1: 0x6b, 2: byte(rnd.IntN(4)), 3: byte(rnd.IntN(256)), 15: byte(rnd.IntN(256))},
			)
		}
		facts := network.Facts{Tables: []network.TableFacts{{Name: "default", Family: fam}}}
		list := &facts.Tables[0].Routes
		id := list.Share(&route.Attributes{Protocol: route.Static, NextHops: []route.NextHop{{Interface: "e0"}}})
		for range 4000 {
			p, err := address().Prefix(rnd.IntN(fam.Bits() + 1))
			require.NoError(t, err)
			list.Add(route.Route{Prefix: p, State: route.Active | route.Installed,
				Mark: route.Mark{File: 1, Off: 1, End: 2}}, id)
		}
		var b network.Builder
		b.Add("a", facts, 0)
		tab := b.Build().Devices().At(0).Table("default", fam)
		for i := range 500 {
			a := address()
			p := netip.PrefixFrom(a, a.BitLen())
			want := slices.Collect(tab.Covering(p)) // by searching at first, by the index later
			require.Equal(t, slices.Collect(tab.Search(p)), want, "lookup %d of %s", i, a)
			g, ok := tab.LongestGroup(a)
			require.Equal(t, len(want) > 0, ok)
			if ok {
				require.Equal(t, want[0], g)
			}
		}
	}
}
