package capture

import (
	"cmp"
	"iter"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A text may hold one table twice without a prompt between: of two moments, or of two devices whose captures somebody
// put together. Read as one table, such a text has all routes of both, and packets seem to take ways that no device
// has. Tables are printed in ascending order, so that the second one shows: the order begins again, with routes to
// prefixes that stood there before.

// mostRestarts bounds how often the order of a listing begins again: one that is in no order is one printing.
const mostRestarts = 16

// apart splits the tables that the part holds more than once.
func (p *Part) apart() {
	var all []network.TableFacts
	for _, t := range p.Facts.Tables {
		all = append(all, printings(t)...)
	}
	p.Facts.Tables = all
}

// printings returns a table once for each time that it was printed.
func printings(t network.TableFacts) []network.TableFacts {
	if t.Kind == network.Database || t.Routes.Sorted() {
		return []network.TableFacts{t}
	}
	l := listing{&t.Routes, make([]int, t.Routes.Len())}
	ordered, last := true, uint32(0)
	for i := range l.order {
		l.order[i] = i
		at := t.Routes.At(i).Mark.Off
		ordered, last = ordered && at >= last, at
	}
	if !ordered {
		slices.SortStableFunc(l.order, func(a, b int) int {
			return cmp.Compare(t.Routes.At(a).Mark.Off, t.Routes.At(b).Mark.Off)
		})
	}
	var out []network.TableFacts
	for part := range l.printings() {
		one := t
		one.Routes = t.Routes.Pick(part)
		out = append(out, one)
	}
	if len(out) == 1 {
		return []network.TableFacts{t}
	}
	return out
}

// A listing is routes in the order of the text.
type listing struct {
	*route.List
	order []int
}

// printings yields the routes of each printing.
func (l *listing) printings() iter.Seq[[]int] {
	return func(yield func([]int) bool) {
		begins := []int{0} // of the stretches in ascending order
		for i := 1; i < len(l.order); i++ {
			if l.prefix(i).Addr().Less(l.prefix(i - 1).Addr()) {
				begins = append(begins, i)
			}
		}
		from := 0
		for k, lo := range begins[1:] {
			hi := len(l.order)
			if k+2 < len(begins) {
				hi = begins[k+2]
			}
			if len(begins) <= mostRestarts && l.printedBefore(from, lo, hi) {
				if !yield(l.order[from:lo]) {
					return
				}
				from = lo
			}
		}
		yield(l.order[from:])
	}
}

func (l *listing) prefix(i int) netip.Prefix { return l.Prefix(l.order[i]) }

func (l *listing) attached(i int) bool { return l.At(l.order[i]).Protocol == route.Direct }

// printedBefore reports whether many of the routes from lo to hi are of prefixes that stand between from and lo too: a
// third of the fewer ones, and more than one of them or an attached network.
func (l *listing) printedBefore(from, lo, hi int) bool {
	fewFrom, fewTo, otherFrom, otherTo := lo, hi, from, lo
	if lo-from < hi-lo {
		fewFrom, fewTo, otherFrom, otherTo = otherFrom, otherTo, fewFrom, fewTo
	}
	if fewTo-fewFrom < 2 {
		return false
	}
	few := map[netip.Prefix]bool{} // attached
	for i := fewFrom; i < fewTo; i++ {
		few[l.prefix(i)] = few[l.prefix(i)] || l.attached(i)
	}
	both, attached := map[netip.Prefix]bool{}, false
	for i := otherFrom; i < otherTo; i++ {
		if direct, ok := few[l.prefix(i)]; ok {
			both[l.prefix(i)] = true
			attached = attached || direct || l.attached(i)
		}
	}
	return len(both)*3 >= fewTo-fewFrom && (len(both) > 1 || attached)
}
