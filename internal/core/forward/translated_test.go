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

// edge is a device between two networks, with translations at "out".
func edge(t ...network.Translation) *forward.Walker {
	var b network.Builder
	f := coretest.Facts("direct 10.1.0.0/24 dev lan\naddr 10.1.0.1/24 lan\ndirect 10.2.0.0/24 dev yard\naddr 10.2.0.1/24 yard\ndirect 10.9.0.0/24 dev out\naddr 10.9.0.1/24 out\n", 1)
	f.Policy.Translations = t
	b.Add("a", f, 0)
	return forward.NewWalker(topology.Build(b.Build()))
}

// TestAReplyPastTheDeviceThatChangedItsPacket: hosts of one network answer each other straight, so that what was asked
// of the outer address is answered from the inner one, which nobody waits for.
func TestAReplyPastTheDeviceThatChangedItsPacket(t *testing.T) {
	outer := network.Translation{Destination: true, To: netip.MustParsePrefix("10.9.0.1/32"), Becomes: addr("10.1.0.5"), Mark: route.Mark{File: 9, Off: 1, End: 2}}
	rt := edge(outer).Trace(addr("10.1.0.9"), addr("10.9.0.1"))
	require.Equal(t, forward.OneWay, rt.Verdict)
	r := rt.Return.Branches[0]
	require.Equal(t, forward.StateMissing, r.Verdict)
	require.Equal(t, forward.Reason{Code: forward.NotChangedBack, Device: "a", Address: addr("10.1.0.5"), Marks: []route.Mark{outer.Mark}}, r.Reason)
	require.Equal(t, forward.TwoWay, edge(outer).Trace(addr("10.2.0.9"), addr("10.9.0.1")).Verdict, "from another network the reply passes the device")
	source := network.Translation{From: netip.MustParsePrefix("10.1.0.0/24"), Out: "lan"}
	require.Equal(t, forward.TwoWay, edge(outer, source).Trace(addr("10.1.0.9"), addr("10.9.0.1")).Verdict, "whose source is changed too gets the reply by the device")
}

// TestAnOuterAddressThatLeadsNowhere: who would answer is not told, so that no device is said to miss the reply.
func TestAnOuterAddressThatLeadsNowhere(t *testing.T) {
	var b network.Builder
	f := coretest.Facts("direct 10.1.0.0/24 dev lan\naddr 10.1.0.1/24 lan\ndirect 10.9.0.0/24 dev out\naddr 10.9.0.1/24 out\nstatic 10.7.0.0/24 via 10.9.0.77 dev out\nstatic 10.3.0.0/24 via 10.1.0.2 dev lan\n", 1)
	f.Policy = network.Policy{Stateful: route.Mark{File: 9, Off: 3, End: 4}, Translations: []network.Translation{
		{Destination: true, To: netip.MustParsePrefix("10.9.0.1/32"), Becomes: addr("10.7.0.5"), Mark: route.Mark{File: 9, Off: 1, End: 2}}}}
	b.Add("a", f, 0)
	b.Add("r", coretest.Facts("direct 10.1.0.0/24 dev up\naddr 10.1.0.2/24 up\ndirect 10.3.0.0/24 dev lan\naddr 10.3.0.1/24 lan\nstatic 10.9.0.0/24 via 10.1.0.1 dev up\n", 2), 0)
	rt := forward.NewWalker(topology.Build(b.Build())).TraceFlow(addr("10.3.0.9"), addr("10.9.0.1"), network.Flow{Protocol: "tcp", SourcePort: 4000, DestinationPort: 443})
	require.Equal(t, forward.BothUnknown, rt.Verdict)
	require.Empty(t, rt.OneSided)
}

