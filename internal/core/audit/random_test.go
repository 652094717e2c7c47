package audit

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

var seeds = flag.Int("seeds", 25, "how many random networks are compared")

// randomText makes a network of routers with links and attached networks of their own, and routes that are mostly right.
func randomText(rnd *rand.Rand, size int) string {
	var b strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	chance := func(percent int) bool { return rnd.IntN(100) < percent }
	type port struct{ far, link, end int }
	ports := make([][]port, size)
	links := 0
	connect := func(x, y int) {
		k := links
		links++
		bits := []int{30, 29, 31}[rnd.IntN(3)]
		first := 1
		if bits == 31 {
			first = 0
		}
		for i, r := range []int{x, y} {
			far := y
			if i == 1 {
				far = x
			}
			ports[r] = append(ports[r], port{far, k, first + 1 - i})
			say("r%d: addr 172.28.%d.%d/%d e%d", r, k, first+i, bits, k)
			if chance(4) {
				say("r%d: link e%d down", r, k)
			} else {
				vrf := ""
				if chance(4) {
					vrf = " in red"
				}
				say("r%d: direct 172.28.%d.0/%d dev e%d%s", r, k, bits, k, vrf)
			}
		}
	}
	for i := 1; i < size; i++ {
		connect(rnd.IntN(i), i)
	}
	for range rnd.IntN(size) {
		if x, y := rnd.IntN(size), rnd.IntN(size); x != y {
			connect(x, y)
		}
	}
	for i := range size {
		say("r%d: addr 10.61.%d.1/24 lan0", i, i)
		say("r%d: direct 10.61.%d.0/24 dev lan0", i, i)
		if chance(30) {
			say("r%d: addr 10.62.%d.1/32 lo", i, i)
			say("r%d: direct 10.62.%d.1/32 dev lo", i, i)
		}
		if chance(8) {
			say("r%d: forwarding ipv4 off", i)
		}
		if chance(8) {
			say("r%d: check e%d %s", i, ports[i][0].link, []string{"strict", "loose", "feasible"}[rnd.IntN(3)])
		}
		if chance(5) {
			say("r%d: stateful", i)
		}
		if chance(8) {
			say("r%d: neigh 10.61.%d.7 lan0 %s", i, i, []string{"alive", "failed"}[rnd.IntN(2)])
		}
		if chance(5) { // a network inside another one's
			say("r%d: addr 10.61.%d.129/25 lan1", i, rnd.IntN(size))
		}
	}
	dist := func(from, to int) int {
		seen := map[int]int{from: 0}
		todo := []int{from}
		for len(todo) > 0 {
			x := todo[0]
			todo = todo[1:]
			for _, p := range ports[x] {
				if _, ok := seen[p.far]; !ok {
					seen[p.far] = seen[x] + 1
					todo = append(todo, p.far)
				}
			}
		}
		return seen[to]
	}
	for i := range size {
		hop := func(goal int) string {
			p := ports[i][rnd.IntN(len(ports[i]))]
			if !chance(8) {
				for _, q := range ports[i] {
					if dist(q.far, goal) < dist(p.far, goal) {
						p = q
					}
				}
			}
			if chance(3) {
				return fmt.Sprintf("via 172.28.%d.6 dev e%d", p.link, p.link)
			}
			if chance(10) {
				return fmt.Sprintf("via 172.28.%d.%d", p.link, p.end) // recursive
			}
			return fmt.Sprintf("via 172.28.%d.%d dev e%d", p.link, p.end, p.link)
		}
		for goal := range size {
			if goal == i || chance(5) {
				continue
			}
			prefix := fmt.Sprintf("10.61.%d.0/24", goal)
			switch {
			case chance(3):
				say("r%d: static %s %s", i, prefix, []string{"blackhole", "unreachable", "prohibit"}[rnd.IntN(3)])
			case chance(12):
				say("r%d: ospf %s %s %s", i, prefix, hop(goal), hop(goal))
			default:
				say("r%d: static %s %s", i, prefix, hop(goal))
			}
			if chance(6) {
				say("r%d: static 10.61.%d.%d/%d %s", i, goal, rnd.IntN(8)*32, 27+rnd.IntN(4), hop(rnd.IntN(size)))
			}
			if chance(20) {
				say("r%d: static 10.62.%d.1/32 %s", i, goal, hop(goal))
			}
		}
		if chance(40) {
			say("r%d: static 0.0.0.0/0 %s", i, hop(rnd.IntN(size)))
		}
		if chance(15) {
			say("r%d: static 10.61.0.0/16 blackhole", i)
		}
		if chance(8) {
			say("r%d: static %s %s in red", i, []string{"0.0.0.0/0", "10.61.0.0/16"}[rnd.IntN(2)], hop(rnd.IntN(size)))
		}
		if chance(15) {
			say("r%d: rule 100 %s table 77", i, []string{fmt.Sprintf("from 10.61.%d.0/25", rnd.IntN(size)), fmt.Sprintf("iif e%d", ports[i][0].link), fmt.Sprintf("to 10.61.%d.64/26", rnd.IntN(size))}[rnd.IntN(3)])
			say("r%d: rule 200 table default", i)
			say("r%d: static %s %s in 77", i, []string{"0.0.0.0/0", "10.61.0.0/16"}[rnd.IntN(2)], hop(rnd.IntN(size)))
		}
	}
	return b.String()
}

