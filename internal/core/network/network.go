// Package network holds what all captures of a case together say: devices with their tables, addresses, interfaces
// and neighbours. It is built once from readings and is read-only afterwards, so any number of walks may share it.
//
// It merges several captures of one device into one picture and keeps the differences between them. It does not
// follow packets and does not decide who owns an address: topology and forward do.
package network

import (
	"cmp"
	"maps"
	"net/netip"
	"slices"
	"strings"

	"go4.org/netipx"

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
}

// Devices returns the devices by name.
func (n *Snapshot) Devices() Items[*Device] { return Items[*Device]{n.devices} }

// Hosts returns the hosts that the notes tell of.
func (n *Snapshot) Hosts() Items[Host] { return Items[Host]{n.hosts} }

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
	statics       []Static
	sessions      []Session
	checks        []SourceCheck
	protocols     []ProtocolInterface
	redistributed []Redistribution
	virtuals      []VirtualAddress
	policy        Policy
	chains        []Chain // of the policy's rules
	asksState     bool    // one of them asks whether a flow was seen
	steers        bool    // one of them sends packets another way than their destination tells
	own           map[netip.Addr][]int
	number        int
}

// Number returns the device's number: 0, 1, … in the order of a case's devices. It is the same in every overlay, so
// it can name the device where two snapshots stand side by side.
func (d *Device) Number() int { return d.number }

