package capture

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
)

func TestSaysLeftOut(t *testing.T) {
	for line, want := range map[string]bool{
		"...": true, " [...]": true, "…": true, ".": true, ":": true, "<snip>": true, "-- cut --": true, "etc.": true,
		"(output omitted)": true, "(Ausgabe gekürzt)": true, "sortie tronquée": true, "salida omitida": true, "--- 40 lines skipped ---": true, "20 entries not shown": true, "<--- Message Truncated --->": true,
		"#### NEXT PAGE MISSING ####": true, "// removed customer routes": true, "... 312 more routes": true, "Only the first 3 routes are shown": true,
		"%% Too many routes to display": true, "Dump terminated": true, "ip: Out of memory": true, "Killed": true,
		"vtysh: error reading from zebra: Connection reset by peer (104)": true, "RTNETLINK answers: No buffer space available": true,
		"Nov 29 02:00:01 edge ospfd[12]: neighbor gone, routes removed": false, "3 routes shown": false, "Total number of prefixes 3": false,
		"Display limited to 3 routes": true, "Number of routes limited to 512": false, "Displaying all routes": false, "No other routes": false, "lines 1-24": false, "Press any key to continue": false, "----": false, "": false,
		"O>* 10.61.34.0/24 [110/20] via 172.28.61.6, line1, weight 1, 00:10:03": false,
		strings.Repeat("lines and lines ", 10) + "removed":                      false,
	} {
		require.Equal(t, want, saysLeftOut([]byte(line)), line)
	}
	for line, want := range map[string]bool{
		"! ...": true, "/* ... */": true, "! 12 lines removed": true, "# rules omitted": true, "(rest left out)": true, "<rules removed>": true,
		"... 312 more lines": true, "! skipped 40 lines": true, ".": true,
		"! excerpt": true, "# excerpt from the running configuration": true, "relevant configuration:": true, "(partial config)": true, "! relevant lines": true,
		":": false, "!": false, " description customer lines removed": false, "All data that is displayed may be removed at any time.": false,
		" no ip redirects": false, "ip access-list extended KEEP": false, "set firewall family inet filter KEEP term b then accept": false,
	} {
		require.Equal(t, want, saysAny([]byte(line), leftOutOfRules), line)
	}
}

// TestTablesWithLinesLeftOut are known in part, whether the line stands in the middle or at the end.
func TestTablesWithLinesLeftOut(t *testing.T) {
	for _, table := range []string{ribLines, kernelLines, maskLines, plainLines} {
		rows := strings.SplitAfter(strings.TrimRight(table, "\n"), "\n")
		for _, note := range []string{"(output omitted)", "<snip>", "...", "Dump terminated"} {
			for _, at := range []int{len(rows) - 1, len(rows)} {
				text := strings.Join(slices.Insert(slices.Clone(rows), at, note+"\n"), "")
				if at == len(rows) {
					text = table + note + "\n"
				}
				for _, in := range []string{text, "mast7# show ip route\n" + text + "mast7# \n"} {
					c, err := Read("a/r.txt", []byte(in), 1)
					require.NoError(t, err)
					known := false
					for _, p := range c.Parts {
						for _, tab := range p.Facts.Tables {
							known = known || tab.Filtered.Known() || tab.Cut
						}
					}
					require.True(t, known, in)
				}
			}
		}
	}
}

// TestConfigurationsWithLinesLeftOut may lack a rule that stops packets; a greeting may say anything.
func TestConfigurationsWithLinesLeftOut(t *testing.T) {
	const begin, end = "hostname gate\n!\ninterface hall0\n ip address 10.61.16.1 255.255.255.0\n", "!\nend\n"
	for between, want := range map[string]bool{
		"":                                false,
		" ! ...\n":                        true,
		" <snip>\n":                       true,
		"! 40 lines removed\n":            true,
		" description (output omitted)\n": false,
		"banner motd ^C\n....\nlines removed\n^C\n":                   false,
		"!\nip access-list extended KEEP\n ...\n permit ip any any\n": true,
	} {
		c, err := Read("gate/c.txt", []byte(begin+between+end), 1)
		require.NoError(t, err)
		got := false
		for _, p := range c.Parts {
			got = got || slices.ContainsFunc(p.Facts.Policy.Flows, func(f network.FlowRule) bool { return f.Missing == network.LeftOut })
			require.Equal(t, !want, p.WholeConfiguration(), between)
		}
		require.Equal(t, want, got, between)
	}
}

// TestListsOfAddressesWithLinesLeftOut are none of all addresses of the device.
func TestListsOfAddressesWithLinesLeftOut(t *testing.T) {
	const list = "lo               UNKNOWN        127.0.0.1/8 \nhall0            UP             10.61.16.1/24 \n"
	for note, want := range map[string]bool{"": true, "...\n": false, "(output omitted)\n": false} {
		c, err := Read("gate/a.txt", []byte(list+note), 1)
		require.NoError(t, err)
		has := false
		for _, p := range c.Parts {
			has = has || slices.ContainsFunc(p.Facts.Addresses, func(a network.Address) bool { return a.Prefix.Addr().IsLoopback() })
		}
		require.Equal(t, want, has, note)
	}
}
