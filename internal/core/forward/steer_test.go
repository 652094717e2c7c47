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

// twoWays has a router with a lan and two ways to another lan: by b, as its routes say, and by c.
const twoWays = `
	a: direct 10.1.0.0/24 dev lan
	a: addr 10.1.0.1/24 lan
	a: direct 172.16.1.0/30 dev up1
	a: addr 172.16.1.1/30 up1
	a: direct 172.16.2.0/30 dev up2
	a: addr 172.16.2.1/30 up2
	a: static 10.9.0.0/24 via 172.16.1.2
	a: static 10.9.0.0/24 via 172.16.2.2 dev up2 in yard
	a: direct 10.77.0.0/24 dev yard0 in yard
	b: direct 172.16.1.0/30 dev up
	b: addr 172.16.1.2/30 up
	b: direct 10.9.0.0/24 dev lan
	b: addr 10.9.0.1/24 lan
	b: static 10.1.0.0/24 via 172.16.1.1
	c: direct 172.16.2.0/30 dev up
	c: addr 172.16.2.2/30 up
	c: direct 10.9.0.0/24 dev lan
	c: addr 10.9.0.2/24 lan
	c: static 10.1.0.0/24 via 172.16.2.1
`

// TestPoliciesOfRoutingDecideBeforeRoutes: what comes in by the interface and fits goes where the policy says, all else
// by its destination; where that cannot be told the answer is unknown, by the line that is in the way.
func TestPoliciesOfRoutingDecideBeforeRoutes(t *testing.T) {
	tcp := network.Flow{Protocol: "tcp", SourcePort: 40000, DestinationPort: 443}
	to := func(s string) network.Detour { return network.Detour{NextHop: netip.MustParseAddr(s)} }
	lan := netip.MustParsePrefix("10.1.0.0/24")
	other := netip.MustParsePrefix("10.4.0.0/24")
	for _, tt := range []struct {
		name string
		rule network.FlowRule
		flow network.Flow
		src  string
		want string // the verdict, and the second device on the way
		code forward.Code
		not  bool // it is not the policy that sends it
		gone bool // the other table's route
	}{
		{name: "sent to a neighbour", rule: network.FlowRule{In: "lan", From: lan, Detour: to("172.16.2.2")}, want: "arrives c"},
		{name: "what does not fit goes by its destination", not: true, rule: network.FlowRule{In: "lan", From: other, Detour: to("172.16.2.2")}, want: "arrives b"},
		{name: "what comes in elsewhere is not asked about", not: true, rule: network.FlowRule{In: "up1", Detour: to("172.16.2.2")}, want: "arrives b"},
		{name: "what the device sends itself is not asked about", not: true, rule: network.FlowRule{Detour: to("172.16.2.2")}, src: "172.16.1.1", want: "arrives b"},
		{name: "looked up in another table", rule: network.FlowRule{In: "lan", Detour: network.Detour{Table: "yard"}}, want: "arrives c"},
		{name: "another table that has no route", gone: true, rule: network.FlowRule{In: "lan", Detour: network.Detour{Table: "yard"}}, want: "unknown", code: forward.PolicyRouted},
		{name: "another table that was not captured", rule: network.FlowRule{In: "lan", Detour: network.Detour{Table: "depot"}}, want: "unknown", code: forward.TableMissing},
		{name: "dropped", rule: network.FlowRule{In: "lan", Detour: network.Detour{Drop: true}}, want: "discarded", code: forward.Blackholed},
		{name: "a next hop that nobody captured has", rule: network.FlowRule{In: "lan", Detour: to("10.1.0.77")}, want: "unknown", code: forward.OwnerNotKnown},
		{name: "a next hop in no attached network", not: true, rule: network.FlowRule{In: "lan", Detour: to("10.9.0.2")}, want: "unknown", code: forward.PolicyRouted},
		{name: "a next hop by an interface that is down", not: true, rule: network.FlowRule{In: "lan", Detour: to("172.16.9.2")}, want: "unknown", code: forward.PolicyRouted},
		{name: "where to is not known", not: true, rule: network.FlowRule{In: "lan", Detour: network.Detour{Open: true}}, want: "unknown", code: forward.PolicyRouted},
		{name: "not read", not: true, rule: network.FlowRule{In: "lan", Undecided: true, NotRead: true}, want: "unknown", code: forward.PolicyRouted},
		{name: "not read, on another interface", not: true, rule: network.FlowRule{In: "up1", Undecided: true, NotRead: true}, want: "arrives b"},
		{name: "a match that is not understood", not: true, rule: network.FlowRule{In: "lan", Undecided: true, Detour: to("172.16.2.2")}, want: "unknown", code: forward.PolicyRouted},
		{name: "a flow that is not told", not: true, rule: network.FlowRule{In: "lan", Protocol: "tcp", Detour: to("172.16.2.2")}, want: "unknown", code: forward.FlowNotTold},
		{name: "a flow that is told", rule: network.FlowRule{In: "lan", Protocol: "tcp", Detour: to("172.16.2.2")}, flow: tcp, want: "arrives c"},
		{name: "another flow", not: true, rule: network.FlowRule{In: "lan", Protocol: "udp", Detour: to("172.16.2.2")}, flow: tcp, want: "arrives b"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			text := twoWays + "a: direct 172.16.9.0/30 dev up9\na: link up9 down\n"
			x := coretest.Build(text).Draft()
			if tt.gone {
				x.SetRoutes("a", "yard", netip.MustParsePrefix("10.9.0.0/24"), nil)
			}
			tt.rule.Hook, tt.rule.Permit, tt.rule.Mark = network.Steered, true, mark(50)
			x.SetPolicy("a", network.Policy{Flows: []network.FlowRule{tt.rule, {Hook: network.Steered, Permit: true, Mark: mark(60)}}})
			w := forward.NewWalker(topology.Build(x.Freeze()))
			src := "10.1.0.9"
			if tt.src != "" {
				src = tt.src
			}
			rt := w.TraceFlow(netip.MustParseAddr(src), netip.MustParseAddr("10.9.0.9"), tt.flow)
			b := rt.Forward.Branches[0]
			got := b.Verdict.String()
			if len(b.Hops) > 1 {
				got += " " + b.Hops[1].Device
			}
			require.Equal(t, tt.want, got)
			if tt.code != forward.Nothing {
				require.Equal(t, tt.code, b.Reason.Code)
			}
			if tt.code == forward.PolicyRouted || tt.code == forward.FlowNotTold {
				require.Equal(t, []route.Mark{mark(50)}, b.Reason.Marks)
			}
			require.Equal(t, !tt.not, b.Hops[0].Steered)
			if b.Hops[0].Steered {
				require.Contains(t, b.Hops[0].Evidence, mark(50))
			}
		})
	}
}

