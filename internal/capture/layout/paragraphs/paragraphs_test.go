package paragraphs

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

const answers = `Routing entry for 10.61.32.0/22
  Known via "ospf 7", distance 110, metric 30, type inter area, best
  Last update from 172.28.61.2 on line1, 2w1d ago
  Routing Descriptor Blocks:
  * 172.28.61.2, from 10.61.254.9, 2w1d ago, via line1
      Route metric is 30, traffic share count is 1
    172.28.61.6, from 10.61.254.9, 2w1d ago, via line2
      Route metric is 30, traffic share count is 3
Routing entry for 10.61.16.0/24
  Known via "connected", distance 0, metric 0, best
  Last update 03:22:10 ago
  * directly connected, hall0
Routing entry for fd6b:40::/48
  Known via "static", distance 1, metric 0, best
  Routing Descriptor Blocks:
  * directly connected, via Null0
      Route metric is 0, traffic share count is 1
Routing entry for 10.61.64.0/24
  Known via "bgp", distance 200, metric 0, best
  Last update 00:01:02 ago
    10.61.254.7 (vrf default), via up0, weight 2
Routing entry for 10.61.80.0/33
Routing entry for 10.61.96.0/20
  Known via "static", distance 1, metric 0
what is this
`

func TestRead(t *testing.T) {
	in := []byte(answers)
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, []string{
		"1 10.61.32.0/22 ospf/inter-area 110/30 via 172.28.61.2 dev line1 via 172.28.61.6 dev line2 weight 3: active installed",
		"9 10.61.16.0/24 direct 0/0 dev hall0: active installed",
		"18 10.61.64.0/24 bgp 200/0 via 10.61.254.7 dev up0 in default weight 2: active installed",
		"13 fd6b:40::/48 static 1/0 blackhole: active installed",
	}, layouttest.Words(in, r))
	require.Equal(t, []string{`22 prefix length out of range: "10.61.80.0/33"`, "25 not in the form of this layout",
		"23 a continuation without a route before it", "24 a continuation without a route before it"}, layouttest.Unread(in, r))
	for i := range r.Facts.Tables {
		require.True(t, r.Facts.Tables[i].Filtered.Known(), "one destination's answer is no table")
	}
	require.Positive(t, recognise(in))
	layouttest.Variants(t, Read, answers)
}

// TestOfATable: a heading names the table, and the next hop the table that it is in.
func TestOfATable(t *testing.T) {
	in := []byte("Routing table for VRF=0\nRouting entry for 10.61.32.0/24\n  Known via \"static\", distance 10, metric 0, best\n  * vrf 0 172.28.61.6, via line1\n\n" +
		"Routing table for VRF=7\nRouting entry for 10.61.32.0/24\n  Known via \"static\", distance 10, metric 0, best\n  * vrf 7 172.28.61.9, via line9\n    vrf 0 172.28.61.10, via line10\n")
	r := Read(in)
	require.Equal(t, []string{"2 10.61.32.0/24 static 10/0 via 172.28.61.6 dev line1: active installed",
		"7 (7) 10.61.32.0/24 static 10/0 via 172.28.61.9 dev line9 via 172.28.61.10 dev line10 in default: active installed"}, layouttest.Words(in, r))
	require.Empty(t, r.Unread)
}

// TestOnlyTheBestForwards where the device tells which one is.
func TestOnlyTheBestForwards(t *testing.T) {
	in := []byte("Routing entry for 10.61.32.0/24\n  Known via \"static\", distance 200, metric 0\n  * 172.28.61.9, via line9\n\n" +
		"Routing entry for 10.61.32.0/24\n  Known via \"ospf\", distance 110, metric 20, best\n  * 172.28.61.2, via line1\n")
	require.Equal(t, []string{"1 10.61.32.0/24 static 200/0 via 172.28.61.9 dev line9", "5 10.61.32.0/24 ospf 110/20 via 172.28.61.2 dev line1: active installed"},
		layouttest.Words(in, layouttest.Laws(t, Read, in)))
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(answers))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestNextHopsThatStandBy: a share of nothing and a word say that nothing goes by a next hop.
func TestNextHopsThatStandBy(t *testing.T) {
	in := `Routing entry for 10.61.32.0/22
  Known via "bgp 64900", distance 200, metric 30, type internal
  Routing Descriptor Blocks:
  * 172.28.61.2, from 10.61.254.9, via line1
      Route metric is 30, traffic share count is 1
    172.28.61.6, from 10.61.254.9, via line2
      Route metric is 60, traffic share count is 0
    172.28.61.10, from 10.61.254.9, via line3, Backup (Local-LFA)
      Route metric is 90
`
	require.Equal(t, []string{"1 10.61.32.0/22 bgp/internal 200/30 via 172.28.61.2 dev line1 via 172.28.61.6 dev line2 backup " +
		"via 172.28.61.10 dev line3 backup: active installed"}, layouttest.Words([]byte(in), layouttest.Laws(t, Read, []byte(in))))
}
