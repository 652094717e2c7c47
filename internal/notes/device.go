package notes

import (
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/near"
	"zarvek/internal/strict"
)

// deviceKeys are what a device may have.
var deviceKeys = []string{
	"forwarding",
	"lookup",
	"equal-cost",
	"source-check",
	"stateful",
	"flows",
	"translate",
	"tunnels",
	"statics",
}

// device reads what the notes tell of a captured device; a word that no capture has is an error, since it would do
// nothing without a word.
func (r *reader) device(name string, at, v *strict.Node) error {
	if !r.captured[name] {
		return r.ErrorAt(at, "no device of this case is called %q; it has %s", name, strings.Join(r.devices, ", "))
	}
	var f network.Facts
	err := r.Each(v, "a device", deviceKeys, func(key string, at, v *strict.Node) error {
		switch key {
		case "forwarding":
			return r.forwarding(&f, v)
		case "source-check":
			return r.checks(&f, name, v)
		case "tunnels":
			return r.tunnels(&f, name, v)
		case "flows":
			return r.List(v, func(n *strict.Node, text string) error {
				rule, err := parseFlow(text)
				if err != nil {
					return r.ErrorAt(n, "%v", err)
				}
				rule.Mark = r.Mark(n)
				f.Policy.Flows = append(f.Policy.Flows, rule)
				if err := r.interfaces(n, name, rule.In, rule.Out); err != nil {
					return err
				}
				return r.oneFamily(n, rule.From.Addr(), rule.To.Addr())
			})
		case "translate":
			return r.List(v, func(n *strict.Node, text string) error {
				t, err := parseTranslation(text)
				if err != nil {
					return r.ErrorAt(n, "%v", err)
				}
				t.Mark = r.Mark(n)
				f.Policy.Translations = append(f.Policy.Translations, t)
				if err := r.interfaces(n, name, t.In, t.Out); err != nil {
					return err
				}
				return r.oneFamily(n, t.From.Addr(), t.To.Addr(), t.Becomes)
			})
		case "statics":
			return r.List(v, func(n *strict.Node, text string) error {
				s, err := ParseRoute(text)
				if err != nil {
					return r.ErrorAt(n, "%v", err)
				}
				s.Mark = r.Mark(n)
				f.Statics = append(f.Statics, s)
				return r.interfaces(n, name, s.NextHop.Interface)
			})
		}
		s, err := r.Scalar(v)
		if err != nil {
			return err
		}
		switch {
		case key == "lookup" && s == "classful":
			f.Classful = append(f.Classful, r.Mark(at))
		case key == "lookup" && s == "classless":
		case key == "equal-cost" && s == "all":
			f.Policy.AllOfEqual = r.Mark(at)
		case key == "equal-cost" && s == "selected":
		case key == "stateful" && s == "true":
			f.Policy.Stateful = r.Mark(at)
		case key == "stateful" && s == "false":
		default:
			return r.ErrorAt(
				v,
				"%s does not take %q; %s",
				key,
				s,
				map[string]string{"lookup": "classless or classful", "equal-cost": "all or selected",
					"stateful": "true or false"}[key],
			)
		}
		return nil
	})
	r.out.Devices[name] = f
	return err
}

// forwarding reads whether each family is forwarded.
func (r *reader) forwarding(f *network.Facts, v *strict.Node) error {
	return r.Each(v, "forwarding", []string{"ipv4", "ipv6"}, func(key string, at, v *strict.Node) error {
		s, err := r.Scalar(v)
		if err != nil {
			return err
		}
		fam := route.IPv4
		if key == "ipv6" {
			fam = route.IPv6
		}
		switch s {
		case "on", "true", "off", "false":
			f.Forwarding = append(
				f.Forwarding,
				network.Switch{Family: fam, On: s == "on" || s == "true", Mark: r.Mark(at)},
			)
			return nil
		}
		return r.ErrorAt(v, "forwarding is on or off, not %q", s)
	})
}

// checks reads the source checks of interfaces.
func (r *reader) checks(f *network.Facts, device string, v *strict.Node) error {
	return r.Each(v, "source-check", nil, func(key string, at, v *strict.Node) error {
		s, err := r.Scalar(v)
		if err != nil {
			return err
		}
		for m := network.CheckOff; m <= network.CheckLoose; m++ {
			if m.String() == s {
				if key == "all" {
					key = ""
				}
				if err := r.interfaces(at, device, key); err != nil {
					return err
				}
				f.Checks = append(f.Checks, network.SourceCheck{Interface: key, Mode: m, Mark: r.Mark(at)})
				return nil
			}
		}
		return r.ErrorAt(v, "a source check is off, strict, feasible or loose, not %q", s)
	})
}

// tunnels reads the two ends of the tunnels behind interfaces.
func (r *reader) tunnels(f *network.Facts, device string, v *strict.Node) error {
	return r.Each(v, "tunnels", nil, func(key string, at, v *strict.Node) error {
		t := network.Tunnel{Interface: key, Mark: r.Mark(at)}
		err := r.Each(v, "a tunnel", []string{"local", "remote"}, func(key string, _, v *strict.Node) (err error) {
			if key == "local" {
				t.Local, err = r.addr(v)
			} else {
				t.Remote, err = r.addr(v)
			}
			return err
		})
		if err == nil && !t.Remote.IsValid() {
			return r.ErrorAt(at, "the tunnel %q has no remote address", key)
		}
		if err != nil {
			return err
		}
		f.Policy.Tunnels = append(f.Policy.Tunnels, t)
		if err := r.tunnelName(at, device, key); err != nil {
			return err
		}
		return r.oneFamily(at, t.Local, t.Remote)
	})
}

// tunnelName checks the name of a tunnel's interface. A note may tell of one that no capture of the device names, where
// no route leads into it; a name that is nearly another one's, and not by its number only, is a mistake.
func (r *reader) tunnelName(at *strict.Node, device, name string) error {
	have := r.of.Interfaces(device)
	letters := func(s string) string { return strings.Trim(s, "0123456789.") }
	if n := near.Name(name, have); n == "" || letters(n) == letters(name) {
		return nil
	}
	return r.interfaces(at, device, name)
}