// TestAReplyWhoseSourceAnotherDeviceChanges: a device that sees the reply alone may change its source or not.
func TestAReplyWhoseSourceAnotherDeviceChanges(t *testing.T) {
	x := coretest.Build(ring + backByDown).Draft()
	mark := route.Mark{File: 9, Off: 1, End: 2}
	x.SetPolicy("down", network.Policy{Translations: []network.Translation{{Out: "d0", Becomes: addr("10.0.3.2"), Mark: mark}}})
	rt := forward.NewWalker(topology.Build(x.Freeze())).Trace(addr("10.1.0.9"), addr("10.9.0.9"))
	require.Equal(t, forward.BothUnknown, rt.Verdict)
	require.Equal(t, forward.Reason{Code: forward.AnswerTranslated, Marks: []route.Mark{mark}}, rt.Return.Branches[0].Reason)
	require.Equal(t, "down", rt.Return.Branches[0].Where)
}

// TestWhatTheTranslatorAnswersItself keeps its source: the device has seen what it answers.
func TestWhatTheTranslatorAnswersItself(t *testing.T) {
	w := edge(network.Translation{From: netip.MustParsePrefix("10.1.0.0/24"), Out: "out", Becomes: addr("10.9.0.80")})
	rt := w.Trace(addr("10.9.0.9"), addr("10.1.0.1"))
	require.Equal(t, forward.TwoWay, rt.Verdict)
	require.False(t, rt.Return.Branches[0].Hops[0].NewSource.IsValid())
	out := w.Trace(addr("10.1.0.1"), addr("10.9.0.9"))
	require.Equal(t, addr("10.9.0.80"), out.Forward.Branches[0].Hops[0].NewSource, "what it begins does not")
}

// TestAnswersOfOnePort: what a server sends from a port that has an outer address is asked for where it answers what
// came for the inner address, and not where the server begins.
func TestAnswersOfOnePort(t *testing.T) {
	port := network.Translation{Protocol: "tcp", From: netip.MustParsePrefix("10.1.0.5/32"), FromPorts: network.Ports{Lo: 443, Hi: 443}, Out: "out", Becomes: addr("10.9.0.80"), Answers: true}
	to := func(port uint16) network.Flow {
		return network.Flow{Protocol: "tcp", SourcePort: 4000, DestinationPort: port}
	}
	w := edge(port)
	rt := w.TraceFlow(addr("10.9.0.9"), addr("10.1.0.5"), to(443))
	require.Equal(t, forward.AnswerTranslated, rt.Return.Branches[0].Reason.Code)
	require.Equal(t, forward.TwoWay, w.TraceFlow(addr("10.9.0.9"), addr("10.1.0.5"), to(22)).Verdict)
	require.Equal(t, forward.FlowNotTold, w.Trace(addr("10.9.0.9"), addr("10.1.0.5")).Return.Branches[0].Reason.Code)
	require.Equal(t, forward.TwoWay, w.Trace(addr("10.1.0.5"), addr("10.9.0.9")).Verdict)
}

// TestWhatWasNotReadBeforeState: a device that lacks the state of a reply may have it under another address, where not
// all that it does with packets was read.
func TestWhatWasNotReadBeforeState(t *testing.T) {
	for in, want := range map[string]forward.Verdict{"d1": forward.Unknown, "": forward.Unknown, "d7": forward.StateMissing} {
		x := coretest.Build(ring + backByDown + "down: stateful").Draft()
		unread := network.FlowRule{In: in, Undecided: true, NotRead: true, Mark: route.Mark{File: 9, Off: 1, End: 2}}
		x.SetPolicy("down", network.Policy{Stateful: route.Mark{File: 9, Off: 3, End: 4},
			Flows: []network.FlowRule{unread, {Permit: true, NotRead: true}}})
		rt := forward.NewWalker(topology.Build(x.Freeze())).Trace(addr("10.1.0.9"), addr("10.9.0.9"))
		require.Equal(t, want, rt.Return.Verdict, in)
	}
}

