package capture

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestRulersAreNoPartOfALine: names and a ruler below them, both as long as the longest line, are no line that a
// terminal broke: the row below them is one.
func TestRulersAreNoPartOfALine(t *testing.T) {
	const in = `mast-a>show ip route

Codes: C - connected, S - static, O - OSPF, * - candidate default,
       > - non-active route

       Destination        Gateway                 Dist/Metric Last Change
       -----------        -------                 ----------- -----------
  C    10.91.1.0/24       Direct, Vl 100                  0/0       1w2d
  C    10.91.12.0/30      Direct, Te 0/1                  0/0       1w2d
`
	for _, text := range []string{in, strings.Replace(in, "mast-a>show ip route\n", "", 1), strings.ReplaceAll(in, "  C ", "C   ")} {
		c, err := Read("x", []byte(text), 1)
		require.NoError(t, err)
		require.Len(t, c.Parts, 1)
		require.Equal(t, 2, c.Parts[0].Facts.Tables[0].Routes.Len(), text)
		require.Empty(t, c.Parts[0].Unread)
	}
	text := []byte(strings.Repeat("-", 70) + "\n" + strings.Repeat("x", 70) + "\nrest\n")
	src, err := newSource("x", text)
	require.NoError(t, err)
	longest, _ := src.wrapped(map[int]bool{1: true})
	require.Equal(t, []int{1}, longest)
}
