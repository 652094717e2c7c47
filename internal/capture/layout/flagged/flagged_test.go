package flagged

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

var readTests = []struct {
	name, in     string
	want, unread []string
}{
	{"older columns", `Flags: X - disabled, A - active, D - dynamic, 
C - connect, S - static, r - rip, b - bgp, o - ospf, 
B - blackhole, U - unreachable, P - prohibit 
 #      DST-ADDRESS        PREF-SRC        GATEWAY            DISTANCE
 0 A S  0.0.0.0/0                          172.28.61.1               1
 1 ADC  10.61.16.0/24      10.61.16.1      hall                      0
 2 X S  10.61.17.0/24                      172.28.61.9               1
 3   S  10.61.18.0/24                      172.28.61.9               5
 4 ADo  10.61.32.0/24                      172.28.61.6,172.28.61.10 110
 5 A SB 10.61.40.0/21                                                1
`, []string{"5 0.0.0.0/0 static 1/- via 172.28.61.1: active installed", "6 10.61.16.0/24 direct 0/- dev hall: active installed", "7 10.61.17.0/24 static 1/- via 172.28.61.9: unusable",
		"8 10.61.18.0/24 static 5/- via 172.28.61.9", "9 10.61.32.0/24 ospf 110/- via 172.28.61.6 via 172.28.61.10: active installed", "10 10.61.40.0/21 static 1/- blackhole: active installed"}, nil},
	{
		"newer columns, without numbers for dynamic rows",
		`Flags: D - DYNAMIC; I - INACTIVE, A - ACTIVE; c - CONNECT, s - STATIC, o - OSPF; + - ECMP
Columns: DST-ADDRESS, GATEWAY, DISTANCE
#     DST-ADDRESS       GATEWAY               DISTANCE
0  As 0.0.0.0/0         172.28.61.1                  1
  DAc 10.61.16.0/24     hall                         0
  DAo 10.61.32.0/24     172.28.61.6%line1          110
1  Is 10.61.18.0/24     172.28.61.9                  1
  DAc fd6b:16::/64      hall                         0
  DAo fd6b:32::/64      fe80::6%line1              110
`,
		[]string{
			"4 0.0.0.0/0 static 1/- via 172.28.61.1: active installed",
			"5 10.61.16.0/24 direct 0/- dev hall: active installed",
			"6 10.61.32.0/24 ospf 110/- via 172.28.61.6 dev line1: active installed",
			"7 10.61.18.0/24 static 1/- via 172.28.61.9: unusable",
			"8 fd6b:16::/64 direct 0/- dev hall: active installed",
			"9 fd6b:32::/64 ospf 110/- via fe80::6 dev line1: active installed",
		},
		nil,
	},
	{
		"networks of link-local addresses",
		`Flags: D - DYNAMIC; A - ACTIVE; c - CONNECT, s - STATIC
Columns: DST-ADDRESS, GATEWAY, DISTANCE
#     DST-ADDRESS        GATEWAY        DISTANCE
  DAc fe80::%hall0/64    hall0                 0
0  As fd6b:32::/48       fe80::9%hall0         1
`,
		[]string{"4 fe80::/64 direct 0/- dev hall0: active installed", "5 fd6b:32::/48 static 1/- via fe80::9 dev hall0: active installed"},
		nil,
	},
	{
		"columns behind the distance",
		`Flags: A - ACTIVE; c, s, o, y - COPY; H - HW-OFFLOADED
Columns: DST-ADDRESS, GATEWAY, AFI, DISTANCE, SCOPE, TARGET-SCOPE, IMMEDIATE-GW
   DST-ADDRESS       GATEWAY      AFI  DISTANCE  SCOPE  TARGET-SCOPE  IMMEDIATE-GW
As 0.0.0.0/0         172.28.61.1  ip4         1     30            10  172.28.61.1%line0
A  10.61.16.0/24     hall         ip4         0     10                hall
   10.61.32.0/24     172.28.61.5  ip4       110     20            10  172.28.61.5%line1
`,
		[]string{"4 0.0.0.0/0 static 1/- via 172.28.61.1: active installed", "5 10.61.16.0/24 other 0/- dev hall: active installed", "6 10.61.32.0/24 other 110/- via 172.28.61.5"},
		nil,
	},
	{
		"discards in the place of a gateway",
		`Flags: D - DYNAMIC; A - ACTIVE; c - CONNECT, s - STATIC
Columns: DST-ADDRESS, GATEWAY, DISTANCE
#     DST-ADDRESS       GATEWAY               DISTANCE
0  As 10.61.46.0/24     blackhole                    1
1  As 10.61.47.0/24     unreachable                  1
2  As 10.61.48.0/24     blackhole-lift               1
`,
		[]string{"4 10.61.46.0/24 static 1/- blackhole: active installed", "5 10.61.47.0/24 static 1/- unreachable: active installed",
			"6 10.61.48.0/24 static 1/- dev blackhole-lift: active installed"},
		nil,
	},
	{
		"pairs, over several lines, with a comment",
		`Flags: D - dynamic; X - disabled, I - inactive, A - active; c - connect, s - static, o - ospf
 0  As   ;;; towards the control room
         dst-address=0.0.0.0/0 routing-table=main gateway=172.28.61.1 
         immediate-gw=172.28.61.1%line0 distance=1 scope=30 target-scope=10 

   DAc   dst-address=10.61.16.0/24 routing-table=main gateway=hall immediate-gw=hall 
         distance=0 scope=10 

 1 Xs   dst-address=10.61.18.0/24 routing-table=yard gateway=172.28.61.9 distance=5

 2  As   dst-address=10.61.40.0/21 blackhole distance=1
`,
		[]string{
			"3 0.0.0.0/0 static 1/- via 172.28.61.1 dev line0: active installed",
			"6 10.61.16.0/24 direct 0/- dev hall: active installed",
			"11 10.61.40.0/21 static 1/- blackhole: active installed",
			"9 (yard) 10.61.18.0/24 static 5/- via 172.28.61.9: unusable",
		},
		nil,
	},
	{
		"bad values",
		"Flags: A - active, S - static\n #      DST-ADDRESS        GATEWAY            DISTANCE\n 0 A S  10.61.16.0/33      172.28.61.1               1\n 1 A S  10.61.17.0/24      172.28.61.300             1\n 2 A S  10.61.18.0/24      172.28.61.1              -1\n 3 A S  10.61.19.0/24      172.28.61.1               1\n",
		[]string{"6 10.61.19.0/24 static 1/- via 172.28.61.1: active installed"},
		[]string{
			`3 prefix length out of range: "10.61.16.0/33"`,
			`4 not an address: "172.28.61.300"`,
			`5 not a number in range: "-1"`,
		},
	},
}

