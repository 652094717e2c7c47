package lab

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"os/exec"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/topology"
)

var (
	hardSeeds     = flag.Int("hard-seeds", 6, "how many networks with what real kernels can do beside routes are built")
	firstHardSeed = flag.Uint64("first-hard-seed", 1, "the first of them; failures name theirs")
)

// TestHardNetworksAgainstRealForwarding builds networks that use what kernels can do beside routes, opens connections
// and sends packets between sockets bound to their addresses, and asks the captures about the same flows: with all of
// them captured no sure answer may be wrong, and with a part withheld nothing is two-way that was not, unless it says
// what it takes for granted. Plain listings show less, so that what follows from them without assumptions is judged.
func TestHardNetworksAgainstRealForwarding(t *testing.T) {
	var total hardScore
	for i := range *hardSeeds {
		seed := *firstHardSeed + uint64(i)
		t.Run(fmt.Sprintf("seed %d", seed), func(t *testing.T) { compareHard(t, seed, &total) })
	}
	t.Logf("%d exchanges, %d of them with another result when tried again: with all captured %s; with parts withheld %s; "+
		"by plain listings without further assumptions %s", total.tried, total.unsteady, total.whole, total.poor, total.plain)
}

type hardScore struct {
	tried, unsteady int
	whole, poor     verdicts
	plain           verdicts // by plain listings, where nothing more is assumed but one next hop for each route
}

type verdicts struct{ twoWay, lost, unknown int }

func (v verdicts) String() string {
	return fmt.Sprintf("%d two-way, %d lost, %d unknown", v.twoWay, v.lost, v.unknown)
}

func (v *verdicts) add(b forward.Both) {
	switch b {
	case forward.TwoWay:
		v.twoWay++
	case forward.BothUnknown:
		v.unknown++
	default:
		v.lost++
	}
}

// compareHard builds and judges one network.
func compareHard(t *testing.T, seed uint64, total *hardScore) {
	const attempts = 150
	n := newHardNet(newBench(t, "ping", "nft", "iptables", "route", "ifconfig", "arp"), seed)
	t.Cleanup(func() {
		if t.Failed() {
			t.Logf("the network:\n%s", strings.Join(n.log, "\n"))
		}
	})
	var boxes []string
	for _, d := range n.nodes {
		boxes = append(boxes, d.name)
	}
	at, err := n.agents(boxes)
	require.NoError(t, err)
	from, all := n.attempts(attempts)
	_, err = at.try(from[:40], all[:40]) // link-layer addresses become known
	require.NoError(t, err)
	answered, err := at.try(from, all)
	require.NoError(t, err)
	again, err := at.try(from, later(all))
	require.NoError(t, err)

	form := []string{"text", "json", "details", "lines"}[seed%4]
	dir := n.captures(form, nil)
	withheld := n.withheld(seed)
	poorDir := n.captures(form, withheld)
	plainDir := n.captures("plain", nil)
	for kind, d := range map[string]string{"": dir, "-in-part": poorDir, "-plain": plainDir} {
		keepFailing(t, d, fmt.Sprintf("seed-%d%s", seed, kind))
	}
	whole, poor, plain := loadHard(t, dir), loadHard(t, poorDir), loadHard(t, plainDir)
	typed := slices.ContainsFunc(n.log, func(s string) bool { // plain listings show such a route as any other
		return strings.Contains(s, " route add ") && (strings.Contains(s, " tos ") || strings.Contains(s, " from "))
	})
	for i, a := range all {
		total.tried++
		if answered[i] != again[i] {
			total.unsteady++
			continue
		}
		rt := whole.trace(a)
		alone := !branches(&rt) && rt.Verdict != forward.BothUnknown // the whole way is known, and has one next hop at each
		taken := whole.c.Assumed(&rt)
		if (!branches(&rt) || oneEnd(&rt)) && !seenNowhere(taken) {
			total.whole.add(rt.Verdict)
			require.False(t, rt.Verdict != forward.BothUnknown && (rt.Verdict == forward.TwoWay) != answered[i],
				"%s (%s): %s, answered %v, we say %s (%s)", from[i], form, a, answered[i], rt.Verdict, words(rt.Forward))
		}
		rt = poor.trace(a)
		if !branches(&rt) || rt.Verdict == forward.TwoWay {
			total.poor.add(rt.Verdict)
			sure := rt.Verdict == forward.TwoWay && !whole.mute(&rt) && len(poor.c.Assumed(&rt)) == 0 && len(rt.Guessed) == 0 &&
				rt.Source.Name == from[i] && rt.Destination.Name != ""
			require.False(t, sure && !answered[i], "%s (%s, with parts withheld): %s, not answered, and we say two-way (%s)",
				from[i], form, a, words(rt.Forward))
		}
		if typed {
			continue
		}
		rt = plain.trace(a)
		if assumed := plain.c.Assumed(&rt); !branches(&rt) && len(rt.Guessed) == 0 && !seenNowhere(assumed) &&
			(len(assumed) == 0 || alone && noMore(assumed, taken)) {
			total.plain.add(rt.Verdict)
			require.False(t, rt.Verdict != forward.BothUnknown && (rt.Verdict == forward.TwoWay) != answered[i],
				"%s (plain listings): %s, answered %v, we say %s (%s)", from[i], a, answered[i], rt.Verdict, words(rt.Forward))
		}
	}
}

