package route

import (
	"errors"
	"unsafe"
)

// recordSize is what one route takes, in bytes.
const recordSize = int(unsafe.Sizeof(record{}))

// Packed returns the routes as they lie in memory, recordSize bytes each, without the attributes they share and without
// LongMetrics: to be kept for the same program on the same kind of machine, and for nothing else. Do not change them.
func (l *List) Packed() []byte {
	return unsafe.Slice((*byte)(unsafe.Pointer(unsafe.SliceData(l.recs))), len(l.recs)*recordSize)
}

// ErrPacked is returned for bytes that cannot be what Packed returned.
var ErrPacked = errors.New("no packed routes")

// Unpacked returns the list whose Packed bytes are given, and which shared the attributes given and had these
// LongMetrics. It takes the bytes over without a copy: the list writes into them when it is changed. EachOnce is what
// EachOnce reported of that list, Counted its census, nil where none was taken.
func Unpacked(
	packed []byte, attrs []*Attributes, long map[AttrID]uint64, eachOnce bool, counted *Census,
) (List, error) {
	at := unsafe.Pointer(unsafe.SliceData(packed))
	if len(packed)%recordSize != 0 || uintptr(at)%unsafe.Alignof(record{}) != 0 {
		return List{}, ErrPacked
	}
	n := len(packed) / recordSize
	return List{recs: unsafe.Slice((*record)(at), n)[:n:n], attrs: attrs, long: long, eachOnce: eachOnce,
		census: counted}, nil
}

// EachOnce reports whether the routes are in the order of Sort and no two have one prefix.
func (l *List) EachOnce() bool {
	if l.eachOnce {
		return true
	}
	for i := 1; i < len(l.recs); i++ {
		if compare(l.recs[i-1], l.recs[i]) >= 0 {
			return false
		}
	}
	return true
}
