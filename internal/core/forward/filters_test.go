package forward_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// lanToLan has one router between two lans.
const lanToLan = `
	a: direct 10.1.0.0/24 dev in
	a: addr 10.1.0.1/24 in
	a: direct 10.9.0.0/24 dev out
	a: addr 10.9.0.1/24 out
`

func mark(n uint32) route.Mark { return route.Mark{File: 1, Off: n, End: n + 1} }

// TestWhichPacketsARuleIsAskedAbout by its hook, its direction, and what the device knows of the flow.
func TestWhichPacketsARuleIsAskedAbout(t *testing.T) {
	host, far, own := "10.1.0.9", "10.9.0.9", "10.1.0.1"
	tcp := network.Flow{Protocol: "tcp", SourcePort: 40000, DestinationPort: 443}
	ping := network.Flow{Protocol: "icmp"}
	for _, tt := range []struct {
		name     string
		rules    []network.FlowRule
		stateful bool
		src, dst string
		flow     network.Flow
		want     string // out, back
	}{
		{"what comes in, on the way", []network.FlowRule{{Hook: network.ComingIn, In: "in"}, {Hook: network.ComingIn, Permit: true}}, false, host, far, tcp, "filtered, arrives"},
		{"what comes in, for the device itself", []network.FlowRule{{Hook: network.ComingIn, In: "in"}, {Hook: network.ComingIn, Permit: true}}, false, host, own, tcp, "filtered, arrives"},
		{"what is forwarded is not for the device", []network.FlowRule{{In: "in"}, {Permit: true}}, false, host, own, tcp, "arrives, arrives"},
		{"what is for the device", []network.FlowRule{{Hook: network.ForItself, Protocol: "tcp"}, {Hook: network.ForItself, Permit: true}}, false, host, own, tcp, "filtered, arrives"},
		{"what is for the device is not on the way", []network.FlowRule{{Hook: network.ForItself}}, false, host, far, tcp, "arrives, arrives"},
		{"what the device sends", []network.FlowRule{{Hook: network.FromItself}}, false, own, far, tcp, "filtered, arrives"},
		{"what the device sends may pass a filter of what goes out", []network.FlowRule{{Hook: network.GoingOut, Out: "out"}}, false, own, far, tcp, "unknown, arrives"},
		{"what goes out", []network.FlowRule{{Hook: network.GoingOut, Out: "out"}, {Hook: network.GoingOut, Permit: true}}, false, host, far, tcp, "filtered, arrives"},
		{"answers alone", []network.FlowRule{{Protocol: "tcp", State: network.Answering, Permit: true, Stateless: true}}, false, host, far, tcp, "filtered, arrives"},
		{"answers are let back", []network.FlowRule{{In: "in", Permit: true, Stateless: true}, {Protocol: "tcp", State: network.Answering, Permit: true, Stateless: true}}, false, host, far, tcp, "arrives, arrives"},
		{"state lets answers back", []network.FlowRule{{In: "in", Permit: true}}, true, host, far, tcp, "arrives, arrives"},
		{"without state it does not", []network.FlowRule{{In: "in", Permit: true}}, false, host, far, tcp, "arrives, filtered"},
		{"a stateless rule is asked about answers too", []network.FlowRule{{In: "in", Permit: true, Stateless: true}}, true, host, far, tcp, "arrives, filtered"},
		{"an echo and its reply", []network.FlowRule{{Protocol: "icmp", Type: 9, Permit: true}}, false, host, far, ping, "arrives, filtered"},
		{"a reply is no echo", []network.FlowRule{{Protocol: "icmp", Type: 1, Permit: true}}, false, host, far, ping, "filtered, arrives"},
		{"a port that is not told", []network.FlowRule{{Protocol: "tcp", FromPorts: network.Ports{Lo: 1024, Hi: 65535}, Permit: true}, {Permit: false}}, false, host, far, network.Flow{Protocol: "tcp", DestinationPort: 443}, "unknown, filtered"},
		{"a port of whatever protocol has ports", []network.FlowRule{{ToPorts: network.Ports{Lo: 443, Hi: 443}}, {Permit: true}}, false, host, far, tcp, "filtered, arrives"},
		{"another port", []network.FlowRule{{ToPorts: network.Ports{Lo: 80, Hi: 80}}, {Permit: true}}, false, host, far, tcp, "arrives, arrives"},
		{"a port, of what has none", []network.FlowRule{{ToPorts: network.Ports{Lo: 443, Hi: 443}}, {Permit: true}}, false, host, far, ping, "arrives, arrives"},
		{"a port, of nobody knows what", []network.FlowRule{{ToPorts: network.Ports{Lo: 443, Hi: 443}}, {Permit: true}}, false, host, far, network.Flow{}, "unknown, unknown"},
		{"the answer to what the device sent, where it keeps state", []network.FlowRule{{Hook: network.ComingIn}}, true, own, far, tcp, "arrives, arrives"},
		{"and where it does not", []network.FlowRule{{Hook: network.ComingIn}}, false, own, far, tcp, "arrives, filtered"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			x := coretest.Build(lanToLan).Draft()
			p := network.Policy{Flows: tt.rules}
			for i := range p.Flows {
				p.Flows[i].Mark = mark(uint32(50 + i))
			}
			if tt.stateful {
				p.Stateful = mark(90)
			}
			x.SetPolicy("a", p)
			rt := forward.NewWalker(topology.Build(x.Freeze())).TraceFlow(netip.MustParseAddr(tt.src), netip.MustParseAddr(tt.dst), tt.flow)
			require.Equal(t, tt.want, rt.Forward.Verdict.String()+", "+rt.Return.Verdict.String())
		})
	}
}

