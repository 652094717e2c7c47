package forward_test

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
)

// three is a chain: lan 10.1 - a - b - c - lan 10.3, with full routes.
const three = `
	a: direct 10.1.0.0/24 dev lan
	a: addr 10.1.0.1/24 lan
	a: direct 10.0.1.0/30 dev e0
	a: addr 10.0.1.1/30 e0
	a: static 10.3.0.0/24 via 10.0.1.2 dev e0
	b: direct 10.0.1.0/30 dev f0
	b: addr 10.0.1.2/30 f0
	b: direct 10.0.2.0/30 dev f1
	b: addr 10.0.2.1/30 f1
	b: static 10.3.0.0/24 via 10.0.2.2
	b: static 10.1.0.0/24 via 10.0.1.1 dev f0
	c: direct 10.0.2.0/30 dev g0
	c: addr 10.0.2.2/30 g0
	c: direct 10.3.0.0/24 dev lan
	c: addr 10.3.0.1/24 lan
`

const threeBack = "c: static 10.1.0.0/24 via 10.0.2.1 dev g0\n"

func trace(in, src, dst string) forward.RoundTrip {
	w := forward.NewWalker(topology.Build(coretest.Build(in)))
	return w.Trace(netip.MustParseAddr(src), netip.MustParseAddr(dst))
}

// word writes a direction: its branches with path, verdict and place.
func word(d *forward.Direction) string {
	if d == nil {
		return "none"
	}
	var out []string
	for _, b := range d.Branches {
		var path []string
		for _, h := range b.Hops {
			path = append(path, h.Device)
		}
		s := strings.Join(path, ">") + " " + b.Verdict.String()
		if b.Delivery != forward.NotDelivered {
			s += " " + b.Delivery.String()
		}
		out = append(out, s)
	}
	return strings.Join(out, ", ")
}