// TestOrderOfClauses: the first rule that fits decides; one that may fit and leads elsewhere leaves it open, one that
// leads the same way does not. A packet that meets the device again by another interface is no loop.
func TestOrderOfClauses(t *testing.T) {
	away, back := network.Detour{NextHop: netip.MustParseAddr("172.16.2.2")}, network.Detour{NextHop: netip.MustParseAddr("172.16.1.2")}
	rule := func(d network.Detour, perhaps bool) network.FlowRule {
		return network.FlowRule{Hook: network.Steered, Permit: true, In: "lan", Detour: d, Undecided: perhaps, Mark: mark(50)}
	}
	for _, tt := range []struct {
		name  string
		rules []network.FlowRule
		want  string
	}{
		{"the first", []network.FlowRule{rule(away, false), rule(back, false)}, "arrives c"},
		{"by its destination", []network.FlowRule{rule(network.Detour{}, false), rule(away, false)}, "arrives b"},
		{"perhaps the first", []network.FlowRule{rule(away, true), rule(back, false)}, "unknown"},
		{"either", []network.FlowRule{rule(away, true), rule(away, false)}, "arrives c"},
		{"perhaps by its destination", []network.FlowRule{rule(network.Detour{}, true), rule(away, false)}, "unknown"},
		{"perhaps, and nothing follows", []network.FlowRule{rule(away, true)}, "unknown"},
	} {
		x := coretest.Build(twoWays).Draft()
		x.SetPolicy("a", network.Policy{Flows: append(tt.rules, network.FlowRule{Hook: network.Steered, Permit: true, Mark: mark(60)})})
		rt := forward.NewWalker(topology.Build(x.Freeze())).Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9"))
		b := rt.Forward.Branches[0]
		got := b.Verdict.String()
		if len(b.Hops) > 1 {
			got += " " + b.Hops[1].Device
		}
		require.Equal(t, tt.want, got, tt.name)
	}
	x := coretest.Build(twoWays).Draft() // c sends all that a steered to it back, and a sends it on by its destination
	x.SetRoutes("c", "default", netip.MustParsePrefix("10.9.0.0/24"), []route.Route{{Attributes: &route.Attributes{Protocol: route.Static,
		NextHops: []route.NextHop{{Address: netip.MustParseAddr("172.16.2.1")}}}, State: route.Active | route.Installed}})
	x.SetPolicy("a", network.Policy{Flows: []network.FlowRule{rule(away, false), {Hook: network.Steered, Permit: true, Mark: mark(60)}}})
	rt := forward.NewWalker(topology.Build(x.Freeze())).Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9"))
	require.Equal(t, "arrives", rt.Forward.Verdict.String(), "%+v", rt.Forward.Branches[0].Reason)
	require.Len(t, rt.Forward.Branches[0].Hops, 4)
}

