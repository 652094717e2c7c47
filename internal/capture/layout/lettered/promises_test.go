package lettered

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

// TestRemarks: a remark in brackets says nothing of the table, unless it names one; a discard is one in any case of
// letters.
func TestRemarks(t *testing.T) {
	in := plain + "S    10.61.2.0/24 [1/0] via 172.28.61.7, eth0 (kept in hardware)\n" +
		"S    10.61.3.0/24 [1/0] via 172.28.61.7 (nexthop in vrf depot), eth0\n" +
		"S    10.61.4.0/24 [1/0] is directly connected, null0\n" +
		"S    10.61.5.0/24 [1/0] via 172.28.61.7 (depot)\n" +
		"S    10.61.6.0/24 [1/0] via 172.28.61.7 (backup), eth0\n" +
		"B    10.61.7.0/24 [200/0] via 172.28.99.1 (recursive via tun1 tunnel 172.28.99.1), 01:02:03\n"
	require.Equal(t, []string{"5 10.61.2.0/24 static 1/0 via 172.28.61.7 dev eth0: active installed",
		"6 10.61.3.0/24 static 1/0 via 172.28.61.7 dev eth0 in depot: active installed",
		"7 10.61.4.0/24 static 1/0 blackhole: active installed",
		"8 10.61.5.0/24 static 1/0 via 172.28.61.7 in depot: active installed",
		"9 10.61.6.0/24 static 1/0 via 172.28.61.7 dev eth0 backup: active installed",
		"10 10.61.7.0/24 other/code B 200/0 via 172.28.99.1 recursive encapsulated: active installed"}, layouttest.Words([]byte(in), Reader.Read([]byte(in))))
}

// TestStatesInWords: a row that says in words of which nobody knows what they mean for it how its route stands is no
// route in use, unless the word is an interface's name.
func TestStatesInWords(t *testing.T) {
	for rest, want := range map[string]string{
		"via 172.28.61.7, eth0":                "4 10.61.2.0/24 static 1/0 via 172.28.61.7 dev eth0: active installed",
		"via 172.28.61.7, Inactive":            "4 10.61.2.0/24 static 1/0 via 172.28.61.7 inactive: unusable",
		"via 172.28.61.7, unresolved":          "",
		"via 172.28.61.7, eth0, not installed": "",
		"via 172.28.61.7, (not active)":        "",
		"via 172.28.61.7, backup":              "",
		"via 172.28.61.7, spare":               "4 10.61.2.0/24 static 1/0 via 172.28.61.7 dev spare: active installed",
		"via 172.28.61.7, standby":             "4 10.61.2.0/24 static 1/0 via 172.28.61.7 dev standby: active installed",
		"via 172.28.61.7, eth0, standby":       "",
	} {
		in := "Codes: C - connected, S - static\n\nC    172.28.61.0/24 is directly connected, standby\nS    10.61.2.0/24 [1/0] " + rest + "\nS    10.61.3.0/24 [1/0] via 172.28.61.9, eth0\n"
		r := layouttest.Laws(t, Read, []byte(in))
		got := layouttest.Words([]byte(in), r)
		if want == "" {
			require.Len(t, got, 2, rest)
			require.Len(t, r.Unread, 1, rest)
			continue
		}
		require.Equal(t, want, got[1], rest)
	}
}

// TestDoubtfulMarks: a mark of which the key says that the route may not forward leaves its row unread, and so does a
// code behind the row that no key explains; what the key calls chosen and not in the forwarding table stays read.
func TestDoubtfulMarks(t *testing.T) {
	for row, want := range map[string]string{
		"B>* 10.61.2.0/24 [20/0] via 172.28.61.7, eth0, weight 1, 01:02:03": "4 10.61.2.0/24 bgp 20/0 via 172.28.61.7 dev eth0 *: active installed",
		"B>  10.61.2.0/24 [20/0] via 172.28.61.7, eth0, 01:02:03":           "4 10.61.2.0/24 bgp 20/0 via 172.28.61.7 dev eth0: active",
		"B># 10.61.2.0/24 [20/0] via 172.28.61.7, eth0, 01:02:03":           "",
		"B>p 10.61.2.0/24 [20/0] via 172.28.61.7, eth0, 01:02:03":           "",
		"B>* 10.61.2.0/24 [20/0] via 172.28.61.7, eth0 F":                   "",
		"B>* 10.61.2.0/24 [20/0] via 172.28.61.7, eth0, 01:02:03, !":        "",
	} {
		in := "Codes: C - connected, B - BGP, > - selected route, * - FIB route,\n       # - not installed in hardware, p - stale info\n\n" + row + "\n"
		r := layouttest.Laws(t, Read, []byte(in))
		got := layouttest.Words([]byte(in), r)
		if want == "" {
			require.Empty(t, got, row)
			require.Len(t, r.Unread, 1, row)
			continue
		}
		require.Equal(t, []string{want}, got, row)
	}
}

