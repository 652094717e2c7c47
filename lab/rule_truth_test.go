package lab

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
)

// ruleTables are the tables that random rules lead to, and the ways of the box.
var ruleTables = []int{101, 102, 103, 104}

// kernelWay reads the answer to ip route get: a next hop and an interface.
var kernelWay = regexp.MustCompile(`via (\S+) dev (\S+)`)

// TestPolicyRulesChooseAsTheKernelDoes asks a kernel with random policy rules (what they may ask for all mixed:
// sources, destinations, interfaces, protocols, ports, marks, inverted, with prefixes that do not count) which way
// packets go, and us.
func TestPolicyRulesChooseAsTheKernelDoes(t *testing.T) {
	b := newBench(t, "nft")
	b.box("fence")
	b.run("fence", "sysctl -q -w net.ipv4.ip_forward=1 net.ipv4.conf.all.rp_filter=0 net.ipv4.conf.default.rp_filter=0")
	for i, name := range []string{"up0", "dn1", "dn2", "dn3", "dn4"} {
		b.run("fence", fmt.Sprintf("ip link add %s type veth peer name %sx", name, name))
		b.run("fence", fmt.Sprintf("ip link set %sx up", name))
		b.run("fence", fmt.Sprintf("ip addr add 10.70.%d.1/24 dev %s", i, name))
		b.run("fence", fmt.Sprintf("ip link set %s up", name))
	}
	rnd := rand.New(rand.NewPCG(5, 2026))
	asked, unmarked, ways := 0, 0, map[string]int{}
	for round := range 12 {
		b.feed("fence", randomRules(rnd), "sh", "-e")
		marks := round%3 == 0 // a rule of a filter puts marks on packets: what asks for one is not decided
		filters := "flush ruleset\n"
		if marks {
			filters += "table inet m {\nchain c {\ntype filter hook prerouting priority mangle;\nip saddr 10.70.0.99 meta mark set 1\n}\n}\n"
		}
		b.feed("fence", filters, "nft", "-f", "-")
		dir := t.TempDir()
		for i, c := range []string{"ip -j route show table all", "ip -j addr", "nft -j list ruleset", "sysctl net.ipv4.ip_forward net.ipv4.conf.all.rp_filter"} {
			b.capture(dir, "fence", fmt.Sprintf("%d.txt", i), b.run("fence", c))
		}
		if round%2 == 0 {
			b.capture(dir, "fence", "rules.txt", b.run("fence", "ip rule"))
		} else {
			b.capture(dir, "fence", "rules.json", b.run("fence", "ip -j rule"))
		}
		w := load(t, dir)
		for range 150 {
			src := netip.AddrFrom4([4]byte{10, 70, 0, byte(2 + rnd.IntN(60))})
			dst := netip.AddrFrom4([4]byte{10, 80, byte(rnd.IntN(4)), byte(2 + rnd.IntN(200))})
			flow := network.Flow{Protocol: []string{"tcp", "udp"}[rnd.IntN(2)], SourcePort: uint16(1000 + rnd.IntN(8)), DestinationPort: uint16(50 + rnd.IntN(8))}
			said, err := b.try("fence", fmt.Sprintf("ip route get %s from %s iif up0 ipproto %s sport %d dport %d", dst, src, flow.Protocol, flow.SourcePort, flow.DestinationPort))
			want := "lost"
			if m := kernelWay.FindStringSubmatch(said); err == nil && m != nil {
				want = m[1] + " " + m[2]
			}
			d := w.TraceFlow(src, dst, flow).Forward
			got := "lost"
			if h := d.Branches[0].Hops[0]; h.OutInterface != "" {
				got = h.NextHop.String() + " " + h.OutInterface
			} else if d.Verdict == forward.Unknown {
				got = "unknown"
			}
			asked++
			if marks && got == "unknown" {
				unmarked++
				continue
			}
			ways[want]++
			if want != got {
				t.Errorf("round %d: %s to %s %+v: the kernel says %s (%s), we say %s: %s\n%s", round, src, dst, flow, want, strings.TrimSpace(said), got, words(d), b.run("fence", "ip rule"))
				if t.Failed() && asked > 400 {
					t.FailNow()
				}
			}
		}
	}
	require.Greater(t, len(ways), 3, "%v", ways)
	require.Less(t, unmarked*4, asked, "too much is undecided where marks are set")
	t.Logf("%d packets, %d not decided where marks are set, ways %v", asked, unmarked, ways)
}

// randomRules is a script that gives a box rules and tables of its own in place of those that it has.
func randomRules(rnd *rand.Rand) string {
	var s strings.Builder
	s.WriteString("ip rule flush\nip rule add pref 32766 lookup main\nip rule add pref 32767 lookup default\n")
	for i, table := range append(ruleTables, 254) {
		gate := func() string {
			k := 1 + rnd.IntN(4)
			return fmt.Sprintf("via 10.70.%d.%d dev dn%d", k, 10+i, k)
		}
		fmt.Fprintf(&s, "ip route flush table %d type unicast root 10.80.0.0/14 2>/dev/null || true\nip route flush table %d type unicast exact default 2>/dev/null || true\n", table, table)
		if rnd.IntN(3) > 0 {
			fmt.Fprintf(&s, "ip route add default %s table %d\n", gate(), table)
		}
		for k := range 4 {
			if rnd.IntN(3) == 0 {
				fmt.Fprintf(&s, "ip route add 10.80.%d.0/24 %s table %d\n", k, gate(), table)
			}
		}
	}
	for pref := range 4 + rnd.IntN(6) {
		fmt.Fprintf(&s, "ip rule add pref %d", 100+pref)
		if rnd.IntN(4) == 0 {
			s.WriteString(" not")
		}
		if rnd.IntN(3) == 0 {
			fmt.Fprintf(&s, " from 10.70.0.%d/27", 32*rnd.IntN(2))
		}
		if rnd.IntN(4) == 0 {
			fmt.Fprintf(&s, " to 10.80.%d.0/24", rnd.IntN(4))
		}
		if rnd.IntN(5) == 0 {
			fmt.Fprintf(&s, " iif %s", []string{"up0", "dn1"}[rnd.IntN(2)])
		}
		if rnd.IntN(4) == 0 {
			fmt.Fprintf(&s, " fwmark %#x/0xff", rnd.IntN(3))
		}
		if rnd.IntN(3) == 0 {
			fmt.Fprintf(&s, " ipproto %s", []string{"tcp", "udp"}[rnd.IntN(2)])
			if rnd.IntN(2) == 0 {
				fmt.Fprintf(&s, " dport %d-%d", 50, 50+rnd.IntN(6))
			}
			if rnd.IntN(3) == 0 {
				fmt.Fprintf(&s, " sport %d", 1000+rnd.IntN(8))
			}
		}
		switch rnd.IntN(6) {
		case 0:
			s.WriteString(" blackhole\n")
		case 1:
			s.WriteString(" lookup main suppress_prefixlength 0\n")
		case 2:
			fmt.Fprintf(&s, " lookup %d suppress_prefixlength %d\n", ruleTables[rnd.IntN(4)], []int{0, 23, 24}[rnd.IntN(3)])
		default:
			fmt.Fprintf(&s, " lookup %d\n", ruleTables[rnd.IntN(4)])
		}
	}
	return s.String()
}
