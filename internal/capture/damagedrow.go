package capture

import (
	"bytes"
	"slices"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// A row may have lost its destination: signs were misread or replaced on the way, or somebody hid them. What is left is
// no prefix, or looks like another one, so that nobody knows what the row was for but that it begins with what can
// still be read. The rows around it tell that it is one.

// damagedRows knows rows of a part by the kinds of their words.
type damagedRows struct {
	forms  []rowForm
	enough bool // one of the rows may be for anything
}

// rowForm is the kinds of the words before a row's destination and behind it.
type rowForm struct {
	before, behind string
	full           bool // no zeros of the destination were left out
}

// Bounds of what is compared with lines.
const (
	mostForms    = 64
	rowsForForms = 1000
)

// newDamagedRows takes the forms of the rows of some parts.
func newDamagedRows(parts []Part, src *Source) *damagedRows {
	d := &damagedRows{}
	for i := range parts {
		for j := range parts[i].Facts.Tables {
			rows := &parts[i].Facts.Tables[j].Routes
			for k := range min(rows.Len(), rowsForForms) {
				line, _, _ := bytes.Cut(src.Text(rows.At(k).Mark), []byte{'\n'})
				f, ok := formOf(cellsOf(line))
				if ok && len(d.forms) < mostForms && !slices.Contains(d.forms, f) {
					d.forms = append(d.forms, f)
				}
			}
		}
	}
	return d
}

// cellsOf parts a line at its blanks, or at its commas where it has no blanks.
func cellsOf(line []byte) []string {
	text := strings.TrimRight(string(line), " \t\r")
	if bytes.Count(line, []byte{','}) > 1 && !strings.ContainsAny(text, " \t") {
		return strings.Split(text, ",")
	}
	return strings.Fields(text)
}

// kindsOf are the kinds of words, one byte each.
func kindsOf(words []string) string {
	kinds := make([]byte, len(words))
	for i, w := range words {
		kinds[i] = kindOf(w)
	}
	return string(kinds)
}

// kindred reports whether words are of some kinds.
func kindred(words []string, kinds string) bool {
	for i, w := range words {
		if kindOf(w) != kinds[i] {
			return false
		}
	}
	return true
}

// formOf is the form of a row; false where it has too little beside its destination to be known by.
func formOf(words []string) (rowForm, bool) {
	for i, w := range words {
		if destination(w) {
			return rowForm{kindsOf(words[:i]), kindsOf(words[i+1:]), fullDestination(w)}, len(words) > 1
		}
	}
	return rowForm{}, false
}

// allRows are the layouts that have nothing but rows.
var allRows = []string{"CSV", "kernel route files"}

// find adds to the tables of a part what a line that was not read may have been a row for.
func (d *damagedRows) find(p *Part, line []byte, mark route.Mark) bool {
	if d.enough {
		return true
	}
	rest, ok := d.leftOf(line)
	switch {
	case slices.Contains(allRows, p.Layout):
		d.enough = hide(p, "", mark)
	case ok:
		d.enough = hide(p, rest, mark)
	}
	return ok
}

// elsewhere does the same for the tables of all parts but the one that the line belongs to.
func (d *damagedRows) elsewhere(parts []Part, own int, line []byte, mark route.Mark) bool {
	rest, ok := d.leftOf(line)
	for i := range parts {
		if ok && i != own {
			hide(&parts[i], rest, mark)
		}
	}
	return ok
}

// hide adds a row for whatever begins as a broken destination does to the tables of a part. It reports whether nothing
// more can be hidden in them.
func hide(p *Part, rest string, mark route.Mark) bool {
	colons, dots := strings.Contains(rest, ":"), strings.Contains(rest, ".")
	all := true
	for i := range p.Facts.Tables {
		t := &p.Facts.Tables[i]
		if colons != dots && colons != (t.Family == route.IPv6) { // it was one of the other family's
			all = false
			continue
		}
		known := readableBegin(rest, t.Family)
		all = all && known.Bits() == 0
		t.Unread = append(t.Unread, network.UnreadRow{Prefix: known, Any: true, Mark: mark})
	}
	return all
}

// routeWords are what a line has of which one of the expressions below matches more.
var routeWords = []string{"[", "via ", " directly ", " attached", " dev ", "blackhole ", "unreachable ", "prohibit ",
	"throw ", " proto "}

var (
	// routeSign matches what routes say behind their destination, and little else does.
	routeSign = lazyregexp.New(`\[\d+/\d+\]|\bvia\s+\S*[\d.:]{3}|\bis (?:directly connected|attached)\b` +
		`|\sdev [a-z]|^(?:blackhole|unreachable|prohibit|throw) |\sproto [a-z0-9]+\b`)
	// quotedWord matches a string of a document, without blanks.
	quotedWord = lazyregexp.New(`"([^\s"]+)"`)
	// fromTo matches what stands behind the source of a row that has one.
	fromTo = lazyregexp.New(`->(\S+)`)
	// sureRow matches a row of letters, whatever stands in place of its destination.
	sureRow = lazyregexp.New(`^\s*[A-Za-z][\w*>% ]{0,6}\s+(\S+)\s+(?:\[\d+/\d+\]|is directly connected\b)` +
		`|^(?:[a-z]+ )?(\S+) +(?:nhid \d+ )?via [\d.a-f:]+ dev `)
)

// leftOf returns what is left of the destination of a row; false where the line has a whole one, or is no row.
func (d *damagedRows) leftOf(line []byte) (string, bool) {
	if bytes.IndexByte(line, '"') >= 0 {
		for _, m := range quotedWord.FindAllSubmatch(line[:min(len(line), 200)], 4) { // of an object of a document
			switch w := string(m[1]); {
			case wholeDestination(w):
				return "", false
			case brokenDestination(w):
				return w, true
			}
		}
	}
	words := cellsOf(line)
	if rest, ok := d.byForm(words); ok {
		return rest, true
	}
	return bySigns(line, words)
}

// byForm returns what stands in place of the destination in a line that is like a row otherwise.
func (d *damagedRows) byForm(words []string) (string, bool) {
	for _, f := range d.forms {
		from, to := len(f.before), len(words)-len(f.behind)
		if to-from < 1 || to-from > 2 || !kindred(words[:from], f.before) || !kindred(words[to:], f.behind) {
			continue
		}
		rest := strings.Join(words[from:to], " ")
		if to-from == 2 && (slices.ContainsFunc(words[from:to], fullDestination) || !brokenDestination(rest)) {
			continue
		}
		if brokenDestination(rest) || f.sure() && !wholeDestination(rest) || f.full && shortPrefix.MatchString(rest) {
			return rest, true
		}
	}
	return "", false
}

// sure reports whether rows of the form are known by it, whatever stands in place of their destination.
func (f rowForm) sure() bool {
	return strings.Contains(f.behind, "/") && len(f.before)+len(f.behind) >= 4
}

// bySigns returns what stands in place of the destination in a line that says what routes say, or leads to an address.
func bySigns(line []byte, words []string) (string, bool) {
	says := slices.ContainsFunc(routeWords, func(w string) bool { return bytes.Contains(line, []byte(w)) })
	if says {
		if m := sureRow.FindSubmatch(line); m != nil && !wholeDestination(string(m[1])+string(m[2])) {
			return string(m[1]) + string(m[2]), true
		}
	}
	if bytes.Contains(line, []byte("->")) {
		if m := fromTo.FindSubmatch(line); m != nil {
			return string(m[1]), !fullDestination(string(m[1]))
		}
	}
	sign := says && routeSign.Match(line)
	for i, w := range words[:min(len(words), mostBefore)] {
		rest := w
		if i > 0 && strings.Trim(words[i-1], "0123456789.") == "" {
			rest = words[i-1] + " " + w
		}
		switch {
		case brokenDestination(w), wholeDestination(w) && !fullDestination(w) && rest != w && brokenDestination(rest):
			return rest, sign || gluedAddress(w) ||
				!clockTime.MatchString(w) && slices.ContainsFunc(words[i+1:], destination)
		case wholeDestination(w), !sign && len(w) > maxCode:
			return "", false
		}
	}
	return "", false
}

// mostBefore is how many words stand before a destination at most.
const mostBefore = 5

// clockTime matches what has the signs of an address and is none.
var clockTime = lazyregexp.New(`^\*?\d{1,2}:\d\d(?::\d\d)?(?:[.,]\d+)?:?$`)
