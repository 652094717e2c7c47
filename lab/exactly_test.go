package lab

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
)

// broken is what an audit tells of exact addresses, as anybody would read it who has nothing but the output.
type broken struct {
	w        *forward.Walker
	findings []told
}

type told struct {
	id     string
	sure   bool
	breaks []audit.Breakage
}

func allBroken(w *forward.Walker, found *audit.Result) broken {
	b := broken{w: w}
	for i := range found.Findings {
		f := &found.Findings[i]
		b.findings = append(b.findings,
			told{f.ID + " at " + f.Device, f.Kind != audit.MissingData, slices.Collect(f.Breakages())})
	}
	return b
}

// of names the findings that break a pair, packets and replies apart; where sure, not those that cannot tell.
func (b broken) of(src, dst netip.Addr, sure bool) (packets, replies []string) {
	for _, f := range b.findings {
		if sure && !f.sure {
			continue
		}
		for _, x := range f.breaks {
			if !b.in(x.From, src) || !b.in(x.To, dst) {
				continue
			}
			if x.Reply {
				replies = append(replies, f.id)
			} else {
				packets = append(packets, f.id)
			}
		}
	}
	return packets, replies
}

// in reports whether an address is among some ends: in a network that is there as a whole, where no longer attached
// one has it, or among the addresses that are named.
func (b broken) in(ends []audit.Ends, a netip.Addr) bool {
	for _, e := range ends {
		if !e.Network.Contains(a) {
			continue
		}
		if e.Addresses == nil {
			net, ok := b.w.Topology().NetworkOf(a)
			if !ok || net == e.Network || net.Bits() < e.Network.Bits() {
				return true
			}
		}
		for _, r := range e.Addresses {
			if r.Contains(a) {
				return true
			}
		}
	}
	return false
}
