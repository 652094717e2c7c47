package plain

import (
	"bytes"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// A csvReader reads records by the names in the first line.
type csvReader struct {
	names  []string
	comma  rune
	prefix int // the column of the prefix, -1 for none
	metric int // that of the metric, -1 for none
	place  int // that of what each has for itself alone, -1 for none
	seen   layout.Likenesses[csvRoute]
	key    []byte
}

// place is the column in which this program writes where each record was captured: of it nothing is read.
const place = "captured-at"

// name takes the first line.
func (r *csvReader) name(names []string) {
	r.names, r.prefix, r.metric, r.place = names, -1, -1, -1
	for i, n := range names {
		switch strings.TrimSpace(n) { // of two columns of one name the last one counts
		case "destination-prefix":
			r.prefix = i
		case "metric":
			r.metric = i
		case place:
			r.place = i
		}
	}
}

// read reads a record. One that says what another one said, but for its prefix and its metric, is known.
func (r *csvReader) read(line []byte, lo, hi int) (csvRoute, error) {
	prefix, metric, plain := r.likeness(line)
	if plain {
		if x, ok := r.seen.Known(); ok {
			if p, err := layout.Prefix(prefix, false); err == nil {
				x.prefix, x.lo, x.hi = p.Masked(), lo, hi
				if metric.Known {
					x.attr.Metric = metric
				}
				if x.partial.Known() {
					x.partial = layout.Mark(lo, hi)
				}
				return x, nil
			}
		}
	}
	rec, err := record(line, r.comma)
	if err != nil {
		return csvRoute{}, err
	}
	x, err := readRecord(r.names, rec, lo, hi)
	if err == nil && plain {
		like := x
		like.attr.NextHops = slices.Clip(x.attr.NextHops) // records below may add to those of each
		r.seen.Keep(like)
	}
	return x, err
}

// likeness makes the key of a record without quotes: all cells but the prefix, the metric and the place.
func (r *csvReader) likeness(line []byte) (prefix []byte, metric route.Number, plain bool) {
	if r.prefix < 0 || bytes.IndexByte(line, '"') >= 0 {
		return nil, metric, false
	}
	r.key = r.key[:0]
	at := -1
	for i := 0; ; i++ {
		cell, rest, more := bytes.Cut(line, []byte{byte(r.comma)})
		switch {
		case i == r.prefix:
			prefix = bytes.TrimSpace(cell)
		case i == r.place:
		default:
			if i == r.metric {
				at = len(r.key)
			}
			r.key = append(r.key, cell...)
		}
		r.key = append(r.key, 0)
		if !more {
			break
		}
		line = rest
	}
	return prefix, r.seen.Key(at, r.key), true
}
