package lettered

import (
	"bytes"
	"maps"
	"runtime"
	"sync"

	"zarvek/internal/capture/layout"
)

// minPiece is the least size of a piece in bytes: below it one reader is as quick.
const minPiece = 4 << 20

var newline = []byte{'\n'}

// pieces cuts a large text where several readers can start side by side, each cut at the start of a row: the first
// behind the head with its legend. Nil where the text is small.
func pieces(text []byte) []int { return cut(text, min(runtime.GOMAXPROCS(0), 8), minPiece) }

// cut finds where a large table may be cut so that each piece begins with a row; none of them is shorter than least
// bytes. The first cut is behind the key, which all pieces need.
func cut(text []byte, n, least int) []int {
	if n < 2 || len(text) < 2*least {
		return nil
	}
	head := nextRow(text, min(maxLook, len(text)/4))
	if head < 0 {
		return nil
	}
	cuts := []int{head}
	size := max(least, (len(text)-head)/n+1)
	for at := head + size; at < len(text); at += size {
		if at = nextRow(text, at); at < 0 {
			break
		}
		cuts = append(cuts, at)
	}
	return cuts
}

// nextRow returns the start of the first line at or after at that begins a route; -1 where none does.
func nextRow(text []byte, at int) int {
	for at < len(text) {
		i := bytes.IndexByte(text[at:], '\n')
		if i < 0 {
			return -1
		}
		at += i + 1
		end := bytes.IndexByte(text[at:], '\n')
		if end < 0 {
			return -1
		}
		line := text[at : at+end]
		if len(line) > 0 && isLetter(line[0]) {
			if p, _ := findPrefix(line); p > 0 && !layout.Blank(line[:p]) {
				return at
			}
		}
	}
	return -1
}

// readPieces reads from each cut to the next, side by side, and joins the readings in order. It fails where one piece
// turned out to change how the next must be read.
func readPieces(text []byte, cuts []int) (layout.Reading, bool) {
	bounds := append(cuts, len(text))
	first := newReader(text)
	first.lines(0, cuts[0])
	readers := make([]*reader, len(cuts))
	for i := range cuts {
		readers[i] = first.again()
		if i > 0 {
			readers[i].Collector = first.Beside(
				bytes.Count(text[:cuts[i]], newline),
				bytes.Count(text[cuts[i]:bounds[i+1]], newline)+1,
			)
		}
	}
	readers[0], first.turned = first, false
	var wg sync.WaitGroup
	for i, r := range readers {
		wg.Go(func() { r.lines(cuts[i], bounds[i+1]) })
	}
	wg.Wait()
	for i, r := range readers {
		if r.turned && i+1 < len(readers) {
			return layout.Reading{}, false
		}
		if i > 0 {
			first.Join(&r.Collector)
		}
	}
	return first.Reading, true
}

// again returns a reader that goes on as r would, with memory of its own.
func (r *reader) again() *reader {
	n := newReader(r.text)
	n.legend, n.instance, n.heading, n.under = r.legend, r.instance, r.heading, r.under
	if r.legend != nil {
		l := *r.legend
		l.codes = maps.Clone(l.codes)
		n.legend = &l
	}
	return n
}
