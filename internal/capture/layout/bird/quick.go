package bird

import (
	"bytes"
	"net/netip"
	"slices"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// quick reads a line that says what one above said of another prefix, at another time or with another metric.
func (r *reader) quick(line []byte) (*head, bool) {
	p, metric, ok := r.key(line)
	if !ok {
		return nil, false
	}
	h, ok := r.seen.Known()
	if !ok {
		return nil, false
	}
	if h.prefix = p; metric.Known {
		h.attr.Metric = metric
	}
	return h, true
}

// remember keeps what a line was read as.
func (r *reader) remember(line []byte, h head) {
	if p, metric, ok := r.key(line); ok && p == h.prefix && (!metric.Known || metric == h.attr.Metric) {
		h.attr.NextHops = slices.Clip(h.attr.NextHops) // lines below may add to those of each
		r.seen.Keep(&h)
	}
}

// key makes the key of a line that begins with a prefix: what stands before the brackets, the protocol in them, and
// what stands behind them. The metric is the second of two numbers in parentheses; where there are three it depends on
// the kind of path.
func (r *reader) key(line []byte) (p netip.Prefix, metric route.Number, ok bool) {
	p, at, ok := layout.QuickPrefix(line, 0)
	if !ok {
		at = max(bytes.IndexByte(line, ' '), 0)
		if !layout.LooksLikeAddress(line[:at]) {
			return p, metric, false
		}
		var err error
		if p, err = layout.Prefix(line[:at], false); err != nil {
			return p, metric, false
		}
	}
	left, rest, ok := bytes.Cut(line[at:], []byte{'['})
	source, after, ok2 := bytes.Cut(rest, []byte{']'})
	if !ok || !ok2 {
		return p, metric, false
	}
	instance, _, _ := bytes.Cut(source, []byte{' '})
	number := -1
	if open, end := bytes.IndexByte(after, '('), bytes.IndexByte(after, ')'); open >= 0 && end > open &&
		bytes.Count(after[open:end], []byte{'/'}) == 1 {
		number = open + bytes.IndexByte(after[open:end], '/') + 1
	}
	return p, r.seen.Key(number, left, instance, after), true
}
