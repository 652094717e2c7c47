package capture

import (
	"cmp"
	"iter"
	"net/netip"
	"regexp"
	"slices"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// asksOneTable matches a command that a device answers with routes, in one layout, and with nothing else.
var asksOneTable = regexp.MustCompile(`^(?i:(?:do |run )?(?:sho?w?|disp?l?a?y?|get) [^;&|]*\broute[^;&|]*$` +
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
	for _, t := range s.Facts.Tables {
		attached := map[netip.Prefix]bool{}
		for p := range attachedIn(t) {
			attached[p] = true
		}
		for _, u := range o.Facts.Tables {
			if len(attached) == 0 || u.Name != t.Name || u.Family != t.Family {
				continue
			}
			for p := range attachedIn(u) {
				if !attached[p] {
					return true
				}
			}
		}
	}
	return false
}

// attachedIn yields the attached networks of a table, those of the device itself left out.
func attachedIn(t network.TableFacts) iter.Seq[netip.Prefix] {
	return func(yield func(netip.Prefix) bool) {
		for k := range t.Routes.Len() {
			r := t.Routes.At(k)
			if a := r.Prefix.Addr(); r.Protocol != route.Direct || r.Prefix.IsSingleIP() || a.IsLoopback() ||
				a.IsLinkLocalUnicast() || a.IsMulticast() {
				continue
			}
			if !yield(r.Prefix) {
				return
			}
		}
	}
}

// from is where the first fact of a reading stands.
func (s *stretch) from() int {
	first := s.hi
	for m := range s.FactMarks() {
		first = min(first, s.lo+int(m.Off))
	}
	return first
}
