package present

import (
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	pretty "github.com/jedib0t/go-pretty/v6/text"
)

// How text is put on a page: how wide it is, where lines break, how columns stand. Nothing else in this package counts
// characters, so that wide and combining ones are aligned everywhere or nowhere.

// usualWidth is what is taken where the output is no terminal.
const usualWidth = 120

// page returns how many characters a line has.
func (v View) page() int {
	if v.Width > 0 {
		return v.Width
	}
	return usualWidth
}

// width returns how many cells of a terminal a text takes: two for a wide character (UAX 11), none for a combining one.
func width(s string) int {
	for i := range len(s) {
		if s[i] >= utf8.RuneSelf {
			return pretty.StringWidthWithoutEscSequences(s)
		}
	}
	return len(s)
}

// padded returns s with blanks behind it up to a width.
func padded(s string, n int) string { return s + strings.Repeat(" ", max(n-width(s), 0)) }

// broken breaks a text between words so that each line, behind an indent, fits the page. A word that is too long
// stays whole: it is an address or a file that somebody wants to copy. So does a number with blanks between thousands.
func (v View) broken(s string, indent int) []string {
	room := max(v.page()-indent-1, 20)
	var lines []string
	line, used := "", 0
	for i, word := range unbroken(s) {
		n := width(word)
		if i > 0 && used+1+n > room {
			lines = append(lines, strings.TrimRight(line, " "))
			line, used = word, n
			continue
		}
		if i > 0 {
			line += " "
			used++
		}
		line, used = line+word, used+n
	}
	return append(lines, line)
}

// unbroken cuts a text into words; a number as grouped writes it is one.
func unbroken(s string) []string {
	words := strings.Split(s, " ")
	out := words[:1]
	for _, word := range words[1:] {
		last := strings.TrimLeft(out[len(out)-1], "(")
		first := strings.TrimRight(word, ".,;:)")
		if len(first) == 3 && len(last) > 0 && digits(first) && digits(last[strings.LastIndexByte(last, ' ')+1:]) {
			out[len(out)-1] += " " + word
			continue
		}
		out = append(out, word)
	}
	return out
}

// digits reports whether a text is one to three digits.
func digits(s string) bool {
	return len(s) > 0 && len(s) < 4 && strings.Trim(s, "0123456789") == ""
}

// wrapped writes a text, broken to fit the page, each line behind an indent.
func (v View) wrapped(w io.Writer, indent, s string) {
	for _, line := range v.broken(s, width(indent)) {
		fmt.Fprintf(w, "%s%s\n", indent, line)
	}
}

// hanging writes a text behind a beginning, broken to fit the page, its further lines below its first one.
func (v View) hanging(w io.Writer, begin, s string) {
	for _, line := range v.broken(s, width(begin)) {
		fmt.Fprintln(w, begin+line)
		begin = strings.Repeat(" ", width(begin))
	}
}

// columns writes rows of cells with aligned columns, two blanks between them. The last cell of a row is as long as it
// likes: it is no part of its column, and neighbouring rows that all have a cell behind it are aligned with each
// other.
func columns(w io.Writer, indent string, rows [][]string) {
	widths := make([][]int, len(rows))
	for i, r := range rows {
		widths[i] = make([]int, max(len(r)-1, 0))
	}
	for c := 0; ; c++ {
		any := false
		for lo := 0; lo < len(rows); {
			hi, most := lo, 0
			for hi < len(rows) && len(rows[hi]) > c+1 {
				most = max(most, width(rows[hi][c]))
				hi++
			}
			for i := lo; i < hi; i++ {
				widths[i][c], any = most, true
			}
			lo = max(hi, lo+1)
		}
		if !any {
			break
		}
	}
	for i, r := range rows {
		var b strings.Builder
		b.WriteString(indent)
		for c, cell := range r {
			if c < len(r)-1 {
				cell = padded(cell, widths[i][c]+2)
			}
			b.WriteString(cell)
		}
		fmt.Fprintln(w, strings.TrimRight(b.String(), " "))
	}
}
