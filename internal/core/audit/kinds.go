package audit

import (
	"net/netip"
	"slices"
)

// A Kind is what sort of thing a finding is. The zero Kind is none.
type Kind string

// kindOf is everything that the audit knows of a kind.
type kindOf struct {
	kind Kind
	what string // in one line, for people
	// take, of a kind of causes at which packets end, fills in what the kind alone knows, and returns false where the
	// finding is not of it. Causes are offered to the kinds in the order of asked, and the first that takes one has
	// it.
	take  func(a *auditor, f *Finding, g *byCause) bool
	asked int
	// find, of a kind that tables, addresses and captures show by themselves, finds them; several kinds may be found
	// by one.
	find func(s *caseView) []Finding
}

// kinds lists every kind, in the order in which an engineer would work through them. A new kind is a file beside this
// one and a line here; how it is worded is for present.
func kinds() []kindOf {
	return []kindOf{
		{kind: Loop, what: "packets go round between devices", take: takeLoop, asked: 4},
		{
			kind:  DefaultLoop,
			what:  "default routes point at each other, so that what no longer prefix covers goes round",
			take:  takeDefaultLoop,
			asked: 3,
		},
		{
			kind:  NoRoute,
			what:  "a device has no route to a network that is attached elsewhere",
			take:  takeNoRoute,
			asked: 5,
		},
		{
			kind: OneWay,
			what: "packets arrive and their replies do not come back (with -only also each other kind that loses " +
				"replies alone)",
			take:  takeOneWay,
			asked: 11,
		},
		{
			kind:  WrongSide,
			what:  "packets to a network of the case leave the captured devices by a default route",
			take:  takeWrongSide,
			asked: 17,
		},
		{
			kind: Swallowed,
			what: "a route that discards or refuses takes addresses that are attached elsewhere, or that a shorter " +
				"route would carry",
			take:  takeSwallowed,
			asked: 6,
		},
		{
			kind:  HopUnresolved,
			what:  "a route forwards to a next hop that no other route leads to",
			take:  takeHopUnresolved,
			asked: 14,
		},
		{
			kind:  HopUnowned,
			what:  "a route forwards to an address that nobody has, or that is not on that link",
			take:  takeHopUnowned,
			asked: 16,
		},
		{
			kind:  HopDown,
			what:  "a route forwards to a device whose interface is down, or out of an interface that is down",
			take:  takeHopDown,
			asked: 15,
		},
		{
			kind:  NetworkDown,
			what:  "a network is attached only by an interface that is down",
			take:  takeNetworkDown,
			asked: 1,
		},
		{kind: DeadBranch, what: "of several equal next hops one leads to an end", take: takeDeadBranch, asked: 2},
		{
			kind:  ForwardingOff,
			what:  "a device on a path does not forward the family at all",
			take:  takeForwardingOff,
			asked: 7,
		},
		{
			kind:  SourceCheck,
			what:  "a reverse-path check drops packets of an existing path",
			take:  takeSourceCheck,
			asked: 8,
		},
		{
			kind:  OneSided,
			what:  "a stateful device sees one direction of a path only",
			take:  takeOneSided,
			asked: 9,
			find:  findOneSided,
		},
		{
			kind:  Filtered,
			what:  "rules of a device do not permit the packets, which may be meant so",
			take:  takeFiltered,
			asked: 10,
		},
		{
			kind:  Restricted,
			what:  "whether packets pass hangs on a filter: on the flow, or on what was not understood of it",
			take:  takeRestricted,
			asked: 19,
		},
		{
			kind:  SilentHost,
			what:  "nobody answers for a single address of an attached network",
			take:  takeSilentHost,
			asked: 13,
		},
		{
			kind:  HostSettings,
			what:  "a host of notes.yaml has a mask or a gateway that keeps its packets from the router",
			take:  takeHostSettings,
			asked: 12,
		},
		{
			kind: PreferenceTooGood,
			what: "a static route is used although a routing protocol knows the prefix",
			find: findBackups,
		},
		{
			kind: BackupCannotFloat,
			what: "a route that was meant as a backup cannot be one: a longer prefix, or a next hop that nothing " +
				"leads to",
		},
		{
			kind: BackupFails,
			what: "a route that waits for another one's failure leads onto a path that fails out or back",
			find: findBackupFails,
		},
		{kind: BackupInUse, what: "a route with a backup's preference is used, and nothing better is there"},
		{
			kind: StaticUnusable,
			what: "a configured static route is not in the table and could not be",
			find: findStatics,
		},
		{kind: StaticNotShown, what: "a configured static route could be used, and is not in the table"},
		{
			kind: TablesDiffer,
			what: "what a device chose and what it forwards by differ, or captures of it contradict each other",
			find: findTablesDiffer,
		},
		{
			kind: NoDetection,
			what: "a static route over a shared segment, and nothing would notice the next hop's death",
			find: findDetection,
		},
		{kind: HalfDetection, what: "only one end of a link has a liveness session with the other"},
		{
			kind: InterfaceOnly,
			what: "a static route names an interface on a shared segment and no next hop",
			find: findInterfaceOnly,
		},
		{kind: DuplicateAddress, what: "two devices have one address", find: findClashes},
		{kind: MasksDiffer, what: "interfaces on one segment have networks of different length"},
		{kind: NetworksOverlap, what: "an attached network lies inside of another one on a different segment"},
		{kind: CostsDisagree, what: "captured metrics give several costs for one way between two routers",
			find: findCosts},
		{kind: CostsDiffer, what: "the two ends of a link count it differently in a routing protocol"},
		{
			kind:  MissingData,
			what:  "paths lead to a device or table that the case does not have",
			take:  takeMissingData,
			asked: 20,
		},
		{kind: CapturesApart, what: "the devices were captured at times far apart", find: findApart},
		{kind: TableMoved, what: "a table changed while its device was captured", find: findMoved},
		{
			kind: LinesUnread,
			what: "lines in a table or list could not be read; a route may stand in them",
			find: findUnread,
		},
	}
}

// Kinds lists every kind in the order in which an engineer would work through them.
func Kinds() []Kind {
	var out []Kind
	for _, k := range kinds() {
		out = append(out, k.kind)
	}
	return out
}

// What says in one line what a kind is, "" for one that there is not.
func (k Kind) What() string {
	for _, x := range kinds() {
		if x.kind == k {
			return x.what
		}
	}
	return ""
}

// lostKinds are the kinds of causes at which packets end, in the order in which they are asked.
func lostKinds() []kindOf {
	out := slices.DeleteFunc(kinds(), func(k kindOf) bool { return k.take == nil })
	slices.SortFunc(out, func(x, y kindOf) int { return x.asked - y.asked })
	return out
}

// classify finds the kind, severity and repair of a cause; false where it is not worth telling.
func (a *auditor) classify(f *Finding, g *byCause) bool {
	for _, k := range a.lostKinds {
		f.Severity = f.worst
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

// worth is the severity of a loss between this network and one with hosts, where it is a fault; a device's own address
// outside of any network is worth a risk, since that is how devices are managed, and a network between devices, where
// no host is known, a note, since nobody else sends there.
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
