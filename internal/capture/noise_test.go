package capture

import (
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
		require.Equal(t, want, noisy([]byte(text)), text)
	}
}
