package rehearse

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/compare"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

const row = `
	a: addr 10.0.0.1/24 lan
	a: direct 10.0.0.0/24 dev lan
	a: addr 172.16.0.1/30 e0
	a: direct 172.16.0.0/30 dev e0
	a: link e0 up
	a: static 10.0.1.0/24 pref 1 via 172.16.0.2 dev e0
	b: addr 172.16.0.2/30 e0
	b: direct 172.16.0.0/30 dev e0
	b: link e0 up
	b: addr 10.0.1.1/24 lan
	b: direct 10.0.1.0/24 dev lan
	b: static 10.0.0.0/24 pref 1 via 172.16.0.1 dev e0
	b: addr 10.0.9.1/24 hall
	b: direct 10.0.9.0/24 dev hall
	c: addr 10.0.9.2/24 hall
	c: direct 10.0.9.0/24 dev hall
`

func walker() *forward.Walker { return forward.NewWalker(topology.Build(coretest.Build(row))) }

func TestLinkForTwoGoesDownAtBothEnds(t *testing.T) {
	r, err := Run(walker(), []Step{{Orders: []Order{{Verb: Down, Device: "a", Interface: "e0"}}}},
		[]netip.Addr{netip.MustParseAddr("10.0.1.1")}, compare.Options{})
	require.NoError(t, err)
	require.Equal(t, BothEnds, r.Steps[0].Remarks[0].Kind)
	require.Equal(t, network.LinkDown, r.After.Topology().Network.Device("b").Interface("e0").State)
	require.True(t, r.Whole.Harm())
	require.Len(t, r.Steps[0].Lost, 1, "10.0.0.0/24 reached the address to keep")
	require.Equal(t, "10.0.0.0/24", r.Steps[0].Lost[0].From.String())
}

func TestSharedSegmentDoesNotNotice(t *testing.T) {
	r, err := Run(walker(), []Step{{Orders: []Order{{Verb: Down, Device: "b", Interface: "hall"}}}}, nil, compare.Options{})
	require.NoError(t, err)
	require.Equal(t, OneEnd, r.Steps[0].Remarks[0].Kind)
	require.NotEqual(t, network.LinkDown, r.After.Topology().Network.Device("c").Interface("hall").State)
}

// TestLinkForTwoComesUp: the far end lost its carrier with the near one and comes up with it, unless it was switched off:
// then nothing comes up.
func TestLinkForTwoComesUp(t *testing.T) {
	for _, x := range []struct {
		far  string
		want []RemarkKind
		up   network.LinkState
	}{
		{"b: link e0 down", []RemarkKind{BothEnds}, network.LinkUp},
		{"b: link e0 down off", []RemarkKind{FarEndOff}, network.LinkDown},
		{"b: link e0 up", nil, network.LinkUp},
	} {
		t.Run(x.far, func(t *testing.T) {
			w := forward.NewWalker(topology.Build(coretest.Build("a: addr 172.16.0.1/30 e0\na: link e0 down off\na: addr 10.0.0.1/24 lan\n" +
				"a: direct 10.0.0.0/24 dev lan\nb: addr 172.16.0.2/30 e0\nb: addr 10.0.1.1/24 lan\nb: direct 10.0.1.0/24 dev lan\n" + x.far)))
			r, err := Run(w, []Step{{Orders: []Order{{Verb: Up, Device: "a", Interface: "e0"}}}}, nil, compare.Options{})
			require.NoError(t, err)
			var got []RemarkKind
			for _, m := range r.Steps[0].Remarks {
				got = append(got, m.Kind)
			}
			require.Equal(t, x.want, got)
			for _, d := range []string{"a", "b"} {
				after := r.After.Topology().Network.Device(d)
				require.Equal(t, x.up, after.Interface("e0").State, d)
				_, attached := after.Table("default", route.IPv4).Exact(netip.MustParsePrefix("172.16.0.0/30"))
				require.Equal(t, x.up == network.LinkUp && (d == "a" || x.far != "b: link e0 up"), attached, d)
			}
		})
	}
}

