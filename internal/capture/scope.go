package capture

import (
	"bytes"
	"slices"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// A command may ask for a part of a table only. What such a listing does not show may be there, so the table is not
// known by it.

// interrupted is what a terminal shows where somebody broke an output off.
var interrupted = lazyregexp.New(`^\s*(?:\^[CZ\\]|\x03|<?Interrupt(?:ed)?>?|Aborted[.!]?)\s*$|\^C\s*$`)

// sessionLost matches what a terminal prints in place of the rest of an output, where its session was lost.
var sessionLost = lazyregexp.New(`(?i)^\s*(?:(?:ssh|client_loop|packet_write\w*|telnet): )?(?:` +
	`connection (?:to \S+ )?(?:port \d+ )?(?:closed by (?:(?:foreign|remote) host|server|peer)|timed out|reset\b|lost\b)` +
	`|connection to .{0,60}: broken pipe` +
	`|(?:send disconnect|write failed|read from \S+)\b.{0,40}: |broken pipe|timeout, server \S+ not responding` +
	`|(?:your |the |this )?(?:cli |idle |vty |exec )?(?:session|connection|line)\b.{0,24}` +
	`\b(?:timed out|lost|has expired)\b)`)

// endingWords are parts of words without which a line is none of these.
var endingWords = [][]byte{[]byte("^"), []byte("\x03"), []byte("nterrupt"), []byte("NTERRUPT"), []byte("borted"),
	[]byte("onnection"), []byte("ONNECTION"), []byte("ession"), []byte("ESSION"), []byte("roken pipe"),
	[]byte("isconnect"), []byte("rite failed"), []byte("ead from"), []byte("imeout"), []byte("imed out"),
	[]byte("IMED OUT")}

// brokenOff returns where the output of a section was broken off, no mark where it came to its end: the pager's last
// question was never answered with more, somebody interrupted it, the session was lost, or a line says that others were
// left out. That line is nothing that is unread.
func (p *Part) brokenOff(src *Source, s section) route.Mark {
	for i, u := range p.Unread {
		line := src.Text(u.Mark)
		left := len(p.Facts.Tables) > 0 && saysLeftOut(line)
		if !left && !holdsAny(line, endingWords) {
			continue
		}
		line = appendClean(nil, line)
		if left || interrupted.Match(line) || sessionLost.Match(line) && !leftAbove(src.raw[:u.Mark.Off]) {
			as := layout.Other
			if left {
				as = layout.Remark
			}
			p.Passed = append(p.Passed, layout.Passed{Mark: u.Mark, As: as})
			p.Unread = slices.Delete(slices.Clone(p.Unread), i, i+1)
			return u.Mark
		}
	}
	at := route.Mark{}
	for _, stop := range src.stops {
		if int(stop) >= s.lo && int(stop) <= s.hi && layout.Blank(src.text[stop:s.hi]) {
			at = src.original(route.Mark{File: 1, Off: stop, End: stop + 1})
		}
	}
	if end := s.hi + max(bytes.IndexByte(src.text[s.hi:], '\n'), 0); sessionLost.Match(src.text[s.hi:end]) &&
		!leftAbove(src.text[:s.hi]) {
		at = src.original(route.Mark{File: 1, Off: uint32(s.hi), End: uint32(end)})
	}
	return at
}

// leftAbove reports whether the last line of a text that is not blank ends a session: it was left, not lost.
func leftAbove(text []byte) bool { return leaves.Match(lastLine(bytes.TrimRight(text, " \t\r\n"))) }

// titleOfSource matches a title that says that the rows below it are routes of one source.
var titleOfSource = lazyregexp.New(`(?i)^\W*(?:static|connected|direct|ospf(?:v[23])?|rip(?:ng)?|bgp|is-?is|eigrp)` +
	`(?: ipv[46])?(?: unicast)? (?:routes?|routing)(?: (?:table|entries|information|list))?(?: *\([^)]*\)| for \S.*)?` +
	`(?: *family: *\S+)?\W*$`)

// mostTitle is how many lines above the first row are looked at for a title.
const mostTitle = 16

// titledBySource finds such a title above the first row of a table in columns: what other sources know is not in it.
func (p *Part) titledBySource(src *Source) route.Mark {
	if p.Layout != "columns" || len(p.Facts.Tables) == 0 || p.Facts.Tables[0].Routes.Len() == 0 {
		return route.Mark{}
	}
	end := int(p.Facts.Tables[0].Routes.At(0).Mark.Off)
	at := int(p.Where.Off)
	for range mostTitle {
		if at >= end {
			break
		}
		hi := lineEnd(src.raw, at)
		if titleOfSource.Match(appendClean(nil, src.raw[at:hi])) {
			return route.Mark{File: p.Where.File, Off: uint32(at), End: uint32(hi)}
		}
		at = hi + 1
	}
	return route.Mark{}
}

// bareCommand begins a line that is a command by itself, without a prompt.
var bareCommand = lazyregexp.New(`^\s*(?:/ip(?:v6)? route print|/routing route print|show|sh|display|dis|get` +
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
