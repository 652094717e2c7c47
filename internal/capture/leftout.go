package capture

import (
	"bytes"

	"zarvek/internal/lazyregexp"
)

// Who pastes a listing leaves lines out and says so, and a program that stops in the middle of one leaves its last words
// below. Rows are missing then, nobody knows where: what such a listing does not show may be there.

// leftOut match a line that says so. None of them is a row.
var leftOut = []*lazyregexp.Regexp{
	// ..., [...], (…)
	lazyregexp.New(`^\W*(?:\.{2,}|…)\W*$`),
	// <snip>, -- cut --, etc.
	lazyregexp.New(`(?i)^\W*(?:snip(?:ped)?|cut|cropped|etc|truncated|omitted|redacted|skipped|abridged)\W*$`),
	// (output omitted), --- 40 lines skipped ---, 20 entries not shown, #### NEXT PAGE MISSING ####
	lazyregexp.New(`(?i)\b(?:output|listing|list|message|rows?|routes?|lines?|entries|prefixes|rest|remainder|table|dump` +
		`|text|display|data|pages?|results?|networks|customers?)\b.{0,40}\b(?:omitted|truncated|cut(?: off| short| here)?` +
		`|skipped|snipped|stripped|left out|not (?:all )?shown|removed|missing|limited to|interrupted|terminated|aborted` +
		`|stopped|incomplete|abbreviated|redacted|anonymi[sz]ed|shortened|too (?:long|large|big|many))\b`),
	// removed customer routes, skipping 40 lines
	lazyregexp.New(`(?i)\b(?:omitted|omitting|truncated|truncating|skipped|skipping|removed|removing|left out|snipped` +
		`|deleted|stripped)\b.{0,40}\b(?:output|rows?|routes?|lines?|entries|prefixes|rest|customers?|networks)\b`),
	// ... 312 more routes, more of the same, only the first 3 routes are shown, too many routes
	lazyregexp.New(`(?i)\b\d+ (?:more|further|other|additional) (?:routes?|rows?|lines?|entries|prefixes|networks)\b` +
		`|\bmore of the same\b|\bonly the (?:first|last) \d+\b|\btoo many (?:routes|entries|lines|rows|prefixes)\b` +
		`|\bmaximum number of (?:lines|rows|routes|entries)\b.{0,20}\b(?:reached|exceeded)\b|^\W*(?:too long|see attach)`),
	// what a program says last
	lazyregexp.New(`(?i)^(?:[\w./-]+: )?(?:segmentation fault|killed|terminated|bus error|broken pipe|dump (?:terminated` +
		`|was interrupted)|cannot send dump request|netlink receive error|error eof|eof on netlink)\b` +
		`|\bout of memory\b|\bmemory allocation (?:failed|failure|error)\b|\bno (?:buffer )?space (?:left|available)\b` +
		`|\berror reading from \w+\b`),
}

// leftOutStems are parts of words without which a line is none of these, in lower case.
var leftOutStems = [...][]byte{[]byte(".."), []byte("…"), []byte("snip"), []byte("cut"), []byte("crop"), []byte("etc"),
	[]byte("trunc"), []byte("omit"), []byte("redact"), []byte("skip"), []byte("abridg"), []byte("strip"),
	[]byte("left out"), []byte("shown"), []byte("remov"), []byte("missing"), []byte("limited"), []byte("interrupt"),
	[]byte("terminat"), []byte("abort"), []byte("stop"), []byte("incomplete"), []byte("abbrev"), []byte("anonym"),
	[]byte("shorten"), []byte("too "), []byte("delet"), []byte("more"), []byte("further"), []byte("other"),
	[]byte("additional"), []byte("only the"), []byte("maximum"), []byte("see attach"), []byte("fault"),
	[]byte("killed"), []byte("bus error"), []byte("pipe"), []byte("dump"), []byte("netlink"), []byte("eof"),
	[]byte("memory"), []byte("space"), []byte("reading from")}

// longestRemark is the longest line that is taken for such a remark.
const longestRemark = 120

// saysLeftOut reports whether a line says that lines of the listing are missing. A message of the device's log says
// nothing of a listing, whatever its words.
func saysLeftOut(line []byte) bool {
	if len(line) > longestRemark || stamped.Match(line) {
		return false
	}
	if t := bytes.TrimSpace(line); len(t) == 1 && (t[0] == '.' || t[0] == ':') {
		return true // three such lines, one below the other
	}
	low := bytes.ToLower(line)
	for _, stem := range leftOutStems {
		if !bytes.Contains(low, stem) {
			continue
		}
		for _, re := range leftOut {
			if re.Match(line) {
				return true
			}
		}
		return false
	}
	return false
}

// stamped matches the begin of a message with its time.
var stamped = lazyregexp.New(`^\W*(?:\d+: )?\W*(?:[A-Z][a-z]{2} +\d+ \d\d:\d\d|\d{4}-\d\d-\d\d|\d\d:\d\d:\d\d)`)
