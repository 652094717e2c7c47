package layout

import (
	"cmp"
	"fmt"
	"slices"
)

// A Span is one object of a text whose objects do not keep to lines, and what became of it.
type Span struct {
	Lo, Hi int
	Err    error // nil: read
}

// Span notes an object. Objects that were read and stand next to each other become one span: a table may have a
// million of them.
func (c *Collector) Span(lo, hi int, err error) {
	if n := len(c.Spans); n > 0 && err == nil && c.Spans[n-1].Err == nil && lo >= c.Spans[n-1].Hi &&
		lo-c.Spans[n-1].Hi <= 4 {
		c.Spans[n-1].Hi = hi
		return
	}
	c.Spans = append(c.Spans, Span{lo, hi, err})
}

// Sort puts the spans in the order of the text, for readers that visit objects in another one.
func (c *Collector) Sort() {
	slices.SortStableFunc(c.Spans, func(a, b Span) int { return cmp.Compare(a.Lo, b.Lo) })
}

// Account counts each line once: unread where any object on it is, read where one was read, ignored where there is
// only punctuation.
func (c *Collector) Account(text []byte) {
	next := 0
	for lo, hi := range Lines(text) {
		if Blank(text[lo:hi]) {
			continue
		}
		for next < len(c.Spans) && c.Spans[next].Hi <= lo {
			next++
		}
		if c.insideRead(next, lo, hi) {
			c.Read++
			continue
		}
		read, bad, more := false, Span{}, 0
		for i := next; i < len(c.Spans) && c.Spans[i].Lo < hi; i++ {
			s := c.Spans[i]
			switch {
			case s.Hi <= lo: // inside a longer one that goes on
			case s.Err == nil:
				read = true
			case bad.Err == nil:
				bad = s
			default:
				more++
			}
		}
		switch {
		case bad.Err != nil:
			err := bad.Err
			if more > 0 {
				err = fmt.Errorf("%w (and %d more objects on this line)", err, more)
			}
			c.LeaveUnread(max(lo, bad.Lo), min(hi, bad.Hi), err)
		case read:
			c.Read++
		default:
			c.Pass(lo, hi, Other)
		}
	}
}

// insideRead reports whether a line lies within a span that was read, and no other one touches it.
func (c *Collector) insideRead(at, lo, hi int) bool {
	if at >= len(c.Spans) {
		return false
	}
	s := c.Spans[at]
	return s.Err == nil && s.Lo <= lo && s.Hi >= hi && (at+1 == len(c.Spans) || c.Spans[at+1].Lo >= hi)
}
