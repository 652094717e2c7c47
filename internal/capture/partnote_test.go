package capture

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestSaysPart(t *testing.T) {
	for line, want := range map[string]bool{
		"Showing 3 of 10 routes": true, "Showing 1 to 3 of 10 entries": true, "Displaying 1-3 of 10": true, "Page 1 of 3": true, "3 of 10 entries": true,
		"Filter: 10.61": true, "(filtered)": true, "# grep 10.61": true, "Search: 10.61": true, "matching lines: 3": true, "3 matches": true,
		"excerpt from the routing table": true, "partial output": true, "Sample of routes": true, "Only static routes:": true, "Static routes only": true,
		"first 3 lines:": true, "tail of the output:": true, "Routes matching 10.61.0.0/16:": true, "Routes via line1:": true, "Results for 10.61.0.0/16": true,
		"Route lookup for 10.61.16.9": true, "Diff against yesterday:": true, "Customer routes:": true, "Changed routes:": true,
		"Total number of routes: 3 of 512": false, "3 of 512 entries used": false, "Routes: 3 of 4096": false, "Showing 3 of 3 routes": false, "Page 1 of 1": false, "Displaying 1-3 of 3": false, "Displaying all routes": false, "Capture 1/3": false, "Uptime 3/4 weeks": false,
		"Routes in VRF default": false, "Active routes:": false, "IP Route Table": false, "Total 3": false, "selected by the night shift": false,
		"Note: some interfaces are down": false, "Interface line1 is the new uplink": false, "Head office router": false, "Top of rack switch 3": false,
		"Customer: Kjelven": false, "routes as of 02:00": false, "Nov 29 02:00:01 edge filter: 3 of 10 routes": false, "": false,
	} {
		require.Equal(t, want, saysPart([]byte(line)), line)
	}
}

// TestTablesWithANote above or below are known in part, in one part of the text or in one of its own.
func TestTablesWithANote(t *testing.T) {
	for _, table := range []string{ribLines, kernelLines, maskLines, plainLines} {
		if strings.HasPrefix(table, "mast7# ") || strings.HasPrefix(table, "$ ") { // what stands above a prompt is said of no listing
			_, table, _ = strings.Cut(table, "\n")
		}
		for note, part := range map[string]bool{"Filter: 10.61\n": true, "Showing 3 of 10 routes\n": true, "Only static routes:\n\n": true,
			"Edge router, main table\n": false, "Showing 3 of 3 routes\n": false, "": false} {
			const preamble = "this line says nothing\n"
			for _, in := range []string{note + table, strings.Repeat(preamble, 2*mostNotes) + note + table, table + "\n" + note, "mast7# show ip route\n" + note + table + "mast7# \n"} {
				c, err := Read("a/r.txt", []byte(in), 1)
				require.NoError(t, err)
				got := false
				for _, p := range c.Parts {
					for _, tab := range p.Facts.Tables {
						got = got || tab.Filtered.Known()
					}
				}
				require.Equal(t, part, got, in)
			}
		}
	}
}
