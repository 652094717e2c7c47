package cli

import (
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// ends reads a source and a destination of one family: addresses, hosts of the notes, devices, or DEVICE:INTERFACE.
func (l *loaded) ends(from, to string) (src, dst netip.Addr, err error) {
	a, err := l.candidates("source", from)
	if err != nil {
		return src, dst, err
	}
	z, err := l.candidates("destination", to)
	if err != nil {
		return src, dst, err
	}
	for _, fam := range []route.Family{route.IPv4, route.IPv6} {
		is := func(x netip.Addr) bool { return route.FamilyOf(x) == fam }
		if i, j := slices.IndexFunc(a, is), slices.IndexFunc(z, is); i >= 0 && j >= 0 {
			return a[i], z[j], nil
		}
	}
	return src, dst, usagef("source and destination must be of one family, not %s and %s", a[0], z[0])
}

// candidates returns the addresses that a word may mean, the likeliest of each family first.
func (l *loaded) candidates(role, s string) ([]netip.Addr, error) {
	if a, err := netip.ParseAddr(s); err == nil && a.Zone() == "" {
		return []netip.Addr{a.Unmap()}, nil
	}
	var out []netip.Addr
	for _, h := range l.Network.Hosts().All() {
		if strings.EqualFold(h.Name, s) {
			out = append(out, h.Address)
		}
	}
	if len(out) > 0 {
		return out, nil
	}
	name, ifname, _ := strings.Cut(s, ":")
	var names []string
	for _, d := range l.Network.Devices().All() {
		names = append(names, d.Name)
	}
	for _, h := range l.Network.Hosts().All() {
		names = append(names, h.Name)
	}
	i, err := pick(name, names)
	if err != nil {
		hint := err.Error()
		if hint == "" {
			hint = "; a " + role + " is an address, a device, DEVICE:INTERFACE, or a host of notes.yaml"
		}
		return nil, usagef("the %s %q is no address, and nothing of this case is called so%s", role, s, hint)
	}
	if i >= l.Network.Devices().Len() {
		return []netip.Addr{l.Network.Hosts().At(i - l.Network.Devices().Len()).Address}, nil
	}
	d := l.Network.Devices().At(i)
	if ifname != "" {
		if ifname, err = l.interfaceOf(d, ifname); err != nil {
			return nil, err
		}
	}
	if out = ownAddresses(d, ifname); len(out) == 0 {
		where := d.Name
		if ifname != "" {
			where += ":" + ifname
		}
		return nil, usagef("no address of %s was captured; give the %s as an address", where, role)
	}
	return out, nil
}

// ownAddresses lists a device's addresses, of one interface or all: those that stand for the device itself, with a
// prefix of full length, first.
func ownAddresses(d *network.Device, ifname string) []netip.Addr {
	var single, others []netip.Addr
	for _, a := range d.Addresses().All() {
		addr := a.Prefix.Addr()
		switch {
		case ifname != "" && a.Interface != ifname, addr.IsLoopback(), addr.IsLinkLocalUnicast(), addr.IsMulticast():
		case a.Prefix.IsSingleIP() && isLoopback(a.Interface):
			single = append(single, addr)
		default:
			others = append(others, addr)
		}
	}
	return append(single, others...)
}

func isLoopback(ifname string) bool { return strings.HasPrefix(strings.ToLower(ifname), "lo") }
