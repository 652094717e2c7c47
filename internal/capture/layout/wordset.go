package layout

import "strings"

// WordSet makes a set of words apart by blanks.
func WordSet(s string) map[string]bool {
	out := map[string]bool{}
	for w := range strings.FieldsSeq(s) {
		out[w] = true
	}
	return out
}
