package cli

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/core/network"
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
		if n := nearest(name, names); n != "" {
			return 0, fmt.Errorf("; did you mean %s?", n)
		}
		return 0, errors.New("")
	}
	return 0, fmt.Errorf(" alone; it may be %s", strings.Join(begin, ", "))
}

// nearest returns the name with the fewest letters to change, "" where none is near.
func nearest(name string, names []string) string {
	best, bestCost := "", 1+max(1, (len(name)+1)/3)
	for _, n := range names {
		if c := distance(strings.ToLower(name), strings.ToLower(n)); c < bestCost {
			best, bestCost = n, c
		}
	}
	return best
}

// distance is the number of letters to insert, delete, change or swap with the next one.
func distance(a, b string) int {
	d := make([][]int, len(a)+1)
	for i := range d {
		d[i] = make([]int, len(b)+1)
		d[i][0] = i
	}
	for j := range d[0] {
		d[0][j] = j
	}
	for i := 1; i <= len(a); i++ {
		for j := 1; j <= len(b); j++ {
			change := 1
			if a[i-1] == b[j-1] {
				change = 0
			}
			d[i][j] = min(d[i-1][j]+1, d[i][j-1]+1, d[i-1][j-1]+change)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				d[i][j] = min(d[i][j], d[i-2][j-2]+1)
			}
		}
	}
	return d[len(a)][len(b)]
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
