package lab

import (
	"net/netip"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/forward"
)

// ownRules filter what is for the box itself and what it sends.
const ownRules = `table inet own {
  chain input {
    type filter hook input priority filter; policy drop;
    ct state established,related accept
    iifname "lo" accept
    iifname "in0" ip saddr 10.61.64.0/24 tcp dport { 8000, 8080 } accept
    icmp type echo-request ip saddr != 10.61.80.0/24 accept
    iifname "out0" udp dport 53 accept
  }
  chain output {
    type filter hook output priority filter; policy accept;
    ip daddr 10.61.80.1 tcp dport 443 drop
    oifname "in0" icmp type echo-request reject
  }
  chain early {
    type filter hook prerouting priority raw; policy accept;
    iifname "out0" ip saddr 10.61.81.0/24 drop
  }
}
`

// TestWhatIsForTheBoxItself sends real flows to a box with such rules and from it, and compares with what its captures
// say, in both forms in which the kernel prints them.
func TestWhatIsForTheBoxItself(t *testing.T) {
	b := newBench(t, "nft", "ping", "python3")
	b.fence(ownRules, "inner ip addr add 10.61.64.1/24 dev lo", "inner ip addr add 10.61.65.1/24 dev lo", "outer ip addr add 10.61.80.1/24 dev lo", "outer ip addr add 10.61.81.1/24 dev lo",
		"inner ip route add default via 172.28.61.2", "outer ip route add default via 172.28.61.5",
		"fence ip route add 10.61.64.0/23 via 172.28.61.1", "fence ip route add 10.61.80.0/23 via 172.28.61.6")
	for name := range b.ns {
		b.serve(name, 53, 443, 8000, 8080)
	}
	walkers := map[string]*forward.Walker{}
	for form, command := range map[string]string{"JSON": "nft -j list ruleset", "text": "nft list ruleset"} {
		dir := t.TempDir()
		for name := range b.ns {
			b.capture(dir, name, "routes.json", b.run(name, "ip -j route show table all"))
			b.capture(dir, name, "addresses.json", b.run(name, "ip -j addr"))
		}
		b.capture(dir, "fence", "ruleset.txt", b.run("fence", command))
		walkers[form] = load(t, dir)
	}
	type pair struct{ box, src, dst string }
	pairs := []pair{
		{"inner", "10.61.64.1", "172.28.61.2"}, {"inner", "10.61.65.1", "172.28.61.2"}, {"inner", "10.61.64.1", "172.28.61.5"},
		{"outer", "10.61.80.1", "172.28.61.5"}, {"outer", "10.61.81.1", "172.28.61.5"}, {"outer", "172.28.61.6", "172.28.61.2"},
		{"fence", "172.28.61.2", "10.61.64.1"}, {"fence", "172.28.61.5", "10.61.80.1"}, {"fence", "172.28.61.5", "10.61.81.1"},
		{"inner", "10.61.64.1", "10.61.80.1"}, {"inner", "10.61.64.1", "10.61.81.1"}, {"outer", "10.61.81.1", "10.61.64.1"},
	}
	compared, passed, got := 0, 0, tried{}
	var mu sync.Mutex
	var wg sync.WaitGroup
	for _, p := range pairs {
		for _, flow := range []string{"tcp:0:443", "tcp:0:8000", "tcp:0:8080", "udp:0:53", "icmp"} {
			wg.Go(func() {
				answered := b.sends(p.box, p.src, p.dst, flow)
				f, err := parse(flow)
				mu.Lock()
				defer mu.Unlock()
				compared++
				got.note(p.src, p.dst, answered)
				if answered {
					passed++
				}
				for form, w := range walkers {
					rt := w.TraceFlow(netip.MustParseAddr(p.src), netip.MustParseAddr(p.dst), f)
					if back := "none"; err != nil || answered != (rt.Verdict == forward.TwoWay) {
						if rt.Return != nil {
							back = words(*rt.Return)
						}
						t.Errorf("%s: %s to %s, %s: answered %v, we say %s (%s; back %s)", form, p.src, p.dst, flow, answered, rt.Verdict, words(rt.Forward), back)
					}
				}
			})
		}
	}
	wg.Wait()
	t.Logf("%d flows compared with real packets, of which %d passed", compared, passed)
	require.Greater(t, passed, 10)
	for _, w := range walkers {
		auditAgrees(t, w, got)
	}
}
