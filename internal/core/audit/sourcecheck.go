package audit

import "zarvek/internal/core/forward"

// SourceCheck: a reverse-path check (RFC 3704) drops packets of an existing path.
const SourceCheck Kind = "source-check"

func takeSourceCheck(a *auditor, f *Finding, g *byCause) bool {
	if f.Verdict != forward.SourceCheck {
		return false
	}
	f.Interface = f.Reason.Interface
	f.Repair = []Repair{{Kind: LoosenCheck, Device: f.Device, Interface: f.Reason.Interface, Prefix: a.lostFrom(g.pairs[0]).net}}
	return true
}
