package route

import (
	"net/netip"
	"testing"
	"unsafe"

	"github.com/stretchr/testify/require"
)

func TestSizes(t *testing.T) {
	require.EqualValues(t, 12, unsafe.Sizeof(Mark{}))
	require.EqualValues(t, 32, unsafe.Sizeof(record{}), "a million routes must not cost more than their capture")
}

func TestListKeepsRoutesAsTheyWereAdded(t *testing.T) {
	var l List
	a, b := &Attributes{Protocol: OSPF}, &Attributes{Protocol: Static}
	in := []Route{
		{netip.MustParsePrefix("0.0.0.0/0"), a, N(20), Active | Installed, Mark{1, 5, 60}},
		{netip.MustParsePrefix("10.61.40.0/24"), b, Number{}, 0, Mark{2, 7, 90}},
		{netip.MustParsePrefix("255.255.255.255/32"), a, N(1<<64 - 1), Rejected, Mark{1, 0, 1}},
		{netip.MustParsePrefix("::/0"), b, N(0), Active, Mark{3, 1 << 31, 1<<31 + 9}},
		{netip.MustParsePrefix("fd6b::40/128"), a, N(1 << 32), Installed, Mark{1, 4, 5}},
		{netip.PrefixFrom(netip.MustParseAddr("::ffff:10.0.0.0"), 104), a, Number{}, Active, Mark{1, 4, 5}},
	}
	for _, r := range in {
		l.AddRoute(r)
	}
	require.Equal(t, len(in), l.Len())
	for i, r := range in {
		require.Equal(t, r, l.At(i))
	}
}

func TestListSortsByFamilyAddressAndLength(t *testing.T) {
	var l List
	id := l.Share(&Attributes{})
	for _, p := range []string{"fd00::/8", "10.1.0.0/16", "10.0.0.0/8", "::/0", "10.0.0.0/16", "0.0.0.0/0", "10.0.0.0/8"} {
		l.Add(Route{Prefix: netip.MustParsePrefix(p), State: State(l.Len()), Metric: N(uint64(9 - l.Len()))}, id)
	}
	l.Sort()
	var got []string
	for i := range l.Len() {
		got = append(got, l.Prefix(i).String())
	}
	require.Equal(
		t,
		[]string{"0.0.0.0/0", "10.0.0.0/8", "10.0.0.0/8", "10.0.0.0/16", "10.1.0.0/16", "::/0", "fd00::/8"},
		got,
	)
	require.Equal(t, State(2), l.At(1).State, "routes of one prefix keep their order")
	require.True(t, l.SamePrefix(1, 2))
	require.False(t, l.SamePrefix(2, 3))
	require.False(t, l.SamePrefix(0, 5), "the defaults of the two families are not one prefix")
}

func TestAddClearsHostBits(t *testing.T) {
	var l List
	l.Add(Route{Prefix: netip.MustParsePrefix("10.61.40.17/24")}, l.Share(&Attributes{}))
	require.Equal(t, "10.61.40.0/24", l.Prefix(0).String())
}

func TestForwarding(t *testing.T) {
	a := func(s string) netip.Addr { return netip.MustParseAddr(s) }
	one, two, three := a("10.0.0.1"), a("10.0.0.2"), a("10.0.0.3")
	for _, tt := range []struct {
		name string
		hops []NextHop
		want []netip.Addr
	}{
		{"equal ones all forward", []NextHop{{Address: one}, {Address: two}}, []netip.Addr{one, two}},
		{"where one is marked as installed, only that one does", []NextHop{{Address: one}, {Address: two, Installed: true}}, []netip.Addr{two}},
		{"inactive and backup ones do not", []NextHop{{Address: one, Inactive: true}, {Address: two}, {Address: three, Backup: true}}, []netip.Addr{two}},
		{"what resolves a recursive one stands in its place", []NextHop{{Address: one, Recursive: true}, {Address: two, Resolves: true}}, []netip.Addr{two}},
		{"a recursive one without a resolution stays", []NextHop{{Address: one, Recursive: true}}, []netip.Addr{one}},
		{"an inactive mark of installation does not count", []NextHop{{Address: one, Installed: true, Inactive: true}, {Address: two}}, []netip.Addr{two}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			var got []netip.Addr
			for _, h := range (&Attributes{NextHops: tt.hops}).Forwarding() {
				got = append(got, h.Address)
			}
			require.Equal(t, tt.want, got)
		})
	}
}
