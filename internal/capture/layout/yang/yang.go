// Package yang reads data of the standard models: routing (RFC 8349), IP addresses and neighbours (RFC 8344) and
// interfaces (RFC 8343) as JSON (RFC 7951) or as NETCONF's XML, and the abstract forwarding tables of OpenConfig as
// JSON. It exists because this data says in so many words what other layouts only hint at.
package yang

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const name = "YANG data"

// Reader is the family's registration.
var Reader = layout.Reader{Structured: true, Name: name, Recognise: recognise, Read: Read,
	About: "RFC 8349, 8344 and 8343 as JSON or NETCONF XML; OpenConfig abstract forwarding tables",
	Sample: "{\"ietf-routing:routing\":{\"ribs\":{\"rib\":[{\"name\":\"ipv4-master\",\"routes\":{\"route\":[\n" +
		" {\"destination-prefix\":\"10.61.16.0/24\",\"next-hop\":{\"outgoing-interface\":\"hall0\"},\n" +
		"  \"source-protocol\":\"direct\",\"active\":[null]}]}}]}}}\n"}

var marks = []string{
	"ietf-routing",
	"ietf-interfaces",
	"ietf-ip:",
	"openconfig-network-instance",
	"openconfig-aft",
	`"afts"`,
	"ipv4-entry",
	"ipv6-entry",
	"urn:ietf:params:xml:ns:yang:",
}

func recognise(text []byte) int {
	head := bytes.TrimSpace(text[:min(len(text), 8192)])
	if len(head) == 0 || head[0] != '{' && head[0] != '<' {
		return 0
	}
	for _, m := range marks {
		if bytes.Contains(head, []byte(m)) {
			return 2000
		}
	}
	return 0
}

type reader struct {
	layout.Collector
	known map[alikeIn]likeRoute
}

// alikeIn are routes of one family in one table that share all but what is their own.
type alikeIn struct {
	like   *node
	table  string
	family route.Family
}

// likeRoute is what they lead to.
type likeRoute struct {
	shared layout.Shared
	state  route.State
}

// asked keeps that a request asks for a part: by what a leaf says (RFC 6241 section 6.2.5), or by an expression. One
// that names subtrees alone asks for the whole of them.
func (r *reader) asked(operation *node) {
	for _, filter := range operation.children {
		if !strings.HasSuffix(filter.name, "filter") || len(filter.children) > 0 && !filter.selects() {
			continue
		}
		for _, t := range r.Facts.Tables {
			r.Partial(t.Name, true, filter.lo, max(filter.hi, filter.lo+1))
		}
	}
}

// selects reports whether anything below a node has a text.
func (n *node) selects() bool {
	return n.text != "" || n.alikes != nil || slices.ContainsFunc(n.children, (*node).selects)
}

// endOfMessage stands between the messages of a session (RFC 6242 section 4.3), and is no part of any document.
var endOfMessage, blanks = []byte("]]>]]>"), []byte("      ")

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{}
	r.Layout = name
	parse, documents := parseJSON, text
	if t := bytes.TrimSpace(text); len(t) > 0 && t[0] == '<' {
		if parse = parseXML; bytes.Contains(text, endOfMessage) {
			documents = bytes.ReplaceAll(text, endOfMessage, blanks[:len(endOfMessage)])
		}
	}
	root, at, within, err := parse(documents)
	root.find("rib", r.rib)
	root.find("static-routes", r.statics)
	root.find("interfaces", r.interfaces)
	r.afts(root)
	for _, operation := range [...]string{"get", "get-config", "get-data"} {
		root.find(operation, r.asked)
	}
	if err != nil {
		if within {
			for i := range r.Facts.Tables {
				r.Facts.Tables[i].Cut = true
			}
			at = min(at, root.brokenOff(at))
		}
		if errors.Is(err, io.ErrUnexpectedEOF) {
			err = layout.ErrCut
		}
		r.Span(at, len(text), fmt.Errorf("cannot be read from here on: %w", err))
	}
	r.Sort()
	r.Account(text)
	return r.Reading
}

