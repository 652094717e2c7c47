// Package layout is the contract between the capture room and the readers below it, and the small tools that every
// reader needs. Each reader knows one family of layouts, lives in a package of its own and is registered in capture.
//
// A reader gets clean text: lines end in LF or CRLF, there are no control characters but tabs. It must account for
// every line that is not blank: read, ignored because it is known to carry nothing, or unread with a reason.
package layout

import (
	"bytes"
	"errors"
	"iter"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A Reader reads one family of layouts.
type Reader struct {
	Name string // as it appears in output: the shape, or the open system that defines it
	// Recognise returns how many of the first lines are certainly of this family; 0 means that it is not.
	Recognise func(text []byte) int
	Read      func(text []byte) Reading
	About     string // what prints it, in one line, for people
	Sample    string // three lines of made-up data that look like it
	// Structured: each value says what it is, so that none can be taken for another, whatever it looks like.
	Structured bool
}

// A Reading is what a reader made of a text. Marks are offsets into the text, in file 1.
type Reading struct {
	Layout string
	Facts  network.Facts
	Read   int // lines that facts rest on
	Passed []Passed
	Unread []Unread
	// HostBits are rows whose prefix says more of its network than its length lets it.
	HostBits []route.Mark
}

// An Unread is a line that is not blank and that the reader could not use; the rest of the text goes on.
type Unread struct {
	Mark   route.Mark
	Reason error
	More   []route.Mark // further objects on its line that were not read
}

// Reasons for which a line is left unread; readers wrap them.
var (
	ErrNoLayout     = errors.New("no layout is known that prints this")
	ErrNotARoute    = errors.New("not in the form of this layout")
	ErrPrefixLength = errors.New("prefix length out of range")
	ErrMaskGap      = errors.New("mask is not contiguous")
	ErrAddress      = errors.New("not an address")
	ErrNumber       = errors.New("not a number in range")
	ErrNoLength     = errors.New("no prefix length, and no heading gives one")
	ErrCut          = errors.New("the capture ends inside this line")
	ErrNoRoute      = errors.New("a continuation without a route before it")
	ErrFamily       = errors.New("a default route that could be of either family")
)

// VoidRow stands in the place of a row that did not pass the gate, whatever it said: a row, and nothing else. No layout
// prints it.
const VoidRow = "¤¤"

// Mark returns the evidence for text[lo:hi].
func Mark(lo, hi int) route.Mark { return route.Mark{File: 1, Off: uint32(lo), End: uint32(hi)} }

// MapMarks replaces every mark of the reading by what f makes of it.
func (r *Reading) MapMarks(f func(route.Mark) route.Mark) {
	for i := range r.Facts.Tables {
		r.Facts.Tables[i].Routes.MapMarks(f)
		t := &r.Facts.Tables[i]
		if t.Filtered.Known() {
			t.Filtered = f(t.Filtered)
		}
		for k := range t.Unread {
			t.Unread[k].Mark = f(t.Unread[k].Mark)
		}
	}
	r.Facts.Each(func(x network.Fact) { *x.Mark = f(*x.Mark) })
	for i := range r.Passed {
		r.Passed[i].Mark = f(r.Passed[i].Mark)
	}
	for i := range r.Unread {
		r.Unread[i].Mark = f(r.Unread[i].Mark)
		for k := range r.Unread[i].More {
			r.Unread[i].More[k] = f(r.Unread[i].More[k])
		}
	}
	for i := range r.HostBits {
		r.HostBits[i] = f(r.HostBits[i])
	}
}

// FactMarks yields the mark of every route and every other fact.
func (r *Reading) FactMarks() iter.Seq[route.Mark] {
	return func(yield func(route.Mark) bool) {
		for i := range r.Facts.Tables {
			l := &r.Facts.Tables[i].Routes
			for k := range l.Len() {
				if !yield(l.At(k).Mark) {
					return
				}
			}
		}
		more := true
		r.Facts.Each(func(f network.Fact) { more = more && yield(*f.Mark) })
	}
}

// Marks yields every mark of the reading.
func (r *Reading) Marks() iter.Seq[route.Mark] {
	return func(yield func(route.Mark) bool) {
		more := true
		r.MapMarks(func(m route.Mark) route.Mark {
			more = more && yield(m)
			return m
		})
	}
}

// Routes returns the number of routes in all tables.
func (r *Reading) Routes() int {
	n := 0
	for i := range r.Facts.Tables {
		n += r.Facts.Tables[i].Routes.Len()
	}
	return n
}

// Lines yields the bounds of every line, without its line end.
func Lines(text []byte) iter.Seq2[int, int] {
	return func(yield func(int, int) bool) {
		for lo := 0; lo < len(text); {
			hi, next := LineAt(text, lo)
			if !yield(lo, hi) {
				return
			}
			lo = next
		}
	}
}

// LineAt is where the line ends that begins at lo, and where the next one begins.
func LineAt(text []byte, lo int) (hi, next int) {
	next = len(text)
	if i := bytes.IndexByte(text[lo:], '\n'); i >= 0 {
		next = lo + i + 1
	}
	for hi = next; hi > lo && (text[hi-1] == '\n' || text[hi-1] == '\r'); hi-- {
	}
	return hi, next
}

// Blank reports whether a text holds nothing but white space.
func Blank(text []byte) bool {
	for _, c := range text {
		switch {
		case c > ' ' && c < 0x80:
			return false
		case c != ' ' && c != '\t':
			return len(bytes.TrimSpace(text)) == 0
		}
	}
	return true
}

// NonBlank counts the lines that are not blank.
func NonBlank(text []byte) int {
	n := 0
	for lo, hi := range Lines(text) {
		if !Blank(text[lo:hi]) {
			n++
		}
	}
	return n
}
