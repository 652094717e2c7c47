package mask

import "strings"

// An Aligner keeps what stands below a word below it: further next hops stand under the first one, and where that
// moved, since an address before it is longer now, they move too. The zero Aligner has seen no line.
type Aligner struct{ was, is []int } // where words of the last line that is no continuation began, and begin

// deep is how many blanks stand before a word that belongs under one of the line above.
const deep = 8

// Align returns a masked line with its words under those of the lines above, as they are in the original.
func (a *Aligner) Align(was, is string) string {
	from, to := starts(was), starts(is)
	if len(from) != len(to) || len(from) == 0 {
		return is
	}
	for i, at := range from {
		end := 0
		if i > 0 {
			end = from[i-1] + strings.IndexByte(was[from[i-1]:]+" ", ' ')
		}
		if at-end < deep || i > 0 && end > 3 { // flags may stand at the left edge
			continue
		}
		for k, above := range a.was {
			if move := a.is[k] - to[i]; above == at && move != 0 {
				if move < 0 && to[i]+move <= end {
					return is
				}
				if move > 0 {
					return is[:to[i]] + strings.Repeat(" ", move) + is[to[i]:]
				}
				return is[:to[i]+move] + is[to[i]:]
			}
		}
		return is
	}
	a.was, a.is = from, to
	return is
}

// starts lists where the words of a line begin, in bytes.
func starts(s string) []int {
	var out []int
	for i := range len(s) {
		if s[i] != ' ' && s[i] != '\t' && (i == 0 || s[i-1] == ' ' || s[i-1] == '\t') {
			out = append(out, i)
		}
	}
	return out
}
