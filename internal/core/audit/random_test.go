package audit

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

var seeds = flag.Int("seeds", 25, "how many random networks are compared")

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
			p.Flows = []network.FlowRule{
				{From: lan(), To: lan(), Permit: chance(50), Refuse: chance(50), Mark: m},
				{Permit: true, In: out, Mark: m},
			}
		}
		if steered := chance(12); steered && out != "" {
			to := network.Detour{NextHop: lan().Addr().Next()}
			far := n.Devices().At(rnd.IntN(n.Devices().Len()))
			if far.Addresses().Len() > 0 && chance(80) {
				to.NextHop = far.Addresses().At(rnd.IntN(far.Addresses().Len())).Prefix.Addr()
			}
			to.Open = chance(10)
			r := network.FlowRule{Chain: 1, Hook: network.Steered, Permit: true, In: out, Detour: to, Mark: m}
			if chance(70) {
				r.From = lan()
			}
			if chance(30) {
				r.To = lan()
			}
			p.Flows = append(p.Flows, r, network.FlowRule{Chain: 1, Hook: network.Steered, Permit: true, Mark: m})
		}
		if chance(6) {
			p.Translations = append(p.Translations, network.Translation{From: lan(), Out: out, Mark: m})
		}
		if chance(4) {
			p.Translations = append(
				p.Translations,
				network.Translation{Destination: true, To: lan(), Becomes: lan().Addr().Next(), Mark: m},
			)
		}
		if chance(6) && out != "" {
			far := n.Devices().At(rnd.IntN(n.Devices().Len()))
			if far.Addresses().Len() > 0 {
				p.Tunnels = append(
					p.Tunnels,
					network.Tunnel{
						Interface: out,
						Local:     d.Addresses().At(0).Prefix.Addr(),
						Remote:    far.Addresses().At(0).Prefix.Addr(),
						Mark:      m,
					},
				)
			}
		}
		if chance(10) {
			h := network.Host{
				Name:    fmt.Sprint("h", i),
				Address: netip.MustParseAddr(fmt.Sprintf("10.61.%d.77", i)),
				Mark:    m,
			}
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
	a.run(func(int) {}, untold)
	said := map[[2]int32]pair{}
	for p := range a.lost.all() {
		_, twice := said[[2]int32{p.from, p.to}]
		require.False(t, twice)
		said[[2]int32{p.from, p.to}] = p
	}
	apart := lostPairs{pairs: slices.Collect(a.lost.all())}
	require.Equal(t, slices.Collect(a.losses(&apart)), slices.Collect(a.losses(&a.lost)),
		"%s: pairs one by one, and in blocks", name)
	for _, b := range a.lost.blocks {
		one := lostPairs{blocks: []block{b}}
		single := lostPairs{pairs: slices.Collect(one.all())}
		want, _ := merged(slices.Clone(a.newSpanFinder().of(&single)))
		got, _ := merged(slices.Clone(a.newSpanFinder().of(&one)))
		require.Equal(t, want, got, "%s: addresses of pairs one by one, and of a block", name)
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
					if rt.Followed() == p.both {
						if p.cause < 0 || rt.Followed() == forward.TwoWay || a.groups[a.lostTo(p)].down >= 0 {
							continue
						}
						dir := &rt.Forward
						if p.back {
							dir = rt.Return
						}
						worst, _ := dir.Worst()
						c := a.reg.causeAt(p.cause)
						if worst.Verdict == c.key.verdict &&
							(worst.Verdict == forward.Loops || worst.Where == c.key.device || len(dir.Branches) > 1) {
							continue
						}
					}
					t.Fatalf(
						"%s: %s to %s: the audit says %s, the trace %s\n%+v\nforward %+v\nback %+v",
						name,
						x.addr(fam),
						y.addr(fam),
						p.both,
						rt.Followed(),
						a.causeText(p),
						rt.Forward,
						rt.Return,
					)
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
	return fmt.Sprintf("back %v, %+v", p.back, a.reg.causeAt(p.cause).key)
}

// TestAgreesWithTraces is the slow twin: single traces judge what the classes say.
func TestAgreesWithTraces(t *testing.T) {
	n := 0
	for seed := range uint64(*seeds) {
		rnd := rand.New(rand.NewPCG(seed, 6))
		text := coretest.RandomText(rnd, 3+rnd.IntN(6))
		net := coretest.Build(text)
		if seed%3 == 2 {
			net = policies(rnd, net)
		}
		n += compare(t, fmt.Sprintf("seed %d\n%s", seed, text), forward.NewWalker(topology.Build(net)), route.IPv4)
	}
	t.Logf("%d traces", n)
}

// TestSharesAgreeWithTraces is the same of networks whose routers share virtual addresses and have tunnels.
func TestSharesAgreeWithTraces(t *testing.T) {
	verdicts := map[forward.Both]int{}
	for seed := range uint64(*seeds) {
		rnd := rand.New(rand.NewPCG(seed, 69))
		size := 3 + rnd.IntN(5)
		text := coretest.RandomText(rnd, size) + coretest.RandomShares(rnd, size)
		w := forward.NewWalker(topology.Build(coretest.Build(text)))
		compare(t, fmt.Sprintf("seed %d\n%s", seed, text), w, route.IPv4)
		for i := range size {
			verdicts[w.Trace(netip.MustParseAddr(fmt.Sprintf("10.61.%d.70", i)),
				netip.MustParseAddr(fmt.Sprintf("10.61.%d.71", (i+1)%size))).Verdict]++
		}
	}
	require.Len(t, verdicts, 4, "all kinds of endings: %v", verdicts)
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
		text := coretest.RandomText(rnd, size)
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
		text := coretest.RandomText(rnd, 3+rnd.IntN(6))
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
					require.Equal(
						t,
						w.Trace(m.Ends[i].Address, m.Ends[j].Address).Verdict,
						c.Verdict,
						"seed %d: %s to %s\n%s",
						seed,
						m.Ends[i].Address,
						m.Ends[j].Address,
						text,
					)
				}
			}
		}
	}
}
