package capture

import (
	"net/netip"
	"regexp"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// A command may ask for a part of a table only. What such a listing does not show may be there, so the table is not
// known by it.

// pipeFilter is a search behind a pipe, in the words of devices and of shells; what only changes the form of the
// output is none.
var pipeFilter = regexp.MustCompile(
	`\|\s*(?:i|in|inc|incl|include|e|ex|exc|excl|exclude|b|be|beg|begin|sec|section|m|match|except|find|last|head|tail|first|grep|egrep|awk|sed|findstr|Select-String)\b`,
)

// fromHeading is a search that shows all from a heading on which stands above every route.
var fromHeading = regexp.MustCompile(`\|\s*(?:b|be|beg|begin)\s+"?(?:gateway|codes?|destination|gateway of last resort)\b[^|]*$`)

// partWords ask for the routes of one source, or for one prefix and what is in it.
var partWords = map[string]bool{
	"static":          true,
	"connected":       true,
	"direct":          true,
	"local":           true,
	"kernel":          true,
	"ospf":            true,
	"ospf3":           true,
	"bgp":             true,
	"rip":             true,
	"ripng":           true,
	"isis":            true,
	"is-is":           true,
	"eigrp":           true,
	"babel":           true,
	"protocol":        true,
	"proto":           true,
	"longer-prefixes": true,
	"longer":          true,
	"exact":           true,
	"supernets-only":  true,
	"root":            true,
	"match":           true,
	"to":              true,
	"via":             true,
	"dev":             true,
	"get":             true,
	"where":           true,
	"filter":          true,
	"filtered":        true,
	"export":          true,
	"noexport":        true,
	"preexport":       true,
	"hidden":          true,
	"inactive":        true,
	"inactive-path":   true,
	"community":       true,
	"aspath-regex":    true,
	"next-hop":        true,

	"advertising-protocol": true,
	"receive-protocol":     true,
}

// routeWord is a word that asks for routes, whole or shortened.
var routeWord = regexp.MustCompile(`^(?:ro|rou|rout|route|routes|routing|routing-table|rib)$`)

// statement configures a route in place of asking for one.
var statement = regexp.MustCompile(`^(?:ip|ipv6) route [0-9a-f]*[.:]`)

// asksForPart reports whether a command asks for a part of a routing table.
func asksForPart(command string) bool {
	low := strings.ToLower(strings.TrimSpace(command))
	low = fromHeading.ReplaceAllString(low, "")
	if pipeFilter.MatchString(low) {
		return true
	}
	low, _, _ = strings.Cut(low, "|")
	if statement.MatchString(low) {
		return false
	}
	words := strings.Fields(low)
	at := -1
	for i, w := range words {
		if routeWord.MatchString(w) {
			at = i
		}
	}
	if at < 0 {
		return false
	}
	skip := false
	for _, w := range words[at+1:] {
		switch {
		case skip: // the name of a table, an instance or a family
			skip = false
			continue
		case w == "vrf" || w == "table" || w == "instance" || w == "vpn-instance" || w == "routing-instance" || w == "vr" || w == "virtual-router":
			skip = true
			continue
		case partWords[w]:
			return true
		}
		if _, err := netip.ParseAddr(w); err == nil {
			return true
		}
		if _, err := netip.ParsePrefix(w); err == nil {
			return true
		}
	}
	return false
}

// partOfRules matches a command that lists some of a kernel's filters.
var partOfRules = regexp.MustCompile(`\bnft\b.*\blist (?:tables?|chains?|sets?|maps?|counters?)\b`)

// interrupted is what a terminal shows where somebody broke an output off.
var interrupted = regexp.MustCompile(`^\s*(?:\^[CZ\\]|\x03|<?Interrupt(?:ed)?>?|Aborted\.?)\s*$`)

// brokenOff returns where the output of a section was broken off, no mark where it came to its end: the pager's last question was
// never answered with more, or somebody interrupted it. That line is nothing that is unread.
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
var bareCommand = regexp.MustCompile(`^\s*(?:/ip(?:v6)? route print|/routing route print|show|sh|display|dis|get|netstat|route|ip|birdc? show)\s`)

// askedBare finds, among the lines that a reader left unread, a command that asks for a part of a table: its prompt
// was not known as one, or is missing.
func askedBare(src *Source, unread []layout.Unread) route.Mark {
	for _, u := range unread {
		line := appendClean(nil, src.Text(u.Mark))
		if m := anyPrompt.FindSubmatch(line); m != nil && asksForPart(string(m[1])) || bareCommand.Match(line) && asksForPart(string(line)) {
			return u.Mark
		}
	}
	return route.Mark{}
}
