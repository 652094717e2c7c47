package capture

import (
	"bytes"
	"strconv"

	"zarvek/internal/capture/layout"
	"zarvek/internal/lazyregexp"
)

// Terminals, mail programs and editors put something of their own in front of every line: the time, a sign that the
// line is quoted, the line's number. It is taken off where nearly all lines have it, so that what a device printed
// begins where it began. What a search puts there, a file's name or the numbers of lines that are not the next ones,
// stays: such a text is a part.

// margins are the forms in which one is put there.
var margins = []*lazyregexp.Regexp{
	// Nov 26 23:01:02 host program[12]:
	lazyregexp.New(`^[A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d [\w.-]+ [\w./-]+(?:\[\d+\])?:(?: |\t|$)`),
	// [2026-11-26 23:01:02.113] 23:01:02 2026-11-26T23:01:02Z: 11/26/2026 11:01:02 PM
	lazyregexp.New(`^[\[(]?(?:\d{4}[-/.]\d\d[-/.]\d\d[T_ ]+|\d\d[-/.]\d\d[-/.]\d{4},?[T_ ]+` +
		`|(?:[A-Z][a-z]{2} )?[A-Z][a-z]{2} [ \d]\d )?\d\d:\d\d:\d\d(?:[.,:]\d{1,9})?(?: ?[AP]M)?(?: \d{4})?(?:Z` +
		`|[+-]\d\d:?\d\d)?[\])]?(?:[:|>]| [|>])?(?: (?:(?:INFO|WARN) {1,2}|(?:DEBUG|TRACE|NOTICE) )| |\t|$)`),
	// > quoted, > > quoted twice
	lazyregexp.New(`^(?:> ?)+`),
}

// numbered is a line with its number.
var numbered = lazyregexp.New(`^ *(\d+)(?:[:.)|] ?|\t| \| ?|  ?|$)`)

const (
	fewestMarginal = 4 // lines with a margin in a text that has one
	inTen          = 8 // of ten lines at least have it
)

// maxMargin is how much of a text is looked at for one, in bytes.
const maxMargin = 64 << 10

// margin returns how long the margin of a line is, nil where the text has none.
func margin(text []byte) func(line []byte) int {
	if n := blankMargin(text); n > 0 {
		return func(line []byte) int { return min(n, len(line)-len(bytes.TrimLeft(line, " \t"))) }
	}
	if !mayHaveMargin(text) {
		return nil
	}
	text = text[:min(len(text), maxMargin)]
	for _, re := range margins {
		all, have, longest := 0, 0, 0
		for lo, hi := range layout.Lines(text) {
			if layout.Blank(text[lo:hi]) {
				continue
			}
			all++
			if n := len(re.Find(text[lo:hi])); n > 0 {
				have++
				longest = max(longest, n)
			}
		}
		if have >= fewestMarginal && have*10 >= all*inTen {
			return func(line []byte) int { return len(re.Find(line[:min(len(line), longest+8)])) }
		}
	}
	if countsLines(text) {
		return func(line []byte) int { return len(numbered.Find(line)) }
	}
	return nil
}

// outermost matches what begins where a device's lines begin: a prompt with a command, the names or the key of a table,
// the first line of a configuration or of a block.
var outermost = lazyregexp.New(`^(?:[\w.@()<\[~*/:-]+\]?(?:[#>$%]|[#>$%] |\]) ?(?:show?|display|dis|get|ip` +
	`|netstat|route|/ip|cat)\b|Codes?:|IP Route Table|inet6?\.0:|Routing [Tt]able|Destination|Kernel IP|Internet6?:` +
	`|Interface |VRF|Gateway of last|default via|hostname |interface \S|Building conf|Current conf|\d+: lo:)`)

// mostLooks bounds how many lines are looked at for that.
const mostLooks = 500

// blankMargin returns how many blanks begin each line of a text that somebody has moved to the right as a whole, 0 for
// others: a piece of a block begins with blanks too.
func blankMargin(text []byte) int {
	if len(text) == 0 || bytes.IndexByte(text[:min(len(text), 4096)], '\n') < 0 {
		return 0
	}
	least, moved, looks := -1, false, 0
	for lo, hi := range layout.Lines(text) {
		line := text[lo:hi]
		if layout.Blank(line) {
			continue
		}
		n := len(line) - len(bytes.TrimLeft(line, " \t"))
		switch {
		case n == 0:
			return 0
		case least < 0 || n < least:
			least, moved = n, outermost.Match(line[n:])
		case n == least && !moved && looks < mostLooks:
			looks++
			moved = outermost.Match(line[n:])
		}
	}
	if !moved {
		return 0
	}
	return least
}

// mayHaveMargin is a cheap look at the first line that is not blank: a margin begins with a digit, a sign or a month.
func mayHaveMargin(text []byte) bool {
	head := bytes.TrimLeft(text[:min(len(text), 4096)], " \t\r\n")
	at := 0
	for lines := 0; at < len(head) && lines < 20; lines++ { // a mail may begin with words of its own
		if c := head[at]; c == '[' || c == '(' || c == '>' || c >= '0' && c <= '9' {
			return true
		}
		if end := at + 16; end <= len(head) && head[at+3] == ' ' && bytes.Count(head[at:end], []byte(":")) == 2 {
			return true
		}
		i := bytes.IndexByte(head[at:], '\n')
		if i < 0 {
			break
		}
		for at += i + 1; at < len(head) && (head[at] == ' ' || head[at] == '\t'); at++ {
		}
	}
	return false
}

// interfaceLine matches a line that begins with the number of an interface.
var interfaceLine = lazyregexp.New(`^\d+: [^\s:]+: <[A-Z0-9_,-]*>`)

// countsLines reports whether every line begins with its number.
func countsLines(text []byte) bool {
	want, n := 0, 0
	for lo, hi := range layout.Lines(text) {
		m := numbered.FindSubmatch(text[lo:hi])
		if m == nil || interfaceLine.Match(text[lo:hi]) {
			return false
		}
		got, err := strconv.Atoi(string(m[1]))
		if err != nil || n > 0 && got != want || n == 0 && got != 1 {
			return false
		}
		want, n = got+1, n+1
	}
	return n >= fewestMarginal
}
