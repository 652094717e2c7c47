package lab

import (
	"flag"
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/forward"
)

var (
	printedSeeds = flag.Int("printed-seeds", 4, "networks that are printed in the shapes of other systems")
	firstPrinted = flag.Uint64("first-printed", 1, "the first of them; failures name theirs")
)

// TestPrintedNetworksAgainstRealForwarding: what kernels forward by, printed in shapes that no kernel prints, two of
// them as the routing instances of one device, leads to no sure answer that the packets deny.
func TestPrintedNetworksAgainstRealForwarding(t *testing.T) {
	both, lost, unknown := 0, 0, 0
	for seed := *firstPrinted; seed < *firstPrinted+uint64(*printedSeeds); seed++ {
		t.Run(fmt.Sprintf("seed %d", seed), func(t *testing.T) {
			n := newRandomNet(newBench(t, "ping"), 7000+seed)
			dir, shapes := n.printed()
			keepFailing(t, dir, fmt.Sprintf("printed-%d", seed))
			walker := load(t, dir)
			for _, p := range n.pings(seed) {
				rt := walker.Trace(p.src, p.dst)
				if len(rt.Forward.Branches) > 1 || rt.Return != nil && len(rt.Return.Branches) > 1 {
					continue // which branch a packet takes cannot be known
				}
				switch rt.Verdict {
				case forward.TwoWay:
					both++
				case forward.BothUnknown:
					unknown++
					continue
				default:
					lost++
				}
				if (rt.Verdict == forward.TwoWay) != p.answered {
					t.Errorf("ping %s from %s: answered %v, we say %s (%s); %v", p.dst, p.src, p.answered, rt.Verdict,
						words(rt.Forward), shapes)
				}
			}
		})
	}
	t.Logf("%d two-way, %d lost, %d unknown", both, lost, unknown)
	if both+lost+unknown > 0 { // there are namespaces here
		require.Positive(t, both)
		require.Positive(t, lost)
		require.Less(t, unknown, both+lost, "most answers are sure")
	}
}
