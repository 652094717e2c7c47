package keyed

import (
	"bytes"

	"zarvek/internal/capture/layout"
)

// passAlike adds the routes of the members that follow as long as each is an object that was met before.
func (r *reader) passAlike() error {
	rest, at := r.dec.Rest(), r.at()
	behind, n := 0, 0
	for {
		name, value := layout.NextNamed(rest, behind)
		if value < 0 {
			break
		}
		size := r.likes.Match(rest[value:])
		quoted := bytes.TrimRight(rest[name:value], " :") // where a line ends between them it is no prefix
		if size == 0 || !r.likes.Add(&r.Collector, r.table, quoted[1:len(quoted)-1], at+name, at+value+size) {
			break
		}
		behind = value + size
		n++
	}
	return r.dec.PassElements(2*n, behind)
}
