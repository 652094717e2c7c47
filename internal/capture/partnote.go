package capture

import (
	"bytes"
	"slices"
	"strconv"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// Above or below a listing may stand that it shows a part: in the words of the page that it was copied from ("showing 3
// of 10", "filter: static"), or in those of who kept it ("only the static routes", "excerpt").

// partNotes match a remark that says so.
var partNotes = []*lazyregexp.Regexp{
	// Filter: 10.61, (filtered), Search: 10.61, grep 10.61, matching lines: 3
	lazyregexp.New(`(?i)^\W*(?:active |current |applied )?(?:filter(?:s|ed|ing)?|search(?:ed)?|e?grep|findstr|query|matching)\b`),
	// excerpt from the routing table, partial output, a sample of routes
	lazyregexp.New(`(?i)\b(?:excerpt|extract|partial|subset|snippet|fragment)\b|^\W*(?:an? )?(?:sample|example)s?\b`),
	// Only static routes, Relevant lines, first 3 lines, tail of the output
	lazyregexp.New(`(?i)^\W*(?:the )?(?:only|just|some|relevant|interesting|important|matching|changed|new|missing` +
		`|flapping|selected|first \d+|last \d+|top \d+|head|tail)\b.{0,24}\b(?:routes?|lines?|rows?|entries|ones|prefixes` +
		`|output|table|listing)\b`),
	// Static routes only, Routes matching 10.61.0.0/16, Routes via line1, Routes that flap, Customer routes
	lazyregexp.New(`(?i)\b(?:routes?|entries|lines|rows|prefixes)\b(?: \w+)? only\b` +
		`|\b(?:routes?|entries|lines|rows|prefixes) (?:matching|containing|within|that|which|with|via|of interest)\b` +
		`|^\W*customers?(?:'s)? routes\W*$`),
	// Results for 10.61.0.0/16, Route lookup for 10.61.16.9, 3 matches, Diff against yesterday
	lazyregexp.New(`(?i)\b(?:results?|lookup|answers?) (?:for|of) \S*\d|\b\d+ match(?:es|ing)\b` +
		`|^\W*diff(?:erences?)?\b`),
}

// shownOf matches how many of how many are shown: "Showing 1 to 3 of 10 entries", "Page 1 of 3", "3 of 10 entries".
var shownOf = lazyregexp.New(`(?i)\b(?:(showing|displaying|displayed|page|results|items)\b\D{0,12})?` +
	`(\d+)(?: ?(?:-|–|to) ?(\d+))? ?(?:of|out of|/) ?(\d+)\b( (?:entries|routes|rows|lines|prefixes|results|items|pages)\b)?`)

// capacity matches a line that tells how many of those that there is room for a device has.
var capacity = lazyregexp.New(`(?i)\b(?:used|in use|capacity|max(?:imum)?|limit|size|installed|free|available|total)\b`)

// partNoteStems are parts of words without which a line is none of these, in lower case.
var partNoteStems = [][]byte{[]byte("filter"), []byte("search"), []byte("grep"), []byte("findstr"), []byte("query"),
	[]byte("match"), []byte("excerpt"), []byte("extract"), []byte("partial"), []byte("subset"), []byte("snippet"),
	[]byte("fragment"), []byte("sample"), []byte("example"), []byte("only"), []byte("just"), []byte("some"),
	[]byte("relevant"), []byte("interest"), []byte("important"), []byte("chang"), []byte("new "), []byte("missing"),
	[]byte("flap"), []byte("select"), []byte("first "), []byte("last "), []byte("top "), []byte("head"),
	[]byte("tail"), []byte("contain"), []byte("within"), []byte("that"), []byte("which"), []byte("routes with"),
	[]byte("routes via"), []byte("customer"), []byte("result"), []byte("lookup"), []byte("answer"), []byte("diff"),
	[]byte(" of "), []byte("/"), []byte("page")}

// saysPart reports whether a line that is no row says that the listing shows a part.
func saysPart(line []byte) bool {
	if len(line) > longestRemark || layout.Blank(line) {
		return false
	}
	if !holdsAny(bytes.ToLower(line), partNoteStems) || stamped.Match(line) {
		return false
	}
	return slices.ContainsFunc(partNotes, func(re *lazyregexp.Regexp) bool { return re.Match(line) }) ||
		fewerThanAll(line)
}

// fewerThanAll reports whether a line tells that fewer are shown than there are.
func fewerThanAll(line []byte) bool {
	m := shownOf.FindSubmatch(line)
	if m == nil || len(m[1]) == 0 && (len(m[5]) == 0 || capacity.Match(line)) {
		return false
	}
	number := func(b []byte) int {
		n, _ := strconv.Atoi(string(b))
		return n
	}
	from, to, all := number(m[2]), number(m[3]), number(m[4])
	switch {
	case bytes.EqualFold(m[1], []byte("page")):
		return all > 1
	case len(m[3]) > 0:
		return to-from+1 < all
	}
	return from < all
}

// notedParts keeps that a table is known in part where a line above its first row or below its last one says so.
func notedParts(parts []Part, src *Source) {
	for i := range parts {
		p := &parts[i]
		if len(p.Facts.Tables) == 0 {
			continue
		}
		above, below := p.aroundRows()
		if i > 0 && parts[i-1].Layout == "" {
			above[0] = parts[i-1].Where.Off
		}
		if i+1 < len(parts) && parts[i+1].Layout == "" {
			below[1] = parts[i+1].Where.End
		}
		above[0] = lastLinesOf(src.raw, above)
		at := p.noteWithin(src, above)
		if !at.Known() {
			at = p.noteWithin(src, below)
		}
		if !at.Known() {
			continue
		}
		p.remark(at)
		for k := range p.Facts.Tables {
			if t := &p.Facts.Tables[k]; !t.Filtered.Known() {
				t.Filtered, t.Scopes = at, nil
			}
		}
	}
}

// remark accounts for a line as one that says so.
func (p *Part) remark(at route.Mark) {
	for i, u := range p.Unread {
		if u.Mark.Off == at.Off {
			p.Unread = slices.Delete(slices.Clone(p.Unread), i, i+1)
			p.Passed = append(p.Passed, layout.Passed{Mark: at, As: layout.Remark})
			return
		}
	}
	for i := range p.Passed {
		if p.Passed[i].Mark.Off == at.Off {
			p.Passed[i].As = layout.Remark
		}
	}
}

// aroundRows bounds what stands in a part above the first row of its tables, and below the last one.
func (p *Part) aroundRows() (above, below [2]uint32) {
	first, last := p.Where.End, p.Where.Off
	for k := range p.Facts.Tables {
		l := &p.Facts.Tables[k].Routes
		for _, i := range [...]int{0, l.Len() - 1} {
			if i >= 0 && i < l.Len() {
				m := l.At(i).Mark
				first, last = min(first, m.Off), max(last, m.End)
			}
		}
	}
	return [2]uint32{p.Where.Off, first}, [2]uint32{max(last, first), p.Where.End}
}

// mostNotes is how many lines next to the rows are looked at.
const mostNotes = 24

// lastLinesOf is where the last of so many lines between two places begin.
func lastLinesOf(raw []byte, at [2]uint32) uint32 {
	lo := at[1]
	for range mostNotes + 1 {
		i := bytes.LastIndexByte(raw[at[0]:lo], '\n')
		if i < 0 {
			return at[0]
		}
		lo = at[0] + uint32(i)
	}
	return lo + 1
}

// noteWithin finds such a line between two places; those that explain letters or name columns are none.
func (p *Part) noteWithin(src *Source, at [2]uint32) route.Mark {
	if at[0] >= at[1] {
		return route.Mark{}
	}
	explains := map[uint32]bool{}
	for _, x := range p.Passed {
		if x.Mark.Off >= at[0] && x.Mark.Off < at[1] && x.As != layout.Other && x.As != layout.Title &&
			x.As != layout.Remark {
			explains[x.Mark.Off] = true
		}
	}
	lines := 0
	for lo, hi := range layout.Lines(src.raw[at[0]:at[1]]) {
		m := route.Mark{File: p.Where.File, Off: at[0] + uint32(lo), End: at[0] + uint32(hi)}
		if !explains[m.Off] && saysPart(src.raw[m.Off:m.End]) {
			return m
		}
		if lines++; lines > mostNotes {
			break
		}
	}
	return route.Mark{}
}
