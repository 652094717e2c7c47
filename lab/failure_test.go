package lab

import (
	"flag"
	"fmt"
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/rehearse"
)

// failures is in how many random networks of kernels something fails for real, and comes back.
var failures = flag.Int("failures", 4, "networks of kernels in which interfaces and devices really fail")

// failed counts what was rehearsed and then happened.
type failed struct{ events, directions, open, wrong int }

func (s *failed) add(o failed) {
	s.events, s.directions, s.open, s.wrong = s.events+o.events, s.directions+o.directions, s.open+o.open, s.wrong+o.wrong
}

// TestFailuresAgainstRealForwarding takes interfaces of kernels down and up again, and compares every direction with
// what was said on paper before: no daemon tells anybody, so that what stays in the tables of others loses packets.
func TestFailuresAgainstRealForwarding(t *testing.T) {
	var all failed
	for i := range *failures {
		seed := *firstSeed + uint64(i)
		t.Run(fmt.Sprintf("seed %d", seed), func(t *testing.T) {
			all.add(failSeed(t, seed))
		})
	}
	t.Logf("%d failures and returns, %d directions compared, %d cannot be told, %d wrong", all.events, all.directions, all.open, all.wrong)
	require.Positive(t, all.directions-all.open)
}

// failSeed fails three things of one network, one after the other.
func failSeed(t *testing.T, seed uint64) (s failed) {
	n := newRandomNet(newBench(t, "ping"), seed)
	form := []string{"text", "json"}[seed%2]
	for round := range 3 {
		p := n.cabled()
		if p == nil {
			return s
		}
		for _, verb := range []rehearse.Verb{rehearse.Down, rehearse.Up} {
			before := load(t, n.captures(form, nil)).Topology()
			said, err := rehearse.Predict(before, []rehearse.Step{{Orders: []rehearse.Order{{Verb: verb,
				Device: p.router.name, Interface: p.name}}}})
			require.NoError(t, err)
			p.down = verb == rehearse.Down
			n.run(p.router.name, "ip link set "+p.name+" "+verb.String())
			s.events++
			p.addr[1] = netip.Prefix{} // a kernel drops the IPv6 addresses of an interface that goes down
			what := fmt.Sprintf("seed %d, round %d, %s:%s %s", seed, round, p.router.name, p.name, verb)
			n.judgeFailure(what, forward.NewWalker(before).On(said.Network), &s)
			n.judgeFailure(what+", captured then", load(t, n.captures(form, nil)), &s)
		}
		if t.Failed() {
			break
		}
	}
	return s
}

// cabled picks an interface that is up: one on a cable, of which the far end notices, or one on a segment of more than
// two. What a bridge between two hides is assumed, and said.
func (n *randomNet) cabled() *port {
	for range 100 {
		s := n.links[n.rnd.IntN(len(n.links))]
		p := s.ports[n.rnd.IntN(len(s.ports))]
		if !p.down && (s.cable || len(s.ports) > 2) {
			return p
		}
	}
	return nil
}

// judgeFailure compares what was said with what the kernels do now.
func (n *randomNet) judgeFailure(what string, w *forward.Walker, s *failed) {
	n.t.Helper()
	probes := slices.DeleteFunc(n.probes(), func(p *probe) bool { return !p.dst.IsValid() })
	n.follow(probes)
	for _, p := range probes {
		rt := w.Trace(p.src, p.dst)
		s.directions++
		switch {
		case slices.ContainsFunc(rt.Forward.Branches, func(b forward.Branch) bool { return b.Verdict == forward.Unknown }):
			s.open++ // of equal ways a packet may take the one that cannot be told
		case !agrees(rt.Forward, p.end):
			if s.wrong++; s.wrong < 6 {
				n.t.Errorf("%s: %s to %s: said was %s, the kernels %v", what, p.src, p.dst, words(rt.Forward), p.end)
			}
		}
	}
}
