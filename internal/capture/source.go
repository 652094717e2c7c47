package capture

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"unicode/utf16"

	"zarvek/internal/capture/layout/mrt"
	"zarvek/internal/core/route"
)

// ErrTooLarge is returned for a capture whose bytes a mark cannot count.
var ErrTooLarge = errors.New("larger than 4 GiB; split it")

// A Source is one capture file as taken, and the clean text that readers get.
type Source struct {
	Name   string                  // relative to the case
	later  func() (*Source, error) // makes it anew where the reading was kept: there is no text until somebody asks
	opened sync.Once
	raw    []byte // as taken, but for a UTF-16 file in its UTF-8 form, and lines that end with LF
	binary bool   // its lines are records
	bytes  bool   // it is no text at all
	// Noise counts lines that belong to no table: log messages, a pager's prompts, complaints.
	Noise int
	stops []uint32 // where, in the clean text, a pager stopped and waited
	// spaced: a blank line stands between any two lines, as mail programs and web pages put there
	spaced bool
	edge   func(line []byte) int // how long the margin of a line is; nil: it has none
	moves  []route.Mark          // log messages, as taken, of links and neighbours that came or went
	text   []byte                // without escapes, overstrikes and the like; the same slice as raw where there are none

	// Where text differs from raw: for each clean line, where it starts in text and in raw.
	cleanStart, rawStart []uint32
	same                 []bool // lines that cleaning left as they were; none where lines were joined
	asked                atomic.Int32
	once                 sync.Once
	lineStarts           []uint32 // of raw, made when somebody asks for a line number
}

// Open returns a text file without reading it as a capture: the case's own notes, which evidence may point into.
func Open(name string, raw []byte) (*Source, error) { return newSource(name, raw) }

// newSource makes bytes a text whose lines can be counted: unpacked, in UTF-8, with the line ends of every system.
// Places in it stay places in the file.
func newSource(name string, raw []byte) (*Source, error) {
	raw, err := unpack(raw)
	if err != nil {
		return nil, err
	}
	if len(raw) > math.MaxUint32 {
		return nil, ErrTooLarge
	}
	s := &Source{Name: name, raw: raw, text: raw}
	if mrt.Is(raw) {
		s.binary = true
		s.once.Do(func() { s.lineStarts = mrt.Records(raw) })
		return s, nil
	}
	s.raw = toUTF8(raw)
	if s.bytes = noText(s.raw); s.bytes {
		return s, nil
	}
	whole := document(s.raw)
	soiled := anywhere(s.raw, dirty)
	if !whole && (soiled && anywhere(s.raw, oddControls) || anywhere(s.raw, oddSigns)) {
		s.raw = lineEnds(s.raw)
	}
	s.text = s.raw
	var edge func([]byte) int
	if !whole {
		edge = margin(s.raw)
	}
	s.edge = edge
	s.spaced = !whole && doubleSpaced(s.raw)
	if edge != nil || s.spaced || soiled || !whole && anywhere(s.raw, noisy) {
		s.clean(edge)
	}
	return s, nil
}

// toUTF8 turns UTF-16 with a byte-order mark into UTF-8.
func toUTF8(b []byte) []byte {
	var order binary.ByteOrder
	switch {
	case bytes.HasPrefix(b, []byte{0xff, 0xfe}):
		order = binary.LittleEndian
	case bytes.HasPrefix(b, []byte{0xfe, 0xff}):
		order = binary.BigEndian
	default:
		return b
	}
	units := make([]uint16, 0, len(b)/2)
	for i := 2; i+1 < len(b); i += 2 {
		units = append(units, order.Uint16(b[i:]))
	}
	return []byte(string(utf16.Decode(units)))
}

// largePart is the least size of the parts in which a large file is looked through side by side.
const largePart = 4 << 20

// anywhere reports whether found says yes of any part of b. The parts overlap, so that no sign is cut in two.
func anywhere(b []byte, found func([]byte) bool) bool {
	n := min(len(b)/largePart, runtime.GOMAXPROCS(0))
	if n < 2 {
		return found(b)
	}
	var yes atomic.Bool
	var wg sync.WaitGroup
	for i := range n {
		wg.Go(func() {
			if found(b[len(b)*i/n : min(len(b)*(i+1)/n+maxSign, len(b))]) {
				yes.Store(true)
			}
		})
	}
	wg.Wait()
	return yes.Load()
}

