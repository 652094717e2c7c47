package forward_test

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

func addr(s string) netip.Addr { return netip.MustParseAddr(s) }

// TestASecondVisitThatEndsAtOnceIsNoLoop: what a device sends itself it does not forward; when that comes back to it,
// it ends.
func TestASecondVisitThatEndsAtOnceIsNoLoop(t *testing.T) {
	rt := trace(`
		a: addr 10.0.0.1/30 e0
		a: direct 10.0.0.0/30 dev e0
		a: static 10.9.0.0/16 via 10.0.0.2 dev e0
		a: forwarding ipv4 off
		b: addr 10.0.0.2/30 f0
		b: direct 10.0.0.0/30 dev f0
		b: static 10.9.0.0/16 via 10.0.0.1 dev f0`, "10.0.0.2", "10.9.0.1")
	require.Equal(t, forward.NotForwarding, rt.Forward.Verdict)
	n := coretest.Build(
		"a: addr 10.0.0.1/30 e0\na: direct 10.0.0.0/30 dev e0\na: static fd61::/16 via 10.0.0.2 dev e0\na: forwarding ipv6 off\n" +
			"a: addr fd60::1/64 e0\na: direct fd60::/64 dev e0\na: static fd61::/16 via fd60::2 dev e0\nb: addr fd60::2/64 f0\nb: direct fd60::/64 dev f0\nb: static fd61::/16 via fd60::1 dev f0",
	)
	d := forward.NewWalker(topology.Build(n)).Onward(n.Device("a"), addr("fd61::1"))
	require.Equal(t, forward.NotForwarding, d.Verdict)
}

// TestGatewayWithTwoInterfaces: a host's packets come in by the interface that has its gateway's address.
func TestGatewayWithTwoInterfaces(t *testing.T) {
	x := coretest.Build(`
		a: addr 10.1.0.1/24 lan0
		a: direct 10.1.0.0/24 dev lan0
		a: addr 10.1.0.2/24 lan1
		a: direct 10.1.0.0/24 dev lan1
		a: rule 10 iif lan1 blackhole
		a: rule 20 table default
		a: addr 10.2.0.1/24 out
		a: direct 10.2.0.0/24 dev out`).Draft()
	x.SetHosts(
		[]network.Host{
			{
				Name:    "till",
				Address: addr("10.1.0.9"),
				Prefix:  netip.MustParsePrefix("10.1.0.0/24"),
				Gateway: addr("10.1.0.1"),
			},
		},
	)
	rt := forward.NewWalker(topology.Build(x.Freeze())).Trace(addr("10.1.0.9"), addr("10.2.0.9"))
	require.Len(t, rt.Forward.Branches, 1)
	require.Equal(t, forward.Arrives, rt.Forward.Verdict)
}

// TestADeliveredPacketTellsWhoHasTheAddress, by what and how surely.
func TestADeliveredPacketTellsWhoHasTheAddress(t *testing.T) {
	rt := trace(
		"a: addr 10.1.0.1/24 lan\na: direct 10.1.0.0/24 dev lan\na: addr 10.0.0.1/30 e0\na: direct 10.0.0.0/30 dev e0\nb: addr 10.0.0.2/30 f0\nb: direct 10.0.0.0/30 dev f0\nb: static 10.1.0.0/24 via 10.0.0.1 dev f0",
		"10.1.0.9",
		"10.0.0.2",
	)
	hops := rt.Forward.Branches[0].Hops
	last := hops[len(hops)-1]
	require.Equal(t, route.Local, last.Route.Protocol)
	require.Equal(t, route.Receive, last.Route.Special)
	require.Equal(t, topology.Known, last.Owner)
}

