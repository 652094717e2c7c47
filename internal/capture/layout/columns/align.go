package columns

import (
	"strings"

	"zarvek/internal/capture/layout"
)

// align assigns the words of a row to columns, in order; several words may share a flags, age or ignored column. It
// maximises a score of kind and position over all assignments; ok is false where there is none.
func align(w []word, cols []column) (cells []string, ok bool) {
	const never = -1 << 20
	n, m := len(w), len(cols)
	// best[i][j]: the first i words on the first j columns. from: 'w' word i-1 alone on column j-1, 'm' more words on
	// it, 's' column j-1 is empty.
	best := make([][]int, n+1)
	from := make([][]byte, n+1)
	for i := range best {
		best[i], from[i] = make([]int, m+1), make([]byte, m+1)
		for j := range best[i] {
			best[i][j] = never
		}
	}
	best[0][0] = 0
	for j := 1; j <= m; j++ {
		for i := 0; i <= n; i++ {
			if s := best[i][j-1] - 2; s > best[i][j] {
				best[i][j], from[i][j] = s, 's'
			}
			if i == 0 {
				continue
			}
			if fit := score(w[i-1], cols[j-1]); fit > never {
				if s := best[i-1][j-1] + fit; s > best[i][j] {
					best[i][j], from[i][j] = s, 'w'
				}
				if f := from[i-1][j]; sharing(cols[j-1].kind) && (f == 'w' || f == 'm') {
					if s := best[i-1][j] + fit - 1; s > best[i][j] {
						best[i][j], from[i][j] = s, 'm'
					}
				}
			}
		}
	}
	if best[n][m] <= never/2 {
		return nil, false
	}
	cells = make([]string, m)
	for i, j := n, m; j > 0; {
		switch from[i][j] {
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

func sharing(k kind) bool { return k == flags || k == age || k == ignored }

// score tells how well a word fits a column; very low where it cannot be there.
func score(w word, c column) int {
	const never = -1 << 20
	s := 0
	switch c.kind {
	case destination:
		if !isDestination(w.text) {
			return never
		}
		s = 8
	case mask:
		if _, ok := layout.IPv4([]byte(w.text)); !ok {
			return never
		}
		s = 8
	case gateway:
		_, isAddr := layout.Addr([]byte(strings.Trim(w.text, "[]")))
		switch {
		case isAddr:
			s = 6
		case layout.LooksLikeAddress([]byte(w.text)): // a bad one
			s = 4
		case isNumber(w.text):
			return never
		default:
			s = 1
		}
	case metric, preference, length:
		switch {
		case isNumber(w.text):
			s = 4
		case w.text == "-" || strings.HasPrefix(w.text, "-") && isNumber(w.text[1:]):
			s = 2
		case strings.Count(w.text, "/") == 1 && isNumber(strings.Replace(w.text, "/", "", 1)):
			s = 3
		default:
			return never
		}
	case protocol:
		if isNumber(w.text) || layout.LooksLikeAddress([]byte(w.text)) {
			return never
		}
		s = 2
		if _, ok := protocolWords[fold(w.text)]; ok {
			s = 5
		}
	case flags:
		if layout.LooksLikeAddress([]byte(w.text)) || len(w.text) > 16 {
			return never
		}
		s = 1
		if isNumber(w.text) {
			s = -2
		}
	case ifname:
		s = 2
	case age, ignored, instance:
		s = 0
	}
	return s + near(w, c)
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
	if isDefault(s) || layout.LooksLikeAddress([]byte(s)) {
		return true
	}
	a, _, _ := strings.Cut(strings.Trim(s, "["), "%")
	if strings.Count(a, ":") >= 2 {
		return true
	}
	return strings.Trim(s, "0123456789./") == "" && strings.ContainsAny(s, "./")
}

func isDefault(s string) bool { return strings.EqualFold(s, "default") }
