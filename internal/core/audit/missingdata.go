package audit

import (
	"zarvek/internal/core/forward"
	"zarvek/internal/core/selection"
)

// MissingData means that paths lead to a device or table that the case does not have, or to something that captures
// cannot tell.
const MissingData Kind = "data-missing"

// takeMissingData takes what cannot be told or leaves the case, and says what to capture.
func takeMissingData(a *auditor, f *Finding, g *byCause) bool {
	if f.Verdict != forward.Unknown && f.Verdict != forward.Leaves || f.Pairs == 0 ||
		f.Reason.Code == forward.BroadcastAddress {
		return false
	}
	f.Severity = min(f.Severity, Risk) // not known to be lost
	kind := CaptureDevice
	switch f.Reason.Code {
	case forward.TableMissing, forward.TableFiltered, forward.TableLacks, forward.TableCut, forward.RowUnread,
		forward.ChangedSince, forward.AnsweredOtherwise, forward.RulesMissing:
		kind = CaptureTable
	case forward.CapturesContradict:
		kind = CaptureAnew
	case forward.SharedAddress, forward.GatewayShared:
		kind = FindHolder
	case forward.TunnelUntold, forward.TunnelElsewhere, forward.TunnelOtherEnds:
		kind = CompareTunnel
	case forward.Encapsulated, forward.Unresolved:
		if f.Reason.Failure == selection.Untold {
			kind = CaptureTable
		}
		if f.Reason.Code == forward.Encapsulated || f.Reason.Failure == selection.InOtherTable {
			kind = FindFarEnd
		}
	}
	f.Repair = []Repair{{Kind: kind, Device: f.Device, NextHop: f.Reason.Address, Interface: f.Reason.Interface}}
	return true
}
