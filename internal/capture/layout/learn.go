package layout

import (
	"bytes"
	"slices"
)

// Learn keeps the shape of a valid object. One that has a named member twice, or with a value that is no plain string
// or number, has none.
func (s *Shapes) Learn(object []byte) { s.learn(object, (*learner).parts) }

// LearnElement is Learn for a valid element of XML, whose children are its members. One with comments or the like, or
// with a named child that has children, has no shape.
func (s *Shapes) LearnElement(object []byte) { s.learn(object, (*learner).elements) }

func (s *Shapes) learn(object []byte, parts func(*learner) bool) {
	if len(s.known) >= mostShapes {
		return
	}
	l := learner{object: object, names: s.names, own: -1, met: make([]bool, len(s.names))}
	l.shape.number = byte(len(s.known))
	if parts(&l) {
		l.shape.pieces = append(l.shape.pieces, bytes.Clone(object[l.from:]))
		s.known = append(s.known, &l.shape)
	}
}

// learner parts an object at its values.
type learner struct {
	object []byte
	names  []string
	shape  shape
	from   int // where the present piece begins
	depth  int
	member []byte // of the object, the present one
	own    int    // the named member whose value comes next; -1: none
	met    []bool // the named members with a value
}

// parts goes through the object; false where it has no shape.
func (l *learner) parts() bool {
	for i := 0; i < len(l.object); {
		ok := true
		switch c := l.object[i]; {
		case c == '{' || c == '[':
			l.depth++
			ok, i = l.own < 0, i+1
		case c == '}' || c == ']':
			l.depth--
			i++
		case c == '"':
			i, ok = l.text(i)
		case c >= '0' && c <= '9':
			i, ok = l.number(i)
		default: // of the words true, false and null, a sign or a blank
			ok, i = l.own < 0 || bytes.IndexByte([]byte("tfn-"), c) < 0, i+1
		}
		if !ok {
			return false
		}
	}
	return true
}

// elements goes through an element; false where it has no shape.
func (l *learner) elements() bool {
	for i := 0; i < len(l.object); {
		end := bytes.IndexByte(l.object[i:], '>')
		if l.object[i] != '<' || end < 2 {
			return false
		}
		tag, at := l.object[i+1:i+end], i+end+1
		next := len(l.object)
		if n := bytes.IndexByte(l.object[at:], '<'); n >= 0 {
			next = at + n
		}
		l.own = -1
		switch {
		case tag[0] == '!' || tag[0] == '?':
			return false
		case tag[0] == '/':
			l.depth--
		case tag[len(tag)-1] == '/':
		default:
			if !l.name(tagName(tag), l.depth) {
				return false
			}
			l.depth++
		}
		if l.own >= 0 && !bytes.HasPrefix(l.object[next:], []byte("</")) {
			return false
		}
		if l.own >= 0 || !Blank(l.object[at:next]) {
			l.slot(at, next, element)
		}
		i = next
	}
	return l.depth == 0
}

// tagName is the name in a start tag.
func tagName(tag []byte) []byte {
	for i, c := range tag {
		if c == ' ' || c == '\t' || c == '\n' || c == '\r' {
			return tag[:i]
		}
	}
	return tag
}

// text takes a string: the name of a member or a value.
func (l *learner) text(i int) (end int, ok bool) {
	end, plain := stringEnd(l.object, i)
	if at := after(l.object, end, ':'); at >= 0 {
		return at, l.name(l.object[i+1:end-1], l.depth)
	}
	if plain {
		l.slot(i+1, end-1, quoted)
	} else if l.own >= 0 {
		return end, false
	}
	return end, true
}

// name takes the name of a member, or of a child, which is so deep in the object; false where it is one of those named,
// and was there before. Names are told apart without a module's prefix.
func (l *learner) name(name []byte, depth int) bool {
	l.own = -1
	switch depth {
	case 1:
		l.member = name
		l.own = slices.Index(l.names, string(name[bytes.LastIndexByte(name, ':')+1:]))
	case 2:
		l.own = slices.Index(l.names, string(l.member)+"/"+string(name))
	}
	return l.own < 0 || !l.met[l.own]
}

// number takes a number, which is a value if it is of digits alone.
func (l *learner) number(i int) (end int, ok bool) {
	const more = "0123456789.eE+-"
	for end = i; bytes.IndexByte([]byte(more), l.object[end]) >= 0; end++ {
	}
	if l.object[i-1] != '-' && valueEnds(l.object, i, number) == end {
		l.slot(i, end, number)
		return end, true
	}
	return end, l.own < 0
}

// slot ends a piece at a value.
func (l *learner) slot(lo, hi int, kind slotKind) {
	x := &l.shape
	x.pieces, x.slots = append(x.pieces, bytes.Clone(l.object[l.from:lo])), append(x.slots, slot{kind, l.own})
	if l.own >= 0 {
		l.met[l.own] = true
	}
	l.from, l.own = hi, -1
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
