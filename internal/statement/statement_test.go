package statement

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// samples reads the statements of a configuration as a case does.
func samples(t *testing.T, text string) []Sample {
	t.Helper()
	c, err := capture.Read("hut/configuration.txt", []byte(text), 1)
	require.NoError(t, err)
	var out []Sample
	for i := range c.Parts {
		for _, s := range c.Parts[i].Facts.Statics {
			out = append(out, Sample{"hut/configuration.txt", []byte(text), int(s.Mark.Off), int(s.Mark.End), s})
		}
	}
	return out
}

func static(prefix, hop string) network.Static {
	s := network.Static{Prefix: netip.MustParsePrefix(prefix)}
	if hop != "" {
		s.NextHop.Address = netip.MustParseAddr(hop)
	} else {
		s.Special = route.Blackhole
	}
	return s
}

func preferred(s network.Static, n uint64) network.Static {
	s.Preference = route.N(n)
	return s
}

const (
	lengths = "hostname hut\n!\ninterface e0\n no shutdown\n ip address 172.28.61.2/30\n!\nip route 10.61.64.0/24 172.28.61.1\nip route 10.61.72.0/24 172.28.61.1 200\n!\n"
	masks   = "hostname hut\n!\ninterface e0\n ip address 172.28.61.2 255.255.255.252\n!\nip route 10.61.64.0 255.255.255.0 172.28.61.1 name rope-house\nip route 10.61.80.0 255.255.240.0 Null0\n!\nend\n"
	tree    = "system {\n    host-name hut;\n}\nrouting-options {\n    static {\n        route 10.61.64.0/24 next-hop 172.28.61.1;\n    }\n}\n"
	flat    = "set system host-name hut\nset routing-options static route 10.61.64.0/24 next-hop 172.28.61.1\n"
	paths   = "/ip route\nadd dst-address=10.61.64.0/24 gateway=172.28.61.1 distance=1\nadd dst-address=10.61.72.0/24 gateway=172.28.61.1 distance=200\n/system identity\nset name=hut\n"
)

func TestLinesAreFormedAfterStatements(t *testing.T) {
	for _, tt := range []struct {
		name, text string
		add        network.Static
		want, undo string
	}{
		{"a length", lengths, static("10.61.0.0/21", "172.28.61.9"), "ip route 10.61.0.0/21 172.28.61.9", "no ip route 10.61.0.0/21 172.28.61.9"},
		{"with a preference where one has it", lengths, preferred(static("10.61.0.0/21", "172.28.61.9"), 150), "ip route 10.61.0.0/21 172.28.61.9 150", "no ip route 10.61.0.0/21 172.28.61.9 150"},
		{"a mask, and without the other route's name", masks, static("10.61.0.0/21", "172.28.61.9"), "ip route 10.61.0.0 255.255.248.0 172.28.61.9", ""},
		{"a discard after a discard", masks, static("10.61.0.0/21", ""), "ip route 10.61.0.0 255.255.248.0 Null0", ""},
		{"in braces", tree, static("10.61.0.0/21", "172.28.61.9"), "route 10.61.0.0/21 next-hop 172.28.61.9;", ""},
		{"a line of words", flat, static("10.61.0.0/21", "172.28.61.9"), "set routing-options static route 10.61.0.0/21 next-hop 172.28.61.9", ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			all := samples(t, tt.text)
			require.NotEmpty(t, all, "the statements are read at all")
			l, ok := Add(tt.add, all, Unknown)
			require.True(t, ok)
			require.Equal(t, tt.want, l.Text)
			require.Equal(t, tt.undo, l.Undo)
			require.Equal(t, "hut/configuration.txt", l.Learned)
		})
	}
}

// TestNoLineIsGuessed: what no statement of the device shows is not written in its language.
func TestNoLineIsGuessed(t *testing.T) {
	for _, tt := range []struct {
		name, text string
		add        network.Static
	}{
		{"no discard was captured", lengths, static("10.61.0.0/21", "")},
		{"no IPv6 route was captured", lengths, static("fd6b::/48", "fd6b:ffff::1")},
		{"no preference was captured", masks, preferred(static("10.61.0.0/21", "172.28.61.9"), 150)},
		{"no other table was captured", lengths, func() network.Static { s := static("10.61.0.0/21", "172.28.61.9"); s.Table = "red"; return s }()},
	} {
		t.Run(tt.name, func(t *testing.T) {
			l, ok := Add(tt.add, samples(t, tt.text), Unknown)
			require.False(t, ok, "%+v", l)
		})
	}
}

