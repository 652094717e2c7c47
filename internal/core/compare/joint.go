package compare

import (
	"net/netip"
	"slices"

	"go4.org/netipx"

	"zarvek/internal/core/audit"
)

// joint is the addresses that are in one end of the network before and in one of that after.
type joint struct {
	ends [2]int // in the lists of ends, before and after
	rep  netip.Addr
	all  []netipx.IPRange // in order
}

// piece is one range of an end.
type piece struct {
	netipx.IPRange
	end int
}

func pieces(ends []audit.ReachEnd) []piece {
	var out []piece
	for i, e := range ends {
		for _, r := range e.Ranges {
			out = append(out, piece{r, i})
		}
	}
	slices.SortFunc(out, func(a, b piece) int { return a.From().Compare(b.From()) })
	return out
}

// join cuts the space at the ends of both networks. Both lists cover the same addresses without overlap, as ends do.
func join(before, after []audit.ReachEnd) []*joint {
	x, y := pieces(before), pieces(after)
	byEnds := map[[2]int]*joint{}
	var out []*joint
	for i, k := 0, 0; i < len(x) && k < len(y); {
		from := x[i].From()
		if y[k].From().Compare(from) > 0 {
			from = y[k].From()
		}
		to := x[i].To()
		if y[k].To().Compare(to) < 0 {
			to = y[k].To()
		}
		if from.Compare(to) <= 0 {
			at := [2]int{x[i].end, y[k].end}
			j := byEnds[at]
			if j == nil {
				j = &joint{ends: at, rep: from}
				byEnds[at] = j
				out = append(out, j)
			}
			j.add(netipx.IPRangeFrom(from, to))
		}
		switch c := x[i].To().Compare(y[k].To()); {
		case c < 0:
			i++
		case c > 0:
			k++
		default:
			i, k = i+1, k+1
		}
	}
	slices.SortFunc(out, func(a, b *joint) int { return a.rep.Compare(b.rep) })
	return out
}

// add appends a range, or lengthens the last one where it goes on from it.
func (j *joint) add(r netipx.IPRange) {
	if n := len(j.all); n > 0 && j.all[n-1].To().Next() == r.From() {
		j.all[n-1] = netipx.IPRangeFrom(j.all[n-1].From(), r.To())
		return
	}
	j.all = append(j.all, r)
}
