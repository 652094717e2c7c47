package require

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
)

// A Lesson is a requirement that holds now, in the language of the file.
type Lesson struct {
	Text   string
	Family route.Family
}

// Learn finds what holds now between networks with hosts: who reaches whom both ways, and whom filters keep apart.
// Called names a network, "" for its prefix.
func Learn(w *forward.Walker, called func(netip.Prefix) string) []Lesson {
	j := newJudge(w)
	name := func(p netip.Prefix) string {
		if n := called(p); n != "" {
			return n
		}
		return p.String()
	}
	var out []Lesson
	for _, fam := range []route.Family{route.IPv4, route.IPv6} {
		var nets []netip.Prefix
		for _, n := range w.Topology().Networks() {
			if route.FamilyOf(n.Addr()) == fam && w.Topology().HasHosts(n) {
				nets = append(nets, n)
			}
		}
		for _, from := range nets {
			var reached, kept []string
			for _, to := range nets {
				if from == to {
					continue
				}
				r := Requirement{From: []End{{Prefixes: []netip.Prefix{from}}},
					To: []End{{Prefixes: []netip.Prefix{to}}}}
				v := j.verdict(r)
				switch {
				case v.State == Holds && v.Pairs > 0:
					reached = append(reached, name(to))
				case j.filtered(from, to, fam):
					kept = append(kept, name(to))
				}
			}
			out = append(out, lessons(name(from), " reaches ", reached, fam)...)
			out = append(out, lessons(name(from), " never reaches ", kept, fam)...)
		}
	}
	if v := j.nothingLoops(Requirement{Kind: NothingLoops}); v.State == Holds {
		out = append(out, Lesson{Text: "nothing loops"})
	}
	return out
}

// filtered reports whether every packet between two networks is dropped by a filter.
func (j *judge) filtered(from, to netip.Prefix, fam route.Family) bool {
	reach, ends := j.of(fam)
	some := false
	for s, e := range ends {
		if e.Net != from || !e.Sends {
			continue
		}
		for d, z := range ends {
			if z.Net != to || z.Nobody {
				continue
			}
			some = true
			if f := reach.Fate(s, d, e.Ranges[0].From(), z.Ranges[0].From()); !isFiltered(f) {
				return false
			}
		}
	}
	return some
}

func isFiltered(f audit.Fate) bool { return f.Forward == forward.Filtered }

// maxEnds is how many ends stand on one line of what was learned.
const maxEnds = 4

// lessons words what holds from one end to others, as many in each as a requirement may name.
func lessons(from, verb string, to []string, fam route.Family) []Lesson {
	var out []Lesson
	for some := range slices.Chunk(to, maxEnds) {
		text := from + verb
		for i, t := range some {
			if i > 0 {
				text += " and "
			}
			text += t
		}
		out = append(out, Lesson{text, fam})
	}
	return out
}