func TestRead(t *testing.T) {
	for _, tt := range readTests {
		t.Run(tt.name, func(t *testing.T) {
			in := []byte(tt.in)
			r := layouttest.Laws(t, Read, in)
			require.Equal(t, tt.want, layouttest.Words(in, r))
			require.Equal(t, tt.unread, layouttest.Unread(in, r))
			layouttest.Variants(t, Read, tt.in)
			require.Positive(t, recognise(in))
		})
	}
}

const flaggedLinks = `Flags: D - dynamic; X - disabled, I - inactive, R - running; S - slave
Columns: NAME, TYPE, ACTUAL-MTU, MAC-ADDRESS
 #     NAME             TYPE       ACTUAL-MTU  MAC-ADDRESS
;;; to the valley
 0  R  line1            ether            1500  6A:11:22:33:44:01
 1   S line 2           ether            1500  6A:11:22:33:44:02
 2 XR  ;;; out of use
       line3            ether            1500  6A:11:22:33:44:03
 3  R  a-name-that-is-longether            1500
`

const flaggedAddresses = `Flags: X - disabled, I - invalid, D - dynamic
 #   ADDRESS            NETWORK         INTERFACE
 0   10.61.16.1/24      10.61.16.0      line1
 1 X ;;; the old valley link
     10.61.17.1/24      10.61.17.0      line2
 2 D ;;; the mast
     10.61.18.1/24      10.61.18.0      line3
     10.61.19.1/24      10.61.19.0      line4
`

