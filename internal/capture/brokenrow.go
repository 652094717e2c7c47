package capture

import (
	"bytes"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/iproute"
	"zarvek/internal/lazyregexp"
)

// A session that breaks off in the middle of a row may leave a piece that reads as a row, and a line end behind it. The
// rows around it tell: what each of them has, it lacks.

// echoed is what a terminal shows behind what was printed where somebody interrupted a command.
const echoed = "^C"

const (
	nearRows  = 200 // lines above the last one that it is compared with
	fewestRow = 2   // of the same form that are needed to know one
)

// looseRow is the layout whose rows may end earlier than others of their form: what stands at the end is optional.
const looseRow = "iproute text"

// breaksOff reports whether a line below the last row, at off, could not be read and begins as a row does: where a
// session broke off in the middle of it, rows behind it were never printed.
func (c *Capture) breaksOff(p *Part, off uint32) bool {
	above, last, end := c.rowLines(p, off)
	for _, u := range p.Unread {
		if u.Mark.Off <= off {
			continue
		}
		line := c.Source.Text(u.Mark)
		if likeARow.Match(line) || len(line) > 0 && int(u.Mark.Off) == end+1 &&
			slices.ContainsFunc(append(above, last), func(row []byte) bool { return bytes.HasPrefix(row, line) }) {
			return true
		}
	}
	return brokenRow(p.Layout, above, last)
}

// likeARow matches what begins as a row: a prefix or a piece of one, a kind of route, letters of a key with marks
// behind, alone or with such a piece.
var likeARow = lazyregexp.New(`^\s*(?:[0-9./:*>]+(?:\s|$)` +
	`|[0-9a-fA-F]{0,4}:[0-9a-fA-F:]*(?:/\d*)?(?:\s|$)` +
	`|(?:local|broadcast|multicast|unreachable|blackhole|prohibit|throw|anycast) +[0-9a-f]*[.:]` +
	`|[A-Z][A-Za-z0-9]?[>*%+]*\s*(?:$|(?:[A-Z][A-Z0-9]? +)?[0-9]` +
	`|(?:[>*]+ +)?[0-9a-f]*[.:][0-9a-f:.]*/))`)

// brokenRow reports whether the last row of a table of a layout is only the begin of one, by the lines above it.
func brokenRow(layoutName string, above [][]byte, last []byte) bool {
	words := strings.Fields(string(last))
	switch {
	case len(words) == 0:
		return false
	case bytes.HasSuffix(last, []byte(echoed)):
		return true
	case bytes.HasSuffix(last, []byte(",")) && bytes.Count(last, []byte(",")) < len(words): // cells are not parted by them
		return true
	case layoutName == looseRow && iproute.Dangles(words):
		return true
	}
	var rows [][]byte // of the same form
	for _, l := range above {
		if alike(l, words) {
			rows = append(rows, l)
		}
	}
	if len(rows) >= fewestRow && beginOfName(words, rows) {
		return true
	}
	return layoutName != looseRow &&
		(len(rows) >= fewestRow && endsEarly(last, rows) || halfOfAnother(last, above) || noAge(words, above))
}

// rowLines are the last line of the row at off and where it ends, and lines above it that are not blank.
func (c *Capture) rowLines(p *Part, off uint32) (above [][]byte, last []byte, end int) {
	raw := c.Source.raw
	end = lineEnd(raw, int(off))
	for n := 0; n < nearRows && end < min(int(p.Where.End), len(raw)); n++ {
		next := lineEnd(raw, end+1)
		if !c.goesOnWith(p, uint32(end+1), raw[min(end+1, len(raw)):next]) {
			break
		}
		end = next
	}
	start := bytes.LastIndexByte(raw[:end], '\n') + 1
	last = bytes.TrimRight(raw[start:end], "\r")
	for hi := start - 1; hi > int(p.Where.Off) && len(above) < nearRows; {
		lo := bytes.LastIndexByte(raw[:hi], '\n') + 1
		if l := bytes.TrimRight(raw[lo:hi], "\r"); !layout.Blank(l) {
			above = append(above, l)
		}
		hi = lo - 1
	}
	return above, last, end
}

// goesOnWith reports whether the line at off belongs to the row above it: it is indented and the part's reader used it.
func (c *Capture) goesOnWith(p *Part, off uint32, line []byte) bool {
	if layout.Blank(line) || line[0] != ' ' && line[0] != '\t' {
		return false
	}
	return !slices.ContainsFunc(p.Unread, func(u layout.Unread) bool { return u.Mark.Off == off })
}

func lineEnd(raw []byte, at int) int {
	if at >= len(raw) {
		return len(raw)
	}
	if i := bytes.IndexByte(raw[at:], '\n'); i >= 0 {
		return at + i
	}
	return len(raw)
}