// policies puts rules for flows, translations, tunnels and hosts with settings of their own into a network.
func policies(rnd *rand.Rand, n *network.Snapshot) *network.Snapshot {
	chance := func(percent int) bool { return rnd.IntN(100) < percent }
	lan := func() netip.Prefix {
		return netip.MustParsePrefix(fmt.Sprintf("10.61.%d.0/%d", rnd.IntN(n.Devices().Len()), 24+rnd.IntN(2)))
	}
	x := n.Draft()
	var hosts []network.Host
	for i, d := range n.Devices().All() {
		var p network.Policy
		m := route.Mark{File: 9, Off: uint32(i), End: uint32(i) + 1}
		out := ""
		if d.Addresses().Len() > 0 {
			out = d.Addresses().At(rnd.IntN(d.Addresses().Len())).Interface
		}
		if chance(6) {
			p.Flows = []network.FlowRule{{From: lan(), To: lan(), Permit: chance(50), Refuse: chance(50), Mark: m}, {Permit: true, In: out, Mark: m}}
		}
		if chance(6) {
			p.Translations = append(p.Translations, network.Translation{From: lan(), Out: out, Mark: m})
		}
		if chance(4) {
			p.Translations = append(p.Translations, network.Translation{Destination: true, To: lan(), Becomes: lan().Addr().Next(), Mark: m})
		}
		if chance(6) && out != "" {
			far := n.Devices().At(rnd.IntN(n.Devices().Len()))
			if far.Addresses().Len() > 0 {
				p.Tunnels = append(p.Tunnels, network.Tunnel{Interface: out, Local: d.Addresses().At(0).Prefix.Addr(), Remote: far.Addresses().At(0).Prefix.Addr(), Mark: m})
			}
		}
		if chance(10) {
			h := network.Host{Name: fmt.Sprint("h", i), Address: netip.MustParseAddr(fmt.Sprintf("10.61.%d.77", i)), Mark: m}
			h.Gateway = netip.MustParseAddr(fmt.Sprintf("10.61.%d.1", rnd.IntN(n.Devices().Len())))
			if chance(50) {
				h.Prefix = netip.MustParsePrefix(fmt.Sprintf("10.61.%d.0/%d", i&^1, 23))
			}
			hosts = append(hosts, h)
		}
		x.SetPolicy(d.Name, p)
	}
	x.SetHosts(hosts)
	return x.Freeze()
}