// TestWhyARuleCannotBeDecided: the flow was not told, the rule was not understood, the filter was not read; assuming
// permits all.
func TestWhyARuleCannotBeDecided(t *testing.T) {
	tcp := network.Flow{Protocol: "tcp", SourcePort: 40000, DestinationPort: 443}
	for _, tt := range []struct {
		rule network.FlowRule
		flow network.Flow
		want forward.Code
	}{
		{network.FlowRule{Protocol: "tcp"}, network.Flow{}, forward.FlowNotTold},
		{network.FlowRule{Undecided: true, Protocol: "tcp"}, network.Flow{}, forward.FlowNotTold},
		{network.FlowRule{Undecided: true}, network.Flow{}, forward.RuleNotUnderstood},
		{network.FlowRule{Undecided: true}, tcp, forward.RuleNotUnderstood},
		{network.FlowRule{Undecided: true, NotRead: true}, tcp, forward.FilterNotRead},
		{network.FlowRule{Undecided: true, Hook: network.GoingOut}, tcp, forward.RuleNotUnderstood},
	} {
		tt.rule.Mark = mark(50)
		x := coretest.Build(lanToLan).Draft()
		x.SetPolicy("a", network.Policy{Flows: []network.FlowRule{tt.rule, {Hook: tt.rule.Hook, Permit: true, Mark: mark(60)}}})
		w := forward.NewWalker(topology.Build(x.Freeze()))
		rt := w.TraceFlow(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9"), tt.flow)
		b, _ := rt.Forward.Worst()
		require.Equal(t, tt.want, b.Reason.Code)
		require.Equal(t, []route.Mark{mark(50)}, b.Reason.Marks)
		require.Empty(t, rt.Assumed())
		rt = w.Assuming().TraceFlow(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9"), tt.flow)
		require.Equal(t, forward.TwoWay, rt.Verdict)
		require.Equal(t, []route.Mark{mark(50)}, rt.Assumed())
	}
}

// TestListsAndWhereTheyAreApplied: a list does nothing until it is applied; one that no capture shows, or that two show
// differently, is not read.
func TestListsAndWhereTheyAreApplied(t *testing.T) {
	lan := netip.MustParsePrefix("10.1.0.0/24")
	applied := func(list string, m uint32) network.Facts {
		return network.Facts{Applied: []network.AppliedFilter{{List: list, Rule: network.FlowRule{In: "in", Hook: network.ComingIn, Mark: mark(m)}}}}
	}
	list := func(permit bool, m uint32) network.Facts {
		return network.Facts{ListRules: []network.ListRule{{List: "NIGHT", FlowRule: network.FlowRule{From: lan, Permit: permit, Mark: mark(m)}}}}
	}
	twice := func(m uint32) network.Facts { // one to all, one to a protocol
		f := applied("NIGHT", m)
		more := f.Applied[0]
		more.List, more.Rule.Protocol, more.Rule.Permit = "NIGHT for echoes", "icmp", true
		f.ListRules = []network.ListRule{{List: more.List, FlowRule: network.FlowRule{Permit: true, Mark: mark(m)}}}
		f.Applied = append(f.Applied, more)
		return f
	}
	for _, tt := range []struct {
		name  string
		facts []network.Facts
		want  forward.Verdict
		mark  uint32
	}{
		{"a list alone", []network.Facts{list(false, 50)}, forward.Arrives, 0},
		{"applied, and permits", []network.Facts{list(true, 50), applied("NIGHT", 60)}, forward.Arrives, 0},
		{"applied, and denies", []network.Facts{applied("NIGHT", 60), list(false, 50)}, forward.Filtered, 50},
		{"captured twice", []network.Facts{applied("NIGHT", 60), list(true, 50), list(true, 70), applied("NIGHT", 80)}, forward.Arrives, 0},
		{"captured twice and not alike", []network.Facts{applied("NIGHT", 60), list(true, 50), list(false, 70)}, forward.Unknown, 60},
		{"not captured", []network.Facts{applied("NIGHT", 60)}, forward.Unknown, 60},
		{"two applied to different packets, captured twice", []network.Facts{list(true, 50), twice(60), list(true, 70), twice(80)}, forward.Arrives, 0},
		{"another list at another time", []network.Facts{list(true, 50), applied("NIGHT", 60), applied("DAY", 70)}, forward.Unknown, 60},
	} {
		t.Run(tt.name, func(t *testing.T) {
			var b network.Builder
			b.Add("a", coretest.Facts("direct 10.1.0.0/24 dev in\naddr 10.1.0.1/24 in\ndirect 10.9.0.0/24 dev out\naddr 10.9.0.1/24 out\n", 1), 0)
			for _, f := range tt.facts {
				b.Add("a", f, 0)
			}
			rt := forward.NewWalker(topology.Build(b.Build())).Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9"))
			worst, _ := rt.Forward.Worst()
			require.Equal(t, tt.want, worst.Verdict)
			if tt.mark > 0 {
				require.Equal(t, []route.Mark{mark(tt.mark)}, worst.Reason.Marks)
			}
			require.Equal(t, forward.Arrives, rt.Return.Verdict, "the other way no list is applied")
		})
	}
}

// TestWhatComesBehindTheFirstSegment: rules that let a connection be opened may stop all that its opener sends next.
func TestWhatComesBehindTheFirstSegment(t *testing.T) {
	tcp := network.Flow{Protocol: "tcp", SourcePort: 40000, DestinationPort: 22}
	for _, tt := range []struct {
		name     string
		rules    []network.FlowRule
		flow     network.Flow
		want     string
		later    bool
		stateful bool
	}{
		{"only beginnings are let in", []network.FlowRule{{In: "in", State: network.Beginning, Permit: true}, {In: "out", State: network.Seen, Permit: true}}, tcp, "broken filtered", true, false},
		{"the same, where what is known passes without rules", []network.FlowRule{{In: "in", State: network.Beginning, Permit: true}}, tcp, "two-way arrives", false, true},
		{"and what goes on", []network.FlowRule{{State: network.Seen, Permit: true}, {In: "in", State: network.Beginning, Permit: true}}, tcp, "two-way arrives", false, false},
		{"a rule that was not understood is met by what goes on", []network.FlowRule{{In: "in", State: network.Beginning, Permit: true}, {In: "out", Permit: true}, {Undecided: true, Permit: true}}, tcp, "unknown unknown", true, false},
		{"one packet and its answer go by", []network.FlowRule{{In: "in", State: network.Beginning, Permit: true}, {In: "out", State: network.Seen, Permit: true}}, network.Flow{Protocol: "udp", SourcePort: 40000, DestinationPort: 53}, "two-way arrives", false, false},
		{"an answer to what was seen begins nothing", []network.FlowRule{{State: network.Beginning, Permit: true}}, network.Flow{Protocol: "udp", SourcePort: 40000, DestinationPort: 53}, "one-way arrives", false, false},
		{"what says itself that it is an answer", []network.FlowRule{{In: "in", Permit: true, Protocol: "tcp", State: network.Beginning}, {Permit: true, Protocol: "tcp", State: network.Answering, Stateless: true}}, tcp, "two-way arrives", false, false},
	} {
		t.Run(tt.name, func(t *testing.T) {
			x := coretest.Build(lanToLan).Draft()
			p := network.Policy{Flows: tt.rules}
			for i := range p.Flows {
				p.Flows[i].Mark = mark(uint32(50 + i))
			}
			if tt.stateful {
				p.Stateful = mark(90)
			}
			x.SetPolicy("a", p)
			rt := forward.NewWalker(topology.Build(x.Freeze())).TraceFlow(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9"), tt.flow)
			require.Equal(t, tt.want, rt.Verdict.String()+" "+rt.Forward.Verdict.String())
			require.Equal(t, tt.later, rt.Later)
		})
	}
}

// past is a network in which packets from a to z go straight, and back by way of b.
const past = `
	a: direct 10.1.0.0/24 dev lan
	a: addr 10.1.0.1/24 lan
	a: direct 10.0.1.0/30 dev up
	a: addr 10.0.1.1/30 up
	a: static 10.9.0.0/24 via 10.0.1.2 dev up
	z: direct 10.0.1.0/30 dev up
	z: addr 10.0.1.2/30 up
	z: direct 10.9.0.0/24 dev lan
	z: addr 10.9.0.1/24 lan
	z: direct 10.0.2.0/30 dev by
	z: addr 10.0.2.1/30 by
	z: static 10.1.0.0/24 via 10.0.2.2 dev by
	b: direct 10.0.2.0/30 dev x0
	b: addr 10.0.2.2/30 x0
	b: direct 10.1.0.0/24 dev lan
	b: addr 10.1.0.2/24 lan
`

// TestSegmentsOfAFlowThatWasNotSeen: a kernel that did not see the first segment of a connection takes a later one for
// the beginning of a flow, so that a rule against those may stop it.
func TestSegmentsOfAFlowThatWasNotSeen(t *testing.T) {
	for protocol, want := range map[string]forward.Verdict{"tcp": forward.Unknown, "icmp": forward.Arrives, "udp": forward.Filtered} {
		x := coretest.Build(past).Draft()
		x.SetPolicy("b", network.Policy{Flows: []network.FlowRule{
			{State: network.Beginning, Mark: mark(50)}, {Permit: true, Mark: mark(51)}}})
		rt := forward.NewWalker(topology.Build(x.Freeze())).TraceFlow(netip.MustParseAddr("10.1.0.1"),
			netip.MustParseAddr("10.9.0.1"), network.Flow{Protocol: protocol})
		require.Equal(t, forward.Arrives, rt.Forward.Verdict)
		require.Equal(t, want, rt.Return.Branches[0].Verdict, "%s: %v", protocol, rt.Return.Branches[0].Reason)
	}
}

// TestAConnectionWhoseAnswerGoesPast: a kernel that saw the first segment of a connection and no answer to it takes what
// its opener sends next for invalid.
func TestAConnectionWhoseAnswerGoesPast(t *testing.T) {
	known, begins := network.FlowRule{State: network.Seen, Permit: true}, network.FlowRule{State: network.Beginning, Permit: true}
	for name, tt := range map[string]struct {
		protocol string
		rules    []network.FlowRule
		want     forward.Both
		later    bool
	}{
		"what is known and what begins": {"tcp", []network.FlowRule{known, begins}, forward.Broken, true},
		"one packet":                    {"udp", []network.FlowRule{known, begins}, forward.TwoWay, false},
		"what is invalid too":           {"tcp", []network.FlowRule{known, begins, {State: network.Unseen, Permit: true}}, forward.TwoWay, false},
		"what is invalid first":         {"tcp", []network.FlowRule{{State: network.Unseen}, {Permit: true}}, forward.Broken, true},
		"the first segment alone":       {"tcp", []network.FlowRule{{State: network.Opening, Permit: true}}, forward.Broken, true},
		"not the first segment":         {"tcp", []network.FlowRule{{State: network.Opening}, {Permit: true}}, forward.Broken, false},
		"by what the segments say":      {"tcp", []network.FlowRule{{State: network.Answering, Permit: true}, begins}, forward.TwoWay, false},
		"no state":                      {"tcp", []network.FlowRule{{Permit: true}}, forward.TwoWay, false},
	} {
		x := coretest.Build(past).Draft()
		for i := range tt.rules {
			tt.rules[i].Mark = mark(uint32(50 + i))
		}
		x.SetPolicy("b", network.Policy{Flows: tt.rules})
		rt := forward.NewWalker(topology.Build(x.Freeze())).TraceFlow(netip.MustParseAddr("10.9.0.1"),
			netip.MustParseAddr("10.1.0.1"), network.Flow{Protocol: tt.protocol})
		require.Equal(t, []any{tt.want, tt.later}, []any{rt.Verdict, rt.Later}, name)
	}
}

// TestBothEndsKnowTheirConnection: what they let begin goes on by the rules for what they know.
func TestBothEndsKnowTheirConnection(t *testing.T) {
	for _, hook := range []network.Hook{network.ForItself, network.FromItself, network.GoingOut} {
		x := coretest.Build(past).Draft()
		rules := []network.FlowRule{{Hook: hook, State: network.Seen, Permit: true, Mark: mark(50)},
			{Hook: hook, State: network.Beginning, Permit: true, Mark: mark(51)}}
		x.SetPolicy("a", network.Policy{Flows: rules})
		x.SetPolicy("z", network.Policy{Flows: rules})
		w := forward.NewWalker(topology.Build(x.Freeze()))
		require.False(t, w.FiltersAlone())
		rt := w.TraceFlow(netip.MustParseAddr("10.1.0.1"), netip.MustParseAddr("10.9.0.1"), network.Flow{Protocol: "tcp"})
		require.Equal(t, forward.TwoWay, rt.Verdict, hook)
	}
	x := coretest.Build(past).Draft()
	x.SetPolicy("b", network.Policy{Flows: []network.FlowRule{{State: network.Beginning, Permit: true, Mark: mark(50)}}})
	require.False(t, forward.NewWalker(topology.Build(x.Freeze())).FiltersAlone())
}

// TestListsWithoutWhereTheyAreApplied: a listing of lists alone leaves open which packets meet them; a configuration
// that applies none does not.
func TestListsWithoutWhereTheyAreApplied(t *testing.T) {
	for _, alone := range []bool{true, false} {
		var b network.Builder
		b.Add("a", coretest.Facts("direct 10.1.0.0/24 dev in\naddr 10.1.0.1/24 in\ndirect 10.9.0.0/24 dev out\naddr 10.9.0.1/24 out\n", 1), 0)
		b.Add("a", network.Facts{ListRules: []network.ListRule{{List: "NIGHT", Alone: alone, FlowRule: network.FlowRule{Permit: true, Mark: mark(50)}}}}, 0)
		rt := forward.NewWalker(topology.Build(b.Build())).Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9"))
		worst, _ := rt.Forward.Worst()
		if !alone {
			require.Equal(t, forward.Arrives, worst.Verdict)
			continue
		}
		require.Equal(t, forward.WhereApplied, worst.Reason.Code)
		require.Equal(t, []route.Mark{mark(50)}, worst.Reason.Marks)
	}
}

// TestAnInterfaceThatDoesNotForward keeps what comes in by it, and nothing else.
func TestAnInterfaceThatDoesNotForward(t *testing.T) {
	for _, tt := range []struct {
		switches []network.Switch
		want     string
	}{
		{[]network.Switch{{Family: route.IPv4, On: true}, {Family: route.IPv4, Interface: "in"}}, "not-forwarding, arrives"},
		{[]network.Switch{{Family: route.IPv4}, {Family: route.IPv4, Interface: "in", On: true}}, "arrives, not-forwarding"},
		{[]network.Switch{{Family: route.IPv6, Interface: "in"}}, "arrives, arrives"},
	} {
		var b network.Builder
		b.Add("a", coretest.Facts("direct 10.1.0.0/24 dev in\naddr 10.1.0.1/24 in\ndirect 10.9.0.0/24 dev out\naddr 10.9.0.1/24 out\n", 1), 0)
		for i := range tt.switches {
			tt.switches[i].Mark = mark(uint32(50 + i))
		}
		b.Add("a", network.Facts{Forwarding: tt.switches}, 0)
		rt := forward.NewWalker(topology.Build(b.Build())).Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9"))
		require.Equal(t, tt.want, rt.Forward.Verdict.String()+", "+rt.Return.Verdict.String())
	}
}

// TestWhatADeviceSendsToItself: a kernel asks its rules as it goes out and in by the loopback interface; others do not.
func TestWhatADeviceSendsToItself(t *testing.T) {
	deny := func(hook network.Hook, in, out string, kernel bool) []network.FlowRule {
		return []network.FlowRule{{Hook: hook, In: in, Out: out, Stateless: kernel, Protocol: "tcp", ToPorts: network.Ports{Lo: 22, Hi: 22}, Mark: mark(50)},
			{Hook: hook, Permit: true, Stateless: kernel, Mark: mark(51)}}
	}
	for name, tt := range map[string]struct {
		rules []network.FlowRule
		want  forward.Verdict
	}{
		"as it leaves":           {deny(network.FromItself, "", "lo", true), forward.Filtered},
		"as it leaves by others": {deny(network.FromItself, "", "e0", true), forward.Arrives},
		"before it is told":      {deny(network.ComingIn, "lo", "", true), forward.Filtered},
		"as it arrives":          {deny(network.ForItself, "lo", "", true), forward.Filtered},
		"by another":             {deny(network.ForItself, "e0", "", true), forward.Arrives},
		"what it forwards":       {deny(network.Forwarded, "", "", true), forward.Arrives},
		"rules of no kernel":     {deny(network.ForItself, "", "", false), forward.Arrives},
	} {
		x := coretest.Build(past).Draft()
		x.SetPolicy("a", network.Policy{Flows: tt.rules})
		rt := forward.NewWalker(topology.Build(x.Freeze())).TraceFlow(netip.MustParseAddr("10.1.0.1"), netip.MustParseAddr("10.1.0.1"),
			network.Flow{Protocol: "tcp", SourcePort: 40000, DestinationPort: 22})
		require.Equal(t, tt.want, rt.Forward.Verdict, name)
	}
}
