package capture

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestAListingThatSaysThereAreMoreIsAPart(t *testing.T) {
	const rows = "edge# show ip route\nC    10.61.2.0/24 is directly connected, hall0\nS    10.61.1.0/24 [1/0] via 172.28.61.1\n                   [1/0] via 172.28.61.9\n"
	const six = " entries\nCodes: C - Connected, S - Static\nC   FD6B:16::/64 [0/0]\n     via hall0, directly connected\n" +
		"S   FD6B:17::/64 [1/0]\n     via FE80::1, line1\n     via FE80::2, line2\n"
	for text, partial := range map[string]bool{
		rows + "Total number of routes: 9\nedge#\n":                            true,
		rows + "Total number of routes: 3\nedge#\n":                            false, // next hops are counted
		rows + "Total number of routes: 2\nedge#\n":                            false,
		rows + "edge# show ip route\nTotal number of routes: 9\n":              false, // of another answer
		strings.Replace(rows, "route\n", "route\nNumber of prefixes: 4\n", 1):  true,
		"edge# show ipv6 route\nIPv6 Routing Table - default - 3" + six:        true, // next hops are none of it
		"edge# show ipv6 route\nIPv6 Routing Table - default - 2" + six:        false,
		rows + "Total number of routes: 9\nTotal number of routes: 2\nedge#\n": false, // nobody knows which is meant
	} {
		c, err := Read("x", []byte(text), 1)
		require.NoError(t, err)
		require.Equal(t, partial, c.Parts[0].Facts.Tables[0].Filtered.Known(), text)
		if partial {
			require.Regexp(t, "umber of|entries", string(c.Source.Text(c.Parts[0].Facts.Tables[0].Filtered)))
		}
	}
}
