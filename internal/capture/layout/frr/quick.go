package frr

import "zarvek/internal/capture/layout"

// own are the members in which objects of routes differ: of the last two nothing is read.
var own = []string{"prefix", "prefixLen", "uptime"}

// quick adds the route of the object that was matched last, if one before said the same.
func (r *jsonReader) quick(lo, hi int, table string) bool {
	return r.likes.Add(&r.Collector, table, r.likes.Values()[1], lo, hi)
}

// passAlike reads the members that follow as long as each is a list of one object that was met before.
func (r *jsonReader) passAlike(table string) error {
	rest, at := r.dec.Rest(), r.at()
	behind, n := 0, 0
	for {
		lo := layout.OnlyElement(rest, layout.NextMember(rest, behind))
		if lo < 0 {
			break
		}
		size := r.likes.Match(rest[lo:])
		if size == 0 {
			break
		}
		end := layout.EndsArray(rest, lo+size)
		if end < 0 || !r.quick(at+lo, at+lo+size, table) {
			break
		}
		behind = end
		n++
	}
	return r.dec.PassElements(2*n, behind)
}
