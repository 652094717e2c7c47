package forward_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// TestWhoKnowsAFlowThatMayGoEitherWay: of two equal ways each device on one of them knows what went by it alone.
func TestWhoKnowsAFlowThatMayGoEitherWay(t *testing.T) {
	equal := strings.Replace(ring, "static 10.9.0.0/24 via 10.0.1.2 dev up", "static 10.9.0.0/24 via 10.0.1.2 dev up via 10.0.3.2 dev down", 1)
	require.NotEqual(t, ring, equal)
	rt := trace(equal+backByDown+"down: stateful", "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.OneWay, rt.Verdict, "what went up comes back where nobody knows it")
	require.ElementsMatch(t, []forward.Verdict{forward.Arrives, forward.StateMissing},
		[]forward.Verdict{rt.Return.Branches[0].Verdict, rt.Return.Branches[1].Verdict})
	require.InDelta(t, 0.5, rt.Return.Branches[0].Share, 1e-9)
	rt = trace(equal+backByDown+"up: stateful", "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.TwoWay, rt.Verdict, "it comes back past the one that knows it")
	require.Len(t, rt.Return.Branches, 1)
	for name, tt := range map[string]struct {
		routes, protocol string
		at               string
		want             forward.Both
	}{
		"an answer that was not seen":            {equal + backByDown, "udp", "down", forward.OneWay},
		"a connection whose answer may go past":  {ring + backByEither, "tcp", "up", forward.Broken},
		"a packet whose answer may go past":      {ring + backByEither, "udp", "up", forward.TwoWay},
		"a connection whose answer comes by too": {ring + backByUp, "tcp", "up", forward.TwoWay},
	} {
		x := coretest.Build(tt.routes).Draft()
		rules := []network.FlowRule{{State: network.Seen, Permit: true, Mark: mark(50)},
			{State: network.Beginning, From: netip.MustParsePrefix("10.1.0.0/24"), Permit: true, Mark: mark(51)}}
		x.SetPolicy(tt.at, network.Policy{Flows: rules})
		rt := forward.NewWalker(topology.Build(x.Freeze())).TraceFlow(netip.MustParseAddr("10.1.0.9"),
			netip.MustParseAddr("10.9.0.9"), network.Flow{Protocol: tt.protocol})
		require.Equal(t, tt.want, rt.Verdict, name)
	}
}

// TestAnswersOfSeveralThatHaveOneAddress start at the one that was reached, by the way of which the devices know.
func TestAnswersOfSeveralThatHaveOneAddress(t *testing.T) {
	const two = `
		a: direct 10.1.0.0/24 dev lan
		a: addr 10.1.0.1/24 lan
		a: direct 10.0.1.0/30 dev up
		a: addr 10.0.1.1/30 up
		a: direct 10.0.3.0/30 dev down
		a: addr 10.0.3.1/30 down
		a: static 10.9.0.1/32 via 10.0.1.2 dev up via 10.0.3.2 dev down
		up: direct 10.0.1.0/30 dev u0
		up: addr 10.0.1.2/30 u0
		up: direct 10.0.2.0/30 dev u1
		up: addr 10.0.2.1/30 u1
		up: static 10.1.0.0/24 via 10.0.1.1 dev u0
		up: static 10.9.0.1/32 via 10.0.2.2 dev u1
		up: stateful
		down: direct 10.0.3.0/30 dev d0
		down: addr 10.0.3.2/30 d0
		down: direct 10.0.4.0/30 dev d1
		down: addr 10.0.4.1/30 d1
		down: static 10.1.0.0/24 via 10.0.3.1 dev d0
		down: static 10.9.0.1/32 via 10.0.4.2 dev d1
		down: stateful
		y: direct 10.0.2.0/30 dev up
		y: addr 10.0.2.2/30 up
		y: addr 10.9.0.1/32 lo
		y: static 10.1.0.0/24 via 10.0.2.1 dev up
		z: direct 10.0.4.0/30 dev down
		z: addr 10.0.4.2/30 down
		z: addr 10.9.0.1/32 lo
		z: static 10.1.0.0/24 via 10.0.4.1 dev down
`
	rt := trace(two, "10.1.0.9", "10.9.0.1")
	require.Equal(t, forward.TwoWay, rt.Verdict, word(rt.Return))
	require.Len(t, rt.Return.Branches, 2)
}

// TestStateOfOneFamily: a device that keeps state of IPv6 alone lets answers of IPv4 be.
func TestStateOfOneFamily(t *testing.T) {
	for fam, want := range map[route.Family]forward.Both{0: forward.OneWay, route.IPv4: forward.OneWay, route.IPv6: forward.TwoWay} {
		x := coretest.Build(ring + backByDown).Draft()
		x.SetPolicy("down", network.Policy{Stateful: mark(50), StatefulOf: fam})
		w := forward.NewWalker(topology.Build(x.Freeze()))
		require.Equal(t, want, w.Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9")).Verdict, fam)
		x = coretest.Build(ring + backByDown).Draft()
		x.SetPolicy("up", network.Policy{Stateful: mark(50), StatefulOf: fam})
		rt := forward.NewWalker(topology.Build(x.Freeze())).TraceFlow(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9"),
			network.Flow{Protocol: "tcp"})
		require.Equal(t, want, rt.Verdict, fam)
		require.Equal(t, want == forward.OneWay, len(rt.OneSided) > 0, fam)
		require.Equal(t, want == forward.OneWay, len(rt.Unjudged) > 0, fam)
	}
}