var protocols = map[string]route.Protocol{
	"direct":             route.Direct,
	"static":             route.Static,
	"ospfv2":             route.OSPF,
	"ospfv3":             route.OSPF,
	"ospf":               route.OSPF,
	"rip":                route.RIP,
	"ripv2":              route.RIP,
	"ripng":              route.RIPng,
	"bgp":                route.BGP,
	"isis":               route.ISIS,
	"is-is":              route.ISIS,
	"eigrp":              route.EIGRP,
	"local":              route.Local,
	"directlyconnected":  route.Direct,
	"localaggregate":     route.Aggregate,
	"local-aggregate":    route.Aggregate,
	"directly-connected": route.Direct,
	"dhcp":               route.DHCP,
	"babel":              route.Babel,
	"nat":                route.NAT,
	"aggregate":          route.Aggregate,
	"kernel":             route.Kernel,
}

func protocolOf(s string) (route.Protocol, string) {
	s = strings.ToLower(localName(s))
	p, ok := protocols[s]
	if !ok {
		return route.Other, s
	}
	return p, ""
}

var specials = map[string]route.Special{
	"blackhole":   route.Blackhole,
	"unreachable": route.Unreachable,
	"prohibit":    route.Prohibit,
	"receive":     route.Receive,
}

// rib reads a routing information base; its name is ours unless it is one of the usual names of the main one.
func (r *reader) rib(rib *node) {
	table := rib.value("name")
	if low := strings.ToLower(table); table == "" || rib.value("default-rib") == "true" ||
		strings.Contains(low, "master") || strings.HasPrefix(low, "ipv4-default") ||
		strings.HasPrefix(low, "ipv6-default") || low == "default" || low == "ipv4-unicast" || low == "ipv6-unicast" ||
		low == "inet.0" ||
		low == "inet6.0" {
		table = "default"
	}
	for n := range rib.child("routes").each("route") {
		r.spanOf(n, r.route(n, table))
	}
}

// spanOf notes what became of a route.
func (r *reader) spanOf(n *node, err error) {
	if err == nil && n.own != nil {
		r.SpanLike(n.lo, n.hi, n.own.inside)
	} else {
		r.Span(n.lo, n.hi, err)
	}
}

// route makes a route of one entry of a RIB (RFC 8349 section 5).
func (r *reader) route(n *node, table string) error {
	p, err := layout.Prefix(n.bytes("destination-prefix"), false)
	if err != nil {
		return err
	}
	of := alikeIn{n, table, route.FamilyOf(p.Addr())}
	if n.own != nil {
		of.like = n.own.like
		if x, ok := r.known[of]; ok && r.again(n, p, x) {
			return nil
		}
	}
	a := layout.Attributes{}
	a.Protocol, a.Subtype = protocolOf(n.value("source-protocol"))
	if s := n.value("route-preference"); s != "" {
		v, ok := layout.Uint([]byte(s))
		if !ok {
			return fmt.Errorf("%w: %q", layout.ErrNumber, s)
		}
		a.Preference = route.N(v)
	}
	if s := n.value("metric"); s != "" {
		if v, ok := layout.Uint([]byte(s)); ok {
			a.Metric = route.N(v)
		}
	}
	if err := nextHops(n.child("next-hop"), &a); err != nil {
		return err
	}
	state := route.State(0)
	if n.child("active") != nil {
		state = route.Active | route.Installed
	}
	x := likeRoute{r.Add(table, network.Candidates, a.Route(p, state, layout.Mark(n.lo, n.hi)), 0), state}
	r.keep(of, n, x, &a)
	return nil
}

// keep remembers what a route like another one led to. Where that is nowhere its interface is its own.
func (r *reader) keep(of alikeIn, n *node, x likeRoute, a *layout.Attributes) {
	if n.own == nil || a.Special == route.None && layout.Nowhere(a.NextHops) {
		return
	}
	if r.known == nil {
		r.known = map[alikeIn]likeRoute{}
	}
	r.known[of] = x
}

// entryPrefix is the text of an entry's prefix.
func (n *node) entryPrefix() []byte {
	switch {
	case n.own == nil:
		return []byte(state(n, "prefix"))
	case len(n.own.values[ofState]) > 0:
		return n.own.values[ofState]
	}
	return n.own.values[ofEntry]
}

