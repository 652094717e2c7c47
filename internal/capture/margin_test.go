package capture

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestWhatStandsInFrontOfEveryLine holds that a table with something in front of every line is read as the table alone,
// line by line, and that what only looks like it stays.
func TestWhatStandsInFrontOfEveryLine(t *testing.T) {
	lines := strings.Split("ridge# show ip route\nCodes: C - connected, S - static\n\n"+
		"C    10.61.1.0/24 is directly connected, hall\nS    10.62.0.0/16 [1/0] via 10.61.1.9, hall\nridge#", "\n")
	each := func(front func(i int) string) string {
		var b strings.Builder
		for i, l := range lines {
			b.WriteString(strings.TrimRight(front(i)+l, " ") + "\n")
		}
		return b.String()
	}
	same := func(s string) func(int) string { return func(int) string { return s } }
	for _, c := range []struct {
		name, text string
		first      int // the line of the first route
		routes     int
	}{
		{"nothing", each(same("")), 4, 2},
		{"a moment in brackets", each(func(i int) string { return fmt.Sprintf("[2026-11-26 23:01:%02d.113] ", i) }), 4, 2},
		{"a moment of a standard", each(func(i int) string { return fmt.Sprintf("2026-11-26T23:01:%02dZ: ", i) }), 4, 2},
		{"a moment and a level", each(func(i int) string { return fmt.Sprintf("2026-11-26T23:01:%02dZ INFO  ", i) }), 4, 2},
		{"a moment and a word", each(func(i int) string { return fmt.Sprintf("2026-11-26T23:01:%02dZ LIFT  ", i) }), 0, 0},
		{"a time", each(func(i int) string { return fmt.Sprintf("23:01:%02d | ", i) }), 4, 2},
		{"a system log", each(func(i int) string { return fmt.Sprintf("Nov  6 23:01:%02d desk term[77]: ", i) }), 4, 2},
		{"a quotation", "The mast said:\n" + each(same("> ")), 5, 2},
		{"numbers", each(func(i int) string { return fmt.Sprintf("%6d\t", i+1) }), 4, 2},
		{"numbers of a search", each(func(i int) string { return fmt.Sprintf("%d:", 2*i+1) }), 0, 0},
		{"a file's name", each(same("ridge.log:")), 0, 0},
		{"hard blanks", strings.ReplaceAll(each(same("")), " ", "\u00a0"), 4, 2},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, err := Read("x", []byte(c.text), 1)
			require.NoError(t, err)
			n, first := 0, 0
			for _, p := range got.Parts {
				n += p.Routes()
				for m := range p.FactMarks() {
					if first == 0 {
						first = got.Source.Line(m.Off)
					}
				}
			}
			require.Equal(t, c.routes, n)
			require.Equal(t, c.first, first)
		})
	}
}

// TestRulesThatBeginWithNumbersKeepThem holds that the numbers of a listing's own are not taken for its lines'.
func TestRulesThatBeginWithNumbersKeepThem(t *testing.T) {
	c, err := Read("x", []byte("0:\tfrom all lookup local\n1:\tfrom 10.61.1.0/24 lookup 7\n2:\tfrom all lookup main\n3:\tfrom all lookup default\n"), 1)
	require.NoError(t, err)
	require.Len(t, c.Parts[0].Facts.Rules, 3) // the first one is every kernel's
}

// TestNumbersOfInterfacesStay: links on one line each begin with the next number each.
func TestNumbersOfInterfacesStay(t *testing.T) {
	text := ""
	for i, name := range []string{"lo", "up0@if4", "up1", "hall0", "hall1"} {
		text += fmt.Sprintf("%d: %s: <BROADCAST,UP,LOWER_UP> mtu 1500 qdisc noqueue state UP mode DEFAULT group default qlen 1000\\    link/ether 02:00:00:00:00:%02x brd ff:ff:ff:ff:ff:ff\n", i+1, name, i)
	}
	c, err := Read("links.txt", []byte(text), 1)
	require.NoError(t, err)
	require.Len(t, c.Parts, 1)
	require.Len(t, c.Parts[0].Facts.Interfaces, 5)
	require.Equal(t, "02:00:00:00:00:01", c.Parts[0].Facts.Interfaces[1].MAC)
	require.Equal(t, "up0", c.Parts[0].Facts.Interfaces[1].Name)
}
