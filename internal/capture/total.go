package capture

import (
	"regexp"
	"strconv"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// A listing that says how many routes there are and shows fewer is a part of one: lines were lost, or left out.

// totalLine says how many routes a listing has.
var totalLine = regexp.MustCompile(`(?i)^\s*(?:total\s+(?:number\s+of\s+)?(?:routes|prefixes)|total\s+route\s+count` +
	`|number\s+of\s+(?:routes|prefixes)|total\s+routes\s+(?:shown|displayed))\s*[:=]\s*(\d{1,9})\s*$`)

// nearEnds is how far from a text's begin or end, in bytes, such a line stands.
const nearEnds = 4 << 10

// statedTotal returns the number of routes that a text says it has, and where.
func statedTotal(text []byte) (n, lo, hi int, ok bool) {
	found := 0
	look := func(from, to int) {
		for a, b := range layout.Lines(text[from:to]) {
			if m := totalLine.FindSubmatch(text[from+a : from+min(b, a+200)]); m != nil {
				n, _ = strconv.Atoi(string(m[1]))
				lo, hi = from+a, from+b
				found++
			}
		}
	}
	if len(text) <= 2*nearEnds {
		look(0, len(text))
	} else {
		look(0, nearEnds)
		look(len(text)-nearEnds, len(text))
	}
	return n, lo, hi, found == 1 // of several tables none is this one's
}

// lacking marks the tables of a section as parts where the section says that there are more routes than it shows.
func lacking(parts []Part, total int, m route.Mark) {
	shown := 0
	for i := range parts {
		for _, t := range parts[i].Facts.Tables {
			for k := range t.Routes.Len() {
				shown += max(1, len(t.Routes.At(k).NextHops))
			}
		}
	}
	if shown >= total {
		return
	}
	for i := range parts {
		for k := range parts[i].Facts.Tables {
			parts[i].Facts.Tables[k].Filtered = m
		}
	}
}
