package capture

import (
	"bytes"
	"errors"
	"iter"
	"net/netip"
	"slices"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// What a terminal, an editor or a copy does at the edges of lines: it wraps them at its width, in the middle of words
// too, and it ends a capture in the middle of a line. A row of which a piece is missing is no row: an interface "et" is
// not "eth0", and a prefix 10.1.0.0/1 is not 10.1.0.0/16.

// void stands in the place of a line that must not be taken for a row. No layout prints it.
const void = "¤"

var (
	errWrapped = errors.New("it reaches the width at which the terminal breaks lines, and what follows it does not fit")
	errEnd     = errors.New("the capture ends here, perhaps in the middle of a word")
)

// widths of terminals at which lines may be broken, in bytes.
const (
	leastWidth = 40
	mostWidth  = 400
)

// remnant is how long the rest of a line may be, in bytes, that alone reaches the width: longer ones, or several words,
// are lines of their own.
const remnant = 12

// change is what is done to a line before it is read.
type change uint8

const (
	keepLine change = iota
	joinNext        // the next line goes on with it
	voidLine
	voidRow // a line that was certainly a row: no title of what follows
)

// changed returns the source with lines joined or made void, nil where there is nothing to change.
func (s *Source) changed(what map[int]change) *Source {
	if len(what) == 0 {
		return nil
	}
	out := &Source{Name: s.Name, raw: s.raw, Noise: s.Noise, moves: s.moves, edge: s.edge,
		text: make([]byte, 0, len(s.text))}
	n, joined := 0, false
	for lo, hi := range layout.Lines(s.text) {
		if slices.Contains(s.stops, uint32(lo)) {
			out.stops = append(out.stops, uint32(len(out.text)))
		}
		if !joined {
			out.cleanStart = append(out.cleanStart, uint32(len(out.text)))
			out.rawStart = append(out.rawStart, s.rawOf(uint32(lo), n))
		}
		joined = false
		switch what[n] {
		case joinNext:
			out.text = append(out.text, s.text[lo:hi]...)
			joined = true
		case voidLine:
			out.text = append(out.text, void...)
		case voidRow:
			out.text = append(out.text, layout.VoidRow...)
		default:
			out.text = append(out.text, s.text[lo:hi]...)
		}
		if !joined {
			end := hi
			for end < len(s.text) && s.text[end] == '\r' {
				end++
			}
			if end < len(s.text) && s.text[end] == '\n' {
				out.text = append(out.text, s.text[hi:end+1]...)
			}
		}
		n++
	}
	return out
}

// rawOf returns where clean line n, which begins at an offset of the clean text, begins in the file.
func (s *Source) rawOf(off uint32, n int) uint32 {
	if s.cleanStart == nil {
		return off
	}
	return s.rawStart[n]
}

// cleanLine returns the number, from 0, of the clean line that an offset of the file stands on.
func (s *Source) cleanLine(raw uint32) int {
	if s.cleanStart == nil {
		return s.Line(raw) - 1
	}
	i, found := slices.BinarySearch(s.rawStart, raw)
	if !found {
		i--
	}
	return i
}

// wrapped finds the lines that a terminal's width may have broken: they are as long as the longest. Of those in broken,
// what follows was not read by itself; unread are the numbers of such lines.
func (s *Source) wrapped(unread map[int]bool) (longest, broken []int) {
	var lengths, words []int
	var first []string // word of each line
	most := 0
	prompts := map[int]bool{} // which are never the rest of a line
	rests := map[int]bool{}   // which look like nothing but the rest of one
	rulers := map[int]bool{}  // which nothing goes on
	p := newPrompter(s.text)
	filled := false // blanks fill the line above
	for lo, hi := range layout.Lines(s.text) {
		if filled && fullRow.Match(s.text[lo:hi]) {
			prompts[len(lengths)] = true
		}
		filled = bytes.HasSuffix(s.text[lo:hi], []byte("  "))
		if _, _, ok := p.prompt(s.text[lo:hi]); ok {
			prompts[len(lengths)] = true
		}
		// taken out already, or a row of its own
		if bytes.Contains(s.text[lo:hi], []byte(void)) || beginsRow(s.text[lo:hi]) || leaves.Match(s.text[lo:hi]) ||
			logsIn.Match(s.text[lo:hi]) {
			prompts[len(lengths)] = true
		}
		if len(bytes.Trim(s.text[lo:hi], "-=+|_ \t")) == 0 {
			prompts[len(lengths)], rulers[len(lengths)] = true, true
		}
		rests[len(lengths)] = restOfRow.Match(s.text[lo:hi])
		word, _, _ := bytes.Cut(bytes.TrimLeft(s.text[lo:min(hi, lo+60)], " \t"), []byte(" "))
		first = append(first, string(word))
		lengths, words = append(lengths, hi-lo), append(words,
			min(len(bytes.Fields(s.text[lo:min(hi, lo+4*remnant)])), 2))
		most = max(most, hi-lo)
	}
	if most < leastWidth || most > mostWidth {
		return nil, nil
	}
	for i, n := range lengths {
		if n == most && i+1 < len(lengths) && lengths[i+1] > 0 && !prompts[i+1] && !rulers[i] &&
			(first[i] != first[i+1] || first[i] == "") {
			longest = append(longest, i)
		}
	}
	for _, i := range longest {
		if nothing, is := unread[i+1]; is &&
			(len(longest) > 1 || rests[i+1] || nothing && words[i+1] == 1 && lengths[i+1] <= remnant) {
			broken = append(broken, i)
		}
	}
	return longest, broken
}

// rowBegin matches letters of a code column with a destination behind them, and a prefix whose next hops stand below
// it.
var rowBegin = lazyregexp.New(`^[A-Za-z][A-Za-z0-9*> ]{0,7}[ >*]\d+\.\d+\.\d+\.\d+(?:[ /]|$)` +
	`|^[\da-f.:]+/\d+, (?:ubest/mbest: |vrf )`)

// fullRow matches a destination at the begin of a line with more than one word behind it. Below a line that blanks fill
// up, as they fill every row of some tables, it is a row of its own.
var fullRow = lazyregexp.New(`^(?:default|\d+\.\d+\.\d+\.\d+(?:/\d+)?` +
	`|[0-9A-Fa-f]{0,4}:[0-9A-Fa-f:]*(?:/\d+)?)[ \t]+\S+[ \t]+\S`)

// beginsRow reports whether a line is the begin of a row, which is never the rest of the line above.
func beginsRow(line []byte) bool {
	m := rowBegin.Find(line[:min(len(line), 60)])
	if m == nil {
		return false
	}
	word, _, _ := bytes.Cut(m, []byte(" "))
	switch string(word) {
	case "via", "to", "is", "from", "by", "dev", "src":
		return false
	}
	return true
}

// restOfRow is the end of an interface's name and an age.
var restOfRow = lazyregexp.New(`^[\w./:-]{1,16}, (?:\d+:\d\d:\d\d|\d+[dwhm]\d)`)

// endsInTheMiddle reports whether the last line has no end and may be cut: nothing else in the text ends as it does.
func (s *Source) endsInTheMiddle() bool {
	t := s.text
	if len(t) == 0 || t[len(t)-1] == '\n' {
		return false
	}
	last := t[bytes.LastIndexByte(t, '\n')+1:]
	if layout.Blank(last) {
		return false
	}
	word, behind := lastWord(last)
	rest := t[:len(t)-len(last)]
	words := len(bytes.Fields(last))
	for lo, hi := range layout.Lines(rest) {
		other, sign := lastWord(rest[lo:hi])
		if sign == behind && (other == word || ages.MatchString(word) && ages.MatchString(other) ||
			isDigits(word) && isDigits(other)) && (!isDigits(word) || len(bytes.Fields(rest[lo:hi])) <= words) &&
			!anyPrompt.Match(rest[lo:hi]) {
			return false
		}
	}
	return true
}

// lastWord returns the word that a line ends with, and the sign behind it: a blank, a comma, or 0 for none.
func lastWord(line []byte) (string, byte) {
	line = bytes.TrimRight(line, "\r")
	word := bytes.TrimRight(line, " \t,")
	sign := byte(0)
	if len(word) < len(line) {
		sign = line[len(word)]
	}
	return string(word[1+bytes.LastIndexAny(word, " \t,"):]), sign
}

// unreadLines are the clean lines that no reader could use: true where they are nothing that a reader knows, false
// where they are a row with something wrong in it.
func (c *Capture) unreadLines() map[int]bool {
	out := map[int]bool{}
	for i := range c.Parts {
		for _, u := range c.Parts[i].Unread {
			row := false
			for _, why := range rowErrors {
				row = row || errors.Is(u.Reason, why)
			}
			out[c.Source.cleanLine(u.Mark.Off)] = !row
		}
	}
	return out
}

// rowErrors are the reasons for which a row is not read that is one.
var rowErrors = []error{layout.ErrPrefixLength, layout.ErrMaskGap, layout.ErrAddress, layout.ErrNumber,
	layout.ErrNoLength, layout.ErrFamily}

func (c *Capture) routes() int {
	n := 0
	for i := range c.Parts {
		n += c.Parts[i].Routes()
	}
	return n
}

// others counts the facts beside routes.
func (c *Capture) others() int {
	n := 0
	for i := range c.Parts {
		c.Parts[i].Facts.Each(func(network.Fact) { n++ })
	}
	return n
}

// unreadRaw counts the lines of the file that no reader could use.
func (c *Capture) unreadRaw() int {
	n := 0
	for i := range c.Parts {
		for _, u := range c.Parts[i].Unread {
			n += 1 + bytes.Count(c.Source.Text(u.Mark), []byte{'\n'})
		}
	}
	return n
}

// keeps reports whether a reading with some lines joined to the next still has the routes that the next lines told by
// themselves: those were no rests.
func (c *Capture) keeps(apart *Capture, lines []int) bool {
	rest := map[int]bool{}
	for _, i := range lines {
		rest[i+1] = true
	}
	told := map[netip.Prefix]bool{}
	for r := range apart.allRoutes() {
		if rest[apart.Source.cleanLine(r.Mark.Off)] {
			told[r.Prefix] = true
		}
	}
	if len(told) > 0 {
		for r := range c.allRoutes() {
			delete(told, r.Prefix)
		}
	}
	return len(told) == 0
}

// allRoutes yields the rows of all tables.
func (c *Capture) allRoutes() iter.Seq[route.Route] {
	return func(yield func(route.Route) bool) {
		for i := range c.Parts {
			for j := range c.Parts[i].Facts.Tables {
				l := &c.Parts[i].Facts.Tables[j].Routes
				for k := range l.Len() {
					if !yield(l.At(k)) {
						return
					}
				}
			}
		}
	}
}

// atEdges reads a capture again where lines were broken or cut, and returns the better reading.
func (c *Capture) atEdges(read func(*Source) *Capture) *Capture {
	if c.Source.endsInTheMiddle() && !document(c.Source.text) {
		if last := bytes.Count(c.Source.text, []byte{'\n'}); c.restsOn(last) {
			c = read(c.Source.changed(map[int]change{last: voidLine}))
			c.explain(errEnd, func(line int) bool { return line == last })
		}
	}
	unread := c.unreadLines()
	if len(unread) == 0 {
		return c
	}
	longest, broken := c.Source.wrapped(unread)
	best, joined := c, map[int]change(nil)
	for _, lines := range [][]int{longest, broken} { // several lines end there, or one by chance
		if len(lines) < 2 {
			continue
		}
		join := map[int]change{}
		for _, i := range lines {
			join[i] = joinNext
		}
		// Where lines of a table are joined that stand by themselves, rows are lost.
		j := read(c.Source.changed(join)).withinGate(read)
		if j.unreadRaw() < best.unreadRaw() && 4*j.routes() >= 3*c.routes() && j.others() >= c.others() &&
			j.keeps(c, lines) {
			best, joined = j, join
		}
	}
	if joined != nil {
		return best
	}
	gone := map[int]change{}
	for _, i := range broken {
		if c.restsOn(i) {
			gone[i] = voidLine
		}
	}
	if src := c.Source.changed(gone); src != nil {
		c = read(src)
		c.explain(errWrapped, func(line int) bool { return gone[line] == voidLine })
	}
	return c
}

// restsOn reports whether anything was read from a clean line.
func (c *Capture) restsOn(line int) bool {
	if c.factLines == nil {
		c.factLines = map[int]bool{}
		for i := range c.Parts {
			for m := range c.Parts[i].FactMarks() {
				for n := c.Source.cleanLine(m.Off); m.Known() && n <= c.Source.cleanLine(max(m.End, m.Off+1)-1); n++ {
					c.factLines[n] = true
				}
			}
		}
	}
	return c.factLines[line]
}

// explain gives the reason for the lines that were made void.
func (c *Capture) explain(why error, is func(line int) bool) {
	for i := range c.Parts {
		for j := range c.Parts[i].Unread {
			if u := &c.Parts[i].Unread[j]; is(c.Source.cleanLine(u.Mark.Off)) {
				u.Reason = why
			}
		}
	}
}

// isWordByte tells what a name, an address or a prefix is made of.
func isWordByte(c byte) bool {
	return c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' ||
		bytes.IndexByte([]byte("./:-_%@"), c) >= 0
}
