package capture

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestMovedCountsRoutesAndNoAges(t *testing.T) {
	const first = "O    10.61.3.0/24 [110/20] via 172.28.61.6, cable0, 00:12:31\nO    10.61.4.0/24 [110/20] via 172.28.61.6, cable0, 00:12:31\n"
	for name, tt := range map[string]struct {
		second     string
		gone, come int
	}{
		"only the ages":     {"O    10.61.3.0/24 [110/20] via 172.28.61.6, cable0, 00:12:39\nO    10.61.4.0/24 [110/20] via 172.28.61.6, cable0, 00:12:39\n", 0, 0},
		"one went":          {"O    10.61.3.0/24 [110/20] via 172.28.61.6, cable0, 00:12:39\n", 1, 0},
		"another next hop":  {"O    10.61.3.0/24 [110/20] via 172.28.61.10, cable1, 00:00:01\nO    10.61.4.0/24 [110/20] via 172.28.61.6, cable0, 00:12:39\n", 1, 1},
		"nothing came back": {"", 2, 0},
	} {
		gone, come := Moved([]byte(first), []byte(tt.second))
		require.Equal(t, [2]int{tt.gone, tt.come}, [2]int{gone, come}, name)
	}
}