// TestWhatADeviceSendsIsTranslated by rules for that alone, and what answers comes back to it from another address.
func TestWhatADeviceSendsIsTranslated(t *testing.T) {
	own := network.Translation{Destination: true, Own: true, To: netip.MustParsePrefix("10.2.0.9/32"), Becomes: addr("10.9.0.80")}
	w := edge(own)
	rt := w.Trace(addr("10.1.0.1"), addr("10.2.0.9"))
	require.Equal(t, forward.TwoWay, rt.Verdict)
	require.Equal(t, addr("10.9.0.80"), rt.Forward.Branches[0].Hops[0].NewDestination)
	require.Equal(t, "out", rt.Forward.Branches[0].Hops[0].OutInterface)
	through := w.Trace(addr("10.1.0.9"), addr("10.2.0.9")).Forward.Branches[0].Hops[0]
	require.Equal(t, "yard", through.OutInterface, "what goes through is not asked about")
	require.False(t, w.Trace(addr("10.2.0.9"), addr("10.1.0.1")).Return.Branches[0].Hops[0].NewDestination.IsValid(), "nor are answers")
	own.Own = false
	require.False(t, edge(own).Trace(addr("10.1.0.1"), addr("10.2.0.9")).Forward.Branches[0].Hops[0].NewDestination.IsValid())
}

// TestAnswersKeepTheirDestination: a device that began a flow, or saw it begin, does not translate what answers it.
func TestAnswersKeepTheirDestination(t *testing.T) {
	w := edge(network.Translation{Destination: true, To: netip.MustParsePrefix("10.1.0.0/24"), In: "out", Becomes: addr("10.2.0.5")})
	for _, src := range []string{"10.1.0.1", "10.1.0.9"} {
		rt := w.Trace(addr(src), addr("10.9.0.9"))
		require.Equal(t, forward.TwoWay, rt.Verdict, src)
		require.False(t, rt.Return.Branches[0].Hops[0].NewDestination.IsValid(), src)
	}
	each := network.Translation{Destination: true, To: netip.MustParsePrefix("10.1.0.0/24"), In: "out", Becomes: addr("10.2.0.5"), Answers: true}
	rt := edge(each).Trace(addr("10.1.0.9"), addr("10.9.0.9"))
	require.Equal(t, forward.OneWay, rt.Verdict, "where each packet is asked about, somebody else gets the answer")
	require.Equal(t, forward.WrongPlace, rt.Return.Branches[0].Reason.Code)
	require.True(t, w.Trace(addr("10.9.0.9"), addr("10.1.0.9")).Forward.Branches[0].Hops[0].NewDestination.IsValid())
}

// TestTranslationsOfOwnAddresses are for packets to one of the device's addresses; where those were not captured, maybe.
func TestTranslationsOfOwnAddresses(t *testing.T) {
	local := network.Translation{Destination: true, ToOwn: true, In: "out", Becomes: addr("10.1.0.5")}
	w := edge(local)
	require.Equal(t, addr("10.1.0.5"), w.Trace(addr("10.9.0.9"), addr("10.9.0.1")).Forward.Branches[0].Hops[0].NewDestination)
	past := w.Trace(addr("10.9.0.9"), addr("10.2.0.9"))
	require.Equal(t, forward.TwoWay, past.Verdict)
	require.False(t, past.Forward.Branches[0].Hops[0].NewDestination.IsValid())
	var b network.Builder
	f := coretest.Facts("direct 10.1.0.0/24 dev lan\ndirect 10.9.0.0/24 dev out\n", 1)
	f.Policy.Translations = []network.Translation{local}
	b.Add("a", f, 0)
	rt := forward.NewWalker(topology.Build(b.Build())).Trace(addr("10.9.0.9"), addr("10.1.0.7"))
	require.Equal(t, forward.Unknown, rt.Forward.Verdict)
}

