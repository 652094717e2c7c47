package lab

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/forward"
)

// TestPoliciesOfRoutingAgainstRealForwarding gives a routing daemon random policies of routing. What is captured is its
// saved configuration and the kernel's main table, not the rules that the daemon makes of the policy; packets tell by
// which neighbour they leave, and every one of them must leave as we say.
func TestPoliciesOfRoutingAgainstRealForwarding(t *testing.T) {
	const policies, flows = 12, 600
	b := newBench(t, "python3", "vtysh")
	ups := []string{"one", "two", "three"}
	for _, box := range append([]string{"inner", "mast"}, ups...) {
		b.box(box)
		b.run(box, "sysctl -q -w net.ipv4.conf.all.rp_filter=0 net.ipv4.conf.default.rp_filter=0 net.ipv4.ip_forward=0 net.ipv4.icmp_ratelimit=0")
	}
	b.run("mast", "sysctl -q -w net.ipv4.ip_forward=1")
	b.link("inner", "up0", "mast", "lan0", []string{"10.61.79.254/20"}, []string{"10.61.79.1/20"})
	b.run("inner", "ip route add 10.61.80.0/20 via 10.61.79.1")
	for i, box := range ups {
		b.link(box, "up0", "mast", fmt.Sprint("way", i), []string{fmt.Sprintf("172.28.80.%d/30", 4*i+2)}, []string{fmt.Sprintf("172.28.80.%d/30", 4*i+1)})
	}
	b.link("inner", "up9", "mast", "dead0", []string{"172.28.80.62/30"}, []string{"172.28.80.61/30"})
	b.run("mast", "ip link set dead0 down")
	b.daemons("mast", "ip route 10.61.80.0/23 172.28.80.2\nip route 10.61.82.0/24 172.28.80.6\n", "pbrd")
	rnd := rand.New(rand.NewPCG(5, 80))
	asked, wrong, unknown, odd := 0, 0, 0, 0
	for n := range policies {
		name := fmt.Sprint("NIGHT", n)
		lines, oddOnes, broken := steeringLines(rnd, name, n%3 == 0)
		b.ask("mast", append([]string{"configure terminal"}, append(lines, "end")...)...)
		clauses := strings.Count(strings.Join(lines, "\n"), "pbr-map ")
		if broken {
			clauses = -1
		}
		b.steer("mast", name, clauses)
		sent := steeredFlows(rnd, flows)
		seen := b.sendSeen(map[string][]flowTo{"inner": sent}, ups...)
		dir := t.TempDir()
		b.capture(dir, "mast", "routes.json", b.run("mast", "ip -j route show table main"))
		b.capture(dir, "mast", "addresses.json", b.run("mast", "ip -j addr"))
		config := b.ask("mast", "show running-config")
		b.capture(dir, "mast", "saved.txt", config)
		w := load(t, dir)
		for _, f := range sent {
			asked++
			way := "nowhere"
			for _, box := range ups {
				if seen[box][f] {
					way = box
				}
			}
			d := w.TraceFlow(f.src, f.dst, f.flow).Forward
			switch said := wayOut(d); {
			case said == "unknown" && oddOnes:
				odd++
			case said == "unknown":
				unknown++
				t.Errorf("policy %d: %s left by %s, and we say unknown: %s\n%s", n, f, way, words(d), config)
			case said != way:
				wrong++
				t.Errorf("policy %d: %s left by %s, we say %s: %s\n%s\n%s", n, f, way, said, words(d), config, b.run("mast", "ip rule")+b.ask("mast", "show pbr map detail", "show pbr interface"))
			}
			if wrong+unknown > 3 {
				t.FailNow()
			}
		}
		b.unsteer("mast", name)
	}
	require.Less(t, odd, asked/3, "most must be told")
	t.Logf("%d flows, %d wrong, %d unknown, and %d unknown where a clause names a next hop that cannot be used", asked, wrong, unknown, odd)
}

