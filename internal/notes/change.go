package notes

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"net/netip"
	"strings"

	"zarvek/internal/core/rehearse"
	"zarvek/internal/strict"
)

// A Resolver finds names of the case as they may be written; its errors are whole sentences.
type Resolver interface {
	DeviceName(name string) (string, error)
	InterfaceName(device, name string) (string, error)
}

// verbs are the orders of a change, by how they are written.
var verbs = map[string]rehearse.Verb{
	"add": rehearse.Add, "remove": rehearse.Remove, "down": rehearse.Down, "up": rehearse.Up,
}

// ParseOrder reads one order of a change: "DEVICE: ROUTE" to add, "DEVICE: PREFIX [via ADDRESS]" to remove, either with
// "in TABLE" behind it; "DEVICE:INTERFACE" or "DEVICE" for down and up. Where names the option or line in errors.
func ParseOrder(verb rehearse.Verb, text, where string, of Resolver) (rehearse.Order, error) {
	o := rehearse.Order{Verb: verb, Text: strings.TrimSpace(text), Where: where}
	name, rest, found := strings.Cut(o.Text, ":")
	name, rest = strings.TrimSpace(name), strings.TrimSpace(rest)
	if name == "" {
		return o, fmt.Errorf("a device is wanted first; write %s", formOf(verb))
	}
	var err error
	if o.Device, err = of.DeviceName(name); err != nil {
		return o, err
	}
	if verb == rehearse.Down || verb == rehearse.Up {
		switch {
		case found && rest == "":
			return o, fmt.Errorf("an interface is wanted behind %q; write %s", name+":", formOf(verb))
		case found:
			o.Interface, err = of.InterfaceName(o.Device, rest)
		case verb == rehearse.Up:
			return o, fmt.Errorf("an interface is wanted; write %s", formOf(verb))
		}
		return o, err
	}
	if !found || rest == "" {
		return o, fmt.Errorf("a route is wanted behind the device; write %s", formOf(verb))
	}
	if head, table, ok := strings.Cut(rest, " in "); ok {
		rest, o.Table = strings.TrimSpace(head), strings.TrimSpace(table)
		if o.Table == "" || strings.ContainsAny(o.Table, " \t") {
			return o, errors.New("one table's name is wanted behind \"in\", at the end")
		}
	}
	if verb == rehearse.Remove {
		return o, parseRemoval(&o, rest)
	}
	if o.Static, err = ParseRoute(rest); err != nil {
		return o, err
	}
	o.Static.Table = o.Table
	if o.Static.NextHop.Interface != "" {
		o.Static.NextHop.Interface, err = of.InterfaceName(o.Device, o.Static.NextHop.Interface)
	}
	return o, err
}

// parseRemoval reads what is to be taken out: a prefix, or one of its next hops.
func parseRemoval(o *rehearse.Order, text string) error {
	w := strings.Fields(text)
	p, err := netip.ParsePrefix(w[0])
	if err != nil {
		return fmt.Errorf("%q is no prefix; write ADDRESS/LENGTH behind the device", w[0])
	}
	o.Prefix = p.Masked()
	switch {
	case len(w) == 1:
		return nil
	case len(w) != 3 || w[1] != "via":
		return fmt.Errorf("%q is not understood; write %s", strings.Join(w[1:], " "), formOf(rehearse.Remove))
	}
	if o.NextHop, err = netip.ParseAddr(w[2]); err != nil {
		return fmt.Errorf("%q behind via is no address", w[2])
	}
	return nil
}

func formOf(v rehearse.Verb) string {
	return map[rehearse.Verb]string{
		rehearse.Add:    `"DEVICE: PREFIX via ADDRESS preference N"`,
		rehearse.Remove: `"DEVICE: PREFIX" or "DEVICE: PREFIX via ADDRESS"`,
		rehearse.Down:   "DEVICE:INTERFACE or DEVICE",
		rehearse.Up:     "DEVICE:INTERFACE",
	}[v]
}