// noMore reports whether nothing is taken for granted that was not before, but that routes have one next hop.
func noMore(all, before []casefile.Assumption) bool {
	for _, a := range all {
		for _, d := range a.Devices {
			was := slices.IndexFunc(before, func(b casefile.Assumption) bool { return slices.Contains(b.Devices, d) })
			if slices.ContainsFunc(a.What, func(u casefile.Untold) bool {
				return u != casefile.UntoldHops && (was < 0 || !slices.Contains(before[was].What, u))
			}) {
				return false
			}
		}
	}
	return true
}

// branches reports whether a packet or its answer may take several ways: which one it takes cannot be known.
func branches(rt *forward.RoundTrip) bool {
	return len(rt.Forward.Branches) > 1 || rt.Return != nil && len(rt.Return.Branches) > 1
}

// seenNowhere reports whether it is taken for granted that an end is there which no capture shows.
func seenNowhere(taken []casefile.Assumption) bool {
	return slices.ContainsFunc(taken, func(a casefile.Assumption) bool { return slices.Contains(a.What, casefile.UntoldHost) })
}

// oneEnd reports whether what becomes of a packet with several ways is the same on each of them: all are two-way, or
// none of them arrives.
func oneEnd(rt *forward.RoundTrip) bool {
	return rt.Verdict == forward.TwoWay || rt.Verdict == forward.Broken &&
		!slices.ContainsFunc(rt.Forward.Branches, func(b forward.Branch) bool { return b.Verdict <= forward.Unknown })
}

func (a attempt) String() string {
	return fmt.Sprintf("%s to %s by %s %d to %d", a.Source, a.Destination, a.Flow.Protocol, a.Flow.SourcePort,
		a.Flow.DestinationPort)
}

// hardCase is a loaded case with a walker.
type hardCase struct {
	c *casefile.Case
	w *forward.Walker
}

func loadHard(t *testing.T, dir string) hardCase {
	t.Helper()
	c, err := casefile.Load(dir)
	require.NoError(t, err)
	return hardCase{c, forward.NewWalker(topology.Build(c.Network))}
}

func (h hardCase) trace(a attempt) forward.RoundTrip {
	return h.w.TraceFlow(a.Source, a.Destination, a.Flow)
}

// mute reports whether a packet that arrives, or its answer, leaves by an interface that asks for no link-layer address:
// where no capture shows that, it is not said that it is taken for granted.
func (h hardCase) mute(rt *forward.RoundTrip) bool {
	silent := func(b forward.Branch) bool {
		return slices.ContainsFunc(b.Hops, func(x forward.Hop) bool {
			d := h.c.Network.Device(x.Device)
			return d != nil && d.Interface(x.OutInterface).Mute
		})
	}
	return slices.ContainsFunc(rt.Forward.Branches, silent) || rt.Return != nil && slices.ContainsFunc(rt.Return.Branches, silent)
}

