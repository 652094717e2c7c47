package audit

import "zarvek/internal/core/forward"

// Filtered means that rules of a device do not permit the packets, which may be meant so.
const Filtered Kind = "filtered"

func takeFiltered(_ *auditor, f *Finding, _ *byCause) bool {
	if f.Verdict != forward.Filtered && f.Reason.Code != forward.RuleDenies {
		return false
	}
	f.Severity = Note
	f.Repair = []Repair{{Kind: PermitFlow, Device: f.Device}}
	return true
}
