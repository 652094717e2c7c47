package lab

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
)

// queued matches a route that a daemon chose and has not been told of that the kernel took it.
var queued = regexp.MustCompile(`(?m)^[A-Z]>q`)

// TestDaemonsTogetherAgainstRealForwarding lets two kinds of routing daemons speak OSPF with each other on a ring
// with a chord, then takes a link away, and compares every pair with what the kernels do: by the daemons' own tables
// alone, and with the kernels' beside them. One daemon keeps a second table, which a policy rule chooses for what
// comes in from r4; only the kernel's capture tells that this is the table of the rule.
func TestDaemonsTogetherAgainstRealForwarding(t *testing.T) {
	b := newBench(t, "vtysh", "bird", "birdc", "ping")
	n := &randomNet{bench: b, rnd: rand.New(rand.NewPCG(1, 1)), script: map[string]*strings.Builder{}}
	b.box(switchBox)
	const size = 6
	for i := range size {
		r := &router{
			name: fmt.Sprintf("r%d", i),
			stub: [2]netip.Prefix{
				netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 61, byte(i * 8), 1}), 24),
				netip.MustParsePrefix("fd6b::1/64"),
			},
		}
		b.box(r.name)
		n.do(
			r.name,
			"echo 1 > /proc/sys/net/ipv4/ip_forward; ip link add stub0 type veth peer name stub1; ip link set stub1 up; ip addr add "+r.stub[0].String()+" dev stub0; ip link set stub0 up",
		)
		n.routers = append(n.routers, r)
	}
	for i := range size {
		n.connect(n.routers[i], n.routers[(i+1)%size])
	}
	n.connect(n.routers[0], n.routers[3])
	n.run2()
	isBird := func(r *router) bool { return r.name == "r1" || r.name == "r3" || r.name == "r4" }
	for _, r := range n.routers {
		if isBird(r) {
			more := ""
			if r.name == "r3" {
				more = fmt.Sprintf(
					"ipv4 table side;\nprotocol kernel { kernel table 70; ipv4 { table side; export all; }; }\nprotocol static { ipv4 { table side; };\n"+
						"route %s blackhole;\nroute %s via %s;\nroute %s via %s;\n}\n",
					n.routers[2].stub[0].Masked(),
					n.routers[0].stub[0].Masked(),
					n.links[2].ports[0].addr[0].Addr(),
					n.routers[1].stub[0].Masked(),
					n.links[3].ports[1].addr[0].Addr(),
				)
				b.run(r.name, "ip rule add pref 100 iif "+n.links[3].ports[0].name+" lookup 70")
			}
			n.bird(r, more)
			continue
		}
		config := "router ospf\n network 0.0.0.0/0 area 0\n passive-interface stub0\nexit\n"
		for _, p := range r.ports {
			config += "interface " + p.name + "\n ip ospf network point-to-point\n ip ospf hello-interval 1\n ip ospf dead-interval 4\nexit\n"
		}
		b.daemons(r.name, config, "ospfd")
	}
	// calm waits until every link that is up joins two neighbours of OSPF, and no table changes any more.
	calm := func(what string) {
		links := slices.DeleteFunc(slices.Clone(n.links), func(s *segment) bool { return s.ports[0].down })
		b.rest(what, 60*time.Second, 4*time.Second, func() (tables string, complete bool) {
			neighbours := 0
			for _, r := range n.routers {
				table := b.run(r.name, "ip route")
				if isBird(r) {
					neighbours += strings.Count(b.run(r.name, "birdc -s "+b.dir+"/bird-"+r.name+".ctl show ospf neighbors"), "Full/")
				} else {
					neighbours += strings.Count(b.ask(r.name, "show ip ospf neighbor"), "Full/")
					table += ages.ReplaceAllString(b.ask(r.name, "show ip route"), "")
				}
				tables += table
			}
			return tables, neighbours == 2*len(links) && !queued.MatchString(tables)
		})
	}
	calm("all neighbours are joined")
	compared, untold, bySide := 0, 0, 0
	compare := func(when string) {
		for _, kernels := range []bool{false, true} {
			dir := t.TempDir()
			for _, r := range n.routers {
				text := ""
				if isBird(r) {
					text = b.run(r.name, "birdc -s "+b.dir+"/bird-"+r.name+".ctl show route table all")
				} else {
					text = b.ask(r.name, "show ip route")
				}
				b.capture(dir, r.name, "daemon.txt", text)
				b.capture(dir, r.name, "addresses.txt", b.run(r.name, "ip addr"))
				b.capture(dir, r.name, "rules.json", b.run(r.name, "ip -j rule"))
				if kernels {
					b.capture(dir, r.name, "kernel.json", b.run(r.name, "ip -j route show table all"))
				}
			}
			w := load(t, dir)
			var probes []*probe
			for _, a := range n.routers {
				for _, z := range n.routers {
					if a != z {
						probes = append(
							probes,
							&probe{src: a.stub[0].Addr(), dst: z.stub[0].Addr(), at: a, seen: map[string]bool{}},
							&probe{
								src:  a.stub[0].Addr(),
								dst:  z.ports[0].addr[0].Addr(),
								at:   a,
								seen: map[string]bool{},
							},
						)
					}
				}
			}
			n.follow(probes)
			found := audit.Run(w, audit.Options{})
			for _, p := range probes {
				rt := w.Trace(p.src, p.dst)
				compared++
				if list, reply := found.Of(p.src, p.dst); len(rt.Forward.Branches) == 1 &&
					rt.Forward.Verdict != forward.Unknown {
					if said := inLost(list) && !reply; said != (p.end.verdict != "arrives") || len(list) > 1 {
						t.Errorf(
							"%s, kernels' tables %v: %s to %s: the kernels %v, and the audit says %s (reply %v)",
							when,
							kernels,
							p.src,
							p.dst,
							p.end,
							names(list),
							reply,
						)
					}
				}
				if worst, ok := rt.Forward.Worst(); ok && worst.Where == "r3" && worst.Reason.Table == "70" &&
					!kernels {
					untold++
					continue
				}
				for _, br := range rt.Forward.Branches {
					for _, h := range br.Hops {
						if h.Table == "70" {
							bySide++
						}
					}
				}
				if !agrees(rt.Forward, p.end) {
					t.Errorf(
						"%s, kernels' tables %v: %s to %s: we say %s, the kernels %v",
						when,
						kernels,
						p.src,
						p.dst,
						words(rt.Forward),
						p.end,
					)
				}
				if rt.Verdict == forward.TwoWay && p.end.verdict != "arrives" {
					t.Errorf("%s: %s to %s: two-way is false", when, p.src, p.dst)
				}
			}
		}
	}
	compare("converged")
	down := n.links[1].ports[0]
	down.down = true
	b.run(down.router.name, "ip link set "+down.name+" down")
	calm("the ring has healed")
	compare("with a link down")
	t.Logf(
		"%d directions compared with real forwarding, %d of them unknown because the rule's table was not told, %d hops by that table",
		compared,
		untold,
		bySide,
	)
	require.Positive(t, untold)
	require.Positive(t, bySide)
	require.Greater(t, compared, 200)
}

// bird starts the BIRD daemon with OSPF on every port and more configuration.
func (n *randomNet) bird(r *router, more string) {
	conf := "router id " + r.stub[0].Addr().
		String() +
		";\nprotocol device {}\nprotocol direct { ipv4; }\nprotocol kernel { ipv4 { export all; }; }\nprotocol ospf v2 { ipv4 { export none; }; area 0 {\n interface \"stub0\" { stub; };\n"
	for _, p := range r.ports {
		conf += " interface \"" + p.name + "\" { type ptp; hello 1; dead 4; cost 10; };\n"
	}
	conf += "}; }\n" + more
	file := filepath.Join(n.dir, "bird-"+r.name+".conf")
	require.NoError(n.t, os.WriteFile(file, []byte(conf), 0o644))
	n.run(r.name, "bird -c "+file+" -s "+n.dir+"/bird-"+r.name+".ctl -P "+n.dir+"/bird-"+r.name+".pid")
}
