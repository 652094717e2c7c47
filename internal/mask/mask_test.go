package mask

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/require"
)

var networks = []netip.Prefix{
	netip.MustParsePrefix("10.61.0.0/24"), netip.MustParsePrefix("10.61.40.0/21"), netip.MustParsePrefix("172.28.61.4/30"),
	netip.MustParsePrefix("93.184.0.0/15"), netip.MustParsePrefix("fd6b:6a65:6c76:10::/64"), netip.MustParsePrefix("2a02:f28::/29"),
}

// anywhere makes an address, most of them near one another.
func anywhere(rnd *rand.Rand) netip.Addr {
	near := networks[rnd.IntN(len(networks))].Addr().AsSlice()
	for i := rnd.IntN(len(near) + 1); i < len(near); i++ {
		near[i] = byte(rnd.Uint32())
	}
	a, _ := netip.AddrFromSlice(near)
	return a
}

func shared(a, b netip.Addr) int {
	n := 0
	for n < a.BitLen() {
		p, _ := a.Prefix(n + 1)
		if !p.Contains(b) {
			break
		}
		n++
	}
	return n
}

// TestAddressesKeepTheirPrefixes: two addresses share as many leading bits after as before, the way back leads back,
// and what is special stays so (RFC 6235 section 4).
func TestAddressesKeepTheirPrefixes(t *testing.T) {
	for key := range byte(4) {
		m := New(Key{key}, networks, nil)
		back := m.Reverse()
		rnd := rand.New(rand.NewPCG(uint64(key), 1))
		moved := 0
		for range 400 {
			a, b := anywhere(rnd), anywhere(rnd)
			x, y := m.Addr(a), m.Addr(b)
			require.Equal(t, a, back.Addr(x))
			if x != a {
				moved++
			}
			if a.Is4() == b.Is4() {
				require.Equal(t, shared(a, b), shared(x, y), "%s %s became %s %s", a, b, x, y)
			}
			for _, p := range append(specials.ranges, specials.whole...) {
				require.Equal(t, p.Contains(a), p.Contains(x), "%s became %s, of %s", a, x, p)
			}
		}
		require.Greater(t, moved, 300)
	}
}

func TestWhatStays(t *testing.T) {
	require.Len(t, specials.whole, 5)
	require.Len(t, specials.ranges, 16)
	m := New(Key{7}, networks, nil)
	for _, s := range []string{"0.0.0.0", "255.255.255.0", "0.0.0.255", "127.0.0.1", "224.0.0.5", "240.0.0.0", "::", "::1", "ff02::5"} {
		require.Equal(t, s, m.Addr(netip.MustParseAddr(s)).String())
	}
	for _, p := range networks {
		x := m.Prefix(p)
		require.Equal(t, x.Addr(), m.Addr(p.Addr()), "%s: its own address is its own", p)
		require.NotEqual(t, p, x, "%s", p)
	}
	require.Equal(t, byte(255), m.Addr(netip.MustParseAddr("10.61.0.255")).As4()[3], "the last address stays the last")
	require.Equal(t, byte(1), m.Addr(netip.MustParseAddr("10.61.0.1")).As4()[3])
	require.Equal(t, "172.16.0.0/12", m.Prefix(netip.MustParsePrefix("172.16.0.0/12")).String())
}

