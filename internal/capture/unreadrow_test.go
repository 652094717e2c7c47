package capture

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestNamedRow: what a line that was not read names first is a destination, wherever signs are glued to it; next
// hops and addresses in messages are none.
func TestNamedRow(t *testing.T) {
	for line, want := range map[string]string{
		"S    10.61.16.0/24 [1/0] by way of":                          "10.61.16.0/24",
		"S>*10.61.16.0/24 [1/0] by way of":                            "10.61.16.0/24",
		"tab=254 10.9.0.0/255.255.0.0/0->10.61.16.0/24 gwy=10.61.0.1": "10.61.16.0/24",
		"10.61.16.0 172.28.61.6 255.255.255.0 UG":                     "10.0.0.0/8",
		"! 10.61.16.0 172.28.61.6 255.255.255.0 UG":                   "10.0.0.0/8",
		"10.61.16.0 0.0.0.0 255.255.255.0 UG":                         "10.61.16.0/24",
		"10.61.16.1 0.0.0.0 255.255.255.0 UG":                         "10.0.0.0/8",
		"10.61.16.0 0.0.0.0 255.0.255.0 UG":                           "10.0.0.0/8",
		"10.61.16.0 0.0.0.0 0.0.0.0 UG":                               "10.0.0.0/8",
		"0.0.0.0 0.0.0.0 0.0.0.0 UG":                                  "0.0.0.0/0",
		"10.61.16.0 255.255.255.0 somewhere":                          "10.61.16.0/24",
		"dst-address=10.61.16.9/24 gateway=":                          "10.61.16.0/24",
		"(fd61:16::1/64), more":                                       "fd61:16::/64",
		"B 172.28.0.0 unheard of":                                     "172.28.0.0/16",
		"+10.61.16.0/24 somewhere":                                    "10.61.16.0/24",
		"dst:10.61.16.0/24 somewhere":                                 "10.61.16.0/24",
		"route[10.61.16.0/24]":                                        "10.61.16.0/24",
		"65000:10.61.16.0/24 somewhere":                               "10.61.16.0/24",
		"│10.61.16.0/24│172.28.61.6":                                  "10.61.16.0/24",
		"10.61.16.0/ 255.255.255.0":                                   "10.61.16.0/24",
		"10.61.16.0 mask 255.255.255.0 to":                            "10.61.16.0/24",
		"10.61.16/24 somewhere":                                       "10.61.16.0/24",
		"10.61.16.* somewhere":                                        "10.61.16.0/24",
		"010.061.016.000/24 somewhere":                                "10.61.16.0/24",
		"10.61.16.0/24via 172.28.61.6":                                "10.61.16.0/24",
		"static  10.61.16.0 172.28.61.6":                              "10.0.0.0/8",
		"fd61:16::  48  fe80::1":                                      "fd61:16::/48",
		"fd61:16::/48via fe80::1":                                     "fd61:16::/48",
		"ge-0/0/1.0 up since 12:30:04, 1/0":                           "invalid Prefix",
		"      via 172.28.61.1, line0":                                "invalid Prefix",
		"neighbour 10.61.16.1 went down":                              "invalid Prefix",
		"nothing of the kind":                                         "invalid Prefix",
	} {
		require.Equal(t, want, namedRow([]byte(line)).Prefix.String(), line)
	}
}

// TestGoesOn: a next hop that was not read is one that the row above lacks, so what is known of its prefix is not all.
func TestGoesOn(t *testing.T) {
	read := func(text string) []network.UnreadRow {
		c, err := Read("x.txt", []byte(text), 1)
		require.NoError(t, err)
		var out []network.UnreadRow
		for _, p := range c.Parts {
			for _, table := range p.Facts.Tables {
				out = append(out, table.Unread...)
			}
		}
		return out
	}
	const head = "Codes: C - connected, O - OSPF\n\nO    10.61.40.0/24 [110/20] via 172.28.61.6, line1\n"
	rows := read(head + "                    or else 172.28.61.10, line2\n")
	require.NotEmpty(t, rows)
	require.Equal(t, "10.61.40.0/24", rows[len(rows)-1].Prefix.String())
	require.True(t, rows[len(rows)-1].Beside)
	require.Empty(t, read(head))
	for _, r := range read(head + "\nwatch 172.28.61.10\n") {
		require.False(t, r.Beside, "a message goes on from nothing")
	}

	// Below a prefix that stands alone any line is a route to it, whatever it says.
	const alone = "10.61.40.0/24, ubest/mbest: 1/0\n    *via 172.28.61.6, Eth1, [110/20], 1d02h, ospf-1, intra\n10.61.44.0/24, ubest/mbest: 1/0\n"
	for _, line := range []string{"    *via 172.28.61.6, Eth1, [110/20], 1d02h, pending, ospf-1, intra", "    *by way of the valley"} {
		rows = read(alone + line + "\n")
		require.NotEmpty(t, rows, line)
		require.Equal(t, "10.61.44.0/24", rows[0].Prefix.String())
		require.False(t, rows[0].Beside, "no route to it was read")
	}
	rows = read(alone[:strings.Index(alone, "10.61.44")] + "    *via 172.28.61.10, Eth2, [110/20], 1d02h, pending, ospf-1, intra\n")
	require.NotEmpty(t, rows)
	require.Equal(t, "10.61.40.0/24", rows[0].Prefix.String())
	require.True(t, rows[0].Beside, "another route to it was read")
	rows = read("10.61.40.0/24      *[OSPF/10] 00:10:00, metric 20\n                    >  to 172.28.61.6 via line1.0\n10.61.44.0/24\n                   *[Pulley/5] 00:10:00\n")
	require.NotEmpty(t, rows)
	require.Equal(t, "10.61.44.0/24", rows[0].Prefix.String())

	// Of a row for everywhere that was not read nobody knows the next hop.
	rows = read("Dst             Gateway         Prefsrc         Protocol Scope   Dev              Table\n" +
		"default         172.28.61.6                                      eth1\nblackhole 10.61.41.0/24\n")
	require.NotEmpty(t, rows)
	require.Equal(t, "0.0.0.0/0", rows[0].Prefix.String())
}