// compare checks every pair of groups against a trace from and to each end of their ranges. It returns how many.
func compare(t *testing.T, name string, w *forward.Walker, fam route.Family) int {
	t.Helper()
	a := newAuditor(w, fam)
	if len(name)%2 == 0 {
		a.splitFrom = 1 // two workers meet in the middle of somebody's networks
	}
	a.run(func(int) {})
	said := map[[2]int32]pair{}
	for _, p := range a.lost {
		_, twice := said[[2]int32{p.from, p.to}]
		require.False(t, twice)
		said[[2]int32{p.from, p.to}] = p
	}
	n := 0
	for s, from := range a.groups {
		for d, to := range a.groups {
			if s == d || same(from, to) || from.start < 0 || to.start < 0 {
				continue
			}
			p, ok := said[[2]int32{int32(s), int32(d)}]
			if !ok {
				p.both = forward.TwoWay
			}
			for _, x := range []number{from.spans[0].first, from.spans[len(from.spans)-1].last} {
				for _, y := range []number{to.spans[0].first, to.spans[len(to.spans)-1].last} {
					rt := w.Trace(x.addr(fam), y.addr(fam))
					n++
					if rt.Verdict == p.both {
						if p.cause < 0 || rt.Verdict == forward.TwoWay || a.lostTo(p).down >= 0 {
							continue
						}
						dir := &rt.Forward
						if p.back {
							dir = rt.Return
						}
						worst, _ := dir.Worst()
						c := a.reg.causes[p.cause]
						if worst.Verdict == c.key.verdict && (worst.Verdict == forward.Loops || worst.Where == c.key.device || len(dir.Branches) > 1) {
							continue
						}
					}
					t.Fatalf("%s: %s to %s: the audit says %s, the trace %s\n%+v\nforward %+v\nback %+v", name, x.addr(fam), y.addr(fam), p.both, rt.Verdict, a.causeText(p), rt.Forward, rt.Return)
				}
			}
		}
	}
	return n
}

func (a *auditor) causeText(p pair) string {
	if p.cause < 0 {
		return ""
	}
	return fmt.Sprintf("back %v, %+v", p.back, a.reg.causes[p.cause].key)
}

// TestAgreesWithTraces is the slow twin: single traces judge what the classes say.
func TestAgreesWithTraces(t *testing.T) {
	n := 0
	for seed := range uint64(*seeds) {
		rnd := rand.New(rand.NewPCG(seed, 6))
		text := randomText(rnd, 3+rnd.IntN(6))
		net := coretest.Build(text)
		if seed%3 == 2 {
			net = policies(rnd, net)
		}
		n += compare(t, fmt.Sprintf("seed %d\n%s", seed, text), forward.NewWalker(topology.Build(net)), route.IPv4)
	}
	t.Logf("%d traces", n)
}

// FuzzAgreesWithTraces is the same of networks without end.
func FuzzAgreesWithTraces(f *testing.F) {
	f.Add(uint64(1), 3, false)
	f.Add(uint64(2), 6, true)
	f.Fuzz(func(t *testing.T, seed uint64, size int, more bool) {
		if size < 2 || size > 8 {
			t.Skip("too small, or too slow")
		}
		rnd := rand.New(rand.NewPCG(seed, 66))
		text := randomText(rnd, size)
		net := coretest.Build(text)
		if more {
			net = policies(rnd, net)
		}
		compare(t, text, forward.NewWalker(topology.Build(net)), route.IPv4)
	})
}

// TestMatrixAgreesWithTraces asks a trace for every cell.
func TestMatrixAgreesWithTraces(t *testing.T) {
	for seed := range uint64(*seeds) {
		rnd := rand.New(rand.NewPCG(seed, 16))
		text := randomText(rnd, 3+rnd.IntN(6))
		w := forward.NewWalker(topology.Build(coretest.Build(text)))
		m := MakeMatrix(w, route.IPv4, false)
		require.NotEmpty(t, m.Ends)
		for i, row := range m.Cells {
			for j, c := range row {
				if i == j || c.Same {
					continue
				}
				rt := w.Trace(c.From, c.To)
				want := c.Verdict
				if want == forward.TwoWay {
					want = c.Worst
				}
				require.Equal(t, rt.Verdict, want, "seed %d: %s to %s\n%s", seed, c.From, c.To, text)
				x, _ := w.DeviceOf(m.Ends[i].Address)
				y, _ := w.DeviceOf(m.Ends[j].Address)
				if x.Device == nil || x.Device != y.Device { // what stands for the two networks fares as the cell says
					require.Equal(t, w.Trace(m.Ends[i].Address, m.Ends[j].Address).Verdict, c.Verdict, "seed %d: %s to %s\n%s", seed, m.Ends[i].Address, m.Ends[j].Address, text)
				}
			}
		}
	}
}
