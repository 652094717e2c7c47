package survive

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
)

// ring is three routers in a ring with static routes and a backup that leads into a dead end, and a fourth on one link.
const ring = `
	a: addr 10.0.0.1/24 lan
	a: direct 10.0.0.0/24 dev lan
	a: addr 172.16.0.1/30 e0
	a: direct 172.16.0.0/30 dev e0
	a: addr 172.16.1.1/30 e1
	a: direct 172.16.1.0/30 dev e1
	a: static 10.0.1.0/24 pref 1 via 172.16.0.2 dev e0
	a: static 10.0.1.0/24 pref 200 via 172.16.1.2 dev e1 candidate
	a: static 10.0.3.0/24 pref 1 via 172.16.0.2 dev e0
	b: addr 172.16.0.2/30 e0
	b: direct 172.16.0.0/30 dev e0
	b: addr 172.16.3.1/30 e3
	b: direct 172.16.3.0/30 dev e3
	b: addr 10.0.1.1/24 lan
	b: direct 10.0.1.0/24 dev lan
	b: static 10.0.0.0/24 pref 1 via 172.16.0.1 dev e0
	b: static 10.0.3.0/24 pref 1 via 172.16.3.2 dev e3
	c: addr 172.16.1.2/30 e1
	c: direct 172.16.1.0/30 dev e1
	c: static 10.0.1.0/24 pref 1 blackhole
	d: addr 172.16.3.2/30 e3
	d: direct 172.16.3.0/30 dev e3
	d: addr 10.0.3.1/24 lan
	d: direct 10.0.3.0/24 dev lan
	d: static 0.0.0.0/0 pref 1 via 172.16.3.1 dev e3
`

func TestRun(t *testing.T) {
	r := Run(context.Background(), forward.NewWalker(topology.Build(coretest.Build(ring))), Options{})
	by := map[string]Outcome{}
	for _, o := range r.Outcomes {
		by[o.Failure.Kind.String()+" "+o.Failure.Name] = o
	}
	link := by["link a:e0 - b:e0"]
	require.Len(t, link.Lost, 2, "10.0.0.0/24 loses 10.0.1.0/24 and 10.0.3.0/24")
	require.Len(t, link.Dead, 1, "the backup by c comes in and does not carry")
	require.Equal(t, "a", link.Dead[0].Device)
	require.False(t, func() bool { o := by["link a:e1 - c:e1"]; return o.Noticed() }(), "nobody uses it")
	require.NotEmpty(t, by["device b"].Lost)
	var hangs []string
	for _, s := range r.Singles {
		hangs = append(hangs, s.Network.String())
	}
	require.Contains(t, hangs, "10.0.3.0/24", "on the link to b")
	for i := 1; i < len(r.Outcomes); i++ {
		require.GreaterOrEqual(t, len(r.Outcomes[i-1].Lost), len(r.Outcomes[i].Lost), "the most harmful first")
	}
}

func TestPairsOfFailures(t *testing.T) {
	w := forward.NewWalker(topology.Build(coretest.Build(ring)))
	single := Run(context.Background(), w, Options{})
	double := Run(context.Background(), w, Options{Pairs: true})
	n := 0
	for _, o := range single.Outcomes {
		if o.Failure.Kind != Device {
			n++
		}
	}
	require.Len(t, double.Outcomes, n*(n-1)/2)
}

func TestEndsEarly(t *testing.T) {
	ctx, stop := context.WithCancel(context.Background())
	stop()
	require.Empty(t, Run(ctx, forward.NewWalker(topology.Build(coretest.Build(ring))), Options{}).Outcomes)
}
