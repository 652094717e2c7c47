package capture

import (
	"fmt"

	"zarvek/internal/core/route"
)

// Moved counts the routes that only one of two readings of the same table has: those that went and those that came.
// Ages and counters, which are never the same twice, do not count.
func Moved(before, after []byte) (gone, come int) {
	have := routesOf(before)
	for key, n := range routesOf(after) {
		both := min(n, have[key])
		have[key] -= both
		come += n - both
	}
	for _, n := range have {
		gone += n
	}
	return gone, come
}

// CountRoutes counts the routes that are read in a text.
func CountRoutes(text []byte) int {
	c, err := Read("", text, 1)
	if err != nil {
		return 0
	}
	n := 0
	for i := range c.Parts {
		n += c.Parts[i].Routes()
	}
	return n
}

// routesOf counts the routes of a text by what they say, wherever they stand in it.
func routesOf(text []byte) map[string]int {
	out := map[string]int{}
	c, err := Read("", text, 1)
	if err != nil {
		return out
	}
	for i := range c.Parts {
		for _, t := range c.Parts[i].Facts.Tables {
			for k := range t.Routes.Len() {
				out[routeKey(t.Name, t.Routes.At(k))]++
			}
		}
	}
	return out
}

func routeKey(table string, r route.Route) string {
	return fmt.Sprint(table, r.Prefix, r.Protocol, r.Special, r.Preference, r.Metric, r.NextHops)
}
