package yang

import (
	"bytes"

	"zarvek/internal/capture/layout"
)

// Nearly all routes of a large table differ in their prefix and their metric alone. Those share the children of the
// first one, so that neither their text is parsed nor a tree is made of it.

// own is what a route has in place of what the one that it is like has there.
type own struct {
	like   *node
	values [len(ownNames)]string
}

// ownNames are the children in which such routes differ. Of the last one nothing is read.
var ownNames = [...]string{"destination-prefix", "metric", "last-updated"}

const routeName = "route"

// likes knows routes by their text without these.
type likes struct {
	seen   layout.Likenesses[*node]
	bare   []byte
	values [len(ownNames)][]byte
}

// bare is layout.WithoutMembers or its like for XML.
type bare func(dst, text []byte, names []string, values [][]byte) ([]byte, bool)

// key makes the key of a route's text; false where its own children are in no usual form.
func (l *likes) key(without bare, text []byte) bool {
	var ok bool
	l.bare, ok = without(l.bare[:0], text, ownNames[:], l.values[:])
	for i, v := range l.values {
		l.values[i] = bytes.Trim(v, `"`)
		ok = ok && simple(v)
	}
	l.seen.Key(-1, l.bare)
	return ok
}

// simple reports whether a value means what it says: nothing in it is a sign of JSON or XML.
func simple(v []byte) bool {
	for _, c := range v {
		if c < ' ' || c >= 0x7f || c == '\\' || c == '&' || c == '<' || c == ']' {
			return false
		}
	}
	return true
}

// known returns a route like that of the last key, with bounds of its own.
func (l *likes) known(lo, hi int) (*node, bool) {
	like, ok := l.seen.Known()
	if !ok {
		return nil, false
	}
	n := &node{name: routeName, lo: lo, hi: hi, own: &own{like: like}}
	for i, v := range l.values {
		n.own.values[i] = string(v)
	}
	return n, true
}

// keep remembers a route that was parsed, for its text.
func (l *likes) keep(n *node, without bare, text []byte) {
	if !l.key(without, text[n.lo:n.hi]) {
		return
	}
	for i, v := range l.values {
		if n.value(ownNames[i]) != string(v) {
			return
		}
	}
	l.seen.Keep(n)
}

// objectEnd is behind the JSON object that begins at i, 0 where it does not end.
func objectEnd(text []byte, i int) int {
	depth := 0
	for ; i < len(text); i++ {
		switch text[i] {
		case '{', '[':
			depth++
		case '}', ']':
			if depth--; depth == 0 {
				return i + 1
			}
		case '"':
			for i++; i < len(text) && text[i] != '"'; i++ {
				if text[i] == '\\' {
					i++
				}
			}
		}
	}
	return 0
}

// elementEnd is behind the XML element of a name that begins at i and has none of its name inside, 0 where it does not
// end.
func elementEnd(text []byte, i int, name []byte) int {
	end := append(append([]byte("</"), name...), '>')
	at := bytes.Index(text[i:min(len(text), i+longestRoute)], end)
	if at < 0 {
		return 0
	}
	return i + at + len(end)
}

// longestRoute bounds how far the end of a route is looked for.
const longestRoute = 4 << 10

// withoutElements is layout.WithoutMembers for an XML element.
func withoutElements(dst, text []byte, names []string, values [][]byte) (out []byte, ok bool) {
	clear(values)
	depth, kept := 0, 0
	for i := bytes.IndexByte(text, '<'); i >= 0 && i+1 < len(text); {
		end := bytes.IndexByte(text[i:], '>')
		if end < 0 {
			return dst, false
		}
		tag := text[i+1 : i+end]
		at := i + end + 1
		next := len(text)
		if n := bytes.IndexByte(text[at:], '<'); n >= 0 {
			next = at + n
		}
		switch {
		case len(tag) == 0 || tag[0] == '!' || tag[0] == '?':
			return dst, false
		case tag[0] == '/':
			depth--
		case tag[len(tag)-1] == '/':
		default:
			depth++
			if k := ownElement(tag, names); depth == 2 && k >= 0 {
				if values[k] != nil || !bytes.HasPrefix(text[next:], []byte("</")) {
					return dst, false
				}
				values[k] = text[at:next]
				dst = append(dst, text[kept:at]...)
				kept = next
			}
		}
		if i = next; next == len(text) {
			break
		}
	}
	return append(dst, text[kept:]...), true
}

// ownElement is the number of a start tag's name among others, without its prefix.
func ownElement(tag []byte, names []string) int {
	if n := bytes.IndexAny(tag, " \t\n"); n >= 0 {
		tag = tag[:n]
	}
	tag = tag[bytes.LastIndexByte(tag, ':')+1:]
	for k, n := range names {
		if string(tag) == n {
			return k
		}
	}
	return -1
}
