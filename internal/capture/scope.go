package capture

import (
	"regexp"
	"slices"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// A command may ask for a part of a table only. What such a listing does not show may be there, so the table is not
// known by it.

// interrupted is what a terminal shows where somebody broke an output off.
var interrupted = regexp.MustCompile(`^\s*(?:\^[CZ\\]|\x03|<?Interrupt(?:ed)?>?|Aborted\.?)\s*$`)

// brokenOff returns where the output of a section was broken off, no mark where it came to its end: the pager's last
// question was never answered with more, or somebody interrupted it. That line is nothing that is unread.
func (p *Part) brokenOff(src *Source, s section) route.Mark {
	at := route.Mark{}
	for i, u := range p.Unread {
		if interrupted.Match(appendClean(nil, src.Text(u.Mark))) {
			at = u.Mark
			p.Passed = append(p.Passed, layout.Passed{Mark: u.Mark})
			p.Unread = slices.Delete(slices.Clone(p.Unread), i, i+1)
			return at
		}
	}
	for _, stop := range src.stops {
		if int(stop) >= s.lo && int(stop) <= s.hi && layout.Blank(src.text[stop:s.hi]) {
			at = src.original(route.Mark{File: 1, Off: stop, End: stop + 1})
		}
	}
	return at
}

// bareCommand begins a line that is a command by itself, without a prompt.
var bareCommand = regexp.MustCompile(`^\s*(?:/ip(?:v6)? route print|/routing route print|show|sh|display|dis|get` +
	`|netstat|route|ip|birdc? show)\s`)

// askedBare finds, among the lines that a reader left unread, a command that asks for a part of a table: its prompt
// was not known as one, or is missing.
func askedBare(src *Source, unread []layout.Unread) route.Mark {
	for _, u := range unread {
		line := appendClean(nil, src.Text(u.Mark))
		if m := anyPrompt.FindSubmatch(line); m != nil && asksForPart(string(m[1])) || bareCommand.Match(line) &&
			asksForPart(string(line)) {
			return u.Mark
		}
	}
	return route.Mark{}
}
