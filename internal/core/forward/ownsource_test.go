package forward_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/topology"
)

// twoTables is a device with a main table and one of its own, in which another device hands back what it sends.
const twoTables = `a: direct 10.0.1.0/24 dev e0
a: addr 10.0.1.1/24 e0
a: direct 10.0.2.0/24 dev e1 in blue
a: addr 10.0.2.1/24 e1
a: direct 10.5.0.0/24 dev lan in blue
a: addr 10.5.0.1/24 lan
a: static 10.5.0.0/24 via 10.0.1.2 dev e0
a: static 10.0.1.0/24 via 10.0.2.2 dev e1 in blue
b: direct 10.0.1.0/24 dev f0
b: addr 10.0.1.2/24 f0
b: direct 10.0.2.0/24 dev f1
b: addr 10.0.2.2/24 f1
b: static 10.5.0.0/24 via 10.0.2.1 dev f1
`

// TestAnOwnSourceIsOneOfTheSameTable: what a device sends comes back to it by an interface of another table, where the
// source is anybody's.
func TestAnOwnSourceIsOneOfTheSameTable(t *testing.T) {
	rt := trace(twoTables, "10.0.1.1", "10.5.0.9")
	require.Equal(t, forward.TwoWay, rt.Verdict)
	require.Equal(t, forward.TwoWay, trace(twoTables, "10.5.0.9", "10.0.1.1").Verdict)

	rt = trace(twoTables+"a: rule 100 from 10.9.0.0/16 table 7\na: rule 32766 table default\n", "10.0.1.1", "10.5.0.9")
	require.Equal(t, forward.Broken, rt.Verdict, "a kernel asks its local table first, for each interface")
	require.Equal(t, forward.Loops, rt.Forward.Verdict)
}

// TestADeducedOwnerHasItsAddressInOneTable: what is looked up in another one goes on.
func TestADeducedOwnerHasItsAddressInOneTable(t *testing.T) {
	const in = `a: direct 10.0.1.0/30 dev e1 in blue
a: direct 10.5.0.0/24 dev lan
a: addr 10.5.0.1/24 lan
a: direct 10.6.0.0/24 dev yard in blue
a: addr 10.6.0.1/24 yard
b: direct 10.0.1.0/30 dev f1
b: addr 10.0.1.2/30 f1
b: static 10.6.0.0/24 via 10.0.1.1 dev f1
`
	rt := trace(in, "10.6.0.9", "10.0.1.1")
	require.Equal(t, forward.TwoWay, rt.Verdict)
	rt = trace(in, "10.5.0.9", "10.0.1.1")
	require.Equal(t, forward.NoRoute, rt.Forward.Verdict)
}

// TestAnOwnSourceBehindRules: a kernel whose rules are asked before its local table asks that of the VRF alone.
func TestAnOwnSourceBehindRules(t *testing.T) {
	var b network.Builder
	for _, d := range []string{"a", "b"} {
		own := ""
		for line := range strings.Lines(twoTables) {
			if rest, is := strings.CutPrefix(line, d+": "); is {
				own += rest
			}
		}
		f := coretest.Facts(own, 1)
		if d == "a" {
			f.Rules = []network.Rule{{Priority: 10, BeforeOwn: true, From: netip.MustParsePrefix("10.9.0.0/16"), Table: "7",
				Mark: mark(50)}, {Priority: 32766, Table: "default"}}
		}
		b.Add(d, f, 0)
	}
	walker := forward.NewWalker(topology.Build(b.Build()))
	rt := walker.Trace(netip.MustParseAddr("10.0.1.1"), netip.MustParseAddr("10.5.0.9"))
	require.Equal(t, forward.Arrives, rt.Forward.Verdict)
}

// TestAnOwnSourceOfIPv6 is no reason to drop a packet.
func TestAnOwnSourceOfIPv6(t *testing.T) {
	const in = `a: direct NET1::/64 dev e0
a: addr NET1::1/64 e0
a: static NET5::/64 via NET1::2 dev e0
a: kernel: direct NET5::/64 dev lan in 7
a: addr NET5::1/64 lan
a: rule 100 iif e0 table 7
a: rule 32766 table default
b: direct NET1::/64 dev f0
b: addr NET1::2/64 f0
b: static NET5::/64 via NET1::1 dev f0
`
	rt := trace(strings.ReplaceAll(in, "NET", "fd00:"), "fd00:1::1", "fd00:5::9")
	require.Equal(t, forward.Arrives, rt.Forward.Verdict)
	four := strings.NewReplacer("NET1::/64", "10.1.0.0/24", "NET5::/64", "10.5.0.0/24", "/64", "/24", "NET1::", "10.1.0.",
		"NET5::", "10.5.0.").Replace(in)
	require.NotEqual(t, forward.Arrives, trace(four, "10.1.0.1", "10.5.0.9").Forward.Verdict)
}

// TestAnAddressWithoutAnInterface starts in the table that has it.
func TestAnAddressWithoutAnInterface(t *testing.T) {
	rt := trace("a: direct 10.1.0.0/24 dev e0 in red\na: addr 10.1.0.1/24 e0\na: local 10.9.9.1/32 receive in red\n"+
		"a: direct 10.2.0.0/24 dev e1\na: addr 10.2.0.1/24 e1", "10.9.9.1", "10.1.0.9")
	require.Equal(t, forward.Arrives, rt.Forward.Verdict)
}

// TestTheFarEndThatMustBeACapturedDevice sends by that device's own table.
func TestTheFarEndThatMustBeACapturedDevice(t *testing.T) {
	const in = `a: direct 10.0.0.0/30 dev e0
a: addr 10.0.0.1/30 e0
a: direct fd00::/64 dev e0
a: addr fd00::1/64 e0
a: static fd00:9::/64 via fd00::2 dev e0
a: direct fd00:5::/64 dev lan
a: addr fd00:5::1/64 lan
b: direct 10.0.0.0/30 dev f0
b: addr 10.0.0.2/30 f0
`
	rt := trace(in, "fd00::2", "fd00:5::9")
	require.Equal(t, forward.Unknown, rt.Forward.Verdict)
	require.Equal(t, "b", rt.Forward.Branches[0].Where)
	require.Empty(t, rt.Guessed)
}