func TestTrace(t *testing.T) {
	for _, tt := range []struct {
		name, in, src, dst, both, out, back string
	}{
		{"there and back, the hosts unseen", three + threeBack, "10.1.0.9", "10.3.0.9", "two-way", "a>b>c arrives attached-network", "c>b>a arrives attached-network"},
		{"there and back, both hosts seen", three + threeBack + "c: neigh 10.3.0.9 lan alive\na: neigh 10.1.0.9 lan alive", "10.1.0.9", "10.3.0.9", "two-way", "a>b>c arrives neighbour", "c>b>a arrives neighbour"},
		{"the destination did not answer", three + threeBack + "c: neigh 10.3.0.9 lan failed", "10.1.0.9", "10.3.0.9", "broken", "a>b>c next-hop-lost", "c>b>a arrives attached-network"},
		{"a device's own address", three + threeBack, "10.1.0.9", "10.3.0.1", "two-way", "a>b>c arrives device", "c>b>a arrives attached-network"},
		{"a device as source", three + threeBack, "10.1.0.1", "10.3.0.1", "two-way", "a>b>c arrives device", "c>b>a arrives device"},
		{"the return route is missing", three, "10.1.0.9", "10.3.0.9", "one-way", "a>b>c arrives attached-network", "c no-route"},
		{"no route out, the way back is shown all the same", three + threeBack, "10.1.0.9", "10.0.2.2", "broken", "a no-route", "c>b>a arrives attached-network"},
		{"a loop of two", "a: direct 10.1.0.0/24 dev lan\na: direct 10.0.1.0/30 dev e0\na: addr 10.0.1.1/30 e0\na: static 10.9.0.0/16 via 10.0.1.2 dev e0\nb: direct 10.0.1.0/30 dev f0\nb: addr 10.0.1.2/30 f0\nb: static 10.9.0.0/16 via 10.0.1.1 dev f0",
			"10.1.0.9", "10.9.0.1", "broken", "a>b>a loops", "none"},
		{"discarded", three + threeBack + "b: static 10.3.0.0/28 blackhole", "10.1.0.9", "10.3.0.9", "broken", "a>b discarded", "c>b>a arrives attached-network"},
		{"refused", three + threeBack + "b: static 10.3.0.0/28 prohibit", "10.1.0.9", "10.3.0.9", "broken", "a>b refused", "c>b>a arrives attached-network"},
		{"forwarding is off on the way, not at the source", three + threeBack + "b: forwarding ipv4 off", "10.1.0.9", "10.3.0.9", "broken", "a>b not-forwarding", "c>b not-forwarding"},
		{"forwarding is off where the destination may be an own address", three + "b: forwarding ipv4 off\nb: direct 10.7.0.0/24 dev f7\na: static 10.7.0.0/24 via 10.0.1.2 dev e0", "10.1.0.9", "10.7.0.1", "unknown", "a>b unknown", "b not-forwarding"},
		{"the same, and another device is known to have it", three + "b: forwarding ipv4 off\nb: direct 10.7.0.0/24 dev f7\nd: direct 10.7.0.0/24 dev d0\nd: addr 10.7.0.1/24 d0\na: static 10.7.0.0/24 via 10.0.1.2 dev e0", "10.1.0.9", "10.7.0.1", "broken", "a>b not-forwarding", "d no-route"},
		{"the same, and a list of its addresses has no such", three + "b: forwarding ipv4 off\nb: direct 10.7.0.0/24 dev f7\nb: addr 127.0.0.1/8 lo\na: static 10.7.0.0/24 via 10.0.1.2 dev e0", "10.1.0.9", "10.7.0.1", "broken", "a>b not-forwarding", "b not-forwarding"},
		{"the neighbour entry names nobody's link-layer address", three + threeBack + "b: link f0 up 02:00:00:00:00:0b\na: neigh 10.0.1.2 e0 alive 02:00:00:00:de:ad", "10.1.0.9", "10.3.0.9", "unknown", "a unknown", "c>b>a arrives attached-network"},
		{"it names the owner's", three + threeBack + "b: link f0 up 02:00:00:00:00:0b\na: neigh 10.0.1.2 e0 alive 02:00:00:00:00:0b", "10.1.0.9", "10.3.0.9", "two-way", "a>b>c arrives attached-network", "c>b>a arrives attached-network"},
		{"it names another interface of the owner", three + threeBack + "b: link f0 up 02:00:00:00:00:0b\nb: link f1 up 02:00:00:00:00:1b\na: neigh 10.0.1.2 e0 alive 02:00:00:00:00:1b", "10.1.0.9", "10.3.0.9", "two-way", "a>b>c arrives attached-network", "c>b>a arrives attached-network"},
		{"it names a virtual router's (RFC 9568)", three + threeBack + "b: link f0 up 02:00:00:00:00:0b\na: neigh 10.0.1.2 e0 alive 00:00:5e:00:01:07", "10.1.0.9", "10.3.0.9", "two-way", "a>b>c arrives attached-network", "c>b>a arrives attached-network"},
		{"it names another captured device's on the link, which looks it up", three + threeBack + "b: link f0 up 02:00:00:00:00:0b\nd: direct 10.0.1.0/30 dev h0\nd: addr 10.0.1.3/30 h0\nd: link h0 up 02:00:00:00:00:0d\na: neigh 10.0.1.2 e0 alive 02:00:00:00:00:0d", "10.1.0.9", "10.3.0.9", "broken", "a>d no-route", "c>b>a arrives attached-network"},
		{"a host that only its neighbour's entry shows", "a: direct 10.1.0.0/24 dev lan\na: addr 10.1.0.7/24 lan\na: neigh 10.1.0.1 lan alive 02:00:00:00:00:0b\na: link lan up 02:00:00:00:00:0a\nb: link f0 up 02:00:00:00:00:0b", "10.1.0.1", "10.1.0.7", "two-way", "a arrives device", "a>b arrives device"},
		{"the other end asks for no link-layer addresses", three + threeBack + "b: link f0 up 02:00:00:00:00:0b mute", "10.1.0.9", "10.3.0.9", "unknown", "a unknown", "c>b unknown"},
		{"somebody wrote its own down", three + threeBack + "b: link f0 up 02:00:00:00:00:0b mute\na: neigh 10.0.1.2 e0 alive 02:00:00:00:00:0b", "10.1.0.9", "10.3.0.9", "unknown", "a>b>c arrives attached-network", "c>b unknown"},
		{"a router that does not forward still sends its own", three + threeBack + "a: forwarding ipv4 off", "10.1.0.1", "10.3.0.1", "two-way", "a>b>c arrives device", "c>b>a arrives device"},
		{"the next hop's interface is down", three + threeBack + "c: link g0 down", "10.1.0.9", "10.3.0.9", "broken", "a>b next-hop-lost", "c next-hop-lost"},
		{"an address on a dead interface still answers when reached another way", three + threeBack + "c: addr 10.4.0.1/24 dead\nc: link dead down\na: static 10.4.0.0/24 via 10.0.1.2 dev e0\nb: static 10.4.0.0/24 via 10.0.2.2",
			"10.1.0.9", "10.4.0.1", "two-way", "a>b>c arrives device", "c>b>a arrives attached-network"},
		{"the next hop cannot be resolved", three + threeBack + "b: static 10.3.0.0/28 via 10.77.0.1", "10.1.0.9", "10.3.0.9", "broken", "a>b next-hop-lost", "c>b>a arrives attached-network"},
		{"a static next hop on a shared link that no capture shows", three + "a: static 0.0.0.0/0 via 10.1.0.254 dev lan", "10.1.0.9", "8.8.8.8", "unknown", "a unknown", "none"},
		{"the same, and it failed to answer", three + "a: static 0.0.0.0/0 via 10.1.0.254 dev lan\na: neigh 10.1.0.254 lan failed", "10.1.0.9", "8.8.8.8", "broken", "a next-hop-lost", "none"},
		{"the same, and it answers: the packet leaves; its reply is assumed to come in there", three + "a: static 0.0.0.0/0 via 10.1.0.254 dev lan\na: neigh 10.1.0.254 lan alive", "10.1.0.9", "8.8.8.8", "unknown", "a leaves", "a arrives attached-network"},
		{"a link for two with nobody captured at the other end", three + "a: direct 10.8.0.0/30 dev up\na: addr 10.8.0.1/30 up\na: static 0.0.0.0/0 via 10.8.0.2 dev up", "10.1.0.9", "8.8.8.8", "unknown", "a leaves", "a arrives attached-network"},
		{"no table of the family", three, "fd00::1", "fd00::2", "unknown", " unknown", "none"},
		{"a table that ends in the middle", three + threeBack + "b: cut", "10.1.0.9", "10.3.0.9", "unknown", "a>b unknown", "c>b unknown"},
		{"one of two equal ways is a dead end", three + threeBack + "a: ospf 10.3.0.0/28 via 10.0.1.2 dev e0 via 10.0.5.2 dev e5\na: direct 10.0.5.0/30 dev e5\na: addr 10.0.5.1/30 e5\nd: direct 10.0.5.0/30 dev h0\nd: addr 10.0.5.2/30 h0",
			"10.1.0.9", "10.3.0.9", "broken", "a>b>c arrives attached-network, a>d no-route", "c>b>a arrives attached-network"},
		{"one network needs no router", three, "10.1.0.9", "10.1.0.8", "two-way", " arrives attached-network", " arrives attached-network"},
		{"a host and its router", three, "10.1.0.9", "10.1.0.1", "two-way", "a arrives device", "a arrives attached-network"},
		{"the reply goes to another holder of the address", three + "c: static 10.1.0.0/24 via 10.0.6.2 dev g6\nc: direct 10.0.6.0/30 dev g6\nc: addr 10.0.6.1/30 g6\nd: direct 10.0.6.0/30 dev h0\nd: addr 10.0.6.2/30 h0\nd: direct 10.1.0.0/24 dev h1\nd: addr 10.1.0.1/24 h1\nd: static 10.3.0.0/24 via 10.0.6.1 dev h0",
			"10.1.0.1", "10.3.0.1", "one-way", "a>b>c arrives device, d>c arrives device", "c>d next-hop-lost"},
		{"several routers on the source's network are traced apart", three + threeBack + "z: direct 10.1.0.0/24 dev lan\nz: addr 10.1.0.2/24 lan\nz: static 10.7.0.0/24 via 10.1.0.1 dev lan", "10.1.0.9", "10.3.0.9", "broken", "a>b>c arrives attached-network, z no-route", "c>b>a arrives attached-network"},
		{"a host among them is perhaps asked by nobody", three + threeBack + "z: direct 10.1.0.0/24 dev lan\nz: addr 10.1.0.2/24 lan", "10.1.0.9", "10.3.0.9", "unknown", "a>b>c arrives attached-network, z no-route", "c>b>a arrives attached-network"},
		{"a host among them, and the router has no way", "a: direct 10.1.0.0/24 dev lan\na: direct 10.2.0.0/24 dev up\nz: direct 10.1.0.0/24 dev lan\nz: addr 10.1.0.2/24 lan", "10.1.0.9", "10.3.0.9", "broken", "a no-route, z no-route", "none"},
		{"an interface of another table is looked up there", three + threeBack + "a: direct 10.5.0.0/24 dev y0 in yard\na: addr 10.5.0.1/24 y0\na: static 10.3.0.0/24 blackhole in yard", "10.5.0.9", "10.3.0.9", "broken", "a discarded", "c no-route"},
		{"the own address of another table is not delivered to", three + threeBack + "a: direct 10.5.0.0/24 dev y0 in yard\na: addr 10.5.0.1/24 y0", "10.5.0.9", "10.1.0.1", "broken", "a no-route", "a no-route"},
		{"a route into another table is followed there", three + threeBack + "a: static 10.3.0.0/28 table yard\na: static 10.3.0.0/28 via 10.0.1.2 dev e0 in yard", "10.1.0.9", "10.3.0.9", "two-way", "a>b>c arrives attached-network", "c>b>a arrives attached-network"},
		{"a route into a table that was not captured", three + threeBack + "a: static 10.3.0.0/28 table yard", "10.1.0.9", "10.3.0.9", "unknown", "a unknown", "c>b>a arrives attached-network"},
		{"an interface route depends on somebody answering", three + "a: static 10.6.0.0/16 dev lan", "10.1.0.9", "10.6.0.1", "unknown", "a unknown", "none"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			rt := trace(tt.in, tt.src, tt.dst)
			require.Equal(t, tt.out, word(&rt.Forward))
			require.Equal(t, tt.back, word(rt.Return))
			require.Equal(t, tt.both, rt.Verdict.String())
		})
	}
}

