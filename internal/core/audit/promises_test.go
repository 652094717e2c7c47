package audit

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

func auditorOf(text string) *auditor {
	return newAuditor(forward.NewWalker(topology.Build(coretest.Build(text))), route.IPv4)
}

// TestWeakDevicesAreNamed: what rests on a management walk alone is said.
func TestWeakDevicesAreNamed(t *testing.T) {
	r := Run(
		forward.NewWalker(
			topology.Build(coretest.Build("a: walk: direct 10.61.1.0/24 dev lan\nb: direct 10.61.2.0/24 dev lan")),
		),
		Options{Family: route.IPv4},
	)
	require.Equal(t, []string{"a"}, r.Families[0].Weak)
}

// TestFilteredHasARepair: what rules deny can be permitted, by the device that denies it.
func TestFilteredHasARepair(t *testing.T) {
	x := coretest.Build(coretest.OutAndBack).Draft()
	x.SetPolicy(
		"b",
		network.Policy{
			Flows: []network.FlowRule{
				{From: netip.MustParsePrefix("10.61.1.0/24"), Mark: route.Mark{File: 1, Off: 1, End: 2}},
				{Permit: true},
			},
		},
	)
	r := Run(forward.NewWalker(topology.Build(x.Freeze())), Options{})
	require.Equal(t, []Repair{{Kind: PermitFlow, Device: "b"}}, r.Findings[0].Repair)
}

// TestTheNetworkThatIsDown is the longest that holds the address, the first attachment of the case included.
func TestTheNetworkThatIsDown(t *testing.T) {
	a := auditorOf(
		"a: addr 10.61.1.1/24 e0\na: link e0 down\na: addr 10.61.0.1/16 e1\na: link e1 down\nb: direct 10.9.0.0/24 dev x",
	)
	p, cause := a.downAt(netip.MustParseAddr("10.61.1.9"))
	require.Equal(t, "10.61.1.0/24", p.String())
	require.GreaterOrEqual(t, cause, int32(0))
	p, _ = a.downAt(netip.MustParseAddr("10.61.7.9"))
	require.Equal(t, "10.61.0.0/16", p.String())
	_, cause = a.downAt(netip.MustParseAddr("10.77.7.9"))
	require.Equal(t, int32(-1), cause)
}

// TestMembersOfANetwork are its hosts, not its devices' own addresses beside them.
func TestMembersOfANetwork(t *testing.T) {
	a := auditorOf(coretest.OutAndBack)
	a.run(func(int) {}, untold)
	for _, i := range a.members(netip.MustParsePrefix("10.61.1.0/24")) {
		require.Nil(t, a.groups[i].owner)
	}
}

// TestHostCells: a pair that works ends nowhere; one that does not says where.
func TestHostCells(t *testing.T) {
	x := coretest.Build(coretest.OutAndBack + "\nb: static 10.77.0.0/16 blackhole").Draft()
	x.SetHosts(
		[]network.Host{
			{Name: "one", Address: netip.MustParseAddr("10.61.1.9")},
			{Name: "two", Address: netip.MustParseAddr("10.61.2.9")},
		},
	)
	a := newAuditor(forward.NewWalker(topology.Build(x.Freeze())), route.IPv4)
	m := a.hostMatrix()
	require.Len(t, m.Cells, 2)
	require.Equal(t, forward.TwoWay, m.Cells[0][1].Verdict)
	require.Empty(t, m.Cells[0][1].Device)
	lost := a.hostCell(m.Ends[0], MatrixEnd{Address: netip.MustParseAddr("10.77.0.1")})
	require.NotEqual(t, forward.TwoWay, lost.Verdict)
	require.NotEmpty(t, lost.Device)
}

// untold tells nobody how many pairs were judged.
func untold(int) func(int) { return func(int) {} }
