package capture

import (
	"cmp"
	"net/netip"
	"strconv"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// A listing that says how many routes there are and shows fewer is a part of one: lines were lost, or left out.

// totalLine says how many routes a listing has.
var totalLine = lazyregexp.New(`(?i)^\s*(?:total\s+(?:number\s+of\s+)?(?:routes|prefixes)|total\s+route\s+count` +
	`|number\s+of\s+(?:routes|prefixes)|total\s+routes\s+(?:shown|displayed))\s*[:=]\s*(\d{1,9})\s*$`)

// entriesLine says how many prefixes a listing of IPv6 routes has.
var entriesLine = lazyregexp.New(`^(?:IPv6 Routing Table - .{1,80} - (\d{1,9}) entries` +
	`|Displaying \d{1,9} of (\d{1,9}) IPv[46] routing table entries)\s*$`)

// nearEnds is how far from a text's begin or end, in bytes, such a line stands.
const nearEnds = 4 << 10

// A total is what a text says of the number of its routes, and where; of prefixes, where the next hops do not count.
type total struct {
	n, lo, hi int
	prefixes  bool
}

// statedTotal returns the number of routes that a text says it has.
func statedTotal(text []byte) (t total, ok bool) {
	found := 0
	look := func(from, to int) {
		for a, b := range layout.Lines(text[from:to]) {
			line := text[from+a : from+min(b, a+200)]
			m, prefixes := totalLine.FindSubmatch(line), false
			if m == nil {
				if m = entriesLine.FindSubmatch(line); m == nil {
					continue
				}
				prefixes = true
			}
			t = total{lo: from + a, hi: from + b, prefixes: prefixes}
			t.n, _ = strconv.Atoi(cmp.Or(string(m[1]), string(m[len(m)-1])))
			found++
		}
	}
	if len(text) <= 2*nearEnds {
		look(0, len(text))
	} else {
		look(0, nearEnds)
		look(len(text)-nearEnds, len(text))
	}
	return t, found == 1 // of several tables none is this one's
}

// lacking marks the tables of a section as parts where the section says that there are more routes than it shows.
func lacking(parts []Part, total total, m route.Mark) {
	shown := 0
	seen := map[netip.Prefix]bool{}
	for i := range parts {
		for _, t := range parts[i].Facts.Tables {
			for k := range t.Routes.Len() {
				r := t.Routes.At(k)
				switch {
				case !total.prefixes:
					shown += max(1, len(r.NextHops))
				case !seen[r.Prefix]:
					seen[r.Prefix] = true
					shown++
				}
			}
		}
	}
	if shown >= total.n {
		return
	}
	for i := range parts {
		for k := range parts[i].Facts.Tables {
			parts[i].Facts.Tables[k].Filtered = m
		}
	}
}
