package yang

import (
	"iter"
	"math"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
)

// Nearly all routes of a large table differ in their prefix and their metric alone. Those share the children of the
// first one, so that neither their text is parsed nor a tree is made of it.

// kept is a route that others may be like.
type kept struct {
	like   *node
	inside int // its lines but for the first and the last
}

// own is what a route has in place of what the one that it is like has there.
type own struct {
	*kept
	values [len(ownNames)][]byte // of the text; nil where the route has no such child
}

// ownNames are the children in which such routes differ: of a table's, and of an entry of a forwarding table. Of the
// time nothing is read.
var ownNames = [...]string{"destination-prefix", "metric", "last-updated", "prefix", "state/prefix"}

// The last two of them.
const (
	ofEntry = 3
	ofState = 4
)

// mayBeAlike are what tables have many of.
var mayBeAlike = layout.WordSet("route ipv4-entry ipv6-entry")

// likes knows routes by their text without these.
type likes struct {
	seen   layout.Likenesses[*kept]
	shapes *layout.Shapes
	values [len(ownNames)][]byte
}

func newLikes() likes { return likes{shapes: layout.NewShapes(ownNames[:]...)} }

// route makes the key of the route that a text begins with, and returns where it ends, 0 where it or its own members
// are in no usual form.
func (l *likes) route(text []byte) (end int) {
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

// simple reports whether a value means what it says: nothing in it is a sign of JSON or XML, and no blanks are around
// it.
func simple(v []byte) bool {
	if len(v) > 0 && (v[0] == ' ' || v[len(v)-1] == ' ') {
		return false
	}
	for _, c := range v {
		if c < ' ' || c >= 0x7f || c == '\\' || c == '&' || c == '<' || c == ']' {
			return false
		}
	}
	return true
}

// alikes are the routes below a node that are like others. A large table has hardly any other, so that they are kept
// without a tree.
type alikes struct {
	name string
	text []byte // of the document
	list []alike
}

// alike is one of them: 40 bytes.
type alike struct {
	*kept
	lo, hi uint32
	after  uint32                                   // how many children of the node stand above it
	values [len(ownNames)]struct{ at, size uint16 } // in the route; at is 0 where it has no such child
}

// takes adds the route from lo to hi, which the last key is of, to those below a node; false where none like it is
// known.
func (l *likes) takes(parent *node, name string, text []byte, lo, hi int) bool {
	like, ok := l.seen.Known()
	if !ok || hi-lo > math.MaxUint16 {
		return false
	}
	if parent.alikes == nil {
		parent.alikes = &alikes{name: name, text: text}
	}
	if parent.alikes.name != name {
		return false
	}
	x := alike{kept: like, lo: uint32(lo), hi: uint32(hi), after: uint32(len(parent.children))}
	for i, v := range l.values {
		if v != nil { // a part of text: their capacities tell where it begins
			x.values[i].at, x.values[i].size = uint16(cap(text)-cap(v)-lo), uint16(len(v))
		}
	}
	list := &parent.alikes.list
	if len(*list) == cap(*list) {
		*list = slices.Grow(*list, len(*list)+1)
	}
	*list = append(*list, x)
	return true
}

// each yields the whole children of a name in their order. One that is like another holds until the next.
func (n *node) each(name string) iter.Seq[*node] {
	return func(yield func(*node) bool) {
		if n == nil {
			return
		}
		var rest []alike
		var x struct {
			node node
			own  own
		}
		if n.alikes != nil && n.alikes.name == name {
			rest = n.alikes.list
		}
		for i := 0; i <= len(n.children); i++ {
			for ; len(rest) > 0 && int(rest[0].after) == i; rest = rest[1:] {
				a := &rest[0]
				x.own.kept = a.kept
				for k, v := range a.values {
					if x.own.values[k] = nil; v.at > 0 {
						x.own.values[k] = n.alikes.text[int(a.lo)+int(v.at):][:v.size]
					}
				}
				x.node = node{name: name, lo: int(a.lo), hi: int(a.hi), own: &x.own}
				if !yield(&x.node) {
					return
				}
			}
			if i < len(n.children) && n.children[i].name == name && n.children[i].hi > 0 && !yield(n.children[i]) {
				return
			}
		}
	}
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
func (l *likes) keepElement(n *node, text []byte) { l.keepRoute(n, text, l.shapes.LearnElement) }

// keepObject remembers a route that was parsed of JSON.
func (l *likes) keepObject(n *node, text []byte) { l.keepRoute(n, text, l.shapes.Learn) }

func (l *likes) keepRoute(n *node, text []byte, learn func([]byte)) {
	text = text[n.lo:n.hi]
	if l.shapes.Match(text) == 0 {
		learn(text)
	}
	if l.route(text) == len(text) {
		l.keep(n, text)
	}
}

// keep remembers a route under the last key, where its children were parsed to what stands there.
func (l *likes) keep(n *node, text []byte) {
	for i, v := range l.values {
		if n.value(strings.Split(ownNames[i], "/")...) != string(v) {
			return
		}
	}
	l.seen.Keep(&kept{n, layout.LinesInside(text)})
}
