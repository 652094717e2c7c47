package iproute

import (
	"bytes"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// A large table repeats itself: routes differ in their prefix, and all that stands behind it in the object is one of a
// few texts. So a text that was read once by package json is known the next time it stands there, to the byte.

// begin is how iproute begins a route's object.
const begin = `{"dst":"`

// maxSeen bounds the memory for what is remembered.
const maxSeen = 1 << 14

// parts returns the prefix of an object that begins as a route does, what stands behind it, and where the object ends.
func (r *reader) parts(at int) (prefix, rest []byte, end int, ok bool) {
	if !bytes.HasPrefix(r.text[at:], []byte(begin)) {
		return nil, nil, 0, false
	}
	lo := at + len(begin)
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

// quick reads a route whose like was seen.
func (r *reader) quick(at int) (end int, ok bool) {
	if len(r.seen) == 0 {
		return 0, false
	}
	prefix, rest, end, ok := r.parts(at)
	if !ok {
		return 0, false
	}
	p, err := layout.Prefix(prefix, true)
	if err != nil {
		return 0, false
	}
	s, ok := r.seen[string(r.key(p.Addr().Is4(), rest))]
	if !ok {
		return 0, false
	}
	r.family = route.FamilyOf(p.Addr())
	if len(r.waiting) > 0 {
		r.settleWaiting()
	}
	r.AddShared(p, s, 0, layout.Mark(at, end))
	r.Span(at, end, nil)
	return end, true
}

// remember keeps what stood behind the prefix of a plain route.
func (r *reader) remember(o *object) {
	prefix, rest, end, ok := r.parts(o.lo)
	p, err := layout.Prefix(prefix, true)
	if !ok || err != nil || end != o.hi || string(prefix) != string(o.Dst) || len(r.seen) >= maxSeen {
		return
	}
	if r.seen == nil {
		r.seen = map[string]layout.Shared{}
	}
	r.seen[string(r.key(p.Addr().Is4(), rest))] = r.shared
}

func (r *reader) key(is4 bool, rest []byte) []byte {
	fam := byte('6')
	if is4 {
		fam = '4'
	}
	r.keyBuf = append(append(r.keyBuf[:0], fam), rest...)
	return r.keyBuf
}
