package audit

import (
	"net/netip"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
	"zarvek/internal/core/topology"
)

// A Detail is what a finding of one kind says beyond what all findings say. Each kind has one type of it, named beside it; the kinds
// that are told by their decision, their prefixes and their reason alone have none.
type Detail interface{ detail() }

// SwallowedDetail, of Swallowed.
type SwallowedDetail struct {
	Instead route.Route // what would carry the addresses; without attributes: nothing
}

// SourceCheckDetail, of SourceCheck.
type SourceCheckDetail struct {
	Interface string     // that judges
	Own       netip.Addr // the device's own address that comes in as a source; invalid: it is another one's
}

// NetworkDownDetail, of NetworkDown.
type NetworkDownDetail struct{ Interface string }

// HopDownDetail, of HopDown: whether anything could notice that the next hop is down.
type HopDownDetail struct{ Liveness forward.Liveness }

// OneSidedDetail, of OneSided where flows of pairs that work are concerned.
type OneSidedDetail struct {
	Pairs    int          // of networks
	From, To netip.Prefix // one of them
}

// BackupDetail, of PreferenceTooGood, BackupCannotFloat and BackupInUse.
type BackupDetail struct {
	Route, Against route.Route
	Trap           selection.RemarkKind
	NeverUsed      uint64 // the preference with which the route is never used; 0: that is not what is wrong
}

// TrialDetail, of BackupFails.
type TrialDetail struct {
	Trial Trial
	To    netip.Addr // the packet that was tried
}

// StaticDetail, of StaticUnusable.
type StaticDetail struct {
	Route route.Route
	Fate  selection.Fate
}

// DifferenceDetail, of TablesDiffer.
type DifferenceDetail struct{ Kind network.DifferenceKind }

// DetectionDetail, of NoDetection and HalfDetection: a next hop, and the sessions of the two ends.
type DetectionDetail struct {
	Address   netip.Addr
	Interface string
	Liveness  forward.Liveness
}

// InterfaceOnlyDetail, of InterfaceOnly.
type InterfaceOnlyDetail struct{ Interface string }

// ClashDetail, of DuplicateAddress, MasksDiffer and NetworksOverlap.
type ClashDetail struct {
	Address     netip.Addr // that two devices have
	Here, There topology.Attachment
}

// ApartDetail, of CapturesApart.
type ApartDetail struct {
	Minutes int
	Newest  string // the device captured last
}

// UnreadDetail, of LinesUnread.
type UnreadDetail struct{ Lines int }

func (SwallowedDetail) detail()     {}
func (SourceCheckDetail) detail()   {}
func (NetworkDownDetail) detail()   {}
func (HopDownDetail) detail()       {}
func (OneSidedDetail) detail()      {}
func (BackupDetail) detail()        {}
func (TrialDetail) detail()         {}
func (StaticDetail) detail()        {}
func (DifferenceDetail) detail()    {}
func (DetectionDetail) detail()     {}
func (InterfaceOnlyDetail) detail() {}
func (ClashDetail) detail()         {}
func (ApartDetail) detail()         {}
func (UnreadDetail) detail()        {}
