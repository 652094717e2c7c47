// Package notes reads notes.yaml, in which the engineer tells what captures cannot show: hosts, firewalls' rules and
// translations, tunnels, settings. It exists apart from the layouts because it is no capture: a mistake in it is an
// error and not an unread line.
//
// It is strict: keys that it does not know, bad values and names that are not in the case are errors with file, line
// and column. No I/O.
package notes

import (
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/near"
	"zarvek/internal/strict"
)

// Notes is what the file tells.
type Notes struct {
	Hosts   []network.Host
	Devices map[string]network.Facts
	Named   map[string][]netip.Prefix // networks and groups, by name
	Keep    []netip.Addr              // addresses that must stay reachable while the network is changed
	OneArea map[route.Protocol]route.Mark
}

// reader walks the document.
type reader struct {
	*strict.File
	devices  []string
	captured map[string]bool       // the same, by name
	hosts    map[string]netip.Addr // that stand above
	of       Names
	out      Notes
}

// Names tells what the captures of a case name.
type Names interface {
	Names() []string                   // of devices
	Interfaces(device string) []string // of a device's interfaces
}

// Parse reads a notes file. File is the number that marks will carry.
func Parse(name string, text []byte, file uint32, of Names) (Notes, error) {
	f, docs, err := strict.Open(name, text, file)
	if err != nil {
		return Notes{}, err
	}
	r := &reader{File: f, devices: of.Names(), of: of, out: Notes{Devices: map[string]network.Facts{}}}
	r.hosts, r.captured = map[string]netip.Addr{}, map[string]bool{}
	for _, d := range r.devices {
		r.captured[d] = true
	}
	for _, d := range docs {
		if err := r.document(d); err != nil {
			return Notes{}, err
		}
	}
	return r.out, nil
}

// interfaces checks that a device has the interfaces that a note names; "" is any. A device whose captures name none
// may have what it likes.
func (r *reader) interfaces(at *strict.Node, device string, names ...string) error {
	have := r.of.Interfaces(device)
	for _, name := range names {
		if name == "" || len(have) == 0 || slices.Contains(have, name) {
			continue
		}
		hint := "it has " + strings.Join(have[:min(len(have), 8)], ", ")
		if len(have) > 8 {
			hint += ", …"
		}
		if n := near.Name(name, have); n != "" {
			hint = "did you mean " + n + "?"
		}
		return r.ErrorAt(at, "no capture of %s names an interface %q; %s", device, name, hint)
	}
	return nil
}

// oneFamily checks that addresses and prefixes of one note are all IPv4 or all IPv6; those that are not valid do not
// count.
func (r *reader) oneFamily(at *strict.Node, addrs ...netip.Addr) error {
	first := netip.Addr{}
	for _, a := range addrs {
		switch {
		case !a.IsValid():
		case !first.IsValid():
			first = a
		case first.Is4() != a.Is4():
			return r.ErrorAt(at, "%s and %s are of two families", first, a)
		}
	}
	return nil
}

// document reads one document of the notes.
func (r *reader) document(n *strict.Node) error {
	return r.Each(n, "notes", []string{"hosts", "networks", "groups", "devices", "keep",
		"one-area"},
		func(key string, _, v *strict.Node) error {
			switch key {
			case "hosts":
				return r.Each(v, "hosts", nil, r.host)
			case "networks":
				return r.Each(v, "networks", nil, func(name string, at, v *strict.Node) error {
					p, err := r.prefix(v)
					if err != nil {
						return err
					}
					return r.call(name, at, []netip.Prefix{p})
				})
			case "groups":
				return r.Each(v, "groups", nil, r.group)
			case "keep":
				return r.List(v, r.keep)
			case "one-area":
				return r.List(v, r.oneArea)
			}
			return r.Each(v, "devices", nil, r.device)
		})
}

