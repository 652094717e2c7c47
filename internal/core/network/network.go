// Package network holds what all captures of a case together say: devices with their tables, addresses, interfaces
// and neighbours. It is built once from readings and is read-only afterwards, so any number of walks may share it.
//
// It merges several captures of one device into one picture and keeps the differences between them. It does not
// follow packets and does not decide who owns an address: topology and forward do.
package network

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// A Snapshot is what one case says of a network at one moment: its devices, by name, and the hosts of the notes. It
// is frozen: nothing that it hands out can change it, so any number of walks may share it. A Draft makes another
// snapshot of it. The zero Snapshot is empty.
type Snapshot struct {
	devices  []*Device
	hosts    []Host
	numbered []*Device      // by number; nil where an overlay took the device out
	numbers  map[string]int // by name; shared by all overlays
	oneArea  map[route.Protocol]route.Mark
}

// Devices returns the devices by name.
func (n *Snapshot) Devices() Items[*Device] { return Items[*Device]{n.devices} }

// Hosts returns the hosts that the notes tell of.
func (n *Snapshot) Hosts() Items[Host] { return Items[Host]{n.hosts} }

// OneArea returns where it is noted that all routers of a link-state protocol are of one area or level, whatever tables
// show; false where it is not.
func (n *Snapshot) OneArea(p route.Protocol) (route.Mark, bool) {
	m, ok := n.oneArea[p]
	return m, ok
}

// Device returns the device of that name, or nil.
func (n *Snapshot) Device(name string) *Device {
	if i, ok := n.numbers[name]; ok {
		return n.numbered[i]
	}
	return nil
}

// Numbered returns the device of a number, nil where an overlay took it out.
func (n *Snapshot) Numbered(i int) *Device { return n.numbered[i] }

// A Device is one router, firewall or host with captures.
type Device struct {
	Name string
	// the line that says that IPv4 lookups are classful (RFC 1812 section 5.2.4.3 forbids it); none: they are not
	Classful route.Mark
	Unread   int // lines that could not be read although they stand in a table or list that was

	tables        []*Table // by name, the default table first, IPv4 before IPv6
	addresses     []Address
	told          []Address // of addresses those that captures list as such, not those that local routes show
	idle          []Address // that come with their interface
	interfaces    []Interface
	interfaceAt   map[string]int // by name
	neighbours    []Neighbour
	neighboursAt  map[netip.Addr][]int // by address
	switches      []Switch
	rules         []Rule // by priority
	rulesFirst    bool   // some of them are asked before own addresses
	statics       []Static
	staticsTo     []Static // the same, by prefix
	sessions      []Session
	tracked       []TrackedObject
	trackedAt     map[string][]TrackedObject
	sessionsAt    map[netip.Addr][]Session
	checks        []SourceCheck
	protocols     []ProtocolInterface
	redistributed []Redistribution
	bgp           []BGPStatement
	virtuals      []VirtualAddress
	virtualAt     map[netip.Addr][]VirtualAddress
	policy        Policy
	blended       route.Mark
	chains        []Chain            // of the policy's rules
	chainsAt      map[string][]int32 // by the interface that they name, "" for none: numbers of chains
	// of the policy's translations
	changesSource, changesDestination ruleIndex
	asksState                         bool // one of them asks whether a flow was seen
	partsFlows                        bool // one of them is not for all packets of a flow
	steers                            bool // one of them sends packets another way than their destination tells
	own                               map[netip.Addr][]int
	number                            int
}

// Number returns the device's number: 0, 1, … in the order of a case's devices. It is the same in every overlay, so
// it can name the device where two snapshots stand side by side.
func (d *Device) Number() int { return d.number }

// RoutesAlone reports whether two devices, one of an overlay of the other's snapshot, differ in routes alone. It may
// be false where an edit put the same in place of something.
func (d *Device) RoutesAlone(o *Device) bool {
	return d.AlikeBesidesInterfaces(o) && d.Addresses().Same(o.Addresses()) &&
		(Items[Address]{d.told}).Same(Items[Address]{o.told}) && d.Idle().Same(o.Idle()) &&
		d.Interfaces().Same(o.Interfaces()) && d.Virtuals().Same(o.Virtuals())
}