func TestPolicyRules(t *testing.T) {
	const in = `
		a: direct 10.1.0.0/24 dev lan
		a: addr 10.1.0.1/24 lan
		a: static 10.9.0.0/16 blackhole
		a: static 0.0.0.0/0 prohibit in 7
		a: static 10.8.0.0/16 throw in 8
	`
	for _, tt := range []struct{ name, rules, want string }{
		{"without rules the default table counts", "", "discarded"},
		{"a rule for the source chooses another", "a: rule 10 from 10.1.0.0/24 table 7\na: rule 20 table default", "refused"},
		{"one for another source does not", "a: rule 10 from 10.2.0.0/24 table 7\na: rule 20 table default", "discarded"},
		{"one for the ingress interface", "a: rule 10 iif lan table 7\na: rule 20 table default", "refused"},
		{"one for another interface", "a: rule 10 iif wan table 7\na: rule 20 table default", "discarded"},
		{"the order is that of the priorities", "a: rule 20 table default\na: rule 10 from 10.1.0.0/24 table 7", "refused"},
		{"a table without a match is passed", "a: rule 10 table 8\na: rule 20 table default", "discarded"},
		{"a rule that discards", "a: rule 10 to 10.9.0.0/16 blackhole\na: rule 20 table default", "discarded"},
		{"one that asks for more than is known", "a: rule 10 undecided table 7\na: rule 20 table default", "unknown"},
		{"one for all but the source", "a: rule 10 not from 10.1.0.0/24 table 7\na: rule 20 table default", "discarded"},
		{"one for all but another source", "a: rule 10 not from 10.2.0.0/24 table 7\na: rule 20 table default", "refused"},
		{"one for all but what is not known", "a: rule 10 not undecided table 7\na: rule 20 table default", "unknown"},
		{"one for a protocol that is not told", "a: rule 10 proto tcp table 7\na: rule 20 table default", "unknown"},
		{"one for a mark, with no filters captured", "a: rule 10 mark table 7\na: rule 20 table default", "unknown"},
		{"one for a mark that no filter sets", "a: allrules\na: rule 10 mark table 7\na: rule 20 table default", "discarded"},
		{"one for all without it", "a: allrules\na: rule 10 not mark table 7\na: rule 20 table default", "refused"},
		{"one for a mark, where filters set marks", "a: allrules marks\na: rule 10 mark table 7\na: rule 20 table default", "unknown"},
		{"one by which the default route does not count", "a: rule 10 table 7 suppress 0\na: rule 20 table default", "discarded"},
		{"one by which longer prefixes count", "a: rule 10 table default suppress 15\na: rule 20 table 7", "discarded"},
		{"one by which the very prefix does not", "a: rule 10 table default suppress 16\na: rule 20 table 7", "refused"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			rt := trace(in+tt.rules, "10.1.0.9", "10.9.0.1")
			require.Equal(t, tt.want, rt.Forward.Verdict.String())
		})
	}
}

