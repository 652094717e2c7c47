package layout

import "bytes"

// WithoutMembers appends a valid JSON object to dst, but for the values of those of its own members that are named
// without a module's prefix (RFC 7951 section 4), and returns these as they stand. It is false where one of them is
// there twice, or is neither a number nor a plain string: without quotes or signs of escape in it.
func WithoutMembers(dst, object []byte, names []string, values [][]byte) (out []byte, ok bool) {
	clear(values)
	depth, kept := 0, 0
	for i := 0; i < len(object); i++ {
		switch object[i] {
		case '{', '[':
			depth++
		case '}', ']':
			depth--
		case '"':
			end, plain := stringEnd(object, i)
			name := object[i+1 : max(end-1, i+1)]
			i = end - 1
			at := skipBlanks(object, end)
			if depth != 1 || at == len(object) || object[at] != ':' {
				continue
			}
			k := memberOf(name, names)
			if k < 0 {
				continue
			}
			lo := skipBlanks(object, at+1)
			hi, isPlain := valueEnd(object, lo)
			if !plain || !isPlain || values[k] != nil {
				return dst, false
			}
			values[k] = object[lo:hi]
			dst = append(dst, object[kept:lo]...)
			kept, i = hi, hi-1
		}
	}
	return append(dst, object[kept:]...), true
}

func memberOf(name []byte, names []string) int {
	name = name[bytes.LastIndexByte(name, ':')+1:]
	for k, n := range names {
		if string(name) == n {
			return k
		}
	}
	return -1
}

// stringEnd is behind the string that begins at i. Plain: nothing in it is escaped.
func stringEnd(b []byte, i int) (end int, plain bool) {
	plain = true
	for i++; i < len(b); i++ {
		switch b[i] {
		case '\\':
			plain = false
			i++
		case '"':
			return i + 1, plain
		}
	}
	return len(b), false
}

// valueEnd is behind the number or string that begins at i.
func valueEnd(b []byte, i int) (end int, plain bool) {
	if i < len(b) && b[i] == '"' {
		return stringEnd(b, i)
	}
	for end = i; end < len(b) && b[end] >= '0' && b[end] <= '9'; end++ {
	}
	return end, end == i+1 || end > i && b[i] != '0' // JSON has no zeros in front
}

func skipBlanks(b []byte, i int) int {
	for i < len(b) && (b[i] == ' ' || b[i] == '\t' || b[i] == '\n' || b[i] == '\r') {
		i++
	}
	return i
}
