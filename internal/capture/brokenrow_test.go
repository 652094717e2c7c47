package capture

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// tableOpen reports whether a table of a text is known to go on behind what was read.
func tableOpen(t *testing.T, text string) bool {
	c, err := Read("a/r.txt", []byte(text), 1)
	require.NoError(t, err)
	for i := range c.Parts {
		for _, x := range c.Parts[i].Facts.Tables {
			if x.Cut || x.Filtered.Known() {
				return true
			}
		}
	}
	return false
}

const (
	ribLines = "mast7# show ip route\nCodes: K - kernel route, C - connected, S - static, O - OSPF,\n" +
		"       > - selected route, * - FIB route\n\n" +
		"S>* 0.0.0.0/0 [1/0] via 172.28.61.1, line0, weight 1, 00:20:00\n" +
		"C>* 10.61.16.0/24 is directly connected, hall0, 00:21:00\n" +
		"C>* 10.61.17.0/24 is directly connected, hall1, 00:21:00\n" +
		"O>* 10.61.32.0/24 [110/20] via 172.28.61.6, line1, weight 1, 00:10:01\n" +
		"O>* 10.61.33.0/24 [110/20] via 172.28.61.6, line1, weight 1, 00:10:02\n"
	kernelLines = "$ ip route\ndefault via 172.28.61.1 dev line0 \n" +
		"10.61.16.0/24 dev hall0 proto kernel scope link src 10.61.16.1 \n" +
		"10.61.32.0/24 via 172.28.61.6 dev line1 proto ospf metric 20 \n" +
		"10.61.33.0/24 via 172.28.61.6 dev line1 proto ospf metric 20 \n"
	maskLines = "$ route -n\nKernel IP routing table\n" +
		"Destination     Gateway         Genmask         Flags Metric Ref    Use Iface\n" +
		"0.0.0.0         172.28.61.1     0.0.0.0         UG    0      0        0 line0\n" +
		"10.61.16.0      0.0.0.0         255.255.255.0   U     0      0        0 hall0\n" +
		"10.61.32.0      172.28.61.6     255.255.255.0   UG    0      0        0 line1\n"
	plainLines = "mast7# show ip route\nCodes: C - connected, S - static, L - local\n\n" +
		"S    0.0.0.0/0 [1/0] via 172.28.61.1\n" +
		"C    10.61.16.0/24 is directly connected, Gi0/1\nL    10.61.16.1/32 is directly connected, Gi0/1\n" +
		"C    10.61.17.0/24 is directly connected, Gi0/12\n"
)

