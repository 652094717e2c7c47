package audit

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// randomWorker is a worker whose nodes do something at random: go on to up to most others, or end.
func randomWorker(rnd *rand.Rand, n, most int) *worker {
	text := ""
	for i := range n {
		text += strings.ReplaceAll("N: direct 10.61.0.0/24 dev e0\n", "N", string(rune('a'+i)))
	}
	a := newAuditor(forward.NewWalker(topology.Build(coretest.Build(text))), route.IPv4)
	w := a.newWorker()
	ends := []moves{
		{
			worst:   forward.Arrives,
			cause:   0,
			arrives: true,
			ways:    1,
		}, {worst: forward.NoRoute, cause: 1, ways: 1}, {worst: forward.Discarded, cause: 2, ways: 1},
		{worst: forward.Arrives, cause: 0, arrives: true, elsewhere: true, beyondDestination: true, ways: 1},
	}
	for i := range w.now {
		m := ends[rnd.IntN(len(ends))]
		if rnd.IntN(4) > 0 {
			m = moves{cause: -1}
			for range 1 + rnd.IntN(most) {
				if x := int32(rnd.IntN(a.graph.transit)); !contains(m.next, x) {
					m.next = append(m.next, x)
				}
			}
			m.ways = len(m.next)
		}
		w.now[i] = int32(len(w.moveSet.all))
		w.moveSet.all = append(w.moveSet.all, m)
		w.branching += w.branches(w.now[i])
		w.sol.turned(int32(i))
	}
	return w
}

// TestChainsAgreeWithComponents: both ways of solving say the same of nodes with one way on.
func TestChainsAgreeWithComponents(t *testing.T) {
	loops := 0
	for seed := range uint64(300) {
		w := randomWorker(rand.New(rand.NewPCG(seed, 1)), 3+int(seed%20), 1)
		require.Zero(t, w.branching)
		w.sol.solve()
		chains := append([]outcome{}, w.sol.out...)
		w.branching = 1
		w.sol.solve()
		require.Equal(t, w.sol.out, chains, "seed %d", seed)
		for _, o := range chains {
			if o.verdict == forward.Loops {
				loops++
			}
		}
	}
	require.Positive(t, loops)
}

// TestOutcomesAgreeWithSearch: from every node, what a search over all ways meets is what its outcome says.
func TestOutcomesAgreeWithSearch(t *testing.T) {
	for seed := range uint64(300) {
		w := randomWorker(rand.New(rand.NewPCG(seed, 2)), 3+int(seed%12), 3)
		w.sol.solve()
		for n := range w.graph.transit {
			var want outcome
			onWay, seen := map[int32]bool{}, map[int32]bool{}
			var visit func(x int32)
			visit = func(x int32) {
				if onWay[x] {
					want.verdict = forward.Loops
					return
				}
				if seen[x] {
					return
				}
				onWay[x], seen[x] = true, true
				m := w.moveSet.all[w.now[x]]
				want.verdict = max(want.verdict, m.worst)
				want.arrives, want.elsewhere, want.beyondDestination = want.arrives ||
					m.arrives, want.elsewhere ||
					m.elsewhere, want.beyondDestination ||
					m.beyondDestination
				for _, y := range m.next {
					visit(y)
				}
				onWay[x] = false
			}
			visit(int32(n))
			got := w.sol.out[n]
			require.Equal(t, want.verdict, got.verdict, "seed %d, node %d", seed, n)
			require.Equal(
				t,
				[]bool{want.arrives, want.elsewhere, want.beyondDestination},
				[]bool{got.arrives, got.elsewhere, got.beyondDestination},
				"seed %d, node %d",
				seed,
				n,
			)
		}
	}
}

// TestSolvingAgainAgrees: after some nodes turned, what was kept of the last time and what is found from nothing are the
// same.
func TestSolvingAgainAgrees(t *testing.T) {
	for seed := range uint64(200) {
		rnd := rand.New(rand.NewPCG(seed, 3))
		w := randomWorker(rnd, 3+int(seed%20), 1+int(seed%3))
		for range 12 {
			w.sol.solve()
			fresh := newSolver(w)
			for n := range w.now {
				fresh.turned(int32(n))
			}
			fresh.solve()
			require.Equal(t, fresh.out, w.sol.out, "seed %d", seed)
			for range 1 + rnd.IntN(4) {
				n := rnd.IntN(len(w.now))
				m := int32(rnd.IntN(len(w.moveSet.all)))
				w.branching += w.branches(m) - w.branches(w.now[n])
				w.now[n] = m
				w.sol.turned(int32(n))
			}
		}
	}
}