// attempts makes up exchanges between the nodes' addresses, each flow with ports of its own.
func (n *hardNet) attempts(most int) (boxes []string, all []attempt) {
	ports := map[string]uint16{}
	for len(all) < most {
		a, z := oneOf(n.rnd, n.nodes...), oneOf(n.rnd, n.nodes...)
		if a == z {
			continue
		}
		f := oneOf(n.rnd, 0, 0, 1)
		x := attempt{Source: a.stub[f].Addr(), Destination: z.stub[f].Addr(),
			Flow: network.Flow{Protocol: oneOf(n.rnd, "icmp", "icmp", "tcp", "udp")}}
		if n.chance(15) {
			if other := oneOf(n.rnd, n.own(z)...); other.Is4() == (f == 0) {
				x.Destination = other
			}
		}
		if n.chance(8) {
			if other := oneOf(n.rnd, n.own(a)...); other.Is4() == (f == 0) {
				x.Source = other
			}
		}
		if x.Flow.Protocol == "udp" && localNetworks.Contains(x.Destination) {
			continue // no agent has a socket for it
		}
		if x.Flow.Protocol != "icmp" {
			ports[a.name]++
			x.Flow.SourcePort, x.Flow.DestinationPort = 33000+ports[a.name], uint16(oneOf(n.rnd, servedPorts...))
		}
		boxes, all = append(boxes, a.name), append(all, x)
	}
	return boxes, all
}

// later are the same attempts from other ports, so that no device takes them for the flows that it has seen.
func later(all []attempt) []attempt {
	const apart = 2000
	out := make([]attempt, len(all))
	for i, a := range all {
		if out[i] = a; a.Flow.SourcePort > 0 {
			out[i].Flow.SourcePort += apart
		}
	}
	return out
}

// withheld leaves out about one in eight captures, and one in eight nodes whole.
func (n *hardNet) withheld(seed uint64) func(box, file string) bool {
	rnd := rand.New(rand.NewPCG(seed, 5))
	gone := map[string]bool{}
	for _, d := range n.nodes {
		gone[d.name] = rnd.IntN(8) == 0
		for _, file := range []string{"routes4", "routes6", "addresses", "rules4", "rules6", "neighbours", "filters",
			"switches"} {
			gone[d.name+" "+file] = rnd.IntN(8) == 0
		}
	}
	return func(box, file string) bool { return gone[box] || gone[box+" "+file] }
}

// plainCommands are those of net-tools, which show less.
var plainCommands = map[string]string{"routes4": "route -n", "routes6": "route -6 -n", "addresses": "ifconfig -a",
	"neighbours": "arp -an", "links": "ip -6 neigh"}

// captures writes what an engineer would capture of every node, in one of the forms that the tools have.
func (n *hardNet) captures(form string, withheld func(box, file string) bool) string {
	n.t.Helper()
	dir := n.t.TempDir()
	option := map[string]string{"json": " -j", "details": " -d", "lines": " -o"}[form]
	var wg sync.WaitGroup
	for _, d := range n.nodes {
		wg.Go(func() {
			for _, c := range [][2]string{
				{"routes4", "ip" + option + " route show table all"}, {"routes6", "ip" + option + " -6 route show table all"},
				{"addresses", "ip" + option + " addr"}, {"links", "ip" + option + " link"},
				{"neighbours", "ip" + option + " neigh"},
				{"rules4", "ip" + option + " rule"}, {"rules6", "ip" + option + " -6 rule"}, {"filters", "nft list ruleset"},
				{"older4", "iptables-save"}, {"older6", "ip6tables-save"},
				{"switches", "sysctl -a -r (forwarding|rp_filter|ip_forward|proxy_arp|arp_ignore|arp_filter|accept_local|echo_ignore_all|ignore_routes_with_linkdown)$"},
			} {
				if form == "json" && c[0] == "filters" {
					c[1] = "nft -j list ruleset"
				}
				if other, ok := plainCommands[c[0]]; ok && form == "plain" {
					c[1] = other
				}
				if strings.HasPrefix(c[0], "older") && form != "lines" { // those of nftables show them too
					continue
				}
				if withheld != nil && (withheld(d.name, c[0]) || c[0] == "links" && withheld(d.name, "addresses") ||
					strings.HasPrefix(c[0], "older") && withheld(d.name, "filters")) {
					continue
				}
				out, _ := exec.Command("ip", append([]string{"netns", "exec", n.ns[d.name]}, strings.Fields(c[1])...)...).Output()
				if len(out) > 0 {
					n.capture(dir, d.name, c[0]+".txt", string(out))
				} else if c[0] == "filters" { // an empty answer is one
					n.capture(dir, d.name, "filters.log", d.name+"$ "+c[1]+"\n"+d.name+"$ \n")
				}
			}
		})
	}
	wg.Wait()
	return dir
}
