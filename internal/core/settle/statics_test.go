package settle

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/change"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/topology"
)

// pairOf is two routers on two links, with a network behind the second.
const pairOf = `
	a: addr 172.16.0.1/30 e0
	a: direct 172.16.0.0/30 dev e0
	a: link e0 up
	a: addr 172.16.1.1/30 e1
	a: direct 172.16.1.0/30 dev e1
	a: link e1 up
	b: addr 172.16.0.2/30 e0
	b: direct 172.16.0.0/30 dev e0
	b: link e0 up
	b: addr 172.16.1.2/30 e1
	b: direct 172.16.1.0/30 dev e1
	b: link e1 up
	b: addr 10.7.0.1/24 lan
	b: direct 10.7.0.0/24 dev lan
`

func TestStatics(t *testing.T) {
	p := netip.MustParsePrefix("10.7.0.0/24")
	own := change.InterfaceDown{Device: "a", Interface: "e0"}
	theirs := change.InterfaceDown{Device: "b", Interface: "e0"}
	other := change.InterfaceDown{Device: "b", Interface: "lan"}
	for _, tt := range []struct {
		name, in string
		change   change.Change
		want     string
	}{
		{"a static leaves with its interface, and the backup comes in", "a: static 10.7.0.0/24 pref 1 via 172.16.0.2 dev e0\na: static 10.7.0.0/24 pref 200 via 172.16.1.2 dev e1 candidate",
			change.Change{own}, "static 172.16.1.2%e1"},
		{"a configured backup that no table shows comes in too", "a: static 10.7.0.0/24 pref 1 via 172.16.0.2 dev e0\na: conf 10.7.0.0/24 via 172.16.1.2 pref 200",
			change.Change{own}, "static 172.16.1.2%"},
		{"nothing is left", "a: static 10.7.0.0/24 pref 1 via 172.16.0.2 dev e0", change.Change{own}, ""},
		{"the far end goes down and nobody tells: the static stays", "a: static 10.7.0.0/24 pref 1 via 172.16.0.2 dev e0\na: static 10.7.0.0/24 pref 200 via 172.16.1.2 dev e1 candidate",
			change.Change{theirs}, "static 172.16.0.2%e0"},
		{"a liveness session tells", "a: static 10.7.0.0/24 pref 1 via 172.16.0.2 dev e0\na: static 10.7.0.0/24 pref 200 via 172.16.1.2 dev e1 candidate\na: session 172.16.0.2 e0 up",
			change.Change{theirs}, "static 172.16.1.2%e1"},
		{"a session that was down before tells nothing", "a: static 10.7.0.0/24 pref 1 via 172.16.0.2 dev e0\na: session 172.16.0.2 e0 down",
			change.Change{theirs}, "static 172.16.0.2%e0"},
		{"one that is tied to a session of which nothing was captured cannot be told", "a: static 10.7.0.0/24 pref 1 via 172.16.0.2 dev e0\n" +
			"a: conf 10.7.0.0/24 via 172.16.0.2 pref 1 tied session", change.Change{theirs}, "untold"},
		{"one that is tied to an object which the change may touch cannot be told", "a: static 10.7.0.0/24 pref 1 via 172.16.0.2 dev e0\n" +
			"a: conf 10.7.0.0/24 via 172.16.0.2 pref 1 tied 1", change.Change{other}, "untold"},
		{"and one that it cannot touch stays", "a: static 10.7.0.0/24 pref 1 via 172.16.0.99 dev e0\n" +
			"a: conf 10.7.0.0/24 via 172.16.0.99 pref 1 tied 1", change.Change{other}, "static 172.16.0.99%e0"},
		{"what depends on another route leaves with it", "a: static 172.20.0.9/32 pref 1 via 172.16.0.2 dev e0\na: static 10.7.0.0/24 pref 1 via 172.20.0.9",
			change.Change{own}, ""},
		{"BGP that lost its next hop cannot be told", "a: bgp 10.7.0.0/24 pref 20 via 172.16.0.2 dev e0\na: bgp 10.7.0.0/24 pref 20 via 172.16.1.2 dev e1 candidate",
			change.Change{own}, "untold"},
		{"a static that comes before it is sure", "a: bgp 10.7.0.0/24 pref 20 via 172.16.0.2 dev e0 candidate\na: static 10.7.0.0/24 pref 1 via 172.16.1.2 dev e1",
			change.Change{own}, "static 172.16.1.2%e1"},
		{"OSPF of which no capture tells the areas cannot be told", "a: ospf 10.7.0.0/24 pref 110 metric 20 via 172.16.0.2 dev e0",
			change.Change{own}, "untold"},
		{"a protocol's route with no way left is gone", "a: ospf/intra-area 10.7.0.0/24 pref 110 metric 20 via 172.16.0.2 dev e0\na: link e1 down",
			change.Change{own, change.InterfaceDown{Device: "a", Interface: "e1"}}, ""},
		{"a kernel goes on sending into a link that lost its carrier", "a: kernel: static 10.7.0.0/24 metric 5 via 172.16.0.2 dev e0\na: kernel: static 10.7.0.0/24 metric 9 via 172.16.1.2 dev e1",
			change.Change{change.CarrierLost{Device: "a", Interface: "e0"}}, "static 172.16.0.2%e0"},
		{"who does not say what it is may be anything", "a: other 10.7.0.0/24 via 172.16.0.2 dev e0", change.Change{theirs}, "untold"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			text := pairOf
			if strings.Contains(tt.in, "a: kernel") { // then nothing else was captured of it
				text = strings.ReplaceAll(text, "a: direct", "a: kernel: direct")
			}
			n := coretest.Build(text + tt.in)
			edited, err := tt.change.On(n)
			require.NoError(t, err)
			after := New(topology.Build(n)).Run(edited)
			require.False(t, after.Oscillates)
			require.Equal(t, tt.want, plainWords(inUse(after.Network, "a")[p]))
		})
	}
}