// TestOnlyADefaultThatLeavesIsToldWhatIsBehind: what another route leads out of the case may well be there.
func TestOnlyADefaultThatLeavesIsToldWhatIsBehind(t *testing.T) {
	in := "a: direct 10.1.0.0/24 dev lan\na: direct 10.0.0.0/30 dev e0\nz: direct 10.9.0.0/24 dev lan\n"
	rt := trace(in+"a: static 10.9.0.0/16 via 10.0.0.2 dev e0", "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.Leaves, rt.Forward.Verdict)
	require.Empty(t, rt.Forward.Branches[0].Reason.Behind)
}

func TestSharesOfEveryKindAddUp(t *testing.T) {
	sum := func(d *forward.Direction) (s float64) {
		for _, b := range d.Branches {
			s += b.Share
		}
		return s
	}
	ways := "a: direct 10.1.0.0/24 dev lan\na: direct 10.0.0.0/30 dev e0\na: direct 10.0.1.0/30 dev e1\na: ospf 10.9.0.0/16 via 10.0.0.2 dev e0 via 10.0.1.2 dev e1"
	rt := trace(ways, "10.1.0.9", "10.9.0.9")
	require.InDelta(t, 1, sum(&rt.Forward), 1e-9)
	rt = trace("a: direct 10.1.0.0/24 dev lan\na: addr 10.1.0.1/24 lan", "10.1.0.9", "10.1.0.7") // one network
	require.InDelta(t, 1, sum(&rt.Forward), 1e-9)
	rt = trace("a: direct 10.1.0.0/24 dev lan\na: direct 10.2.0.0/24 dev e0", "10.1.0.9", "10.2.0.7")
	require.InDelta(t, 1, sum(rt.Return), 1e-9)
}

// TestALostReplyPartsNowhere: what it did not reach says nothing of where the ways part and meet.
func TestALostReplyPartsNowhere(t *testing.T) {
	rt := trace(`
		a: addr 10.1.0.1/24 lan
		a: direct 10.1.0.0/24 dev lan
		a: addr 10.0.0.1/30 e0
		a: direct 10.0.0.0/30 dev e0
		a: static 10.9.0.0/24 via 10.0.0.2 dev e0
		b: addr 10.0.0.2/30 f0
		b: direct 10.0.0.0/30 dev f0
		b: addr 10.9.0.1/24 lan
		b: direct 10.9.0.0/24 dev lan
		b: addr 10.0.5.1/30 f1
		b: direct 10.0.5.0/30 dev f1
		b: static 10.1.0.0/24 via 10.0.5.2 dev f1
		c: addr 10.0.5.2/30 g0
		c: direct 10.0.5.0/30 dev g0`, "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.OneWay, rt.Verdict)
	a := rt.Asymmetry()
	require.Equal(t, []string{"c"}, a.OnlyBack)
	require.Empty(t, a.Part+a.Meet)
	require.Empty(t, a.OnlyOut)
}

// TestRulesThatLeadToNothing: a rule for a table without routes, or none for the packet, ends in no route, and is
// known.
func TestRulesThatLeadToNothing(t *testing.T) {
	rt := trace(
		"a: direct 10.1.0.0/24 dev lan\na: direct 10.2.0.0/24 dev e0\na: rule 10 from 10.1.0.0/24 table 7\na: static 10.8.0.0/16 via 10.2.0.9 dev e0 in 7",
		"10.1.0.9",
		"10.9.0.9",
	)
	require.Equal(t, forward.NoRoute, rt.Forward.Verdict)
}

// TestReverseCheckAsksTheTableThatWasCaptured, and tells where there is none.
func TestReverseCheckAsksTheTableThatWasCaptured(t *testing.T) {
	n := coretest.Build("a: direct 10.1.0.0/24 dev lan in red\na: direct 10.2.0.0/24 dev e0")
	w := forward.NewWalker(topology.Build(n))
	_, ok := w.ReverseCheck(n.Device("a"), addr("fd61::1"), "e0")
	require.False(t, ok, "no IPv6 table")
	r, ok := w.ReverseCheck(n.Device("a"), addr("10.1.0.9"), "lan")
	require.True(t, ok)
	require.True(t, r.Strict)
}

// TestWhyForwards: an own address is kept, which is good news; a discard is not.
func TestWhyForwards(t *testing.T) {
	n := coretest.Build(
		"a: addr 10.1.0.1/24 lan\na: direct 10.1.0.0/24 dev lan\na: static 10.3.0.0/16 blackhole\na: static 10.4.0.0/16 via 10.1.0.9 dev lan",
	)
	w := forward.NewWalker(topology.Build(n))
	for dst, want := range map[string]bool{"10.1.0.1/32": true, "10.3.0.1/32": false, "10.4.0.1/32": true, "10.5.0.1/32": false} {
		tab := n.Device("a").Table("default", route.IPv4)
		require.Equal(t, want, w.Why(n.Device("a"), tab, netip.MustParsePrefix(dst)).Forwards(), dst)
	}
}

// TestLivenessLeavesItsLines: the session that should have noticed is part of the evidence.
func TestLivenessLeavesItsLines(t *testing.T) {
	in := "a: direct 10.1.0.0/24 dev lan\na: direct 10.0.0.0/24 dev e0\na: addr 10.0.0.1/24 e0\na: static 10.9.0.0/16 via 10.0.0.2 dev e0\nb: addr 10.0.0.2/24 f0\nb: link f0 down\na: session 10.0.0.2 e0 down"
	rt := trace(in, "10.1.0.9", "10.9.0.1")
	r := rt.Forward.Branches[0].Reason
	require.Equal(t, forward.DetectsDown, r.Liveness.Here)
	require.NotEmpty(t, r.Liveness.Marks)
	require.Subset(t, r.Marks, r.Liveness.Marks)
}

// TestOnwardInATableOfItsOwn: a trial in a named table is decided there, whatever the default one says.
func TestOnwardInATableOfItsOwn(t *testing.T) {
	n := coretest.Build(
		"a: addr 10.1.0.1/24 lan\na: direct 10.1.0.0/24 dev lan\na: static 10.9.0.0/16 blackhole\na: static 10.9.0.0/16 via 10.1.0.9 dev lan in red\na: neigh 10.1.0.9 lan alive",
	)
	w := forward.NewWalker(topology.Build(n))
	require.Equal(t, forward.Discarded, w.OnwardIn(n.Device("a"), "default", addr("10.9.0.1")).Verdict)
	require.Equal(t, forward.Leaves, w.OnwardIn(n.Device("a"), "red", addr("10.9.0.1")).Verdict)
}

// TestEveryTranslationIsAnswered: two ways that translate to two servers, or of which the first is lost, each get
// their reply.
func TestEveryTranslationIsAnswered(t *testing.T) {
	run := func(up string) forward.RoundTrip {
		var b network.Builder
		server := func(in, becomes string) network.Policy {
			return network.Policy{
				Translations: []network.Translation{
					{
						Destination: true,
						To:          netip.MustParsePrefix("10.8.0.80/32"),
						In:          in,
						Becomes:     addr(becomes),
						Mark:        route.Mark{File: 9, Off: 1, End: 2},
					},
				},
			}
		}
		b.Add(
			"a",
			coretest.Facts(
				"direct 10.1.0.0/24 dev lan\naddr 10.1.0.1/24 lan\ndirect 10.0.1.0/30 dev up\naddr 10.0.1.1/30 up\ndirect 10.0.3.0/30 dev down\naddr 10.0.3.1/30 down\n"+
					"static 10.8.0.0/24 via 10.0.1.2 dev up via 10.0.3.2 dev down",
				1,
			),
			0,
		)
		f := coretest.Facts(
			"direct 10.0.1.0/30 dev u0\naddr 10.0.1.2/30 u0\ndirect 10.9.1.0/24 dev u1\naddr 10.9.1.1/24 u1\nstatic 10.1.0.0/24 via 10.0.1.1 dev u0\n"+up,
			2,
		)
		f.Policy = server("u0", "10.9.1.11")
		b.Add("up", f, 0)
		f = coretest.Facts(
			"direct 10.0.3.0/30 dev d0\naddr 10.0.3.2/30 d0\ndirect 10.9.2.0/24 dev d1\naddr 10.9.2.1/24 d1\nstatic 10.1.0.0/24 via 10.0.3.1 dev d0",
			3,
		)
		f.Policy = server("d0", "10.9.2.11")
		b.Add("down", f, 0)
		return forward.NewWalker(topology.Build(b.Build())).Trace(addr("10.1.0.9"), addr("10.8.0.80"))
	}
	both := run("")
	require.Equal(t, forward.TwoWay, both.Verdict)
	require.Len(t, both.Return.Branches, 2)
	one := run("static 10.9.1.11/32 blackhole")
	require.Equal(t, forward.Discarded, one.Forward.Verdict)
	require.Equal(t, forward.Arrives, one.Return.Verdict, "what did arrive is answered")
}

// TestAHostsPacketsComeInAtItsGateway, whichever of the interfaces it is.
func TestAHostsPacketsComeInAtItsGateway(t *testing.T) {
	for gateway, want := range map[string]forward.Verdict{"10.1.0.1": forward.Discarded, "10.1.0.2": forward.Arrives} {
		x := coretest.Build("a: addr 10.1.0.1/24 lan0\na: direct 10.1.0.0/24 dev lan0\na: addr 10.1.0.2/24 lan1\na: direct 10.1.0.0/24 dev lan1\n" +
			"a: rule 10 iif lan0 blackhole\na: rule 20 table default\na: addr 10.2.0.1/24 out\na: direct 10.2.0.0/24 dev out").
			Draft()
		x.SetHosts(
			[]network.Host{
				{
					Name:    "till",
					Address: addr("10.1.0.9"),
					Prefix:  netip.MustParsePrefix("10.1.0.0/24"),
					Gateway: addr(gateway),
				},
			},
		)
		rt := forward.NewWalker(topology.Build(x.Freeze())).Trace(addr("10.1.0.9"), addr("10.2.0.9"))
		require.Equal(t, want, rt.Forward.Verdict, gateway)
	}
}

// TestRulesWithoutTheirTables: rules alone say nothing of routes, those of the tables that every kernel looks into
// included.
func TestRulesWithoutTheirTables(t *testing.T) {
	rt := trace(
		"b: direct 10.1.0.0/24 dev lan\nb: direct 10.0.0.0/30 dev e0\nb: static 10.9.0.0/16 via 10.0.0.2 dev e0\n"+
			"a: addr 10.0.0.2/30 f0\na: rule 32766 table default\na: rule 32767 table 253",
		"10.1.0.9",
		"10.9.0.9",
	)
	require.Equal(t, forward.Unknown, rt.Forward.Verdict)
	require.Equal(t, forward.TableMissing, rt.Forward.Branches[0].Reason.Code)
}

// TestWhatComesInByAVRFThatWasNotCaptured is not looked up in the main table, which would lead it on or lose it for sure.
func TestWhatComesInByAVRFThatWasNotCaptured(t *testing.T) {
	const b = "b: direct 10.1.0.0/24 dev lan in red\nb: direct 10.0.0.0/24 dev e0 in red\nb: static 10.9.0.0/16 via 10.0.0.2 dev e0 in red\n"
	const a = "a: addr 10.0.0.2/32 f0\na: link f0 up\na: direct 10.9.0.0/24 dev f1\n"
	rt := trace(b+a, "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.Unknown, rt.Forward.Verdict)
	require.Equal(t, forward.TableMissing, rt.Forward.Branches[0].Reason.Code)
	rt = trace(b+a+"a: direct 10.0.0.0/24 dev f0", "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.Arrives, rt.Forward.Verdict)
}

// TestAnUnplacedSourceIsOneWhole: nothing is known of any share of the packets.
func TestAnUnplacedSourceIsOneWhole(t *testing.T) {
	rt := trace("a: direct 10.1.0.0/24 dev lan", "172.28.0.9", "10.1.0.9")
	require.Equal(t, forward.Unknown, rt.Forward.Verdict)
	require.InDelta(t, 1, rt.Forward.Branches[0].Share, 1e-9)
}

// TestALoopbackInANamedTable is the device's own there, and in no other table.
func TestALoopbackInANamedTable(t *testing.T) {
	net := func(loopback string) string {
		return "a: direct 10.1.0.0/24 dev lan in red\na: addr 10.1.0.1/24 lan\na: direct 10.2.0.0/24 dev office\na: addr 10.2.0.1/24 office\n" + loopback
	}
	for _, loopback := range []string{"a: local 10.9.9.1/32 receive dev lo1 in red", "a: direct 10.9.9.1/32 dev loopback1 in red",
		"a: local 10.9.9.1/32 receive in red", "a: addr 10.9.9.1/32 lo1\na: local 10.9.9.1/32 receive dev lo1 in red"} {
		rt := trace(net(loopback), "10.1.0.9", "10.9.9.1")
		require.Equal(t, forward.TwoWay, rt.Verdict, loopback)
		require.Equal(t, forward.ToDevice, rt.Forward.Branches[0].Delivery)
		rt = trace(net(loopback), "10.2.0.9", "10.9.9.1")
		require.NotEqual(t, forward.Arrives, rt.Forward.Verdict, "the office is in another table")
	}
	rt := trace(net("a: local 10.9.9.1/32 receive dev lo1"), "10.2.0.9", "10.9.9.1")
	require.Equal(t, forward.TwoWay, rt.Verdict)
	n := coretest.Build(
		net("a: local 10.9.9.1/32 receive dev lo1 in red\na: local 10.9.9.1/32 receive dev lo1 in blue"),
	)
	require.Len(t, n.Device("a").Own(addr("10.9.9.1")), 2, "one in each table")
}

// TestAChainThatIsNotFollowedToItsEnd is not lost: nothing is known of it.
func TestAChainThatIsNotFollowedToItsEnd(t *testing.T) {
	in := "a: direct 10.1.0.0/24 dev lan\na: direct 10.9.100.0/24 dev e0\n"
	for i := range 100 {
		in += fmt.Sprintf("a: static 10.9.%d.0/24 via 10.9.%d.1\n", i, i+1)
	}
	rt := trace(in, "10.1.0.9", "10.9.90.9")
	require.NotEqual(t, forward.NextHopLost, rt.Forward.Verdict)
	rt = trace(in, "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.Unknown, rt.Forward.Verdict)
}
