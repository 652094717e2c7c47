package keyed

import (
	"bytes"
	"net/netip"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// A likeRoute is what an object under a prefix led to, for those that say the same of other prefixes.
type likeRoute struct {
	shared layout.Shared
	state  route.State
	inside int // lines of the object
}

// own are the members in which such objects differ.
var own = []string{"metric"}

// key makes the key of the object that was matched last under a prefix; false where either is in no usual form.
func (r *reader) key(prefix []byte) (p netip.Prefix, metric route.Number, ok bool) {
	if metric, ok = layout.Metric(r.shapes.Values()[0]); !ok {
		return p, metric, false
	}
	p, err := layout.Prefix(prefix, false)
	r.seen.Key(-1, []byte(route.FamilyOf(p.Addr()).String()), []byte(r.table), r.shapes.Rest())
	return p, metric, err == nil
}

// passAlike adds the routes of the members that follow as long as each is an object that was met before.
func (r *reader) passAlike() error {
	rest, at := r.dec.Rest(), r.at()
	behind, n := 0, 0
	for r.seen.Some() {
		name, value := layout.NextNamed(rest, behind)
		if value < 0 {
			break
		}
		size := r.shapes.Match(rest[value:])
		if size == 0 || !r.quick(at, rest, name, value, value+size) {
			break
		}
		behind = value + size
		n++
	}
	return r.dec.PassElements(2*n, behind)
}

// quick adds the route of the object that was matched last, if one before said the same. Name is where its member
// begins, value where the object does.
func (r *reader) quick(at int, rest []byte, name, value, end int) bool {
	quoted := bytes.TrimRight(rest[name:value], " :") // where a line ends between them it is no prefix
	p, metric, ok := r.key(quoted[1 : len(quoted)-1])
	if !ok {
		return false
	}
	like, ok := r.seen.Known()
	if !ok {
		return false
	}
	r.AddShared(p, like.shared.With(metric), like.state, layout.Mark(at+name, at+end))
	r.SpanLike(at+name, at+end, like.inside)
	return true
}

// remember keeps what an object led to that stands from lo on, where its name begins, to hi.
func (r *reader) remember(prefix string, lo, hi int) {
	open := bytes.IndexByte(r.text[lo:hi], '{')
	if open < 0 {
		return
	}
	object := r.text[lo+open : hi]
	if r.shapes.Match(object) == 0 {
		r.shapes.Learn(object)
	}
	if r.shapes.Match(object) != len(object) {
		return
	}
	if _, metric, ok := r.key([]byte(prefix)); ok && r.led.shared == r.led.shared.With(metric) {
		r.led.inside = layout.LinesInside(object)
		r.seen.Keep(r.led)
	}
}