// again adds a route like one before; false where its metric is none.
func (r *reader) again(n *node, p netip.Prefix, x likeRoute) bool {
	metric := route.Number{}
	if s := n.bytes("metric"); len(s) > 0 {
		v, ok := layout.Uint(s)
		if !ok {
			return false
		}
		metric = route.N(v)
	}
	r.AddShared(p, x.shared.With(metric), x.state, layout.Mark(n.lo, n.hi))
	return true
}

// nextHops takes the ways of a route: one, a list, or a special one.
func nextHops(n *node, a *layout.Attributes) error {
	if n == nil {
		return nil
	}
	if s := n.value("special-next-hop"); s != "" {
		sp, ok := specials[localName(s)]
		if !ok {
			return fmt.Errorf("%w: special next hop %q", layout.ErrNotARoute, s)
		}
		a.Special = sp
		return nil
	}
	list := n.child("next-hop-list").all("next-hop")
	if len(list) == 0 {
		list = []*node{n}
	}
	for _, x := range list {
		h := route.NextHop{Interface: x.value("outgoing-interface")}
		for _, k := range [...]string{"next-hop-address", "address"} {
			if s := x.value(k); s != "" {
				var ok bool
				if h.Address, ok = layout.Addr([]byte(s)); !ok {
					return fmt.Errorf("%w: %q", layout.ErrAddress, s)
				}
			}
		}
		if h.Interface != "" || h.Address.IsValid() {
			a.NextHops = append(a.NextHops, h)
		}
	}
	return nil
}

// statics reads configured static routes.
func (r *reader) statics(n *node) {
	for _, fam := range n.children {
		for x := range fam.each("route") {
			a := layout.Attributes{}
			p, err := layout.Prefix([]byte(x.value("destination-prefix")), false)
			if err == nil {
				err = nextHops(x.child("next-hop"), &a)
			}
			r.Span(x.lo, x.hi, err)
			if err != nil {
				continue
			}
			s := network.Static{Prefix: p.Masked(), Special: a.Special, Mark: layout.Mark(x.lo, x.hi)}
			for _, h := range append(a.NextHops, route.NextHop{})[:max(1, len(a.NextHops))] {
				s.NextHop = h
				r.Facts.Statics = append(r.Facts.Statics, s)
			}
		}
	}
}

// interfaces takes interfaces with their states and addresses (RFC 8343, RFC 8344).
func (r *reader) interfaces(list *node) {
	for _, n := range list.all("interface") {
		dev := n.value("name")
		if dev == "" || n.child("config") != nil { // OpenConfig's own interfaces are another model
			continue
		}
		m := layout.Mark(n.lo, n.hi)
		i := network.Interface{Name: dev, MAC: strings.ToLower(n.value("phys-address")), Mark: m}
		switch {
		case n.value("enabled") == "false",
			n.value("admin-status") == "down",
			n.value("oper-status") == "down",
			n.value("oper-status") == "lower-layer-down",
			n.value("oper-status") == "not-present":
			i.State = network.LinkDown
		case n.value("oper-status") == "up":
			i.State = network.LinkUp
		}
		r.Facts.Interfaces = append(r.Facts.Interfaces, i)
		var bad error
		for _, fam := range []string{"ipv4", "ipv6"} {
			ip := n.child(fam)
			for _, x := range ip.all("address") {
				l := x.value("prefix-length")
				p, err := layout.Prefix([]byte(x.value("ip")+"/"+l), false)
				if l == "" && x.value("netmask") != "" {
					p, err = layout.Prefix([]byte(x.value("ip")+"/"+x.value("netmask")), false)
				}
				if err != nil {
					bad = err
					continue
				}
				r.Facts.Addresses = append(
					r.Facts.Addresses,
					network.Address{Prefix: p, Interface: dev, Mark: layout.Mark(x.lo, x.hi)},
				)
			}
			for _, x := range ip.all("neighbor") {
				if a, ok := layout.Addr([]byte(x.value("ip"))); ok {
					nb := network.Neighbour{
						Address:   a,
						Interface: dev,
						MAC:       strings.ToLower(x.value("link-layer-address")),
						Mark:      layout.Mark(x.lo, x.hi),
					}
					if nb.MAC != "" && x.value("state") != "incomplete" {
						nb.State = network.NeighbourAlive
					}
					r.Facts.Neighbours = append(r.Facts.Neighbours, nb)
				}
			}
		}
		r.Span(n.lo, n.hi, bad)
	}
}

