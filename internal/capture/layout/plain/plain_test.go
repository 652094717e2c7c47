package plain

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

const csvText = `destination-prefix,source-protocol,route-preference,metric,next-hop-address,outgoing-interface,special-next-hop,active
10.61.16.0/24,ospf,110,20,172.28.61.2,wan0,,true
10.61.16.0/24,static,130,,172.28.61.22,wan1,,false
10.61.40.0/21,static,1,0,,,blackhole,true
fd6b::/64,direct,,,,"'=hall,0",,
10.61.0.0/33,static,1,0,,,,
10.62.0.0/16,magic,1,0,,,,
10.63.0.0/16,static,-1,0,,,,
10.64.0.0/16,"static
`

const ownText = `{"device":"summit","tables":[
{"table":"default","family":"ipv4","best-preference":"lowest","routes":[
{"destination-prefix":"10.61.40.0/21","source-protocol":"static","subtype":null,"route-preference":1,"metric":0,"active":true,"installed":true,"special-next-hop":"blackhole","next-hops":[],"evidence":{"file":"x","line":12}},
{"destination-prefix":"10.61.41.0/24","source-protocol":"ospf","subtype":"inter-area","route-preference":110,"metric":null,"active":false,"installed":false,"special-next-hop":null,"next-hops":[{"next-hop-address":"172.28.61.9","outgoing-interface":"line2","weight":3}],"evidence":null},
{"destination-prefix":"10.61.41.0/44","source-protocol":"ospf"}]},
{"table":"yard","family":"ipv6","best-preference":"highest","routes":[
{"destination-prefix":"fd6b::/64","source-protocol":"direct","active":true,"installed":true,"next-hops":[{"next-hop-address":null,"outgoing-interface":"hall0","weight":1}]}]}]}
`

func TestReadCSV(t *testing.T) {
	r := layouttest.Laws(t, ReadCSV, []byte(csvText))
	require.Equal(
		t,
		[]string{
			"2 10.61.16.0/24 ospf 110/20 via 172.28.61.2 dev wan0: active installed",
			"3 10.61.16.0/24 static 130/- via 172.28.61.22 dev wan1",
			"4 10.61.40.0/21 static 1/0 blackhole: active installed",
			"5 fd6b::/64 direct -/- dev =hall,0: active installed",
		},
		layouttest.Words([]byte(csvText), r),
	)
	require.Equal(
		t,
		[]string{
			`6 prefix length out of range: "10.61.0.0/33"`,
			`7 not in the form of this layout: source protocol "magic"`,
			`8 not a number in range: route-preference "-1"`,
			`9 not in the form of this layout: column 21: extraneous or missing " in quoted-field`,
		},
		layouttest.Unread([]byte(csvText), r),
	)
	require.Positive(t, recogniseCSV([]byte(csvText)))
	layouttest.Variants(t, ReadCSV, csvText)
}

func TestReadOwn(t *testing.T) {
	r := layouttest.Laws(t, ReadOwn, []byte(ownText))
	require.Equal(
		t,
		[]string{
			"3 10.61.40.0/21 static 1/0 blackhole: active installed",
			"4 10.61.41.0/24 ospf/inter-area 110/- via 172.28.61.9 dev line2 weight 3",
			"7 (yard) fd6b::/64 direct -/- dev hall0: active installed",
		},
		layouttest.Words([]byte(ownText), r),
	)
	require.Equal(t, []string{`5 prefix length out of range: "10.61.41.0/44"`}, layouttest.Unread([]byte(ownText), r))
	require.True(t, r.Facts.Tables[1].HighestWins)
	require.Positive(t, recogniseOwn([]byte(ownText)))
	layouttest.Variants(t, ReadOwn, ownText)
}

// TestStatesOfOwnRoutes: what the program writes of a route's state it reads again.
func TestStatesOfOwnRoutes(t *testing.T) {
	in := `{"device":"summit","tables":[
{"table":"default","family":"ipv4","routes":[
{"destination-prefix":"10.61.40.0/24","source-protocol":"ospf","active":true,"installed":false,"rejected":true,"next-hops":[{"next-hop-address":"172.28.61.9"}]},
{"destination-prefix":"10.61.41.0/24","source-protocol":"static","active":false,"installed":false,"unusable":true,"next-hops":[{"next-hop-address":"172.28.61.9"}]},
{"destination-prefix":"10.61.42.0/24","source-protocol":"static","active":false,"installed":true,"next-hops":[{"next-hop-address":"172.28.61.9"}]}]}]}
`
	require.Equal(t, []string{
		"3 10.61.40.0/24 ospf -/- via 172.28.61.9: active rejected",
		"4 10.61.41.0/24 static -/- via 172.28.61.9: unusable",
		"5 10.61.42.0/24 static -/- via 172.28.61.9: installed",
	}, layouttest.Words([]byte(in), ReadOwn([]byte(in))))
}

func FuzzReadCSV(f *testing.F) {
	f.Add([]byte(csvText))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, ReadCSV, in) })
}

func FuzzReadOwn(f *testing.F) {
	f.Add([]byte(ownText))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, ReadOwn, in) })
}
