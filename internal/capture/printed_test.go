package capture

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestPrintedFrom(t *testing.T) {
	for _, c := range []struct {
		command, name string
		known         bool
	}{
		{"cat mast5-routes.txt", "mast5-routes", true},
		{"cat ./night/mast5.txt | less", "mast5", true},
		{"zcat mast6.gz", "mast6", true},
		{"sudo head -n 100 /home/ops/mast6.log", "mast6", true},
		{"tail -n +20 'mast6.log'", "mast6", true},
		{"cat mast6.txt mast6.conf", "mast6", true},
		{"cat mast5.txt mast6.txt", "", false},
		{"cat *.txt", "", false},
		{"cat $F", "", false},
		{"cat routes.txt", "", true},
		{"cat show_ip_route_2026-11-30.txt", "", true},
		{"cat hub-routes.txt", "", true},
		{"cat hub.txt routes.txt", "", true},
		{"cat HUB_2026-11-30.log", "", true},
		{"cat hub5.txt", "hub5", true},
		{"cat hub-5.txt", "hub-5", true},
		{"cat hub-yard.txt", "hub-yard", true},
		{"cat hub.yard", "hub.yard", true},
		{"cat old-hub.txt", "old-hub", true},
		{"cat /proc/net/route", "", true},
		{"cat /etc/network/interfaces", "", true},
		{"cat", "", true},
		{"ip route | cat", "", true},
		{"category list", "", true},
		{"show ip route", "", true},
	} {
		name, known := printedFrom(c.command, "hub")
		require.Equal(t, c.name, name, c.command)
		require.Equal(t, c.known, known, c.command)
	}
	name, _ := printedFrom("cat hub.txt", "")
	require.Equal(t, "hub", name)
}
