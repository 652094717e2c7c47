package audit

import "zarvek/internal/core/network"

// Alike tells of which pairs of ends packets fare in an overlay as they did in its basis, by numbers alone, so that
// only the others are judged.
type Alike struct {
	ends []alikeEnd
	// some pairs of either must be followed
	follows bool
}

// alikeEnd is an end of both networks. Start is -1 where anything but the columns may tell the two apart.
type alikeEnd struct {
	start   int
	was, is []int32
}

// Alike prepares for ends of the basis (first number) and of r (second) that have addresses in common; nil where r was
// not made from a basis.
func (r *Reach) Alike(pairs [][2]int) *Alike {
	if r.above == nil {
		return nil
	}
	x := &Alike{ends: make([]alikeEnd, len(pairs)), follows: r.a.overlaps || r.above.a.overlaps}
	for _, list := range [][]outcome{r.a.reg.outcomes.below, r.a.reg.outcomes.own} {
		for i := range list {
			x.follows = x.follows || list[i].beyondDestination || list[i].elsewhere
		}
	}
	for i, p := range pairs {
		was, is := r.above.a.groups[p[0]], r.a.groups[p[1]]
		e := alikeEnd{start: is.start, was: was.column, is: is.column}
		if was.start != is.start || was.down >= 0 || is.down >= 0 || was.exact || is.exact || was.net != is.net ||
			nameOf(was.owner) != nameOf(is.owner) {
			e.start = -1
		}
		x.ends[i] = e
	}
	return x
}

func nameOf(d *network.Device) string {
	if d == nil {
		return ""
	}
	return d.Name
}

// Same reports whether packets from the i-th end to the k-th, and their replies, certainly fare as before.
func (x *Alike) Same(i, k int) bool {
	s, d := &x.ends[i], &x.ends[k]
	return s.start >= 0 && d.start >= 0 && !x.follows &&
		d.was[s.start] == d.is[s.start] && s.was[d.start] == s.is[d.start]
}
