package columns

import (
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/lazyregexp"
)

// glued reports whether the number of a column that is empty may stand glued to the name in the next one: "0eth1".
func (r *reader) glued(cols []column, cells []string) bool {
	for i, c := range cols {
		if gluedWords[c.kind] != nil && r.gluedWord(c.kind, cells[i]) {
			return true
		}
	}
	for i := 1; i < len(cols); i++ {
		if cols[i].kind == ifname && cells[i-1] == "" && cols[i-1].kind != gateway && cols[i-1].kind != flags &&
			startsWithNumber.MatchString(cells[i]) {
			return true
		}
	}
	return false
}

// gluedWord remembers what it found: the names of interfaces and next hops come again.
func (r *reader) gluedWord(k kind, s string) bool {
	seen, ok := r.gluedSeen[cell{k, s}]
	if !ok {
		seen = gluedWords[k].MatchString(s) && discardOf(s) == 0
		if len(r.gluedSeen) < mostSeen {
			r.gluedSeen[cell{k, s}] = seen
		}
	}
	return seen
}

// cell is what stands in a column of a kind.
type cell struct {
	kind kind
	text string
}

// gluedWords match cells of two columns that lost the blank between them: a word for a discard or an attached network
// with a name or number behind it, an interface with an age.
var gluedWords = map[kind]*lazyregexp.Regexp{
	gateway: lazyregexp.New(`(?i)^(?:discard|drop|receive|attached|blackhole|reject|direct|connected)\w`),
	ifname: lazyregexp.New(`\d+[dh]:\d+|^\d+:\d+:\d+[A-Za-z]|^(?:discard|receive|attached|blackhole|reject` +
		`|connected)[A-Z]|\d[A-Z]{4,}$`),
}

// oddNumber reports whether a number stands where other tables of this form have an interface's name.
func (r *reader) oddNumber(row *rowCells) bool {
	return !r.numbers && isNumber(row.cell[ifname]) || strings.ContainsRune(row.cell[ifname], '!')
}

// oddFlags reports whether flags are none that BSD has, who writes them in one word.
func (r *reader) oddFlags(s string) bool {
	return r.section == bsd && (!strings.Contains(s, "U") || strings.Contains(strings.TrimSpace(s), " "))
}

// letters looks for flags that the key does not explain, where a line of it was lost.
func (r *reader) letters(s string) error {
	if !r.keyLost {
		return nil
	}
	for f := range strings.FieldsSeq(s) {
		if r.legend[f] == "" && len(f) <= 2 {
			return errLetter
		}
	}
	return nil
}

// doubts looks for flags by which the key leaves open whether the route is in use.
func (r *reader) doubts(s string) error {
	for f := range strings.FieldsSeq(s) {
		if layout.Doubtful(r.legend[f]) {
			return layout.InDoubt(f)
		}
		for i := 0; r.legend[f] == "" && i < len(f); i++ { // written together
			if sign := f[i : i+1]; layout.Doubtful(r.legend[sign]) {
				return layout.InDoubt(sign)
			}
		}
	}
	return nil
}

var startsWithNumber = lazyregexp.New(`^\d+[A-Za-z]`)

// joinPair makes one word of two that stand side by side and mean the first or both together.
func joinPair(w []word, first, second string) []word {
	for i := 0; i+1 < len(w); i++ {
		if strings.EqualFold(w[i].text, first) && strings.EqualFold(w[i+1].text, second) {
			text := first
			if !isDefault(first) {
				text += second
			}
			w[i] = word{text, w[i].lo, w[i+1].hi}
			return slices.Delete(w, i+1, i+2)
		}
	}
	return w
}

// joinOnLink makes one word of two that together say that a network is attached.
func joinOnLink(w []word) []word {
	for i := 0; i+1 < len(w); i++ {
		if text := fold(w[i].text + w[i+1].text); onLinkWords[text] {
			w[i] = word{"on-link", w[i].lo, w[i+1].hi}
			return slices.Delete(w, i+1, i+2)
		}
	}
	return w
}

// Brackets around an address say nothing; around a name behind an address they part the two.
var withoutBrackets, apartBrackets = strings.NewReplacer("[", "", "]", ""), strings.NewReplacer("[", " ", "]", " ")

// joinInterface makes one word of an interface whose kind and number stand apart, as "ve 10", and of another table,
// "vr yard".
func joinInterface(w []word) []word {
	for i := 0; i+1 < len(w); i++ {
		if w[i+1].lo == w[i].hi+1 &&
			(layout.ApartInterface(w[i].text, w[i+1].text) || isOtherTable(w[i].text+" "+w[i+1].text)) {
			w[i] = word{w[i].text + " " + w[i+1].text, w[i].lo, w[i+1].hi}
			w = slices.Delete(w, i+1, i+2)
		}
	}
	return w
}

// fill takes the cells of one line.
func (row *rowCells) fill(cols []column, cells []string) {
	for i, c := range cols {
		switch {
		case cells[i] == "":
		case row.cell[c.kind] == "":
			row.cell[c.kind] = cells[i]
		case c.kind == flags: // each column of states may say that it is not in use
			row.cell[flags] += " " + cells[i]
		}
	}
}

// quotedInterface matches a next hop of a link with its interface in quotes: fe80::1-"line1".
var quotedInterface = lazyregexp.New(`^([0-9A-Fa-f:.]+)-"([^"]+)"$`)
