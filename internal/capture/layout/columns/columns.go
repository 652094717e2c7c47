// Package columns reads tables under a row of column names: those of net-tools and BSD netstat, of workstations, campus
// switches and firewalls. It exists as one reader because the heading says what stands where; the names are data
// (synonyms.txt), and the letters of type and flag columns are learned from the key that a capture prints.
//
// Cells are assigned by kind and position together, so that empty cells, columns aligned left or right and names of
// several words do not matter.
package columns

import (
	"bytes"
	_ "embed"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"zarvek/internal/capture/layout"
)

const name = "columns"

// Reader is the family's registration.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "any table under a row of known column names: net-tools, BSD netstat, workstations, switches, firewalls",
	Sample: "Destination     Gateway         Genmask         Flags Metric Ref    Use Iface\n" +
		"10.61.32.0      172.28.61.6     255.255.255.0   UG    20     0        0 line1\n" +
		"10.61.16.0      0.0.0.0         255.255.255.0   U     0      0        0 hall0\n"}

//go:embed synonyms.txt
var synonymText string

// kind is what a column holds.
type kind uint8

const (
	ignored kind = iota
	destination
	mask
	length
	gateway
	ifname
	metric
	preference
	protocol
	flags
	age
	instance
	added // to the metric
	store // where the route is kept
	labels
	types // letters that tell of what sort a route is, beside its protocol
)

var kindNames = map[string]kind{
	"ignored":     ignored,
	"destination": destination,
	"mask":        mask,
	"length":      length,
	"gateway":     gateway,
	"interface":   ifname,
	"metric":      metric,
	"preference":  preference,
	"protocol":    protocol,
	"flags":       flags,
	"age":         age,
	"instance":    instance,
	"added":       added,
	"store":       store,
	"labels":      labels,
}

// synonyms maps column names, folded word by word, to kinds.
var synonyms = sync.OnceValue(func() map[string]kind {
	out := map[string]kind{}
	for line := range strings.Lines(synonymText) {
		k, list, ok := strings.Cut(line, "=")
		if !ok || line[0] == '#' {
			continue
		}
		for n := range strings.SplitSeq(list, "|") {
			key := nameKey(strings.Fields(n))
			out[key] = kindNames[strings.TrimSpace(k)]
			if one := strings.ReplaceAll(key, " ", ""); out[one] == ignored { // dest-prefix
				out[one] = out[key]
			}
		}
	}
	return out
})

// nameKey folds each word of a name.
func nameKey(words []string) string {
	out := make([]string, len(words))
	for i, w := range words {
		out[i] = fold(w)
	}
	return strings.Join(out, " ")
}

func fold(s string) string {
	if folded(s) {
		return s
	}
	return strings.Map(func(r rune) rune {
		switch r {
		case ' ', '.', '-', '_', '\t', '\n', '\r', ':', '[', ']':
			return -1
		}
		if r >= utf8.RuneSelf { // one character in many encodings, and not always in this one
			return -1
		}
		return r
	}, strings.ToLower(s))
}

// folded reports whether fold has nothing to do.
func folded(s string) bool {
	for i := range len(s) {
		switch c := s[i]; {
		case c >= 'A' && c <= 'Z', c >= 0x80, strings.IndexByte(" .-_\t\n\r:[]", c) >= 0:
			return false
		}
	}
	return true
}

// column is one column of a heading, with the bounds of its name in runes.
type column struct {
	kind   kind
	lo, hi int
	typed  bool // it is called type, which may mean the protocol or not
}

// word is a blank-separated word of a line, with its bounds in runes.
type word struct {
	text   string
	lo, hi int
}

// words splits a line. Tabs count to the next multiple of eight.
func words(line string) []word {
	out := make([]word, 0, 8)
	at, start, from := 0, -1, 0
	for i := 0; i < len(line); {
		r, n := utf8.DecodeRuneInString(line[i:])
		if r == ' ' || r == '\t' {
			if start >= 0 {
				out = append(out, word{line[start:i], from, at})
				start = -1
			}
			if r == '\t' {
				at = at/8*8 + 7
			}
		} else if start < 0 {
			start, from = i, at
		}
		at++
		i += n
	}
	if start >= 0 {
		out = append(out, word{line[start:], from, at})
	}
	return out
}

// maxName is how many words a column's name may have.
const maxName = 3

// headingKind tells how much of a heading a line is. The zero headingKind is none.
type headingKind uint8

const (
	noHeading headingKind = iota
	whole                 // a destination and a way on are among its names
	upper                 // the first of two lines that name the columns, for rows that take two lines each
	lower                 // the second
)

