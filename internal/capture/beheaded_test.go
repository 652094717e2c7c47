package capture

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
)

// TestALogThatBeginsInTheMiddleOfATable may lack routes before its first row, and those that hold all of the table; one
// that begins with names or a prompt lacks none, nor does a file that has no prompts.
func TestALogThatBeginsInTheMiddleOfATable(t *testing.T) {
	const rows = "10.61.32.0/24 via 172.28.61.6 dev line1 proto static\n10.61.64.0/24 dev hall7 proto kernel scope link src 10.61.64.1\n"
	const behind = "root@depot:~# uptime\n"
	for _, x := range []struct {
		name, text  string
		before, all bool // routes may be missing before the first row; those that no row covers
	}{
		{"rows above the first prompt", rows + behind, true, true},
		{"a blank line first", "\n" + rows + behind, true, true},
		{"rows that do not ascend", "10.61.96.0/24 dev hall9 proto kernel scope link\n" + rows + behind, true, true},
		{"the command is there", "root@depot:~# ip route\n" + rows + behind, false, false},
		{"no prompts", rows, false, false},
		{"a table that always counts its routes", "10.61.32.0/24      *[Static/5] 3w2d\n                    > to 172.28.61.6 via line1\n" +
			"10.61.64.0/24      *[Direct/0] 3w2d\n                    > via hall7\n", true, true},
		{"the same, counted", "inet.0: 2 destinations, 2 routes (2 active, 0 holddown, 0 hidden)\n\n10.61.32.0/24      *[Static/5] 3w2d\n                    > to 172.28.61.6 via line1\n" +
			"10.61.64.0/24      *[Direct/0] 3w2d\n                    > via hall7\n", false, false},
		{"names of columns", "Kernel IP routing table\nDestination     Gateway         Genmask         Flags Metric Ref    Use Iface\n" +
			"10.61.64.0      0.0.0.0         255.255.255.0   U     0      0        0 hall7\n" + behind, false, false},
	} {
		c, err := Read("depot/log.txt", []byte(x.text), 1)
		require.NoError(t, err)
		var b network.Builder
		for _, p := range c.Parts {
			if len(p.Facts.Tables) > 0 {
				b.Add("depot", p.Facts, 0)
			}
		}
		tab := b.Build().Device("depot").Table("default", c.Parts[0].Facts.Tables[0].Family)
		_, before := tab.Hides(netip.MustParseAddr("10.61.16.9"), 24)
		_, all := tab.Hides(netip.MustParseAddr("10.61.99.9"), -1)
		_, shown := tab.Hides(netip.MustParseAddr("10.61.64.9"), 24)
		require.Equal(t, x.before, before, x.name)
		require.Equal(t, x.all, all, x.name)
		require.Equal(t, x.name == "rows that do not ascend", shown, x.name)
	}
}
