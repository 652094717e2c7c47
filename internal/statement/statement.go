// Package statement writes a static route as the line that a device's own configuration has for one. It exists because
// an engineer at night should type a line, not translate one, and because a line in another device's language does
// harm.
//
// A form is learned from a captured statement of the same device: its prefix, next hop and preference are replaced, and
// the new line is put beside the old one and read again by the reader that read it. Only a line of which that reader
// makes just the wanted route, and nothing else, is given. Open systems have their documented forms. Where neither is
// known there is no line: no language is guessed.
package statement

import (
	"bytes"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// A Sample is a captured statement of a device.
type Sample struct {
	File   string // by its name in the case
	Raw    []byte // of the whole file
	Lo, Hi int    // of the statement in Raw
	Static network.Static
}

// A System is an open system of which the documented form is known. The zero System is none.
type System uint8

const (
	Unknown  System = iota
	IPRoute2        // the kernel's ip command, ip-route(8)
	FRR             // configuration of staticd
	BIRD            // a line in a protocol static, BIRD 2
)

// A Line is what to type, and what takes it back. Undo "": the line is to be taken out again, in whatever way the
// device has for that. In says where it belongs where that is not plain.
type Line struct {
	Text, Undo string
	In         string
	Learned    string // file whose statement it is formed after
	// a captured line that is to be taken out, where how that is typed was not captured; Text is empty then
	Out string
}

// Add writes the line that adds a route. False where no form is known.
func Add(s network.Static, samples []Sample, sys System) (Line, bool) {
	if !named(s) {
		return Line{}, false
	}
	for _, sample := range samples {
		if l, ok := like(s, sample); ok {
			return l, true
		}
	}
	return documented(s, sys)
}

// Remove writes the lines that take routes out, each given with all its next hops. False where one of them has no form
// that is known.
func Remove(routes [][]network.Static, samples []Sample, sys System) ([]Line, bool) {
	var out []Line
	for _, r := range routes {
		if slices.ContainsFunc(r, func(s network.Static) bool { return !named(s) }) {
			return nil, false
		}
		some, ok := removeOne(r, samples, sys)
		if !ok {
			return nil, false
		}
		out = append(out, some...)
	}
	return out, len(out) > 0
}

// removeOne words the removal of routes of one prefix, with the line that undoes it; false where the system's form for
// it was not seen.
func removeOne(all []network.Static, samples []Sample, sys System) ([]Line, bool) {
	if sys == IPRoute2 && len(all) > 1 { // one route with several next hops
		ip, hops := "ip ", ""
		if all[0].Prefix.Addr().Is6() {
			ip = "ip -6 "
		}
		for _, s := range all {
			if s.Special != route.None || s.Metric != all[0].Metric || s.Preference.Known ||
				!s.NextHop.Address.IsValid() || s.NextHop.Interface == "" {
				return nil, false
			}
			hops += fmt.Sprintf(" nexthop via %s dev %s", s.NextHop.Address, s.NextHop.Interface)
		}
		p := all[0].Prefix.String() + behind(all[0])
		return []Line{{Text: ip + "route del " + p, Undo: ip + "route add " + p + hops}}, true
	}
	var out []Line
	for _, s := range all {
		l, ok := remove(s, samples, sys)
		if !ok {
			return nil, false
		}
		out = append(out, l)
	}
	return out, len(out) > 0
}

// remove writes the line that takes a route out, or names the captured one that is to go.
func remove(s network.Static, samples []Sample, sys System) (Line, bool) {
	for _, sample := range samples {
		if !sameRoute(sample.Static, s) {
			continue
		}
		l := Line{Undo: strings.TrimSpace(lineOf(sample)), Learned: sample.File}
		if negates(sample.Raw) {
			l.Text = "no " + l.Undo
		} else {
			l.Out = l.Undo
		}
		return l, printable(l.Undo)
	}
	l, ok := documented(s, sys)
	l.Text, l.Undo = l.Undo, l.Text
	return l, ok && l.Text != ""
}

// named reports whether the names in a route, which come from captures, are such as may be typed into a shell.
func named(s network.Static) bool {
	return plain.MatchString(s.NextHop.Interface) && plain.MatchString(s.Table) &&
		plain.MatchString(s.NextHop.Address.Zone())
}

var plain = lazyregexp.New(`^[A-Za-z0-9 ./:_@,+-]*$`)

func printable(s string) bool {
	return !strings.ContainsFunc(s,
		func(c rune) bool { return c < ' ' || c > '~' || strings.ContainsRune("`$|<>\\", c) })
}

// lineOf is the whole line of a sample's statement, without its end.
func lineOf(s Sample) string {
	lo := bytes.LastIndexByte(s.Raw[:s.Lo], '\n') + 1
	hi := len(s.Raw)
	if i := bytes.IndexByte(s.Raw[s.Lo:], '\n'); i >= 0 {
		hi = s.Lo + i
	}
	return strings.TrimRight(string(s.Raw[lo:hi]), "\r")
}

// negates reports whether a configuration takes statements back by the word no before them: it does so itself.
func negates(raw []byte) bool {
	for line := range bytes.Lines(raw) {
		if bytes.HasPrefix(bytes.TrimLeft(line, " "), []byte("no ")) {
			return true
		}
	}
	return false
}

// like writes a route in the form of a sample.
func like(s network.Static, sample Sample) (Line, bool) {
	if sample.Static.Special != s.Special || tableOf(sample.Static) != tableOf(s) ||
		sample.Static.Prefix.Addr().Is4() != s.Prefix.Addr().Is4() {
		return Line{}, false
	}
	old := lineOf(sample)
	for _, text := range forms(old, sample.Static, s) {
		if !printable(text) || !readsAs(text, sample, s) {
			continue
		}
		l := Line{Text: strings.TrimSpace(text), Learned: sample.File}
		if negates(sample.Raw) {
			l.Undo = "no " + l.Text
		}
		return l, true
	}
	return Line{}, false
}

func tableOf(s network.Static) string {
	if s.Table == "default" {
		return ""
	}
	return s.Table
}

// cut is a stretch of a line that is replaced.
type cut struct {
	lo, hi int
	by     string
}

// forms lists lines like a sample's, the shortest first: what stands behind the last replaced word may be a name or a
// tag of the old route.
func forms(old string, was, is network.Static) []string {
	var cuts []cut
	prefix, ok := prefixIn(old, was.Prefix, is.Prefix)
	if !ok {
		return nil
	}
	cuts = append(cuts, prefix)
	must := func(text, by string) bool {
		at := wordIn(old, text, prefix.hi)
		if at < 0 {
			return false
		}
		cuts = append(cuts, cut{at, at + len(text), by})
		return true
	}
	if was.NextHop.Address.IsValid() != is.NextHop.Address.IsValid() {
		return nil
	}
	if a := was.NextHop.Address; a.IsValid() && !must(a.String(), is.NextHop.Address.String()) {
		return nil
	}
	if i := was.NextHop.Interface; i != "" && wordIn(old, i, prefix.hi) >= 0 {
		if is.NextHop.Interface == "" || !must(i, is.NextHop.Interface) {
			return nil
		}
	}
	shown := was.Preference.Known && wordIn(old, fmt.Sprint(was.Preference.Value), prefix.hi) >= 0
	if is.Preference.Known {
		if !shown || !must(fmt.Sprint(was.Preference.Value), fmt.Sprint(is.Preference.Value)) {
			return nil
		}
	}
	slices.SortFunc(cuts, func(a, b cut) int { return a.lo - b.lo })
	var b strings.Builder
	at := 0
	for _, c := range cuts {
		if c.lo < at {
			return nil
		}
		b.WriteString(old[at:c.lo] + c.by)
		at = c.hi
	}
	return endings(b.String(), old[at:], shown && !is.Preference.Known, fmt.Sprint(was.Preference.Value))
}

// endings lists a line that was rewritten up to rest, with more and more of the words of rest behind it, and with what
// closes the statement. Unwanted is a preference that must not come along.
func endings(head, rest string, without bool, unwanted string) []string {
	var out []string
	add := func(tail string) {
		if !without || wordIn(tail, unwanted, 0) < 0 {
			out = append(out, head+tail)
		}
	}
	closed := strings.HasSuffix(strings.TrimSpace(rest), ";")
	for i := range len(rest) {
		if rest[i] == ' ' || rest[i] == '\t' {
			add(rest[:i])
			if closed {
				add(strings.TrimRight(rest[:i], " \t") + ";")
			}
		}
	}
	add(rest)
	return out
}

// prefixIn finds how a line writes a prefix: with a length, with a mask or a length behind a blank, or as an address.
func prefixIn(line string, was, is netip.Prefix) (cut, bool) {
	a := was.Addr().String()
	for from := 0; ; {
		at := wordIn(line, a, from)
		if at < 0 {
			return cut{}, false
		}
		from = at + len(a)
		rest := line[from:]
		for _, form := range []func(netip.Prefix) string{
			func(p netip.Prefix) string { return fmt.Sprintf("/%d", p.Bits()) },
			func(p netip.Prefix) string { return " " + mask(p) },
			func(p netip.Prefix) string { return fmt.Sprintf(" %d", p.Bits()) },
		} {
			if tail := form(was); strings.HasPrefix(rest, tail) && !goesOn(rest, len(tail)) {
				return cut{at, from + len(tail), is.Addr().String() + form(is)}, true
			}
		}
	}
}

func mask(p netip.Prefix) string {
	if p.Addr().Is6() {
		return "-"
	}
	m := ^uint32(0) << (32 - p.Bits())
	if p.Bits() == 0 {
		m = 0
	}
	return netip.AddrFrom4([4]byte{byte(m >> 24), byte(m >> 16), byte(m >> 8), byte(m)}).String()
}

// wordIn finds a text that stands alone in a line, at or behind from; -1 for none.
func wordIn(line, text string, from int) int {
	for from <= len(line) {
		i := strings.Index(line[from:], text)
		if i < 0 {
			return -1
		}
		at := from + i
		if (at == 0 || !inWord(line[at-1])) && !goesOn(line, at+len(text)) {
			return at
		}
		from = at + 1
	}
	return -1
}

func goesOn(line string, at int) bool { return at < len(line) && inWord(line[at]) }

func inWord(c byte) bool {
	return c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c == '.' || c == ':'
}

// readsAs puts a line behind a sample's and reads the file again: just the wanted route must have joined.
func readsAs(text string, sample Sample, want network.Static) bool {
	end := len(sample.Raw)
	if i := bytes.IndexByte(sample.Raw[sample.Lo:], '\n'); i >= 0 {
		end = sample.Lo + i + 1
	}
	head := string(sample.Raw[:end])
	if !strings.HasSuffix(head, "\n") {
		head += "\n"
	}
	before, ok := staticsIn(sample.File, sample.Raw)
	if !ok {
		return false
	}
	after, ok := staticsIn(sample.File, []byte(head+text+"\n"+string(sample.Raw[end:])))
	if !ok || len(after) != len(before)+1 {
		return false
	}
	joined := 0
	for _, s := range after {
		if i := slices.Index(before, s); i >= 0 {
			before = slices.Delete(before, i, i+1)
			continue
		}
		if !sameRoute(s, want) || want.Preference.Known && s.Preference != want.Preference {
			return false
		}
		joined++
	}
	return joined == 1
}

// staticsIn reads the configured static routes of a file, without their marks.
func staticsIn(name string, raw []byte) ([]network.Static, bool) {
	c, err := capture.Read(name, raw, 1)
	if err != nil {
		return nil, false
	}
	var out []network.Static
	for i := range c.Parts {
		for _, s := range c.Parts[i].Facts.Statics {
			s.Mark = route.Mark{}
			out = append(out, s)
		}
	}
	return out, true
}

// sameRoute reports whether two statics lead the same addresses the same way.
func sameRoute(a, b network.Static) bool {
	return a.Prefix == b.Prefix && a.NextHop.Address == b.NextHop.Address && a.Special == b.Special &&
		tableOf(a) == tableOf(b) &&
		(a.NextHop.Interface == b.NextHop.Interface || a.NextHop.Address.IsValid())
}
