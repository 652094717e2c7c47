package columns

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

// TestATableThatIsAlwaysCounted below its rows is cut off where the count is missing.
func TestATableThatIsAlwaysCounted(t *testing.T) {
	const (
		title = "VIRTUAL ROUTER: default (id 1)\n"
		names = "destination        nexthop      metric flags age interface\n"
		row   = "10.61.64.0/24      10.61.64.1   0      A C       ether1/3\n"
		count = "total routes shown: 1\n"
		other = "VIRTUAL ROUTER: yard (id 2)\n" + names + "10.62.64.0/24      10.62.64.1   0      A C       ether1/4\n"
		base  = "Route Table (Router: Base)\n" +
			"Dest Prefix[Flags]     Type   Proto  Age        Pref\n" +
			"      Next Hop[Interface Name]                  Metric\n" +
			"10.61.64.0/24          Local  Local  00h10m    0\n       hall16                                  0\n"
	)
	for text, cut := range map[string][]bool{
		title + names + row + count:                 {false},
		title + names + row:                         {true},
		title + names + row + count + other + count: {false, false},
		title + names + row + other + count:         {true, false},
		title + names + row + count + other:         {false, true},
		title + names + row + count + title:         {false},
		names + row:                                 {false},
		base + "No. of Routes: 1\n":                 {false},
		base:                                        {true},
	} {
		r := layouttest.Laws(t, Read, []byte(text))
		require.Len(t, r.Facts.Tables, len(cut), text)
		for i := range cut {
			require.Equal(t, cut[i], r.Facts.Tables[i].Cut, text)
		}
	}
}