// TestEveryFormReadsBack: whatever line is given, the reader makes of it just the route that was asked for.
func TestEveryFormReadsBack(t *testing.T) {
	for _, text := range []string{lengths, masks, tree, flat, paths} {
		for _, prefix := range []string{"10.61.0.0/21", "0.0.0.0/0", "10.61.9.1/32", "172.28.61.0/30", "10.61.64.0/25"} {
			for _, hop := range []string{"172.28.61.9", "10.61.64.1", "172.28.61.1"} {
				want := static(prefix, hop)
				all := samples(t, text)
				l, ok := Add(want, all, Unknown)
				if !ok {
					continue
				}
				var got []network.Static
				at := strings.Index(text, strings.TrimSpace(lineOf(all[0]))) + len(strings.TrimSpace(lineOf(all[0])))
				for _, s := range samples(t, text[:at]+"\n"+l.Text+text[at:]) {
					if s.Static.Prefix == want.Prefix && s.Static.NextHop.Address == want.NextHop.Address {
						got = append(got, s.Static)
					}
				}
				require.NotEmpty(t, got, "%q in %q", l.Text, text)
			}
		}
	}
}

func TestOpenSystems(t *testing.T) {
	metric := static("10.61.0.0/21", "172.28.61.9")
	metric.Metric, metric.Table, metric.NextHop.Interface = route.N(20), "7", "e0"
	for _, tt := range []struct {
		sys        System
		s          network.Static
		text, undo string
	}{
		{IPRoute2, static("10.61.0.0/21", "172.28.61.9"), "ip route add 10.61.0.0/21 via 172.28.61.9", "ip route del 10.61.0.0/21 via 172.28.61.9"},
		{IPRoute2, metric, "ip route add 10.61.0.0/21 via 172.28.61.9 dev e0 metric 20 table 7", "ip route del 10.61.0.0/21 via 172.28.61.9 dev e0 metric 20 table 7"},
		{IPRoute2, static("fd6b::/48", ""), "ip -6 route add blackhole fd6b::/48", "ip -6 route del blackhole fd6b::/48"},
		{FRR, preferred(static("10.61.0.0/21", "172.28.61.9"), 200), "ip route 10.61.0.0/21 172.28.61.9 200", "no ip route 10.61.0.0/21 172.28.61.9 200"},
		{FRR, static("fd6b::/48", ""), "ipv6 route fd6b::/48 blackhole", "no ipv6 route fd6b::/48 blackhole"},
		{BIRD, static("10.61.0.0/21", "172.28.61.9"), "route 10.61.0.0/21 via 172.28.61.9;", ""},
		{BIRD, static("10.61.0.0/21", ""), "route 10.61.0.0/21 blackhole;", ""},
	} {
		l, ok := Add(tt.s, nil, tt.sys)
		require.True(t, ok)
		require.Equal(t, tt.text, l.Text)
		require.Equal(t, tt.undo, l.Undo)
	}
	_, ok := Add(static("10.61.0.0/21", "172.28.61.9"), nil, Unknown)
	require.False(t, ok)
	evil := static("10.61.0.0/21", "")
	evil.Special, evil.NextHop.Interface = route.None, "e0; reboot"
	_, ok = Add(evil, nil, FRR)
	require.False(t, ok, "a name from a capture is no command")
}

func TestRemove(t *testing.T) {
	old := static("10.61.64.0/24", "172.28.61.1")
	all, ok := Remove([][]network.Static{{old}}, samples(t, lengths), Unknown)
	require.True(t, ok)
	require.Equal(t, "no ip route 10.61.64.0/24 172.28.61.1", all[0].Text)
	require.Equal(t, "ip route 10.61.64.0/24 172.28.61.1", all[0].Undo)

	all, ok = Remove([][]network.Static{{old}}, samples(t, masks), Unknown)
	require.True(t, ok)
	require.Empty(t, all[0].Text, "how a line is taken out was not captured")
	require.Equal(t, "ip route 10.61.64.0 255.255.255.0 172.28.61.1 name rope-house", all[0].Out)

	two := []network.Static{old, static("10.61.64.0/24", "172.28.61.5")}
	two[0].NextHop.Interface, two[1].NextHop.Interface = "e0", "e1"
	all, ok = Remove([][]network.Static{two}, nil, IPRoute2)
	require.True(t, ok)
	require.Equal(t, []Line{{Text: "ip route del 10.61.64.0/24", Undo: "ip route add 10.61.64.0/24 nexthop via 172.28.61.1 dev e0 nexthop via 172.28.61.5 dev e1"}}, all)
	_, ok = Remove(nil, nil, IPRoute2)
	require.False(t, ok)
}

// FuzzAdd: whatever a configuration is, a line that is given is plain text of one line.
func FuzzAdd(f *testing.F) {
	for _, text := range []string{lengths, masks, tree, flat, paths} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		c, err := capture.Read("hut.txt", []byte(text), 1)
		if err != nil {
			return
		}
		for i := range c.Parts {
			for _, s := range c.Parts[i].Facts.Statics {
				l, ok := Add(static("10.61.0.0/21", "172.28.61.9"), []Sample{{"hut.txt", []byte(text), int(s.Mark.Off), int(s.Mark.End), s}}, Unknown)
				require.True(t, !ok || printable(l.Text) && l.Text != "", "%q", l.Text)
			}
		}
	})
}
