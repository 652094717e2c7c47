package audit

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
)

// TestBreakagesAreThePairs: what is told by exact addresses is what was judged, each pair once, and what is told of
// networks is of them in part just where some of their addresses are left out.
func TestBreakagesAreThePairs(t *testing.T) {
	broken, partly := 0, 0
	for seed := range uint64(300) {
		rnd := rand.New(rand.NewPCG(seed, 77))
		r := Run(forward.NewWalker(topology.Build(coretest.Build(coretest.RandomText(rnd, 3+rnd.IntN(6))))), Options{})
		for i := range r.Findings {
			f := &r.Findings[i]
			want, told := map[string]int{}, map[string]int{}
			for p := range f.pairs.all() {
				want[fmt.Sprint(p.from, " ", p.to, " ", p.back, " ", p.split >= 0)]++
				broken++
			}
			for b := range f.Breakages() {
				if b.Partly() {
					partly++
				}
				for _, from := range b.From {
					for _, s := range groupsIn(f.of, from) {
						for _, to := range b.To {
							for _, d := range groupsIn(f.of, to) {
								told[fmt.Sprint(s, " ", d, " ", b.Reply, " ", b.Split)]++
							}
						}
					}
				}
			}
			require.Equal(t, want, told, "seed %d, %s", seed, f.ID)
		}
	}
	require.Greater(t, broken, 1000)
	require.Greater(t, partly, 100)
}

// groupsIn finds the groups all of whose addresses are in a part, and of whose addresses none is in it by half.
func groupsIn(a *auditor, p Ends) []int32 {
	var out []int32
	for i, g := range a.groups {
		in := g.net == p.Network && (p.Addresses == nil || slices.ContainsFunc(g.spans, func(s span) bool {
			return holds(p, s.first.addr(a.fam))
		}))
		if !in {
			continue
		}
		out = append(out, int32(i))
		for _, s := range g.spans {
			if p.Addresses != nil && (!holds(p, s.first.addr(a.fam)) || !holds(p, s.last.addr(a.fam))) {
				return nil
			}
		}
	}
	return out
}

func holds(p Ends, x netip.Addr) bool {
	for _, r := range p.Addresses {
		if r.Contains(x) {
			return true
		}
	}
	return false
}

// TestBreakagesNameAddresses: of a link one router has a way and the other has none.
func TestBreakagesNameAddresses(t *testing.T) {
	r := audited(t, coretest.Faults["no route although the network is attached elsewhere"], Options{})
	require.Len(t, r.Findings, 1)
	var told []string
	for b := range r.Findings[0].Breakages() {
		told = append(told, fmt.Sprint(b.From, " to ", b.To, " ", b.Reply, " ", b.Partly()))
	}
	require.Equal(t, []string{
		"[{10.61.1.0/24 []}] to [{10.61.2.0/24 []} {172.28.1.0/30 [172.28.1.2-172.28.1.2]}] true true",
		"[{10.61.2.0/24 []} {172.28.1.0/30 [172.28.1.2-172.28.1.2]}] to [{10.61.1.0/24 []}] false true",
	}, told)
}
