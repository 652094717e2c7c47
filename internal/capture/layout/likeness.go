package layout

import (
	"math"

	"zarvek/internal/core/route"
)

// A large table repeats itself: its routes differ in their prefix and their metric, and all else that a row says is one
// of a few texts. So what a row led to is known when another one says the same, to the byte.

// Likenesses remembers what rows led to. The zero value remembers nothing yet.
type Likenesses[T any] struct {
	known map[string]T
	key   []byte
}

// Bounds of the memory for them.
const (
	mostLikenesses = 1 << 16
	longestKey     = 1000
)

// Key makes what follows ask for, or keep, a row that says all of the parts, with any metric of 32 bits in place of the
// digits that stand in the last of them from at on, -1 for none. It returns that metric, not known where there is none:
// a row is not to be kept where it was read as having another one.
func (l *Likenesses[T]) Key(at int, parts ...[]byte) (metric route.Number) {
	l.key = l.key[:0]
	n := len(parts) - 1
	for _, p := range parts[:n] {
		l.key = append(append(l.key, p...), 0)
	}
	last := parts[n]
	end, v := at, uint64(0)
	for at >= 0 && end < len(last) && last[end] >= '0' && last[end] <= '9' {
		v = v*10 + uint64(last[end]-'0')
		end++
	}
	if end == at || at < 0 || end-at > 10 || v > math.MaxUint32 || last[at] == '0' && end > at+1 {
		l.key = append(append(l.key, 'n'), last...)
		return route.Number{}
	}
	l.key = append(append(append(append(l.key, 'm'), last[:at]...), 0), last[end:]...)
	return route.N(v)
}

// Known returns what the row of the last Key led to.
func (l *Likenesses[T]) Known() (T, bool) {
	x, ok := l.known[string(l.key)]
	return x, ok
}

// Keep remembers what the row of the last Key led to.
func (l *Likenesses[T]) Keep(x T) {
	if len(l.known) >= mostLikenesses || len(l.key) > longestKey {
		return
	}
	if l.known == nil {
		l.known = map[string]T{}
	}
	l.known[string(l.key)] = x
}

// Some reports whether anything is remembered.
func (l *Likenesses[T]) Some() bool { return len(l.known) > 0 }

// Forget drops all that is remembered: what rows say has another meaning now.
func (l *Likenesses[T]) Forget() { l.known = nil }

// Metric reads what stands in the place of a metric: none is not known, and one of more than 32 bits is no usual one.
func Metric(value []byte) (metric route.Number, usual bool) {
	if value == nil {
		return route.Number{}, true
	}
	v, ok := Uint(value)
	return route.N(v), ok && v <= math.MaxUint32
}
