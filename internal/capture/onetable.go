package capture

import (
	"cmp"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/lazyregexp"
)

// asksOneTable matches a command that a device answers with routes, in one layout, and with nothing else.
var asksOneTable = lazyregexp.New(`^(?i:(?:do |run )?(?:sho?w?|disp?l?a?y?|get) [^;&|]*\broute[^;&|]*$` +
	`|(?:\S*/)?ip (?:-[46] )?ro?u?t?e?(?: sh\w*| li?s?t?)?$|(?:\S*/)?netstat -[rn]+$)`)

// oneTable leaves what follows the routes that a command asked for to nobody, where it is in another layout and has
// networks attached that the routes above have not: another device answers there.
func oneTable(text []byte, stretches []stretch) []stretch {
	if len(stretches) < 2 {
		return stretches
	}
	slices.SortStableFunc(stretches, func(a, b stretch) int { return cmp.Compare(a.from(), b.from()) })
	for i, s := range stretches {
		if !s.shows() {
			continue
		}
		other := func(x stretch) bool { return x.Layout != s.Layout && s.contradicts(&x) }
		if !slices.ContainsFunc(stretches[i+1:], other) {
			break
		}
		for k := i + 1; k < len(stretches); k++ {
			if x := stretches[k]; x.Layout != s.Layout && x.from() < x.hi {
				stretches[k] = x.nobodys(text, stretches)
			}
		}
		break
	}
	return stretches
}

// ofItsOwn leaves a configuration to nobody, and what follows it, where it gives another name to its device than the
// prompt above it does.
func ofItsOwn(text []byte, device string, stretches []stretch) []stretch {
	for _, m := range namesItself.FindAllSubmatchIndex(text, 4) {
		lo, hi := max(m[2], m[4]), max(m[3], m[5]) // of the one that matched
		if sameName(string(text[lo:hi]), device) {
			continue
		}
		i := slices.IndexFunc(stretches, func(s stretch) bool {
			return slices.Contains(ofRules, s.Layout) && s.lo <= lo && lo < s.hi
		})
		if i < 0 {
			return stretches
		}
		from := stretches[i].from()
		out := slices.Clone(stretches)
		for k := range out {
			if f := stretches[k].from(); f >= from && f < stretches[k].hi {
				out[k] = stretches[k].nobodys(text, stretches)
			}
		}
		return out
	}
	return stretches
}

// namesItself matches the statement with which a configuration gives its device a name.
var namesItself = lazyregexp.New(`(?m)^(?:[ \t]*` + naming + `|set name=` + givenName + `)`)

// sameName reports whether two names are of one device: prompts cut names short, and leave domains out.
func sameName(a, b string) bool {
	a, _, _ = strings.Cut(strings.ToLower(a), ".")
	b, _, _ = strings.Cut(strings.ToLower(b), ".")
	return strings.HasPrefix(a, b) || strings.HasPrefix(b, a)
}

// nobodys is a stretch of which no fact is left, and every line that is not in another one below it is unread.
func (s *stretch) nobodys(text []byte, all []stretch) stretch {
	out := stretch{lo: s.lo, hi: s.hi}
	inOther := func(at int) bool {
		return slices.ContainsFunc(all, func(x stretch) bool {
			return (x.lo > s.lo || x.hi < s.hi) && x.lo >= s.lo && x.hi <= s.hi && x.lo <= at && at < x.hi
		})
	}
	for lo, hi := range layout.Lines(text[s.lo:s.hi]) {
		if !layout.Blank(text[s.lo+lo:s.lo+hi]) && !inOther(s.lo+lo) {
			out.Unread = append(out.Unread, layout.Unread{Mark: layout.Mark(lo, hi), Reason: errAway})
		}
	}
	return out
}

// shows reports whether a reading has routes.
func (s *stretch) shows() bool {
	return slices.ContainsFunc(s.Facts.Tables, func(t network.TableFacts) bool { return t.Routes.Len() > 0 })
}

// contradicts reports whether another reading has a network attached that the table here has not, though it shows what
// is attached.
func (s *stretch) contradicts(o *stretch) bool {
	for i := range s.Facts.Tables {
		t := &s.Facts.Tables[i]
		attached := map[netip.Prefix]bool{}
		for p := range t.Attached() {
			attached[p] = true
		}
		for k := range o.Facts.Tables {
			u := &o.Facts.Tables[k]
			if len(attached) == 0 || u.Name != t.Name || u.Family != t.Family {
				continue
			}
			for p := range u.Attached() {
				if !attached[p] {
					return true
				}
			}
		}
	}
	return false
}

// from is where the first fact of a reading stands.
func (s *stretch) from() int {
	first := s.hi
	for m := range s.FactMarks() {
		first = min(first, s.lo+int(m.Off))
	}
	return first
}
