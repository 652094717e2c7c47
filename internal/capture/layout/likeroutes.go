package layout

import (
	"net/netip"

	"zarvek/internal/core/route"
)

// A LikeRoute is what an object of JSON led to, for those that say the same of other prefixes.
type LikeRoute struct {
	Shared Shared
	State  route.State
	inside int // lines of the object
}

// LikeRoutes remembers what objects led to, by their table, their family, their shape, and all their values but those
// in which such objects differ.
type LikeRoutes struct {
	*Shapes
	seen Likenesses[LikeRoute]
}

// NewLikeRoutes returns LikeRoutes of objects that differ in some members, of which the first is the metric.
func NewLikeRoutes(metric string, more ...string) LikeRoutes {
	return LikeRoutes{Shapes: NewShapes(append([]string{metric}, more...)...)}
}

// key makes the key of the object that was matched last; false where its prefix or its metric is in no usual form.
func (l *LikeRoutes) key(table string, prefix []byte) (p netip.Prefix, metric route.Number, ok bool) {
	if metric, ok = Metric(l.Values()[0]); !ok {
		return p, metric, false
	}
	p, err := Prefix(prefix, false)
	l.seen.Key(-1, []byte(route.FamilyOf(p.Addr()).String()), []byte(table), l.Rest())
	return p, metric, err == nil
}

// Add adds the route to a prefix of the object that was matched last, which stands from lo to hi, if one before said
// the same of another prefix.
func (l *LikeRoutes) Add(c *Collector, table string, prefix []byte, lo, hi int) bool {
	p, metric, ok := l.key(table, prefix)
	if !ok {
		return false
	}
	x, ok := l.seen.Known()
	if ok {
		c.AddShared(p, x.Shared.With(metric), x.State, Mark(lo, hi))
		c.SpanLike(lo, hi, x.inside)
	}
	return ok
}

// Remember keeps what an object with a prefix led to.
func (l *LikeRoutes) Remember(object []byte, table string, prefix []byte, x LikeRoute) {
	if l.Match(object) == 0 {
		l.Learn(object)
	}
	if l.Match(object) != len(object) {
		return
	}
	if _, metric, ok := l.key(table, prefix); ok && x.Shared == x.Shared.With(metric) {
		x.inside = LinesInside(object)
		l.seen.Keep(x)
	}
}
