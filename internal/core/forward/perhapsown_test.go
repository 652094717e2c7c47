package forward_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/topology"
)

// TestAnAddressThatAKernelMayHave: it keeps single addresses out of the table that it forwards by.
func TestAnAddressThatAKernelMayHave(t *testing.T) {
	const base = `
		a: kernel: direct 10.1.0.0/24 dev lan
		a: addr 10.1.0.1/24 lan
		a: kernel: direct 10.0.1.0/30 dev up
		a: addr 10.0.1.1/30 up
		b: kernel: direct 10.0.1.0/30 dev u0
		b: addr 10.0.1.2/30 u0
`
	for name, tt := range map[string]struct {
		more string
		want forward.Verdict
	}{
		"nothing leads on":        {"a: kernel: static 10.99.0.1/32 via 10.0.1.2 dev up", forward.Unknown},
		"a shorter one back":      {"a: kernel: static 10.99.0.1/32 via 10.0.1.2 dev up\nb: kernel: static 0.0.0.0/0 via 10.0.1.1 dev u0", forward.Unknown},
		"a network leads there":   {"a: kernel: static 10.99.0.0/24 via 10.0.1.2 dev up", forward.NoRoute},
		"it knows it itself":      {"a: kernel: static 10.99.0.1/32 via 10.0.1.2 dev up\nb: kernel: static 10.99.0.1/32 via 10.0.1.1 dev u0", forward.Loops},
		"its addresses are known": {"a: kernel: static 10.99.0.1/32 via 10.0.1.2 dev up\nb: addr 127.0.0.1/8 lo", forward.NoRoute},
		"its own are shown":       {"a: kernel: static 10.99.0.1/32 via 10.0.1.2 dev up\nb: kernel: local 10.0.1.2/32 dev u0", forward.NoRoute},
		"a routing table":         {"a: kernel: static 10.99.0.1/32 via 10.0.1.2 dev up\nb: static 10.5.0.0/24 via 10.0.1.1 dev u0", forward.NoRoute},
		"what discards":           {"a: kernel: static 10.99.0.1/32 via 10.0.1.2 dev up\nb: kernel: static 10.0.0.0/8 blackhole", forward.Unknown},
		"what refuses":            {"a: kernel: static 10.99.0.1/32 via 10.0.1.2 dev up\nb: kernel: static 10.0.0.0/8 unreachable", forward.Unknown},
		"its own of IPv6":         {"a: kernel: static 10.99.0.1/32 via 10.0.1.2 dev up\nb: kernel: local fd6b::1/128 dev u0", forward.Unknown},
		"somebody else has it":    {"a: kernel: static 10.99.0.1/32 via 10.0.1.2 dev up\nc: addr 10.99.0.1/32 lo", forward.NoRoute},
	} {
		rt := trace(base+tt.more, "10.1.0.9", "10.99.0.1")
		require.Equal(t, tt.want, rt.Forward.Verdict, name)
	}
	x := coretest.Build(base + "a: kernel: static 10.99.0.1/32 via 10.0.1.2 dev up").Draft()
	x.SetPolicy("b", network.Policy{Translations: []network.Translation{{Destination: true, To: netip.MustParsePrefix("10.99.0.1/32"),
		Becomes: netip.MustParseAddr("10.98.0.1")}}})
	rt := forward.NewWalker(topology.Build(x.Freeze())).Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.99.0.1"))
	require.Equal(t, forward.NoRoute, rt.Forward.Verdict, "it makes another address of it")
	b := network.Builder{Hosts: []network.Host{{Name: "till", Address: netip.MustParseAddr("10.99.0.1")}}}
	b.Add("a", coretest.Facts("kernel: direct 10.1.0.0/24 dev lan\naddr 10.1.0.1/24 lan\nkernel: direct 10.0.1.0/30 dev up\naddr 10.0.1.1/30 up\n"+
		"kernel: static 10.99.0.1/32 via 10.0.1.2 dev up", 1), 0)
	b.Add("b", coretest.Facts("kernel: direct 10.0.1.0/30 dev u0\naddr 10.0.1.2/30 u0", 2), 0)
	rt = forward.NewWalker(topology.Build(b.Build())).Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.99.0.1"))
	require.Equal(t, forward.NoRoute, rt.Forward.Verdict, "a host of the notes has it")
	six := trace("a: kernel: direct fd6b:1::/64 dev lan\na: addr fd6b:1::1/64 lan\na: kernel: direct fd6b:2::/64 dev up\na: addr fd6b:2::1/64 up\n"+
		"a: kernel: static fd6b:9::1/128 via fd6b:2::2 dev up\nb: kernel: direct fd6b:2::/64 dev u0\nb: addr fd6b:2::2/64 u0", "fd6b:1::9", "fd6b:9::1")
	require.Equal(t, forward.NoRoute, six.Forward.Verdict, "IPv6 addresses are in the main table")
}
