package flagged

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/lazyregexp"
)

// Routes written out as key=value pairs, which go on over several lines.

func isDetail(line []byte) bool { return bytes.Contains(line, []byte("dst-address=")) }

// detail begins a route written as pairs.
func (r *reader) detail(t string, lo, hi int) error {
	r.flush()
	i := strings.Index(t, "dst-address=")
	flags, rest := r.split(strings.Fields(t[:i]))
	if len(rest) > 0 && !strings.Contains(rest[0], "=") {
		return layout.ErrNotARoute
	}
	if flags == "" {
		flags = r.carried
	}
	r.carried = ""
	pairs := map[string]string{}
	addPairs(pairs, t)
	if slices.Contains(strings.Fields(t), "blackhole") {
		pairs["type"] = "blackhole"
	}
	if _, err := layout.Prefix(zone.ReplaceAll([]byte(pairs["dst-address"]), nil), true); err != nil {
		return err
	}
	if _, err := hops(pairs["gateway"]); err != nil {
		return err
	}
	if d := pairs["distance"]; d != "" {
		if _, ok := layout.Uint([]byte(d)); !ok {
			return fmt.Errorf("%w: %q", layout.ErrNumber, d)
		}
	}
	r.flags, r.pairs, r.lo, r.hi = flags, pairs, lo, hi
	r.Collector.Read++
	return nil
}

// reachable matches what stands behind a gateway's status.
var reachable = lazyregexp.New(`^ reachable via +([^ =]+)(?: |$)`)

// addPairs reads key=value words; a value may be quoted.
func addPairs(m map[string]string, s string) {
	for s != "" {
		eq := strings.IndexByte(s, '=')
		if eq < 0 {
			return
		}
		k := s[strings.LastIndexByte(s[:eq], ' ')+1 : eq]
		s = s[eq+1:]
		var v string
		if strings.HasPrefix(s, `"`) {
			v, s, _ = strings.Cut(s[1:], `"`)
		} else if i := strings.IndexByte(s, ' '); i >= 0 {
			v, s = s[:i], s[i:]
		} else {
			v, s = s, ""
		}
		if m[k] == "" {
			m[k] = v
		}
		// "ADDRESS reachable via  INTERFACE": words, of which only the first belongs to the pair
		if k == "gateway-status" {
			if at := reachable.FindStringSubmatch(s); at != nil && m["immediate-gw"] == "" {
				m["immediate-gw"] = v + "%" + at[1]
			}
		}
	}
}

// flush ends the route that was written as pairs.
func (r *reader) flush() {
	if r.pairs == nil {
		return
	}
	// Its first line was checked; what the further lines add to cannot make it unreadable but for an odd distance.
	if d := r.pairs["distance"]; d != "" {
		if _, ok := layout.Uint([]byte(d)); !ok {
			delete(r.pairs, "distance")
		}
	}
	if _, err := hops(r.pairs["gateway"]); err != nil {
		delete(r.pairs, "gateway")
	}
	_ = r.route(r.flags, r.pairs, r.lo, r.hi)
	r.pairs = nil
}
