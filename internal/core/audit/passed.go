package audit

import (
	"slices"
	"sync"

	"zarvek/internal/core/forward"
)

// between is a group as an end of packets between groups, made when it is first asked for.
type between struct {
	once     sync.Once
	sender   forward.Sender
	receiver *forward.Receiver // nil: its packets take a trace
}

// findBetween makes room for the groups where some device looks at more than destinations, and that is filters alone.
func (a *auditor) findBetween() {
	if slices.Contains(a.sensitive, true) && !a.overlaps && len(a.coarse) == 0 && a.walker.FiltersAlone() {
		a.between = make([]between, len(a.groups))
	}
}

// passed judges a pair of groups of which the outcomes tell that both directions arrive, by what filters make of them;
// twoWay where they permit both, else the pair tells what is lost. Not known: that takes a trace.
func (a *auditor) passed(p *pair) (twoWay, known bool) {
	if a.between == nil {
		return false, false
	}
	x, y := a.endBetween(p.from), a.endBetween(p.to)
	if x.receiver == nil || y.receiver == nil {
		return false, false
	}
	end, known := y.receiver.Passage(x.sender, false)
	if known && end.Verdict == forward.Arrives {
		end, known = x.receiver.Passage(y.sender.Answering(end), true)
		p.back = true
	}
	switch {
	case !known:
		p.back = false
		return false, false
	case end.Verdict == forward.Arrives:
		return true, true
	case end.Verdict <= forward.Unknown:
		p.both = forward.BothUnknown
	case p.back:
		p.both = forward.OneWay
	default:
		p.both = forward.Broken
	}
	p.cause = a.causeOf(end)
	return false, true
}

func (a *auditor) endBetween(i int32) *between {
	b := &a.between[i]
	b.once.Do(func() {
		g := a.groups[i]
		if g.exact || g.start < 0 || g.down >= 0 {
			return
		}
		if sender, ok := a.walker.Sender(g.rep); ok {
			b.sender, b.receiver = sender, a.walker.Receiver(g.rep)
		}
	})
	return b
}
