// Package present turns results into text and JSON. It words and lays out and computes nothing: both forms are views
// of the same struct, and every statement can name the captured line behind it.
//
// Text from captures is untrusted: control characters are shown escaped.
package present

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf16"
	"unicode/utf8"

	"zarvek/internal/casefile"
	"zarvek/internal/core/route"
)

// Evidence leads from marks back to the captures.
type Evidence interface {
	Position(route.Mark) casefile.Position
	Text(route.Mark) []byte
}

// A View is how a result is shown.
type View struct {
	Evidence Evidence
	Lines    bool // show the captured lines themselves
	Color    bool
	Width    int // of the terminal; 0: none, nothing is wrapped
	// Option makes other commands ask the same case, such as " -case night1"; "" where none is needed.
	Option string
}

// maxShown is how much of one captured line is shown.
const maxShown = 400

// Clean makes text from a capture safe for a terminal.
func Clean(s string) string {
	if strings.IndexFunc(s, func(r rune) bool { return r == utf8.RuneError || !unicode.IsPrint(r) && r != ' ' }) < 0 {
		return s
	}
	var b strings.Builder
	for i, r := range s {
		switch {
		case r == utf8.RuneError:
			_, n := utf8.DecodeRuneInString(s[i:])
			if n == 1 {
				fmt.Fprintf(&b, `\x%02x`, s[i])
				continue
			}
			b.WriteRune(r)
		case r == '\t':
			b.WriteByte(' ')
		case unicode.IsPrint(r):
			b.WriteRune(r)
		default:
			b.WriteString(strings.Trim(strconv.QuoteRune(r), "'"))
		}
	}
	return b.String()
}

// place words a position as FILE:LINE, "" for none.
func (v View) place(m route.Mark) string {
	p := v.Evidence.Position(m)
	if p.File == "" {
		return ""
	}
	return Clean(p.File) + ":" + strconv.Itoa(p.Line)
}

// capturedText is what stands at a place of a capture.
type capturedText struct {
	place string
	lines []string
}

// captured returns the captured lines of marks, safe for a terminal, each mark once; nil where they were not asked for.
func (v View) captured(marks []route.Mark) []capturedText {
	if !v.Lines {
		return nil
	}
	var out []capturedText
	seen := map[route.Mark]bool{}
	for _, m := range marks {
		if !m.Known() || seen[m] {
			continue
		}
		seen[m] = true
		c := capturedText{place: v.place(m)}
		for line := range strings.SplitSeq(string(v.Evidence.Text(m)), "\n") {
			line = strings.TrimRight(line, "\r ")
			if len(line) > maxShown {
				line = line[:maxShown] + fmt.Sprintf("… (%d bytes more)", len(line)-maxShown)
			}
			c.lines = append(c.lines, Clean(line))
		}
		out = append(out, c)
	}
	return out
}

// lines writes the captured lines of marks, each behind its place, when they are asked for.
func (v View) lines(w io.Writer, indent string, marks []route.Mark) {
	for _, c := range v.captured(marks) {
		fmt.Fprintf(w, "%s%s says\n", indent, c.place)
		for _, line := range c.lines {
			fmt.Fprintf(w, "%s    | %s\n", indent, line)
		}
	}
}

// headline writes the answer, bold on a terminal that has colours: green for good news, red for bad.
func (v View) headline(w io.Writer, good bool, format string, args ...any) {
	s := fmt.Sprintf(format, args...)
	if v.Color {
		c := "31"
		if good {
			c = "32"
		}
		s = "\x1b[1;" + c + "m" + s + "\x1b[0m"
	}
	fmt.Fprintln(w, s)
}

// count words a number of things.
func count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return grouped(n) + " " + many
}

// grouped writes a number with a blank between thousands from 10000 on.
func grouped(n int) string {
	s := strconv.Itoa(n)
	if n < 10000 {
		return s
	}
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + " " + s[i:]
	}
	return s
}

// unseen escapes in JSON what a terminal or an editor would not show, or would obey: DEL, the C1 controls, signs that
// turn the direction of writing or have no width. They can only stand in strings.
func unseen(b []byte) []byte {
	odd := func(r rune) bool {
		return r == 0x7f || r > 0x7f && unicode.In(r, unicode.Cc, unicode.Cf, unicode.Zl, unicode.Zp)
	}
	plain := true
	for _, c := range b { // nearly all of it is
		if c >= 0x7f {
			plain = false
			break
		}
	}
	if plain || bytes.IndexFunc(b, odd) < 0 {
		return b
	}
	out := make([]byte, 0, len(b)+64)
	for len(b) > 0 {
		r, n := utf8.DecodeRune(b)
		switch {
		case !odd(r):
			out = append(out, b[:n]...)
		case r > 0xffff:
			hi, lo := utf16.EncodeRune(r)
			out = fmt.Appendf(out, `\u%04x\u%04x`, hi, lo)
		default:
			out = fmt.Appendf(out, `\u%04x`, r)
		}
		b = b[n:]
	}
	return out
}

// writeJSON writes v as one indented document.
func writeJSON(w io.Writer, v any) error {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	e.SetIndent("", " ")
	if err := e.Encode(v); err != nil {
		return err
	}
	if _, err := w.Write(unseen(b.Bytes())); err != nil {
		return err
	}
	return nil
}
