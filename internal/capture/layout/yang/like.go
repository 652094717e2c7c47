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
	values [len(ownNames)][]byte // of the text; nil where the route has no such child
}

// ownNames are the children in which such routes differ. Of the last one nothing is read.
var ownNames = [...]string{"destination-prefix", "metric", "last-updated"}

const routeName = "route"

// likes knows routes by their text without these.
type likes struct {
	seen   layout.Likenesses[*node]
	shapes *layout.Shapes // of JSON
	bare   []byte         // of XML
	values [len(ownNames)][]byte
	spare  []ownNode
}

// element makes the key of a route's text in XML; false where its own children are in no usual form.
func (l *likes) element(text []byte) bool {
	var ok bool
	l.bare, ok = withoutElements(l.bare[:0], text, ownNames[:], l.values[:])
	l.seen.Key(-1, l.bare)
	return ok && l.simple()
}

// object makes the key of the route that a text in JSON begins with, and returns where it ends, 0 where it or its own
// members are in no usual form.
func (l *likes) object(text []byte) (end int) {
	if end = l.shapes.Match(text); end == 0 {
		return 0
	}
	copy(l.values[:], l.shapes.Values())
	if !l.simple() {
		return 0
	}
	l.seen.Key(-1, l.shapes.Rest())
	return end
}

func (l *likes) simple() bool {
	for _, v := range l.values {
		if !simple(v) {
			return false
		}
	}
	return true
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
	if len(l.spare) == 0 {
		l.spare = make([]ownNode, manyNodes)
	}
	n := &l.spare[0]
	l.spare = l.spare[1:]
	n.own = own{like, l.values}
	n.node = node{name: routeName, lo: lo, hi: hi, own: &n.own}
	return &n.node, true
}

// manyNodes is how many are made at once.
const manyNodes = 64

// ownNode is a route with what is its own.
type ownNode struct {
	node node
	own  own
}

// bytes is the text of a child, nil where there is none.
func (n *node) bytes(name string) []byte {
	if n.own != nil {
		for i, own := range ownNames {
			if own == name {
				return n.own.values[i]
			}
		}
	}
	if c := n.child(name); c != nil {
		return []byte(c.text)
	}
	return nil
}

// keepElement remembers a route that was parsed of XML.
func (l *likes) keepElement(n *node, text []byte) {
	if l.element(text[n.lo:n.hi]) {
		l.keep(n)
	}
}

// keepObject remembers a route that was parsed of JSON.
func (l *likes) keepObject(n *node, text []byte) {
	text = text[n.lo:n.hi]
	if l.shapes.Match(text) == 0 {
		l.shapes.Learn(text)
	}
	if l.object(text) == len(text) {
		l.keep(n)
	}
}

// keep remembers a route under the last key, where its children were parsed to what stands there.
func (l *likes) keep(n *node) {
	for i, v := range l.values {
		if n.value(ownNames[i]) != string(v) {
			return
		}
	}
	l.seen.Keep(n)
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

// withoutElements appends an XML element to dst, but for the values of those of its children that are named, and
// returns these as they stand.
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
