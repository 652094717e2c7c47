package flagged

import (
	"bytes"
	"net/netip"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// A likeRow is what a row led to, for those that say the same of other prefixes.
type likeRow struct {
	shared layout.Shared
	state  route.State
	prefix netip.Prefix // of the first of them
}

// quick reads a row that says what one above said at the same places, with nothing but rows between.
func (r *reader) quick(line []byte, lo, hi int) bool {
	if !r.seen.Some() || r.comment || r.skipped || r.pairs != nil || r.mayGoOn() {
		return false
	}
	p, number, ok := r.likeness(line)
	if !ok || number.Known && number.Value > r.next {
		return false
	}
	like, ok := r.seen.Known()
	if !ok {
		return false
	}
	if number.Known {
		r.next = number.Value + 1
	}
	r.inKey, r.taken = false, hi
	r.Collector.Read++
	r.AddShared(p, like.shared, like.state, layout.Mark(lo, hi))
	return true
}

// remember keeps what the line led to, where it was a row of its own; what else it was may change how rows are read.
func (r *reader) remember(line []byte) {
	led := r.led
	if r.led = (likeRow{}); led == (likeRow{}) {
		r.seen.Forget()
		return
	}
	if p, _, ok := r.likeness(line); ok && p == led.prefix && r.prefAt < 0 && r.wide == nil && !r.skipped {
		r.seen.Keep(led)
	}
}

// mayGoOn reports whether the next line is one word alone, as a further gateway is.
func (r *reader) mayGoOn() bool {
	next := bytes.TrimLeft(r.behind, "\r\n")
	if i := bytes.IndexByte(next, '\n'); i >= 0 {
		next = next[:i]
	}
	next = bytes.TrimSpace(next)
	return len(next) > 0 && bytes.IndexByte(next, ' ') < 0
}

// likeness makes the key of a line that begins with a number, if any, flags and a prefix: what stands where, but for
// the first and the last of them.
func (r *reader) likeness(line []byte) (p netip.Prefix, number route.Number, ok bool) {
	at, end := layout.Field(line, 0)
	if n, isNumber := layout.Uint(line[at:end]); isNumber {
		number = route.N(n)
		at, end = layout.Field(line, end)
	}
	front := at
	for at < end && bytes.IndexByte(line[at:end], '/') < 0 {
		at, end = layout.Field(line, end)
	}
	if at == end || at > maxPlace || bytes.IndexByte(line, '\t') >= 0 || bytes.IndexByte(line[at:end], '%') >= 0 {
		return p, number, false
	}
	p, err := layout.Prefix(line[at:end], true)
	numbered := byte(0)
	if number.Known {
		numbered = 1
	}
	places := [...]byte{numbered, byte(at), byte(end - at), byte(route.FamilyOf(p.Addr()))}
	r.seen.Key(-1, places[:], bytes.TrimSpace(line[front:at]), line[end:])
	return p, number, err == nil
}

// maxPlace is how far inside a line its prefix may begin.
const maxPlace = 100
