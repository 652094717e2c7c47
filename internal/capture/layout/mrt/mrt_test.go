package mrt

import (
	"encoding/binary"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/route"
)

// record writes one record of a dump.
func record(sub uint16, body []byte) []byte {
	b := make([]byte, headerLength, headerLength+len(body))
	binary.BigEndian.PutUint16(b[4:], tableDumpV2)
	binary.BigEndian.PutUint16(b[6:], sub)
	binary.BigEndian.PutUint32(b[8:], uint32(len(body)))
	return append(b, body...)
}

var peers = []byte{10, 61, 254, 1, 0, 1, 'v', 0, 2,
	0, 10, 61, 254, 3, 172, 28, 61, 6, 0xfd, 0xe8,
	3, 10, 61, 254, 4, 0xfd, 0x6b, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 4, 0, 0, 0xfd, 0xe9}

func dump() []byte {
	v4 := []byte{0, 0, 0, 1, 24, 10, 61, 32, 0, 1, 0, 0, 0, 0, 0, 0, 0, 14,
		0x40, 3, 4, 172, 28, 61, 10, 0x80, 4, 4, 0, 0, 0, 50}
	v6 := append([]byte{0, 0, 0, 2, 32, 0xfd, 0x6b, 0, 1, 0, 1, 0, 1, 0, 0, 0, 0, 0, 20, 0x80, 14, 17, 16},
		0xfe, 0x80, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 9)
	out := record(peerIndexTable, peers)
	out = append(out, record(ribIPv4Unicast, v4)...)
	out = append(out, record(ribIPv6Unicast, v6)...)
	out = append(out, record(ribIPv4Unicast, []byte{0, 0, 0, 3, 40, 1, 2, 3, 4, 5, 0, 0})...) // a /40
	out = append(out, record(6, []byte{1, 2, 3})...)
	return append(out, record(ribIPv4Unicast, v4)[:20]...)
}

func TestRead(t *testing.T) {
	b := dump()
	require.True(t, Is(b))
	r := Read(b)
	require.Equal(t, 2, r.Read)
	require.Equal(t, 2, len(r.Passed), "the index and a record of another kind")
	require.Len(t, r.Unread, 2)
	require.ErrorIs(t, r.Unread[0].Reason, errPrefix)
	require.ErrorIs(t, r.Unread[1].Reason, errShort)
	require.Len(t, Records(b), 6)
	x := r.Facts.Tables[0].Routes.At(0)
	require.Equal(t, "10.61.32.0/24", x.Prefix.String())
	require.Equal(t, route.N(50), x.Metric)
	require.Equal(t, "172.28.61.10", x.NextHops[0].Address.String())
	require.Zero(t, x.State, "a dump tells what was announced, not what was chosen")
	y := r.Facts.Tables[1].Routes.At(0)
	require.Equal(t, "fd6b:1::/32", y.Prefix.String())
	require.Equal(t, "fe80::9", y.NextHops[0].Address.String())
}

// TestPeersOfBothFamilies: the kind of a peer tells how long its address and its AS are (RFC 6396 section 4.3.1).
func TestPeersOfBothFamilies(t *testing.T) {
	four := []byte{10, 61, 254, 3, 172, 28, 61, 6}
	six := []byte{10, 61, 254, 4, 0xfd, 0x6b, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 4}
	route := []byte{0, 0, 0, 1, 24, 10, 61, 32, 0, 1, 0, 1, 0, 0, 0, 0, 0, 7, 0x80, 4, 4, 0, 0, 0, 50}
	for kind, want := range map[byte]string{0: "172.28.61.6", 2: "172.28.61.6", 1: "fd6b::4", 3: "fd6b::4"} {
		peer := append([]byte{kind}, four...)
		if kind&1 != 0 {
			peer = append([]byte{kind}, six...)
		}
		if peer = append(peer, 0xfd, 0xe8); kind&2 != 0 {
			peer = append(peer, 0, 0)
		}
		first := []byte{2, 10, 61, 254, 9, 172, 28, 61, 9, 0, 0, 0xfd, 0xe7}
		index := append([]byte{10, 61, 254, 1, 0, 1, 'v', 0, 2}, append(first, peer...)...)
		r := Read(append(record(peerIndexTable, index), record(ribIPv4Unicast, route)...))
		require.Empty(t, r.Unread, "kind %d", kind)
		require.Len(t, r.Facts.Tables, 1, "kind %d", kind)
		require.Equal(t, want, r.Facts.Tables[0].Routes.At(0).NextHops[0].Address.String(), "kind %d: a route without a next hop came from its peer", kind)
	}
}

func TestPathAttributes(t *testing.T) {
	num := func(n uint32) []byte { return binary.BigEndian.AppendUint32(nil, n) }
	segment := func(kind byte, as ...uint32) []byte {
		out := []byte{kind, byte(len(as))}
		for _, a := range as {
			out = append(out, num(a)...)
		}
		return out
	}
	for _, tt := range []struct {
		name string
		path []byte
		as   uint32
		n    uint64
	}{
		{"a sequence", segment(2, 65001, 65002, 65003), 65001, 3},
		{"a set counts as one", append(segment(2, 65001), segment(1, 65005, 65006)...), 65001, 2},
		{"a confederation counts as none", append(segment(3, 64900, 64901), segment(2, 65001)...), 65001, 1},
		{"our own", nil, 0, 0},
	} {
		t.Run(tt.name, func(t *testing.T) {
			attrs := append([]byte{0x40, 2, byte(len(tt.path))}, tt.path...)
			attrs = append(attrs, 0x40, 1, 1, 2, 0x40, 5, 4, 0, 0, 0, 200, 0x40, 3, 4, 172, 28, 61, 10)
			body := append([]byte{0, 0, 0, 1, 24, 10, 61, 32, 0, 1, 0, 0, 0, 0, 0, 0, 0, byte(len(attrs))}, attrs...)
			r := Read(append(record(peerIndexTable, peers), record(ribIPv4Unicast, body)...))
			require.Empty(t, r.Unread)
			got := r.Facts.Tables[0].Routes.At(0).BGP
			require.Equal(t, route.N(tt.n), got.Length)
			require.Equal(t, tt.as, got.NeighbourAS)
			require.Equal(t, route.N(200), got.LocalPreference)
			require.Equal(t, route.OriginIncomplete, got.Origin)
		})
	}
}

func FuzzRead(f *testing.F) {
	f.Add(dump())
	f.Fuzz(func(t *testing.T, in []byte) {
		r := Read(in)
		require.Equal(t, len(Records(in)), r.Read+len(r.Passed)+len(r.Unread), "a record was lost")
	})
}