// steer applies a policy of routing, until the kernel has a rule for each of its clauses; with -1 clauses nobody knows how many it
// gets. The daemon may lose a rule that comes soon after another one of its number went, and is asked again then.
func (b *bench) steer(box, name string, clauses int) {
	b.t.Helper()
	rules := func() int { return strings.Count(b.run(box, "ip rule"), "iif lan0") }
	for range 6 {
		b.ask(box, "configure terminal", "interface lan0", "pbr-policy "+name, "end")
		for range 20 {
			time.Sleep(100 * time.Millisecond)
			if rules() == clauses {
				return
			}
		}
		if clauses < 0 {
			return
		}
		b.unsteer(box, name)
	}
	b.t.Fatalf("the kernel has %d rules of %s, not %d", rules(), name, clauses)
}

// unsteer takes a policy of routing off again.
func (b *bench) unsteer(box, name string) {
	b.t.Helper()
	b.ask(box, "configure terminal", "interface lan0", "no pbr-policy "+name, "end")
	b.until("the kernel has no rules of "+name, 10*time.Second, func() bool { return !strings.Contains(b.run(box, "ip rule"), "iif lan0") })
	time.Sleep(500 * time.Millisecond) // until the daemon knows it
}

// wayOut is the box that a packet is said to leave to.
func wayOut(d forward.Direction) string {
	last := d.Branches[0].Hops[len(d.Branches[0].Hops)-1]
	switch d.Verdict {
	case forward.Leaves:
		return map[string]string{"172.28.80.2": "one", "172.28.80.6": "two", "172.28.80.10": "three"}[last.NextHop.String()]
	case forward.NoRoute, forward.Discarded:
		return "nowhere"
	}
	return "unknown"
}

// steeringLines writes a random policy of routing. May lets clauses be odd: they ask for ports, or send nowhere or to a
// next hop that cannot be used, so that the policy is broken.
func steeringLines(rnd *rand.Rand, name string, may bool) (lines []string, odd, broken bool) {
	chance := func(percent int) bool { return rnd.IntN(100) < percent }
	prefix := func(third int) string {
		bits := []int{22, 23, 24, 25, 26, 32}[rnd.IntN(6)]
		return netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 61, byte(third + rnd.IntN(4)), byte(rnd.IntN(256))}), bits).Masked().String()
	}
	for seq := range 1 + rnd.IntN(6) {
		lines = append(lines, fmt.Sprintf("pbr-map %s seq %d", name, 10*seq+10))
		if chance(70) {
			lines = append(lines, "match src-ip "+prefix(64))
		}
		if chance(50) || !strings.HasPrefix(lines[len(lines)-1], "match") {
			lines = append(lines, "match dst-ip "+prefix(80))
		}
		switch {
		case chance(30):
			lines = append(lines, "match ip-protocol "+[]string{"tcp", "udp"}[rnd.IntN(2)])
			if may && chance(15) { // which not every version of the daemon asks the kernel for
				lines, odd = append(lines, fmt.Sprint("match dst-port ", ports[rnd.IntN(len(ports))])), true
			}
		case chance(5):
			lines, odd = append(lines, fmt.Sprint("match dst-port ", ports[rnd.IntN(len(ports))])), true
		}
		switch to := fmt.Sprintf("172.28.80.%d", 4*rnd.IntN(3)+2); {
		case may && chance(3):
			lines, broken = append(lines, "set nexthop 172.28.80.62"), true
		case may && chance(3):
			lines, broken = append(lines, "set nexthop 172.28.99.9"), true
		case may && chance(4): // a clause that sends nowhere
			broken = true
		default:
			lines = append(lines, "set nexthop "+to)
		}
	}
	return lines, odd || broken, broken
}

func steeredFlows(rnd *rand.Rand, n int) []flowTo {
	var out []flowTo
	for _, f := range randomFlows(rnd, 3*n) {
		if f.src.As4()[2] < 80 && len(out) < n {
			out = append(out, f)
		}
	}
	return out
}
