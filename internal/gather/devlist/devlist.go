// Package devlist reads devices.yaml, which lists the devices to gather from. It is strict: a key that is not known or
// a value that cannot be is an error with file, line and column, before any device is contacted. No I/O.
package devlist

import (
	"fmt"
	"slices"
	"strings"

	"zarvek/internal/gather/family"
	"zarvek/internal/gather/target"
	"zarvek/internal/near"
	"zarvek/internal/strict"
)

// reader walks the document.
type reader struct{ *strict.File }

// targetKeys are what the list may say of a device, and of all devices together.
var targetKeys = []string{
	"address", "way", "user", "port", "jump", "family", "tables", "ask", "raise", "key", "trust", "snmp",
}

// Parse reads a list of devices to gather from: a mapping "devices" of names to what is known of each, and "all"
// for what holds where a device does not say otherwise. Errors name file, line and column.
func Parse(name string, text []byte) ([]target.Target, error) {
	f, docs, err := strict.Open(name, text, 0)
	if err != nil {
		return nil, err
	}
	r := &reader{f}
	var out []target.Target
	for _, d := range docs {
		common := target.Target{}
		err := r.Each(d, "a list of devices", []string{"all", "devices"}, func(key string, at, v *strict.Node) error {
			if key == "all" {
				if len(out) > 0 {
					return r.ErrorAt(at, "what holds for all devices must stand above them")
				}
				return r.target(&common, v, "all")
			}
			return r.Each(v, "devices", nil, func(name string, at, v *strict.Node) error {
				t, err := r.oneTarget(name, at, v, common)
				out = append(out, t)
				return err
			})
		})
		if err != nil {
			return nil, err
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("%s: names no device; write devices: and below it NAME: {address: ...} (zarvek help "+
			"gather)", name)
	}
	return out, r.jumps(name, out)
}

// oneTarget reads one device: WAY://USER@HOST, an address, or a mapping.
func (r *reader) oneTarget(name string, at, v *strict.Node, common target.Target) (target.Target, error) {
	t := common
	t.Tables, t.Ask = slices.Clone(common.Tables), slices.Clone(common.Ask)
	t.Name, t.Line = name, at.Line
	if !target.SafeName(name) {
		return t, r.ErrorAt(at, "%q cannot be a device's name; use letters, digits, dots and hyphens", name)
	}
	if strict.IsMapping(v) {
		if err := r.target(&t, v, name); err != nil {
			return t, err
		}
	} else {
		text, err := r.Scalar(v)
		if err != nil {
			return t, err
		}
		if strings.Contains(text, "://") {
			p, err := target.Parse(text)
			if err != nil {
				return t, r.ErrorAt(v, "%v", err)
			}
			t.Way, t.Address, t.Port = p.Way, p.Address, p.Port
			if p.User != "" {
				t.User = p.User
			}
		} else {
			t.Address = text
		}
	}
	if t.Way == "" {
		t.Way = target.SSH
	}
	if t.Address == "" && t.Way != target.Local {
		return t, r.ErrorAt(at, "%s has no address", name)
	}
	if err := t.Check(); err != nil {
		return t, r.ErrorAt(at, "%v", err)
	}
	if t.Way == target.SSH && t.Family != "" {
		f, err := family.ByName(t.Family)
		if err == nil {
			_, err = f.Steps(t.Tables, t.Ask)
		}
		if err != nil {
			return t, r.ErrorAt(at, "%v", err)
		}
	}
	return t, nil
}

// target reads what is said of one device, or of all.
func (r *reader) target(t *target.Target, n *strict.Node, of string) error {
	return r.Each(n, of, targetKeys, func(key string, at, v *strict.Node) error {
		switch key {
		case "tables", "ask":
			var all []string
			err := r.List(v, func(_ *strict.Node, text string) error {
				all = append(all, text)
				return nil
			})
			if key == "tables" {
				t.Tables = all
			} else {
				t.Ask = all
			}
			return err
		case "snmp":
			return r.manager(&t.SNMP, v)
		}
		text, err := r.Scalar(v)
		if err != nil {
			return err
		}
		if text == "" {
			return r.ErrorAt(v, "a value is wanted for %s", key)
		}
		switch key {
		case "address":
			t.Address = text
		case "way":
			if t.Way = target.Way(text); !slices.Contains(target.Ways, t.Way) {
				return oneOf(r, v, "way", text, target.Ways)
			}
		case "user":
			t.User = text
		case "port":
			if t.Port, err = target.ParsePort(text); err != nil {
				return r.ErrorAt(v, "%v", err)
			}
		case "jump":
			t.Jump = text
		case "family":
			if _, err := family.ByName(text); err != nil {
				return r.ErrorAt(v, "%v", err)
			}
			t.Family = text
		case "raise":
			if text != "true" && text != "false" {
				return r.ErrorAt(v, "raise is true or false, not %q", text)
			}
			t.Raise = text == "true"
		case "key":
			t.Key = text
		case "trust":
			t.Trust = text
		}
		return nil
	})
}

// manager reads how a device's SNMP agent is asked.
func (r *reader) manager(m *target.Manager, n *strict.Node) error {
	return r.Each(n, "snmp", []string{"version", "auth", "privacy", "context"},
		func(key string, _, v *strict.Node) error {
			text, err := r.Scalar(v)
			if err != nil {
				return err
			}
			take := func(into *string, known []string) error {
				if *into = strings.ToLower(text); !slices.Contains(known, *into) {
					return oneOf(r, v, key, text, known)
				}
				return nil
			}
			switch key {
			case "version":
				return take(&m.Version, []string{"3", "2c"})
			case "auth":
				return take(&m.Auth, target.AuthNames)
			case "privacy":
				return take(&m.Privacy, target.PrivacyNames)
			}
			m.Context = text
			return nil
		})
}

// oneOf is the error of a word that is none of a few.
func oneOf[S ~string](r *reader, at *strict.Node, what, text string, known []S) error {
	var all []string
	for _, k := range known {
		all = append(all, string(k))
	}
	hint := ""
	if n := near.Name(text, all); n != "" {
		hint = "; did you mean " + n + "?"
	}
	return r.ErrorAt(at, "%q is no %s; it is one of %s%s", text, what, strings.Join(all, ", "), hint)
}

// jumps checks that each jump host is a device of the list that is reached by SSH, or a host.
func (r *reader) jumps(file string, all []target.Target) error {
	by := map[string]target.Target{}
	for _, t := range all {
		if _, twice := by[strings.ToLower(t.Name)]; twice {
			return fmt.Errorf("%s:%d: a device %q stands above, be it in other letters", file, t.Line, t.Name)
		}
		by[strings.ToLower(t.Name)] = t
	}
	for _, t := range all {
		seen := map[string]bool{strings.ToLower(t.Name): true}
		for j := t.Jump; j != ""; {
			next, listed := by[strings.ToLower(j)]
			switch {
			case !listed:
				if _, err := target.JumpTarget(j, t.User); err != nil {
					return fmt.Errorf("%s:%d: the jump host of %s: %w", file, t.Line, t.Name, err)
				}
				j = ""
				continue
			case seen[strings.ToLower(next.Name)]:
				return fmt.Errorf("%s:%d: the jump hosts of %s lead back to %s", file, t.Line, t.Name, next.Name)
			case next.Way != target.SSH:
				return fmt.Errorf("%s:%d: the jump host %s of %s is reached by %s; it must be by ssh", file, t.Line,
					next.Name, t.Name, next.Way)
			}
			seen[strings.ToLower(next.Name)] = true
			j = next.Jump
		}
	}
	return nil
}
