package iproute

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/route"
)

// TestAnswersForOneAddress are no routes: they tell of the user or the cache, or of a source address and of nothing that
// each row of a table has.
func TestAnswersForOneAddress(t *testing.T) {
	for text, want := range map[string]struct{ answers, routes int }{
		"10.62.3.3 via 172.28.61.9 dev line1 src 172.28.61.10 uid 0\n    cache\n":             {1, 0},
		"10.62.3.3 via 172.28.61.9 dev line1 src 172.28.61.10\n":                              {1, 0},
		"10.62.3.3 via 172.28.61.9 dev line1\n    cache expires 300sec mtu 1400\n":            {1, 0},
		"10.62.3.3 dev line1 table 50 src 172.28.61.10 uid 1000\n":                            {1, 0},
		"local 172.28.61.10 dev lo src 172.28.61.10 uid 0\n    cache <local>\n":               {1, 0},
		"10.62.3.3 from 10.61.64.9 via 172.28.61.9 dev line1\n    cache iif x0\n":             {0, 0},
		"fd61::9 from :: via fe80::1 dev line1 proto ra src fd61::2 metric 100 pref medium\n": {1, 0},
		"10.62.3.3 via 172.28.61.9 dev line1\n":                                               {0, 1},
		"10.62.3.3 dev line1 proto kernel scope link src 172.28.61.10\n":                      {0, 1},
		"10.62.3.3 via 172.28.61.9 dev line1 src 172.28.61.10 metric 100\n":                   {0, 1},
	} {
		r := layouttest.Laws(t, ReadText, []byte(text))
		require.Empty(t, r.Unread, text)
		require.Len(t, r.Facts.Answers, want.answers, text)
		require.Len(t, r.Facts.Tables, want.routes, text)
	}
	r := layouttest.Laws(t, ReadText, []byte("prohibit 10.62.3.3 dev lo src 172.28.61.10 uid 0\n"))
	require.Equal(t, route.Prohibit, r.Facts.Answers[0].Special)
	r = layouttest.Laws(t, Read, []byte(`[{"dst":"10.62.3.3","gateway":"172.28.61.9","dev":"line1","prefsrc":"172.28.61.10","flags":[],"uid":0,"cache":[]}]`))
	require.Empty(t, r.Facts.Tables)
	require.Equal(t, "line1", r.Facts.Answers[0].NextHop.Interface)
}
