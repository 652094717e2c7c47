package columns

import (
	"bytes"
	"slices"
)

// Nearly all lines of a large table are rows. Those that can be nothing else are known by a look at their bytes,
// without asking whether they are names of columns, titles, keys or totals.

// saysMore are words with which a line may be a key or a total although a destination stands in front.
var saysMore = [...][]byte{[]byte("routes"), []byte("Routes"), []byte("out of"), []byte("flags"), []byte("Flags"),
	[]byte("codes"), []byte("Codes"), []byte("legend"), []byte("Legend")}

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
	return slices.ContainsFunc(saysMore[:], func(w []byte) bool { return bytes.Contains(line, w) })
}

// destinationBegins reports whether the first word of a line is an IPv4 address, with a length or without.
func destinationBegins(line []byte) bool {
	dots, slashes, digits := 0, 0, 0
	for _, c := range bytes.TrimLeft(line, " \t") {
		switch {
		case c >= '0' && c <= '9':
			digits++
			continue
		case c == ' ' || c == '\t':
			return digits > 0 && dots == 3
		case c == '.' && digits > 0 && slashes == 0:
			dots++
		case c == '/' && digits > 0 && slashes == 0:
			slashes++
		default:
			return false
		}
		digits = 0
	}
	return false
}