// TestCommentsAndInterfaces: what stands with a comment counts for the row below it, and without that line nothing is
// known of it.
func TestCommentsAndInterfaces(t *testing.T) {
	r := layouttest.Laws(t, Read, []byte(flaggedLinks))
	var got []network.Interface
	for _, i := range r.Facts.Interfaces {
		i.Mark = route.Mark{}
		got = append(got, i)
	}
	require.Equal(t, []network.Interface{{Name: "line1", State: network.LinkUp, MAC: "6a:11:22:33:44:01"}, {Name: "line 2", State: network.LinkDown, MAC: "6a:11:22:33:44:02"},
		{Name: "line3", State: network.LinkDown, MAC: "6a:11:22:33:44:03"}}, got)
	require.Equal(t, []string{"9 not in the form of this layout"}, layouttest.Unread([]byte(flaggedLinks), r))
	r = layouttest.Laws(t, Read, []byte(flaggedAddresses))
	var own []string
	for _, a := range r.Facts.Addresses {
		own = append(own, a.Prefix.String()+" "+a.Interface)
	}
	require.Equal(t, []string{"10.61.16.1/24 line1", "10.61.18.1/24 line3"}, own)
	require.Equal(t, []string{"8 not in the form of this layout"}, layouttest.Unread([]byte(flaggedAddresses), r))
	in := []byte("Flags: X - disabled, A - active, S - static, B - blackhole\n #      DST-ADDRESS        GATEWAY            DISTANCE\n" +
		" 0 A S  ;;; way out\n        0.0.0.0/0          172.28.61.1               1\n 1 X S  ;;; not now\n        10.61.17.0/24      172.28.61.9               1\n" +
		" 2 A SB ;;; nobody there\n        10.61.40.0/21                                1\n")
	require.Equal(t, []string{"4 0.0.0.0/0 static 1/- via 172.28.61.1: active installed", "6 10.61.17.0/24 static 1/- via 172.28.61.9: unusable",
		"8 10.61.40.0/21 static 1/- blackhole: active installed"}, layouttest.Words(in, layouttest.Laws(t, Read, in)))
}

func FuzzRead(f *testing.F) {
	for _, tt := range readTests {
		f.Add([]byte(tt.in))
	}
	f.Add([]byte(flaggedLinks))
	f.Add([]byte(flaggedAddresses))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestGatewaysOfEqualWays stand alone below the row, in the gateway's column.
func TestGatewaysOfEqualWays(t *testing.T) {
	in := []byte("Flags: X - disabled, A - active, D - dynamic,\nC - connect, S - static, o - ospf\n" +
		" #      DST-ADDRESS        PREF-SRC        GATEWAY            DISTANCE\n" +
		" 0 ADo  10.61.40.0/24                      172.28.61.6             110\n" +
		"                                           172.28.61.10\n" +
		"                                           172.28.61.14\n" +
		" 1 A S  10.61.41.0/24                      172.28.61.6               1\n" +
		"172.28.61.18\n")
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, []string{"4 10.61.40.0/24 ospf 110/- via 172.28.61.6 via 172.28.61.10 via 172.28.61.14: active installed",
		"7 10.61.41.0/24 static 1/- via 172.28.61.6: active installed"}, layouttest.Words(in, r))
	require.Len(t, r.Unread, 1, "an address in another column belongs to no row")
}

// TestIPv6AddressesAndNeighbours: the interface stands behind a pool, which most rows have none of; neighbours are
// written as pairs.
func TestIPv6AddressesAndNeighbours(t *testing.T) {
	const addresses = `Flags: X - disabled, I - invalid, D - dynamic, G - global, L - link-local
 #    ADDRESS                 FROM-POOL INTERFACE             ADVERTISE
 0  G fd6b:16::1/64                     hall16                yes
 1  G fd6b:17::1/64           yard      hall17                no
 2 DL fe80::5a:1/64                     hall16                no
 3 IG fd6b:18::1/64                     hall18                no
 4  G fd6b:19::1/64                     hall 19 b             no
`
	r := layouttest.Laws(t, Read, []byte(addresses))
	var got []string
	for _, a := range r.Facts.Addresses {
		got = append(got, a.Interface+" "+a.Prefix.String())
	}
	require.Equal(t, []string{"hall16 fd6b:16::1/64", "hall17 fd6b:17::1/64", "hall16 fe80::5a:1/64"}, got)
	require.Equal(t, []string{"7 not in the form of this layout"}, layouttest.Unread([]byte(addresses), r))

	const neighbours = `Flags: R - router
 0 R address=fd6b:16::20 interface=hall16 mac-address=02:00:00:00:00:10 status="reachable"
 1   address=fe80::5b:1 interface=hall16 mac-address=02:00:00:00:00:11 status="failed"
`
	r = layouttest.Laws(t, Read, []byte(neighbours))
	require.Len(t, r.Facts.Neighbours, 2)
	require.Equal(t, "02:00:00:00:00:10", r.Facts.Neighbours[0].MAC)
	require.Empty(t, r.Facts.Neighbours[1].MAC)
	require.Empty(t, r.Unread)
}

