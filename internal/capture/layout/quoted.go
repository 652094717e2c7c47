package layout

import "strings"

// QuotedWords splits a line into words; quotes hold several together. A quote that is not closed stays at its word.
func QuotedWords(s string) []string {
	var out []string
	for len(s) > 0 {
		s = strings.TrimLeft(s, " \t")
		if s == "" {
			break
		}
		if s[0] == '"' {
			if i := strings.IndexByte(s[1:], '"'); i >= 0 {
				out, s = append(out, s[1:i+1]), s[i+2:]
				continue
			}
			return append(out, s)
		}
		i := strings.IndexAny(s, " \t")
		if i < 0 {
			i = len(s)
		}
		out, s = append(out, s[:i]), s[i:]
	}
	return out
}
