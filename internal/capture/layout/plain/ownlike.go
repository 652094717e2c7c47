package plain

import (
	"bytes"
	"math"
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
	seen layout.Likenesses[ownLike]
	bare []byte
	led  ownLike // what the last route led to
}

// ownMembers are those in which such routes differ, besides the evidence, which nothing is read of.
var ownMembers = []string{"destination-prefix", "metric"}

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

// key makes the key of an object; false where it has its prefix and its metric in no usual form.
func (l *ownLikes) key(object []byte) (p netip.Prefix, metric route.Number, ok bool) {
	var values [2][]byte
	if l.bare, ok = layout.WithoutMembers(l.bare[:0], withoutEvidence(object), ownMembers, values[:]); !ok {
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
	if err != nil || values[0][0] != '"' || p.Addr().IsMulticast() {
		return p, metric, false
	}
	l.seen.Key(-1, []byte(route.FamilyOf(p.Addr()).String()), l.bare)
	return p, metric, true
}

var evidence, bothEnd = []byte(`,"evidence":{`), []byte("}}")

// withoutEvidence cuts off the evidence where it stands last, as it is written, in a valid object. What is left has no
// end, and is only good for being compared.
func withoutEvidence(object []byte) []byte {
	i := bytes.LastIndex(object, evidence)
	if i < 0 {
		return object
	}
	inside, ok := bytes.CutSuffix(object[i+len(evidence):], bothEnd)
	if !ok || bytes.ContainsAny(inside, `{}[]\`) {
		return object
	}
	return object[:i]
}

// quick reads an object that says what one before said.
func (r *ownReader) quick(object []byte, lo, hi int) bool {
	if !r.likes.seen.Some() {
		return false
	}
	p, metric, ok := r.likes.key(object)
	if !ok {
		return false
	}
	like, ok := r.likes.seen.Known()
	if ok {
		r.AddShared(p, like.shared.With(metric), like.state, layout.Mark(lo, hi))
	}
	return ok
}

// remember keeps what an object led to.
func (r *ownReader) remember(object []byte) {
	led := r.likes.led
	if led.shared == (layout.Shared{}) {
		return
	}
	if _, metric, ok := r.likes.key(object); ok && led.shared == led.shared.With(metric) {
		r.likes.seen.Keep(led)
	}
}
