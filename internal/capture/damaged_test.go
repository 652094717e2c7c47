package capture

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestCommandsThatLostSomething: rows below a command that lost a byte or a blank, or that prints no routes, are nobody's;
// the same below the whole command are read.
func TestCommandsThatLostSomething(t *testing.T) {
	const rows = "default via 10.96.0.9 dev e0\n10.96.0.0/24 dev e0 scope link\n"
	for line, want := range map[string]int{
		"mast-3# ip route show table 100\n":               2,
		"mast 3# ip route showtable 100\n":                0,
		"mast-3# ip ro\x00ute show table 100\n":           0,
		"root@h\x00ub:~# nsenter -t 4711 -n ip route\n":   0,
		"Command: showip route vrf tickets\n":             0,
		"mast-3# ip route\nhall-9(night)# show version\n": 0,
	} {
		c, err := Read("a/r.txt", []byte(line+rows), 1)
		require.NoError(t, err)
		n := 0
		for range toldRoutes(c) {
			n++
		}
		require.Equal(t, want, n, "%q", line)
	}
}
