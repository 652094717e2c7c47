package commands

import (
	"fmt"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// form is one form of a command, with what is taken from its named groups.
type form struct {
	re   *lazyregexp.Regexp
	take func(r *reader, g map[string]string, m route.Mark) error
}

// groups are the named groups of a line, without quotes.
func (f *form) groups(line string) map[string]string {
	out := map[string]string{}
	m := f.re.FindStringSubmatch(line)
	for i, n := range f.re.SubexpNames() {
		if n != "" {
			out[n] = strings.Trim(m[i], `"`)
		}
	}
	return out
}

// formOf finds the form of a line, nil where it has none that is known.
func formOf(line string) *form {
	for i := range forms {
		if forms[i].re.MatchString(line) {
			return &forms[i]
		}
	}
	return nil
}

const addr = `[0-9A-Fa-f.:]+`

// placeholders are written in the patterns of forms for what a value looks like.
var placeholders = strings.NewReplacer("<if>", `(?P<if>"[^"]+"|\S+)`, "<addr>", `(?P<addr>`+addr+`)`,
	"<len>", `(?P<len>\d+)`, "<mask>", `(?P<mask>`+addr+`)`, "<net>", `(?P<net>default|`+addr+`(?:/\d+)?)`,
	"<hop>", `(?P<hop>`+addr+`)`, "<vr>", `(?P<vr>"[^"]+"|\S+)`, "<name>", `(?P<name>"[^"]+"|\S+)`)

func of(pattern string, take func(*reader, map[string]string, route.Mark) error) form {
	return form{lazyregexp.New(`^` + placeholders.Replace(pattern) + `\s*$`), take}
}

// forms are asked in order.
var forms = []form{
	// addresses
	of(`set interface <if> ip <addr>/<len>`, address),
	of(`set interface <if> ip <addr> <mask>`, address),
	of(`set interface <if> ipv[46]-address <addr> mask-length <len>`, address),
	of(`set network interface (?:ethernet|vlan|loopback|tunnel`+
		`|aggregate-ethernet) (?P<port>\S+) (?:layer3 )?(?:units <if> )?ip <addr>/<len>`, address),
	of(`configure vlan <if> ipaddress <addr>/<len>`, address),
	of(`configure vlan <if> ipaddress <addr> <mask>`, address),
	of(`nv set interface <if> ip address <addr>/<len>`, address),
	of(`ip interface <if> address <addr>(?:/<len>| mask <mask>)(?: .*)?`, address),
	// interfaces: their tables, and those that are switched off
	of(`nv set interface <if> ip vrf <vr>`, member),
	of(`set network virtual-router <vr> interface (?P<all>.+)`, member),
	of(`set interface <if> state off`, off),
	of(`nv set interface <if> link state down`, off),
	// whether packets are passed on between VLANs
	of(`(?P<switch>enable|disable) ipforwarding(?P<six> ipv6)?(?: vlan <if>)?`, passesOn),
	// static routes on a line
	of(`set (?:vrouter <vr> )?route <net>(?: interface <if>)?(?: gateway <hop>)?(?: (?:preference|metric|permanent`+
		`|tag|description)\b.*)?`, static),
	of(`set static-route <net> nexthop gateway address <hop>(?: priority \d+)? on`, static),
	of(`set static-route <net> nexthop gateway logical <if>(?: priority \d+)? on`, static),
	of(`set static-route <net> nexthop (?P<special>blackhole|reject)`, static),
	of(`configure iproute add (?P<special>blackhole) <net>(?: <mask>)?(?: .*)?`, static),
	of(`configure iproute add <net>(?: <mask>)? <hop>(?: \d+)?(?: vr <vr>)?(?: .*)?`, static),
	of(`nv set vrf <vr> router static <net> via (?P<special>blackhole|reject)`, static),
	of(`nv set vrf <vr> router static <net> via <hop>(?: .*)?`, static),
	of(`nv set vrf <vr> router static <net> via <if>(?: type interface)?`, static),
	of(`ip static-route <net> gateway <hop>(?: .*)?`, static),
	// static routes of several lines
	of(`set network virtual-router <vr> routing-table ip(?:v6)? static-route <name> destination <net>`, part),
	of(`set network virtual-router <vr> routing-table ip(?:v6)? static-route <name> nexthop ip(?:v6)?-address <hop>`,
		part),
	of(`set network virtual-router <vr> routing-table ip(?:v6)? static-route <name> nexthop (?P<special>discard)`,
		part),
	of(`set network virtual-router <vr> routing-table ip(?:v6)? static-route <name> nexthop next-vr (?P<next>\S+)`,
		part),
	of(`set network virtual-router <vr> routing-table ip(?:v6)? static-route <name> interface <if>`, part),
	of(`set network virtual-router <vr> routing-table ip(?:v6)? static-route <name> (?:admin-dist`+
		`|metric) (?P<number>\d+)`, part),
}

// port is the interface of a command: its unit where it has one.
func port(g map[string]string) string {
	if g["if"] != "" {
		return g["if"]
	}
	return g["port"]
}

// prefix reads an address with the length or mask beside it.
func prefix(text, length, mask string, whole bool) (netip.Prefix, error) {
	switch {
	case strings.Contains(text, "/"):
	case length != "":
		text += "/" + length
	case mask != "":
		text += "/" + mask
	}
	return layout.Prefix([]byte(text), whole)
}

func address(r *reader, g map[string]string, m route.Mark) error {
	p, err := prefix(g["addr"], g["len"], g["mask"], false)
	if err != nil {
		return err
	}
	r.Facts.Addresses = append(r.Facts.Addresses,
		network.Address{Prefix: p, Interface: port(g), Configured: true, Mark: m})
	return nil
}

func member(r *reader, g map[string]string, _ route.Mark) error {
	t := mainTable(g["vr"])
	if g["if"] != "" {
		r.tables[g["if"]] = t
	}
	for w := range strings.FieldsSeq(strings.Trim(g["all"], "[] ")) {
		r.tables[w] = t
	}
	return nil
}

func off(r *reader, g map[string]string, m route.Mark) error {
	r.Facts.Interfaces = append(r.Facts.Interfaces,
		network.Interface{Name: g["if"], State: network.LinkDown, Configured: true, Mark: m})
	return nil
}

func passesOn(r *reader, g map[string]string, m route.Mark) error {
	s := network.Switch{Family: route.IPv4, Interface: g["if"], On: g["switch"] == "enable", Mark: m}
	if g["six"] != "" {
		s.Family = route.IPv6
	}
	r.Facts.Forwarding = append(r.Facts.Forwarding, s)
	return nil
}

// namedRoute is a static route that several lines tell.
type namedRoute struct {
	network.Static
	vr, name string
}

// fill takes what a command says of a static route.
func fill(s *network.Static, g map[string]string) error {
	if g["net"] != "" {
		hop, hopIs := layout.Addr([]byte(g["hop"]))
		if g["net"] == "default" {
			fam := route.IPv4
			if hopIs {
				fam = route.FamilyOf(hop)
			}
			s.Prefix = fam.Default()
		} else {
			p, err := prefix(g["net"], "", g["mask"], false)
			if err != nil {
				return err
			}
			s.Prefix = p.Masked()
		}
	}
	if g["hop"] != "" {
		a, ok := layout.Addr([]byte(g["hop"]))
		if !ok {
			return fmt.Errorf("%w: %q", layout.ErrAddress, g["hop"])
		}
		if s.NextHop.Address = a; a.IsUnspecified() {
			s.NextHop.Address = netip.Addr{}
		}
	}
	if g["if"] != "" {
		s.NextHop.Interface = g["if"]
	}
	if g["next"] != "" {
		s.NextHop.Table = g["next"]
		if mainTable(g["next"]) == "" {
			s.NextHop.Table = "default"
		}
	}
	switch {
	case g["special"] == "reject":
		s.Special = route.Unreachable
	case g["special"] != "", layout.Discards(g["if"]):
		s.Special, s.NextHop = route.Blackhole, route.NextHop{}
	}
	return nil
}

func static(r *reader, g map[string]string, m route.Mark) error {
	s := network.Static{Table: mainTable(g["vr"]), Mark: m}
	if err := fill(&s, g); err != nil {
		return err
	}
	if s.Special == route.None && s.NextHop == (route.NextHop{}) {
		return layout.ErrNotARoute
	}
	r.Facts.Statics = append(r.Facts.Statics, s)
	return nil
}

// part gathers the lines that tell one named route piece by piece.
func part(r *reader, g map[string]string, m route.Mark) error {
	var n *namedRoute
	for _, x := range r.named {
		if x.vr == g["vr"] && x.name == g["name"] {
			n = x
		}
	}
	if n == nil {
		n = &namedRoute{vr: g["vr"], name: g["name"]}
		n.Table = mainTable(g["vr"])
		r.named = append(r.named, n)
	}
	if g["net"] != "" {
		n.Mark = m
	}
	return fill(&n.Static, g)
}
