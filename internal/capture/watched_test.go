package capture

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestARepeatedCommand may show less than it printed where its output reaches as far as a screen may.
func TestARepeatedCommand(t *testing.T) {
	const above = "Every 2.0s: ip route                      depot: Sat Nov 28 18:02:11 2026\n\n"
	rows := func(n int) string {
		var b strings.Builder
		for i := range n {
			fmt.Fprintf(&b, "10.61.%d.0/24 via 172.28.61.6 dev line1\n", i)
		}
		return b.String()
	}
	for _, x := range []struct {
		name, text string
		part       bool
	}{
		{"a few rows", above + rows(5), false},
		{"a screen of rows", above + rows(22), true},
		{"a search", strings.Replace(above, "ip route", "ip route | grep line", 1) + rows(3), true},
		{"no such line", rows(40), false},
	} {
		c, err := Read("depot/route.txt", []byte(x.text), 1)
		require.NoError(t, err)
		require.Equal(t, x.part, c.Parts[0].Facts.Tables[0].Filtered.Known(), x.name)
		require.Empty(t, c.Parts[0].Unread, x.name)
	}
}