// group reads a list of addresses, prefixes and names that stand above.
func (r *reader) group(name string, at, v *strict.Node) error {
	var all []netip.Prefix
	err := r.List(v, func(n *strict.Node, text string) error {
		if p, err := netip.ParsePrefix(text); err == nil {
			all = append(all, p.Masked())
			return nil
		}
		if a, err := netip.ParseAddr(text); err == nil && a.Zone() == "" {
			all = append(all, netip.PrefixFrom(a.Unmap(), a.Unmap().BitLen()))
			return nil
		}
		if a, ok := r.hosts[text]; ok {
			all = append(all, netip.PrefixFrom(a, a.BitLen()))
			return nil
		}
		if some, ok := r.out.Named[text]; ok {
			all = append(all, some...)
			return nil
		}
		return r.ErrorAt(n, "%q is no address or prefix, and no host, network or group above is called so", text)
	})
	if err != nil {
		return err
	}
	return r.call(name, at, all)
}

// call gives addresses a name that nothing else has.
func (r *reader) call(name string, at *strict.Node, all []netip.Prefix) error {
	_, host := r.hosts[name]
	_, named := r.out.Named[name]
	if host || named || r.captured[name] {
		return r.ErrorAt(at, "the name %q is taken", name)
	}
	if r.out.Named == nil {
		r.out.Named = map[string][]netip.Prefix{}
	}
	r.out.Named[name] = all
	return nil
}

// keep reads an address, or the name of a host that stands above.
func (r *reader) keep(n *strict.Node, text string) error {
	if a, ok := r.hosts[text]; ok {
		r.out.Keep = append(r.out.Keep, a)
		return nil
	}
	a, err := netip.ParseAddr(text)
	if err != nil || a.Zone() != "" {
		return r.ErrorAt(n, "%q is no address, and no host above is called so", text)
	}
	r.out.Keep = append(r.out.Keep, a.Unmap())
	return nil
}

// oneArea reads a protocol of which all routers are of one area (RFC 2328 section 3) or level (ISO 10589).
func (r *reader) oneArea(n *strict.Node, text string) error {
	for _, p := range []route.Protocol{route.OSPF, route.ISIS} {
		if text == p.String() {
			if r.out.OneArea == nil {
				r.out.OneArea = map[route.Protocol]route.Mark{}
			}
			r.out.OneArea[p] = r.Mark(n)
			return nil
		}
	}
	return r.ErrorAt(n, "%q is no protocol with areas; write ospf or isis", text)
}

// host reads a host, as an address alone or with its network and gateway.
func (r *reader) host(name string, at, v *strict.Node) error {
	h := network.Host{Name: name, Mark: r.Mark(at)}
	if r.captured[name] {
		return r.ErrorAt(at, "%q is a captured device, not a host", name)
	}
	if !strict.IsMapping(v) { // NAME: ADDRESS
		a, err := r.addr(v)
		h.Address = a
		r.add(h)
		return err
	}
	err := r.Each(v, "a host", []string{"address", "network", "gateway"},
		func(key string, _, v *strict.Node) (err error) {
			switch key {
			case "address":
				h.Address, err = r.addr(v)
			case "gateway":
				h.Gateway, err = r.addr(v)
			case "network":
				h.Prefix, err = r.prefix(v)
			}
			return err
		})
	switch {
	case err != nil:
		return err
	case !h.Address.IsValid():
		return r.ErrorAt(at, "the host %q has no address", name)
	}
	if err := r.oneFamily(at, h.Address, h.Gateway, h.Prefix.Addr()); err != nil {
		return err
	}
	r.add(h)
	return nil
}

func (r *reader) add(h network.Host) {
	r.out.Hosts = append(r.out.Hosts, h)
	r.hosts[h.Name] = h.Address
}

func (r *reader) addr(n *strict.Node) (netip.Addr, error) {
	s, err := r.Scalar(n)
	if err != nil {
		return netip.Addr{}, err
	}
	a, err := netip.ParseAddr(s)
	if err != nil || a.Zone() != "" {
		return netip.Addr{}, r.ErrorAt(n, "%q is no address", s)
	}
	return a.Unmap(), nil
}

func (r *reader) prefix(n *strict.Node) (netip.Prefix, error) {
	s, err := r.Scalar(n)
	if err != nil {
		return netip.Prefix{}, err
	}
	p, err := netip.ParsePrefix(s)
	if err != nil {
		return netip.Prefix{}, r.ErrorAt(n, "%q is no prefix; write ADDRESS/LENGTH", s)
	}
	return p.Masked(), nil
}
