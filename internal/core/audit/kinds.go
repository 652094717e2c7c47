package audit

import (
	"net/netip"
	"slices"
)

// A Kind is what sort of thing a finding is. The zero Kind is none.
type Kind string

// lostKind is a kind of the causes at which packets end. Take fills in what the kind alone knows, and returns false where
// the finding is not of it.
type lostKind struct {
	kind Kind
	take func(a *auditor, f *Finding, g *byCause) bool
}

// lostKinds in the order in which they are asked: the first that takes a cause has it.
func lostKinds() []lostKind {
	return []lostKind{
		{NetworkDown, takeNetworkDown}, {DeadBranch, takeDeadBranch}, {DefaultLoop, takeDefaultLoop}, {Loop, takeLoop}, {NoRoute, takeNoRoute}, {Swallowed, takeSwallowed},
		{ForwardingOff, takeForwardingOff}, {SourceCheck, takeSourceCheck}, {OneSided, takeOneSided}, {Filtered, takeFiltered},
		{OneWay, takeOneWay}, {HostSettings, takeHostSettings}, {SilentHost, takeSilentHost}, {HopUnresolved, takeHopUnresolved}, {HopDown, takeHopDown}, {HopUnowned, takeHopUnowned},
		{WrongSide, takeWrongSide}, {MissingData, takeMissingData},
	}
}

// sceneKinds find what the tables, addresses and captures show by themselves.
func sceneKinds() []func(s *scene) []Finding {
	return []func(s *scene) []Finding{
		findBackups, findStatics, findBackupFails, findTablesDiffer, findOneSided, findDetection, findInterfaceOnly, findClashes, findApart, findUnread,
	}
}

// Kinds lists every kind in the order in which an engineer would work through them.
func Kinds() []Kind {
	return []Kind{Loop, DefaultLoop, NoRoute, OneWay, WrongSide, Swallowed, HopUnresolved, HopUnowned, HopDown, NetworkDown, DeadBranch, ForwardingOff,
		SourceCheck, OneSided, Filtered, SilentHost, HostSettings, PreferenceTooGood, BackupCannotFloat, BackupFails, BackupInUse, StaticUnusable, TablesDiffer,
		NoDetection, HalfDetection, InterfaceOnly, DuplicateAddress, MasksDiffer, NetworksOverlap, MissingData, CapturesApart, LinesUnread}
}

// classify finds the kind, severity and repair of a cause; false where it is not worth telling.
func (a *auditor) classify(f *Finding, g *byCause) bool {
	for _, k := range lostKinds() {
		f.Severity = a.severity(f)
		if k.take(a, f, g) {
			f.Kind = k.kind
			if f.Weak && f.Severity != dropped {
				f.Severity = min(f.Severity, Risk)
			}
			return f.Severity != dropped
		}
	}
	return false
}

// dropped marks what is not worth telling.
const dropped Severity = 255

// together reports whether two networks have a routing table of one name: others are mostly kept apart on purpose.
func (a *auditor) together(x, y netip.Prefix) bool {
	tables := func(p netip.Prefix) []string {
		out := []string{}
		for _, at := range a.walker.Topology().AttachedTo(p) {
			out = append(out, at.Table)
		}
		if len(out) == 0 {
			for _, at := range a.walker.Topology().Owners(p.Addr()) {
				out = append(out, at.Table)
			}
		}
		return out
	}
	there := tables(y)
	if len(there) == 0 || len(tables(x)) == 0 {
		return true
	}
	return slices.ContainsFunc(tables(x), func(t string) bool { return slices.Contains(there, t) })
}

// severity weighs the losses: between networks with hosts they are faults; of a device's own address outside of any
// network a risk, since that is how devices are managed; of a network between devices, where no host is known,
// worth a note, since nobody else sends there. Without losses packets to addresses that nobody captured has get lost.
func (a *auditor) severity(f *Finding) Severity {
	if len(f.Losses) == 0 {
		return Risk
	}
	worst := Note
	for _, l := range f.Losses {
		if s := min(a.worth(l.From), a.worth(l.To)); s > worst && a.together(l.From, l.To) {
			worst = s
		}
	}
	return worst
}

// worth is the severity of a loss between this network and one with hosts.
func (a *auditor) worth(net netip.Prefix) Severity {
	if s, ok := a.worths[net]; ok {
		return s
	}
	s := Fault
	switch {
	case a.walker.Topology().Transit(net):
		s = Note
	case net.IsSingleIP():
		s = Risk
	}
	a.worths[net] = s
	return s
}
