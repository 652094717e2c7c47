package database

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/route"
)

const ripText = `Codes: R - RIP, C - connected, S - Static, O - OSPF, B - BGP
Sub-codes:
      (n) - normal, (s) - static, (d) - default, (r) - redistribute,
      (i) - interface

     Network            Next Hop         Metric From            Tag Time
C(i) 172.28.61.12/30    0.0.0.0               1 self              0
R(n) 10.61.44.0/26      172.28.61.14          2 172.28.61.14      0 00:29
O(r) 10.61.32.0/24      172.28.61.9           1 self (ospf:20)    0
R(n) 10.61.45.0/33      172.28.61.14          2 172.28.61.14      0 00:29
`

const bgpText = `BGP table version is 7, local router ID is 10.61.254.1, vrf id 0
Default local pref 100, local AS 64999
Status codes:  s suppressed, d damped, h history, * valid, > best, = multipath,
               i internal, r RIB-failure, S Stale, R Removed
Origin codes:  i - IGP, e - EGP, ? - incomplete

    Network          Next Hop            Metric LocPrf Weight Path
 *> 10.61.32.0/24    172.28.61.6             20             0 64998 i
 *                   172.28.61.10            30             0 64997 64998 i
 *> 10.61.0.0/24     0.0.0.0                  0         32768 i
 *>ifd6b:6a65:6c76:32:1:2:3:0/112
                    fe80::6                       100      0 i
 *> 10.61.33.0/24    172.28.61.600            0             0 i

Displayed  3 routes and 4 total paths
`

func TestRead(t *testing.T) {
	in := []byte(ripText)
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, []string{"8 10.61.44.0/26 rip -/2 via 172.28.61.14"}, layouttest.Words(in, r))
	require.Equal(t, []string{`10 prefix length out of range: "10.61.45.0/33"`}, layouttest.Unread(in, r))
	joined := Read([]byte(strings.Replace(ripText, "0 00:29\nO(r)", "0 00:29O(r)", 1)))
	require.Zero(t, joined.Routes(), "another row behind it")
	layouttest.Variants(t, Read, ripText)
	in = []byte(bgpText)
	r = layouttest.Laws(t, Read, in)
	require.Equal(
		t,
		[]string{
			"8 10.61.32.0/24 bgp -/20 via 172.28.61.6",
			"9 10.61.32.0/24 bgp -/30 via 172.28.61.10",
			"11 fd6b:6a65:6c76:32:1:2:3:0/112 bgp/internal -/- via fe80::6",
		},
		layouttest.Words(in, r),
	)
	require.Equal(t, []string{`13 not an address: "172.28.61.600"`}, layouttest.Unread(in, r))
	layouttest.Variants(t, Read, bgpText)
	require.Positive(t, recognise(in))
	l := &r.Facts.Tables[0].Routes
	require.Equal(
		t,
		route.BGPPath{
			Weight:      route.N(0),
			ByMetric:    true,
			Length:      route.N(1),
			NeighbourAS: 64998,
			Origin:      route.OriginIGP,
			Session:     route.ExternalPeer,
		},
		l.At(0).BGP,
	)
	require.Equal(
		t,
		route.BGPPath{
			Weight:      route.N(0),
			ByMetric:    true,
			Length:      route.N(2),
			NeighbourAS: 64997,
			Origin:      route.OriginIGP,
			Session:     route.ExternalPeer,
		},
		l.At(1).BGP,
	)
	require.Equal(
		t,
		route.BGPPath{
			Weight:          route.N(0),
			LocalPreference: route.N(100),
			Length:          route.N(0),
			Origin:          route.OriginIGP,
			Session:         route.InternalPeer,
		},
		r.Facts.Tables[1].Routes.At(0).BGP,
	)
}

const bgpOtherNames = ` BGP Local router ID is 10.61.254.1
 Status codes: * - valid, > - best, d - damped, x - best external, a - add path,
               h - history,  i - internal, s - suppressed, S - Stale
               Origin : i - IGP, e - EGP, ? - incomplete

 Total Number of Routes: 5
        Network            NextHop                       MED        LocPrf    PrefVal Path/Ogn

 *>     10.61.32.0/24      172.28.61.6                   20                    0      64998i
 *                         172.28.61.10                  30         150        0      64997 64998?
 *>i    10.61.33.0/24      172.28.61.9                              100        7      ?
 *>     172.20.0.0         172.28.61.6                   0                     0      64998i
 *>     10.61.34.0         172.28.61.6                   0                     0      64998i

 VPN-Instance tickets, Router ID 10.61.254.1:

 Total Number of Routes: 1
        Network            NextHop                       MED        LocPrf    PrefVal Path/Ogn

 *>     10.61.35.0/24      172.28.61.14                  0                     0      64996i
Route Distinguisher: 64999:7
 *>     10.61.36.0/24      172.28.61.14                  0                     0      64996i
`

// TestOtherNames: columns by other names, values to the left of them, the origin glued to the path; a table by a title,
// rows of none.
func TestOtherNames(t *testing.T) {
	in := []byte(bgpOtherNames)
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, []string{
		"9 10.61.32.0/24 bgp -/20 via 172.28.61.6",
		"10 10.61.32.0/24 bgp -/30 via 172.28.61.10",
		"11 10.61.33.0/24 bgp/internal -/- via 172.28.61.9",
		"12 172.20.0.0/16 bgp -/0 via 172.28.61.6",
		"20 (tickets) 10.61.35.0/24 bgp -/0 via 172.28.61.14",
	}, layouttest.Words(in, r))
	require.Equal(t, []string{`13 no prefix length, and no heading gives one: "10.61.34.0"`}, layouttest.Unread(in, r))
	l := &r.Facts.Tables[0].Routes
	require.Equal(t, route.BGPPath{Weight: route.N(0), ByMetric: true, Length: route.N(1), NeighbourAS: 64998, Origin: route.OriginIGP, Session: route.ExternalPeer}, l.At(0).BGP)
	require.Equal(t, route.BGPPath{Weight: route.N(0), ByMetric: true, LocalPreference: route.N(150), Length: route.N(2), NeighbourAS: 64997, Origin: route.OriginIncomplete,
		Session: route.ExternalPeer}, l.At(1).BGP)
	require.Equal(t, route.BGPPath{Weight: route.N(7), LocalPreference: route.N(100), Length: route.N(0), Origin: route.OriginIncomplete, Session: route.InternalPeer}, l.At(2).BGP)
	layouttest.Variants(t, Read, bgpOtherNames)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(ripText))
	f.Add([]byte(bgpText))
	f.Add([]byte(bgpOtherNames))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestNothingListed: where BGP knows nothing, one line says so. It is read, and tells of no table.
func TestNothingListed(t *testing.T) {
	text := []byte("No BGP prefixes displayed, 0 exist\n")
	require.Positive(t, Reader.Recognise(text))
	r := Read(text)
	require.Empty(t, r.Unread)
	require.Empty(t, r.Facts.Tables)
	require.Len(t, r.Passed, 1)
}
