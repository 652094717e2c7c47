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
	"zarvek/internal/core/selection"
	"zarvek/internal/core/topology"
)

// ring is two ways between the lans of a and z: by up, and by down.
const ring = `
	a: direct 10.1.0.0/24 dev lan
	a: addr 10.1.0.1/24 lan
	a: direct 10.0.1.0/30 dev up
	a: addr 10.0.1.1/30 up
	a: direct 10.0.3.0/30 dev down
	a: addr 10.0.3.1/30 down
	up: direct 10.0.1.0/30 dev u0
	up: addr 10.0.1.2/30 u0
	up: direct 10.0.2.0/30 dev u1
	up: addr 10.0.2.1/30 u1
	up: static 10.1.0.0/24 via 10.0.1.1 dev u0
	up: static 10.9.0.0/24 via 10.0.2.2 dev u1
	down: direct 10.0.3.0/30 dev d0
	down: addr 10.0.3.2/30 d0
	down: direct 10.0.4.0/30 dev d1
	down: addr 10.0.4.1/30 d1
	down: static 10.1.0.0/24 via 10.0.3.1 dev d0
	down: static 10.9.0.0/24 via 10.0.4.2 dev d1
	z: direct 10.9.0.0/24 dev lan
	z: addr 10.9.0.1/24 lan
	z: direct 10.0.2.0/30 dev up
	z: addr 10.0.2.2/30 up
	z: direct 10.0.4.0/30 dev down
	z: addr 10.0.4.2/30 down
	a: static 10.9.0.0/24 via 10.0.1.2 dev up
`

const (
	backByDown   = "z: static 10.1.0.0/24 via 10.0.4.1 dev down\n"
	backByUp     = "z: static 10.1.0.0/24 via 10.0.2.1 dev up\n"
	backByEither = "z: static 10.1.0.0/24 via 10.0.4.1 dev down via 10.0.2.1 dev up\n"
)

func TestAsymmetryIsShownThoughBothWaysArrive(t *testing.T) {
	rt := trace(ring+backByDown, "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.TwoWay, rt.Verdict)
	require.Equal(
		t,
		forward.Asymmetry{Found: true, Part: "a", Meet: "z", OnlyOut: []string{"up"}, OnlyBack: []string{"down"}},
		rt.Asymmetry(),
	)
	rt = trace(ring+"z: static 10.1.0.0/24 via 10.0.2.1 dev up\n", "10.1.0.9", "10.9.0.9")
	require.Zero(t, rt.Asymmetry())
}

func TestSourceChecks(t *testing.T) {
	for _, tt := range []struct{ name, more, out, back string }{
		{"strict at the far end: the way back leaves elsewhere", "z: check up strict", "a>up>z source-check", "z>down>a arrives attached-network"},
		{"loose is content with any route", "z: check up loose", "a>up>z arrives attached-network", "z>down>a arrives attached-network"},
		{"feasible wants some route that way", "z: check up feasible", "a>up>z source-check", "z>down>a arrives attached-network"},
		{"feasible finds a candidate", "z: check up feasible\nz: static 10.1.0.0/24 pref 9 via 10.0.2.1 dev up candidate", "a>up>z arrives attached-network", "z>down>a arrives attached-network"},
		{"another interface is not concerned", "z: check lan strict", "a>up>z arrives attached-network", "z>down>a arrives attached-network"},
		{"on the way back", "a: check down strict", "a>up>z arrives attached-network", "z>down>a source-check"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			rt := trace(ring+backByDown+tt.more, "10.1.0.9", "10.9.0.9")
			require.Equal(t, tt.out, word(&rt.Forward))
			require.Equal(t, tt.back, word(rt.Return))
		})
	}
}

