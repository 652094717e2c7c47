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

// joined is two lans that a tunnel joins, over p; its ends are addresses of the links to p.
const joined = `
	a: direct 10.1.0.0/24 dev lan
	a: addr 10.1.0.1/24 lan
	a: direct 10.0.1.0/30 dev up
	a: addr 10.0.1.2/30 up
	a: direct 10.5.0.0/30 dev tun
	a: addr 10.5.0.1/30 tun
	a: static 0.0.0.0/0 via 10.0.1.1 dev up
	a: static 10.9.0.0/24 via 10.5.0.2 dev tun
	a: tunnel tun from 10.0.1.2 to 10.0.2.2
	p: direct 10.0.1.0/30 dev p1
	p: addr 10.0.1.1/30 p1
	p: direct 10.0.2.0/30 dev p2
	p: addr 10.0.2.1/30 p2
	z: direct 10.9.0.0/24 dev lan
	z: addr 10.9.0.1/24 lan
	z: direct 10.0.2.0/30 dev up
	z: addr 10.0.2.2/30 up
	z: direct 10.5.0.0/30 dev tun
	z: addr 10.5.0.2/30 tun
	z: static 0.0.0.0/0 via 10.0.2.1 dev up
	z: static 10.1.0.0/24 dev tun
	z: tunnel tun from 10.0.2.2 to 10.0.1.2
`

// TestTunnels: what goes in comes out where the packet outside arrives, at a tunnel that leads back.
func TestTunnels(t *testing.T) {
	for name, c := range map[string]struct {
		gone, put string
		want      forward.Both
		code      string // why the packet, or else the reply, does not arrive
	}{
		"as it is":                           {"", "", forward.TwoWay, ""},
		"the packet outside is lost":         {"z: tunnel", "z: tunnel tun from 10.0.2.2 to 10.0.7.2", forward.Broken, "tunnel-other-ends"},
		"outside it is discarded on the way": {"", "p: static 10.0.2.2/32 blackhole", forward.Broken, "tunnel-fails"},
		"and the reply's":                    {"", "p: static 10.0.1.2/32 blackhole", forward.OneWay, "tunnel-fails"},
		"through itself":                     {"", "a: static 10.0.2.2/32 dev tun", forward.Broken, "tunnel-in-itself"},
		"the other end is down":              {"", "z: link tun down", forward.Broken, "owner-down"},
		"and no next hop inside tells":       {"a: static 10.9", "a: static 10.9.0.0/24 dev tun\nz: link tun down", forward.Broken, "tunnel-end-down"},
		"no next hop inside is needed":       {"a: static 10.9", "a: static 10.9.0.0/24 dev tun", forward.TwoWay, ""},
		"nor is it looked at":                {"a: static 10.9", "a: static 10.9.0.0/24 via 10.1.0.77 dev tun", forward.TwoWay, ""},
		"keys differ":                        {"z: tunnel", "z: tunnel tun from 10.0.2.2 to 10.0.1.2 key 8", forward.TwoWay, ""},
		"where it leads is not told":         {"a: tunnel", "a: tunnel tun from 10.0.1.2 to somewhere", forward.BothUnknown, "tunnel-untold"},
		"for many":                           {"a: tunnel", "a: tunnel tun from 10.0.1.2 to many", forward.TwoWay, ""},
		"the other end was not captured":     {"z: tunnel", "", forward.BothUnknown, "interface-only"},
		"another device has the other end":   {"a: tunnel", "a: tunnel tun from 10.0.1.2 to 10.0.1.1", forward.BothUnknown, "tunnel-elsewhere"},
		"in another table, which has no way": {"a: tunnel", "a: tunnel tun from 10.0.1.2 to 10.0.2.2 table red\na: static 10.7.0.0/24 blackhole in red", forward.Broken, "tunnel-fails"},
		"two between the same ends": {"", "z: direct 10.5.1.0/30 dev again\nz: addr 10.5.1.2/30 again\nz: tunnel again from 10.0.2.2 to 10.0.1.2\nz: check again strict",
			forward.TwoWay, ""},
		"beyond the captures": {"p: ", "", forward.BothUnknown, "tunnel-fails"},
		"beyond them, and a session over it is up": {"p: ", "a: session 10.5.0.2 tun up\nz: session 10.5.0.1 tun up",
			forward.TwoWay, ""},
		"beyond them, and a session over it is down": {"p: ", "a: session 10.5.0.2 tun down\nz: session 10.5.0.1 tun down", forward.BothUnknown, "tunnel-fails"},
		"beyond them, and a route was learned over it": {"p: |a: static 10.9|z: static 10.1",
			"a: ospf 10.9.0.0/24 via 10.5.0.2 dev tun\nz: ospf 10.1.0.0/24 via 10.5.0.1 dev tun", forward.TwoWay, ""},
		"beyond them, by agreement": {"p: |a: tunnel|z: tunnel", "a: tunnel tun from 10.0.1.2 to 10.0.2.2 proto esp\n" +
			"z: tunnel tun from 10.0.2.2 to 10.0.1.2 proto esp\na: link tun up\nz: link tun up", forward.TwoWay, ""},
	} {
		t.Run(name, func(t *testing.T) {
			var lines []string
			for line := range strings.Lines(joined) {
				drop := false
				for gone := range strings.SplitSeq(c.gone, "|") {
					drop = drop || gone != "" && strings.HasPrefix(strings.TrimSpace(line), gone)
				}
				if !drop {
					lines = append(lines, line)
				}
			}
			rt := trace(strings.Join(lines, "")+c.put, "10.1.0.9", "10.9.0.9")
			require.Equal(t, c.want, rt.Verdict, "%+v\n%+v", rt.Forward, rt.Return)
			worst, _ := rt.Forward.Worst()
			if worst.Verdict == forward.Arrives && rt.Verdict != forward.TwoWay {
				worst, _ = rt.Return.Worst()
			}
			if c.code != "" {
				require.Equal(t, c.code, worst.Reason.Code.String())
			}
		})
	}
	keyed := strings.NewReplacer("to 10.0.2.2", "to 10.0.2.2 key 7", "to 10.0.1.2", "to 10.0.1.2 key 8").Replace(joined)
	require.Equal(t, forward.Broken, trace(keyed, "10.1.0.9", "10.9.0.9").Verdict, "keys differ")
	beside := trace(joined, "10.1.0.9", "10.5.0.3")
	spare, _ := beside.Forward.Worst()
	require.Equal(t, "nobody-has-it", spare.Reason.Code.String(), "an address of the tunnel's network that neither end has")
	own := strings.Replace(joined, "z: static 10.1.0.0/24 dev tun", "z: static 10.1.0.0/24 via 10.5.0.2 dev tun", 1)
	require.Equal(t, forward.TwoWay, trace(own, "10.1.0.9", "10.9.0.9").Verdict, "the device's own address is no next hop")

	sealed := strings.NewReplacer("to 10.0.2.2", "to 10.0.2.2 proto esp").Replace(joined)
	for _, text := range []string{joined, sealed} {
		x := coretest.Build(text).Draft()
		x.SetPolicy("p", network.Policy{Flows: []network.FlowRule{{Protocol: "udp", Permit: true}}})
		w := forward.NewWalker(topology.Build(x.Freeze()))
		got := w.Trace(netip.MustParseAddr("10.1.0.9"), netip.MustParseAddr("10.9.0.9")).Verdict
		require.Equal(t, forward.BothUnknown, got, "what is not told, or agreed on, may be let through as UDP")
	}
}

