package capture

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestATableThatStandsTwice in one text is two: of two moments, or of two devices. What is in no order, what a
// protocol's part of a listing shows once more, and a table without a route twice, is one.
func TestATableThatStandsTwice(t *testing.T) {
	const (
		one    = "C    10.61.16.0/24 is directly connected, hall\nS    10.61.64.0/24 [1/0] via 172.28.61.2\nC    172.28.61.0/30 is directly connected, line1\n"
		other  = "S    10.61.16.0/24 [1/0] via 172.28.61.1\nC    10.61.64.0/24 is directly connected, tills\nC    172.28.61.0/30 is directly connected, up0\n"
		beside = "C    10.61.1.0/24 is directly connected, yard\nS    10.61.2.0/24 [1/0] via 172.28.61.2\nS    172.20.0.0/16 [1/0] via 172.28.61.2\n"
	)
	for text, want := range map[string][]int{
		one:                             {3},
		one + "\n" + other:              {3, 3},
		one + one:                       {3, 3},
		one + "\n" + other + "\n" + one: {3, 3, 3},
		one + beside:                    {6},
		one + "S    10.61.16.0/24 [5/0] via 172.28.61.2\n": {4},
	} {
		c, err := Read("r.txt", []byte(text), 1)
		require.NoError(t, err)
		var got []int
		for _, p := range c.Parts {
			for _, tab := range p.Facts.Tables {
				got = append(got, tab.Routes.Len())
			}
		}
		require.Equal(t, want, got, text)
	}
	// What is in no order is never cut apart.
	var rows []string
	for range 2 * mostRestarts {
		rows = append(rows, "S    10.61.64.0/24 [1/0] via 172.28.61.2\nC    10.61.16.0/24 is directly connected, hall\n")
	}
	c, err := Read("r.txt", []byte(strings.Join(rows, "")), 1)
	require.NoError(t, err)
	require.Len(t, c.Parts[0].Facts.Tables, 1)
}
