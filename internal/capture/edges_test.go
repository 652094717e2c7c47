package capture

import (
	"fmt"
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

// TestJoiningLosesNoRoute: where a row was broken at the width of the column names, joining both to the next lines would
// make the broken row whole and lose the row below the names: it is not done, and the broken one stays unread.
func TestJoiningLosesNoRoute(t *testing.T) {
	const names = "       Destination        Gateway                 Dist/Metric Last Change"
	broken := fmt.Sprintf("  O    10.91.9.0/24       via 10.91.12.2, %-31s\n40/1 110/30 3d", "lift0"+strings.Repeat("-upper", 9)[:26])
	in := "mast-a>show ip route\nCodes: C - connected, O - OSPF\n" + names + "\n" +
		"  C    10.91.1.0/24       Direct, Vl 100                  0/0       1w2d\n" +
		"  C    10.91.12.0/30      Direct, Te 0/1                  0/0       1w2d\n" +
		"  C    10.91.13.0/30      Direct, Te 0/2                  0/0       1w2d\n" +
		"  C    10.91.14.0/30      Direct, Te 0/3                  0/0       1w2d\n" + broken + "\n"
	require.Equal(t, len(names), strings.Index(broken, "\n"))
	c, err := Read("x", []byte(in), 1)
	require.NoError(t, err)
	var have []string
	for r := range c.allRoutes() {
		have = append(have, r.Prefix.String())
	}
	require.Contains(t, have, "10.91.1.0/24")
	require.NotContains(t, have, "10.91.9.0/24")
}
