package audit

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// triangle is r with two neighbours on the way to a network of goal: through near it is one link shorter, or both are
// alike.
const triangle = `
	r: addr 172.28.1.1/30 e1
	r: direct 172.28.1.0/30 dev e1
	near: addr 172.28.1.2/30 e1
	near: direct 172.28.1.0/30 dev e1
	r: addr 172.28.2.1/30 e2
	r: direct 172.28.2.0/30 dev e2
	far: addr 172.28.2.2/30 e2
	far: direct 172.28.2.0/30 dev e2
	near: addr 172.28.3.1/30 e3
	near: direct 172.28.3.0/30 dev e3
	goal: addr 172.28.3.2/30 e3
	goal: direct 172.28.3.0/30 dev e3
	goal: addr 10.61.9.1/24 lan
	goal: direct 10.61.9.0/24 dev lan
`

func TestHints(t *testing.T) {
	toGoal := `
	far: addr 172.28.4.1/30 e4
	far: direct 172.28.4.0/30 dev e4
	goal: addr 172.28.4.2/30 e4
	goal: direct 172.28.4.0/30 dev e4
	far: static 10.61.9.0/24 via 172.28.4.2 dev e4
`
	for _, tt := range []struct{ name, text, other string }{
		{"the neighbour that is fewer links away", triangle, "near"},
		{"of two alike the one from which packets arrive", triangle + toGoal, "far"},
		{"both arrive: the first", triangle + toGoal + "near: static 10.61.9.0/24 via 172.28.3.2 dev e3", "near"},
		{"no way at all", "r: direct 172.28.1.0/30 dev e1\ngoal: direct 10.61.9.0/24 dev lan", ""},
		{"not over a link that is down", "r: addr 172.28.3.1/30 e3\nr: link e3 down\ngoal: addr 172.28.3.2/30 e3\ngoal: direct 172.28.3.0/30 dev e3\ngoal: direct 10.61.9.0/24 dev lan", ""},
		{"not by an interface of another table", "r: addr 172.28.3.1/30 e3\nr: direct 172.28.3.0/30 dev e3 in red\ngoal: addr 172.28.3.2/30 e3\ngoal: direct 172.28.3.0/30 dev e3\ngoal: direct 10.61.9.0/24 dev lan", ""},
		{"its own network in another table", "r: direct 10.61.9.0/24 dev e3 in red\nr: direct 172.28.1.0/30 dev e1\nn: addr 172.28.1.2/30 e\nn: direct 172.28.1.0/30 dev e", ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			a := newAuditor(forward.NewWalker(topology.Build(coretest.Build(tt.text))), route.IPv4)
			l, found := a.hints().toward(a.devices[a.byName["r"]], "default", netip.MustParsePrefix("10.61.9.0/24"))
			require.Equal(t, tt.other != "", found)
			if found {
				require.Equal(t, tt.other, l.to.Name)
			}
		})
	}
}
