package capture

import (
	"bytes"
	"slices"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// What a command printed may have been repeated on a screen (watch, of procps): a line above it tells the command and
// the time, and what has no room on the screen below is not shown.

// watched matches that line.
var watched = lazyregexp.New(`^Every \d+(?:[.,]\d+)?s: (\S.*?)(?: {2,}\S.*)?\s*$`)

// leastScreen is how many lines of an output the smallest usual screen shows below that line: one of 24.
const leastScreen = 22

// repeated finds the line above a part that tells of a repeated command. In part is whether the command asked for a
// part, or the output reaches as far as a screen may.
func (p *Part) repeated(src *Source, s section) (above route.Mark, inPart bool) {
	text := src.text[s.lo:s.hi]
	for lo, hi := range layout.Lines(text) {
		if layout.Blank(text[lo:hi]) {
			continue
		}
		m := watched.FindSubmatch(text[lo:min(hi, lo+400)])
		if m == nil {
			return route.Mark{}, false
		}
		above = src.original(route.Mark{File: p.Where.File, Off: uint32(s.lo + lo), End: uint32(s.lo + hi)})
		below := bytes.Count(bytes.TrimRight(text[hi:], " \t\r\n"), []byte("\n"))
		inPart = asksForPart(string(m[1])) || below >= leastScreen
		break
	}
	if i := slices.IndexFunc(p.Unread, func(u layout.Unread) bool { return u.Mark.Off == above.Off }); i >= 0 {
		p.Passed = append(p.Passed, layout.Passed{Mark: p.Unread[i].Mark, As: layout.Title})
		p.Unread = slices.Delete(slices.Clone(p.Unread), i, i+1)
	}
	return above, inPart
}