// alike reports whether a row begins with words like those of a line, of which the last one may be broken.
func alike(row []byte, line []string) bool {
	words := strings.Fields(string(row))
	if len(words) < len(line) || len(line) == 0 {
		return false
	}
	for i, w := range line {
		x := words[i]
		same := kindOf(w) == kindOf(x) &&
			(kindOf(w) != 'a' || strings.ContainsAny(w, digits) && strings.ContainsAny(x, digits))
		if i == 0 && !destination(w) || !same {
			same = w == x || i == len(line)-1 && strings.HasPrefix(x, strings.TrimRight(w, ","))
		}
		if !same {
			return false
		}
	}
	return true
}

const digits = "0123456789"

// kindOf tells what a word is like: a destination or an address, a number, an age, letters, or something in signs of
// its own, by the first of them.
func kindOf(word string) byte {
	word = strings.TrimRight(word, ",")
	switch {
	case word == "":
		return ','
	case destination(word):
		return '/'
	case isDigits(word):
		return '0'
	case ages.MatchString(word):
		return ':'
	case 'A' <= word[0] && word[0] <= 'z' && word[0] != '[':
		return 'a'
	}
	return word[0]
}

func destination(word string) bool {
	return isPrefix(word) || isAddress(word) || strings.EqualFold(word, "default")
}

// endsEarly reports whether a line ends before the last word of each of the others begins, in its place and in number,
// or ends in blanks where no other does.
func endsEarly(last []byte, rows [][]byte) bool {
	bare := bytes.TrimRight(last, " \t")
	n := len(bytes.Fields(bare))
	sooner, ragged := true, len(bare) < len(last)
	for _, r := range rows {
		whole := bytes.TrimRight(r, " \t")
		end := len(whole) - 1 - bytes.LastIndexAny(whole, " \t")
		sooner = sooner && n < len(bytes.Fields(whole)) && len(bare) <= len(whole)-end
		ragged = ragged && len(whole) == len(r)
	}
	return sooner || ragged
}

// halfOfAnother reports whether what stands behind the destination of a line is a piece of what stands there in another
// one, and all of it in none. A number that may go on, or a name that ends in one, is whole.
func halfOfAnother(last []byte, above [][]byte) bool {
	rest, ok := behindDestination(last)
	if !ok {
		return false
	}
	half := false
	for _, row := range above {
		other, ok := behindDestination(row)
		switch {
		case !ok || !sameBegin(row, last) || !bytes.HasPrefix(other, rest):
		case len(other) == len(rest):
			return false
		case len(rest) == 0 || !digit(rest[len(rest)-1]) || !digit(other[len(rest)]) && other[len(rest)] != '.':
			half = true
		}
	}
	return half
}

// sameBegin reports whether two lines begin with the same word, or both with a destination.
func sameBegin(a, b []byte) bool {
	x, y := firstWord(a), firstWord(b)
	return x == y || destination(x) && destination(y)
}

func firstWord(line []byte) string {
	lo, hi := layout.Field(line, 0)
	return string(line[lo:hi])
}

func digit(b byte) bool { return '0' <= b && b <= '9' }

// behindDestination returns what stands behind the first destination of a line; ok is false where it has none.
func behindDestination(line []byte) (rest []byte, ok bool) {
	for i, words := 0, 0; words < 4; words++ {
		lo, hi := layout.Field(line, i)
		if lo == hi {
			return nil, false
		}
		if destination(string(line[lo:hi])) {
			return bytes.Trim(line[hi:], " \t"), true
		}
		i = hi
	}
	return nil, false
}

// noAge reports whether a line has no age where each row above it that begins with the same letters ends in one.
func noAge(words []string, above [][]byte) bool {
	if destination(words[0]) ||
		slices.ContainsFunc(words, func(w string) bool { return ages.MatchString(strings.TrimRight(w, ",")) }) {
		return false
	}
	rows := 0
	for _, l := range above {
		if firstWord(l) != words[0] {
			continue
		}
		if rows++; !ages.MatchString(lastOf(l)) {
			return false
		}
	}
	return rows >= fewestRow && !isDiscard(words)
}

// isDiscard reports whether the last word of a row is no interface: an interface that swallows what it gets.
func isDiscard(words []string) bool {
	return strings.HasPrefix(strings.ToLower(words[len(words)-1]), "null")
}

func lastOf(line []byte) string {
	line = bytes.TrimRight(line, " \t")
	return string(line[1+bytes.LastIndexAny(line, " \t"):])
}

// beginOfName reports whether the last word of a line is the begin of the word that others have in its place, and no
// word of theirs by itself.
func beginOfName(words []string, rows [][]byte) bool {
	at, word := len(words)-1, words[len(words)-1]
	if word[0] < 'A' || digit(word[len(word)-1]) || destination(word) {
		return false
	}
	begun := false
	for _, r := range rows {
		for i, w := range strings.Fields(string(r)) {
			w = strings.TrimRight(w, ",")
			if w == word {
				return false
			}
			begun = begun || i == at && strings.HasPrefix(w, word)
		}
	}
	return begun
}