// AlikeBesidesInterfaces reports whether two devices, one of an overlay of the other's snapshot, differ in nothing but
// routes and what single interfaces have: their states and addresses. It may be false as RoutesAlone.
func (d *Device) AlikeBesidesInterfaces(o *Device) bool {
	p, q := &d.policy, &o.policy
	return d.Classful == o.Classful && d.Neighbours().Same(o.Neighbours()) &&
		(Items[Switch]{d.switches}).Same(Items[Switch]{o.switches}) && d.Rules().Same(o.Rules()) &&
		d.Statics().Same(o.Statics()) && d.Sessions().Same(o.Sessions()) &&
		d.Tracked().Same(o.Tracked()) && d.Checks().Same(o.Checks()) &&
		d.Protocols().Same(o.Protocols()) && d.Redistributed().Same(o.Redistributed()) && d.BGP().Same(o.BGP()) &&
		d.Flows().Same(o.Flows()) && d.Translations().Same(o.Translations()) &&
		d.Tunnels().Same(o.Tunnels()) && p.Stateful == q.Stateful && p.StatefulOf == q.StatefulOf && p.AllOfEqual == q.AllOfEqual &&
		p.AllRules4 == q.AllRules4 && p.AllRules6 == q.AllRules6 && p.SetsMarks == q.SetsMarks &&
		len(d.tables) == len(o.tables)
}

// Tables returns the device's tables by name, the default table first, IPv4 before IPv6.
func (d *Device) Tables() Items[*Table] { return Items[*Table]{d.tables} }

// Addresses returns the device's own addresses.
func (d *Device) Addresses() Items[Address] { return Items[Address]{d.addresses} }

// Idle returns the addresses that become the device's own as soon as their interface comes up, as captures tell.
func (d *Device) Idle() Items[Address] { return Items[Address]{d.idle} }

// Interfaces returns what captures say of its interfaces, each once.
func (d *Device) Interfaces() Items[Interface] { return Items[Interface]{d.interfaces} }

// Neighbours returns its ARP and neighbour discovery (ND) entries.
func (d *Device) Neighbours() Items[Neighbour] { return Items[Neighbour]{d.neighbours} }

// Rules returns its policy rules by priority.
func (d *Device) Rules() Items[Rule] { return Items[Rule]{d.rules} }

// AsksRulesFirst reports whether one of its policy rules is asked before its own addresses are.
func (d *Device) AsksRulesFirst() bool { return d.rulesFirst }

func (d *Device) setRules(rules []Rule) {
	d.rules = mergeRules(rules)
	d.rulesFirst = slices.ContainsFunc(d.rules, func(r Rule) bool { return r.BeforeOwn })
}

// ListsRules reports whether policy rules for packets of a family were captured.
func (d *Device) ListsRules(f route.Family) bool {
	return slices.ContainsFunc(d.rules, func(r Rule) bool { return r.Family == 0 || r.Family == f })
}

// Statics returns its configured static routes.
func (d *Device) Statics() Items[Static] { return Items[Static]{d.statics} }

// StaticsTo returns its configured static routes to a prefix, in the order of Statics.
func (d *Device) StaticsTo(p netip.Prefix) Items[Static] {
	p = p.Masked()
	lo, _ := slices.BinarySearchFunc(d.staticsTo, p,
		func(s Static, p netip.Prefix) int { return s.Prefix.Masked().Compare(p) })
	hi := lo
	for hi < len(d.staticsTo) && d.staticsTo[hi].Prefix.Masked() == p {
		hi++
	}
	return Items[Static]{d.staticsTo[lo:hi:hi]}
}

func (d *Device) setStatics(all []Static) {
	d.statics, d.staticsTo = all, slices.Clone(all)
	slices.SortStableFunc(d.staticsTo, func(a, b Static) int { return a.Prefix.Masked().Compare(b.Prefix.Masked()) })
}

// Sessions returns its liveness sessions (BFD and the like).
func (d *Device) Sessions() Items[Session] { return Items[Session]{d.sessions} }

// Tracked returns the objects that it watches, as often as captures tell of one.
func (d *Device) Tracked() Items[TrackedObject] { return Items[TrackedObject]{d.tracked} }

// Checks returns its source checks (RFC 3704), for all interfaces or one.
func (d *Device) Checks() Items[SourceCheck] { return Items[SourceCheck]{d.checks} }

