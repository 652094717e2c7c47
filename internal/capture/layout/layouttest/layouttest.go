// Package layouttest writes readings as text and holds the laws that every reader obeys, for the readers' tests.
package layouttest

import (
	"bytes"
	"fmt"
	"reflect"
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// Words writes each route of a reading on one line: line number, table where it is not the default one, prefix,
// protocol, preference/metric, special or next hops, state.
func Words(in []byte, r layout.Reading) []string {
	var out []string
	for i := range r.Facts.Tables {
		t := &r.Facts.Tables[i]
		for j := range t.Routes.Len() {
			x := t.Routes.At(j)
			s := fmt.Sprintf("%d ", 1+bytes.Count(in[:x.Mark.Off], []byte{'\n'}))
			out = append(out, s+routeWords(t.Name, x))
		}
	}
	return out
}

// routeWords is all of that but the number of the line.
func routeWords(table string, x route.Route) string {
	s := ""
	if table != "default" {
		s = "(" + table + ") "
	}
	s += x.Prefix.String() + " " + x.Protocol.String()
	if x.Subtype != "" {
		s += "/" + x.Subtype
	}
	s += " " + number(x.Preference) + "/" + number(x.Metric)
	if x.Special != route.None {
		s += " " + x.Special.String()
	}
	for _, h := range x.NextHops {
		s += hop(h)
	}
	return s + state(x)
}

func number(n route.Number) string {
	if !n.Known {
		return "-"
	}
	return fmt.Sprint(n.Value)
}

// hop words a next hop with everything that a reader can set of it.
func hop(h route.NextHop) string {
	s := ""
	if h.Address.IsValid() {
		s += " via " + h.Address.String()
	}
	if h.Interface != "" {
		s += " dev " + h.Interface
	}
	if h.Table != "" {
		s += " in " + h.Table
	}
	if h.Weight > 1 {
		s += fmt.Sprintf(" weight %d", h.Weight)
	}
	for _, f := range []struct {
		on   bool
		word string
	}{{h.Recursive, "recursive"}, {h.Resolves, "resolves"}, {h.Inactive, "inactive"}, {h.Backup, "backup"}, {h.OnLink,
		"onlink"},
		{h.Down, "down"}, {h.Encapsulated, "encapsulated"}, {h.Installed, "*"}} {
		if f.on {
			s += " " + f.word
		}
	}
	return s
}

// state words the state of a route; nothing for a candidate.
func state(r route.Route) string {
	s := ""
	for _, f := range []struct {
		bit  route.State
		word string
	}{{route.Active, "active"}, {route.Installed, "installed"}, {route.Rejected, "rejected"}, {route.Unusable,
		"unusable"}} {
		if r.Is(f.bit) {
			s += " " + f.word
		}
	}
	if s == "" {
		return ""
	}
	return ":" + s
}

// Facts writes everything else that a reading says, one fact a line: line number, kind, and the fact without its
// evidence.
func Facts(in []byte, r layout.Reading) []string {
	var out []string
	r.Facts.Each(func(f network.Fact) {
		m := *f.Mark
		*f.Mark = route.Mark{}
		says := ""
		if f.Of != nil {
			says = fmt.Sprintf(" %+v", reflect.ValueOf(f.Of).Elem().Interface())
		}
		*f.Mark = m
		out = append(out, fmt.Sprintf("%d %s%s", 1+bytes.Count(in[:m.Off], []byte{'\n'}), f.Kind, says))
	})
	return out
}

// Unread writes each unread line: line number and reason.
func Unread(in []byte, r layout.Reading) []string {
	var out []string
	for _, u := range r.Unread {
		out = append(out, fmt.Sprintf("%d %v", 1+bytes.Count(in[:u.Mark.Off], []byte{'\n'}), u.Reason))
	}
	return out
}

// Laws checks what holds for every text: no line is lost, evidence lies inside, the same bytes give the same reading.
func Laws(t *testing.T, read func([]byte) layout.Reading, in []byte) layout.Reading {
	t.Helper()
	r := read(in)
	require.Equal(t, layout.NonBlank(in), r.Read+len(r.Passed)+len(r.Unread), "a line was lost or counted twice")
	for m := range r.Marks() {
		require.LessOrEqual(t, m.Off, m.End)
		require.LessOrEqual(t, int(m.End), len(in))
	}
	oneClass(t, in, r)
	r.Facts.Each(func(f network.Fact) {
		require.True(t, f.Mark.Known() && f.Mark.Off < f.Mark.End, "a fact without its line: %s", f.Kind)
	})
	again := read(in)
	require.Equal(
		t,
		strings.Join(Words(in, r), "\n"),
		strings.Join(Words(in, again), "\n"),
		"same bytes, another reading",
	)
	require.Equal(t, Facts(in, r), Facts(in, again))
	require.Equal(t, Unread(in, r), Unread(in, again))
	return r
}

// oneClass checks the ledger: no line is passed over twice, or passed over and left unread or read as well, and on
// each of the others a fact rests. An agent prints the columns of a row apart, so that its lines carry no marks of
// their own; the objects around the rules of a set say how these are read.
func oneClass(t *testing.T, in []byte, r layout.Reading) {
	t.Helper()
	line := func(off uint32) int { return 1 + bytes.Count(in[:off], []byte{'\n'}) }
	passed, unread, read := map[int]bool{}, map[int]bool{}, map[int]bool{}
	for _, x := range r.Passed {
		n := line(x.Mark.Off)
		require.False(t, passed[n], "line %d is passed over twice", n)
		passed[n] = true
	}
	for _, u := range r.Unread {
		for n := line(u.Mark.Off); n <= line(max(u.Mark.End, u.Mark.Off+1)-1); n++ {
			require.False(t, passed[n], "line %d is passed over and left unread", n)
			unread[n] = true
		}
	}
	rests := func(m route.Mark) {
		if !m.Known() {
			return
		}
		require.False(t, passed[line(m.Off)], "line %d is passed over, and a fact rests on it", line(m.Off))
		for n := line(m.Off); n <= line(max(m.End, m.Off+1)-1); n++ {
			read[n] = true
		}
	}
	for i := range r.Facts.Tables {
		for j := range r.Facts.Tables[i].Routes.Len() {
			rests(r.Facts.Tables[i].Routes.At(j).Mark)
		}
	}
	r.Facts.Each(func(f network.Fact) { rests(*f.Mark) })
	if r.Layout == "SNMP walk" || r.Layout == "nftables JSON" || bytes.IndexByte(in, 0) >= 0 {
		return
	}
	n := 0
	for lo, hi := range layout.Lines(in) {
		n++
		text := in[lo:hi]
		if !layout.Blank(text) && !passed[n] && !unread[n] && !read[n] && !bytes.Contains(text, []byte("local")) &&
			bytes.ContainsFunc(text, unicode.IsLetter) {
			t.Errorf("line %d is counted as read, and nothing rests on it: %s", n, text)
		}
	}
}

// Variants checks that a text reads alike with CRLF line ends and obeys the laws when it is cut off anywhere.
func Variants(t *testing.T, read func([]byte) layout.Reading, in string) {
	t.Helper()
	crlf := strings.ReplaceAll(in, "\n", "\r\n")
	lf, cr := read([]byte(in)), Laws(t, read, []byte(crlf))
	require.Equal(t, Words([]byte(in), lf), Words([]byte(crlf), cr), "CRLF reads otherwise")
	require.Equal(t, Facts([]byte(in), lf), Facts([]byte(crlf), cr), "CRLF says otherwise")
	for i := range in {
		if in[i] == '\n' {
			Laws(t, read, []byte(in[:i]))
			Laws(t, read, []byte(in[:i/2]))
		}
		if in[i] == ' ' && i > 0 && in[i-1] != ' ' { // the rest of the line is missing
			rest := in[i:]
			if end := strings.IndexByte(rest, '\n'); end >= 0 {
				Laws(t, read, []byte(in[:i]+rest[end:]))
			}
		}
	}
}