// afts reads abstract forwarding tables: entries point to a group, the group to next hops.
func (r *reader) afts(root *node) {
	found := false
	root.find("network-instance", func(n *node) {
		if a := n.child("afts"); a != nil {
			found = true
			r.aft(a, n.value("name"))
		}
	})
	if !found {
		root.find("afts", func(n *node) { r.aft(n, "") })
		root.find("aft", func(n *node) { r.aft(n, "") })
	}
}

// aft reads forwarding tables in which routes name groups, and groups name next hops, by numbers.
func (r *reader) aft(n *node, instance string) {
	if low := strings.ToLower(instance); low == "" || low == "default" || low == "global" {
		instance = "default"
	}
	r.known = nil // numbers of groups are its own
	hops := map[string]*node{}
	for _, x := range n.child("next-hops").all("next-hop") {
		hops[x.value("index")] = x
	}
	groups := map[string]*node{}
	for _, x := range n.child("next-hop-groups").all("next-hop-group") {
		groups[x.value("id")] = x
	}
	for _, fam := range []string{"ipv4", "ipv6"} {
		for x := range n.child(fam + "-unicast").each(fam + "-entry") {
			r.spanOf(x, r.entry(x, instance, groups, hops))
		}
	}
}

// state returns a leaf of the entry's state container, or of the entry itself.
func state(n *node, leaf string) string {
	if s := n.value("state", leaf); s != "" {
		return s
	}
	return n.value(leaf)
}

var errGroup = errors.New("its next-hop group is not in the data")

// entry makes a route of one entry of a forwarding table; a number that leads nowhere leaves it unread.
func (r *reader) entry(x *node, instance string, groups, hops map[string]*node) error {
	p, err := layout.Prefix(x.entryPrefix(), false)
	if err != nil {
		return err
	}
	of := alikeIn{x, instance, route.FamilyOf(p.Addr())}
	if x.own != nil {
		of.like = x.own.like
		if y, ok := r.known[of]; ok && r.again(x, p, y) {
			return nil
		}
	}
	a := layout.Attributes{}
	a.Protocol, a.Subtype = protocolOf(state(x, "origin-protocol"))
	if id := state(x, "next-hop-group"); id != "" {
		g := groups[id]
		if g == nil {
			return errGroup
		}
		weighted := false
		for _, ref := range g.child("next-hops").all("next-hop") {
			nh := hops[ref.value("index")]
			if nh == nil {
				return errGroup
			}
			h := route.NextHop{Interface: nh.value("interface-ref", "state", "interface")}
			if h.Interface == "" {
				h.Interface = nh.value("interface-ref", "interface")
			}
			if s := state(nh, "ip-address"); s != "" {
				addr, ok := layout.Addr([]byte(s))
				if !ok {
					return fmt.Errorf("%w: %q", layout.ErrAddress, s)
				}
				h.Address = addr
			}
			if w, ok := layout.Uint([]byte(state(ref, "weight"))); ok && w < 1<<31 {
				h.Weight = uint32(w)
				h.Backup, weighted = w == 0, weighted || w > 0
			}
			header := strings.ToUpper(state(nh, "encapsulate-header"))
			h.Encapsulated = header != "" && !strings.HasSuffix(header, "NONE") ||
				state(nh, "pushed-mpls-label-stack") != ""
			a.NextHops = append(a.NextHops, h)
		}
		if !weighted { // all have none, and share alike
			for i := range a.NextHops {
				a.NextHops[i].Backup = false
			}
		}
	}
	if a.Protocol == route.Direct || a.Protocol == route.Local {
		for i := range a.NextHops {
			a.NextHops[i].Address = netip.Addr{}
		}
	}
	if a.Protocol == route.Local {
		a.Special = route.Receive
	}
	if len(a.NextHops) == 0 && a.Special == route.None {
		a.Special = route.Blackhole // an entry without a next hop drops
	}
	y := likeRoute{shared: r.Add(instance, network.ForwardingTable, a.Route(p, 0, layout.Mark(x.lo, x.hi)), 0)}
	r.keep(of, x, y, &a)
	return nil
}
