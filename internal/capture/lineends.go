package capture

import (
	"bytes"
	"strconv"
)

// Lines end with LF or CRLF nearly everywhere. What a terminal or an editor of another kind put between lines instead
// is made LF here, before anything is read: a lone CR, VT, FF, NEL (U+0085), LS and PS (U+2028, U+2029), and the moves
// of a cursor to another line (ECMA-48: CUP, HVP, CUD, CNL, VPA). Otherwise a whole table would be one line, and pass
// for nothing. Line numbers count lines as they are then.

var (
	nel = []byte("\u0085")
	ls  = []byte("\u2028")
	ps  = []byte("\u2029")
	// hardBlank is what mail programs and web pages put in the place of a blank.
	hardBlank = []byte("\u00a0")
	csi       = []byte("\x1b[")
)

// oddControls is a cheap look for control characters that lineEnds would change.
func oddControls(b []byte) bool {
	return bytes.IndexByte(b, '\v') >= 0 || bytes.IndexByte(b, '\f') >= 0 || bytes.Contains(b, csi) || loneReturn(b)
}

// oddSigns is the same look for what is no control character of ASCII.
func oddSigns(b []byte) bool {
	return bytes.IndexByte(b, nel[0]) >= 0 && (bytes.Contains(b, hardBlank) || bytes.Contains(b, nel)) ||
		bytes.IndexByte(b, ls[0]) >= 0 && (bytes.Contains(b, ls) || bytes.Contains(b, ps))
}

// loneReturn reports whether a CR stands in a line rather than at its end.
func loneReturn(b []byte) bool {
	for at := 0; ; {
		i := bytes.IndexByte(b[at:], '\r')
		if i < 0 {
			return false
		}
		for at += i; at < len(b) && b[at] == '\r'; at++ {
		}
		if at < len(b) && b[at] != '\n' {
			return true
		}
	}
}

// fewestSpaced is how many lines tell that blank ones between them mean nothing.
const fewestSpaced = 8

// doubleSpaced reports whether a blank line stands between any two lines of a text.
func doubleSpaced(b []byte) bool {
	lines, blank := 0, true
	for at := 0; at < len(b); {
		end := len(b)
		if i := bytes.IndexByte(b[at:], '\n'); i >= 0 {
			end = at + i
		}
		switch {
		case len(bytes.TrimSpace(b[at:end])) == 0:
			blank = true
		case !blank:
			return false
		default:
			lines, blank = lines+1, false
		}
		at = end + 1
	}
	return lines >= fewestSpaced
}

// lineEnds makes LF of whatever else ends lines.
func lineEnds(b []byte) []byte {
	out := make([]byte, 0, len(b)+len(b)/64)
	row := 0  // where the cursor was put; 0: nobody knows
	line := 0 // where the line begins in out
	end := func() {
		if len(out) > line { // a second sign for the same end is none
			out = append(out, '\n')
		}
		line = len(out)
	}
	for i := 0; i < len(b); {
		rest := b[i:]
		switch {
		case rest[0] == '\n':
			out = append(out, '\n')
			line, row = len(out), 0
			i++
		case rest[0] == '\v', rest[0] == '\f':
			end()
			i++
		case bytes.HasPrefix(rest, nel):
			end()
			i += len(nel)
		case bytes.HasPrefix(rest, ls), bytes.HasPrefix(rest, ps):
			end()
			i += len(ls)
		case bytes.HasPrefix(rest, hardBlank):
			out = append(out, ' ')
			i += len(hardBlank)
		case rest[0] == '\r':
			n := 1
			for n < len(rest) && rest[n] == '\r' {
				n++
			}
			if n < len(rest) && rest[n] != '\n' && tells(out[line:]) {
				end()
			} else {
				out = append(out, rest[:n]...) // what stands before it is overwritten, as pagers do
			}
			i += n
		case bytes.HasPrefix(rest, csi):
			n := escapeLength(rest)
			first, second := parameters(rest[2:max(n-1, 2)])
			switch rest[n-1] {
			case 'H', 'f':
				if row != first || row == 0 {
					end()
				}
				row = first
				out = pad(out, line, second-1)
			case 'd':
				if row != first || row == 0 {
					end()
				}
				row = first
			case 'B', 'E', 'A', 'F':
				end()
				row = 0
			case 'G':
				out = pad(out, line, first-1)
			case 'C':
				out = pad(out, line, len(out)-line+first)
			default:
				out = append(out, rest[:n]...)
			}
			i += n
		default:
			out = append(out, rest[0])
			i++
		}
	}
	return out
}

// tells reports whether a piece of a line may hold a row: it has a number with a point or a colon. A progress sign or a
// pager's prompt, which a terminal overwrites, has none.
func tells(b []byte) bool {
	return bytes.ContainsAny(b, "0123456789") && bytes.ContainsAny(b, ".:")
}

// maxColumn is how far a cursor is believed to move.
const maxColumn = 500

// pad fills the line with blanks up to a column, counted from 0.
func pad(out []byte, line, column int) []byte {
	for column = min(column, maxColumn); len(out)-line < column; {
		out = append(out, ' ')
	}
	return out
}

// parameters reads the first two numbers of a control sequence, 1 where they are left out.
func parameters(b []byte) (first, second int) {
	x, y, _ := bytes.Cut(b, []byte{';'})
	number := func(b []byte) int {
		if n, err := strconv.Atoi(string(b)); err == nil && n > 0 {
			return n
		}
		return 1
	}
	return number(x), number(y)
}
