package compare

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// FactKind says what a FactChange is about. The zero FactKind is an own address.
type FactKind uint8

const (
	OwnAddress FactKind = iota
	InterfaceState
	NeighbourEntry
	ForwardingSwitch
	SourceCheck
)

var factNames = [...]string{"address", "interface", "neighbour", "forwarding", "source-check"}

// String returns the kind's word in output for machines.
func (k FactKind) String() string { return factNames[k] }

// A FactChange is something beside routes that one snapshot says and the other does not, or says otherwise.
type FactChange struct {
	Kind      FactKind
	Device    string
	Prefix    netip.Prefix // of an address; of a neighbour its address, at full length
	Interface string
	Family    route.Family
	Was, Is   string // words of the core: "", where one has none of it
	Before    route.Mark
	After     route.Mark
}

// facts lists what differs beside routes, of the devices that both snapshots have.
func facts(x, y *network.Snapshot) []FactChange {
	var out []FactChange
	for _, d := range x.Devices().All() {
		far := y.Device(d.Name)
		if far == nil || far == d {
			continue
		}
		out = append(out, addresses(d, far)...)
		out = append(out, interfaces(d, far)...)
		out = append(out, neighbours(d, far)...)
		out = append(out, switches(d, far)...)
	}
	return out
}

// addresses compares own addresses; the length of a network counts where both show it.
func addresses(d, far *network.Device) []FactChange {
	var out []FactChange
	one := func(d, far *network.Device, gone bool) {
		for _, a := range d.Addresses().All() {
			if len(far.Own(a.Prefix.Addr())) > 0 {
				continue
			}
			c := FactChange{Kind: OwnAddress, Device: d.Name, Prefix: a.Prefix, Interface: a.Interface,
				Family: route.FamilyOf(a.Prefix.Addr())}
			if gone {
				c.Was, c.Before = "own", a.Mark
			} else {
				c.Is, c.After = "own", a.Mark
			}
			out = append(out, c)
		}
	}
	one(d, far, true)
	one(far, d, false)
	return out
}

var stateWords = map[network.LinkState]string{network.LinkUp: "up", network.LinkDown: "down"}

// interfaces compares states that both show.
func interfaces(d, far *network.Device) []FactChange {
	var out []FactChange
	for _, i := range d.Interfaces().All() {
		o := far.Interface(i.Name)
		if i.State != o.State && i.State != network.LinkUnknown && o.State != network.LinkUnknown {
			out = append(out, FactChange{Kind: InterfaceState, Device: d.Name, Interface: i.Name,
				Was: stateWords[i.State], Is: stateWords[o.State], Before: i.Mark, After: o.Mark})
		}
	}
	return out
}

var answers = map[network.NeighbourState]string{network.NeighbourAlive: "answers", network.NeighbourFailed: "silent"}

// neighbours compares what is known of a neighbour: that it answers or not, and by which link-layer address. Entries
// come and go by themselves, so that one of one snapshot alone is no difference.
func neighbours(d, far *network.Device) []FactChange {
	var out []FactChange
	for _, n := range d.Neighbours().All() {
		o, ok := far.Neighbour(n.Address, n.Interface)
		was, is := answers[n.State], answers[o.State]
		if !ok || was == "" || is == "" {
			continue
		}
		if was == is {
			if n.MAC == o.MAC || n.MAC == "" || o.MAC == "" {
				continue
			}
			was, is = n.MAC, o.MAC
		}
		out = append(out, FactChange{Kind: NeighbourEntry, Device: d.Name,
			Prefix:    netip.PrefixFrom(n.Address.WithZone(""), n.Address.BitLen()),
			Interface: n.Interface, Was: was, Is: is, Before: n.Mark, After: o.Mark})
	}
	return out
}

// switches compares forwarding and source checks.
func switches(d, far *network.Device) []FactChange {
	var out []FactChange
	words := map[bool]string{true: "on", false: "off"}
	for _, fam := range []route.Family{route.IPv4, route.IPv6} {
		x, known := d.Forwards(fam)
		y, stillKnown := far.Forwards(fam)
		if known && stillKnown && x.On != y.On || known && !stillKnown && !x.On || stillKnown && !known && !y.On {
			out = append(out, FactChange{Kind: ForwardingSwitch, Device: d.Name, Family: fam,
				Was: words[x.On], Is: words[y.On], Before: x.Mark, After: y.Mark})
		}
		var names []string
		for _, dev := range []*network.Device{d, far} {
			for _, c := range dev.Checks().All() {
				if c.Interface != "" && !slices.Contains(names, c.Interface) {
					names = append(names, c.Interface)
				}
			}
		}
		for _, name := range names {
			p, q := d.SourceCheck(name, fam), far.SourceCheck(name, fam)
			if p.Mode != q.Mode {
				out = append(out, FactChange{Kind: SourceCheck, Device: d.Name, Family: fam, Interface: name,
					Was: p.Mode.String(), Is: q.Mode.String(), Before: p.Mark, After: q.Mark})
			}
		}
	}
	return out
}
