package capture

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestAListingThatSaysThereAreMoreIsAPart(t *testing.T) {
	const rows = "edge# show ip route\nC    10.61.2.0/24 is directly connected, hall0\nS    10.61.1.0/24 [1/0] via 172.28.61.1\n                   [1/0] via 172.28.61.9\n"
	for text, partial := range map[string]bool{
		rows + "Total number of routes: 9\nedge#\n":                            true,
		rows + "Total number of routes: 3\nedge#\n":                            false, // next hops are counted
		rows + "Total number of routes: 2\nedge#\n":                            false,
		rows + "edge# show ip route\nTotal number of routes: 9\n":              false, // of another answer
		strings.Replace(rows, "route\n", "route\nNumber of prefixes: 4\n", 1):  true,
		rows + "Total number of routes: 9\nTotal number of routes: 2\nedge#\n": false, // nobody knows which is meant
	} {
		c, err := Read("x", []byte(text), 1)
		require.NoError(t, err)
		require.Equal(t, partial, c.Parts[0].Facts.Tables[0].Filtered.Known(), text)
		if partial {
			require.Contains(t, string(c.Source.Text(c.Parts[0].Facts.Tables[0].Filtered)), "umber of")
		}
	}
}