// heading reads a line as column names.
func heading(line string) ([]column, headingKind) {
	if lostByte(line) { // it may have been another layout's
		return nil, noHeading
	}
	cols, has := names(line)
	way := has[gateway] > 0 // an interface alone would make a list of addresses a table of routes
	switch {
	case has[destination] == 1 && way && len(cols) >= 3:
		return cols, whole
	case has[destination] == 1 && !way && len(cols) >= 3:
		return cols, upper
	case has[destination] == 0 && has[gateway] == 1 && len(cols) >= 2:
		return cols, lower
	}
	return nil, noHeading
}

// nextLine returns the line behind the one that ends at hi.
func nextLine(text []byte, hi int) string {
	rest := text[min(hi, len(text)):]
	if i := bytes.IndexByte(rest, '\n'); i < 0 || len(bytes.TrimSpace(rest[:i])) > 0 {
		return ""
	} else {
		rest = rest[i+1:]
	}
	if i := bytes.IndexByte(rest, '\n'); i >= 0 {
		rest = rest[:i]
	}
	return string(rest[:min(len(rest), 500)])
}

// stacked reads two lines as column names where some names are written over both, as "Distance/" above "Metric". The
// first line alone is none.
func stacked(line, next string) ([]column, bool) {
	if next == "" || len(line) > 400 ||
		!strings.Contains(line, "/ ") && !strings.HasSuffix(strings.TrimSpace(line), "/") {
		return nil, false
	}
	w := words(line)
	for _, below := range words(next) {
		at := slices.IndexFunc(w, func(x word) bool { return below.lo < x.hi && x.lo < below.hi })
		if at < 0 {
			return nil, false
		}
		w[at].text += below.text
		w[at].hi = max(w[at].hi, below.hi)
	}
	flat := make([]byte, 0, len(line)+40)
	for _, x := range w {
		for len(flat) < x.lo {
			flat = append(flat, ' ')
		}
		if len(flat) > 0 && flat[len(flat)-1] != ' ' {
			flat = append(flat, ' ')
		}
		flat = append(flat, x.text...)
	}
	cols, k := heading(string(flat))
	return cols, k == whole
}

// above reports whether a line holds the first words of names that go on in the next one, each of capital letters.
func above(line, next string) bool {
	w := strings.Fields(line)
	if len(w) == 0 || len(w) > 3 || len(line) > 200 || line[0] != ' ' {
		return false
	}
	for _, x := range w {
		if strings.Trim(x, "ABCDEFGHIJKLMNOPQRSTUVWXYZ") != "" {
			return false
		}
	}
	_, k := heading(next)
	return k == whole
}

// names reads a line of column names and counts the columns of each kind; none where any word is no name.
func names(line string) ([]column, [types + 1]int) {
	var has [types + 1]int
	start := strings.TrimLeft(line, " \t")
	if len(line) > 400 || start == "" || start[0] >= '0' && start[0] <= '9' {
		return nil, has
	}
	if strings.Contains(line, " | ") { // between the names, not between the cells
		line = strings.ReplaceAll(line, "|", " ")
	}
	w := words(strings.ReplaceAll(line, "[", " [")) // "Next Hop[Interface Name]" names two columns
	if len(w) < 2 || len(w) > 20 {
		return nil, has
	}
	var out []column
	named := -1 // the column that is called protocol, where others only sound like it
next:
	for i := 0; i < len(w); {
		for n := min(maxName, len(w)-i); n > 0; n-- {
			name := make([]string, n)
			apart := false
			for j := range name {
				name[j] = w[i+j].text
				apart = apart || j > 0 && (name[j][0] == '[' || w[i+j].lo > w[i+j-1].hi+1)
			}
			if apart {
				continue
			}
			if k, ok := synonyms()[nameKey(name)]; ok {
				if k == protocol && strings.HasPrefix(nameKey(name), "prot") {
					named = len(out)
				}
				out = append(out, column{k, w[i].lo, w[i+n-1].hi, fold(name[0]) == "type"})
				has[k]++
				i += n
				continue next
			}
		}
		return nil, [types + 1]int{}
	}
	if named < 0 && has[protocol] > 1 { // "Type" beside "Origin" tells something else
		named = slices.IndexFunc(out, func(c column) bool { return c.kind == protocol && !c.typed })
	}
	for i := range out {
		if out[i].kind == protocol && named >= 0 && i != named {
			if out[i].kind = ignored; has[flags] == 0 {
				out[i].kind = types
			}
		}
	}
	return out, has
}

// recognise looks for a row of known column names, in one line or in two.
func recognise(text []byte) int {
	n, half := 0, false
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		line := string(text[lo:min(hi, lo+500)])
		if text[lo] == '|' {
			line = strings.ReplaceAll(line, "|", " ")
		}
		if _, ok := stacked(line, nextLine(text, hi)); ok {
			n += 5
			continue
		}
		_, k := heading(line)
		if k == whole || k == lower && half {
			n += 5
		}
		half = k == upper
	}
	return n
}
