package settle

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/change"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/topology"
)

// ring is three routers, each with a network, in a ring; what is said of costs and areas is added.
const ring = `
	a: addr 172.16.0.1/30 e0
	a: direct 172.16.0.0/30 dev e0
	a: link e0 up
	a: addr 172.16.2.2/30 e2
	a: direct 172.16.2.0/30 dev e2
	a: link e2 up
	a: addr 10.1.0.1/24 lan
	a: direct 10.1.0.0/24 dev lan
	b: addr 172.16.0.2/30 e0
	b: direct 172.16.0.0/30 dev e0
	b: link e0 up
	b: addr 172.16.1.1/30 e1
	b: direct 172.16.1.0/30 dev e1
	b: link e1 up
	c: addr 172.16.1.2/30 e1
	c: direct 172.16.1.0/30 dev e1
	c: link e1 up
	c: addr 172.16.2.1/30 e2
	c: direct 172.16.2.0/30 dev e2
	c: link e2 up
`

// ospf is what they have by a protocol that shows no areas.
const ospf = "b: ospf 10.1.0.0/24 pref 110 metric 20 via 172.16.0.1 dev e0\na: ospf 10.1.0.0/24 pref 110 metric 10 dev lan candidate\n" +
	"c: ospf 10.1.0.0/24 pref 110 metric 20 via 172.16.2.2 dev e2\nc: ospf 172.16.1.0/30 pref 110 metric 10 dev e1 candidate\n" +
	"b: ospf 172.16.2.0/30 pref 110 metric 20 via 172.16.0.1 dev e0\nb: ospf 172.16.1.0/30 pref 110 metric 10 dev e1 candidate\n"

// TestWhatWouldSettleIt: of routes that cannot be told it is said what nobody knows of their protocol.
func TestWhatWouldSettleIt(t *testing.T) {
	const area = "a: runs ospf e0 area 0.0.0.0\na: runs ospf e2 area 0.0.0.0\na: runs ospf lan area 0.0.0.0\n" +
		"b: runs ospf e0 area 0.0.0.0\nb: runs ospf e1 area 0.0.0.0\nc: runs ospf e1 area 0.0.0.0\nc: runs ospf e2 area 0.0.0.0\n"
	const bgp = "b: bgp 10.1.0.0/24 pref 20 via 172.16.0.1 dev e0\nc: bgp 10.1.0.0/24 pref 20 via 172.16.2.2 dev e2\n"
	for _, tt := range []struct {
		name, in string
		want     []string
	}{
		{"whether there are several areas", ospf, []string{"areas ospf ipv4 [a b c]"}},
		{"nothing, with areas and all costs that count", ospf + area, nil},
		{"whom they speak with", bgp, []string{"sessions bgp ipv4 [b c]"}},
		{"both", bgp + ospf, []string{"areas ospf ipv4 [a b c]", "sessions bgp ipv4 [b c]"}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			n := coretest.Build(ring + tt.in)
			down := change.Change{change.InterfaceDown{Device: "a", Interface: "e0"}, change.InterfaceDown{Device: "b", Interface: "e0"}}
			edited, err := down.On(n)
			require.NoError(t, err)
			s := New(topology.Build(n))
			res := s.Run(edited)
			var got []string
			for _, l := range s.Lacks(res.Moves) {
				got = append(got, fmt.Sprint(l.Kind, " ", l.Protocol, " ", l.Family, " ", l.Places))
			}
			require.Equal(t, tt.want, got)
			require.Empty(t, s.Noted(res.Moves))
		})
	}
}

// TestANoteOfOneArea: with it predictions are made that tables alone do not allow, and the note is named; where
// configurations tell of several areas it counts for nothing.
func TestANoteOfOneArea(t *testing.T) {
	const beyond = "c: direct 10.3.0.0/24 dev lan\nc: ospf 10.3.0.0/24 pref 110 metric 10 dev lan candidate\nb: ospf 10.3.0.0/24 pref 110 metric 20 via 172.16.1.2 dev e1\n"
	for in, want := range map[string]string{
		"": "ospf 172.16.1.2%e1",
		"a: runs ospf e0 area 0.0.0.0\nb: runs ospf e0 area 0.0.0.0\nb: runs ospf e1 area 0.0.0.1\nc: runs ospf e1 area 0.0.0.1\n": "untold",
	} {
		n := coretest.Build(ring + ospf + beyond + in + "*: one-area ospf\n")
		down := change.Change{change.InterfaceDown{Device: "a", Interface: "e0"}, change.InterfaceDown{Device: "b", Interface: "e0"}}
		edited, err := down.On(n)
		require.NoError(t, err)
		s := New(topology.Build(n))
		res := s.Run(edited)
		require.Equal(t, want, plainWords(inUse(res.Network, "b")[netip.MustParsePrefix("10.1.0.0/24")]))
		require.Equal(t, want != "untold", len(s.Noted(res.Moves)) == 1)
	}
}

