package audit

import (
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

// filtered puts filters of all hooks into a network, some of which ask for flows or were not understood.
func filtered(rnd *rand.Rand, n *network.Snapshot) *network.Snapshot {
	chance := func(percent int) bool { return rnd.IntN(100) < percent }
	lan := func() (p netip.Prefix) {
		if chance(60) {
			p = netip.MustParsePrefix(fmt.Sprintf("10.61.%d.0/%d", rnd.IntN(n.Devices().Len()), 23+rnd.IntN(3)))
		}
		return p
	}
	x := n.Draft()
	for i, d := range n.Devices().All() {
		port := func() string {
			if d.Addresses().Len() == 0 || chance(40) {
				return ""
			}
			return d.Addresses().At(rnd.IntN(d.Addresses().Len())).Interface
		}
		var p network.Policy
		for chain := range rnd.IntN(4) {
			hook := []network.Hook{network.ComingIn, network.Forwarded, network.GoingOut, network.ForItself, network.FromItself}[rnd.IntN(5)]
			in, out := "", ""
			if hook != network.GoingOut && hook != network.FromItself {
				in = port()
			}
			if hook == network.GoingOut || hook == network.Forwarded {
				out = port()
			}
			rule := func(r network.FlowRule) {
				m := uint32(100*i + len(p.Flows))
				r.Chain, r.Hook, r.Mark = chain, hook, route.Mark{File: 9, Off: m, End: m + 1}
				p.Flows = append(p.Flows, r)
			}
			for range 1 + rnd.IntN(3) {
				r := network.FlowRule{From: lan(), To: lan(), In: in, Out: out, Permit: chance(60), Refuse: chance(30), Undecided: chance(5)}
				if chance(20) {
					r.Protocol, r.ToPorts = "tcp", network.Ports{Lo: 23, Hi: 23}
				}
				rule(r)
			}
			if chance(80) {
				rule(network.FlowRule{Permit: true})
			}
		}
		x.SetPolicy(d.Name, p)
	}
	return x.Freeze()
}

// TestFiltersAgreeWithTraces: what is found out of filters without a trace is what the trace finds, to the cause; and
// all pairs are as traces have them.
func TestFiltersAgreeWithTraces(t *testing.T) {
	passages := map[string]int{}
	for seed := range uint64(*seeds) {
		rnd := rand.New(rand.NewPCG(seed, 77))
		var text string
		for line := range strings.Lines(coretest.RandomText(rnd, 3+rnd.IntN(6))) {
			if !strings.Contains(line, " check ") && !strings.Contains(line, " rule ") { // those take traces
				text += line
			}
		}
		w := forward.NewWalker(topology.Build(filtered(rnd, coretest.Build(text))))
		name := fmt.Sprintf("seed %d\n%s", seed, text)
		compare(t, name, w, route.IPv4)
		a := newAuditor(w, route.IPv4)
		a.run(func(int) {}, untold)
		if a.between == nil {
			passages["others than filters"]++
			continue
		}
		for s, from := range a.groups {
			for d, to := range a.groups {
				if s == d || same(from, to) || from.start < 0 || to.start < 0 {
					continue
				}
				got := pair{from: int32(s), to: int32(d), cause: -1, split: -1}
				o, b := a.reg.outcomes.at(to.column[from.start]), a.reg.outcomes.at(from.column[to.start])
				if !o.comesHome() || !b.comesHome() {
					continue
				}
				want, lost := a.follow(got)
				switch twoWay, known := a.passed(&got); {
				case !known:
					passages["a trace is needed"]++
				case twoWay:
					require.False(t, lost, "%s: %s to %s", name, from.rep, to.rep)
					passages[forward.TwoWay.String()]++
				default:
					require.Equal(t, want, got, "%s: %s to %s: %s", name, from.rep, to.rep, a.causeText(want))
					passages[fmt.Sprint(got.both, " ", got.back)]++
				}
			}
		}
	}
	t.Log(passages)
	for _, kind := range []string{"a trace is needed", "two-way", "broken false", "one-way true", "unknown false", "unknown true"} {
		require.Positive(t, passages[kind], "%s: %v", kind, passages)
	}
}