// RoutesAlone reports whether two devices, one of an overlay of the other's snapshot, differ in routes alone. It may
// be false where an edit put the same in place of something.
func (d *Device) RoutesAlone(o *Device) bool {
	p, q := &d.policy, &o.policy
	return d.Classful == o.Classful && d.Addresses().Same(o.Addresses()) &&
		(Items[Address]{d.told}).Same(Items[Address]{o.told}) && d.Idle().Same(o.Idle()) &&
		d.Interfaces().Same(o.Interfaces()) && d.Neighbours().Same(o.Neighbours()) &&
		(Items[Switch]{d.switches}).Same(Items[Switch]{o.switches}) && d.Rules().Same(o.Rules()) &&
		d.Statics().Same(o.Statics()) && d.Sessions().Same(o.Sessions()) && d.Checks().Same(o.Checks()) &&
		d.Protocols().Same(o.Protocols()) && d.Redistributed().Same(o.Redistributed()) &&
		d.Virtuals().Same(o.Virtuals()) && d.Flows().Same(o.Flows()) && d.Translations().Same(o.Translations()) &&
		d.Tunnels().Same(o.Tunnels()) && p.Stateful == q.Stateful && p.AllOfEqual == q.AllOfEqual &&
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

// Statics returns its configured static routes.
func (d *Device) Statics() Items[Static] { return Items[Static]{d.statics} }

// Sessions returns its liveness sessions (BFD and the like).
func (d *Device) Sessions() Items[Session] { return Items[Session]{d.sessions} }

// Checks returns its source checks (RFC 3704), for all interfaces or one.
func (d *Device) Checks() Items[SourceCheck] { return Items[SourceCheck]{d.checks} }

// Protocols returns what its configuration says of routing protocols on interfaces.
func (d *Device) Protocols() Items[ProtocolInterface] { return Items[ProtocolInterface]{d.protocols} }

// Redistributed returns what its configuration lets routing protocols announce of others' routes.
func (d *Device) Redistributed() Items[Redistribution] { return Items[Redistribution]{d.redistributed} }

// Flows returns its rules for flows, in order.
func (d *Device) Flows() Items[FlowRule] { return Items[FlowRule]{d.policy.Flows} }

// Translations returns its address translations (NAT), in order.
func (d *Device) Translations() Items[Translation] { return Items[Translation]{d.policy.Translations} }

// Tunnels returns its tunnels.
func (d *Device) Tunnels() Items[Tunnel] { return Items[Tunnel]{d.policy.Tunnels} }

// Tunnel returns the tunnel behind an interface.
func (d *Device) Tunnel(ifname string) (Tunnel, bool) { return d.policy.Tunnel(ifname) }

// ListsAddresses reports whether the device's addresses were captured as a whole: a list that has its loopback address
// has all.
func (d *Device) ListsAddresses() bool {
	return slices.ContainsFunc(d.told, func(a Address) bool { return !a.Configured && a.Prefix.Addr().IsLoopback() })
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
		return !a.Configured && a.Prefix.Addr().IsLoopback() && route.FamilyOf(a.Prefix.Addr()) == f &&
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
	return best
}

// A Builder collects facts. The zero Builder is ready to use.
type Builder struct {
	Hosts   []Host
	devices map[string]*deviceFacts
}

type deviceFacts struct {
	Facts
	unread int
	lists  map[string][]int      // of ListRules, by name
	found  map[string][]FlowRule // lists, once they are put together
}

// Add gives the builder one reading's facts of a device, and how many lines of it could not be read.
func (b *Builder) Add(device string, f Facts, unread int) {
	if b.devices == nil {
		b.devices = map[string]*deviceFacts{}
	}
	d := b.devices[device]
	if d == nil {
		d = &deviceFacts{}
		b.devices[device] = d
	}
	d.Facts.add(f)
	d.unread += unread
}

// Names returns the devices that facts were added for, in order.
func (b *Builder) Names() []string { return slices.SortedFunc(maps.Keys(b.devices), CompareNames) }

// Interfaces returns the names of a device's interfaces, wherever its captures name them, in order.
func (b *Builder) Interfaces(device string) []string {
	f := b.devices[device]
	if f == nil {
		return nil
	}
	return slices.SortedFunc(maps.Keys(f.interfaceNames()), CompareNames)
}

// interfaceNames returns the names of interfaces that the facts have.
func (f *deviceFacts) interfaceNames() map[string]bool {
	names := f.hopInterfaces()
	f.Each(func(x Fact) {
		for _, name := range x.Interfaces() {
			names[name] = true
		}
	})
	delete(names, "")
	return names
}

// hopInterfaces are the names of interfaces that routes lead out of.
func (f *deviceFacts) hopInterfaces() map[string]bool {
	names := map[string]bool{}
	for i := range f.Tables {
		l := &f.Tables[i].Routes
		for id := range l.Shared() {
			for _, h := range l.Attributes(route.AttrID(id)).NextHops {
				names[h.Interface] = true
			}
		}
	}
	return names
}

// Build merges all facts. The builder must not be used afterwards.
func (b *Builder) Build() *Snapshot {
	n := &Snapshot{hosts: b.Hosts, numbers: map[string]int{}}
	for name, f := range b.devices {
		d := f.build(name)
		n.devices = append(n.devices, d)
	}
	slices.SortFunc(n.devices, func(a, b *Device) int { return CompareNames(a.Name, b.Name) })
	for i, d := range n.devices {
		d.number, n.numbers[d.Name] = i, i
	}
	n.numbered = n.devices
	return n
}

// build makes a device of what its captures say. The names of interfaces are made one before anything is looked up
// by them.
func (f *deviceFacts) build(name string) *Device {
	f.nameInterfaces()
	f.unifyInterfaces()
	f.aliasInterfaces()
	f.applyLists()
	f.nameVRFs()
	d := &Device{
		Name:          name,
		switches:      f.Forwarding,
		statics:       f.Statics,
		sessions:      f.Sessions,
		checks:        f.Checks,
		protocols:     f.Protocols,
		redistributed: f.Redistributed,
		virtuals:      mergeVirtuals(f.Virtuals),
		policy:        f.Policy,
		Unread:        f.unread,
	}
	d.indexRules()
	if f.Policy.AllOfEqual.Known() {
		for i := range f.Tables {
			f.Tables[i].Routes.MapAttributes(withoutSelection)
		}
	}
	d.tables = mergeTables(f.Tables)
	if len(f.Facts.Classful) > 0 {
		d.Classful = f.Facts.Classful[0]
		for _, t := range d.tables {
			t.Classful = t.Family == route.IPv4
		}
	}
	d.setInterfaces(mergeInterfaces(f.Interfaces))
	d.rules = mergeRules(f.Rules)
	d.setNeighbours(f.Neighbours)
	for _, a := range f.Addresses {
		// A kernel takes an IPv6 address away where its interface goes down, and leaves an IPv4 one.
		if a.Prefix.Addr().Is6() && a.Interface != "" && d.Interface(a.Interface).State == LinkDown ||
			a.Configured && d.lacks(a) {
			d.idle = append(d.idle, a)
		} else {
			d.told = append(d.told, a)
		}
	}
	d.findOwn()
	// A device that is off in any capture is off: never promise more than the least one shows.
	slices.SortStableFunc(d.switches, func(a, b Switch) int {
		if a.On == b.On {
			return 0
		} else if b.On {
			return -1
		}
		return 1
	})
	return d
}

// nameInterfaces puts names in the place of interface numbers.
func (f *deviceFacts) nameInterfaces() {
	if len(f.Indexes) == 0 {
		return
	}
	names := map[string]string{}
	for _, i := range f.Indexes {
		names[IndexName(i.Index)] = i.Name
	}
	f.renameAll(func(s *string) {
		if n, ok := names[*s]; ok {
			*s = n
		}
	})
}

// lacks reports whether an address that a configuration names is not the device's own now: its interface is shut down
// there, or a table that shows attached networks shows none for it.
func (d *Device) lacks(a Address) bool {
	i := d.Interface(a.Interface)
	if i.Configured && i.State == LinkDown {
		return true
	}
	t := d.Table(cmp.Or(a.Table, "default"), route.FamilyOf(a.Prefix.Addr()))
	if t == nil || t.Weak || t.Undecided || t.Filtered.Known() || t.CutAt.IsValid() || !t.showsAttached() {
		return false
	}
	for _, p := range []netip.Prefix{a.Prefix.Masked(), netip.PrefixFrom(a.Prefix.Addr(), a.Prefix.Addr().BitLen())} {
		g, ok := t.Exact(p)
		if !ok {
			continue
		}
		for _, r := range t.Members(g) {
			if r.Protocol == route.Direct || r.Protocol == route.Local || r.Special == route.Receive {
				return false
			}
		}
	}
	return true
}

// showsAttached reports whether a table lists attached networks.
func (t *Table) showsAttached() bool {
	for id := range t.rows.Shared() {
		if t.rows.Attributes(route.AttrID(id)).Protocol == route.Direct {
			return true
		}
	}
	return false
}

// findOwn makes the device's own addresses of those that captures list and those that its local routes show.
func (d *Device) findOwn() {
	d.addresses, d.own = nil, map[netip.Addr][]int{}
	for _, a := range slices.Concat(d.told, ownAddresses(d.tables)) {
		d.addAddress(a)
	}
}

// addAddress adds an address, or what it says more of one that is there: an interface, a table, a length.
func (d *Device) addAddress(a Address) {
	addr := a.Prefix.Addr()
	for _, i := range d.own[addr] {
		have := &d.addresses[i]
		if (have.Interface == a.Interface || a.Interface == "" || have.Interface == "") &&
			(have.Table == a.Table || a.Table == "" || have.Table == "") {
			have.Interface = cmp.Or(have.Interface, a.Interface)
			have.Table = cmp.Or(have.Table, a.Table)
			if have.Prefix.IsSingleIP() {
				have.Prefix = a.Prefix
			}
			return
		}
	}
	d.own[addr] = append(d.own[addr], len(d.addresses))
	d.addresses = append(d.addresses, a)
}

// ownAddresses reads the device's addresses out of its local routes and of host routes on a loopback interface. What a
// device takes in beside those is none of them: addresses that nobody can have (RFC 1122 section 3.2.1.3), the first
// and the last one of an attached IPv4 network.
func ownAddresses(tables []*Table) []Address {
	var out []Address
	for _, t := range tables {
		begin, edges := len(out), map[netip.Addr]int{} // the length of the longest network whose edge an address is
		mine := make([]bool, t.rows.Shared())
		for id := range mine {
			a := t.rows.Attributes(route.AttrID(id))
			mine[id] = a.Special == route.Receive || a.Protocol == route.Local || a.Protocol == route.Direct
		}
		for i := range t.rows.Len() {
			if id, _ := t.rows.Used(i); !mine[id] {
				continue
			}
			r := t.rows.At(i)
			if !r.Prefix.IsSingleIP() {
				if p := r.Prefix; r.Protocol == route.Direct && p.Addr().Is4() {
					for _, edge := range []netip.Addr{p.Addr(), netipx.PrefixLastIP(p)} {
						edges[edge] = max(edges[edge], p.Bits())
					}
				}
				continue
			}
			local := r.Special == route.Receive || r.Protocol == route.Local
			if !local && !(r.Protocol == route.Direct && r.Is(route.Active)) {
				continue
			}
			ifname := ""
			if len(r.NextHops) > 0 {
				ifname = r.NextHops[0].Interface
			}
			if local || isLoopback(ifname) {
				out = append(out, Address{Prefix: r.Prefix, Interface: ifname, Table: t.Name, Mark: r.Mark})
			}
		}
		left := slices.DeleteFunc(out[begin:], func(a Address) bool {
			addr := a.Prefix.Addr()
			bits := edges[addr]
			return nobodys(addr) || bits > 0 && bits < 31 && !t.attachedLonger(addr, bits)
		})
		out = out[:begin+len(left)]
	}
	return out
}

// attachedLonger reports whether an address lies in an attached network longer than bits.
func (t *Table) attachedLonger(a netip.Addr, bits int) bool {
	for g := range t.Covering(netip.PrefixFrom(a, a.BitLen())) {
		for _, r := range t.Members(g) {
			if r.Protocol == route.Direct && !r.Prefix.IsSingleIP() && r.Prefix.Bits() > bits {
				return true
			}
		}
	}
	return false
}

// nobodys reports whether an address can be no interface's.
func nobodys(a netip.Addr) bool {
	return a.IsUnspecified() || a.IsMulticast() || a == netip.AddrFrom4([4]byte{255, 255, 255, 255})
}

// isLoopback tells by the name, the only sign a routing table gives. A host route on any other interface may as well
// be the far end of a point-to-point link.
func isLoopback(name string) bool {
	name = strings.ToLower(name)
	digits := strings.TrimPrefix(strings.TrimPrefix(name, "loopback"), "lo")
	return digits != name && strings.Trim(digits, "0123456789.") == ""
}

// setInterfaces replaces the device's interfaces, each of a name of its own.
func (d *Device) setInterfaces(all []Interface) {
	d.interfaces, d.interfaceAt = all, make(map[string]int, len(all))
	for i, x := range all {
		d.interfaceAt[x.Name] = i
	}
}

// setNeighbours replaces the device's neighbour entries.
func (d *Device) setNeighbours(all []Neighbour) {
	d.neighbours, d.neighboursAt = all, make(map[netip.Addr][]int, len(all))
	for i, n := range all {
		d.neighboursAt[n.Address] = append(d.neighboursAt[n.Address], i)
	}
}

// mergeInterfaces makes one of each name. A state that was shown outranks one that was configured, and down outranks
// up.
func mergeInterfaces(in []Interface) []Interface {
	var out []Interface
	byName := map[string]int{}
	for _, i := range in {
		at, ok := byName[i.Name]
		if !ok {
			byName[i.Name] = len(out)
			out = append(out, i)
			continue
		}
		have := &out[at]
		switch weaker := i.Configured && !have.Configured; {
		case i.State == LinkUnknown, weaker && have.State != LinkUnknown:
		case i.State == LinkDown, have.State == LinkUnknown, have.Configured && !i.Configured:
			have.State, have.Mark, have.Configured = i.State, i.Mark, i.Configured
		}
		have.Off = have.Off || i.Off
		if have.MAC == "" {
			have.MAC = i.MAC
		}
		have.Labels = have.Labels || i.Labels
		have.VRF, have.VRFTable = cmp.Or(have.VRF, i.VRF), cmp.Or(have.VRFTable, i.VRFTable)
	}
	return out
}

// mergeRules drops what was captured twice, and sorts by priority, lowest first, as they are asked.
func mergeRules(in []Rule) []Rule {
	var out []Rule
	seen := map[Rule]bool{}
	for _, r := range in {
		same := r
		same.Mark = route.Mark{}
		if !seen[same] {
			seen[same] = true
			out = append(out, r)
		}
	}
	slices.SortStableFunc(out, func(a, b Rule) int { return cmp.Compare(a.Priority, b.Priority) })
	return out
}

// withoutSelection forgets which of several equal next hops the table marks as selected.
func withoutSelection(a *route.Attributes) *route.Attributes {
	if len(a.NextHops) < 2 {
		return a
	}
	c := *a
	c.NextHops = slices.Clone(a.NextHops)
	for i := range c.NextHops {
		c.NextHops[i].Installed = false
	}
	return &c
}

// Numbers returns how many numbers devices have: those of an overlay's removed devices count.
func (n *Snapshot) Numbers() int { return len(n.numbered) }