// maxSign is longer than any sign that noisy looks for.
const maxSign = 32

// bom is the UTF-8 byte-order mark.
var bom = []byte{0xef, 0xbb, 0xbf}

// dirty reports whether anything but printable text, tabs and line ends is in b.
func dirty(b []byte) bool {
	if bytes.HasPrefix(b, bom) {
		return true
	}
	for i := 0; i < len(b); i++ {
		// Eight bytes at a time while none is below 0x20 or is 0x7f: the usual bit trick for "a byte less than n".
		for i+8 <= len(b) {
			w := binary.LittleEndian.Uint64(b[i:])
			del := w ^ 0x7f7f7f7f7f7f7f7f
			if ((w-0x2020202020202020)&^w|(del-0x0101010101010101)&^del)&0x8080808080808080 != 0 {
				break
			}
			i += 8
		}
		if i == len(b) {
			break
		}
		c := b[i]
		if c < ' ' && c != '\n' && c != '\t' && (c != '\r' || i+1 < len(b) && b[i+1] != '\n') || c == 0x7f {
			return true
		}
	}
	return false
}

// margin is how long the margin of a line is.
func (s *Source) margin(line []byte) int {
	if s.edge == nil {
		return 0
	}
	return s.edge(line)
}

// clean makes text line by line: what a terminal would show in the end, without the margin that edge measures, if any.
func (s *Source) clean(edge func([]byte) int) {
	s.text = make([]byte, 0, len(s.raw))
	for lo := 0; lo < len(s.raw); {
		next := len(s.raw)
		if i := bytes.IndexByte(s.raw[lo:], '\n'); i >= 0 {
			next = lo + i + 1
		}
		if s.spaced && len(bytes.TrimSpace(s.raw[lo:next])) == 0 {
			lo = next
			continue
		}
		s.cleanStart = append(s.cleanStart, uint32(len(s.text)))
		s.rawStart = append(s.rawStart, uint32(lo))
		start := len(s.text)
		from := lo
		if edge != nil {
			from += edge(withoutEnd(s.raw[lo:next]))
		}
		s.text = appendClean(s.text, s.raw[from:next])
		s.quiet(start, route.Mark{Off: uint32(lo), End: uint32(lo + len(withoutEnd(s.raw[lo:next])))})
		s.same = append(s.same, bytes.Equal(withoutEnd(s.text[start:]), withoutEnd(s.raw[lo:next])))
		lo = next
	}
}

// quiet empties the last line of text where it is noise, and takes a pager's prompt off its front. Mark is the line as
// taken.
func (s *Source) quiet(start int, mark route.Mark) {
	line := s.text[start:]
	end := len(line)
	for end > 0 && (line[end-1] == '\n' || line[end-1] == '\r') {
		end--
	}
	front := 0
	if noise(line[:end]) {
		s.Noise++
		front = end
		if tellsOfMove.Match(line[:end]) {
			s.moves = append(s.moves, mark)
		}
		if pager.Match(line[:end]) && !bytes.Contains(bytes.ToUpper(line[:end]), []byte("END")) {
			s.stops = append(s.stops, uint32(start))
		}
	} else if m := pagerFront.FindIndex(line[:min(end, maxNoise)]); m != nil {
		front = m[1]
	}
	if front > 0 {
		s.text = append(s.text[:start], line[front:]...)
	}
}

// document reports whether a text is JSON from end to end, which no terminal has written into.
func document(b []byte) bool {
	b = bytes.TrimSpace(b)
	if len(b) < 2 || b[0] != '[' && b[0] != '{' {
		return false
	}
	second := bytes.TrimLeft(b[1:min(len(b), 100)], " \t\r\n")
	return len(second) > 0 &&
		(b[0] == '[' && second[0] == '{' && b[len(b)-1] == ']' || b[0] == '{' && second[0] == '"' && b[len(b)-1] == '}')
}

// A noiseSign is what stands in each line that quiet would change, and which of its bytes is looked for: one that is
// rare in tables.
type noiseSign struct {
	text string
	key  int
}

