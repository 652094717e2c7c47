package present

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"zarvek/internal/core/route"
)

// A document is what an output says before it is drawn: its statements in order, each worded once. Text and Markdown
// are drawn from it, and no drawing edits a sentence.
type document struct{ parts []part }

// A part of a document draws itself. Parts that close up stand without a blank line between them in text.
type part interface {
	text(View, io.Writer)
	markdown(View, io.Writer)
	closesUp() bool
}

// answer is the first line: what was asked, in one sentence.
type answer struct {
	words string
	good  bool
}

// entry is a numbered statement with what belongs to it.
type entry struct {
	number         int
	strong, words  string // "fault", "packets are lost …"
	rows           []entryRow
	capturedBehind []route.Mark // shown where captured lines are asked for
}

// entryRow is a name with one or more statements.
type entryRow struct {
	name  string
	words []string
}

// listing is a titled list of short statements.
type listing struct {
	title string
	lines []string
}

// paragraph is running text; its lines hang behind the first by so many blanks.
type paragraph struct {
	words string
	hang  int
}

// row adds a named statement to an entry; empty ones are left out.
func (e *entry) row(name string, words ...string) {
	if len(words) > 0 && words[0] != "" {
		e.rows = append(e.rows, entryRow{name, words})
	}
}

func (d *document) add(p part) { d.parts = append(d.parts, p) }

// writeText draws a document for a terminal.
func (d *document) writeText(w io.Writer, v View) {
	for i, p := range d.parts {
		if i > 0 && !(p.closesUp() && d.parts[i-1].closesUp()) {
			fmt.Fprintln(w)
		}
		p.text(v, w)
	}
}

// writeMarkdown draws a document for a ticket (CommonMark).
func (d *document) writeMarkdown(w io.Writer, v View) {
	for i, p := range d.parts {
		if i > 0 {
			fmt.Fprintln(w)
		}
		p.markdown(v, w)
	}
}

func (answer) closesUp() bool    { return false }
func (entry) closesUp() bool     { return false }
func (listing) closesUp() bool   { return true }
func (paragraph) closesUp() bool { return true }

func (a answer) text(v View, w io.Writer) { v.headline(w, a.good, "%s", a.words) }

func (a answer) markdown(_ View, w io.Writer) { fmt.Fprintf(w, "**%s**\n", markdown(a.words)) }

// nameWidth is how much room the names of an entry's rows have.
const nameWidth = 10

func (e entry) text(v View, w io.Writer) {
	v.hanging(w, strconv.Itoa(e.number)+". ", e.strong+": "+e.words)
	for _, r := range e.rows {
		name := r.name
		for _, s := range r.words {
			v.hanging(w, "   "+name+strings.Repeat(" ", max(nameWidth-width(name), 1)), s)
			name = ""
		}
	}
	v.lines(w, "   ", e.capturedBehind)
}

// markdown writes the entry as an item of a numbered list; captured lines are code, so that nothing in them is markup.
func (e entry) markdown(v View, w io.Writer) {
	fmt.Fprintf(w, "%d. **%s**: %s\n", e.number, markdown(e.strong), markdown(e.words))
	for _, r := range e.rows {
		for _, s := range r.words {
			fmt.Fprintf(w, "   - %s: %s\n", markdown(r.name), markdown(s))
		}
	}
	for _, c := range v.captured(e.capturedBehind) {
		for _, line := range c.lines {
			fmt.Fprintf(w, "   - %s says %s\n", markdown(c.place), codeSpan(line))
		}
	}
}

func (l listing) text(v View, w io.Writer) {
	fmt.Fprintln(w, l.title+":")
	for _, s := range l.lines {
		begin := "  "
		for _, line := range v.broken(s, 4) {
			fmt.Fprintln(w, begin+line)
			begin = "    "
		}
	}
}

func (l listing) markdown(_ View, w io.Writer) {
	fmt.Fprintf(w, "%s:\n\n", markdown(l.title))
	for _, s := range l.lines {
		fmt.Fprintf(w, "- %s\n", markdown(s))
	}
}

func (p paragraph) text(v View, w io.Writer) {
	for i, line := range v.broken(p.words, p.hang) {
		fmt.Fprintln(w, strings.Repeat(" ", min(i, 1)*p.hang)+line)
	}
}

func (p paragraph) markdown(_ View, w io.Writer) { fmt.Fprintln(w, markdown(p.words)) }

var markup = strings.NewReplacer(
	`\`,
	`\\`,
	"*",
	`\*`,
	"_",
	`\_`,
	"`",
	"\\`",
	"[",
	`\[`,
	"]",
	`\]`,
	"<",
	"&lt;",
	">",
	"&gt;",
	"&",
	"&amp;",
	"|",
	`\|`,
	"#",
	`\#`,
)

// markdown escapes what would be read as markup, HTML included.
func markdown(s string) string { return markup.Replace(s) }

// codeSpan writes a text as it stands, behind more backquotes than it has in a row (CommonMark section 6.1).
func codeSpan(s string) string {
	fence, run := "`", 0
	for _, c := range s {
		if c != '`' {
			run = 0
			continue
		}
		if run++; run >= len(fence) {
			fence = strings.Repeat("`", run+1)
		}
	}
	if strings.HasPrefix(s, "`") || strings.HasSuffix(s, "`") || strings.TrimSpace(s) == "" {
		s = " " + s + " "
	}
	return fence + s + fence
}
