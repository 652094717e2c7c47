package cli

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/near"
)

// pick finds a name in a list: itself, else the only one that begins so, in either case of letters. The error is the
// end of a sentence that says what is near.
func pick(name string, names []string) (int, error) {
	if i := slices.Index(names, name); i >= 0 {
		return i, nil
	}
	found := -1
	var begin []string
	for i, n := range names {
		if name != "" && len(n) >= len(name) && strings.EqualFold(n[:len(name)], name) {
			begin = append(begin, n)
			if len(n) == len(name) { // the whole name, in other letters
				return i, nil
			}
			found = i
		}
	}
	switch len(begin) {
	case 1:
		return found, nil
	case 0:
		if n := near.Name(name, names); n != "" {
			return 0, fmt.Errorf("; did you mean %s?", n)
		}
		return 0, errors.New("")
	}
	return 0, fmt.Errorf(" alone; it may be %s", strings.Join(begin, ", "))
}

// device finds a device of the case.
func (l *loaded) device(name string) (*network.Device, error) {
	if l.Network.Devices().Len() == 0 {
		return nil, &noDevices{l.Dir}
	}
	var names []string
	for _, d := range l.Network.Devices().All() {
		names = append(names, d.Name)
	}
	i, err := pick(name, names)
	if err != nil {
		hint := err.Error()
		if hint == "" {
			hint = "; it has " + strings.Join(names[:min(len(names), 12)], ", ")
			if len(names) > 12 {
				hint += fmt.Sprintf(" and %d more", len(names)-12)
			}
		}
		return nil, usagef("no device of this case is called %q%s", name, hint)
	}
	return l.Network.Devices().At(i), nil
}

// noDevices is a case in which nothing could be read.
type noDevices struct{ dir string }

func (e *noDevices) Error() string {
	return fmt.Sprintf(
		"%s: no routes, addresses or neighbours could be read there; zarvek devices -unread says why",
		e.dir,
	)
}

// address reads an argument that must be an address.
func (l *loaded) address(role, s string) (netip.Addr, error) {
	a, err := netip.ParseAddr(s)
	if err == nil && a.Zone() == "" {
		return a.Unmap(), nil
	}
	for _, d := range l.Network.Devices().All() {
		if strings.EqualFold(d.Name, s) {
			var have []string
			for _, a := range d.Addresses().All() {
				if !a.Prefix.Addr().IsLoopback() && !a.Prefix.Addr().IsLinkLocalUnicast() {
					have = append(have, a.Prefix.Addr().String())
				}
			}
			if len(have) > 0 {
				return netip.Addr{}, usagef(
					"the %s must be an address, not a device's name; %s has %s",
					role,
					d.Name,
					strings.Join(have[:min(len(have), 8)], ", "),
				)
			}
		}
	}
	return netip.Addr{}, usagef("the %s must be an IPv4 or IPv6 address, not %q", role, s)
}

// interfaceOf finds an interface of a device. Where no capture shows any, the name is taken as it is.
func (l *loaded) interfaceOf(d *network.Device, name string) (string, error) {
	names := l.walk().Topology().Interfaces(d)
	if len(names) == 0 {
		return name, nil
	}
	i, err := pick(name, names)
	if err != nil {
		hint := err.Error()
		if hint == "" {
			hint = "; it has " + strings.Join(names[:min(len(names), 12)], ", ")
		}
		return "", usagef("%s has no interface %q%s", d.Name, name, hint)
	}
	return names[i], nil
}