// Protocols returns what its configuration says of routing protocols on interfaces.
func (d *Device) Protocols() Items[ProtocolInterface] { return Items[ProtocolInterface]{d.protocols} }

// Redistributed returns what its configuration lets routing protocols announce of others' routes.
func (d *Device) Redistributed() Items[Redistribution] { return Items[Redistribution]{d.redistributed} }

// BGP returns what its configuration says of how it speaks BGP.
func (d *Device) BGP() Items[BGPStatement] { return Items[BGPStatement]{d.bgp} }

// LacksLines reports whether lines of its configuration, or rules, are missing: the end was cut off, a search left some
// out, or who kept the text did.
func (d *Device) LacksLines() bool {
	return slices.ContainsFunc(d.policy.Flows,
		func(r FlowRule) bool { return r.Missing == LeftOut || r.Missing == CutOff })
}

// Flows returns its rules for flows, in order.
func (d *Device) Flows() Items[FlowRule] { return Items[FlowRule]{d.policy.Flows} }

// Translations returns its address translations (NAT), in order.
func (d *Device) Translations() Items[Translation] { return Items[Translation]{d.policy.Translations} }

// Tunnels returns its tunnels.
func (d *Device) Tunnels() Items[Tunnel] { return Items[Tunnel]{d.policy.Tunnels} }

// Tunnel returns the tunnel behind an interface.
func (d *Device) Tunnel(ifname string) (Tunnel, bool) { return tunnelOf(d.policy.Tunnels, ifname) }

// ListsAddresses reports whether the device's addresses of a family were captured as a whole: a list that has its
// loopback address of that family has all.
func (d *Device) ListsAddresses(f route.Family) bool {
	return slices.ContainsFunc(d.told, func(a Address) bool {
		return !a.Configured && !a.First && a.Prefix.Addr().IsLoopback() && route.FamilyOf(a.Prefix.Addr()) == f
	})
}

// MayOwnMore reports whether the device may have addresses of a family that no capture shows: a kernel keeps single
// addresses out of the table that it forwards by, but for its local one.
func (d *Device) MayOwnMore(f route.Family) bool {
	if f != route.IPv4 || d.ListsAddresses(f) {
		return false
	}
	kernel := false
	for _, t := range d.Tables().All() {
		if t.Family != f {
			continue
		}
		kernel = kernel || t.Kernel
		if t.Chosen {
			return false
		}
		for id := range t.rows.Shared() {
			if t.rows.Attributes(route.AttrID(id)).Protocol == route.Local {
				return false
			}
		}
	}
	return kernel
}

// Lacks6 reports whether an interface is shown to have no IPv6 address: a kernel gives every one that speaks IPv6 one of
// its link (RFC 4862 section 5.3), or is told not to.
func (d *Device) Lacks6(ifname string) bool {
	return d.ListsAddressesOf(route.IPv6, ifname) &&
		!slices.ContainsFunc(slices.Concat(d.addresses, d.idle), func(a Address) bool {
			return a.Interface == ifname && a.Prefix.Addr().Is6()
		})
}

// ListsAddressesOf reports whether all addresses of one family on an interface were captured: the list that tells of
// the interface has the loopback interface with its address of that family too. A table of routes that shows the
// loopback address is no such list.
func (d *Device) ListsAddressesOf(f route.Family, ifname string) bool {
	listed := func(name string, a Address) bool {
		m := d.Interface(name).Mark
		return m.Known() && m.File == a.Mark.File
	}
	return slices.ContainsFunc(d.told, func(a Address) bool {
		return !a.Configured && !a.First && a.Prefix.Addr().IsLoopback() && route.FamilyOf(a.Prefix.Addr()) == f &&
			listed(a.Interface, a) && listed(ifname, a)
	})
}

// Bare reports whether the addresses of a family that an interface has once it is up were not captured. A kernel drops
// the IPv6 addresses of an interface that goes down, so that none in a list says nothing.
func (d *Device) Bare(ifname string, f route.Family) bool {
	listed := false
	for _, a := range slices.Concat(d.addresses, d.idle) {
		if route.FamilyOf(a.Prefix.Addr()) != f || a.Prefix.Addr().IsLinkLocalUnicast() ||
			a.Prefix.Addr().IsLoopback() {
			continue
		}
		if a.Interface == ifname {
			return false
		}
		listed = true
	}
	return f == route.IPv6 || !listed
}

