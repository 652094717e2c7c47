package capture

import (
	"bytes"
	"iter"
	"runtime"
	"slices"
	"sync"

	"zarvek/internal/capture/layout"
)

// Most lines of a large text are rows that begin with a destination, parts of a document or of a paragraph, which are
// indented, elements and objects, variables of a walk, or pairs of a name and a value; others are blank. None of them
// is a prompt, a title or a heading: what looks for those passes such lines by.

// mostOthers bounds how many other lines are kept by their number; a text with more of them is looked at line by line.
const mostOthers = 1 << 16

// others are the lines of a text that may be something else than a row.
type others struct {
	text   []byte
	starts []int // where they begin
	every  bool  // there are too many of them
}

// otherLines looks through a text once, through a large one on all cores.
func otherLines(text []byte) others {
	n := max(min(len(text)/largePart, runtime.GOMAXPROCS(0)), 1)
	bounds := make([]int, n+1)
	for i := 1; i < n; i++ {
		bounds[i] = min(lineEnd(text, len(text)*i/n)+1, len(text))
	}
	bounds[n] = len(text)
	found := make([][]int, n)
	var wg sync.WaitGroup
	for i := range n {
		wg.Go(func() { found[i] = otherStarts(text[:bounds[i+1]], bounds[i]) })
	}
	wg.Wait()
	starts := slices.Concat(found...)
	return others{text: text, starts: starts, every: len(starts) >= mostOthers}
}

// otherStarts is where such lines of a text begin, from an offset on where one begins: at most as many as are kept.
func otherStarts(text []byte, from int) (starts []int) {
	route, lost := from-1, from-1
	routes, losses := newFinder(text, "route"), newFinder(text, void)
	signs := signFinder{text: text}
	for lo, next := from, 0; lo < len(text); lo = next {
		var hi int
		hi, next = layout.LineAt(text, lo)
		line := text[lo:hi]
		if indented(line) || layout.Blank(line) {
			continue
		}
		if route < lo {
			route = routes.next(lo)
		}
		if lost < lo {
			lost = losses.next(lo)
		}
		if lost >= hi && (route >= hi && (rowBegins(line) || variableBegins(line) ||
			isPair(line) && !signs.within(lo, hi)) ||
			isElement(line) || isObject(line) || isValues(line)) {
			continue // a command may be glued to a row
		}
		if starts = append(starts, lo); len(starts) == mostOthers {
			break
		}
	}
	return starts
}

// lines yields the bounds of these lines, or of every line.
func (o *others) lines(every bool) iter.Seq2[int, int] {
	if o.every || every {
		return layout.Lines(o.text)
	}
	return func(yield func(int, int) bool) {
		for _, at := range o.starts {
			for lo, hi := range layout.Lines(o.text[at:]) {
				if !yield(at+lo, at+hi) {
					return
				}
				break
			}
		}
	}
}

// indented reports whether a line has blanks in front of something that no title begins with; prompts and headings have
// none in front.
func indented(line []byte) bool {
	if len(line) == 0 || line[0] != ' ' && line[0] != '\t' {
		return false
	}
	for _, c := range line {
		if c != ' ' && c != '\t' {
			return !mayTitle[c]
		}
	}
	return false
}

// mayTitle are the bytes that titles and the ends of blank lines begin with.
var mayTitle = func() (may [256]bool) {
	for _, c := range append([]byte("\r\n`"), titleSigns...) {
		may[c] = true
	}
	return may
}()

// variableBegins reports whether a line begins as those of a walk do: with an identifier, by name or in numbers.
func variableBegins(line []byte) bool {
	if bytes.HasPrefix(line, []byte(".1.3.")) || bytes.HasPrefix(line, []byte("iso.3.")) {
		return true
	}
	i := bytes.IndexByte(line[:min(len(line), longestModule)], ':')
	return i >= 0 && i+1 < len(line) && line[i+1] == ':' && bytes.HasSuffix(line[:i], []byte("-MIB"))
}

// promptSigns are the signs that prompts end with, and the one that parts the cells of a heading.
const promptSigns = "#>$%|"

