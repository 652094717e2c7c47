package capture

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
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
	seen := look(s.raw, whole)
	if !whole && (seen.odd || seen.soiled && anywhere(s.raw, oddControls)) {
		s.raw = lineEnds(s.raw)
		seen = look(s.raw, false)
	}
	s.text = s.raw
	var edge func([]byte) int
	if !whole {
		edge = margin(s.raw)
	}
	s.edge = edge
	s.spaced = !whole && doubleSpaced(s.raw)
	if edge != nil || s.spaced || seen.soiled || seen.noisy {
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
