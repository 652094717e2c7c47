package frr

import (
	"bytes"
	"math"
	"net/netip"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// A likeRoute is what an object led to, for those that say the same of other prefixes.
type likeRoute struct {
	shared layout.Shared
	state  route.State
}

// own are the members in which such objects differ: of the last two nothing is read.
var own = []string{"prefix", "metric", "prefixLen", "uptime"}

// like makes the key of an object; false where it has its prefix and its metric in no usual form.
func (r *jsonReader) like(object []byte, table string) (p netip.Prefix, metric route.Number, ok bool) {
	var values [4][]byte
	if r.bare, ok = layout.WithoutMembers(r.bare[:0], object, own, values[:]); !ok {
		return p, metric, false
	}
	if n := values[1]; n != nil {
		v, isNumber := layout.Uint(n)
		if !isNumber || v > math.MaxUint32 {
			return p, metric, false
		}
		metric = route.N(v)
	}
	p, err := layout.Prefix(bytes.Trim(values[0], `"`), false)
	r.seen.Key(-1, []byte(route.FamilyOf(p.Addr()).String()), []byte(table), r.bare)
	return p, metric, err == nil && values[0][0] == '"'
}

// quick reads an object that says what one before said.
func (r *jsonReader) quick(object []byte, lo, hi int, table string) bool {
	if !r.seen.Some() {
		return false
	}
	p, metric, ok := r.like(object, table)
	if !ok {
		return false
	}
	s, ok := r.seen.Known()
	if ok {
		r.AddShared(p, s.shared.With(metric), s.state, layout.Mark(lo, hi))
	}
	return ok
}

// remember keeps what an object led to.
func (r *jsonReader) remember(object []byte, table string, led likeRoute) {
	if _, metric, ok := r.like(object, table); ok && led.shared == led.shared.With(metric) {
		r.seen.Keep(led)
	}
}
