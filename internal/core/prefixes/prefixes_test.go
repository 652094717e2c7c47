package prefixes

import (
	"maps"
	"math/rand/v2"
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestIndexAgainstAList compares each answer with that of a list that is looked through.
func TestIndexAgainstAList(t *testing.T) {
	for seed := range uint64(50) {
		rnd := rand.New(rand.NewPCG(seed, 1))
		address := func() netip.Addr {
			if rnd.IntN(2) == 0 {
				return netip.AddrFrom4([4]byte{10, byte(rnd.IntN(2)), byte(rnd.IntN(4)), byte(rnd.IntN(256))})
			}
			return netip.AddrFrom16([16]byte{0xfd, 15: byte(rnd.IntN(256))})
		}
		prefix := func() netip.Prefix {
			a := address()
			return netip.PrefixFrom(a, a.BitLen()-rnd.IntN(a.BitLen()+1)).Masked()
		}
		var x Index
		list := map[netip.Prefix]uint32{}
		for i := range uint32(rnd.IntN(60)) {
			p := prefix()
			x.Put(p, i)
			list[p] = i
		}
		for range 50 {
			p, a := prefix(), address()
			var inside, covering []netip.Prefix
			for q := range list {
				if p.Overlaps(q) && q.Bits() >= p.Bits() {
					inside = append(inside, q)
				}
				if p.Overlaps(q) && q.Bits() <= p.Bits() {
					covering = append(covering, q)
				}
			}
			slices.SortFunc(inside, netip.Prefix.Compare)
			slices.SortFunc(covering, func(a, b netip.Prefix) int { return b.Bits() - a.Bits() })
			assert.Equal(t, inside, keys(t, list, x.Inside(p)), "inside %v", p)
			assert.Equal(t, covering, keys(t, list, x.Covering(p)), "covering %v", p)

			var longest netip.Prefix
			for q := range list {
				if q.Contains(a) && (!longest.IsValid() || q.Bits() > longest.Bits()) {
					longest = q
				}
			}
			n, ok := x.Longest(a)
			require.Equal(t, longest.IsValid(), ok, "longest for %v", a)
			assert.Equal(t, list[longest], n, "longest for %v", a)

			want, has := list[p]
			n, ok = x.Exact(p)
			assert.Equal(t, has, ok, "exactly %v", p)
			assert.Equal(t, want, n, "exactly %v", p)
		}
		all := slices.SortedFunc(maps.Keys(list), netip.Prefix.Compare)
		assert.Equal(t, all, keys(t, list, x.All()))
	}
}

// keys returns the prefixes that are told, each of which must come with its own number.
func keys(t *testing.T, list map[netip.Prefix]uint32, told func(func(netip.Prefix, uint32) bool)) []netip.Prefix {
	var out []netip.Prefix
	for p, n := range told {
		assert.Equal(t, list[p], n, "%v", p)
		out = append(out, p)
	}
	return out
}