// TestASourceCheckByTheDefault: where nothing but a default route leads back, a check that was not told to accept that may
// drop the packet; so may one that is only usual.
func TestASourceCheckByTheDefault(t *testing.T) {
	const back = "z: static 0.0.0.0/0 via 10.0.2.1 dev up\n"
	for _, tt := range []struct {
		more  string
		check network.SourceCheck
		want  forward.Code
	}{
		{back, network.SourceCheck{Interface: "up", Mode: network.CheckLoose, NotByDefault: true}, forward.SourceByDefault},
		{back, network.SourceCheck{Interface: "up", Mode: network.CheckStrict, NotByDefault: true}, forward.SourceByDefault},
		{back, network.SourceCheck{Interface: "up", Mode: network.CheckLoose}, forward.NetworkAttached},
		{backByDown + back, network.SourceCheck{Interface: "up", Mode: network.CheckLoose, NotByDefault: true}, forward.NetworkAttached},
		{"z: static 0.0.0.0/0 via 10.0.4.1 dev down\n", network.SourceCheck{Interface: "up", Mode: network.CheckStrict, NotByDefault: true}, forward.SourceFails},
		{backByDown, network.SourceCheck{Mode: network.CheckFeasible, Usual: true}, forward.SourceUsual},
		{back, network.SourceCheck{Mode: network.CheckFeasible, Usual: true}, forward.NetworkAttached},
		{"", network.SourceCheck{Mode: network.CheckFeasible, Usual: true}, forward.NetworkAttached},
	} {
		x := coretest.Build(ring + tt.more).Draft()
		tt.check.Mark = route.Mark{File: 9, Off: 1, End: 2}
		x.SetChecks("z", []network.SourceCheck{tt.check})
		rt := forward.NewWalker(topology.Build(x.Freeze())).Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9"))
		require.Equal(t, tt.want, rt.Forward.Branches[0].Reason.Code, tt.more)
	}
}