// ParseChange reads a change file: a list of steps, each a mapping of orders. File is the number that marks will carry,
// 0 for a file that is no part of the case. Errors name file, line and column.
func ParseChange(name string, text []byte, file uint32, of Resolver) ([]rehearse.Step, error) {
	f, docs, err := strict.Open(name, text, file)
	if err != nil {
		return nil, err
	}
	r := &reader{File: f}
	var out []rehearse.Step
	for _, d := range docs {
		err := r.Each(d, "a change", []string{"steps", "about"}, func(key string, at, v *strict.Node) error {
			if key == "about" { // what mend says of its cures
				return nil
			}
			list, err := r.Elements(v, "step")
			if err != nil {
				return err
			}
			for _, n := range list {
				s, err := r.step(n, of)
				if err != nil {
					return err
				}
				out = append(out, s)
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("%s: no steps in it; write steps: and a list below", name)
	}
	return out, nil
}

// step reads one step: its name, and orders in the order in which they stand.
func (r *reader) step(n *strict.Node, of Resolver) (rehearse.Step, error) {
	var s rehearse.Step
	err := r.Each(n, "a step", []string{"name", "add", "remove", "down", "up"},
		func(key string, at, v *strict.Node) error {
			if key == "name" {
				text, err := r.Scalar(v)
				s.Name = text
				return err
			}
			return r.orders(&s, verbs[key], v, "", of)
		})
	if err == nil && len(s.Orders) == 0 {
		return s, r.ErrorAt(n, "a step without orders; it takes add, remove, down and up")
	}
	return s, err
}

// orders reads one order, a list of them, or a mapping of devices to them.
func (r *reader) orders(s *rehearse.Step, verb rehearse.Verb, v *strict.Node, device string, of Resolver) error {
	if list, err := r.Elements(v, "order"); err == nil {
		for _, x := range list {
			if err := r.orders(s, verb, x, device, of); err != nil {
				return err
			}
		}
		return nil
	}
	if strict.IsMapping(v) {
		if device != "" {
			return r.ErrorAt(v, "one route is wanted here")
		}
		return r.Each(v, "orders", nil, func(name string, _, v *strict.Node) error {
			return r.orders(s, verb, v, name, of)
		})
	}
	text, err := r.Scalar(v)
	if err != nil {
		return err
	}
	if device != "" {
		text = device + ": " + text
	}
	o, err := ParseOrder(verb, text, r.Place(v), of)
	if err != nil {
		return r.ErrorAt(v, "%v", err)
	}
	if verb == rehearse.Add {
		o.Static.Mark = r.Mark(v)
	}
	s.Orders = append(s.Orders, o)
	return nil
}

// WriteChange writes steps as a change file that ParseChange reads.
func WriteChange(steps []rehearse.Step) []byte {
	var b bytes.Buffer
	b.WriteString("steps:\n")
	for _, s := range steps {
		begin := "  - "
		line := func(key, text string) {
			quoted, _ := json.Marshal(text) // a JSON string is a YAML one; a string always marshals
			fmt.Fprintf(&b, "%s%s: %s\n", begin, key, quoted)
			begin = "    "
		}
		if s.Name != "" {
			line("name", s.Name)
		}
		// A key stands once in a mapping: orders of one verb in a row share it.
		for i := 0; i < len(s.Orders); {
			k := i
			for k < len(s.Orders) && s.Orders[k].Verb == s.Orders[i].Verb {
				k++
			}
			verb := s.Orders[i].Verb.String()
			fmt.Fprintf(&b, "%s%s:\n", begin, verb)
			begin = "    "
			for _, o := range s.Orders[i:k] {
				quoted, _ := json.Marshal(o.Text)
				fmt.Fprintf(&b, "      - %s\n", quoted)
			}
			i = k
		}
	}
	return b.Bytes()
}
