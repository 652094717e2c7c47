package capture

import (
	"bytes"
	"math/rand/v2"
	"net/netip"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestDamagedRow: what a line is a row for, of which the destination is not whole; "-" where it is no row, or has a
// whole destination.
func TestDamagedRow(t *testing.T) {
	var d damagedRows
	for _, row := range []string{
		"C    10.61.16.0/24 is directly connected, hall0",
		"10.61.16.0 172.28.61.6 255.255.255.0 UG 0 0 0 line1",
		"2 ADC  10.61.16.0/24  10.61.16.1  hall0  0"} {
		f, ok := formOf(cellsOf([]byte(row)))
		require.True(t, ok)
		d.forms = append(d.forms, f)
	}
	for line, want := range map[string]string{
		"S    10,61,20,0/24 [1/0] via 172.28.5.2":                          "0.0.0.0/0",
		"S    10.61.2O.0/24 [1/0] via 172.28.5.2":                          "10.61.0.0/16",
		"S    10.61 20.0/24 [1/0] via 172.28.5.2":                          "10.0.0.0/8",
		"S    ***.***.20.0/24 [1/0] via 172.28.5.2":                        "0.0.0.0/0",
		"S    10.x.x.0/24 [1/0] via 172.28.5.2":                            "10.0.0.0/8",
		"S    HALLS [1/0] via 172.28.5.2":                                  "0.0.0.0/0",
		"S    10.61.20.0/2 [1/0] via 172.28.5.2":                           "10.0.0.0/8",
		"C    10.61.I6.0/24 is directly connected, hall0":                  "10.61.0.0/16",
		"10.61.2l.0 172.28.61.6 255.255.255.0 UG 0 0 0 line1":              "10.61.0.0/16",
		"3 ADC  10.61.?.0/24  10.61.18.1  hall2  0":                        "10.61.0.0/16",
		"blackhole 10.61,96.0/21 proto static":                             "10.0.0.0/8",
		"defau1t via 172.28.61.6 dev line1":                                "0.0.0.0/0",
		"tab=254 0.0.0.0/0.0.0.0/0->10.6l.16.0/24 gwy=10.61.0.1":           "10.0.0.0/8",
		`{"dst":"10.61.2O.0/24","gateway":"172.28.61.6"}`:                  "10.61.0.0/16",
		`"10.61.?.0/24": {"routeType": "static"}`:                          "10.61.0.0/16",
		`{"dst":"10.61.20.0/24","gateway":"172.28.61.x"}`:                  "-",
		"S    10.61.20.0/24 [1/0] via 172.28.5.2":                          "-",
		"C    10.61.16.0/24, hall0":                                        "-",
		"      [1/0] via 172.28.61.1, line0":                               "-",
		"Nov 29 23:14:02 hut5 login: night came from 172.28.5.2 (console)": "-",
		"*02:11:09.112 UTC Tue Mar 3 2026":                                 "-",
		"Interface hall7 is directly connected to nothing":                 "-",
		"software 15.7 runs since Monday":                                  "-",
	} {
		got := "-"
		if rest, ok := d.leftOf([]byte(line)); ok {
			got = readableBegin(rest, route.IPv4).String()
		}
		require.Equal(t, want, got, line)
	}
	require.Equal(t, "fd61:16::/32", readableBegin("fd61:16:?::/48", route.IPv6).String())
}

// TestNoDestinationIsLostSilently: where one sign of a row's destination becomes another one that no address has, the
// table does not seem to lack the route.
func TestNoDestinationIsLostSilently(t *testing.T) {
	all := samples(t)
	names := make([]string, 0, len(all))
	for name := range all {
		names = append(names, name)
	}
	sort.Strings(names)
	tried := map[string]int{}
	for _, name := range names {
		raw := all[name]
		if len(raw) == 0 || len(raw) > 30000 {
			continue
		}
		c, err := Read(name, raw, 1)
		if err != nil || c.Source.binary || document(c.Source.text) {
			continue
		}
		rnd := rand.New(rand.NewPCG(seedOf(name), uint64(*firstDisturbance)))
		for i := range c.Parts {
			for j := range c.Parts[i].Facts.Tables {
				rows := &c.Parts[i].Facts.Tables[j].Routes
				for n := range min(rows.Len(), *disturbances) {
					r := rows.At((n*7 + rnd.IntN(rows.Len())) % rows.Len())
					text, ok := withoutASign(rnd, raw, r)
					if !ok || r.Protocol == route.Local || r.Prefix.IsSingleIP() {
						continue
					}
					d, err := Read(name, []byte(text), 1)
					require.NoError(t, err)
					tried[c.Parts[i].Layout]++
					at := int(r.Mark.Off)
					line, _, _ := strings.Cut(text[at:], "\n")
					require.True(t, showsOrHides(d, &c.Parts[i], c.Parts[i].Facts.Tables[j].Name, r.Prefix), "%s: %s", name, line)
				}
			}
		}
	}
	for _, l := range []string{"lettered", "iproute text", "columns", "starred", "flagged", "CSV"} {
		require.NotZero(t, tried[l], l)
	}
	t.Log(tried)
}

// withoutASign replaces a sign of a route's destination where it stands in the text.
func withoutASign(rnd *rand.Rand, raw []byte, r route.Route) (string, bool) {
	lo := int(r.Mark.Off)
	line, _, _ := bytes.Cut(raw[lo:], []byte("\n"))
	word := r.Prefix.Addr().String()
	at := bytes.Index(line, []byte(word))
	if at < 0 {
		return "", false
	}
	at += lo
	if rnd.IntN(5) == 0 {
		return string(raw[:at]) + "x.x" + string(raw[at+len(word)-1:]), true
	}
	k := rnd.IntN(len(word))
	to := []string{"O", "l", "x", "?", "S"}[rnd.IntN(5)] // "#" ends prompts
	if word[k] == '.' || word[k] == ':' {
		to = []string{",", ";", "·"}[rnd.IntN(3)]
	}
	return string(raw[:at+k]) + to + string(raw[at+k+1:]), true
}

// showsOrHides reports whether a capture shows a route to a prefix, or tells that it may not show one, in a table of a
// part like one of another capture.
func showsOrHides(c *Capture, like *Part, table string, p netip.Prefix) bool {
	there := false
	for i := range c.Parts {
		if x := &c.Parts[i]; x.Device != like.Device || x.Space != like.Space || x.Command != like.Command {
			continue
		}
		for j := range c.Parts[i].Facts.Tables {
			t := &c.Parts[i].Facts.Tables[j]
			if t.Name != table || t.Family != route.FamilyOf(p.Addr()) || t.Routes.Len() == 0 {
				continue
			}
			there = true
			if t.Filtered.Known() || t.Cut || shows(t, p) {
				return true
			}
		}
	}
	return !there
}

// shows reports whether a table has a route to a prefix, or a line that may be a longer one than all that it has.
func shows(t *network.TableFacts, p netip.Prefix) bool {
	best := -1
	for k := range t.Routes.Len() {
		switch q := t.Routes.At(k).Prefix; {
		case q == p:
			return true
		case q.Contains(p.Addr()) && q.Bits() < p.Bits():
			best = max(best, q.Bits())
		}
	}
	for _, u := range t.Unread {
		if u.Prefix.Contains(p.Addr()) && (u.Any || u.Prefix.Bits() > best || u.Host == p.Addr()) {
			return true
		}
	}
	return false
}