// plainWords leaves metric and what is not there out of the words of a route.
func plainWords(s string) string {
	if s == "" || s == "untold" {
		return s
	}
	return joinWords(withoutMetric(s))
}

func joinWords(s string) string {
	out := ""
	for i, c := range s {
		if c == ' ' && (i+1 == len(s) || s[i+1] == ' ') {
			continue
		}
		out += string(c)
	}
	return out
}

// TestConfiguredCosts: a cost that stands in a configuration settles what metrics leave open.
func TestCosts(t *testing.T) {
	n := coretest.Build(pairOf + "a: ospf/intra-area 10.7.0.0/24 pref 110 metric 17 via 172.16.0.2 dev e0\nb: ospf/intra-area 10.7.0.0/24 pref 110 metric 10 dev lan candidate")
	all := Costs(topology.Build(n))
	require.Len(t, all, 2, "there and back")
	require.Equal(t, "a", all[0].Device)
	require.EqualValues(t, 7, all[0].Value.Value)
	require.False(t, all[1].Value.Known, "nothing is sent back that way")
}

// TestCostsToDeducedNeighbours: on a link of several the one that can have the next hop is found where it announced the
// route.
func TestCostsToDeducedNeighbours(t *testing.T) {
	const shared = "a: direct 172.16.0.0/24 dev e0\na: addr 172.16.0.1/24 e0\nb: direct 172.16.0.0/24 dev e0\nb: direct 10.7.0.0/24 dev lan\n"
	n := coretest.Build(shared + "a: ospf/intra-area 10.7.0.0/24 pref 110 metric 17 via 172.16.0.2 dev e0\nb: ospf/intra-area 10.7.0.0/24 pref 110 metric 10 dev lan candidate")
	all := Costs(topology.Build(n))
	require.NotEmpty(t, all)
	require.EqualValues(t, 7, all[0].Value.Value)
}
