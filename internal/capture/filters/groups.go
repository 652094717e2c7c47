package filters

import (
	"slices"
	"strings"

	"zarvek/internal/core/network"
)

func portOf(n uint16) network.Ports { return network.Ports{Lo: n, Hi: n} }

// Groups are the named sets of addresses and of services of one configuration. Names are resolved when they are asked
// for, once all are known, so that the order in which they stand does not matter. The zero Groups has none.
type Groups struct {
	Prefixed  bool // services that the device knows by itself carry a word of its own before their name: "x-https"
	addresses map[string]*group[Addresses]
	services  map[string]*group[Services]
}

type group[T any] struct {
	set     T
	members []string
	asked   bool // it is being resolved
	known   *T   // what it is, once that was found out
}

func groupOf[T any](m *map[string]*group[T], name string, empty T) *group[T] {
	if *m == nil {
		*m = map[string]*group[T]{}
	}
	g := (*m)[name]
	if g == nil {
		g = &group[T]{set: empty}
		(*m)[name] = g
	}
	return g
}

// AddAddresses adds to a named set; DeclareAddresses makes one that may stay empty.
func (g *Groups) AddAddresses(name string, a Addresses) {
	x := groupOf(&g.addresses, name, NoAddresses)
	x.set = Addresses{append(x.set.Prefixes, a.Prefixes...), x.set.Some && a.Some, x.set.Unsure || a.Unsure}
}

// DeclareAddresses makes a named set of addresses that may stay empty.
func (g *Groups) DeclareAddresses(name string) { groupOf(&g.addresses, name, NoAddresses) }

// AddAddressMember makes one named set a part of another.
func (g *Groups) AddAddressMember(name, member string) {
	x := groupOf(&g.addresses, name, NoAddresses)
	x.members = append(x.members, member)
}

// AddServices adds to a named set.
func (g *Groups) AddServices(name string, s Services) {
	x := groupOf(&g.services, name, NoServices)
	x.set = Services{append(x.set.List, s.List...), x.set.Some && s.Some, x.set.Unsure || s.Unsure}
}

// DeclareServices makes a named set of services that may stay empty.
func (g *Groups) DeclareServices(name string) { groupOf(&g.services, name, NoServices) }

// AddServiceMember makes one named set a part of another.
func (g *Groups) AddServiceMember(name, member string) {
	x := groupOf(&g.services, name, NoServices)
	x.members = append(x.members, member)
}

// HasAddresses reports whether there is a set of addresses of that name.
func (g *Groups) HasAddresses(name string) bool { return g.addresses[name] != nil }

// HasServices reports whether there is a set of services of that name.
func (g *Groups) HasServices(name string) bool { return g.services[name] != nil }

// Addresses is the set of a name; one that nothing tells is not sure.
func (g *Groups) Addresses(name string) Addresses {
	x := g.addresses[name]
	switch {
	case x == nil || x.asked:
		return Addresses{Some: true, Unsure: true}
	case x.known != nil:
		return *x.known
	}
	x.asked = true
	out := Addresses{Prefixes: slices.Clone(x.set.Prefixes), Some: x.set.Some, Unsure: x.set.Unsure}
	for _, m := range x.members {
		one := g.Addresses(m)
		out.Prefixes = append(out.Prefixes, one.Prefixes...)
		out.Some, out.Unsure = out.Some && one.Some, out.Unsure || one.Unsure
		if len(out.Prefixes) > mostRules {
			out = Addresses{Some: true, Unsure: true}
			break
		}
	}
	out.Prefixes = slices.Clip(out.Prefixes)
	x.asked, x.known = false, &out
	return out
}

// Services is the set of a name, or of a well-known one; one that nothing tells is not sure.
func (g *Groups) Services(name string) Services {
	x := g.services[name]
	if x == nil {
		s, ok := WellKnown(name)
		if _, rest, cut := strings.Cut(name, "-"); !ok && cut && g.Prefixed {
			s, _ = WellKnown(rest)
		}
		return s
	}
	switch {
	case x.asked:
		return Services{Some: true, Unsure: true}
	case x.known != nil:
		return *x.known
	}
	x.asked = true
	out := Services{List: slices.Clone(x.set.List), Some: x.set.Some, Unsure: x.set.Unsure}
	for _, m := range x.members {
		one := g.Services(m)
		out.List = append(out.List, one.List...)
		out.Some, out.Unsure = out.Some && one.Some, out.Unsure || one.Unsure
		if len(out.List) > mostRules {
			out = Services{Some: true, Unsure: true}
			break
		}
	}
	out.List = slices.Clip(out.List)
	x.asked, x.known = false, &out
	return out
}

// AddressNamed is the set of a name, or of the address, prefix or range that stands in its place.
func (g *Groups) AddressNamed(s string) Addresses {
	if g.HasAddresses(s) { // be it called as what stands for all elsewhere
		return g.Addresses(s)
	}
	switch strings.ToLower(s) {
	case "any", "all":
		return Addresses{}
	case "any4", "any-ipv4":
		a, _ := Address("0.0.0.0/0")
		return a
	case "any6", "any-ipv6":
		a, _ := Address("::/0")
		return a
	}
	if a, ok := Address(s); ok {
		return a
	}
	return Addresses{Some: true, Unsure: true}
}