// TestStatesBelowAPrefix: the same of next hops that stand below their prefix.
func TestStatesBelowAPrefix(t *testing.T) {
	in := "10.61.2.0/24, ubest/mbest: 1/0\n    *via 172.28.61.7, Vlan40, [110/20], 01:02:03, ospf-1, intra\n10.61.3.0/24, ubest/mbest: 1/0\n    *via 172.28.61.7, Vlan40, [110/20], 01:02:03, ospf-1, intra, (stale)\n"
	r := layouttest.Laws(t, Read, []byte(in))
	require.Equal(t, []string{"2 10.61.2.0/24 ospf/intra-area 110/20 via 172.28.61.7 dev Vlan40: active installed"}, layouttest.Words([]byte(in), r))
	require.NotEmpty(t, r.Unread)
}

// TestTheKeyEndsWithIt: what looks like a part of the key behind the key is a row that cannot be read.
func TestTheKeyEndsWithIt(t *testing.T) {
	in := "   Codes: C - attached, S - static\n\nS    10.61.2.0/24 [1/0] via 172.28.61.7, eth0\nX - something else\n"
	r := Reader.Read([]byte(in))
	require.Len(t, r.Unread, 1)
	require.Equal(
		t,
		[]string{"3 10.61.2.0/24 static 1/0 via 172.28.61.7 dev eth0: active installed"},
		layouttest.Words([]byte(in), r),
	)
	require.Positive(t, Reader.Recognise([]byte(in)), "an indented key")
	require.Positive(t, Reader.Recognise([]byte("\n\n"+in)), "blank lines on top")
}

// TestWhatIsRefused is told from what is discarded.
func TestWhatIsRefused(t *testing.T) {
	in := plain + "S    10.61.5.0/24 [1/0] is a reject route\nS    10.61.6.0/24 [1/0] is a blackhole route\nS    10.61.7.0/24 [1/0] unreachable\n"
	require.Equal(t, []string{"5 10.61.5.0/24 static 1/0 unreachable: active installed", "6 10.61.6.0/24 static 1/0 blackhole: active installed",
		"7 10.61.7.0/24 static 1/0 unreachable: active installed"}, layouttest.Words([]byte(in), Reader.Read([]byte(in))))
}

// TestNotSettled: next hops below a prefix of which the heading says that its routes change yet, or which are kept as
// backups in words, are no routes in use.
func TestNotSettled(t *testing.T) {
	for in, want := range map[string]int{
		"10.61.2.0/24, ubest/mbest: 1/0\n    *via 172.28.61.7, Vlan40, [1/0], 01:02:03, static\n":                              1,
		"10.61.2.0/24, ubest/mbest: 0/0, pending ubest/mbest: 1/0\n    *via 172.28.61.7, Vlan40, [1/0], 01:02:03, static\n":    0,
		"10.61.2.0/24, ubest/mbest: 1/0\n    *via 172.28.61.7, Vlan40, [20/0], 01:02:03, bgp-64900, external, backup, tag 9\n": 0,
	} {
		r := layouttest.Laws(t, Read, []byte(in))
		require.Len(t, layouttest.Words([]byte(in), r), want, in)
		require.Len(t, r.Unread, 1-want, in)
	}
}

// TestBehindALink: an address behind the kind of a tunnel is the next hop, and other words behind an interface leave the
// row unread.
func TestBehindALink(t *testing.T) {
	for way, want := range map[string]string{
		"via VTEP 172.28.99.7 VNI 5010 router-mac 02:00:00:00:00:07 local-interface Vxlan1": "via 172.28.99.7 encapsulated: active installed",
		"via hall0, 01:02:03":           "dev hall0: active installed",
		"via hall0 tunnel 172.28.99.7":  "dev hall0: active installed",
		"via Nexthop-Group hall-group":  "",
		"via hall0 elsewhere, 01:02:03": "",
	} {
		in := "Codes: C - connected, S - static\n\nS    10.61.2.0/24 [1/0] " + way + "\n"
		r := layouttest.Laws(t, Read, []byte(in))
		if want == "" {
			require.Empty(t, layouttest.Words([]byte(in), r), way)
			require.Len(t, r.Unread, 1, way)
			continue
		}
		require.Equal(t, []string{"3 10.61.2.0/24 static 1/0 " + want}, layouttest.Words([]byte(in), r), way)
	}
}

// TestAttachedByNoName: where no interface is shown, that of one attached network is not that of another.
func TestAttachedByNoName(t *testing.T) {
	r := layouttest.Laws(t, Read, []byte("C    10.61.64.0/24 is directly connected\nC    10.61.65.0/24 is directly connected\n"))
	require.Empty(t, r.Unread)
	l := &r.Facts.Tables[0].Routes
	require.Equal(t, 2, l.Len())
	require.Equal(t, "port in 10.61.64.0/24", l.At(0).NextHops[0].Interface)
	require.Equal(t, "port in 10.61.65.0/24", l.At(1).NextHops[0].Interface)
}

