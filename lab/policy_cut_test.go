package lab

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
)

const fenceTable = `10.61.64.0/20 dev in0.0 proto kernel scope link src 10.61.79.1
10.61.80.0/20 dev out0.0 proto kernel scope link src 10.61.95.1
`

// walkerOver reads a case of one box with a table and another text.
func walkerOver(t *testing.T, text string) *forward.Walker {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(dir, "fence"), 0o777))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "fence", "routes.txt"), []byte(fenceTable), 0o666))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "fence", "saved.txt"), []byte(text), 0o666))
	c, err := casefile.Load(dir)
	require.NoError(t, err)
	return forward.NewWalker(topology.Build(c.Network))
}

// TestWhatIsCutOrDisturbedNeverLetsMore: a configuration that is cut in the middle of a line, or between two where its
// shape shows that, with other lines between its own, never makes of a filtered flow one that arrives.
func TestWhatIsCutOrDisturbedNeverLetsMore(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 8))
	const in, out = "in0.0", "out0.0"
	junk := []string{"%LINK-3: interface changed state to up", "gate login: night", "Nov 12 02:11:09 gate kernel: something", "", "what is this", "  10.1.1.1 is alive",
		"-----------------", "5 packets transmitted, 5 received"}
	tried, wrong := 0, 0
	for range 3 {
		policy := randomPolicy(rnd)
		flows := randomFlows(rnd, 60)
		for _, shape := range writtenShapes {
			whole := shape.write(policy, in, out)
			w := walkerOver(t, whole)
			var filtered []flowTo
			for _, f := range flows {
				if w.TraceFlow(f.src, f.dst, f.flow).Forward.Verdict == forward.Filtered {
					filtered = append(filtered, f)
				}
			}
			lines := strings.SplitAfter(whole, "\n")
			for range 12 {
				var text string
				switch rnd.IntN(3) {
				case 0:
					n := 0
					for n <= len(lines[0]+lines[1]+lines[2]+lines[3]) || whole[n-1] == '\n' || whole[n] == '\n' { // of the first lines alone nobody knows what it is
						n = 1 + rnd.IntN(len(whole)-1)
					}
					text = whole[:n]
				default:
					for _, l := range lines {
						text += l
						if rnd.IntN(20) == 0 {
							text += junk[rnd.IntN(len(junk))] + "\n"
						}
					}
				}
				w := walkerOver(t, text)
				for _, f := range filtered {
					tried++
					if w.TraceFlow(f.src, f.dst, f.flow).Forward.Verdict == forward.Arrives {
						wrong++
						t.Errorf("%s: %s is filtered, and arrives where the text is\n%s", shape.name, f, text)
						break
					}
				}
				if wrong > 3 {
					t.FailNow()
				}
			}
		}
	}
	t.Log(fmt.Sprint(tried, " filtered flows asked again, ", wrong, " arrive"))
}