// ListsFilters reports whether all of the kernel's filters for a family were captured.
func (d *Device) ListsFilters(f route.Family) bool {
	if f == route.IPv6 {
		return d.policy.AllRules6
	}
	return d.policy.AllRules4
}

// Unmarked reports whether packets of a family are known to have no mark: all of the kernel's filters for it were
// captured, and none puts one on.
func (d *Device) Unmarked(f route.Family) bool { return d.ListsFilters(f) && !d.policy.SetsMarks }

// Stateful returns the line that says that the device keeps state of flows; none: it does not.
func (d *Device) Stateful() route.Mark { return d.policy.Stateful }

// StatefulFor is Stateful of the flows of one family.
func (d *Device) StatefulFor(f route.Family) route.Mark {
	if of := d.policy.StatefulOf; of != 0 && of != f {
		return route.Mark{}
	}
	return d.policy.Stateful
}

// Blended returns a line that shows the device's captures to be those of several devices, namespaces or instances;
// none: they are one's.
func (d *Device) Blended() route.Mark { return d.blended }

// Table returns the table of that name and family, or nil where none was captured.
func (d *Device) Table(name string, f route.Family) *Table {
	for _, t := range d.tables {
		if t.Name == name && t.Family == f {
			return t
		}
	}
	return nil
}

// Own returns the device's own addresses equal to a: more than one where the address stands on several interfaces.
func (d *Device) Own(a netip.Addr) []Address {
	var out []Address
	for _, i := range d.own[a] {
		out = append(out, d.addresses[i])
	}
	return out
}

// Interface returns what is known of an interface; the zero Interface where nothing is.
func (d *Device) Interface(name string) Interface {
	if i, ok := d.interfaceAt[name]; ok {
		return d.interfaces[i]
	}
	return Interface{}
}

// Neighbour returns the entry for an address on an interface ("": any), and whether there is one.
// An entry that answered wins over one that did not.
func (d *Device) Neighbour(a netip.Addr, ifname string) (Neighbour, bool) {
	var best Neighbour
	found := false
	for _, i := range d.neighboursAt[a] {
		n := d.neighbours[i]
		if ifname != "" && n.Interface != "" && n.Interface != ifname {
			continue
		}
		if !found || n.State == NeighbourAlive {
			best, found = n, true
		}
	}
	return best, found
}

// Forwards returns the device's switch for a family; On is also true where no capture shows it, and ok is then false.
func (d *Device) Forwards(f route.Family) (s Switch, ok bool) {
	for _, s := range d.switches {
		if s.Family == f && s.Interface == "" {
			return s, true
		}
	}
	return Switch{Family: f, On: true}, false
}

// ForwardsFrom is Forwards of what comes in by an interface, whose own switch counts where it has one.
func (d *Device) ForwardsFrom(f route.Family, ifname string) (s Switch, ok bool) {
	for _, s := range d.switches {
		if s.Family == f && s.Interface == ifname && ifname != "" {
			return s, true
		}
	}
	return d.Forwards(f)
}

// SwitchesApart reports whether an interface has a switch that is not set as that of all.
func (d *Device) SwitchesApart() bool {
	return slices.ContainsFunc(d.switches, func(s Switch) bool {
		all, _ := d.Forwards(s.Family)
		return s.Interface != "" && s.On != all.On
	})
}

// SourceCheck returns how the device judges the source of packets of a family that come in by an interface.
func (d *Device) SourceCheck(ifname string, f route.Family) SourceCheck {
	var best SourceCheck
	for _, c := range d.checks {
		if c.Family != 0 && c.Family != f || c.Interface != "" && c.Interface != ifname {
			continue
		}
		// What names the interface counts, but for kernels, where the larger of the two settings does.
		if !best.Mark.Known() || c.Combine && best.Combine && c.Mode > best.Mode ||
			!(c.Combine && best.Combine) && c.Interface != "" {
			best = c
		}
	}
	best.Bare = best.Combine && best.Mode == CheckLoose && d.ListsAddresses(route.IPv4) &&
		!d.Addresses().Any(func(a Address) bool { return a.Interface == ifname && a.Prefix.Addr().Is4() })
	return best
}

// Numbers returns how many numbers devices have: those of an overlay's removed devices count.
func (n *Snapshot) Numbers() int { return len(n.numbered) }
