package capture

import (
	"bytes"
	"encoding/binary"
	"math/bits"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
)

// Most captures need no cleaning, and large ones are looked through for what would need it: once, in blocks that stay
// near the processor while one look after the other goes over them.

// traits are what is found somewhere in a text.
type traits struct {
	soiled bool // anything but printable text, tabs and line ends
	odd    bool // signs outside of ASCII that lineEnds would change
	noisy  bool // anything that quiet would change
}

// or returns what is in either.
func (t traits) or(u traits) traits {
	return traits{t.soiled || u.soiled, t.odd || u.odd, t.noisy || u.noisy}
}

// lookBlock is how many bytes are looked at before the next look.
const lookBlock = 32 << 10

// look looks through a text, through a large one on all cores. A document is whole: nothing in it is odd or noisy.
func look(b []byte, whole bool) traits {
	var signs noiseSearch
	if !whole {
		signs = newNoiseSearch(b)
	}
	var mu sync.Mutex
	found := traits{soiled: bytes.HasPrefix(b, bom)}
	inParts(b, func(lo, hi int) {
		var t traits
		for ; lo < hi; lo += lookBlock {
			end := min(lo+lookBlock, hi)
			t.soiled = t.soiled || dirty(b, lo, end)
			t.odd = t.odd || !whole && oddSigns(b[lo:min(end+len(ls)-1, len(b))])
			t.noisy = t.noisy || signs.in(b, lo, end)
		}
		mu.Lock()
		defer mu.Unlock()
		found = found.or(t)
	})
	return found
}

// largePart is the least size of the parts in which a large file is looked through side by side.
const largePart = 4 << 20

// inParts calls do for all of a text, for a large one side by side.
func inParts(b []byte, do func(lo, hi int)) {
	n := min(len(b)/largePart, runtime.GOMAXPROCS(0))
	if n < 2 {
		do(0, len(b))
		return
	}
	var wg sync.WaitGroup
	for i := range n {
		wg.Go(func() { do(len(b)*i/n, len(b)*(i+1)/n) })
	}
	wg.Wait()
}

// anywhere reports whether found says yes of any part of b. The parts overlap, so that no sign is cut in two.
func anywhere(b []byte, found func([]byte) bool) bool {
	var yes atomic.Bool
	inParts(b, func(lo, hi int) {
		if found(b[lo:min(hi+maxSign, len(b))]) {
			yes.Store(true)
		}
	})
	return yes.Load()
}

// maxSign is longer than any sign that is looked for in parts.
const maxSign = 32

// bom is the UTF-8 byte-order mark.
var bom = []byte{0xef, 0xbb, 0xbf}

// controls marks, in the highest bit of each byte, those below 0x20 and 0x7f, and by carries some others: the usual
// bit trick for "a byte less than n".
func controls(w uint64) uint64 {
	return ((w - 0x2020202020202020) | (w + 0x0101010101010101)) &^ w & 0x8080808080808080
}

// dirty reports whether anything but printable text, tabs and line ends is in b from lo to hi.
func dirty(b []byte, lo, hi int) bool {
	i := lo
	for ; i+8 <= hi; i += 8 {
		m := controls(binary.LittleEndian.Uint64(b[i:]))
		for ; m != 0; m &= m - 1 {
			if soils(b, i+bits.TrailingZeros64(m)/8) {
				return true
			}
		}
	}
	for ; i < hi; i++ {
		if soils(b, i) {
			return true
		}
	}
	return false
}

// soils reports whether a byte is no printable text, no tab and no line end.
func soils(b []byte, i int) bool {
	switch c := b[i]; c {
	case '\n', '\t':
		return false
	case '\r':
		return i+1 < len(b) && b[i+1] != '\n'
	default:
		return c < ' ' || c == 0x7f
	}
}

// noiseSigns are what stands in each line that quiet would change.
var noiseSigns = []string{"%", "^", "--", angle, "(more", "command not found", "d is not running", "(END)", "[edit",
	"{master", "{backup", "\n[/", "```", "~~~"}

// angle is what a number stands behind where a log's line begins; names in it are those of prompts and of XML.
const angle = "\n<"

// A noiseKey is a byte that is looked for, and the signs that it is in.
type noiseKey struct {
	c     byte
	signs []keyedSign
}

type keyedSign struct {
	text string
	at   int // of the byte
	// one beside it, which is looked at first: where it is from there
	beside int
	next   byte
}

func newKeyedSign(text string, at int) keyedSign {
	s := keyedSign{text: text, at: at, next: text[at]}
	switch {
	case at+1 < len(text):
		s.beside, s.next = 1, text[at+1]
	case at > 0:
		s.beside, s.next = -1, text[at-1]
	}
	return s
}

// A noiseSearch looks for all of them.
type noiseSearch []noiseKey

// newNoiseSearch makes one for a text: each sign is looked for by the byte that the begin of the text has least often.
func newNoiseSearch(b []byte) noiseSearch {
	often := countBytes(b)
	var search noiseSearch
	for _, s := range noiseSigns {
		at := rarest(s, &often)
		i := slices.IndexFunc(search, func(k noiseKey) bool { return k.c == s[at] })
		if i < 0 {
			i = len(search)
			search = append(search, noiseKey{c: s[at]})
		}
		search[i].signs = append(search[i].signs, newKeyedSign(s, at))
	}
	return search
}

// in reports whether a sign is in b of which the byte that is looked for stands from lo to hi.
func (s noiseSearch) in(b []byte, lo, hi int) bool {
	for _, k := range s {
		for at := lo; at < hi; at++ {
			i := bytes.IndexByte(b[at:hi], k.c)
			if i < 0 {
				break
			}
			at += i
			for n := range k.signs {
				sign := &k.signs[n]
				if j := at + sign.beside; uint(j) < uint(len(b)) && b[j] == sign.next && sign.isAt(b, at) {
					return true
				}
			}
		}
	}
	return false
}

// isAt reports whether the byte at i is that of the sign.
func (s *keyedSign) isAt(b []byte, i int) bool {
	start := i - s.at
	end := start + len(s.text)
	return start >= 0 && end <= len(b) && string(b[start:end]) == s.text &&
		(s.text != angle || end < len(b) && b[end] >= '0' && b[end] <= '9')
}

// countBytes counts the bytes at the begin of a text.
func countBytes(b []byte) (often [256]uint16) {
	const sample = 4 << 10
	for _, c := range b[:min(len(b), sample)] {
		often[c]++
	}
	return often
}

// rarest is the place of the byte in a word that was counted least often.
func rarest(word string, often *[256]uint16) int {
	at := 0
	for i := range len(word) {
		if often[word[i]] < often[word[at]] {
			at = i
		}
	}
	return at
}

// A finder looks for one word in a text, by the byte of it that is rare there.
type finder struct {
	text []byte
	word string
	at   int
}

func newFinder(text []byte, word string) finder {
	often := countBytes(text)
	return finder{text, word, rarest(word, &often)}
}

// next is the first offset from lo on at which the word stands, the end of the text where there is none.
func (f *finder) next(lo int) int {
	for at := lo + f.at; at < len(f.text); at++ {
		i := bytes.IndexByte(f.text[at:], f.word[f.at])
		if i < 0 {
			break
		}
		at += i
		start := at - f.at
		if end := start + len(f.word); end <= len(f.text) && string(f.text[start:end]) == f.word {
			return start
		}
	}
	return len(f.text)
}
