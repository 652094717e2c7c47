package present

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestWidthCountsCells(t *testing.T) {
	for s, want := range map[string]int{"": 0, "mast-7": 6, "山頂": 4, "Åse": 3, "A\u030ase": 3, "×": 1, "…": 1} {
		require.Equal(t, want, width(s), "%q", s)
	}
}

func TestColumnsAlignWideAndCombiningCharacters(t *testing.T) {
	var out bytes.Buffer
	columns(
		&out,
		"  ",
		[][]string{
			{"device", "state", "x"},
			{"山頂", "up", "x"},
			{"A\u030ase", "down", "x"},
			{"a last cell as long as it likes"},
			{"b", "c"},
		},
	)
	require.Equal(
		t,
		"  device  state  x\n  山頂    up     x\n  A\u030ase     down   x\n  a last cell as long as it likes\n  b  c\n",
		out.String(),
	)
}

func TestBroken(t *testing.T) {
	v := View{Width: 30}
	require.Equal(t, []string{"one two three four five", "six seven"}, v.broken("one two three four five six seven", 3))
	require.Equal(t, []string{"山頂 山頂 山頂 山頂", "山頂 山頂"}, v.broken("山頂 山頂 山頂 山頂 山頂 山頂", 6))
	require.Equal(
		t,
		[]string{"see", "a/name/that/is/longer/than/the/page.txt:12", "for it"},
		v.broken("see a/name/that/is/longer/than/the/page.txt:12 for it", 3),
	)
	require.Equal(t, []string{""}, v.broken("", 0))
	require.Equal(t, []string{"a  b"}, v.broken("a  b", 0), "blanks of a text stay")
	require.Equal(t, []string{"20 groups of ends;", "4 960 980 pairs (65 024", "addresses)"},
		v.broken("20 groups of ends; 4 960 980 pairs (65 024 addresses)", 3), "a number is one word")
	require.Equal(t, []string{"16 pairs of night:", "11 200, a port"}, v.broken("16 pairs of night: 11 200, a port", 6))
}
