package plain

import (
	"net/netip"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// ownLike is what a route of our own form led to, for those that say the same of other prefixes.
type ownLike struct {
	shared layout.Shared // the zero Shared: it is read by itself
	state  route.State
}

type ownLikes struct {
	seen   layout.Likenesses[ownLike]
	shapes *layout.Shapes
	led    ownLike // what the last route led to
}

// ownMembers are those in which such routes differ: of the evidence nothing is read.
var ownMembers = []string{"destination-prefix", "metric", "evidence/file", "evidence/line"}

// mayRepeat reports whether other routes with these attributes lead to the same: none that depends on its prefix.
func mayRepeat(a *layout.Attributes) bool {
	if a.Protocol == route.Direct || a.Protocol == route.Local || a.Special != route.None || len(a.NextHops) == 0 {
		return false
	}
	for i := range a.NextHops {
		if !a.NextHops[i].Address.IsValid() {
			return false
		}
	}
	return true
}

// key makes the key of the object that was matched last; false where it has its prefix and its metric in no usual form.
func (l *ownLikes) key() (p netip.Prefix, metric route.Number, ok bool) {
	values := l.shapes.Values()
	if metric, ok = layout.Metric(values[1]); !ok {
		return p, metric, false
	}
	p, err := layout.Prefix(values[0], false)
	l.seen.Key(-1, []byte(route.FamilyOf(p.Addr()).String()), l.shapes.Rest())
	return p, metric, err == nil && !p.Addr().IsMulticast()
}

// passAlike reads the routes that follow as long as one before said the same of another prefix.
func (r *ownReader) passAlike() error {
	rest, at := r.dec.Rest(), int(r.dec.InputOffset())
	behind, n := 0, 0
	for r.likes.seen.Some() {
		lo := layout.NextElement(rest, behind)
		if lo < 0 {
			break
		}
		size := r.likes.shapes.Match(rest[lo:])
		if size == 0 {
			break
		}
		p, metric, ok := r.likes.key()
		if !ok {
			break
		}
		like, ok := r.likes.seen.Known()
		if !ok {
			break
		}
		behind = lo + size
		r.AddShared(p, like.shared.With(metric), like.state, layout.Mark(at+lo, at+behind))
		r.Span(at+lo, at+behind, nil)
		n++
	}
	return r.dec.PassElements(n, behind)
}

// remember keeps what an object led to.
func (r *ownReader) remember(object []byte) {
	led := r.likes.led
	if led.shared == (layout.Shared{}) {
		return
	}
	if r.likes.shapes.Match(object) == 0 {
		r.likes.shapes.Learn(object)
	}
	if r.likes.shapes.Match(object) != len(object) {
		return
	}
	if _, metric, ok := r.likes.key(); ok && led.shared == led.shared.With(metric) {
		r.likes.seen.Keep(led)
	}
}
