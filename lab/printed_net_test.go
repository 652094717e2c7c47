package lab

import (
	"encoding/json"
	"fmt"
	"net/netip"
	"slices"
	"strings"
)

// A printedPart is one routing instance of a printed device: the namespace of one router.
type printedPart struct {
	*router
	instance string // "" for the main one
	tables   [2][]printedRoute
}

// port is what the device calls an interface of the part: names are unique within a device.
func (p *printedPart) port(name string) string {
	if p.instance != "" {
		return "y" + name
	}
	return name
}

// A printedRoute is one route of a kernel's main table.
type printedRoute struct {
	Dst, Gateway, Dev, Type string
	Metric                  int
	Flags                   []string
	Nexthops                []printedHop
	prefix                  netip.Prefix
}

type printedHop struct {
	Gateway, Dev string
	Flags        []string
}

func (r *printedRoute) attached() bool {
	return r.Gateway == "" && r.Type == "" && len(r.Nexthops) == 0
}

func (r *printedRoute) discards() bool { return r.Type != "" }

// hops are the next hops by their addresses.
func (r *printedRoute) hops() []printedHop {
	if len(r.Nexthops) > 0 {
		return r.Nexthops
	}
	return []printedHop{{Gateway: r.Gateway, Dev: r.Dev}}
}

// part reads what a router's kernel uses; false where another system could not print it: it has rules or does not
// forward, or sends into a link without a carrier.
func (n *randomNet) part(r *router) (*printedPart, bool) {
	p := &printedPart{router: r}
	if r.off[0] || r.off[1] || strings.Contains(n.run(r.name, "ip rule")+n.run(r.name, "ip -6 rule"), "lookup 77") {
		return nil, false
	}
	for f := range families {
		var all []printedRoute
		if err := json.Unmarshal([]byte(n.run(r.name, ip(f)+" -j route show table main")), &all); err != nil {
			n.t.Fatal(err)
		}
		slices.SortStableFunc(all, func(a, b printedRoute) int { return a.Metric - b.Metric })
		seen := map[netip.Prefix]bool{}
		for _, x := range all {
			var err error
			switch x.prefix, err = netip.ParsePrefix(x.Dst); {
			case x.Dst == "default":
				x.prefix = netip.PrefixFrom([]netip.Addr{netip.IPv4Unspecified(), netip.IPv6Unspecified()}[f], 0)
			case err != nil:
				a := netip.MustParseAddr(x.Dst)
				x.prefix = netip.PrefixFrom(a, a.BitLen())
			}
			if x.Type == "unicast" {
				x.Type = ""
			}
			flags := slices.Clone(x.Flags)
			for _, h := range x.Nexthops {
				flags = append(flags, h.Flags...)
			}
			if slices.Contains(flags, "linkdown") || slices.Contains(flags, "dead") {
				return nil, false
			}
			if a := x.prefix.Addr(); !a.IsLinkLocalUnicast() && !a.IsMulticast() && !seen[x.prefix] {
				seen[x.prefix] = true
				p.tables[f] = append(p.tables[f], x)
			}
		}
		slices.SortFunc(p.tables[f], func(a, b printedRoute) int { return a.prefix.Compare(b.prefix) })
	}
	return p, true
}

// severalHops reports whether a route of the part has several next hops.
func (p *printedPart) severalHops() bool {
	return slices.ContainsFunc(slices.Concat(p.tables[0], p.tables[1]),
		func(r printedRoute) bool { return len(r.Nexthops) > 1 })
}

// addresses are those of a family on the part's interfaces that are up, in order of the interfaces.
func (p *printedPart) addresses(f int) (ports []string, all []netip.Prefix) {
	for _, x := range p.ports {
		if !x.down && x.addr[f].IsValid() {
			ports, all = append(ports, x.name), append(all, x.addr[f])
		}
	}
	return append(ports, "stub0"), append(all, p.stub[f])
}

// printed writes the captures of the network as other systems print them: each device one router, or two that are its
// routing instances. It returns the folder, and the shape of each device.
func (n *randomNet) printed() (dir string, shapes []string) {
	var rest []*printedPart
	other := map[string]bool{}
	for _, r := range n.routers {
		if p, ok := n.part(r); ok {
			rest, other[r.name] = append(rest, p), true
		} else {
			shapes = append(shapes, r.name+" as a kernel")
		}
	}
	dir = n.captures("text", func(box, _ string) bool { return other[box] })
	for len(rest) > 0 {
		parts := rest[:1]
		if len(rest) > 1 && n.chance(40) && !n.joined(rest[0].router, rest[1].router) {
			parts = rest[:2]
			parts[1].instance = "yard"
		}
		rest = rest[len(parts):]
		i := n.rnd.IntN(len(printers))
		for printers[i].oneHop && slices.ContainsFunc(parts, (*printedPart).severalHops) {
			i = n.rnd.IntN(len(printers))
		}
		text := ""
		for _, a := range printers[i].print(parts) {
			text += fmt.Sprintf(printers[i].prompt, parts[0].name) + a[0] + "\n" + a[1] + "\n"
		}
		n.capture(dir, parts[0].name, "night.log", text+fmt.Sprintf(printers[i].prompt, parts[0].name)+"\n")
		shapes = append(shapes, fmt.Sprintf("%s %s with %d instances", parts[0].name, printers[i].name, len(parts)))
	}
	return dir, shapes
}

// joined reports whether two routers have a segment in common.
func (n *randomNet) joined(a, b *router) bool {
	return slices.ContainsFunc(a.neighbours(), func(p *port) bool { return p.router == b })
}
