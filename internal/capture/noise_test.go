package capture

import (
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestNoise: what belongs to nobody's table, and what only looks like it.
func TestNoise(t *testing.T) {
	for line, want := range map[string]bool{
		"Created directory: /var/lib/snmp/cert_indexes": true,
		"bash: vtysh: command not found":                true,
		"bgpd is not running":                           true,
		"--More--":                                      true,
		"Created directory: lists":                      false,
		"10.61.40.0/24 via 172.28.61.6":                 false,
	} {
		require.Equal(t, want, noise([]byte(line)), line)
	}
}

// TestNoisyLooksForNumbersInAngles: names in them are tags and prompts, which are no noise.
func TestNoisyLooksForNumbersInAngles(t *testing.T) {
	for text, want := range map[string]bool{
		"<ribs>\n<route><metric>7</metric></route>\n":  false,
		"10.1.0.0/16\n<189>Nov 30 08:00:00 mast7 up\n": true,
		"10.1.0.0/16\n<":  false,
		"10.1.0.0/16\n--": true,
	} {
		require.Equal(t, want, look([]byte(text), false).noisy, text)
	}
}

// TestNoisyFindsEverySign: at any place of a text, and as nothing but a search for each sign would.
func TestNoisyFindsEverySign(t *testing.T) {
	slowly := func(text string) bool {
		return slices.ContainsFunc(noiseSigns, func(s string) bool {
			if s != angle {
				return strings.Contains(text, s)
			}
			return regexp.MustCompile(`\n<[0-9]`).MatchString(text)
		})
	}
	found := 0
	for seed := range uint64(4000) {
		rnd := rand.New(rand.NewPCG(seed, 2))
		text := ""
		for range 1 + rnd.IntN(4) {
			s := noiseSigns[rnd.IntN(len(noiseSigns))]
			text += strings.Repeat("u", rnd.IntN(12)) + s[:rnd.IntN(len(s)+1)] + []string{"", "7", "u", "-", "\n"}[rnd.IntN(5)]
		}
		want := slowly(text)
		require.Equal(t, want, look([]byte(text), false).noisy, "%q", text)
		if want {
			found++
		}
	}
	require.Greater(t, found, 500)
	require.Greater(t, 3500, found)
}