// TestTheAddressThatATranslationTakes: of several on an interface, the first in the network of the next hop.
func TestTheAddressThatATranslationTakes(t *testing.T) {
	for _, tt := range []struct{ to, want string }{
		{"10.9.0.9", "10.9.0.1"}, {"10.8.0.9", "10.8.0.1"}, {"10.7.0.9", "10.8.0.1"}, {"10.6.0.9", ""}} {
		var b network.Builder
		f := coretest.Facts("direct 10.1.0.0/24 dev lan\naddr 10.1.0.1/24 lan\ndirect 10.9.0.0/24 dev out\naddr 10.9.0.1/24 out\n"+
			"direct 10.8.0.0/24 dev out\naddr 10.8.0.1/24 out\naddr 10.9.0.4/24 out\nstatic 10.7.0.0/24 via 10.8.0.3 dev out\nneigh 10.8.0.3 out alive\nstatic 10.6.0.0/24 via 10.5.0.3 dev out\nneigh 10.5.0.3 out alive\n", 1)
		f.Policy.Translations = []network.Translation{{Out: "out", Mark: route.Mark{File: 9, Off: 1, End: 2}}}
		b.Add("a", f, 0)
		rt := forward.NewWalker(topology.Build(b.Build())).Trace(addr("10.1.0.9"), addr(tt.to))
		got := rt.Forward.Branches[0]
		if tt.want == "" {
			require.Equal(t, forward.NoAddressToTake, got.Reason.Code)
			continue
		}
		require.Equal(t, addr(tt.want), got.Hops[0].NewSource, tt.to)
	}
}

// TestIPv6AddressesThatATranslationTakes: which of several it takes is not known.
func TestIPv6AddressesThatATranslationTakes(t *testing.T) {
	const one = "direct fd6b:1::/64 dev lan\naddr fd6b:1::1/64 lan\ndirect fd6b:9::/64 dev out\naddr fd6b:9::1/64 out\n"
	for more, want := range map[string]string{"": "fd6b:9::1", "direct fd6b:8::/64 dev out\naddr fd6b:8::1/64 out\n": "",
		"direct fd6b:9::/48 dev out\naddr fd6b:9::1/48 out\n": "fd6b:9::1"} {
		var b network.Builder
		f := coretest.Facts(one+more, 1)
		f.Policy.Translations = []network.Translation{{Out: "out", Mark: route.Mark{File: 9, Off: 1, End: 2}}}
		b.Add("a", f, 0)
		got := forward.NewWalker(topology.Build(b.Build())).Trace(addr("fd6b:1::9"), addr("fd6b:9::7")).Forward.Branches[0]
		if want == "" {
			require.Equal(t, forward.NoAddressToTake, got.Reason.Code)
			continue
		}
		require.Equal(t, addr(want), got.Hops[0].NewSource, more)
	}
}

// TestEqualWaysThatTranslateApart are answered each from its own address, by its own device.
func TestEqualWaysThatTranslateApart(t *testing.T) {
	equal := strings.Replace(ring, "static 10.9.0.0/24 via 10.0.1.2 dev up", "static 10.9.0.0/24 via 10.0.1.2 dev up via 10.0.3.2 dev down", 1)
	x := coretest.Build(equal + backByEither).Draft()
	source := func(out string) network.Policy {
		return network.Policy{Translations: []network.Translation{{Out: out}}}
	}
	x.SetPolicy("up", source("u1"))
	x.SetPolicy("down", source("d1"))
	rt := forward.NewWalker(topology.Build(x.Freeze())).Trace(addr("10.1.0.9"), addr("10.9.0.9"))
	require.Equal(t, forward.TwoWay, rt.Verdict)
	require.Equal(t, "z>up>a arrives attached-network, z>down>a arrives attached-network", word(rt.Return))
	require.InDelta(t, 1, rt.Return.Branches[0].Share+rt.Return.Branches[1].Share, 1e-9)
	to := func(becomes string) network.Policy {
		return network.Policy{Translations: []network.Translation{{Destination: true, To: netip.MustParsePrefix("10.9.0.9/32"), Becomes: addr(becomes)}}}
	}
	x = coretest.Build(equal + backByEither + "up: addr 10.7.0.1/32 lo\ndown: addr 10.7.0.2/32 lo\n").Draft()
	x.SetPolicy("up", to("10.7.0.1"))
	x.SetPolicy("down", to("10.7.0.2"))
	rt = forward.NewWalker(topology.Build(x.Freeze())).Trace(addr("10.1.0.9"), addr("10.9.0.9"))
	require.Len(t, rt.Return.Branches, 2, "each answers what came to it")
}