func TestLines(t *testing.T) {
	m := New(Key{7}, networks, nil)
	net := func(s string) string { return m.Prefix(netip.MustParsePrefix(s)).String() }
	at := func(s string) string { return m.Addr(netip.MustParseAddr(s)).String() }
	for _, tt := range []struct{ in, want string }{
		{"O>* 10.61.0.0/24 [110/20] via 172.28.61.5, e0", "O>* " + net("10.61.0.0/24") + " [110/20] via " + at("172.28.61.5") + ", e0"},
		{"ip route 10.61.40.0 255.255.248.0 172.28.61.5", "ip route " + at("10.61.40.0") + " 255.255.248.0 " + at("172.28.61.5")},
		{"C 10.61.0/24 is directly connected", "C " + strings.TrimSuffix(strings.TrimSuffix(net("10.61.0.0/24"), "/24"), ".0") + "/24 is directly connected"},
		{"via fd6b:6a65:6c76:10::31%wan0", "via " + at("fd6b:6a65:6c76:10::31") + "%wan0"},
		{"gateway=10.61.0.9 distance=1", "gateway=" + at("10.61.0.9") + " distance=1"},
		{"inet 10.61.0.9 netmask 0xffffff00", "inet " + at("10.61.0.9") + " netmask 0xffffff00"},
		{"version 7.2.1 uptime 3d07h", "version 7.2.1 uptime 3d07h"},
		{"1.3.6.1.2.1.4.24.7", "1.3.6.1.2.1.4.24.7"},
		{"snmp-server community kjelvenview RO", "snmp-server community xxxxxxxxxxx RO"},
		{"crypto isakmp key Seilbahn4711 address 10.61.0.9", "crypto isakmp key xxxxxxxxxxxx address " + at("10.61.0.9")},
		{`set security ike pre-shared-key ascii-text "$9$abcDEF123"`, `set security ike pre-shared-key xxxxxxxxxx "xxxxxxxxxxxx"`},
		{"    set password ENC SH2abcDEF123==", "    set password xxx xxxxxxxxxxxxxx"},
		{"snmp-server user joe grp v3 auth sha AuthPass12 priv aes 128 PrivPass34", "snmp-server user xxx xxx v3 auth xxx xxxxxxxxxx xxxx xxx xxx xxxxxxxxxx"},
		{"  3082022B 30820194 A0030201 02020101", "  00000000 00000000 00000000 00000000"},
		{"ssh-rsa AAAAB3NzaC1yc2EAAAADAQABAAABgQC7", "ssh-" + m.Word("rsa") + " " + strings.Repeat("x", 32)},
		{`{"password": "grip", "dst": "10.61.0.1"}`, `{"password": "xxxx", "dst": "` + at("10.61.0.1") + `"}`},
		{`{"description": "Berg 7", "type": "static"}`, `{"description": "` + m.Word("Berg") + ` 0", "type": "static"}`},
		{"key-string 7 0822455D0A16", "key-string 7 xxxxxxxxxxxx"},
	} {
		require.Equal(t, tt.want, m.Line(tt.in))
	}
	require.NotContains(t, m.Line(" description route to Berg 4471"), "route")
	require.NotContains(t, m.Line(" description route to Berg 4471"), "4471")
	a := m.Line("Neighbour 02:6B:6a:03:00:01 e0")
	require.Regexp(t, `^\pL{9} [0-9A-Fa-f]2(:[0-9A-Fa-f]{2}){5} e0$`, a)
	require.NotContains(t, a, "02:6B:6a:03:00:01")
}

// TestColumnsKeepTheirPlace: what stands in a column stands there after, as long as there are blanks to take.
func TestColumnsKeepTheirPlace(t *testing.T) {
	m := New(Key{7}, networks, nil)
	line := "10.61.0.0/24          172.28.61.5         UG      0      wan0"
	out := m.Line(line)
	require.Equal(t, strings.Index(line, "UG"), strings.Index(out, "UG"), out)
	require.Equal(t, strings.Index(line, "wan0"), strings.Index(out, "wan0"), out)
}