// TestNumbersThatAreMissing: rows are numbered from 0 on, so that one that skips numbers has lost those before it.
func TestNumbersThatAreMissing(t *testing.T) {
	const head = "Flags: X - disabled, A - active, S - static\n #      DST-ADDRESS        GATEWAY            DISTANCE\n"
	const row = " A S  10.61.16.0/24      172.28.61.1               1\n"
	for in, part := range map[string]bool{
		head + " 0" + row + " 1" + strings.Replace(row, "16", "17", 1): false,
		head + " 0" + row + " 2" + strings.Replace(row, "16", "17", 1): true,
		head + "10" + row:              true,
		head + " 0" + row + " 0" + row: false, // printed twice
		head + " 0 A S  ;;; the hall\n       10.61.16.0/24      172.28.61.1               1\n 1" + strings.Replace(row, "16", "17", 1): false,
		"Flags: A - ACTIVE; c - CONNECT, s - STATIC\n#     DST-ADDRESS       GATEWAY        DISTANCE\n" +
			"  Ac 10.61.32.0/24     hall2                 0\n0  As 10.61.33.0/24     172.28.61.6           1\n": false,
	} {
		r := layouttest.Laws(t, Read, []byte(in))
		require.Equal(t, part, r.Facts.Tables[0].Filtered.Known(), in)
	}
}

// TestRowsOfALargeTableSayWhatTheySayAlone: what rows have in common is read once.
func TestRowsOfALargeTableSayWhatTheySayAlone(t *testing.T) {
	head := "Flags: D - dynamic; X - disabled, I - inactive, A - active; c - connect, s - static, r - rip, b - bgp; B - blackhole\n"
	rows := []string{
		"  DAb <P                > 100.70.3.1       20",
		"  DIr <P                > 100.70.3.1       20",
		"  D b <P                > 100.70.3.1       <M>",
		"  Xs  <P                > 100.70.3.1%e1    20",
		"  DAc <P                > e1                0",
		"  AsB <P                >                  20",
		"  As  <P                > blackhole        20",
		"  DAb <P                > 100.70.300.1     20",
		"  DAb <P                > 100.70.3.1",
		"  DAb <P                > 100.70.3.1       20\n                           100.70.3.9",
		";;; to the valley\n  As  <P                > 100.70.3.1       20",
		"  DAb 10.61.0.9 <P                >           20",
	}
	for _, prefix := range []func(int) string{layouttest.IPv4, layouttest.IPv6} {
		layouttest.Alone(t, Read, head+"Columns: DST-ADDRESS, GATEWAY, DISTANCE\n     DST-ADDRESS        GATEWAY          DISTANCE\n", "\n", "\n",
			layouttest.Rows(3000, prefix, append(rows, rows[0], rows[0], rows[1], rows[1], rows[3], rows[6])...))
	}
	text, want := head+"#     DST-ADDRESS        GATEWAY          DISTANCE\n", []string{}
	for i := range 40 { // with numbers
		text += fmt.Sprintf("%-3d DAb %-19s 100.70.3.1       20\n", i, layouttest.IPv4(i))
		want = append(want, fmt.Sprintf("%d %s bgp 20/- via 100.70.3.1: active installed", i+3, layouttest.IPv4(i)))
	}
	r := Read([]byte(text))
	require.Equal(t, want, layouttest.Words([]byte(text), r))
	require.False(t, r.Facts.Tables[0].Filtered.Known())
	r = Read([]byte(strings.Replace(text, "\n30 ", "\n31 ", 1)))
	require.True(t, r.Facts.Tables[0].Filtered.Known(), "a number is missing")
}
