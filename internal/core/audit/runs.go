package audit

import (
	"cmp"
	"iter"
	"slices"
)

// runs is numbers in ascending order, kept as stretches without a gap. The zero runs is empty.
type runs []stretch

// stretch is the numbers from first to last, both included.
type stretch struct{ first, last int32 }

// add appends a number behind all others.
func (r *runs) add(n int32) { r.join(stretch{n, n}) }

// join appends numbers behind all others.
func (r *runs) join(s stretch) {
	if n := len(*r); n > 0 && (*r)[n-1].last+1 == s.first {
		(*r)[n-1].last = s.last
		return
	}
	*r = append(*r, s)
}

// atLeast is the least number that is not below n; false where there is none.
func (r runs) atLeast(n int32) (int32, bool) {
	i, _ := slices.BinarySearchFunc(r, n, func(s stretch, n int32) int { return cmp.Compare(s.last, n) })
	if i == len(r) {
		return 0, false
	}
	return max(r[i].first, n), true
}

// all yields the numbers in order.
func (r runs) all() iter.Seq[int32] {
	return func(yield func(int32) bool) {
		for _, s := range r {
			for n := s.first; n <= s.last; n++ {
				if !yield(n) {
					return
				}
			}
		}
	}
}

// with is the numbers of both. It shares what it can with them.
func (r runs) with(o runs) runs {
	if len(r) == 0 {
		return o
	}
	both := slices.Concat(r, o)
	slices.SortFunc(both, func(x, y stretch) int { return cmp.Compare(x.first, y.first) })
	var out runs
	for _, s := range both {
		n := len(out)
		if n == 0 || out[n-1].last+1 < s.first {
			out = append(out, s)
			continue
		}
		out[n-1].last = max(out[n-1].last, s.last)
	}
	return out
}
