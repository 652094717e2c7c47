package casefile

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/mask"
)

// Compare names the devices that a masked copy is read otherwise of than the case, with what is different first.
// Devices of which a file was left out are not compared.
func Compare(c, masked *Case, m *mask.Masker, leftOut []LeftOut) []string {
	skip := map[string]bool{}
	for _, f := range c.Files {
		for _, x := range leftOut {
			if f.Source.Name == x.Name {
				skip[f.Device] = true
				for i := range f.Parts {
					skip[f.DeviceOf(&f.Parts[i])] = true
				}
			}
		}
	}
	var out []string
	for _, d := range c.Network.Devices().All() {
		if skip[d.Name] {
			continue
		}
		name := m.Text(d.Name)
		other := masked.Network.Device(name)
		if other == nil {
			out = append(out, name+": not in the copy")
			continue
		}
		was, is := told(d, m), told(other, nil)
		for i := range max(len(was), len(is)) {
			x, y := "nothing", "nothing"
			if i < len(was) {
				x = was[i]
			}
			if i < len(is) {
				y = is[i]
			}
			if x != y {
				out = append(out, fmt.Sprintf("%s: %s is read as %s", name, x, y))
				break
			}
		}
	}
	return out
}

// told lists what is known of a device, in order; with a masker as it should be known of the copy.
func told(d *network.Device, m *mask.Masker) []string {
	text := func(s string) string { return s }
	addr := func(a netip.Addr) netip.Addr { return a }
	if m != nil {
		text = m.Text
		addr = func(a netip.Addr) netip.Addr {
			if !a.IsValid() {
				return a
			}
			return m.Addr(a)
		}
	}
	prefix := func(p netip.Prefix) string {
		if !p.IsValid() {
			return "-"
		}
		return netip.PrefixFrom(addr(p.Addr()), p.Bits()).String()
	}
	var out []string
	for _, t := range d.Tables().All() {
		for i := range t.Routes().Len() {
			r := t.Routes().At(i)
			var hops []string
			for _, h := range r.NextHops {
				hops = append(hops, addr(h.Address).String()+" "+text(h.Interface))
			}
			slices.Sort(hops)
			out = append(out, fmt.Sprintf("route %s %s %s %s %d %s", text(t.Name), prefix(r.Prefix), r.Protocol,
				number(r.Preference), r.State, strings.Join(hops, ", ")))
		}
	}
	for _, a := range d.Addresses().All() {
		out = append(out, fmt.Sprintf("address %s %s", text(a.Interface), prefix(a.Prefix)))
	}
	for _, s := range d.Statics().All() {
		out = append(out, fmt.Sprintf("static %s %s %s", prefix(s.Prefix), addr(s.NextHop.Address),
			text(s.NextHop.Interface)))
	}
	for _, n := range d.Neighbours().All() {
		out = append(out, fmt.Sprintf("neighbour %s %s", addr(n.Address), text(n.Interface)))
	}
	out = append(out, fmt.Sprintf("%d rules, %d flows, %d translations, %d source checks, %d interfaces",
		d.Rules().Len(), d.Flows().Len(), d.Translations().Len(), d.Checks().Len(), d.Interfaces().Len()))
	slices.Sort(out)
	return out
}

func number(n route.Number) string {
	if !n.Known {
		return "-"
	}
	return fmt.Sprint(n.Value)
}