// TestWhatADeviceAnswersForIsLookedUpThere: a proxy's own routes decide, not who answered.
func TestWhatADeviceAnswersForIsLookedUpThere(t *testing.T) {
	const in = `
		a: direct 10.1.0.0/24 dev lan
		a: direct 10.0.0.0/24 dev e0
		a: addr 10.0.0.1/24 e0
		a: neigh 10.0.0.9 e0 alive 02:00:00:00:00:09
		b: link f0 up 02:00:00:00:00:09
		b: addr 10.0.0.2/24 f0
		b: direct 10.0.0.0/24 dev f0
		b: static 10.0.0.9/32 blackhole
		b: static 10.1.0.0/24 via 10.0.0.1 dev f0
	`
	require.Equal(t, "arrives", trace(in, "10.1.0.9", "10.0.0.9").Forward.Verdict.String(), "it may be its own")
	require.Equal(t, "discarded", trace(in+"b: addr 127.0.0.1/8 lo", "10.1.0.9", "10.0.0.9").Forward.Verdict.String())
}

// TestManyBranches walks a ladder in which the ways double at every step: the list is bounded, the verdict is not.
func TestManyBranches(t *testing.T) {
	var in strings.Builder
	in.WriteString("r0x: direct 10.1.0.0/24 dev lan\n")
	steps := 14
	for i := range steps {
		for _, side := range []string{"x", "y"} {
			dev := fmt.Sprintf("r%d%s", i, side)
			fmt.Fprintf(&in, "%s: ospf 10.9.0.0/16 via 10.200.%d.1 dev e0 via 10.201.%d.1 dev e0\n", dev, i+1, i+1)
			fmt.Fprintf(&in, "%s: direct 10.192.0.0/10 dev e0\n", dev)
			n := 200
			if side == "y" {
				n = 201
			}
			fmt.Fprintf(&in, "%s: addr 10.%d.%d.1/10 e0\n", dev, n, i)
		}
	}
	fmt.Fprintf(
		&in,
		"r%dx: direct 10.192.0.0/10 dev e0\nr%dx: addr 10.200.%d.1/10 e0\nr%dx: direct 10.9.0.0/16 dev lan\n",
		steps,
		steps,
		steps,
		steps,
	)
	fmt.Fprintf(
		&in,
		"r%dy: direct 10.192.0.0/10 dev e0\nr%dy: addr 10.201.%d.1/10 e0\nr%dy: static 10.9.0.0/16 blackhole\n",
		steps,
		steps,
		steps,
		steps,
	)
	rt := trace(in.String(), "10.1.0.9", "10.9.0.1")
	require.True(t, rt.Forward.Omitted)
	require.LessOrEqual(t, len(rt.Forward.Branches), 70)
	require.Equal(t, forward.Discarded, rt.Forward.Verdict)
	verdicts := map[forward.Verdict]bool{}
	for _, b := range rt.Forward.Branches {
		verdicts[b.Verdict] = true
	}
	require.True(t, verdicts[forward.Arrives] && verdicts[forward.Discarded], "every ending is among the branches")
}

func TestSharesAddUp(t *testing.T) {
	rt := trace(
		three+threeBack+"a: ospf 10.3.0.0/28 via 10.0.1.2 dev e0 weight 3 via 10.0.5.2 dev e5\na: direct 10.0.5.0/30 dev e5\na: addr 10.0.5.1/30 e5\nd: direct 10.0.5.0/30 dev h0\nd: addr 10.0.5.2/30 h0",
		"10.1.0.9",
		"10.3.0.9",
	)
	require.InDelta(t, 0.75, rt.Forward.Branches[0].Share, 1e-9)
	require.InDelta(t, 0.25, rt.Forward.Branches[1].Share, 1e-9)
}