func TestAStatefulDeviceMustSeeBothDirections(t *testing.T) {
	rt := trace(ring+backByDown+"down: stateful", "10.1.0.9", "10.9.0.9")
	require.Equal(t, "z>down state-missing", word(rt.Return), "it did not see the packet that this one answers")
	require.Equal(t, forward.OneWay, rt.Verdict)
	rt = trace(ring+backByDown+"up: stateful", "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.TwoWay, rt.Verdict, "a single exchange passes")
	require.Equal(t, []string{"up"}, rt.OneSided)
	w := forward.NewWalker(topology.Build(coretest.Build(ring + backByDown + "up: stateful")))
	rt = w.TraceFlow(
		netip.MustParseAddr("10.1.0.9"),
		netip.MustParseAddr("10.9.0.9"),
		network.Flow{Protocol: "tcp", DestinationPort: 443},
	)
	require.Equal(t, forward.StateMissing, rt.Return.Verdict, "a connection does not")
	rt = trace(ring+"z: static 10.1.0.0/24 via 10.0.2.1 dev up\nup: stateful", "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.TwoWay, rt.Verdict)
	require.Empty(t, rt.OneSided)
}

func TestAPacketBackAtItsSenderIsALoop(t *testing.T) {
	rt := trace(`
		a: direct 10.0.1.0/30 dev e0
		a: addr 10.0.1.1/30 e0
		a: addr 10.7.0.1/32 lo
		a: rule 10 iif e0 table 5
		a: rule 20 table default
		a: static 10.9.0.0/16 via 10.0.1.2 dev e0
		a: static 10.9.0.0/16 blackhole in 5
		b: direct 10.0.1.0/30 dev f0
		b: addr 10.0.1.2/30 f0
		b: static 10.9.0.0/16 via 10.0.1.1 dev f0
	`, "10.7.0.1", "10.9.0.1")
	require.Equal(
		t,
		forward.Discarded,
		rt.Forward.Verdict,
		"the rule for what comes in decides before the source is looked at",
	)
}

func TestNobodyOnALinkOfTwoEnds(t *testing.T) {
	in := "a: direct 10.1.0.0/24 dev lan\na: direct 10.0.0.0/30 dev e0\na: addr 10.0.0.1/30 e0\nb: direct 10.0.0.0/30 dev f0\nb: addr 10.0.0.2/30 f0\n"
	rt := trace(
		in+"a: direct fd00:1::/64 dev lan\na: direct fd00::/64 dev e0\na: addr fd00::1/64 e0\nb: direct fd00::/64 dev f0\nb: addr fd00::2/64 f0\na: static fd00:9::/64 via fd00::3 dev e0",
		"fd00:1::9",
		"fd00:9::1",
	)
	require.Equal(t, forward.NextHopLost, rt.Forward.Verdict)
	require.Equal(t, forward.NobodyHasIt, rt.Forward.Branches[0].Reason.Code)
	// A dead interface of a third device shares the link-local network, as all do, and is not on that link.
	rt = trace(
		in+"a: direct fd00:1::/64 dev lan\na: direct fd00::/64 dev e0\na: addr fd00::1/64 e0\na: addr fe80::1/64 e0\nb: direct fd00::/64 dev f0\nb: addr fd00::2/64 f0\na: static fd00:9::/64 via fd00::3 dev e0\nc: link x0 down\nc: addr fe80::7/64 x0",
		"fd00:1::9",
		"fd00:9::1",
	)
	require.Equal(t, forward.NobodyHasIt, rt.Forward.Branches[0].Reason.Code)
}

func TestAnAddressThatVanishedWithItsInterface(t *testing.T) {
	in := `
		a: direct 10.1.0.0/24 dev lan
		a: direct fd00:1::/64 dev lan
		a: direct 10.0.0.0/%s dev e0
		a: addr 10.0.0.1/%s e0
		a: direct fd00::/64 dev e0
		a: addr fd00::1/64 e0
		a: static fd00:9::/64 via fd00::2 dev e0
		b: link f0 down
		b: addr 10.0.0.2/%s f0
	`
	for bits, want := range map[string]forward.Verdict{"30": forward.NextHopLost, "24": forward.Unknown} {
		text := strings.ReplaceAll(in, "%s", bits)
		rt := trace(text, "fd00:1::9", "fd00:9::1")
		require.Equal(t, want, rt.Forward.Verdict, "on a link of /%s", bits)
		rt = trace(text, "fd00:1::9", "fd00::2")
		require.Equal(t, want, rt.Forward.Verdict, "on a link of /%s", bits)
	}
}

func TestADefaultThatLeavesThoughTheNetworkIsHere(t *testing.T) {
	rt := trace(`
		a: direct 10.1.0.0/24 dev lan
		a: direct 10.0.0.0/30 dev e0
		a: static 0.0.0.0/0 via 10.0.0.2 dev e0
		z: direct 10.9.0.0/24 dev lan
	`, "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.Leaves, rt.Forward.Verdict)
	require.Equal(t, "z", rt.Forward.Branches[0].Reason.Behind)
}

func TestRulesOfOneFamilyLeaveTheOtherAlone(t *testing.T) {
	n := coretest.Build(
		"a: direct fd00:1::/64 dev lan\na: direct fd00:2::/64 dev e0\na: rule 10 from 10.0.0.0/8 table 7",
	)
	x, rule := n.Draft(), n.Device("a").Rules().At(0)
	rule.Family = route.IPv4
	x.SetRules("a", []network.Rule{rule})
	rt := forward.NewWalker(topology.Build(x.Freeze())).
		Trace(netip.MustParseAddr("fd00:1::9"), netip.MustParseAddr("fd00:2::9"))
	require.Equal(t, forward.Arrives, rt.Forward.Verdict)
}

func TestLivenessOfBothEnds(t *testing.T) {
	in := "a: direct 10.1.0.0/24 dev lan\na: direct 10.0.0.0/24 dev e0\na: addr 10.0.0.1/24 e0\na: static 10.9.0.0/16 via 10.0.0.2 dev e0\nb: addr 10.0.0.2/24 f0\nb: link f0 down\n"
	for more, want := range map[string]forward.Liveness{
		"":                             {},
		"a: session 10.0.0.2 e0 down":  {Here: forward.DetectsDown},
		"b: session 10.0.0.1 f0 down":  {There: forward.DetectsDown},
		"b: session 10.0.0.77 f0 down": {},
		"a: session 10.0.0.2 e0 up\nb: session 10.0.0.1 f0 down": {Here: forward.DetectsUp, There: forward.DetectsDown},
	} {
		rt := trace(in+more, "10.1.0.9", "10.9.0.1")
		l := rt.Forward.Branches[0].Reason.Liveness
		l.Marks = nil
		require.Equal(t, forward.OwnerDown, rt.Forward.Branches[0].Reason.Code)
		require.Equal(t, want, l, more)
	}
}

func TestAWalkMixesTheTablesThatRulesChooseFrom(t *testing.T) {
	in := "a: walk: direct 10.1.0.0/24 dev lan\na: walk: direct 10.9.0.0/24 dev z0\na: rule 100 table default\n"
	rt := trace(in, "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.Arrives, rt.Forward.Verdict)
	rt = trace(in+"a: rule 200 table 7\n", "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.Unknown, rt.Forward.Verdict)
	require.Equal(t, "7", rt.Forward.Branches[0].Reason.Table)
}

func TestCapturesOfDifferentMomentsDecideNothing(t *testing.T) {
	var b network.Builder
	b.Add(
		"a",
		coretest.Facts(
			"direct 10.1.0.0/24 dev lan\nospf 10.8.0.0/24 via 10.1.0.2 dev lan\nstatic 10.9.0.0/24 via 10.8.0.1",
			1,
		),
		0,
	)
	b.Add("a", coretest.Facts("ospf 10.8.0.0/24 via 10.1.0.3 dev lan", 2), 0)
	w := forward.NewWalker(topology.Build(b.Build()))
	for _, dst := range []string{"10.8.0.9", "10.9.0.9"} { // by the route itself, by a next hop that it resolves
		rt := w.Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr(dst))
		require.Equal(t, forward.Unknown, rt.Forward.Verdict, dst)
	}
	require.Equal(
		t,
		selection.Contradicted,
		w.Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9")).Forward.Branches[0].Reason.Failure,
	)
	require.Equal(
		t,
		forward.CapturesContradict,
		w.Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.8.0.9")).Forward.Branches[0].Reason.Code,
	)
}

func TestARouteThatWasChosenAndDoesNotForward(t *testing.T) {
	in := "a: direct 10.1.0.0/24 dev lan\na: kernel: direct 10.1.0.0/24 dev lan\na: static 10.9.0.0/24 via 10.1.0.2\na: static 10.9.0.0/16 via 10.1.0.2\n"
	rt := trace(in, "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.NoRoute, rt.Forward.Verdict)
	require.Equal(t, netip.MustParsePrefix("10.9.0.0/24"), rt.Forward.Branches[0].Reason.NotTaken)
	require.Equal(t, rt.Forward.Branches[0].Reason.Marks, rt.Forward.Branches[0].Hops[0].Evidence)
	rt = trace(in+"a: kernel: static 10.9.0.0/16 blackhole", "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.Discarded, rt.Forward.Verdict, "what forwards counts")
}

// TestSourceCheckOfEachWay: a strict check looks the source up as if the packet came from where it will leave, so
// that a rule for one of two equal ways out can fail it on that way alone.
func TestSourceCheckOfEachWay(t *testing.T) {
	w := forward.NewWalker(topology.Build(coretest.Build(`
		a: addr 10.1.0.1/24 lan
		a: direct 10.1.0.0/24 dev lan
		a: addr 172.16.1.1/30 up
		a: direct 172.16.1.0/30 dev up
		a: static 10.9.0.0/24 via 172.16.1.2 dev up
		r: addr 172.16.1.2/30 in
		r: direct 172.16.1.0/30 dev in
		r: check in strict
		r: addr 172.16.2.1/30 o1
		r: direct 172.16.2.0/30 dev o1
		r: addr 172.16.3.1/30 o2
		r: direct 172.16.3.0/30 dev o2
		r: static 10.1.0.0/24 via 172.16.1.1 dev in
		r: static 10.9.0.0/24 via 172.16.2.2 dev o1 via 172.16.3.2 dev o2
		r: rule 10 iif o1 table 77
		r: rule 20 table default
		r: static 0.0.0.0/0 via 172.16.2.2 dev o1 in 77
		z: addr 172.16.2.2/30 e1
		z: direct 172.16.2.0/30 dev e1
		z: addr 172.16.3.2/30 e2
		z: direct 172.16.3.0/30 dev e2
		z: addr 10.9.0.1/24 lan
		z: direct 10.9.0.0/24 dev lan`)))
	d := w.Trace(netip.MustParseAddr("10.1.0.5"), netip.MustParseAddr("10.9.0.1")).Forward
	require.Equal(t, forward.SourceCheck, d.Verdict)
	require.Len(t, d.Branches, 2)
	require.Equal(t, forward.SourceCheck, d.Branches[0].Verdict)
	require.Equal(t, "r", d.Branches[0].Where)
	require.Equal(t, forward.Arrives, d.Branches[1].Verdict)
	require.InDelta(t, 0.5, d.Branches[0].Share, 1e-9)
}

// TestAnOwnAddressOfAStatefulDevice: what is for the device itself does not go through it, so that no direction is
// missed.
func TestAnOwnAddressOfAStatefulDevice(t *testing.T) {
	w := forward.NewWalker(topology.Build(coretest.Build(ring + "z: stateful")))
	rt := w.TraceFlow(
		netip.MustParseAddr("10.1.0.1"),
		netip.MustParseAddr("10.9.0.1"),
		network.Flow{Protocol: "tcp", SourcePort: 4000, DestinationPort: 22},
	)
	require.Empty(t, rt.OneSided)
}

// TestADeviceThatDoesNotForwardIsNobodysGateway: a workstation that was captured stands in its hosts' network, and
// their packets start at the router. Alone there, it leaves the gateway unknown.
func TestADeviceThatDoesNotForwardIsNobodysGateway(t *testing.T) {
	const desk = "desk: direct 10.1.0.0/24 dev eth0\ndesk: addr 10.1.0.50/24 eth0\ndesk: static 0.0.0.0/0 via 10.1.0.1 dev eth0\ndesk: forwarding ipv4 off\n"
	rt := trace(ring+backByDown+desk, "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.TwoWay, rt.Verdict)
	for _, b := range rt.Forward.Branches {
		require.Equal(t, "a", b.Hops[0].Device)
	}
	require.Equal(t, forward.TwoWay, trace(ring+backByDown+desk, "10.1.0.50", "10.9.0.9").Verdict, "what it sends itself goes on")
	alone := "desk: direct 10.1.0.0/24 dev eth0\ndesk: addr 10.1.0.50/24 eth0\ndesk: forwarding ipv4 off\n"
	rt = trace(alone, "10.1.0.9", "10.9.0.9")
	require.Equal(t, forward.Unknown, rt.Forward.Verdict, "a host that leads nobody anywhere")
	worst, _ := rt.Forward.Worst()
	require.Equal(t, forward.NotItsGateway, worst.Reason.Code)
	require.Equal(t, forward.Arrives, trace(alone, "10.1.0.9", "10.1.0.8").Forward.Verdict, "no gateway is needed")
	own := alone + "desk: static 0.0.0.0/0 via 10.1.0.1 dev eth0\n"
	rt = trace(own, "10.1.0.1", "10.9.0.9")
	require.Equal(t, forward.Unknown, rt.Forward.Verdict)
	require.Empty(t, rt.Guessed, "that its gateway sends by it is not even thought of")
	rt = trace(own+"far: direct 10.7.0.0/24 dev e0\nfar: direct 10.8.0.0/24 dev e1\n", "10.7.0.9", "10.1.0.9")
	require.Equal(t, forward.Unknown, rt.Return.Verdict, "the way back is told of, though the packet is lost")
	two := alone + "desk: direct 10.2.0.0/24 dev eth1\ndesk: addr 10.2.0.1/24 eth1\n"
	require.Equal(t, forward.NotForwarding, trace(two, "10.1.0.9", "10.9.0.9").Forward.Verdict, "perhaps a router")
}

// TestACapturedHostMayBeNobodysGateway: a device with one network and a default only looks like a host of it. What
// others there send by it is a guess, so that what is lost that way is not known to be.
func TestACapturedHostMayBeNobodysGateway(t *testing.T) {
	const desk = "desk: direct 10.1.0.0/24 dev eth0\ndesk: addr 10.1.0.50/24 eth0\ndesk: static 10.9.0.0/16 via 10.1.0.77 dev eth0\n"
	for name, c := range map[string]struct {
		facts   string
		src     string
		guessed bool
	}{
		"a default only":                 {strings.ReplaceAll(desk, "10.9.0.0/16", "0.0.0.0/0"), "10.1.0.9", true},
		"what it sends itself":           {strings.ReplaceAll(desk, "10.9.0.0/16", "0.0.0.0/0"), "10.1.0.50", false},
		"no route":                       {"desk: direct 10.1.0.0/24 dev eth0\ndesk: addr 10.1.0.50/24 eth0", "10.1.0.9", true},
		"it knows a way":                 {desk, "10.1.0.9", false},
		"it is told to forward":          {strings.ReplaceAll(desk, "10.9.0.0/16", "0.0.0.0/0") + "desk: forwarding ipv4 on", "10.1.0.9", false},
		"it has an address for all":      {strings.ReplaceAll(desk, "10.9.0.0/16", "0.0.0.0/0") + "desk: virtual 10.1.0.254 eth0 holds", "10.1.0.9", false},
		"another network":                {strings.ReplaceAll(desk, "10.9.0.0/16", "0.0.0.0/0") + "desk: direct 10.2.0.0/24 dev eth1", "10.1.0.9", false},
		"a router beside it":             {strings.ReplaceAll(desk, "10.9.0.0/16", "0.0.0.0/0") + "r: direct 10.1.0.0/24 dev lan\nr: direct 10.9.0.0/24 dev up", "10.1.0.9", false},
		"a route in a table of its own":  {desk + "desk: static 0.0.0.0/0 via 10.1.0.77 dev eth0", "10.1.0.9", false},
		"its gateway, which is captured": {strings.ReplaceAll(desk, "10.9.0.0/16", "0.0.0.0/0") + "r: addr 10.1.0.77/24 lan", "10.1.0.77", false},
	} {
		t.Run(name, func(t *testing.T) {
			rt := trace(c.facts, c.src, "10.9.0.9")
			require.Equal(t, c.guessed, len(rt.Guessed) == 1, "%+v", rt)
			if c.guessed {
				require.Equal(t, forward.BothUnknown, rt.Verdict)
			}
		})
	}
}

// TestASourceThatMayBeTheDevicesOwn: what comes in by an interface is not forwarded, or not permitted; what the device
// sends itself is not asked. Where its address there is not known it may be the source.
func TestASourceThatMayBeTheDevicesOwn(t *testing.T) {
	const r = "r: direct 10.1.0.0/24 dev lan\nr: direct 10.9.0.0/24 dev up\nr: addr 10.9.0.1/24 up\n"
	for name, c := range map[string]struct {
		facts string
		want  forward.Both
	}{
		"its address is not known":      {"r: forwarding ipv4 off", forward.BothUnknown},
		"another one is its own":        {"r: forwarding ipv4 off\nr: addr 10.1.0.1/24 lan", forward.Broken},
		"it is lost as it would go out": {"r: static 10.9.0.8/29 blackhole", forward.Broken},
		"one of the other family is":    {"r: forwarding ipv4 off\nr: addr fd61::1/64 lan", forward.BothUnknown},
		"it is lost further on": {"r: direct 10.5.0.0/30 dev mid\nr: addr 10.5.0.1/30 mid\nr: static 10.9.0.0/25 via 10.5.0.2 dev mid\n" +
			"s: direct 10.5.0.0/30 dev dn\ns: addr 10.5.0.2/30 dn\ns: direct 10.9.0.0/25 dev lan\ns: addr 10.9.0.2/25 lan\ns: forwarding ipv4 off", forward.Broken},
		"a source check, and none known": {"r: check lan strict\nr: static 10.1.0.8/29 via 10.9.0.7 dev up", forward.BothUnknown},
		"a source check, and one known":  {"r: check lan strict\nr: static 10.1.0.8/29 via 10.9.0.7 dev up\nr: addr 10.1.0.1/24 lan", forward.Broken},
	} {
		require.Equal(t, c.want, trace(r+c.facts, "10.1.0.9", "10.9.0.9").Verdict, name)
	}
	x := coretest.Build(r).Draft()
	x.SetPolicy("r", network.Policy{Flows: []network.FlowRule{{Chain: 1, Mark: route.Mark{File: 9, Off: 1, End: 2}}}})
	rt := forward.NewWalker(topology.Build(x.Freeze())).Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9"))
	require.Equal(t, forward.Filtered, rt.Forward.Verdict)
	require.Equal(t, forward.BothUnknown, rt.Verdict, "a filter for what it forwards")
}

// TestALooseCheckWithoutAnAddress: a kernel's loose check is a strict one on an interface that has no IPv4 address; fed
// by the measured behaviour of kernels.
func TestALooseCheckWithoutAnAddress(t *testing.T) {
	const facts = `
		a: direct 10.1.0.0/24 dev lan
		a: addr 10.1.0.1/24 lan
		a: direct 10.0.0.0/30 dev e1
		a: addr 10.0.0.1/30 e1
		a: direct fd00::/64 dev e0
		a: static 10.9.0.0/24 via 10.9.0.1 dev e0
		a: neigh 10.9.0.1 e0 alive
		z: direct fd00::/64 dev f0
		z: direct 10.9.0.0/24 dev lan
		z: addr 10.9.0.1/24 lan
		z: direct 10.0.0.0/30 dev f1
		z: addr 10.0.0.2/30 f1
`
	const listed, byOther, byThis = "z: addr 127.0.0.1/8 lo\n", "z: static 10.1.0.0/24 via 10.0.0.1 dev f1\n", "z: static 10.1.0.0/24 dev f0\n"
	loose := network.SourceCheck{Interface: "f0", Mode: network.CheckLoose, Combine: true, Mark: route.Mark{File: 9, Off: 1, End: 2}}
	apart := loose
	apart.Combine = false
	for name, c := range map[string]struct {
		more  string
		check network.SourceCheck
		want  forward.Verdict
	}{
		"the way back is another":        {listed + byOther, loose, forward.SourceCheck},
		"the way back is the same":       {listed + byThis, loose, forward.Arrives},
		"it has an address":              {listed + byOther + "z: addr 10.7.0.1/32 f0", loose, forward.Arrives},
		"it may have one":                {byOther, loose, forward.Arrives},
		"the check is no kernel's":       {listed + byOther, apart, forward.Arrives},
		"an address of the other family": {listed + byOther + "z: addr fd00::2/64 f0", loose, forward.SourceCheck},
	} {
		x := coretest.Build(facts + c.more).Draft()
		x.SetChecks("z", []network.SourceCheck{c.check})
		d := forward.NewWalker(topology.Build(x.Freeze())).Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9")).Forward
		require.Equal(t, c.want, d.Verdict, "%s: %+v", name, d)
	}
}