// TestARowThatLostItsEnd and has a line end behind it is a row for its reader: what the rows around it have and it has
// not tells that the table goes on.
func TestARowThatLostItsEnd(t *testing.T) {
	for _, c := range []struct {
		table string
		row   string // the last one
		open  bool
	}{
		{ribLines, "O>* 10.61.34.0/24 [110/20] via 172.28.61.6, line1, weight 1, 00:10:03", false},
		{ribLines, "O>* 10.61.34.0/24 [110/20] via 172.28.61.6, line1, weight 1, 00:10:", true},
		{ribLines, "O>* 10.61.34.0/24 [110/20] via 172.28.61.6, line1, weight 1", true},
		{ribLines, "O>* 10.61.34.0/24 [110/20] via 172.28.61.6", true},
		{ribLines, "C>* 10.61.34.0/24 is directly connected, ha", true},
		{ribLines, "S>* 10.61.34.0/24 [1/0] unreachable (blackhole), weight 1, 00:10:03", false},
		{kernelLines, "10.61.34.0/24 via 172.28.61.6 dev line1 ", false}, // somebody typed it
		{kernelLines, "10.61.34.0/24 dev hall1 proto kernel scope link src 10.61.34.1 ", false},
		{kernelLines, "10.61.34.0/24 dev hall1 proto kernel scope link src 10.61", true},
		{kernelLines, "10.61.34.0/24 dev hall1 proto kernel", true},
		{kernelLines, "10.61.34.0/24 via 172.28.61.6 dev line1 proto os", true},
		{kernelLines, "10.61.34.0/24 via 172.28.61.6 dev line1 proto 188", false},
		{kernelLines, "10.61.34.0/24 via 172.28.61.6 dev line", true},
		{kernelLines, "10.61.34.0/24 via 172.28.61.6 dev", true},
		{kernelLines, "10.61.34.0/24 via 172.28.61.6", true},
		{kernelLines, "unreachable 10.61.34.0/24 proto static metric 20 ", false},
		{maskLines, "10.61.34.0      172.28.61.6     255.255.255.0   UG    0      0        0 line1", false},
		{maskLines, "10.61.34.0      172.28.61.6     255.255.255.0   UG    0      0        0 line", true},
		{maskLines, "10.61.34.0      172.28.61.6     255.255.255.0   UG    0      0", true},
		{maskLines, "10.61.34.0      172.28.61.6     255.255.255.0", true},
		{maskLines, "10.61.34.0      0.0.0.0         255.255.255.0   U     0      0        0 lo", false},
		{plainLines, "S    10.61.34.0/24 [1/0] via 172.28.61.6", false},
		{plainLines, "S    10.61.34.0/24 [1/0] via 172.28.61.6,", true},
		{plainLines, "S    10.61.34.0/24 is directly connected, Null0", false},
		{plainLines, "C    10.61.34.0/24 is directly connected, Gi0/1", false}, // a name that another one begins with
		{plainLines, "C    10.61.34.0/24 is directly connected, Gi0/", true},
		{plainLines, "L    10.61.17.1/32", true},
	} {
		for _, behind := range []string{"", "mast7# \n", "*Nov 29 02:00:01: %SYS-5-CONFIG_I: configured\n"} {
			require.Equal(t, c.open, tableOpen(t, c.table+c.row+"\n"+behind), c.row)
		}
		require.True(t, tableOpen(t, c.table+c.row+"^C\nmast7# \n"), c.row)
	}
}

// TestASessionThatWasLost prints its end in place of the rest of a table; one that somebody left prints the same behind
// the command with which it was left.
func TestASessionThatWasLost(t *testing.T) {
	for line, lost := range map[string]bool{
		"Connection to 172.28.61.9 closed by remote host.":          true,
		"Connection closed by foreign host.":                        true,
		"client_loop: send disconnect: Broken pipe":                 true,
		"packet_write_wait: Connection to 172.28.61.9: Broken pipe": true,
		"Connection reset by peer":                                  true,
		"Timeout, server 172.28.61.9 not responding.":               true,
		"Your session has timed out due to inactivity":              true,
		"Connection to 172.28.61.9 closed.":                         false, // so ends one command by ssh
		"*Nov 29 02:00:01: %SYS-5-CONFIG_I: configured":             false,
	} {
		for _, table := range []string{ribLines, maskLines, plainLines} {
			require.Equal(t, lost, tableOpen(t, table+line+"\n"), line)
			require.False(t, tableOpen(t, table+"mast7# exit\n"+line+"\n"), line)
			require.False(t, tableOpen(t, table+"exit\n"+line+"\n"), line)
		}
	}
}

// TestLinesFarAbove are not looked at: a table of any length costs the same.
func TestLinesFarAbove(t *testing.T) {
	row := "O>* 10.61.34.0/24 [110/20] via 172.28.61.6, line1, weight 1, 00:10:03\n"
	c, err := Read("a/r.txt", []byte(ribLines+strings.Repeat(row, 3*nearRows)), 1)
	require.NoError(t, err)
	p := &c.Parts[0]
	_, off := p.lastTable()
	above, last, end := c.rowLines(p, off)
	require.Len(t, above, nearRows)
	require.Equal(t, strings.TrimSpace(row), string(last))
	require.Equal(t, len(c.Source.raw)-1, end)
}
