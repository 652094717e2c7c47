package rulesets

import (
	"slices"
	"strings"
)

// line tells whether a line is a rule that packets on their way meet, and where, and whether it belongs to a rule set
// at all.
func (r *reader) line(s string) (m met, rule, known bool) {
	w := strings.Fields(s)
	switch {
	case strings.HasPrefix(s, "#"):
		return m, false, true
	case worded.MatchString(s):
		return words(w)
	case wordedAside.MatchString(s):
		return m, strings.Contains(s, "anchor"), true
	}
	return m, false, false
}

// words reads a rule that begins with what it does. One that only lets packets pass stops none: without a rule they
// pass too.
func words(w []string) (m met, rule, known bool) {
	if strings.HasPrefix(w[0], "@") {
		w = w[1:]
	}
	changes := slices.ContainsFunc(w, func(x string) bool {
		return slices.Contains([]string{"nat-to", "rdr-to", "binat-to", "af-to", "route-to", "reply-to", "dup-to",
			"divert-to", "rtable"}, x)
	})
	if (w[0] == "pass" || w[0] == "match") && !changes {
		return m, false, true
	}
	if i := slices.Index(w, "on"); i > 0 && i+1 < len(w) && !strings.ContainsAny(w[i+1], "{$<!") {
		switch {
		case slices.Contains(w[:i], "in"):
			m.in = w[i+1]
		case slices.Contains(w[:i], "out"):
			m.out = w[i+1]
		}
	}
	return m, true, true
}
