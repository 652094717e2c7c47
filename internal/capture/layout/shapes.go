package layout

import "bytes"

// Objects of one list are mostly written alike to the last blank: they differ in their values alone. What stands
// between the values is compared at once then, and shows that the object is valid where one was.

// Shapes knows objects of JSON by what stands between their values: numbers, and strings without signs of escape; or
// elements of XML by what stands between their texts.
type Shapes struct {
	names  []string // of members that are told apart
	known  []*shape // the one that was met last first
	values [][]byte
	rest   []byte
}

// A shape is what stands before, between and behind the values of an object.
type shape struct {
	number byte
	pieces [][]byte
	slots  []slot // between two pieces each
}

type slot struct {
	kind slotKind
	own  int // which of the names; -1: none
}

// slotKind is what stands in a slot, and so where it ends.
type slotKind uint8

const (
	number  slotKind = iota
	quoted           // a string, without its quotes
	element          // the text of an element
)

// mostShapes bounds how many shapes are tried.
const mostShapes = 32

// NewShapes returns Shapes that tell members of some names apart: without a module's prefix (RFC 7951 section 4), and
// of an object in a member as MEMBER/NAME.
func NewShapes(names ...string) *Shapes {
	return &Shapes{names: names, values: make([][]byte, len(names))}
}

// Match reads the object that a text begins with, if it has a shape that was learned. It returns where the object ends,
// 0 if it has none.
func (s *Shapes) Match(text []byte) (end int) {
	for i, x := range s.known {
		if end = s.fits(x, text); end > 0 {
			copy(s.known[1:i+1], s.known[:i])
			s.known[0] = x
			return end
		}
	}
	return 0
}

// Values are those of the named members in the last object, as they stand; nil where it has none.
func (s *Shapes) Values() [][]byte { return s.values }

// Rest tells the last object's shape and all its other values: it is the same for objects that differ in the named
// members alone.
func (s *Shapes) Rest() []byte { return s.rest }

func (s *Shapes) fits(x *shape, text []byte) (end int) {
	clear(s.values)
	s.rest = append(s.rest[:0], x.number)
	for i, piece := range x.pieces {
		if !bytes.HasPrefix(text[end:], piece) {
			return 0
		}
		end += len(piece)
		if i == len(x.slots) {
			break
		}
		from := end
		if end = valueEnds(text, end, x.slots[i].kind); end < 0 {
			return 0
		}
		if own := x.slots[i].own; own >= 0 {
			s.values[own] = text[from:end]
		} else {
			s.rest = append(append(s.rest, text[from:end]...), 0)
		}
	}
	return end
}

// valueEnds is where the inside of a string, the text of an element, or a number of digits, ends that begins at i; -1
// where it is none or not plain.
func valueEnds(text []byte, i int, kind slotKind) int {
	from := i
	switch kind {
	case quoted:
		for ; i < len(text) && text[i] != '"'; i++ {
			if text[i] == '\\' || text[i] < ' ' {
				return -1
			}
		}
		return i
	case element:
		for ; i < len(text) && text[i] != '<'; i++ {
			if i-from == longestText || text[i] < ' ' && text[i] != '\n' && text[i] != '\t' {
				return -1
			}
		}
		return i
	}
	for i < len(text) && text[i] >= '0' && text[i] <= '9' {
		i++
	}
	if i == from || text[from] == '0' && i > from+1 {
		return -1 // JSON has no zeros in front
	}
	return i
}

// longestText bounds the texts of elements.
const longestText = 1 << 10
