package hierarchy

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

func TestStaticsThatASessionWatches(t *testing.T) {
	const static = "set routing-options static route 10.61.8.0/21 "
	for in, want := range map[string][]bool{
		static + "next-hop 172.28.61.1\n" + static + "bfd-liveness-detection minimum-interval 300\n": {true},
		static + "bfd-liveness-detection minimum-interval 300\n" + static + "next-hop 172.28.61.1\n": {true},
		static + "qualified-next-hop 172.28.61.1 preference 9\n" +
			static + "qualified-next-hop 172.28.61.1 bfd-liveness-detection minimum-interval 300\n" +
			static + "qualified-next-hop 172.28.61.5 preference 99\n": {true, false},
		static + "next-hop 172.28.61.1\n": {false},
		"set protocols static route 10.61.8.0/21 next-hop 172.28.61.1 bfd profile 'slow'\n": {true},
	} {
		var got []bool
		for _, s := range layouttest.Laws(t, Read, []byte(in)).Facts.Statics {
			got = append(got, s.Tie.Session)
		}
		require.Equal(t, want, got, in)
	}
}
