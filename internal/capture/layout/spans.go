package layout

import (
	"bytes"
	"cmp"
	"fmt"
	"slices"

	"zarvek/internal/core/route"
)

// A Span is one object of a text whose objects do not keep to lines, and what became of it.
type Span struct {
	Lo, Hi int
	Err    error // nil: read
	inside int   // of one that was read: how many lines lie within it, where that was counted; else 0
}

// Span notes an object. Objects that were read and stand next to each other become one span: a table may have a
// million of them.
func (c *Collector) Span(lo, hi int, err error) {
	if n := len(c.Spans); n > 0 && err == nil && c.Spans[n-1].Err == nil && lo >= c.Spans[n-1].Hi &&
		lo-c.Spans[n-1].Hi <= 4 {
		c.Spans[n-1].Hi, c.Spans[n-1].inside = hi, 0
		return
	}
	c.Spans = append(doubled(c.Spans), Span{Lo: lo, Hi: hi, Err: err})
}

// SpanLike is Span of an object that was read, of which LinesInside is known.
func (c *Collector) SpanLike(lo, hi, inside int) {
	n := len(c.Spans)
	if c.Span(lo, hi, nil); len(c.Spans) > n {
		c.Spans[n].inside = inside
	}
}

// LinesInside counts the lines between the first and the last one of an object that are not blank.
func LinesInside(object []byte) int {
	first, last := bytes.IndexByte(object, '\n'), bytes.LastIndexByte(object, '\n')
	if first == last {
		return 0
	}
	return NonBlank(object[first+1 : last+1])
}

// doubled returns a list with room for one more, which grows in few steps: it may become as long as a large table.
func doubled[T any](s []T) []T {
	if len(s) == cap(s) {
		return slices.Grow(s, len(s)+1)
	}
	return s
}

// Sort puts the spans in the order of the text, for readers that visit objects in another one.
func (c *Collector) Sort() {
	slices.SortStableFunc(c.Spans, func(a, b Span) int { return cmp.Compare(a.Lo, b.Lo) })
}

// Account counts each line once: unread where any object on it is, read where one was read, ignored where there is
// only punctuation.
func (c *Collector) Account(text []byte) {
	at := 0 // the first span that is not above the line
	for lo := 0; lo < len(text); {
		hi, next := LineAt(text, lo)
		for at < len(c.Spans) && c.Spans[at].Hi <= lo {
			at++
		}
		if !Blank(text[lo:hi]) {
			c.accountLine(at, lo, hi)
		}
		if s := c.counted(at, lo, hi); s != nil {
			if last := 1 + bytes.LastIndexByte(text[:s.Hi], '\n'); last > next {
				c.Read += s.inside
				next = last
			}
		}
		lo = next
	}
}

// counted returns the span that begins on a line, if the lines inside are counted.
func (c *Collector) counted(at, lo, hi int) *Span {
	if at >= len(c.Spans) {
		return nil
	}
	s := &c.Spans[at]
	if s.inside == 0 || s.Lo < lo || s.Lo >= hi || s.Hi <= hi {
		return nil
	}
	return s
}

// accountLine counts one line, of which at is the first span that may touch it.
func (c *Collector) accountLine(at, lo, hi int) {
	if c.insideRead(at, lo, hi) {
		c.Read++
		return
	}
	read, bad := false, Span{}
	var more []route.Mark
	for i := at; i < len(c.Spans) && c.Spans[i].Lo < hi; i++ {
		s := c.Spans[i]
		switch {
		case s.Hi <= lo: // inside a longer one that goes on
		case s.Err == nil:
			read = true
		case bad.Err == nil:
			bad = s
		default:
			more = append(more, Mark(max(lo, s.Lo), min(hi, s.Hi)))
		}
	}
	switch {
	case bad.Err != nil:
		err := bad.Err
		if len(more) > 0 {
			err = fmt.Errorf("%w (and %d more objects on this line)", err, len(more))
		}
		c.LeaveUnread(max(lo, bad.Lo), min(hi, bad.Hi), err)
		c.Unread[len(c.Unread)-1].More = more
	case read:
		c.Read++
	default:
		c.Pass(lo, hi, Other)
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