// TestWhatStandsBelowMoves: a further next hop stays under the first one.
func TestWhatStandsBelowMoves(t *testing.T) {
	for _, tt := range []struct{ first, firstIs, below, want string }{
		{"O>* 10.61.0.0/24 [110/20] via 10.1.1.1, e0", "O>* 10.161.200.0/24 [110/20] via 10.101.101.1, e0", "  *                       via 10.1.1.2, e1", "  *                          via 10.1.1.2, e1"},
		{"O>* 10.161.200.0/24 [110/20] via 10.1.1.1, e0", "O>* 10.61.0.0/24 [110/20] via 10.1.1.1, e0", "  *                          via 10.1.1.2, e1", "  *                       via 10.1.1.2, e1"},
		{"O  10.61.0.0/24 via 10.1.1.1", "O  10.161.200.0/24 via 10.1.1.1", "    description up", "    description up"},
	} {
		var a Aligner
		require.Equal(t, tt.firstIs, a.Align(tt.first, tt.firstIs))
		require.Equal(t, tt.want, a.Align(tt.below, tt.below))
		require.Equal(t, tt.want, a.Align(tt.below, tt.below), "the next one too")
	}
}

func TestWords(t *testing.T) {
	m := New(Key{7}, nil, nil)
	require.Equal(t, len("Ropehouse"), utf8.RuneCountInString(m.Text("Ropehouse")))
	require.Equal(t, strings.ToLower(m.Text("ROPEHOUSE")), m.Text("ropehouse"), "small and large letters are one word")
	require.Equal(t, "static", m.Text("static"), "a reader looks for it")
	require.Equal(t, m.Text("rope-house-7"), m.Text("rope")+"-"+m.Text("house")+"-7")
	for _, name := range []string{"%s", "%s-core", "mast-%s", "2001:db8::5"} {
		is := m.Text(fmt.Sprintf(name, "10.61.40.5"))
		require.NotContains(t, is, "10.61.40.5")
		require.Equal(t, fmt.Sprintf(name, "10.61.40.5"), m.Reverse().Text(is))
	}
	require.Equal(t, strings.ReplaceAll(m.Text("10.61.40.5"), ".", "-")+"-up", m.Text("10-61-40-5-up"))
	require.Equal(t, m.Line("x_10_61_40_5>"), "x_"+strings.ReplaceAll(m.Text("10.61.40.5"), ".", "_")+">")
	require.Equal(t, "2026-11-27-04", m.Text("2026-11-27-04"))
	seen := map[string]string{}
	for i := range 4000 {
		w := string([]byte{byte('a' + i%26), byte('a' + i/26%26), byte('a' + i/676%26), 'q'})
		is := m.Text(w)
		if keeps(w) {
			continue
		}
		require.NotEqual(t, w, is)
		require.Empty(t, seen[is], "%s and %s become one", w, seen[is])
		seen[is] = w
	}
	m.Hide([]string{"static"})
	require.NotEqual(t, "static", m.Text("static"))
	require.Equal(t, []string{"static"}, Kept([]string{"static", "ropehouse"}))
	back := m.Reverse()
	require.Equal(t, "ropehouse and static", back.Line(m.Line("ropehouse and static")))
}

// FuzzLine: whatever stands in a line, its copy is made twice alike, and the way back gives a text of the same
// addresses.
func FuzzLine(f *testing.F) {
	for _, s := range []string{"O>* 10.61.0.0/24 [110/20] via 172.28.61.5, e0", "fd6b::1/64", "a:b::", "1.2.3.4.5", "description x", "password \"x", "\xff\xfe"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		m := New(Key{3}, networks, nil)
		out := m.Line(s)
		require.Equal(t, out, m.Line(s))
		if a, err := netip.ParseAddr(s); err == nil && a.Zone() == "" {
			require.Equal(t, m.Addr(a).String(), strings.ToLower(out))
		}
	})
}

// TestShortWordsAreUsedUp: no two words become one, so that each has its way back, where there are no more short ones.
func TestShortWordsAreUsedUp(t *testing.T) {
	const letters = "abcdefghijklmnopqrst"
	m := New(Key{1}, nil, nil)
	of := map[string]string{}
	for _, a := range letters {
		for _, b := range letters {
			for _, c := range letters {
				w := string([]rune{a, b, c})
				other := m.Word(w)
				require.NotEqual(t, w, other)
				require.Empty(t, of[other], "%s and %s become %s", of[other], w, other)
				of[other] = w
			}
		}
	}
}
