package audit

import (
	"net/netip"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
	"zarvek/internal/core/topology"
)

// A Detail is what a finding of one kind says beyond what all findings say. Each kind has one type of it, named
// beside it; the kinds that are told by their decision, their prefixes and their reason alone have none.
type Detail interface{ detail() }

// A SwallowedDetail is what Swallowed says.
type SwallowedDetail struct {
	Instead route.Route // what would carry the addresses; without attributes: nothing
}

// A SourceCheckDetail is what SourceCheck says.
type SourceCheckDetail struct {
	Interface string     // that judges
	Own       netip.Addr // the device's own address that comes in as a source; invalid: it is another one's
}

// A NetworkDownDetail is what NetworkDown says.
type NetworkDownDetail struct{ Interface string }

// A HopDownDetail is what HopDown says: whether anything could notice that the next hop is down.
type HopDownDetail struct{ Liveness forward.Liveness }

// A OneSidedDetail is what OneSided says where flows of pairs that work are concerned.
type OneSidedDetail struct {
	Pairs    int          // of networks
	From, To netip.Prefix // one of them
}

// A BackupDetail is what PreferenceTooGood, BackupCannotFloat and BackupInUse say.
type BackupDetail struct {
	Route, Against route.Route
	Trap           selection.RemarkKind
	NeverUsed      uint64 // the preference with which the route is never used; 0: that is not what is wrong
}

// A TrialDetail is what BackupFails says.
type TrialDetail struct {
	Trial Trial
	To    netip.Addr // the packet that was tried
}

// A StaticDetail is what StaticUnusable and StaticNotShown say.
type StaticDetail struct{ selection.Configured }

// A DifferenceDetail is what TablesDiffer says.
type DifferenceDetail struct{ Kind network.DifferenceKind }

// A DetectionDetail is what NoDetection and HalfDetection say: a next hop, and the sessions of the two ends.
type DetectionDetail struct {
	Address   netip.Addr
	Interface string
	Liveness  forward.Liveness
}

// An InterfaceOnlyDetail is what InterfaceOnly says.
type InterfaceOnlyDetail struct{ Interface string }

// A ClashDetail is what DuplicateAddress, MasksDiffer and NetworksOverlap say.
type ClashDetail struct {
	Address     netip.Addr // that two devices have
	Here, There topology.Attachment
}

// An ApartDetail is what CapturesApart says.
type ApartDetail struct {
	Minutes int
	Newest  string // the device captured last
}

// A MovedDetail is what TableMoved says.
type MovedDetail Moved

// An UnreadDetail is what LinesUnread says.
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
func (MovedDetail) detail()         {}
