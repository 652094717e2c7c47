package audit

import (
	"slices"

	"zarvek/internal/core/network"
)

// Alike tells of which pairs of ends packets fare in an overlay as they did in its basis, by numbers alone, so that
// only the others are judged.
type Alike struct {
	ends []alikeEnd
	// some pairs of either must be followed
	follows bool
	byStart [][]int // ends by the start set of packets from them
	others  []int   // ends that are told apart by more than their columns
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
	x := &Alike{ends: make([]alikeEnd, len(pairs)), follows: r.a.overlaps || r.above.a.overlaps,
		byStart: make([][]int, len(r.a.starts))}
	for _, list := range [][]outcome{r.a.reg.outcomes.below, r.a.reg.outcomes.own} {
		for i := range list {
			x.follows = x.follows || list[i].beyondDestination || list[i].elsewhere
		}
	}
	for i, p := range pairs {
		was, is := r.above.a.groups[p[0]], r.a.groups[p[1]]
		e := alikeEnd{start: is.start, was: was.column, is: is.column}
		if was.start != is.start || was.start < 0 || was.down >= 0 || is.down >= 0 || was.exact || is.exact ||
			was.net != is.net || nameOf(was.owner) != nameOf(is.owner) {
			e.start = -1
			x.others = append(x.others, i)
		} else {
			x.byStart[e.start] = append(x.byStart[e.start], i)
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

// Doubtful lists, for each end, the others between which and it packets, or their replies, may fare otherwise than
// before, in order. Follows tells that it is all of them.
func (x *Alike) Doubtful() (lists [][]int, follows bool) {
	if x.follows {
		return nil, true
	}
	lists = make([][]int, len(x.ends))
	pair := func(i, k int) {
		lists[i], lists[k] = append(lists[i], k), append(lists[k], i)
	}
	for k := range x.ends {
		d := &x.ends[k]
		if d.start < 0 || len(d.was) > 0 && len(d.is) > 0 && &d.was[0] == &d.is[0] {
			continue
		}
		for s, o := range d.was {
			if o == d.is[s] {
				continue
			}
			for _, i := range x.byStart[s] {
				pair(i, k)
			}
		}
	}
	for _, k := range x.others {
		for i := range x.ends {
			pair(i, k)
		}
	}
	for i := range lists {
		slices.Sort(lists[i])
		lists[i] = slices.Compact(lists[i])
	}
	return lists, false
}
