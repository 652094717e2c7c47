package flagged

import (
	"bytes"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
)

// isInterfaces tells the heading of the device's interfaces, which are printed in the same manner.
func isInterfaces(line []byte) bool {
	t := bytes.TrimSpace(line)
	return bytes.HasPrefix(t, []byte("#")) && bytes.Contains(line, []byte(" NAME ")) &&
		bytes.Contains(line, []byte(" TYPE"))
}

// linkRow reads a row of the interfaces: the name stands under its column's, and may hold blanks. One that does not run
// is down.
func (r *reader) linkRow(s string, lo, hi int) error {
	name := r.wide[1]
	typ := r.wide[2]
	if len(s) <= typ.lo || s[typ.lo-1] != ' ' || s[typ.lo] == ' ' || r.running == "" {
		return layout.ErrNotARoute
	}
	flags, rest := r.flagsOf(s[:name.lo])
	text := strings.TrimSpace(s[name.lo:typ.lo])
	if len(rest) > 0 || text == "" || s[name.lo] == ' ' {
		return layout.ErrNotARoute
	}
	i := network.Interface{Name: text, State: network.LinkDown, Mark: layout.Mark(lo, hi)}
	if strings.Contains(flags, r.running) {
		i.State = network.LinkUp
	}
	for _, f := range flags {
		if strings.Contains(r.legend[string(f)], "disabled") {
			i.State = network.LinkDown
		}
	}
	for w := range strings.FieldsSeq(s[typ.lo:]) {
		if strings.Count(w, ":") == 5 && len(w) == 17 {
			i.MAC = strings.ToLower(w)
		}
	}
	r.Facts.Interfaces = append(r.Facts.Interfaces, i)
	r.Collector.Read++
	return nil
}
