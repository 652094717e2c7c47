package audit

import "zarvek/internal/core/forward"

// Restricted means that whether packets pass hangs on a filter: on the flow, which an audit does not know, or on what
// was not read or not understood of it.
const Restricted Kind = "restricted"

func takeRestricted(_ *auditor, f *Finding, _ *byCause) bool {
	switch f.Reason.Code {
	case forward.FilterNotRead, forward.RulesLeftOut, forward.PolicyRouted, forward.CapturesBlended,
		forward.AnswerTranslated, forward.ConfigurationCut, forward.ForwardingNotTold, forward.WhereApplied, forward.RuleNotUnderstood,
		forward.OwnFiltered, forward.FlowNotTold:
	default:
		return false
	}
	f.Severity = Note
	f.Repair = []Repair{{Kind: PermitFlow, Device: f.Device}}
	return f.Pairs > 0
}
