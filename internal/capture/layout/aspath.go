package layout

import (
	"strings"

	"zarvek/internal/core/route"
)

// ASPath reads a printed AS path into p: its length, its first AS, and the origin where a letter or sign for it
// stands at the end. A set counts as one (RFC 4271 section 9.1.2.2), confederations in parentheses as none (RFC 5065
// section 5.3).
func ASPath(s string, p *route.BGPPath) {
	n, inSet, first := uint64(0), false, true
	for w := range strings.FieldsSeq(s) {
		switch w {
		case "I", "i":
			p.Origin = route.OriginIGP
			continue
		case "E", "e":
			p.Origin = route.OriginEGP
			continue
		case "?":
			p.Origin = route.OriginIncomplete
			continue
		}
		if strings.ContainsAny(w, "()") {
			first = false
			continue
		}
		opens, closes := strings.ContainsAny(w, "{["), strings.ContainsAny(w, "}]")
		as, ok := Uint([]byte(strings.Trim(w, "{}[],")))
		if !ok && !opens && !closes {
			continue
		}
		if !inSet {
			n++
		}
		inSet = (inSet || opens) && !closes
		if first && ok && as <= 1<<32-1 {
			p.NeighbourAS = uint32(as)
		}
		first = false
	}
	p.Length = route.N(n)
}
