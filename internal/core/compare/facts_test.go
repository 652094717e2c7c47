package compare

import (
	"fmt"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// TestFacts: what differs beside routes is told once, with what was and what is; what only one side shows, or neither
// knows, is no difference.
func TestFacts(t *testing.T) {
	for _, tt := range []struct {
		name, before, after string
		want                []string
	}{
		{"an address came, another went", "a: addr 10.61.16.1/24 hall0", "a: addr 10.61.17.1/24 hall0",
			[]string{"10.61.16.1/24 hall0 own ''", "10.61.17.1/24 hall0 '' own"}},
		{"the same address with another length is there", "a: addr 10.61.16.1/24 hall0", "a: addr 10.61.16.1/32 hall0", nil},
		{"an interface went down", "a: link line0 up", "a: link line0 down", []string{"invalid Prefix line0 up down"}},
		{"an interface that one side does not show", "a: link line0 up", "a: link line1 down", nil},
		{"a neighbour fell silent", "a: neigh 172.28.61.2 line0 alive", "a: neigh 172.28.61.2 line0 failed", []string{"172.28.61.2/32 line0 answers silent"}},
		{"a neighbour with another link-layer address", "a: neigh 172.28.61.2 line0 alive 02:00:00:00:00:01", "a: neigh 172.28.61.2 line0 alive 02:00:00:00:00:02",
			[]string{"172.28.61.2/32 line0 02:00:00:00:00:01 02:00:00:00:00:02"}},
		{"a neighbour that was only asked for", "a: neigh 172.28.61.2 line0 pending", "a: neigh 172.28.61.2 line0 failed", nil},
		{"a neighbour's entry that went by itself", "a: neigh 172.28.61.2 line0 alive", "a: link line0 up", nil},
		{"forwarding was switched off", "a: link line0 up", "a: forwarding ipv4 off", []string{"invalid Prefix  on off"}},
		{"forwarding is off as before", "a: forwarding ipv4 off", "a: forwarding ipv4 off", nil},
		{"a device that came", "a: link line0 up", "b: link line0 down", nil},
	} {
		t.Run(tt.name, func(t *testing.T) {
			var got []string
			for _, f := range facts(coretest.Build(tt.before), coretest.Build(tt.after)) {
				require.Equal(t, "a", f.Device)
				was, is := f.Was, f.Is
				if was == "" {
					was = "''"
				}
				if is == "" {
					is = "''"
				}
				got = append(got, fmt.Sprint(f.Prefix, " ", f.Interface, " ", was, " ", is))
			}
			require.Equal(t, tt.want, got)
		})
	}
}

// TestWhatForwardsAlone: where one of two captures shows only what forwards, what lost in the other one is no
// difference.
func TestWhatForwardsAlone(t *testing.T) {
	full := coretest.Build("a: static 10.9.0.0/16 pref 1 via 10.0.0.2 dev e0\na: ospf 10.9.0.0/16 pref 110 via 10.0.1.2 dev e1 candidate")
	require.Empty(t, routes(full, coretest.Build("a: kernel: static 10.9.0.0/16 via 10.0.0.2 dev e0"), route.IPv4))
	require.Empty(t, routes(coretest.Build("a: kernel: static 10.9.0.0/16 via 10.0.0.2 dev e0"), full, route.IPv4))
	require.Len(t, routes(full, coretest.Build("a: kernel: static 10.9.0.0/16 via 10.0.1.2 dev e1"), route.IPv4), 1)
}

// TestWherePacketsPart: where packets are followed one by one, since rules on the way look at more than the
// destination, a group still says how each of the two ways goes on or ends.
func TestWherePacketsPart(t *testing.T) {
	const text = "a: direct 10.1.0.0/24 dev in\na: addr 10.1.0.1/24 in\na: direct 10.9.0.0/24 dev out\na: addr 10.9.0.1/24 out\n"
	build := func(permit bool) *forward.Walker {
		x := coretest.Build(text).Draft()
		x.SetPolicy("a", network.Policy{Flows: []network.FlowRule{{From: netip.MustParsePrefix("10.1.0.0/24"), Permit: permit, Mark: route.Mark{File: 1, Off: 50, End: 51}},
			{Permit: true, Mark: route.Mark{File: 1, Off: 60, End: 61}}}})
		return forward.NewWalker(topology.Build(x.Freeze()))
	}
	r := Run(build(true), build(false), Options{OneNetwork: true})
	require.NotEmpty(t, r.Groups)
	g := r.Groups[0]
	require.Equal(t, Worse, g.Kind)
	require.Equal(t, forward.Arrives, g.Was.Moves[0].Verdict)
	require.Equal(t, forward.Filtered, g.Is.Moves[0].Verdict)
	require.Equal(t, forward.RuleDenies, g.Is.Moves[0].Reason.Code)
}