// TestWhatComesUp: whether a protocol runs on an interface that comes up only its configuration tells.
func TestWhatComesUp(t *testing.T) {
	const ospf = "b: ospf 10.3.0.0/24 pref 110 metric 20 via 172.16.1.2 dev e1\nc: direct 10.3.0.0/24 dev lan\n" +
		"c: ospf 10.3.0.0/24 pref 110 metric 10 dev lan candidate\na: ospf 10.3.0.0/24 pref 110 metric 20 via 172.16.2.1 dev e2\n" +
		"*: one-area ospf\n"
	const configured = "a: runs ospf e0 area 0.0.0.0 cost 10\na: runs ospf e2 area 0.0.0.0 cost 10\nb: runs ospf e0 area 0.0.0.0 cost 10\n" +
		"b: runs ospf e1 area 0.0.0.0 cost 10\nc: runs ospf e1 area 0.0.0.0 cost 10\nc: runs ospf e2 area 0.0.0.0 cost 10\nc: runs ospf lan area 0.0.0.0 cost 10\n"
	down := strings.NewReplacer("e0 up", "e0 down", "a: direct 172.16.0.0/30 dev e0", "", "b: direct 172.16.0.0/30 dev e0", "").Replace(ring)
	for in, want := range map[string][]string{"": {"costs [c:e1 c:e2]", "interfaces [a:e0 b:e0]"}, configured: nil} {
		n := coretest.Build(down + ospf + in)
		up := change.Change{change.InterfaceUp{Device: "a", Interface: "e0"}, change.InterfaceUp{Device: "b", Interface: "e0"}}
		edited, err := up.On(n)
		require.NoError(t, err)
		s := New(topology.Build(n))
		res := s.Run(edited)
		var got []string
		for _, l := range s.Lacks(res.Moves, res.Rose...) {
			got = append(got, fmt.Sprint(l.Kind, " ", l.Places))
		}
		require.Equal(t, want, got)
	}
}

// TestNothingIsNotedUnasked: what configurations tell of areas is no note, also where a link is left out of the protocol.
func TestNothingIsNotedUnasked(t *testing.T) {
	var s strings.Builder
	for k, ends := range [][2]string{{"a", "b"}, {"b", "c"}, {"a", "c"}, {"a", "b"}} {
		for i, d := range ends {
			fmt.Fprintf(&s, "%s: addr 172.28.%d.%d/30 e%[2]d\n%[1]s: direct 172.28.%[2]d.0/30 dev e%[2]d\n%[1]s: link e%[2]d up\n", d, k, i+1)
			if k < 3 {
				fmt.Fprintf(&s, "%s: runs ospf e%d area 0.0.0.0 cost 10\n", d, k)
			}
		}
	}
	s.WriteString("c: addr 10.61.9.1/24 lan\nc: direct 10.61.9.0/24 dev lan\nc: runs ospf lan area 0.0.0.0 cost 10\n" +
		"c: ospf 10.61.9.0/24 pref 110 metric 10 dev lan candidate\n" +
		"a: ospf 10.61.9.0/24 pref 110 metric 20 via 172.28.2.2 dev e2\nb: ospf 10.61.9.0/24 pref 110 metric 20 via 172.28.1.2 dev e1\n")
	n := coretest.Build(s.String())
	edited, err := change.Change{change.InterfaceDown{Device: "a", Interface: "e2"}, change.InterfaceDown{Device: "c", Interface: "e2"}}.On(n)
	require.NoError(t, err)
	settler := New(topology.Build(n))
	moves := settler.Run(edited).Moves
	require.True(t, slices.ContainsFunc(moves, func(m Move) bool { return m.Kind == Predicted }))
	require.Empty(t, settler.Noted(moves))
}
