package lists

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestEntriesWrittenByHand are told from those that were learned.
func TestEntriesWrittenByHand(t *testing.T) {
	r := ReadPairs([]byte("? (10.61.16.20) at 02:00:00:00:00:10 [ether] PERM on hall0\n" +
		"? (10.61.16.21) at 02:00:00:00:00:11 [ether] on hall0\n"))
	require.Len(t, r.Facts.Neighbours, 2)
	require.Equal(t, []bool{true, false}, []bool{r.Facts.Neighbours[0].Written, r.Facts.Neighbours[1].Written})
	require.Equal(t, "hall0", r.Facts.Neighbours[0].Interface)
}
