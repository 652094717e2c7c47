package lab

import (
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

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

// unlessRestricted names the findings that surely break the packets of a pair for every flow.
func (b broken) unlessRestricted(src, dst netip.Addr) []string {
	packets, _ := b.of(src, dst, true)
	return slices.DeleteFunc(packets, func(id string) bool { return strings.HasPrefix(id, string(audit.Restricted)) })
}

// tried is how many of the flows that were sent from one address to another were answered.
type tried map[[2]netip.Addr]int

func (p tried) note(src, dst string, answered bool) {
	key := [2]netip.Addr{netip.MustParseAddr(src), netip.MustParseAddr(dst)}
	p[key] += 0
	if answered {
		p[key]++
	}
}

// auditAgrees holds an audit, which is told of no flow, against flows: a pair of addresses that none gets through is in
// one finding, one that some do in none but one that says it hangs on the flow.
func auditAgrees(t *testing.T, w *forward.Walker, pairs tried) {
	exact := allBroken(w, audit.Run(w, audit.Options{}))
	lost := 0
	for pair, answered := range pairs {
		packets, replies := exact.of(pair[0], pair[1], true)
		all := append(packets, replies...)
		require.LessOrEqual(t, len(all), 1, "%v: %v", pair, all)
		switch some := len(all) == 1 && strings.HasPrefix(all[0], string(audit.Restricted)); {
		case answered == 0:
			require.NotEmpty(t, all, "%v: no flow was answered", pair)
			lost++
		case !some:
			require.Empty(t, all, "%v: %d flows were answered", pair, answered)
		}
	}
	t.Logf("%d pairs of addresses as the audit has them, of which %d are cut off for every flow", len(pairs), lost)
}
