package iproute

import (
	"bytes"
	"net/netip"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// dst is the name that a route's object begins with.
const dst = `"dst":`

// parts returns the prefix of an object that begins as a route does, what stands behind it, and where the object ends.
func (r *reader) parts(at int) (prefix, rest []byte, end int, ok bool) {
	lo := r.skip(at + 1)
	if r.text[at] != '{' || !bytes.HasPrefix(r.text[lo:], []byte(dst)) {
		return nil, nil, 0, false
	}
	lo = r.skip(lo + len(dst))
	if lo == len(r.text) || r.text[lo] != '"' {
		return nil, nil, 0, false
	}
	lo++
	i := bytes.IndexByte(r.text[lo:min(len(r.text), lo+64)], '"')
	if i < 0 {
		return nil, nil, 0, false
	}
	hi := lo + i
	j := bytes.IndexByte(r.text[hi:min(len(r.text), hi+1000)], '}')
	if j < 0 || bytes.IndexByte(r.text[hi:hi+j], '{') >= 0 {
		return nil, nil, 0, false
	}
	return r.text[lo:hi], r.text[hi : hi+j+1], hi + j + 1, true
}

// quick reads a route whose like was seen. A text that was read once by package json is known the next time.
func (r *reader) quick(at int) (end int, ok bool) {
	if !r.seen.Some() {
		return 0, false
	}
	prefix, rest, end, ok := r.parts(at)
	if !ok {
		return 0, false
	}
	p, err := layout.Prefix(prefix, true)
	if err != nil || !r.quickly(p, rest, metricName, at, end) {
		return 0, false
	}
	r.Span(at, end, nil)
	return end, true
}

// quickly adds a route of which all that stands behind its prefix was seen.
func (r *reader) quickly(p netip.Prefix, rest []byte, sign string, lo, hi int) bool {
	if p.Addr().Is4() && len(r.ones) < mostOnes { // each of these shows whether another printing begins
		return false
	}
	metric := r.key(p, rest, sign)
	s, ok := r.seen.Known()
	if !ok {
		return false
	}
	r.family = route.FamilyOf(p.Addr())
	if len(r.waiting) > 0 {
		r.settleWaiting()
	}
	r.AddShared(p, s.With(metric), 0, layout.Mark(lo, hi))
	return true
}

// remember keeps what stood behind the prefix of a plain route.
func (r *reader) remember(o *object) {
	prefix, rest, end, ok := r.parts(o.lo)
	p, err := layout.Prefix(prefix, true)
	if ok && err == nil && end == o.hi && string(prefix) == string(o.Dst) {
		r.keepLike(p, rest, metricName)
	}
}

// keepLike keeps it for the route that was read last.
func (r *reader) keepLike(p netip.Prefix, rest []byte, sign string) {
	if metric := r.key(p, rest, sign); r.shared == r.shared.With(metric) {
		r.seen.Keep(r.shared)
	}
}

// metricName is the name of a metric.
const metricName = `"metric":`

// key makes the key of a row of p's family; the metric stands behind the sign, perhaps after a blank.
func (r *reader) key(p netip.Prefix, rest []byte, sign string) route.Number {
	at := bytes.Index(rest, []byte(sign))
	if at >= 0 {
		if at += len(sign); bytes.Contains(rest[at:], []byte(sign)) {
			at = -1
		} else if at < len(rest) && rest[at] == ' ' {
			at++
		}
	}
	return r.seen.Key(at, []byte(route.FamilyOf(p.Addr()).String()), rest)
}
