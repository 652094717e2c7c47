package network

import (
	"cmp"
	"net/netip"
	"regexp"
	"slices"
	"strings"

	"zarvek/internal/core/route"
)

// A Tunnel carries packets of one interface inside packets between two addresses (RFC 2784, RFC 2003, RFC 4301).
type Tunnel struct {
	Interface string
	// Local and Remote are the addresses of the packets outside; an invalid Remote is not told, or hangs on what no walk
	// knows.
	Local, Remote netip.Addr
	From          string // the interface that Local is an address of, where the address itself is not told
	Table         string // in which the packets outside are looked up; "": the main one
	Protocol      string // of the packets outside, as rules name it; "": not told
	Key           string // that both ends must have (RFC 2890); "": none is told
	Many          bool   // the far end is that of whoever the packet is handed to: a tunnel for many ends
	Configured    bool   // a configuration says so, no listing of the moment
	Mark          route.Mark
}

// Mirrors reports whether what goes into t comes out of o, which a device has at t's far end: from is the source that
// the packets outside arrive with. Keys count where both are told.
func (t Tunnel) Mirrors(o Tunnel, from, remote netip.Addr) bool {
	keyed := t.Key == o.Key || t.Key == "" || o.Key == ""
	return keyed && o.Local == remote && (o.Many || !from.IsValid() || o.Remote == from)
}

// Ended reports whether both ends are told.
func (t Tunnel) Ended() bool { return t.Local.IsValid() && t.Remote.IsValid() && !t.Many }

// tunnelNames match the names that systems give to the interfaces of tunnels.
var tunnelNames = regexp.MustCompile(`(?i)^(?:tu|tun|vtun|tunnel|gre|gr-|ipip|sit|vti|st0|wg|ovpn)[0-9/. -]*[0-9]`)

// NamesTunnel reports whether an interface is, by its name, one of a tunnel.
func NamesTunnel(ifname string) bool { return tunnelNames.MatchString(ifname) }

// tunnelOf finds the tunnel behind an interface among merged ones.
func tunnelOf(merged []Tunnel, ifname string) (Tunnel, bool) {
	i, ok := slices.BinarySearchFunc(merged, ifname, func(t Tunnel, s string) int { return cmp.Compare(t.Interface, s) })
	if !ok {
		return Tunnel{}, false
	}
	return merged[i], true
}

// mergeTunnels keeps one tunnel an interface, in the order of their names: what a listing of the moment says outranks a
// configuration, which may tell more of the same tunnel, and those of one kind that disagree tell no far end.
func mergeTunnels(all []Tunnel) []Tunnel {
	all = slices.Clone(all)
	slices.SortStableFunc(all, func(a, b Tunnel) int {
		return cmp.Or(cmp.Compare(a.Interface, b.Interface), compareBool(a.Configured, b.Configured))
	})
	var out []Tunnel
	for _, t := range all {
		if len(out) == 0 || out[len(out)-1].Interface != t.Interface {
			out = append(out, t)
			continue
		}
		have := &out[len(out)-1]
		same := have.Remote == t.Remote && have.Many == t.Many &&
			(have.Local == t.Local || !have.Local.IsValid() || !t.Local.IsValid())
		switch {
		case same:
			have.Table, have.Protocol = cmp.Or(have.Table, t.Table), cmp.Or(have.Protocol, t.Protocol)
			have.Key, have.From = cmp.Or(have.Key, t.Key), cmp.Or(have.From, t.From)
			if !have.Local.IsValid() {
				have.Local = t.Local
			}
		case have.Configured == t.Configured:
			have.Remote, have.Many = netip.Addr{}, false
		}
	}
	return out
}

func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case b:
		return -1
	}
	return 1
}

// placeTunnels merges the device's tunnels and finds the addresses of the interfaces that they begin at.
func (d *Device) placeTunnels() {
	if len(d.policy.Tunnels) == 0 {
		return
	}
	d.policy.Tunnels = mergeTunnels(d.policy.Tunnels)
	for i := range d.policy.Tunnels {
		t := &d.policy.Tunnels[i]
		for _, a := range d.Addresses().All() {
			x := a.Prefix.Addr()
			if t.Local.IsValid() || t.From == "" {
				break
			}
			if strings.EqualFold(a.Interface, t.From) && !x.IsLinkLocalUnicast() &&
				(!t.Remote.IsValid() || x.Is4() == t.Remote.Is4()) {
				t.Local = x
			}
		}
	}
}
