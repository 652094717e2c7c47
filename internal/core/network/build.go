package network

import (
	"cmp"
	"maps"
	"net/netip"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"go4.org/netipx"

	"zarvek/internal/core/route"
)

// A Builder collects facts. The zero Builder is ready to use.
type Builder struct {
	Hosts   []Host
	OneArea map[route.Protocol]route.Mark // see Snapshot.OneArea
	devices map[string]*deviceFacts
}

type deviceFacts struct {
	Facts
	unread  int
	suppose bool                  // tables that were not captured are made of its configuration
	lists   map[string][]int      // of ListRules, by name
	found   map[string][]FlowRule // lists, once they are put together
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

// Build merges all facts, several devices at once. The builder must not be used afterwards.
func (b *Builder) Build() *Snapshot {
	n := &Snapshot{hosts: b.Hosts, numbers: map[string]int{}, oneArea: b.OneArea}
	names := b.Names()
	n.devices = make([]*Device, len(names))
	var at atomic.Int64
	var all sync.WaitGroup
	for range min(runtime.GOMAXPROCS(0), len(names)) {
		all.Go(func() {
			for i := int(at.Add(1)) - 1; i < len(names); i = int(at.Add(1)) - 1 {
				n.devices[i] = b.devices[names[i]].build(names[i])
			}
		})
	}
	all.Wait()
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
	f.tieStatics()
	f.supposeTables()
	d := &Device{
		Name:          name,
		switches:      f.Forwarding,
		sessions:      f.Sessions,
		tracked:       f.Tracked,
		checks:        f.Checks,
		protocols:     f.Protocols,
		redistributed: f.Redistributed,
		bgp:           f.BGP,
		policy:        f.Policy,
		Unread:        f.unread,
	}
	d.setStatics(f.Statics)
	d.indexWatched()
	d.setVirtuals(mergeVirtuals(f.Virtuals))
	d.indexRules()
	d.blended = f.Policy.blended()
	if f.Policy.AllOfEqual.Known() {
		for i := range f.Tables {
			f.Tables[i].Routes.MapAttributes(withoutSelection)
		}
	}
	f.dropNoRoutes()
	f.partStraight()
	f.skipDown()
	d.tables = mergeTables(f.Tables)
	for _, t := range d.tables {
		t.answered(f.Answers)
	}
	if len(f.Facts.Classful) > 0 {
		d.Classful = f.Facts.Classful[0]
		for _, t := range d.tables {
			t.Classful = t.Family == route.IPv4
		}
	}
	d.setInterfaces(mergeInterfaces(f.Interfaces))
	d.setRules(f.Rules)
	d.setNeighbours(f.Neighbours)
	d.findLacking(f.Addresses)
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
	d.placeTunnels()
	for _, t := range d.tables {
		t.rows.MapAttributes(d.straightOut)
	}
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
	shown, homes := ownAddresses(d.tables)
	for _, a := range slices.Concat(d.told, shown) {
		d.addAddress(a, homes)
	}
}

// addAddress adds an address, or what it says more of one that is there: an interface, a table, a length. Homes are the
// tables in which interfaces attach to networks: tables may have the same address on interfaces of their own.
func (d *Device) addAddress(a Address, homes map[string]string) {
	addr := a.Prefix.Addr()
	for _, i := range d.own[addr] {
		have := &d.addresses[i]
		if home := homes[have.Interface]; a.Interface == "" && a.Table != "" && home != "" && home != a.Table {
			continue
		}
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
// and the last one of an attached IPv4 network. Homes are the tables in which interfaces attach to networks, "" where
// there are several.
func ownAddresses(tables []*Table) (out []Address, homes map[string]string) {
	homes = map[string]string{}
	for _, t := range tables {
		begin, edges := len(out), map[netip.Addr]int{} // the length of the longest network whose edge an address is
		for _, i := range t.rows.Census().Own {
			r := t.rows.At(int(i))
			if !r.Prefix.IsSingleIP() {
				if r.Protocol == route.Direct && len(r.NextHops) > 0 {
					name := r.NextHops[0].Interface
					if home, ok := homes[name]; ok && home != t.Name {
						homes[name] = ""
					} else {
						homes[name] = t.Name
					}
				}
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
	return out, homes
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
		have.Labels, have.Mute = have.Labels || i.Labels, have.Mute || i.Mute
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

// straightOut takes the next hop out of a static route that names the device's own address on the interface that it
// leads out of: so some systems print one that has none.
func (d *Device) straightOut(a *route.Attributes) *route.Attributes {
	own := func(h route.NextHop) bool {
		return h.Interface != "" && slices.ContainsFunc(d.Own(h.Address),
			func(o Address) bool { return o.Interface == h.Interface })
	}
	if a.Protocol != route.Static || !slices.ContainsFunc(a.NextHops, own) {
		return a
	}
	c := *a
	c.NextHops = slices.Clone(a.NextHops)
	for i := range c.NextHops {
		if own(c.NextHops[i]) {
			c.NextHops[i].Address = netip.Addr{}
		}
	}
	return &c
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
