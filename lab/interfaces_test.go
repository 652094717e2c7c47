package lab

import (
	"fmt"
	"net/netip"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
)

// TestSettingsOfInterfaces: a kernel forwards by the switch of the interface that a packet comes in by, and has no IPv6
// address on one that is down, whatever its IPv4 ones do. Pings decide; an audit names each pair that gets no answer
// in one finding, and no other.
func TestSettingsOfInterfaces(t *testing.T) {
	b := newBench(t, "ping")
	for _, box := range []string{"inner", "fence", "outer"} {
		b.box(box)
	}
	b.link("inner", "up0", "fence", "in0", []string{"172.28.61.1/30", "fd61:1::1/64"}, []string{"172.28.61.2/30", "fd61:1::2/64"})
	b.link("fence", "out0", "outer", "up0", []string{"172.28.61.5/30"}, []string{"172.28.61.6/30"})
	for _, line := range []string{"inner ip route add default via 172.28.61.2", "outer ip route add default via 172.28.61.5", "inner ip -6 route add default via fd61:1::2",
		"fence ip link add yard type veth peer name far", "fence ip addr add 10.61.70.1/24 dev yard", "fence ip -6 addr add fd61:70::1/64 dev yard nodad",
		"fence ip link add barn type veth peer name mow", "fence ip link set barn up", "fence ip link set mow up", "fence ip addr add 10.61.71.1/24 dev barn", "fence ip -6 addr add fd61:71::1/64 dev barn nodad"} {
		box, command, _ := strings.Cut(line, " ")
		b.run(box, command)
	}
	ping := func(box, dst string) bool {
		_, err := b.try(box, "ping -n -c 1 -W 1 "+dst)
		return err == nil
	}
	compared, arrived := 0, 0
	compare := func(what string, w *forward.Walker, box, src, dst string) {
		t.Helper()
		compared++
		answered := ping(box, dst)
		if answered {
			arrived++
		}
		rt := w.Trace(netip.MustParseAddr(src), netip.MustParseAddr(dst))
		require.Equal(t, answered, rt.Verdict == forward.TwoWay, "%s: %s to %s answered %v, we say %s: %s", what, src, dst, answered, rt.Verdict, words(rt.Forward))
	}
	capture := func() *forward.Walker {
		dir := t.TempDir()
		for box := range b.ns {
			b.capture(dir, box, "routes.json", b.run(box, "ip -j route show table all"))
			b.capture(dir, box, "routes6.json", b.run(box, "ip -6 -j route show table all"))
			b.capture(dir, box, "addresses.json", b.run(box, "ip -j addr"))
			b.capture(dir, box, "sysctl.txt", b.run(box, "sysctl -a --pattern ^net.ipv4.conf.*forwarding$"))
		}
		return load(t, dir)
	}
	own := map[string][]string{"inner": {"172.28.61.1", "fd61:1::1"}, "outer": {"172.28.61.6"},
		"fence": {"172.28.61.2", "172.28.61.5", "fd61:1::2", "10.61.70.1", "10.61.71.1", "fd61:70::1", "fd61:71::1"}}
	audited := 0
	compareAll := func(what string, w *forward.Walker) {
		exact := allBroken(w, audit.Run(w, audit.Options{}))
		var wg sync.WaitGroup
		for box, sources := range own {
			for other, targets := range own {
				for _, src := range sources {
					for _, dst := range targets {
						if box == other || strings.Contains(src, ":") != strings.Contains(dst, ":") {
							continue
						}
						audited++
						wg.Go(func() {
							_, err := b.try(box, "ping -n -c 1 -W 1 -I "+src+" "+dst)
							packets, replies := exact.of(netip.MustParseAddr(src), netip.MustParseAddr(dst), false)
							if n := len(packets) + len(replies); n > 1 || (n == 0) != (err == nil) {
								t.Errorf("%s: %s to %s answered %v, the audit says lost %v, unanswered %v", what, src, dst, err == nil, packets, replies)
							}
						})
					}
				}
			}
		}
		wg.Wait()
	}
	for n := range 8 {
		b.run("fence", fmt.Sprintf("sysctl -q -w net.ipv4.conf.all.forwarding=%d", n&1)) // sets them all
		b.run("fence", fmt.Sprintf("sysctl -q -w net.ipv4.conf.in0.forwarding=%d net.ipv4.conf.out0.forwarding=%d", n>>1&1, n>>2&1))
		w := capture()
		what := fmt.Sprintf("all %d, in0 %d, out0 %d", n&1, n>>1&1, n>>2&1)
		compare(what, w, "inner", "172.28.61.1", "172.28.61.6")
		compare(what, w, "outer", "172.28.61.6", "172.28.61.1")
		compareAll(what, w)
	}
	for _, state := range []string{"ip link set yard down", "ip link set yard up", "ip link set far up"} {
		b.run("fence", state)
		if state == "ip link set far up" {
			b.run("fence", "ip -6 addr replace fd61:70::1/64 dev yard nodad")
		}
		w := capture()
		for _, dst := range []string{"10.61.70.1", "10.61.71.1", "fd61:71::1", "fd61:70::1"} {
			src := "172.28.61.1"
			if strings.Contains(dst, ":") {
				src = "fd61:1::1"
			}
			compare(state, w, "inner", src, dst)
		}
		compareAll(state, w)
	}
	t.Logf("%d pings compared, %d answered; %d pairs looked up in the audit", compared, arrived, audited)
	require.Greater(t, arrived, 8)
}