// TestLargerNetworkComesUp: whether another end comes up too, that is down as well, cannot be told where more may be there.
func TestLargerNetworkComesUp(t *testing.T) {
	w := forward.NewWalker(topology.Build(coretest.Build("a: addr 172.16.0.1/24 e0\na: link e0 down off\na: addr 10.0.0.1/24 lan\n" +
		"b: addr 172.16.0.2/24 e0\nb: link e0 down\nb: addr 10.0.1.1/24 lan\nb: direct 10.0.1.0/24 dev lan")))
	r, err := Run(w, []Step{{Orders: []Order{{Verb: Up, Device: "a", Interface: "e0"}}}}, nil, compare.Options{})
	require.NoError(t, err)
	require.Len(t, r.Steps[0].Remarks, 1)
	require.Equal(t, MayNotice, r.Steps[0].Remarks[0].Kind)
	rows := r.After.Topology().Network.Device("b").Table("default", route.IPv4).RoutesTo(netip.MustParsePrefix("172.16.0.0/24"))
	require.Len(t, rows, 1)
	require.True(t, rows[0].Is(route.Untold))
}

// TestComesUpWithoutAddresses: a kernel drops the IPv6 addresses of an interface that is down, so that bringing it up
// may bring networks of which the captures say nothing.
func TestComesUpWithoutAddresses(t *testing.T) {
	for _, x := range []struct {
		name, more string
		want       []route.Family
	}{
		{"neither family", "", []route.Family{route.IPv6}},
		{"its own address", "a: addr fd6b:9::1/64 e1", nil},
	} {
		t.Run(x.name, func(t *testing.T) {
			w := forward.NewWalker(topology.Build(coretest.Build("a: addr 10.0.0.1/24 lan\na: direct 10.0.0.0/24 dev lan\n" +
				"a: addr fd6b:1::1/64 lan\na: direct fd6b:1::/64 dev lan\na: link e1 down\n" + x.more)))
			r, err := Run(w, []Step{{Orders: []Order{{Verb: Up, Device: "a", Interface: "e1"}}}}, nil, compare.Options{})
			require.NoError(t, err)
			var got []route.Family
			for _, m := range r.Steps[0].Remarks {
				if m.Kind == NoAddress {
					got = append(got, m.Family)
				}
			}
			require.Equal(t, x.want, got)
		})
	}
}

// TestSteps: each step is judged after the one before; what the second mends was broken at the first.
func TestSteps(t *testing.T) {
	remove := Order{Verb: Remove, Device: "b", Prefix: netip.MustParsePrefix("10.0.0.0/24")}
	add := Order{Verb: Add, Device: "b", Static: network.Static{
		Prefix: netip.MustParsePrefix("10.0.0.0/16"), NextHop: route.NextHop{Address: netip.MustParseAddr("172.16.0.1")}}}
	keep := []netip.Addr{netip.MustParseAddr("10.0.1.1")}
	r, err := Run(walker(), []Step{{Orders: []Order{remove}}, {Orders: []Order{add}}}, keep, compare.Options{})
	require.NoError(t, err)
	require.True(t, r.Steps[0].Result.Harm())
	require.Len(t, r.Steps[0].Lost, 1)
	require.False(t, r.Steps[1].Result.Harm())
	require.Empty(t, r.Steps[1].Lost)
	require.False(t, r.Whole.Harm(), "all in all it is as before")

	_, err = Run(walker(), []Step{{Orders: []Order{{Verb: Remove, Device: "b", Prefix: netip.MustParsePrefix("10.5.0.0/24"), Where: "-remove"}}}}, nil, compare.Options{})
	require.EqualError(t, err, "-remove: b has no such route 10.5.0.0/24")
}

// TestComesAndGoesAgain: a route that one step adds and the next takes out is no difference in the end.
func TestComesAndGoesAgain(t *testing.T) {
	w := forward.NewWalker(topology.Build(coretest.Build("a: addr 10.0.0.1/24 e0\na: direct 10.0.0.0/24 dev e0")))
	p := netip.MustParsePrefix("10.9.0.0/16")
	r, err := Run(w, []Step{
		{Orders: []Order{{Verb: Add, Device: "a", Static: network.Static{Prefix: p, NextHop: route.NextHop{Address: netip.MustParseAddr("10.0.0.9")}}}}},
		{Orders: []Order{{Verb: Remove, Device: "a", Prefix: p}}},
	}, nil, compare.Options{})
	require.NoError(t, err)
	require.Len(t, r.Steps[0].Result.Routes, 1)
	require.Empty(t, r.Whole.Routes)
	require.Empty(t, r.Whole.Groups)
}
