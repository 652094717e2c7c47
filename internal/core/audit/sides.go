package audit

import (
	"net/netip"
	"slices"
)

// A Side is what is lost of one direction: packets, or the replies to packets that arrive.
type Side struct {
	Pairs    int // of networks
	From, To Networks
	Last     Loss // the last of the pairs
	Partly   bool // of some pairs only some addresses are concerned
}

// Whole reports whether each on one side is lost to each on the other.
func (s *Side) Whole() bool { return s.Pairs == s.From.Count*s.To.Count }

// Networks is how many networks are on one side, and the first few of them in order.
type Networks struct {
	Count int
	First []netip.Prefix
}

// few is how many networks are named before they are only counted.
const few = 3

// measure counts what a finding breaks, and weighs it by the worst pair. Where there is none, packets to addresses that
// nobody captured has get lost.
func (a *auditor) measure(f *Finding) {
	f.worst = Note
	var ends [2][2][]bool // of a direction and a side: the networks on it
	a.eachLoss(&f.pairs, func(l netPairs) bool {
		back := bit(l.back)
		side := []*Side{&f.Lost, &f.Unanswered}[back]
		if side.Pairs == 0 {
			ends[back] = [2][]bool{make([]bool, len(a.nets)), make([]bool, len(a.nets))}
		}
		side.Pairs += int(l.to.last - l.to.first + 1)
		side.Partly = side.Partly || l.partly
		side.Last = a.lossOf(netPair{l.from, l.to.last, l.back, l.partly})
		ends[back][0][l.from] = true
		for to := l.to.first; to <= l.to.last; to++ {
			ends[back][1][to] = true
			if f.worst < Fault {
				f.worst = a.worse(f.worst, l.from, to)
			}
		}
		return true
	})
	f.Lost.From, f.Lost.To = a.networks(ends[0][0]), a.networks(ends[0][1])
	f.Unanswered.From, f.Unanswered.To = a.networks(ends[1][0]), a.networks(ends[1][1])
	if f.Pairs = f.Lost.Pairs + f.Unanswered.Pairs; f.Pairs == 0 {
		f.worst = Risk
	}
	f.OneWay = f.Unanswered.Pairs > 0 && a.oneWay(f)
}

// worse is the severity of a loss between two networks where that is more than one known already; two networks that
// have nothing to do with each other do not count.
func (a *auditor) worse(known Severity, from, to int32) Severity {
	x, y := a.nets[from], a.nets[to]
	if s := min(a.worth(x), a.worth(y)); s > known && a.together(x, y) {
		return s
	}
	return known
}

// networks counts and names the networks that are marked.
func (a *auditor) networks(marked []bool) (out Networks) {
	for i, yes := range marked {
		if !yes {
			continue
		}
		if out.Count++; out.Count <= few {
			out.First = append(out.First, a.nets[i])
		}
	}
	out.First = slices.Clip(out.First)
	return out
}

// oneWay reports whether of every lost packet's pair the other direction's packets arrive.
func (a *auditor) oneWay(f *Finding) bool {
	if f.Lost.Pairs == 0 {
		return true
	}
	unanswered := map[[2]int32]bool{}
	for l := range a.losses(&f.pairs) {
		if l.back {
			unanswered[[2]int32{l.from, l.to}] = true
		}
	}
	for l := range a.losses(&f.pairs) {
		if !l.back && !unanswered[[2]int32{l.to, l.from}] {
			return false
		}
	}
	return true
}