// A signFinder looks for such signs in the lines of a text, one behind the other.
type signFinder struct {
	text []byte
	next [len(promptSigns)]int // behind where each stands, as far as it was looked for
	soon int                   // the first of these
}

// within reports whether one stands from lo to hi.
func (s *signFinder) within(lo, hi int) bool {
	if s.soon <= lo {
		for i := range s.next {
			if s.next[i] > lo {
				continue
			}
			s.next[i] = len(s.text) + 1
			if n := bytes.IndexByte(s.text[lo:], promptSigns[i]); n >= 0 {
				s.next[i] = lo + n + 1
			}
		}
		s.soon = slices.Min(s.next[:])
	}
	return s.soon <= hi
}

// isPair reports whether a line begins with a name and a value, with blanks around the colon between them. Headings of
// that form begin with words of their own, and prompts end with a sign.
func isPair(line []byte) bool {
	i := 0
	for i < len(line) && ('A' <= line[i] && line[i] <= 'Z' || 'a' <= line[i] && line[i] <= 'z') {
		i++
	}
	end := i
	for i < len(line) && line[i] == ' ' {
		i++
	}
	if end < 2 || i == end || i+1 >= len(line) || line[i] != ':' || line[i+1] != ' ' {
		return false
	}
	return !slices.ContainsFunc(headingWords[line[0]], func(w string) bool { return bytes.HasPrefix(line, []byte(w)) })
}

// longestModule is how long the name of a module may be.
const longestModule = 40

// isElement reports whether a line is an element of XML from its start tag to its end tag: what stands in angles in
// front is no name of a device then.
func isElement(line []byte) bool {
	if len(line) == 0 || line[0] != '<' {
		return false
	}
	n := bytes.IndexAny(line, " >")
	end := bytes.TrimSuffix(line, []byte(">"))
	return n > 1 && len(end) < len(line) && bytes.HasSuffix(end, line[1:n]) &&
		bytes.HasSuffix(end[:len(end)-n+1], []byte("</"))
}

// isObject reports whether a line is an object of JSON: no prompt begins with a quoted name.
func isObject(line []byte) bool {
	if len(line) < 3 || line[0] != '{' || line[1] != '"' {
		return false
	}
	line = bytes.TrimSuffix(line, []byte(","))
	return line[len(line)-1] == '}'
}

// isValues reports whether a line is values parted by commas: there is no blank in it, as behind a prompt, and no sign
// that prompts end with.
func isValues(line []byte) bool {
	commas := 0
	for _, c := range line {
		switch c {
		case ',':
			commas++
		case ' ', '\t', '#', '>', '$', '%', ']', '}':
			return false
		}
	}
	return commas >= leastCommas
}

// leastCommas is how many commas such a line has.
const leastCommas = 4

// mostSigns is how many letters and signs a row has before its first blank.
const mostSigns = 4

// rowBegins reports whether a line begins as rows do: letters and marks of a key, if any, and an IPv4 prefix, or an
// address alone or one with a comma behind it, and then a word, a number or a bracket.
func rowBegins(line []byte) bool {
	i := 0
	for i < len(line) && i < mostSigns && (line[i] == '>' || line[i] == '*' || 'A' <= line[i] && line[i] <= 'Z' ||
		'a' <= line[i] && line[i] <= 'z') {
		i++
	}
	if signs := i; signs > 0 {
		for i < len(line) && line[i] == ' ' {
			i++
		}
		if i == signs {
			return false
		}
	}
	_, end, ok := layout.QuickPrefix(line, i)
	if !ok {
		end = max(bytes.IndexByte(line, ' '), 0)
		word, length, hasLength := bytes.Cut(bytes.TrimSuffix(line[:end], []byte{','}), []byte{'/'})
		_, ok = layout.IPv4(word)
		if _, isLength := layout.Uint(length); hasLength && !isLength {
			ok = false
		}
	}
	if !ok || end+1 >= len(line) || line[end] != ' ' {
		return false
	}
	for end < len(line) && line[end] == ' ' {
		end++
	}
	if end == len(line) {
		return false
	}
	c := line[end]
	return c == '[' || c == '*' || '0' <= c && c <= '9' || 'A' <= c && c <= 'Z' || 'a' <= c && c <= 'z'
}
