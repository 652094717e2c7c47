package columns

import (
	"slices"
	"strings"
	"unicode"

	"zarvek/internal/capture/layout"
	"zarvek/internal/lazyregexp"
)

// never is the score of what cannot be.
const never = -1 << 20

// An aligner keeps its tables from row to row.
type aligner struct {
	best []int
	from []byte
	fits []scores
	seen map[string]scores // of words that stood in a row before, for the columns there are now
	cols []column
}

// scores are those of one word for each kind of column.
type scores [types + 1]int

// mostSeen bounds how many words are remembered.
const mostSeen = 4096

// align assigns the words of a row to columns, in order; several words may share a flags, age or ignored column. It
// maximises a score of kind and position over all assignments; ok is false where there is none.
func (al *aligner) align(w []word, cols []column) (cells []string, ok bool) {
	n, m := len(w), len(cols)
	al.judge(w, cols)
	// best[i][j]: the first i words on the first j columns. from: 'w' word i-1 alone on column j-1, 'm' more words on
	// it, 's' column j-1 is empty.
	al.best, al.from = grow(al.best, (n+1)*(m+1)), grow(al.from, (n+1)*(m+1))
	best, from := al.best, al.from
	at := func(i, j int) int { return i*(m+1) + j }
	for i := range best {
		best[i] = never
	}
	best[0] = 0
	for j := 1; j <= m; j++ {
		for i := 0; i <= n; i++ {
			here := at(i, j)
			if s := best[at(i, j-1)] - 2; s > best[here] {
				best[here], from[here] = s, 's'
			}
			if i == 0 {
				continue
			}
			if fit := al.fits[i-1][cols[j-1].kind]; fit > never {
				fit += near(w[i-1], cols[j-1])
				if s := best[at(i-1, j-1)] + fit; s > best[here] {
					best[here], from[here] = s, 'w'
				}
				if f := from[at(i-1, j)]; sharing(cols[j-1].kind) && (f == 'w' || f == 'm') {
					if s := best[at(i-1, j)] + fit - 1; s > best[here] {
						best[here], from[here] = s, 'm'
					}
				}
			}
		}
	}
	if best[at(n, m)] <= never/2 {
		return nil, false
	}
	cells = make([]string, m)
	for i, j := n, m; j > 0; {
		switch from[at(i, j)] {
		case 's':
			j--
		case 'm':
			i--
			cells[j-1] = " " + w[i].text + cells[j-1]
		default:
			i, j = i-1, j-1
			cells[j] = w[i].text + cells[j]
		}
	}
	return cells, true
}

// judge scores each word once for each kind of column there is.
func (al *aligner) judge(w []word, cols []column) {
	al.fits = al.fits[:0]
	if !slices.Equal(cols, al.cols) {
		al.seen, al.cols = map[string]scores{}, slices.Clone(cols)
	}
	for _, x := range w {
		if fit, ok := al.seen[x.text]; ok {
			al.fits = append(al.fits, fit)
			continue
		}
		var fit scores
		var done [types + 1]bool
		form := formOf(x.text)
		for _, c := range cols {
			if !done[c.kind] {
				fit[c.kind], done[c.kind] = form.score(x.text, c.kind), true
			}
		}
		al.fits = append(al.fits, fit)
		if len(al.seen) < mostSeen {
			al.seen[x.text] = fit
		}
	}
}

// grow returns a slice of n zero elements, in the memory of s where it has room.
func grow[T any](s []T, n int) []T {
	if cap(s) < n {
		return make([]T, n)
	}
	s = s[:n]
	clear(s)
	return s
}

func sharing(k kind) bool { return k == flags || k == age || k == ignored || k == labels || k == types }

// form is what a word is, whichever column it stands in.
type form struct{ number, address bool }

func formOf(s string) form {
	f := form{number: isNumber(s)}
	f.address = !f.number && layout.LooksLikeAddress([]byte(s))
	return f
}

// score tells how well a word of this form fits a kind of column, wherever it stands.
func (f form) score(text string, k kind) int {
	s := 0
	switch k {
	case destination:
		if f.number || !f.address && !isDestination(text) || isClock(text) {
			return never
		}
		s = 8
	case mask:
		if _, ok := layout.IPv4([]byte(text)); !ok {
			return never
		}
		s = 8
	case gateway:
		_, isAddr := layout.Addr([]byte(strings.Trim(text, "[]")))
		switch {
		case isAddr:
			s = 6
		case f.address: // a bad one
			s = 4
		case f.number:
			return never
		default:
			s = 1
		}
	case metric, preference, length, added:
		switch {
		case f.number:
			s = 4
		case text == "-" || strings.HasPrefix(text, "-") && isNumber(text[1:]):
			s = 2
		case strings.Count(text, "/") == 1 && isNumber(strings.Trim(strings.Replace(text, "/", "", 1), "[]")):
			s = 3
		default:
			return never
		}
	case protocol:
		if text[0] >= '0' && text[0] <= '9' || f.address {
			return never
		}
		s = 2
		if _, ok := protocolWords[fold(text)]; ok {
			s = 5
		}
	case flags:
		if f.address || len(text) > 16 {
			return never
		}
		s = 1
		if f.number {
			s = -2
		}
	case ifname:
		s = 2
	case age:
		if isSign(text) {
			return never
		}
	case ignored, instance, store, labels, types:
		s = 0
	}
	return s
}

// datesWords are short words that an age may consist of.
var datesWords = lazyregexp.New(`(?i)^(?:jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec|mon|tue|wed|thu|fri|sat` +
	`|sun|ago|day|min|sec|hr|hrs|utc|am|pm)$`)

// isSign reports whether a word is letters such as stand in a column of signs, and no age.
func isSign(s string) bool {
	return len(s) <= 3 && strings.IndexFunc(s, func(c rune) bool { return !unicode.IsLetter(c) }) < 0 &&
		!datesWords.MatchString(s)
}

// near rates the position: words mostly stand under their column's name, or beside it where the column is wide.
func near(w word, c column) int {
	if w.lo < c.hi && c.lo < w.hi {
		return 5
	}
	gap := max(c.lo-w.hi, w.lo-c.hi) + 1
	return -min(gap/2, 8)
}

func isNumber(s string) bool {
	_, ok := layout.Uint([]byte(s))
	return ok
}

// isDestination accepts addresses and prefixes, whole or cut short as BSD does, and the words for the default route.
func isDestination(s string) bool {
	if isClock(s) {
		return false
	}
	if isDefault(s) || layout.LooksLikeAddress([]byte(s)) {
		return true
	}
	a, _, _ := strings.Cut(strings.Trim(s, "["), "%")
	if strings.Count(a, ":") >= 2 {
		return true
	}
	return strings.Trim(s, "0123456789./") == "" && strings.ContainsAny(s, "./")
}

// isClock reports whether s is a time such as 12:34:56, which no address is.
func isClock(s string) bool {
	return strings.Count(s, ":") == 2 && strings.Trim(s, "0123456789:") == "" && !strings.Contains(s, "::")
}

func isDefault(s string) bool { return strings.EqualFold(s, "default") }
