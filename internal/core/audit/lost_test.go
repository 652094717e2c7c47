package audit

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// TestEvidenceOfALossIsThatOfItsFirstPair: not that of whichever packet a worker came to first, which differs from run
// to run where what is lost depends on the source.
func TestEvidenceOfALossIsThatOfItsFirstPair(t *testing.T) {
	text := coretest.Faults["a strict check drops what comes by another way"]
	w := forward.NewWalker(topology.Build(coretest.Build(text)))
	found := func(spoil bool) (out []Finding) {
		a := newAuditor(w, route.IPv4)
		a.run(func(int) {}, untold)
		for i := range a.reg.causes.len() {
			if spoil {
				a.reg.causeAt(i).hop.Evidence = []route.Mark{{File: 99}}
			}
		}
		for _, f := range a.lostFindings() {
			if f.Verdict == forward.SourceCheck {
				out = append(out, f)
			}
		}
		return out
	}
	want := found(false)
	require.NotEmpty(t, want)
	require.NotEmpty(t, want[0].Marks)
	require.Equal(t, want[0].Marks, found(true)[0].Marks)
	require.Equal(t, network.CheckStrict, want[0].Reason.Check)
}