// TestAPolicyOfTheFirstPacket: a device that keeps state asks it for what begins a flow; whether for its answers is not
// sure, whatever their protocol.
func TestAPolicyOfTheFirstPacket(t *testing.T) {
	first := network.FlowRule{Hook: network.Steered, Permit: true, In: "lan", State: network.Beginning, Detour: network.Detour{NextHop: netip.MustParseAddr("172.16.2.2")}, Mark: mark(50)}
	again := first
	again.State, again.Undecided = network.Answering, true
	x := coretest.Build(twoWays).Draft()
	x.SetPolicy("a", network.Policy{Stateful: mark(70), Flows: []network.FlowRule{first, again, {Hook: network.Steered, Permit: true, Mark: mark(60)}, {Permit: true, Mark: mark(60)}}})
	w := forward.NewWalker(topology.Build(x.Freeze()))
	flow := network.Flow{Protocol: "udp", SourcePort: 4000, DestinationPort: 53}
	near, far := netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9")
	require.Equal(t, "c", w.TraceFlow(near, far, flow).Forward.Branches[0].Hops[1].Device)
	require.Equal(t, forward.PolicyRouted, w.TraceFlow(far, near, flow).Return.Branches[0].Reason.Code)
}

// TestAssumingThatAPolicyLeavesPackets: they are followed by their destination, and the line is named.
func TestAssumingThatAPolicyLeavesPackets(t *testing.T) {
	x := coretest.Build(twoWays).Draft()
	x.SetPolicy("a", network.Policy{Flows: []network.FlowRule{{Hook: network.Steered, In: "lan", Permit: true, Detour: network.Detour{Open: true}, Mark: mark(50)},
		{Hook: network.Steered, Permit: true, Mark: mark(60)}}})
	rt := forward.NewWalker(topology.Build(x.Freeze())).Assuming().Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9"))
	require.Equal(t, forward.Arrives, rt.Forward.Verdict)
	require.Equal(t, "b", rt.Forward.Branches[0].Hops[1].Device)
	require.Equal(t, []route.Mark{mark(50)}, rt.Assumed())
}