// TestHostsSendToWhatTheirRoutersShare: which router a host asks hangs on who has the virtual address of its network.
func TestHostsSendToWhatTheirRoutersShare(t *testing.T) {
	const two = `
		a: direct 10.1.0.0/24 dev lan
		a: addr 10.1.0.2/24 lan
		a: direct 10.0.0.0/29 dev up
		a: addr 10.0.0.2/29 up
		a: static 10.9.0.0/24 via 10.0.0.1 dev up
		b: direct 10.1.0.0/24 dev lan
		b: addr 10.1.0.3/24 lan
		b: static 10.7.0.0/24 via 10.1.0.2 dev lan
		z: direct 10.0.0.0/29 dev down
		z: addr 10.0.0.1/29 down
		z: direct 10.9.0.0/24 dev lan
		z: addr 10.9.0.1/24 lan
		z: static 10.1.0.0/24 via 10.0.0.2 dev down
`
	for name, c := range map[string]struct {
		put  string
		want forward.Both
	}{
		"nothing is shared: each is asked":                {"", forward.Broken},
		"who knows the way has it":                        {"a: virtual 10.1.0.1 lan holds\nb: virtual 10.1.0.1 lan waits", forward.TwoWay},
		"who does not":                                    {"b: virtual 10.1.0.1 lan holds\na: virtual 10.1.0.1 lan waits", forward.Broken},
		"either":                                          {"b: virtual 10.1.0.1 lan unknown\na: virtual 10.1.0.1 lan unknown", forward.BothUnknown},
		"both say so":                                     {"b: virtual 10.1.0.1 lan holds\na: virtual 10.1.0.1 lan holds", forward.BothUnknown},
		"either, and both know the way":                   {"b: virtual 10.1.0.1 lan unknown\na: virtual 10.1.0.1 lan unknown\nb: static 10.9.0.0/24 via 10.1.0.2 dev lan", forward.TwoWay},
		"one that was not captured":                       {"b: virtual 10.1.0.1 lan waits", forward.BothUnknown},
		"the one that is captured, or not":                {"b: virtual 10.1.0.1 lan unknown", forward.BothUnknown},
		"the same, and it knows the way":                  {"a: virtual 10.1.0.1 lan unknown", forward.TwoWay},
		"two are shared, one by each":                     {"a: virtual 10.1.0.1 lan holds\nb: virtual 10.1.0.4 lan holds", forward.Broken},
		"one has it as its own":                           {"a: addr 10.1.0.1/24 lan\nb: virtual 10.1.0.1 lan waits", forward.TwoWay},
		"who has it knows the way, and either may get it": {"a: virtual 10.1.0.1 lan holds paired\nb: virtual 10.1.0.1 lan waits", forward.BothUnknown},
		"one of another network":                          {"b: virtual 10.7.0.1 lan holds", forward.Broken},
		"of the other family":                             {"a: virtual fe80::1 lan holds", forward.Broken},
		"who has it does not forward, nobody else's":      {"a: virtual 10.1.0.1 lan holds\nb: forwarding ipv4 off", forward.TwoWay},
	} {
		t.Run(name, func(t *testing.T) {
			rt := trace(two+c.put, "10.1.0.9", "10.9.0.9")
			require.Equal(t, c.want, rt.Verdict, "%+v", rt.Forward)
			if strings.Contains(c.put, "a: virtual 10.1.0.1 lan holds\n") {
				asked := trace(two+c.put, "10.9.0.9", "10.1.0.1")
				at, _ := asked.Forward.Worst()
				require.Equal(t, forward.ToDevice, at.Delivery, "the router that has it answers")
				asked = trace(two+c.put, "10.1.0.3", "10.1.0.1")
				at, _ = asked.Forward.Worst()
				require.Equal(t, "a", at.Where, "and no other one")
			}
			require.True(t, rt.Verdict != forward.TwoWay || len(rt.Shared) == 1, "it is said aloud")
		})
	}
}
