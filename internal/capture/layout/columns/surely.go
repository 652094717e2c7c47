package columns

import (
	"bytes"
	"slices"
)

// Nearly all lines of a large table are rows. Those that can be nothing else are known by a look at their bytes,
// without asking whether they are names of columns, titles, keys or totals.

// saysMore are words with which a line may be a key or a total although a destination stands in front, by a letter that
// is rare in rows.
var saysMore = [...]struct {
	letter byte
	words  [][]byte
}{
	{'u', [][]byte{[]byte("routes"), []byte("Routes"), []byte("out of")}},
	{'g', [][]byte{[]byte("flags"), []byte("Flags"), []byte("legend"), []byte("Legend")}},
	{'d', [][]byte{[]byte("codes"), []byte("Codes")}},
}

// surely reports whether a line below names of columns is a row: it begins with a destination, nothing of it is
// damaged, and it speaks of no routes.
func (r *reader) surely(line []byte) bool {
	if r.cols == nil || r.half != nil || r.inKey || r.skip || !destinationBegins(line) {
		return false
	}
	for _, c := range line {
		if (c < ' ' || c > '~') && c != '\t' {
			return false
		}
	}
	return !saysMoreThanARow(line)
}

// saysMoreThanARow reports whether any of these words stands in a line.
func saysMoreThanARow(line []byte) bool {
	for i := range saysMore {
		if bytes.IndexByte(line, saysMore[i].letter) < 0 {
			continue
		}
		if slices.ContainsFunc(saysMore[i].words, func(w []byte) bool { return bytes.Contains(line, w) }) {
			return true
		}
	}
	return false
}

// destinationBegins reports whether the first word of a line is an IPv4 address, with a length or without.
func destinationBegins(line []byte) bool {
	_, ok := firstDestination(line)
	return ok
}

// firstWord is where the first word of a line stands.
type firstWord struct {
	lo, hi int
	slash  bool // it has one
}

// firstDestination returns the first word of a line where that is an IPv4 address, with a length or without.
func firstDestination(line []byte) (w firstWord, ok bool) {
	for w.lo < len(line) && (line[w.lo] == ' ' || line[w.lo] == '\t') {
		w.lo++
	}
	dots, digits := 0, 0
	for i, c := range line[w.lo:] {
		switch {
		case c >= '0' && c <= '9':
			digits++
			continue
		case c == ' ' || c == '\t':
			w.hi = w.lo + i
			return w, digits > 0 && dots == 3
		case c == '.' && digits > 0 && !w.slash:
			dots++
		case c == '/' && digits > 0 && !w.slash:
			w.slash = true
		default:
			return w, false
		}
		digits = 0
	}
	return w, false
}
