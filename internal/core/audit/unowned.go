package audit

import "zarvek/internal/core/forward"

// HopUnowned means that a route forwards to an address that nobody has, or that is not on that link.
const HopUnowned Kind = "next-hop-unowned"

func takeHopUnowned(a *auditor, f *Finding, g *byCause) bool {
	if f.Verdict != forward.NextHopLost {
		return false
	}
	f.Missing = a.routesBy(f)
	f.Repair = a.otherNextHop(g)
	return true
}

// SilentHost means that nobody answers for a single address of an attached network.
const SilentHost Kind = "silent-host"

func takeSilentHost(_ *auditor, f *Finding, _ *byCause) bool {
	if f.Verdict != forward.NextHopLost || f.Hop.NextHop.IsValid() || f.Reason.Code != forward.NobodyAnswers {
		return false
	}
	f.Severity = Note
	return true
}
