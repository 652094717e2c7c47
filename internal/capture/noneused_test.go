package capture

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestWithoutMarks: where no route is marked as in use, not even an attached network, the marks are elsewhere; a table
// with some in use, or with nothing attached, is what it says.
func TestWithoutMarks(t *testing.T) {
	const key = "Codes: C - connected, S - static, * - FIB, > - selected\n\n"
	for text, part := range map[string]bool{
		key + "S*    0.0.0.0/0 [10/0] via 172.28.61.6, line1\nC     10.61.64.0/24 is directly connected, tills\n":   true,
		key + "S     0.0.0.0/0 [10/0] via 172.28.61.6, line1\nC  *> 10.61.64.0/24 is directly connected, tills\n":   false,
		key + "S*    0.0.0.0/0 [10/0] via 172.28.61.6, line1\nS     10.61.64.0/24 [200/0] via 172.28.61.9, line1\n": false,
	} {
		c, err := Read("x.txt", []byte(text), 1)
		require.NoError(t, err)
		require.Len(t, c.Parts, 1)
		require.Len(t, c.Parts[0].Facts.Tables, 1)
		require.Equal(t, part, c.Parts[0].Facts.Tables[0].Filtered.Known(), text)
	}
}