// TestAnotherPrefixesHop: an attached prefix has no next hop that a protocol found; the line between the two is missing.
func TestAnotherPrefixesHop(t *testing.T) {
	in := "IP Route Table for VRF \"default\"\n\n10.61.16.0/24, ubest/mbest: 1/0, attached\n    *via 172.28.61.6, cable1/1, [110/20], 1d02h, ospf-1, intra\n" +
		"10.61.17.0/24, ubest/mbest: 1/0, attached\n    *via 10.61.17.1, hall17, [0/0], 3w2d, direct\n" +
		"10.61.18.0/24, ubest/mbest: 1/0, attached\n    *via 172.28.61.6, [1/0], 1d02h, static\n"
	r := layouttest.Laws(t, Read, []byte(in))
	require.Equal(t, []string{"6 10.61.17.0/24 direct 0/0 dev hall17: active installed"}, layouttest.Words([]byte(in), r))
	require.Len(t, r.Unread, 4) // the lines of both prefixes, and those below them
}

// TestOneNextHopMoreThanCounted is another prefix's, whose line is missing: an own address would make the network the
// device's own.
func TestOneNextHopMoreThanCounted(t *testing.T) {
	in := "IP Route Table for VRF \"default\"\n\n10.61.17.0/24, ubest/mbest: 1/0, attached\n    *via 10.61.17.1, hall17, [0/0], 3w2d, direct\n" +
		"    *via 10.61.17.1, hall17, [0/0], 3w2d, local\n"
	r := layouttest.Laws(t, Read, []byte(in))
	require.Equal(t, []string{"4 10.61.17.0/24 direct 0/0 dev hall17: active installed"}, layouttest.Words([]byte(in), r))
	require.Len(t, r.Unread, 1)
}

// TestWhatResolvesStandsDeeper: below rows with further next hops right under the first, what resolves a recursive one
// stands two columns deeper. One that stands under nothing is still not read.
func TestWhatResolvesStandsDeeper(t *testing.T) {
	const ecmp = "O>* 10.61.%d.0/24 [110/20] via 172.28.61.2, e0, weight 1, 00:00:16\n" +
		"  *                       via 172.28.61.6, e5, weight 1, 00:00:16\n"
	key := "Codes: K - kernel route, C - connected, S - static, O - OSPF, B - BGP,\n       > - selected route, * - FIB route\n\n"
	text := key
	for i := range 4 {
		text += fmt.Sprintf(ecmp, i)
	}
	deeper := "B>  10.61.9.0/24 [200/0] via 10.61.255.4 (recursive), weight 1, 00:00:15\n" +
		"  *                        via 172.28.61.2, e0, weight 1, 00:00:15\n" +
		"  *                        via 172.28.61.6, e5, weight 1, 00:00:15\n"
	r := Read([]byte(text + deeper))
	require.Empty(t, layouttest.Unread([]byte(text+deeper), r))
	l := &r.Facts.Tables[0].Routes
	require.Len(t, l.At(l.Len()-1).NextHops, 3)
	moved := strings.Replace(text, "  *                       via", "  *                         via", 1)
	moved = text + moved[len(key):]
	require.Len(t, layouttest.Unread([]byte(moved), Read([]byte(moved))), 1, "two columns off, and nothing is recursive")
}

// TestAHarmedDestination: what is left of a destination behind a sign or a blank is no destination of its own.
func TestAHarmedDestination(t *testing.T) {
	for _, row := range []string{
		"C>* *0.213.72.0/24 is directly connected, up0, 00:00:38",
		"C    *0.213.72.0/24 is directly connected, up0",
		"C    1 2.28.61.0/30 is directly connected, up0",
		"C    1*2.28.61.0/30 is directly connected, up0",
		"R>* fd*1:61:16::/64 [120/2] via fe80::1, up0, weight 1, 00:00:30",
		"R>* fd61 16:32::/64 [120/2] via fe80::1, up0, weight 1, 00:00:30",
	} {
		in := []byte("C>* 10.61.16.0/24 is directly connected, hall0, 00:00:38\n" + row + "\n")
		r := Read(in)
		require.Equal(t, 1, r.Routes(), row)
		require.Len(t, r.Unread, 1, row)
	}
	require.Equal(t, 1, func() int { r := Read([]byte("S>*10.61.16.0/24 [1/0] via 172.28.61.6, up0\n")); return r.Routes() }(), "signs glued to it")
}

// TestABrokenTitle: whose the rows below it are nobody knows, until the next title.
func TestABrokenTitle(t *testing.T) {
	row := func(n int) string { return fmt.Sprintf("C    10.61.%d.0/24 is directly connected, hall%d\n", n, n) }
	r := Read([]byte("IP Route Table for VRF \"default\"\n" + row(1) + "IP Route Tabe for VRF \"guests\"\n" + row(2)))
	for _, tab := range r.Facts.Tables {
		require.False(t, tab.Name == "default" && tab.Routes.Len() > 1)
	}
}
