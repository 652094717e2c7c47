package bird

import (
	"bytes"
	"slices"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// quick reads a line that says what one above said of another prefix, at another time or with another metric.
func (r *reader) quick(line []byte) (head, bool) {
	prefix, metric, ok := r.key(line)
	if !ok {
		return head{}, false
	}
	h, ok := r.seen.Known()
	if !ok {
		return head{}, false
	}
	if h.prefix = string(prefix); metric.Known {
		h.attr.Metric = metric
	}
	return h, true
}

// remember keeps what a line was read as.
func (r *reader) remember(line []byte, h head) {
	if prefix, metric, ok := r.key(line); ok && string(prefix) == h.prefix && (!metric.Known || metric == h.attr.Metric) {
		h.attr.NextHops = slices.Clip(h.attr.NextHops) // lines below may add to those of each
		r.seen.Keep(h)
	}
}

// key makes the key of a line that begins with the prefix: what stands before the brackets, the protocol in them, and
// what stands behind them. The metric is the second of two numbers in parentheses; where there are three it depends on
// the kind of path.
func (r *reader) key(line []byte) (prefix []byte, metric route.Number, ok bool) {
	at := bytes.IndexAny(line, " \t")
	if at <= 0 || line[0] < '0' || line[0] > '9' || !layout.LooksLikeAddress(line[:at]) {
		return nil, metric, false
	}
	left, rest, ok := bytes.Cut(line[at:], []byte{'['})
	source, after, ok2 := bytes.Cut(rest, []byte{']'})
	if !ok || !ok2 {
		return nil, metric, false
	}
	instance, _, _ := bytes.Cut(source, []byte{' '})
	number := -1
	if open, end := bytes.IndexByte(after, '('), bytes.IndexByte(after, ')'); open >= 0 && end > open &&
		bytes.Count(after[open:end], []byte{'/'}) == 1 {
		number = open + bytes.IndexByte(after[open:end], '/') + 1
	}
	return line[:at], r.seen.Key(number, left, instance, after), true
}