// noiseSigns are these signs by the bytes that are looked for.
var noiseSigns = func() (signs [256][]noiseSign) {
	for _, s := range []noiseSign{
		{"%", 0}, {"^", 0}, {"--", 0}, {angle, 0}, {"(more", 0}, {"command not found", 14}, {"d is not running", 10},
		{"(END)", 0}, {"[edit", 0}, {"{master", 0}, {"{backup", 0}, {"\n[/", 0}, {"```", 0}, {"~~~", 0},
	} {
		c := s.text[s.key]
		signs[c] = append(signs[c], s)
	}
	return signs
}()

// angle is what a number stands behind where a log's line begins; names in it are those of prompts and of XML.
const angle = "\n<"

// isNoiseKey tells of a byte whether it is looked for.
var isNoiseKey = func() (is [256]byte) {
	for c, signs := range noiseSigns {
		if len(signs) > 0 {
			is[c] = 1
		}
	}
	return is
}()

// noisePairs tells which bytes may follow one that is looked for.
var noisePairs = func() (may [256][4]uint64) {
	for c, signs := range noiseSigns {
		for _, s := range signs {
			if s.key+1 == len(s.text) {
				may[c] = [4]uint64{math.MaxUint64, math.MaxUint64, math.MaxUint64, math.MaxUint64}
				continue
			}
			next := s.text[s.key+1]
			may[c][next/64] |= 1 << (next % 64)
		}
	}
	return may
}()

// mayBeNoise reports whether the byte at i is looked for, as far as the next one tells.
func mayBeNoise(b []byte, i int) bool {
	if isNoiseKey[b[i]] == 0 {
		return false
	}
	if i+1 == len(b) {
		return true
	}
	next := b[i+1]
	return noisePairs[b[i]][next/64]>>(next%64)&1 == 1
}

// noisy is a cheap look for anything that quiet would change.
func noisy(b []byte) bool {
	for i := 0; i < len(b); {
		if i+8 <= len(b) {
			w := b[i : i+8]
			if isNoiseKey[w[0]]|isNoiseKey[w[1]]|isNoiseKey[w[2]]|isNoiseKey[w[3]]|
				isNoiseKey[w[4]]|isNoiseKey[w[5]]|isNoiseKey[w[6]]|isNoiseKey[w[7]] == 0 {
				i += 8
				continue
			}
		}
		for end := min(i+8, len(b)); i < end; i++ {
			if mayBeNoise(b, i) && noisyAt(b, i) {
				return true
			}
		}
	}
	return false
}

// noisyAt reports whether the byte at i belongs to a sign that is looked for by it.
func noisyAt(b []byte, i int) bool {
	for _, s := range noiseSigns[b[i]] {
		start := i - s.key
		end := start + len(s.text)
		if start >= 0 && end <= len(b) && string(b[start:end]) == s.text &&
			(s.text != angle || end < len(b) && b[end] >= '0' && b[end] <= '9') {
			return true
		}
	}
	return false
}

// appendClean appends one line as a terminal would show it: escapes do nothing, a backspace moves back, a carriage
// return starts over (overwriting, as pagers do), NULs and other controls vanish.
func appendClean(dst, line []byte) []byte {
	end := bytes.HasSuffix(line, []byte{'\n'})
	line = bytes.TrimRight(bytes.TrimPrefix(line, bom), "\r\n")
	start, pos := len(dst), len(dst)
	for i := 0; i < len(line); {
		c := line[i]
		switch {
		case c == 0x1b:
			n := escapeLength(line[i:])
			if n > 1 && line[i+1] == '[' && line[i+n-1] == 'K' {
				dst = dst[:min(len(dst), max(pos, start))] // erase to the end of the line
			}
			i += n
			continue
		case c == '\b' || c == 0x7f:
			pos = max(pos-1, start)
		case c == '\r':
			pos = start
		case c == 0 && lost(line, i):
			dst, pos = append(dst[:max(pos, start)], void...), pos+len(void)
		case c < ' ' && c != '\t':
		case pos < len(dst):
			dst[pos] = c
			pos++
		default:
			dst = append(dst, c)
			pos++
		}
		i++
	}
	if end {
		dst = append(dst, '\n')
	}
	return dst
}

// lost reports whether a NUL stands in the middle of a word: a byte was lost there, or one was put there, and the word
// is none. Those that pad lines are nothing.
func lost(line []byte, i int) bool {
	j := i
	for j < len(line) && line[j] == 0 {
		j++
	}
	return i > 0 && j < len(line) && isWordByte(line[i-1]) && isWordByte(line[j])
}

