package records

import (
	"bytes"
	"math"
	"net/netip"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// A likeRecord is what a record led to, for those that say the same of other destinations.
type likeRecord struct {
	shared layout.Shared
	state  route.State
	prefix netip.Prefix
	lines  int
}

// field is where a value stands.
type field struct{ lo, hi int }

var firstName = []byte("Destination")

// begins reports whether a line is the first one of a record: it names a destination, an address with a length or
// without, with nothing or two blanks behind it.
func begins(line []byte) (destination field, ok bool) {
	i := blanks(line, 0)
	if !bytes.HasPrefix(line[i:], firstName) {
		return field{}, false
	}
	i = blanks(line, i+len(firstName))
	if i == len(line) || line[i] != ':' {
		return field{}, false
	}
	lo := blanks(line, i+1)
	hi := lo
	for hi < len(line) && (isHex(line[hi]) || line[hi] == '.' || line[hi] == ':') {
		hi++
	}
	if lo == i+1 || hi == lo {
		return field{}, false
	}
	if hi+1 < len(line) && line[hi] == '/' && isDigit(line[hi+1]) {
		for hi++; hi < len(line) && isDigit(line[hi]); hi++ {
		}
	}
	n := blanks(line, hi)
	return field{lo, hi}, n == len(line) || n >= hi+2
}

// blanks is where the blanks end that begin at i.
func blanks(line []byte, i int) int {
	for i < len(line) && (line[i] == ' ' || line[i] == '\t' || line[i] == '\r' || line[i] == '\f') {
		i++
	}
	return i
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

func isHex(c byte) bool { return isDigit(c) || c >= 'a' && c <= 'f' || c >= 'A' && c <= 'F' }

// quick reads the record that begins at lo where one before said the same of another destination, and returns where the
// lines behind it begin. The record must end at a blank line or where the next one begins: what stands behind a blank
// line may go on with it otherwise.
func (r *reader) quick(lo int) (next int, ok bool) {
	if !r.likes.Some() {
		return 0, false
	}
	end, hi := lo, lo // of the record: where the next line begins, and where its own last line ends
	for end < len(r.text) {
		stop, after := layout.LineAt(r.text, end)
		line := r.text[end:stop]
		if layout.Blank(line) {
			break
		}
		if _, isFirst := begins(line); isFirst && end > lo {
			break
		}
		end, hi = after, stop
	}
	for next = end; next < len(r.text); {
		stop, after := layout.LineAt(r.text, next)
		if line := r.text[next:stop]; !layout.Blank(line) {
			if _, isFirst := begins(line); !isFirst {
				return 0, false
			}
			break
		}
		next = after
	}
	destination, metric := r.keyOf(r.text[lo:hi])
	like, ok := r.likes.Known()
	if !ok {
		return 0, false
	}
	p, ok := like.destination(destination)
	if !ok {
		return 0, false
	}
	r.routes = append(r.routes, p)
	r.Collector.Read += like.lines
	r.AddShared(p, like.shared.With(metric), like.state, layout.Mark(lo, hi))
	return next, true
}

// destination reads the prefix of a record whose length, where it stands by itself, is that of the one it is like.
func (x *likeRecord) destination(text []byte) (p netip.Prefix, ok bool) {
	if bytes.IndexByte(text, '/') >= 0 {
		var err error
		p, err = layout.Prefix(text, false)
		ok = err == nil
	} else if a, isAddr := layout.Addr(text); isAddr {
		p, ok = netip.PrefixFrom(a, x.prefix.Bits()), true
	}
	return p.Masked(), ok && p.Addr().BitLen() == x.prefix.Addr().BitLen()
}

// remember keeps what the record from lo to hi led to. What is attached or the device's own depends on its prefix.
func (r *reader) remember(lo, hi, lines int, x likeRecord) {
	a := r.Attributes(x.shared)
	if a.Protocol == route.Direct || a.Protocol == route.Local {
		return
	}
	destination, metric := r.keyOf(r.text[lo:hi])
	if p, ok := x.destination(destination); !ok || p != x.prefix || metric.Known && metric != a.Metric {
		return
	}
	x.lines = lines
	r.likes.Keep(x)
}

// keyOf makes the key of a record: all of it but the destination and the metric, with no more than two blanks behind
// these, which part its pairs as more do. It returns the two, the metric if it is a plain one.
func (r *reader) keyOf(text []byte) (destination []byte, metric route.Number) {
	hi, _ := layout.LineAt(text, 0)
	d, _ := begins(text[:hi])
	destination = text[d.lo:d.hi]
	length := destination[:0]
	if i := bytes.IndexByte(destination, '/'); i >= 0 {
		length = destination[i : i+1]
	}
	rest := padded(text[d.hi:])
	if lo, hi := metricIn(rest); hi > 0 {
		if v, ok := layout.Uint(rest[lo:hi]); ok && v <= math.MaxUint32 {
			r.likes.Key(-1, text[:d.lo], length, rest[:lo], padded(rest[hi:]))
			return destination, route.N(v)
		}
	}
	r.likes.Key(-1, text[:d.lo], length, rest)
	return destination, route.Number{}
}

// padded is a text with no more than two blanks in front.
func padded(text []byte) []byte {
	n := 0
	for n < len(text) && text[n] == ' ' {
		n++
	}
	return text[max(n-2, 0):]
}

// metricNames are what metrics are called; of a record that has both the first one counts.
var metricNames = [][]byte{[]byte("Metric"), []byte("Cost")}

// metricIn is where the digits of a record's metric stand; hi is 0 where there is none.
func metricIn(text []byte) (lo, hi int) {
	for _, name := range metricNames {
		for from := 0; ; {
			i := bytes.Index(text[from:], name)
			if i < 0 {
				break
			}
			from += i + len(name)
			if lo, hi = metricBehind(text, from); hi > 0 {
				return lo, hi
			}
		}
	}
	return 0, 0
}

// metricBehind is where the digits of a metric stand whose name ends at n; hi is 0 where none does.
func metricBehind(text []byte, n int) (lo, hi int) {
	n = blanks(text, n)
	if n == len(text) || text[n] != ':' {
		return 0, 0
	}
	lo = blanks(text, n+1)
	for hi = lo; hi < len(text) && isDigit(text[hi]); hi++ {
	}
	if hi == lo {
		return 0, 0
	}
	return lo, hi
}