func TestNamesDefault(t *testing.T) {
	for line, want := range map[string]bool{
		"default         172.28.61.6    eth1": true, "S*   default via 172.28.61.6": true, "*> Default 172.28.61.6": true,
		"VRF default": false, "ip default gateway 172.28.61.6": false, "hosts of default": false, "": false,
		"defaultvia 10.61.0.1 dev e0":                         true,
		"default10.61.0.1  UG  e0":                            true,
		`{"dst":"default","gateway":"10.61.0.x","dev":"e0"}`:  true,
		`{"dst":"10.61.0.0/24","vrfName":"default","dev":""}`: false,
		"defaulted": false,
	} {
		require.Equal(t, want, namesDefault([]byte(line)), line)
	}
}

// TestRowsThatStandInOtherParts of an answer, unread, may be routes of the table in it; a line of another kind is none.
func TestRowsThatStandInOtherParts(t *testing.T) {
	parts := func() []Part {
		var other, table Part
		other.Unread = []layout.Unread{{Mark: route.Mark{Off: 0, End: 29}}, {Mark: route.Mark{Off: 30, End: 52}}}
		table.Facts.Tables = []network.TableFacts{{Name: "default", Family: route.IPv4}}
		return []Part{other, table}
	}
	src, err := Open("r.txt", []byte("Zq   10.61.64.0/24 odd thing \nseq 5 permit to anywhere\n"))
	require.NoError(t, err)
	got := parts()
	strayRows(got, src)
	require.Len(t, got[1].Facts.Tables[0].Unread, 1)
	require.Equal(t, "10.61.64.0/24", got[1].Facts.Tables[0].Unread[0].Prefix.String())
	alone := parts()[1:]
	strayRows(alone, src)
	require.Empty(t, alone[0].Facts.Tables[0].Unread)
}

// TestSourcesOfARow: those that a row of IPv6 says it is for stand behind its destination.
func TestSourcesOfARow(t *testing.T) {
	to := netip.MustParsePrefix("fd61:16::/64")
	for line, want := range map[string]string{
		"fd61:16::/64 from fd61:5::/48 via fd61::9 dev up0 metric 80":     "fd61:5::/48",
		"default from fd61:5::/48 via fd61::9 dev up0":                    "fd61:5::/48",
		`{"dst":"fd61:16::/64","from":"fd61:5::/48","gateway":"fd61::9"}`: "fd61:5::/48",
		`{"dst": "default", "from": "fd61:5::/48", "gateway": "fd61::9"}`: "fd61:5::/48",
		"fd61:16::/64 via fd61::9 [up0 12:00 from fd61::9] (100)":         "",
		"from fd61:5::/48 lookup 77":                                      "",
		"fd61:16::/64 via fd61::9 dev up0":                                "",
		"fd61:16::/64 from all via fd61::9":                               "",
	} {
		want, _ := netip.ParsePrefix(want)
		require.Equal(t, want, sourcesOf([]byte(line), to), line)
	}
	require.False(t, sourcesOf([]byte("10.61.16.0/24 from 10.61.5.0/24 via 10.61.0.9"), netip.MustParsePrefix("10.61.16.0/24")).IsValid())
	c, err := Read("r.txt", []byte("fd61:16::/64 from fd61:5::/48 via fd61::9 dev up0 metric 80 pref medium\n"+
		"fd61:16::/64 via fd61::7 dev up0 metric 90 pref medium\n"), 1)
	require.NoError(t, err)
	require.Equal(t, "fd61:5::/48", c.Parts[0].Facts.Tables[0].Unread[0].From.String())
}

// TestEveryUnreadObjectOfALine is a row, not the first one alone; also where the text stands in a log.
func TestEveryUnreadObjectOfALine(t *testing.T) {
	const routes = `[{"dst":"default","gateway":"10.61.0.9","dev":"up0","flags":[]},` +
		`{"dst":"10.61.16.0/24","gateway":"nobody","dev":"up0","flags":[]},{"dst":"10.61.17.0/24","gateway":"10.61.0.9","dev":"up0","flags":[]},` +
		`{"dst":"10.61.18.0/24","gateway":"nobody","dev":"up0","flags":[]},{"dst":"10.61.19.0/24","gateway":"nobody","dev":"up0","flags":[]}]`
	for _, text := range []string{routes + "\n", "core$ uptime\n 02:11 up 3 days\ncore$ ip -j route\n" + routes + "\ncore$ \n"} {
		c, err := Read("r.json", []byte(text), 1)
		require.NoError(t, err)
		var got []string
		for _, p := range c.Parts {
			for _, table := range p.Facts.Tables {
				for _, u := range table.Unread {
					got = append(got, u.Prefix.String())
				}
			}
		}
		require.Equal(t, []string{"10.61.16.0/24", "10.61.18.0/24", "10.61.19.0/24"}, got)
	}
}
