package lettered

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

// rows makes n rows with continuation lines and a bad one in between.
func rows(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(
			&b,
			"O>* 10.%d.%d.0/24 [110/%d] via 172.28.61.2, wan%d, weight 1, 00:00:17\n",
			i/250,
			i%250,
			i%3,
			i%2,
		)
		switch i % 7 {
		case 3:
			b.WriteString("  *                     via 172.28.61.6, wan2, weight 1, 00:00:17\n")
		case 5:
			b.WriteString("O>* 10.61.32.0/40 [110/30] via 172.28.61.2, wan0, weight 1, 00:00:17\n")
		}
	}
	return b.String()
}

func TestPiecesSideBySideReadAsTheWhole(t *testing.T) {
	in := daemon + rows(2000)
	whole := newReader([]byte(in))
	whole.lines(0, len(in))
	for n := 2; n < 6; n++ {
		cuts := cut([]byte(in), n, 1000)
		require.Len(t, cuts, n)
		r, ok := readPieces([]byte(in), cuts)
		require.True(t, ok)
		require.Equal(t, layouttest.Words([]byte(in), whole.Reading), layouttest.Words([]byte(in), r))
		require.Equal(t, layouttest.Unread([]byte(in), whole.Reading), layouttest.Unread([]byte(in), r))
		require.Equal(t, [2]int{whole.Read, len(whole.Passed)}, [2]int{r.Read, len(r.Passed)})
	}
}

func TestPiecesAreGivenUpWhereRowsChangeTheirMeaning(t *testing.T) {
	for _, turn := range []string{"VRF yard:\n", "Codes: O - static\n", "     10.0.0.0/24 is subnetted, 2 subnets\n", "IP Route Table for VRF \"yard\"\n"} {
		in := []byte(daemon + rows(1000) + turn + rows(1000))
		cuts := cut(in, 4, 1000)
		require.Len(t, cuts, 4)
		_, ok := readPieces(in, cuts)
		require.False(t, ok, turn)
	}
}

func TestSmallTextsAreNotCut(t *testing.T) {
	require.Nil(t, pieces([]byte(daemon+rows(2000))))
	require.Nil(t, cut([]byte(strings.Repeat("no row at all\n", 1000)), 4, 100))
}
