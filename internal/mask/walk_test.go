package mask

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestWalkLine(t *testing.T) {
	m := New(Key{7}, networks, nil)
	at := func(s string) string { return m.Addr(netip.MustParseAddr(s)).String() }
	six := func(s string) (numbers, hex string) {
		for i, b := range m.Addr(netip.MustParseAddr(s)).As16() {
			if i > 0 {
				numbers, hex = numbers+".", hex+":"
			}
			numbers += strings.TrimSpace(netipByte(b))
			hex += string("0123456789abcdef"[b>>4]) + string("0123456789abcdef"[b&15])
		}
		return numbers, hex
	}
	numbers, hex := six("fd6b:6a65:6c76:10::1")
	for _, tt := range []struct{ in, want string }{
		{".1.3.6.1.2.1.4.24.7.1.7.1.4.10.61.0.0.24.3.0.0.2.1.4.172.28.61.5 = INTEGER: 2",
			".1.3.6.1.2.1.4.24.7.1.7.1.4." + at("10.61.0.0") + ".24.3.0.0.2.1.4." + at("172.28.61.5") + " = INTEGER: 2"},
		{"iso.3.6.1.2.1.4.34.1.3.2.16.253.107.106.101.108.118.0.16.0.0.0.0.0.0.0.1 = INTEGER: 2", "iso.3.6.1.2.1.4.34.1.3.2.16." + numbers + " = INTEGER: 2"},
		{`IP-MIB::ipAddressIfIndex.ipv6."fd:6b:6a:65:6c:76:00:10:00:00:00:00:00:00:00:01" = INTEGER: 2`, `IP-MIB::ipAddressIfIndex.ipv6."` + hex + `" = INTEGER: 2`},
		{`IP-FORWARD-MIB::inetCidrRouteType.ipv4."10.61.0.0".24.2.0.0.ipv4."172.28.61.5" = INTEGER: remote(4)`,
			`IP-FORWARD-MIB::inetCidrRouteType.ipv4."` + at("10.61.0.0") + `".24.2.0.0.ipv4."` + at("172.28.61.5") + `" = INTEGER: remote(4)`},
		{"IP-FORWARD-MIB::ipCidrRouteIfIndex.10.61.0.0.255.255.255.0.0.0.0.0.0 = INTEGER: 2", "IP-FORWARD-MIB::ipCidrRouteIfIndex." + at("10.61.0.0") + ".255.255.255.0.0.0.0.0.0 = INTEGER: 2"},
		{".1.3.6.1.2.1.4.21.1.7.10.61.0.0 = IpAddress: 172.28.61.5", ".1.3.6.1.2.1.4.21.1.7." + at("10.61.0.0") + " = IpAddress: " + at("172.28.61.5")},
		{".1.3.6.1.2.1.4.34.1.5.1.4.10.61.0.1 = OID: .1.3.6.1.2.1.4.32.1.5.2.1.4.10.61.0.0.24",
			".1.3.6.1.2.1.4.34.1.5.1.4." + at("10.61.0.1") + " = OID: .1.3.6.1.2.1.4.32.1.5.2.1.4." + at("10.61.0.0") + ".24"},
		{".1.3.6.1.2.1.4.1.0 = INTEGER: 1", ".1.3.6.1.2.1.4.1.0 = INTEGER: 1"},
		{"IF-MIB::ifName.2 = STRING: wan0", "IF-MIB::ifName.2 = STRING: wan0"},
		{"IF-MIB::ifAlias.2 = STRING: ropehouse 4711 on 0:1b:21:0:0:9", "IF-MIB::ifAlias.2 = STRING: " + m.Own("ropehouse 4711 on 0:1b:21:0:0:9")},
		{`.1.3.6.1.2.1.31.1.1.1.18.2 = "ropehouse 4711"`, `.1.3.6.1.2.1.31.1.1.1.18.2 = "` + m.Own("ropehouse 4711") + `"`},
		{"SNMPv2-MIB::sysName.0 = STRING: ropehouse", "SNMPv2-MIB::sysName.0 = STRING: " + m.Text("ropehouse")},
	} {
		got, ok := m.WalkLine(tt.in)
		require.True(t, ok, tt.in)
		require.Equal(t, tt.want, got)
	}
	for _, in := range []string{
		".1.3.6.1.2.1.6.13.1.1.10.61.0.1.22.10.61.0.9.40000 = INTEGER: 5", // another table with addresses
		"BGP4-MIB::bgpPeerState.10.61.0.9 = INTEGER: 6",
		".1.3.6.1.2.1.4.24.7.1.7.1.4.10.61.0 = INTEGER: 2",
		".1.3.6.1.4.1.99999.1.4.10.61.0.1 = INTEGER: 2",
		"something else 10.61.0.1",
		".1.3.6.1.2.1.31.1.1.1.1.2 = Hex-STRING: 72 6F 70 65 68 6F 75 73 65 ", // a text that nobody can tell from numbers
		".1.3.6.1.2.1.31.1.1.1.18.2 = Hex-STRING: 72 6F 70 65 68 6F ",
	} {
		got, ok := m.WalkLine(in)
		require.False(t, ok, "%s became %s", in, got)
	}
	for _, in := range []string{"IF-MIB::ifPhysAddress.2 = STRING: 2:6b:6a:0:0:1", ".1.3.6.1.2.1.2.2.1.6.3 = Hex-STRING: 02 6B 6A 00 00 02 "} {
		got, ok := m.WalkLine(in)
		require.True(t, ok)
		require.NotEqual(t, in, got)
	}
}

func netipByte(b byte) string { return strings.Split(netip.AddrFrom4([4]byte{b}).String(), ".")[0] }

// FuzzWalkLine: no address that stands in an index is left, and nothing panics.
func FuzzWalkLine(f *testing.F) {
	f.Add(".1.3.6.1.2.1.4.24.7.1.7.1.4.10.61.0.0.24.3.0.0.2.1.4.172.28.61.5 = INTEGER: 2")
	f.Add(`IP-MIB::ipAddressIfIndex.ipv6."fd:6b:6a:65:6c:76:00:10:00:00:00:00:00:00:00:01" = INTEGER: 2`)
	f.Fuzz(func(t *testing.T, s string) {
		m := New(Key{3}, networks, nil)
		if out, ok := m.WalkLine(s); ok {
			again, _ := m.WalkLine(s)
			require.Equal(t, out, again)
		}
	})
}
