package frr

import (
	"net/netip"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// A likeRoute is what an object led to, for those that say the same of other prefixes.
type likeRoute struct {
	shared layout.Shared
	state  route.State
	inside int // lines of the object
}

// own are the members in which such objects differ: of the last two nothing is read.
var own = []string{"prefix", "metric", "prefixLen", "uptime"}

// key makes the key of the object that was matched last; false where it has its prefix and its metric in no usual form.
func (r *jsonReader) key(table string) (p netip.Prefix, metric route.Number, ok bool) {
	values := r.shapes.Values()
	if metric, ok = layout.Metric(values[1]); !ok {
		return p, metric, false
	}
	p, err := layout.Prefix(values[0], false)
	r.seen.Key(-1, []byte(route.FamilyOf(p.Addr()).String()), []byte(table), r.shapes.Rest())
	return p, metric, err == nil
}

// quick adds the route of the object that was matched last, if one before said the same.
func (r *jsonReader) quick(lo, hi int, table string) bool {
	p, metric, ok := r.key(table)
	if !ok {
		return false
	}
	s, ok := r.seen.Known()
	if ok {
		r.AddShared(p, s.shared.With(metric), s.state, layout.Mark(lo, hi))
		r.SpanLike(lo, hi, s.inside)
	}
	return ok
}

// passAlike reads the members that follow as long as each is a list of one object that was met before.
func (r *jsonReader) passAlike(table string) error {
	rest, at := r.dec.Rest(), r.at()
	behind, n := 0, 0
	for {
		lo := layout.OnlyElement(rest, layout.NextMember(rest, behind))
		if lo < 0 {
			break
		}
		size := r.shapes.Match(rest[lo:])
		if size == 0 {
			break
		}
		end := layout.EndsArray(rest, lo+size)
		if end < 0 || !r.quick(at+lo, at+lo+size, table) {
			break
		}
		behind = end
		n++
	}
	return r.dec.PassElements(2*n, behind)
}

// remember keeps what an object led to.
func (r *jsonReader) remember(object []byte, table string, led likeRoute) {
	if r.shapes.Match(object) == 0 {
		r.shapes.Learn(object)
	}
	if r.shapes.Match(object) != len(object) {
		return
	}
	if _, metric, ok := r.key(table); ok && led.shared == led.shared.With(metric) {
		led.inside = layout.LinesInside(object)
		r.seen.Keep(led)
	}
}
