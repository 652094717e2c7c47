package commands

import (
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// A tree is the same configuration with its words in braces: a block for each branch, a line for each leaf. The zero
// tree has no open branch.
type tree struct {
	path   []string
	depths []int      // how many words each open brace has added
	begins route.Mark // of the line that opened the outermost
	deep   bool       // leaves deeper than any configuration has were passed over
}

// deepest is how many words may stand on the way to a leaf.
const deepest = 64

// branch matches the line that begins such a configuration, or what is shown of one of its branches.
var branch = lazyregexp.New(`^\s*(?:config|devices|deviceconfig|rulebase|vsys|shared|mgt-config|zone) *\{\s*$` +
	`|^\s*network *\{\s*$`)

// isTree reports whether the first line of a text that opens a brace is such a one.
func isTree(text []byte) bool {
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<14)]) {
		line := strings.TrimRight(string(text[lo:min(hi, lo+200)]), " \t\r")
		if strings.HasSuffix(line, "{") {
			return branch.MatchString(line)
		}
	}
	return false
}

// line takes a line, and returns the leaf that it is, as a command of whole words; "" where it opens or closes a
// branch.
func (t *tree) line(s string, m route.Mark) string {
	switch {
	case strings.HasSuffix(s, "{"):
		if len(t.depths) == 0 {
			t.begins = m
		}
		w := layout.QuotedWords(strings.TrimSuffix(s, "{"))
		t.path, t.depths = append(t.path, w...), append(t.depths, len(w))
		return ""
	case s == "}" || s == "};":
		if n := len(t.depths); n > 0 {
			t.path, t.depths = t.path[:len(t.path)-t.depths[n-1]], t.depths[:n-1]
		}
		return ""
	}
	if len(t.path) > deepest {
		t.deep = true
		return ""
	}
	w := slices.Concat([]string{"set"}, t.path, layout.QuotedWords(strings.TrimSuffix(s, ";")))
	return joined(w)
}

// joined makes a line of words; one with blanks in it is quoted.
func joined(w []string) string {
	w = slices.Clone(w)
	for i, x := range w {
		if strings.ContainsAny(x, " \t") {
			w[i] = `"` + x + `"`
		}
	}
	return strings.Join(w, " ")
}
