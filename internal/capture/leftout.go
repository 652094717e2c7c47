package capture

import (
	"bytes"
	"slices"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// Who pastes a listing leaves lines out and says so, and a program that stops in the middle of one leaves its last
// words below. Rows are missing then, nobody knows where: what such a listing does not show may be there.

// leftOut match a line that says so. None of them is a row.
var leftOut = []*lazyregexp.Regexp{
	// ..., [...], (…)
	lazyregexp.New(`^\W*(?:\.{2,}|…)\W*$`),
	// <snip>, -- cut --, etc.
	lazyregexp.New(`(?i)^\W*(?:snip(?:ped)?|cut|cropped|etc|truncated|omitted|redacted|skipped|abridged)\W*$`),
	// the same in other languages that headings are read in
	lazyregexp.New(`(?i)\b(?:gek(?:ü|ue?)rzt|abgeschnitten|ausgelassen|weggelassen|usw\.|tronqu[ée]|coup[ée]e?s?\W*$` +
		`|omise?s?\W*$|recortad[oa]|omitid[oa]|truncad[oa]|troncat[oaie]|omess[oaie])`),
	// (output omitted), --- 40 lines skipped ---, 20 entries not shown, #### NEXT PAGE MISSING ####
	lazyregexp.New(`(?i)\b(?:output|listing|list|message|rows?|routes?|lines?|entries|prefixes|rest|remainder|table|dump` +
		`|text|display|data|pages?|results?|networks|customers?)\b.{0,40}\b(?:omitted|truncated|cut(?: off| short| here)?` +
		`|skipped|snipped|stripped|left out|not (?:all )?shown|removed|missing|interrupted|terminated|aborted` +
		`|stopped|incomplete|abbreviated|redacted|anonymi[sz]ed|shortened|too (?:long|large|big|many))\b`),
	// removed customer routes, skipping 40 lines
	lazyregexp.New(`(?i)\b(?:omitted|omitting|truncated|truncating|skipped|skipping|removed|removing|left out|snipped` +
		`|deleted|stripped)\b.{0,40}\b(?:output|rows?|routes?|lines?|entries|prefixes|rest|customers?|networks)\b`),
	// ... 312 more routes, more of the same, only the first 3 routes are shown, too many routes
	lazyregexp.New(`(?i)\b\d+ (?:more|further|other|additional) (?:routes?|rows?|lines?|entries|prefixes|networks)\b` +
		`|\bmore of the same\b|\bonly the (?:first|last) \d+\b|\btoo many (?:routes|entries|lines|rows|prefixes)\b` +
		`|\b(?:output|display(?:ed)?|listing|list|results?|shown)\b.{0,20}\blimited to\b` +
		`|\bmaximum number of (?:lines|rows|routes|entries)\b.{0,20}\b(?:reached|exceeded)\b|^\W*(?:too long|see attach)`),
	// what a program says last
	lazyregexp.New(`(?i)^(?:[\w./-]+: )?(?:segmentation fault|killed|terminated|bus error|broken pipe|dump (?:terminated` +
		`|was interrupted)|cannot send dump request|netlink receive error|error eof|eof on netlink)\b` +
		`|\bout of memory\b|\bmemory allocation (?:failed|failure|error)\b|\bno (?:buffer )?space (?:left|available)\b` +
		`|\berror reading from \w+\b`),
}

// leftOutStems are parts of words without which a line is none of these, in lower case.
var leftOutStems = [][]byte{[]byte(".."), []byte("…"), []byte("snip"), []byte("cut"), []byte("crop"), []byte("etc"),
	[]byte("trunc"), []byte("omit"), []byte("redact"), []byte("skip"), []byte("abridg"), []byte("strip"),
	[]byte("left out"), []byte("shown"), []byte("remov"), []byte("missing"), []byte("limited"), []byte("interrupt"),
	[]byte("terminat"), []byte("abort"), []byte("stop"), []byte("incomplete"), []byte("abbrev"), []byte("anonym"),
	[]byte("shorten"), []byte("too "), []byte("delet"), []byte("more"), []byte("further"), []byte("other"),
	[]byte("additional"), []byte("only the"), []byte("maximum"), []byte("see attach"), []byte("fault"),
	[]byte("killed"), []byte("bus error"), []byte("pipe"), []byte("dump"), []byte("netlink"), []byte("eof"),
	[]byte("memory"), []byte("space"), []byte("reading from"), []byte("excerpt"), []byte("extract"),
	[]byte("snippet"), []byte("fragment"), []byte("partial"), []byte("only "), []byte("just "), []byte("some "),
	[]byte("relevant"), []byte("interesting"), []byte("important"), []byte("selected"), []byte("gek"),
	[]byte("abgeschnitten"), []byte("gelassen"), []byte("usw"), []byte("tronqu"), []byte("coup"), []byte("omis"),
	[]byte("recortad"), []byte("omitid"), []byte("troncat"), []byte("omess")}

// leftOutOfRules match such a line in a configuration or a list of rules, as a whole: there stand sentences too, in
// descriptions and greetings, with words of all kinds.
var leftOutOfRules = []*lazyregexp.Regexp{
	leftOut[0], leftOut[1], leftOut[2],
	// ! 12 lines removed, # rules omitted, (rest left out)
	lazyregexp.New(`(?i)^\W*(?:(?:the|some|all|other|further|\d+) )?(?:output|listing|rest|remainder|text` +
		`|config(?:uration)?|rules?|lines?|entries|rows?|policies|terms?|acls?|access-lists?|interfaces?|sections?|statements?)` +
		`(?: \w+){0,3} (?:omitted|truncated|cut(?: off| short| here)?|skipped|snipped|stripped|left out|not shown|removed` +
		`|missing|redacted|shortened|deleted)\W*$`),
	lazyregexp.New(`(?i)^\W*(?:omitted|truncated|skipped|snipped|stripped|left out|removed|deleted|omitting|skipping` +
		`|removing) (?:\w+ ){0,3}(?:output|rest|rules?|lines?|entries|rows?|policies|terms?|acls?|sections?)\W*$`),
	lazyregexp.New(`(?i)^\W*(?:\d+ )?(?:more|further|other|additional) (?:rules?|lines?|entries|rows?|of the same)\W*$`),
	// ! excerpt, relevant configuration:, only the rules of the uplink
	lazyregexp.New(`(?i)^\W*(?:an? |the )?(?:excerpts?|extracts?|snippets?|fragments?|partial (?:config\w*|output|listing))` +
		`(?: (?:of|from) .{0,40})?\W*$`),
	lazyregexp.New(`(?i)^\W*(?:only|just|some|relevant|interesting|important|selected) (?:the |of )?(?:\w+ ){0,2}` +
		`(?:lines?|config(?:uration)?|parts?|sections?|statements?|rules?|acls?)(?: of .{0,40})?\W*$`),
}

// longestRemark is the longest line that is taken for such a remark.
const longestRemark = 120

// saysLeftOut reports whether a line says that lines of the listing are missing. A message of the device's log says
// nothing of a listing, whatever its words.
func saysLeftOut(line []byte) bool {
	return string(bytes.TrimSpace(line)) == ":" || saysAny(line, leftOut)
}

// saysAny is saysLeftOut with the expressions to look for.
func saysAny(line []byte, which []*lazyregexp.Regexp) bool {
	if len(line) > longestRemark {
		return false
	}
	if string(bytes.TrimSpace(line)) == "." {
		return true // three such lines, one below the other
	}
	return holdsAny(bytes.ToLower(line), leftOutStems) && !stamped.Match(line) &&
		slices.ContainsFunc(which, func(re *lazyregexp.Regexp) bool { return re.Match(line) })
}

// stamped matches the begin of a message with its time.
var stamped = lazyregexp.New(`^\W*(?:\d+: )?\W*(?:[A-Z][a-z]{2} +\d+ \d\d:\d\d|\d{4}-\d\d-\d\d|\d\d:\d\d:\d\d)`)

// keepLeftOut keeps that lines are missing from a configuration or a list of rules, which may be in several parts then:
// one of them may stop what the others let pass. A list of addresses is not one of all of them then, and one of a
// kernel's policy rules has gaps.
func keepLeftOut(parts []Part, src *Source) {
	rules := slices.ContainsFunc(parts, func(p Part) bool {
		return slices.Contains(ofRules, p.Layout) || len(p.Facts.Policy.Flows)+len(p.Facts.Applied) > 0
	})
	for i := range parts {
		p := &parts[i]
		lists := len(p.Facts.Tables) == 0 && len(p.Facts.Rules)+len(p.Facts.Addresses) > 0
		if lists || rules && (p.Layout == "" || slices.Contains(ofRules, p.Layout)) {
			p.keepLeftOut(src, rules)
		}
	}
}

// keepLeftOut does so for one part; rules tells that the text is a configuration or a list of rules.
func (p *Part) keepLeftOut(src *Source, rules bool) {
	at, found := p.leftOutAt(src)
	if !found {
		return
	}
	p.abridged = true
	p.Facts.Addresses = slices.DeleteFunc(p.Facts.Addresses, func(a network.Address) bool {
		return !a.Configured && a.Prefix.Addr().IsLoopback() // that it is there tells that the list has all
	})
	if len(p.Facts.Rules) > 0 {
		p.Facts.Rules = append(p.Facts.Rules, network.Gap(0, at))
	}
	if p.Layout == "" {
		p.Layout, p.Score = FilterNotRead, 1
	}
	if rules {
		p.Facts.Policy.AllRules4, p.Facts.Policy.AllRules6 = false, false
		c := layout.Collector{Reading: p.Reading}
		c.RestrictAt(network.FlowRule{Missing: network.LeftOut}, at)
		p.Reading = c.Reading
	}
}

// leftOutAt finds the line that says so, and accounts for it as one that tells something.
func (p *Part) leftOutAt(src *Source) (at route.Mark, found bool) {
	around := surroundings{src: src, in: p.Where}
	for lo, hi := range layout.Lines(src.raw[p.Where.Off:p.Where.End]) {
		m := route.Mark{File: p.Where.File, Off: p.Where.Off + uint32(lo), End: p.Where.Off + uint32(hi)}
		if !saysAny(src.raw[m.Off:m.End], leftOutOfRules) || around.harmless(m) {
			continue
		}
		if i := slices.IndexFunc(p.Unread, func(u layout.Unread) bool { return u.Mark.Off == m.Off }); i >= 0 {
			p.Unread = slices.Delete(slices.Clone(p.Unread), i, i+1)
			p.Read++
		}
		i := slices.IndexFunc(p.Passed, func(x layout.Passed) bool { return x.Mark.Off == m.Off })
		if i >= 0 && p.Passed[i].As == layout.Text {
			continue
		}
		if i >= 0 {
			p.Passed = slices.Delete(slices.Clone(p.Passed), i, i+1)
			p.Read++
		}
		return m, true
	}
	return at, false
}
