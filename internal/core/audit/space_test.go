package audit

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/route"
)

func TestNumbers(t *testing.T) {
	for _, s := range []string{"0.0.0.0", "10.61.0.255", "255.255.255.255", "::", "fd6b::ffff:ffff:ffff:ffff", "ffff:ffff:ffff:ffff:ffff:ffff:ffff:ffff"} {
		a := netip.MustParseAddr(s)
		n := numberOf(a)
		fam := route.FamilyOf(a)
		require.Equal(t, a, n.addr(fam), s)
		require.Equal(t, n, n.next().previous(), s)
		if next := a.Next(); next.IsValid() {
			require.Equal(t, next, n.next().addr(fam), s)
			require.True(t, n.less(n.next()))
			require.Equal(t, number{0, 1}, n.next().minus(n))
			require.Equal(t, n.next(), n.plus(number{0, 1}))
		}
	}
}

func TestSpanListJoinsAndKeepsOrder(t *testing.T) {
	var l spanList
	var want []span
	for i := range uint64(50_000) {
		s := span{number{0, 10 * i}, number{0, 10*i + 4}}
		l.add(s)
		if i%3 == 0 { // goes on from it
			l.add(span{number{0, 10*i + 5}, number{0, 10*i + 6}})
			s.last = number{0, 10*i + 6}
		}
		want = append(want, s)
	}
	var got []span
	for _, p := range l.pieces {
		got = append(got, p...)
	}
	require.Equal(t, want, got)
}

func TestMerged(t *testing.T) {
	s := func(a, b uint64) span { return span{number{0, a}, number{0, b}} }
	got, n := merged([]span{s(20, 29), s(0, 9), s(5, 12), s(13, 14), s(22, 23)})
	require.Equal(t, []span{s(0, 14), s(20, 29)}, got)
	require.EqualValues(t, 25, n.Int64())
	got, n = merged(nil)
	require.Empty(t, got)
	require.Zero(t, n.Sign())
	_, n = merged([]span{spanOf(netip.MustParsePrefix("fd00::/8"))})
	require.Equal(t, 121, n.BitLen())
}
