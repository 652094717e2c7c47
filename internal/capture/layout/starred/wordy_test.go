package starred

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
)

const wordyForm = `
inet.0: 6 destinations, 8 routes (6 active, 0 holddown, 1 hidden)
10.61.16.0/24 (1 entry, 1 announced)
        *Direct Preference: 0
                Next hop type: Interface
                Next hop: via hall-0/0/1.0, selected
                State: <Active Int>
                Age: 1d 2:03:04
                Task: IF
                AS path: I

10.61.16.1/32 (1 entry, 1 announced)
        *Local  Preference: 0
                Next hop type: Local
                Interface: hall-0/0/1.0
                State: <Active NoReadvrt Int>

10.61.32.0/24 (3 entries, 1 announced)
TSI:
KRT in-kernel 10.61.32.0/24 -> {172.28.61.6}
        *OSPF   Preference: 10
                Next hop type: Router, Next hop index: 0
                Next hop: 172.28.61.6 via cable-0/0/1.0
                Next hop: 172.28.61.10 via cable-0/0/2.0, selected
                State: <Active Int>
                Age: 1d 2:03:04 	Metric: 20
         Static Preference: 150
                Next hop type: Router, Next hop index: 613
                Next hop: 172.28.61.1 via cable-0/0/0.0, selected
                State: <Int Ext>
                Inactive reason: Route Preference
         BGP    Preference: 170/-101
                Next hop type: Unusable
                State: <Hidden Ext>

10.61.48.0/21 (1 entry, 1 announced)
        *Static Preference: 5
                Next hop type: Discard
                State: <Active Int Ext>

10.62.8.0/24 (1 entry, 1 announced)
        *BGP    Preference: 170/-101
                Next hop type: Indirect, Next hop index: 0
                Source: 10.61.254.9
                Next hop type: Router, Next hop index: 612
                Next hop: 172.28.61.6 via cable-0/0/1.0, selected
                Protocol next hop: 10.61.254.9
                State: <Active Int Ext>
                Age: 3d 1:02:03 	Metric2: 2
                AS path: 64998 64999 I
                Localpref: 120
                Indirect next hops: 1
                        Protocol next hop: 10.61.254.9 Metric: 2
                        Indirect path forwarding next hops: 1
                                Next hop: 172.28.61.6 via cable-0/0/1.0

10.61.64.0/24 (1 entry, 1 announced)
        *Static Preference: 5
                Next hop type: Router
                Next hop: 172.28.61.6 via cable-0/0/1.0, selected
                Label operation: Push 299776
`

func TestWordyForm(t *testing.T) {
	r := Read([]byte(wordyForm))
	require.Equal(t, []string{
		"4 10.61.16.0/24 direct 0/- dev hall-0/0/1.0: active installed",
		"13 10.61.16.1/32 local 0/- receive dev hall-0/0/1.0: active installed",
		"21 10.61.32.0/24 ospf 10/20 via 172.28.61.6 dev cable-0/0/1.0 via 172.28.61.10 dev cable-0/0/2.0 *: active installed",
		"27 10.61.32.0/24 static 150/- via 172.28.61.1 dev cable-0/0/0.0",
		"32 10.61.32.0/24 bgp 170/-: unusable",
		"37 10.61.48.0/21 static 5/- blackhole: active installed",
		"42 10.62.8.0/24 bgp 170/- via 10.61.254.9 recursive via 172.28.61.6 dev cable-0/0/1.0 resolves *: active installed",
		"58 10.61.64.0/24 static 5/- via 172.28.61.6 dev cable-0/0/1.0 encapsulated: active installed",
	}, layouttest.Words([]byte(wordyForm), r))
	require.Empty(t, r.Unread)
	require.EqualValues(t, 120, r.Facts.Tables[0].Routes.At(6).BGP.LocalPreference.Value)
}

// TestWordyFormLacksWhatItCounts: a candidate that was lost on the way leaves its prefix in doubt, and nothing is read
// that the form does not explain.
func TestWordyFormLacksWhatItCounts(t *testing.T) {
	for name, tt := range map[string]struct{ old, with, unread string }{
		"a route is gone":            {"        *Static Preference: 5\n                Next hop type: Discard\n                State: <Active Int Ext>\n", "", "10.61.48.0/21 (1 entry"},
		"another type of next hop":   {"Next hop type: Discard", "Next hop type: Flood", "Next hop type: Flood"},
		"a next hop of another form": {"Next hop: via hall-0/0/1.0, selected", "Next hop: back via", "Next hop: back via"},
		"no address":                 {"172.28.61.10 via", "172.28.61.310 via", "172.28.61.310 via"},
	} {
		in := strings.Replace(wordyForm, tt.old, tt.with, 1)
		require.NotEqual(t, wordyForm, in, name)
		r := Read([]byte(in))
		found := false
		for _, u := range r.Unread {
			found = found || strings.Contains(in[u.Mark.Off:u.Mark.End], tt.unread)
		}
		require.True(t, found, name)
	}
	require.ErrorIs(t, Read([]byte(strings.Replace(wordyForm, "Next hop type: Discard", "Next hop type: Flood", 1))).Unread[0].Reason, layout.ErrNotARoute)
}

// TestANextHopBelowTheState is of a route whose own lines are gone, and not of the one above.
func TestANextHopBelowTheState(t *testing.T) {
	const text = "inet.0: 2 destinations, 2 routes (2 active, 0 holddown, 0 hidden)\n10.61.1.0/24 (1 entry, 1 announced)\n        *Static Preference: 5\n" +
		"                Next hop type: Router, Next hop index: 1\n                Next hop: 172.28.61.1 via up0, selected\n                State: <Active Int Ext>\n"
	r := layouttest.Laws(t, Read, []byte(text+"                Next hop: 172.28.61.9 via up1, selected\n"))
	require.Len(t, r.Facts.Tables[0].Routes.At(0).NextHops, 1)
	require.NotEmpty(t, r.Unread)
	twice := strings.Replace(text, "                State", "                Next hop: 172.28.61.9 via up1, selected\n                State", 1)
	r = layouttest.Laws(t, Read, []byte(twice))
	require.Len(t, r.Facts.Tables[0].Routes.At(0).NextHops, 1, "one of equal next hops is selected")
	require.NotEmpty(t, r.Unread)
}