// escapeLength returns the length of the escape sequence at the start of b (ECMA-48: CSI up to its final byte, OSC up
// to BEL or ST, others two bytes).
func escapeLength(b []byte) int {
	if len(b) < 2 {
		return len(b)
	}
	switch b[1] {
	case '[':
		for i := 2; i < len(b); i++ {
			if b[i] >= 0x40 && b[i] <= 0x7e {
				return i + 1
			}
		}
		return len(b)
	case ']':
		for i := 2; i < len(b); i++ {
			if b[i] == 0x07 {
				return i + 1
			}
			if b[i] == 0x1b && i+1 < len(b) && b[i+1] == '\\' {
				return i + 2
			}
		}
		return len(b)
	}
	return 2
}

func withoutEnd(line []byte) []byte { return bytes.TrimRight(line, "\r\n") }

// original translates a mark in the clean text into one in the file as taken. Within a line that cleaning changed the
// whole line is the evidence.
func (s *Source) original(m route.Mark) route.Mark {
	if s.cleanStart == nil {
		return m
	}
	first, found := slices.BinarySearch(s.cleanStart, m.Off)
	if !found {
		first--
	}
	for first+1 < len(s.cleanStart) && s.cleanStart[first+1] == m.Off && m.End > m.Off {
		first++ // lines that are empty when clean
	}
	last, found := slices.BinarySearch(s.cleanStart, m.End)
	if !found {
		last--
	}
	if last > first && s.cleanStart[last] >= m.End {
		last--
	}
	if first = max(first, 0); first == last && first < len(s.same) && s.same[first] {
		shift := s.rawStart[first] - s.cleanStart[first] // modulo 2^32, as the sum is
		m.Off, m.End = m.Off+shift, m.End+shift
		return m
	}
	end := uint32(len(s.raw))
	if last+1 < len(s.rawStart) {
		end = s.rawStart[last+1]
	}
	lo := s.rawStart[first]
	for end > lo && (s.raw[end-1] == '\n' || s.raw[end-1] == '\r') {
		end--
	}
	m.Off, m.End = lo, end
	return m
}

// fewLines is how many line numbers are counted out before an index of all lines is made.
const fewLines = 24

// changedSince stands for every line of a file of which the reading was kept and that is not what it was any more.
const changedSince = "(the file has changed since it was read)"

// open makes the text of a source whose reading was kept.
func (s *Source) open() {
	if s.later == nil {
		return
	}
	s.opened.Do(func() {
		if again, err := s.later(); err == nil {
			s.raw, s.binary = again.raw, again.binary
			if s.binary {
				s.once.Do(func() { s.lineStarts = again.lineStarts })
			}
		}
	})
}

// gone reports whether the text of a source whose reading was kept is not there any more.
func (s *Source) gone() bool { return s.later != nil && s.raw == nil }

// Line returns the line number of an offset, counted from 1; 0 where the file has changed since its reading was kept.
func (s *Source) Line(off uint32) int {
	if s.open(); s.gone() {
		return 0
	}
	if !s.binary && s.asked.Add(1) <= fewLines {
		return 1 + bytes.Count(s.raw[:min(int(off), len(s.raw))], []byte{'\n'})
	}
	s.once.Do(func() {
		s.lineStarts = append(make([]uint32, 0, bytes.Count(s.raw, []byte{'\n'})+1), 0)
		for at := 0; ; {
			i := bytes.IndexByte(s.raw[at:], '\n')
			if i < 0 {
				break
			}
			at += i + 1
			s.lineStarts = append(s.lineStarts, uint32(at))
		}
	})
	i, found := slices.BinarySearch(s.lineStarts, off)
	if found {
		i++
	}
	return i
}

// Text returns the bytes of a mark as taken, hexadecimal for a binary file; nil for a mark outside the file. Do not
// change them.
func (s *Source) Text(m route.Mark) []byte {
	if s.open(); s.gone() {
		return []byte(changedSince)
	}
	if s.binary && m.End <= uint32(len(s.raw)) && m.Off <= m.End {
		return fmt.Appendf(nil, "% x", s.raw[m.Off:m.End])
	}
	if m.End > uint32(len(s.raw)) || m.Off > m.End {
		return nil
	}
	return s.raw[m.Off:m.End]
}

// Size returns the number of bytes.
func (s *Source) Size() int {
	s.open()
	return len(s.raw)
}
