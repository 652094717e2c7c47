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
