// Package statements reads configuration in the form that the routing daemons and several makers share: static routes
// as "ip route PREFIX NEXT-HOP [PREFERENCE]", interfaces with their addresses, lists of rules, where they are applied,
// and translations. It exists because a configured route that is missing from the table is as telling as one that is
// there, and because what is applied to an interface decides over packets, whatever a table says.
package statements

import (
	"cmp"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const name = "statements"

// Reader is the family's registration.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "configurations of one statement a line: static routes, addresses, lists of rules and where they are " +
		"applied, translations",
	Sample: "interface hall0\n" +
		" ip address 10.61.16.1/24\n" +
		"ip route 10.61.64.0/24 172.28.61.18 130\n"}

// recognise looks for static routes, addresses and filters. A configuration of which little was captured is told by a
// name and a heading alone.
func recognise(text []byte) int {
	n, named, ports := 0, 0, 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		w := strings.Fields(string(text[lo:min(hi, lo+300)]))
		if isStatic(w) ||
			len(w) > 2 && (w[0] == "ip" || w[0] == "ipv4" || w[0] == "ipv6") && w[1] == "address" &&
				layout.LooksLikeAddress([]byte(w[2])) || saysFilter(w) || saysPeer(w) {
			n += 2
		}
		switch {
		case len(w) == 2 && (w[0] == "hostname" || w[0] == "sysname") && text[lo] == w[0][0]:
			named = 1
		case len(w) >= 2 && w[0] == "interface" && text[lo] == 'i',
			len(w) >= 2 && text[lo] > ' ' && (protocolHeading(w).name != route.Other || speaksBGP(w)):
			ports++
		}
	}
	if n == 0 && named > 0 && ports > 0 { // of which little was captured
		return named + ports
	}
	return n
}

type reader struct {
	layout.Collector
	block      string // the heading of the indented lines: "interface NAME", "vrf NAME", …
	link       int    // index + 1 of the block's interface
	table      string // of the block's interface, where it is not the main one
	first      int    // how many addresses were known where the block began
	lists      lists
	byList     map[string][]network.FlowRule // the rules of lists, once all are known
	mentioned  map[string]bool               // words of lines that are no rules
	ended      bool                          // the text has the line that ends a whole configuration
	headed     bool                          // it has one that stands near the begin
	configures bool                          // it holds more than lists of rules
	whole      bool                          // the last line has its end
	part       bool                          // the line tells a part of what others tell: a heading, a member of a group
	// flat: nothing was indented since the heading of the interface, as where blocks end with a line of their own.
	flat        bool
	flattened   flattened
	begins      string // the first word of the last line that is not indented
	staticBlock bool   // in a block of nothing but static routes
	vlan        string // the VLAN whose block it is, which may be an interface
	vlanAt      route.Mark
	protocol    protocolBlock
	speaking    speaking
	daemons     bool // the text is the configuration of FRR's daemons
	guard       guard
	nat         nat
	edge        edge
	twoSided    twoSided
	six         sixRouting
	tunnels     tunnels
	sealed      sealed
	paired      bool // the device is one of two that work as one switch
	thrown      thrown
	detours     detours
	switched    switched
	port        string            // the interface whose block it is, as its heading calls it
	names       map[string]string // what all else calls interfaces, by that
	// how deep the lines of an open group of routers stand at least, in blanks; 0: none is open
	sharing int
	parts   []route.Mark // lines that are parts of what others tell, unless a fact rests on them
	// of the heading of the block that the last line stands in, where it is an interface's
	tail  route.Mark
	begun route.Mark // of the line that begins a whole configuration, until its end is seen
}

// Read reads a text of this family. Other statements of a configuration are known to say nothing of where packets go.
func Read(text []byte) layout.Reading {
	var r reader
	r.Layout, r.whole = name, len(text) > 0 && text[len(text)-1] == '\n'
	r.detours.learn(text)
	r.flattened.learn(text)
	r.names = map[string]string{}
	greetings := banners(text)
	for lo, hi := range layout.Lines(text) {
		line := text[lo:hi]
		for len(greetings) > 0 && lo > greetings[0].hi {
			greetings = greetings[1:]
		}
		if len(greetings) > 0 && lo > greetings[0].lo && !layout.Blank(line) {
			r.Pass(lo, hi, layout.Text)
			continue
		}
		if layout.Blank(line) {
			r.flattened.blank()
			continue
		}
		r.tail = route.Mark{}
		r.part = false
		r.six.line(string(line), layout.Mark(lo, hi))
		used, err := r.line(string(line), lo, hi)
		switch {
		case r.part:
			r.parts = append(r.parts, layout.Mark(lo, hi))
			if r.lists.open == nil && r.lists.group.name == "" {
				r.mention(line)
			}
		case err != nil:
			r.LeaveUnread(lo, hi, err)
		case used:
			r.Collector.Read++
		default:
			r.configures = r.configures || tellsMore(line)
			r.mention(line)
			r.Pass(lo, hi, layout.Other)
		}
	}
	r.configures = r.configures || len(r.Facts.Interfaces)+len(r.Facts.Statics)+len(r.Facts.Applied) > 0
	r.Facts.ListRules = r.lists.rules()
	for i := range r.Facts.ListRules {
		r.Facts.ListRules[i].Alone = !r.configures
	}
	r.byList = map[string][]network.FlowRule{}
	for _, x := range r.Facts.ListRules {
		r.byList[x.List] = append(r.byList[x.List], x.FlowRule)
	}
	r.detours.finish(&r)
	r.guard.finish(&r)
	r.nat.finish(&r)
	r.edge.finish(&r)
	r.twoSided.finish(&r)
	r.six.finish(&r)
	r.tunnels.finish(&r)
	r.sealed.finish(&r)
	r.finishVirtuals()
	r.thrown.finish(&r)
	r.switched.finish(&r)
	r.ReadOrPart(r.parts)
	return r.Reading
}

// line reads one statement: a heading, what stands in the block below it, or one that stands alone. Used tells that it
// is a fact.
func (r *reader) line(s string, lo, hi int) (used bool, err error) {
	w := strings.Fields(s)
	if r.bounds(strings.TrimSpace(s), lo, hi) {
		r.part = true
		return false, nil
	}
	indented := s[0] == ' ' || s[0] == '\t' || r.flattened.line(s)
	if !indented {
		r.begins = w[0]
		r.pairs(w)
	}
	if r.detours.line(w, indented, layout.Mark(lo, hi)) {
		r.part = true
	}
	if r.sealed.line(w, indented) {
		r.part = true
	}
	if !indented && (r.lists.open == nil || !isRule(w)) {
		if r.lists.heading(w) {
			r.block, r.link, r.part = "", 0, true
			return false, nil
		}
		if r.flat && r.link > 0 && inFlatBlock(w) {
			return r.inBlock(w, s, false, lo, hi)
		}
		r.block, r.link, r.table, r.vlan, r.staticBlock = "", 0, "", "", false
		r.speaking = speaking{}
		if len(w) > 1 && w[0] == "frr" && (w[1] == "version" || w[1] == "defaults") {
			r.daemons = w[1] == "version" || w[len(w)-1] == "traditional" // another profile has other defaults
		}
		if speaksBGP(w) {
			r.speaking.heading(r, w, layout.Mark(lo, hi))
			r.Facts.Protocols = append(r.Facts.Protocols,
				network.ProtocolInterface{Protocol: route.BGP, Other: true, Mark: layout.Mark(lo, hi)})
			r.protocol, r.configures = protocolBlock{}, true
			return true, nil
		}
		if r.protocol = protocolHeading(w); r.protocol.name != route.Other {
			r.part, r.configures = true, true
			return false, nil
		}
		if several(w) { // what it applies counts for every interface
			r.part = true
			return false, nil
		}
		if len(w) > 1 && (w[0] == "interface" || w[0] == "vrf") {
			r.block = w[0] + " " + w[1]
			if w[1] == "context" && len(w) > 2 {
				r.block = w[0] + " " + w[2]
			}
		}
		if len(w) == 2 && w[0] == "router" && w[1] == "static" {
			r.staticBlock, r.part = true, true
			return false, nil
		}
		if len(w) == 2 && w[0] == "vlan" && isNumber(w[1]) {
			r.vlan, r.vlanAt, r.part = "vlan "+w[1], layout.Mark(lo, hi), true
			return false, nil
		}
		if len(w) > 1 && w[0] == "interface" {
			r.port = ifName(w[1:])
			r.Facts.Interfaces = append(
				r.Facts.Interfaces,
				network.Interface{Name: cmp.Or(r.names[r.port], r.port), Configured: true, Mark: layout.Mark(lo, hi)},
			)
			r.sharing = 0
			r.tunnels.heading(w, r.port, layout.Mark(lo, hi))
			r.link, r.first, r.flat = len(r.Facts.Interfaces), len(r.Facts.Addresses), true
			if i := slices.Index(w, "vrf"); i > 1 && i+1 < len(w) {
				r.table = w[i+1]
			}
			return true, nil
		}
	}
	r.flat = r.flat && !indented
	return r.inBlock(w, s, indented, lo, hi)
}

// inBlock reads a line that is no heading.
func (r *reader) inBlock(w []string, s string, indented bool, lo, hi int) (used bool, err error) {
	if r.link > 0 {
		r.tail = r.Facts.Interfaces[r.link-1].Mark
		r.switched.line(w, r.interfaceNow())
	}
	if r.vlan != "" && r.vlanLine(w) {
		return true, nil
	}
	if r.link > 0 {
		if told, part := r.tunnels.line(w, r.port, layout.Mark(lo, hi)); told || part {
			r.part = part
			return told, nil
		}
	}
	switch {
	case r.staticBlock && indented:
		return r.staticLine(w, s, lo, hi)
	case r.link == 0 && r.lists.groupLine(w):
		r.part = true
		return false, nil
	case r.link == 0 && r.lists.line(w, layout.Mark(lo, hi)):
		r.part = r.lists.entries[len(r.lists.entries)-1].ofFragments()
		return !r.part, nil
	case r.link > 0 && memberOf(w) != "":
		r.table = memberOf(w)
		for i := r.first; i < len(r.Facts.Addresses); i++ {
			r.Facts.Addresses[i].Table = r.table
		}
		return false, nil
	case isStatic(w):
		return true, r.static(w, lo, hi)
	case !indented && r.watched(w, lo, hi):
		return true, nil
	case !indented && ofLink(w) != nil:
		return true, r.static(ofLink(w), lo, hi)
	case r.speaking.on && indented && r.speaking.line(r, w, layout.Mark(lo, hi)),
		r.protocol.name != route.Other && indented && r.protocolLine(w, lo, hi),
		r.link > 0 && r.protocolOn(w, r.Facts.Interfaces[r.link-1].Name, lo, hi):
		r.mention([]byte(s))
		return true, nil
	case r.link > 0 && r.virtual(w, s, lo, hi):
		return true, nil
	case r.link > 0 && labels(w):
		r.Facts.Interfaces = append(r.Facts.Interfaces,
			network.Interface{Name: r.Facts.Interfaces[r.link-1].Name, Labels: true, Configured: true,
				Mark: layout.Mark(lo, hi)})
		return true, nil
	case r.link > 0 && w[0] == "shutdown":
		r.Facts.Interfaces = append(
			r.Facts.Interfaces,
			network.Interface{
				Name:  r.Facts.Interfaces[r.link-1].Name,
				State: network.LinkDown, Configured: true,
				Mark: layout.Mark(lo, hi),
			},
		)
		return true, nil
	case r.link > 0 && len(w) > 2 && (w[0] == "ip" || w[0] == "ipv4" || w[0] == "ipv6") && w[1] == "address" &&
		layout.LooksLikeAddress([]byte(w[2])):
		if slices.Contains(w, "eui-64") { // its last 64 bits are made of the link-layer address
			return false, nil
		}
		return true, r.address(w, lo, hi)
	case r.link > 0 && len(w) == 3 && w[0] == "ipv6" && w[1] == "link-local":
		return true, r.address(w, lo, hi)
	case r.link > 0 && len(w) == 2 && w[0] == "nameif": // the name that everything else of the device calls it by
		r.names[r.port] = w[1]
		for i := r.link - 1; i < len(r.Facts.Interfaces); i++ {
			r.Facts.Interfaces[i].Name = w[1]
		}
		for i := r.first; i < len(r.Facts.Addresses); i++ {
			r.Facts.Addresses[i].Interface = w[1]
		}
		r.guard.named(w[1], layout.Mark(lo, hi))
		return true, nil
	case r.twoSided.line(w, r.lists.group.name, layout.Mark(lo, hi)):
		r.part = true
		return false, nil
	case r.guard.line(w, r.link > 0):
		r.part = true
		return false, nil
	case len(w) > 2 && w[0] == "access-group" && r.link == 0:
		r.appliedByName(w, lo, hi)
		return true, nil
	case r.link > 0 && r.nat.side(w, r.Facts.Interfaces[r.link-1].Name, layout.Mark(lo, hi)), !(indented &&
		r.link > 0) && r.nat.line(w, layout.Mark(lo, hi)):
		r.part = true
		return false, nil
	case r.edge.line(w, r.interfaceNow(), layout.Mark(lo, hi)):
		r.part = true
		return false, nil
	case r.link > 0 && r.sealed.at(w, r.interfaceNow(), layout.Mark(lo, hi)):
		return true, nil
	case r.link > 0 && r.applied(w, lo, hi):
		return true, nil
	case r.thrown.line(w, indented, r.interfaceNow(), layout.Mark(lo, hi)):
		r.part = true
		return false, nil
	case !indented && r.guards(w, lo, hi):
		return true, nil
	case indented && r.begins == "control-plane" && w[0] == "management-plane":
		r.Restrict(network.FlowRule{Hook: network.ForItself}, lo, hi)
		return true, nil
	// of what the device sends itself
	case !indented && len(w) > 3 && w[1] == "local" && (w[2] == "policy" || w[2] == "policy-based-route"):
		r.Restrict(network.FlowRule{Hook: network.FromItself}, lo, hi)
		return true, nil
	case w[0] == "local-install" && len(w) == 2 || w[0] == "flow-spec" || !indented && w[0] == "flowspec" && len(w) == 1 ||
		w[0] == "address-family" && slices.Contains(w, "flowspec"): // rules that neighbours announce (RFC 8955)
		r.Restrict(network.FlowRule{Hook: network.ComingIn}, lo, hi)
		return true, nil
	case !indented && appliesGlobally(w):
		r.restrict(0, "", true, false, lo, hi)
		return true, nil
	// into a zone: between zones policies decide
	case r.link == 0 && indented && len(w) > 2 && (w[0] == "add" || w[0] == "import") && w[1] == "interface":
		r.restrict(0, ifName(w[2:]), true, true, lo, hi)
		return true, nil
	case r.link == 0 && indented && appliesSomewhere(w) && slices.Contains(whoComesIn, r.begins):
		if r.begins == "control-plane" || r.begins == "system" {
			r.Restrict(network.FlowRule{Hook: network.ForItself}, lo, hi)
			return true, nil
		}
		return false, nil
	case r.link == 0 && indented && appliesSomewhere(w): // of an interface whose heading is not to be seen
		in, out := directions(w)
		r.restrict(0, "", in || !out, out || !in, lo, hi)
		return true, nil
	case r.link == 0 && r.lists.open == nil && isRule(w) && r.lists.interrupted(w, layout.Mark(lo, hi)):
		return true, nil
	case len(w) == 3 && w[0] == "no" && w[1] == "ip" && w[2] == "classless":
		r.Facts.Classful = append(r.Facts.Classful, layout.Mark(lo, hi))
		return true, nil
	case switchedOff(w) != 0:
		r.Facts.Forwarding = append(r.Facts.Forwarding,
			network.Switch{Family: switchedOff(w), Mark: layout.Mark(lo, hi)})
		return true, nil
	}
	return false, nil
}

// labels reports whether a line of an interface's block lets packets leave by it under labels.
func labels(w []string) bool {
	return w[0] == "mpls" && (len(w) == 1 || len(w) == 2 && (w[1] == "ip" || w[1] == "ldp" || w[1] == "enable"))
}

// whoComesIn are the first words of blocks that say who may reach the device itself.
var whoComesIn = []string{"management", "line", "user-interface", "control-plane", "system"}

// switchedOff returns the family whose forwarding a line switches off, 0 for none.
func switchedOff(w []string) route.Family {
	switch strings.Join(w, " ") {
	case "no ip forwarding", "no ip routing", "no ip routing vrf default":
		return route.IPv4
	case "no ipv6 forwarding", "no ipv6 unicast-routing":
		return route.IPv6
	}
	return 0
}

// interfaceNow is the interface whose block the line stands in, "" for none.
func (r *reader) interfaceNow() string {
	if r.link == 0 {
		return ""
	}
	return r.Facts.Interfaces[r.link-1].Name
}

// ifName is the name of an interface, of which the number may stand apart: "ethernet 1/1".
func ifName(w []string) string {
	if len(w) > 1 && w[1][0] >= '0' && w[1][0] <= '9' {
		return w[0] + " " + w[1]
	}
	return w[0]
}

// several reports whether a heading is that of several interfaces, or of what interfaces take over by its name.
func several(w []string) bool {
	return len(w) > 2 && w[0] == "interface" && (w[1] == "range" || w[1] == "profile" || slices.Contains(w, "to") ||
		slices.Contains(w, "-") || strings.Contains(strings.Join(w, ""), ",")) ||
		len(w) == 2 && w[0] == "interface" && strings.Contains(w[1], ",")
}

// memberOf returns the table that a line of an interface's block puts it in, "" where the line does not.
func memberOf(w []string) string {
	switch line := strings.Join(w, " "); {
	case len(w) == 3 && (strings.HasPrefix(line, "vrf forwarding ") || strings.HasPrefix(line, "vrf member ")):
		return w[2]
	case len(w) == 4 && (strings.HasPrefix(line, "ip vrf forwarding ") ||
		strings.HasPrefix(line, "ip binding vpn-instance ")):
		return w[3]
	case len(w) == 2 && w[0] == "vrf" && w[1] != "default":
		return w[1]
	}
	return ""
}

// isRule reports whether a line stands in a list of rules although it is not indented.
func isRule(w []string) bool {
	if _, ok := layout.Uint([]byte(w[0])); ok && len(w) > 1 {
		w = w[1:]
	}
	return slices.Contains([]string{"permit", "deny", "remark", "rule"}, w[0])
}

// translates splits "(in,out)", nil for anything else.
func translates(s string) []string {
	if !strings.HasPrefix(s, "(") || !strings.HasSuffix(s, ")") {
		return nil
	}
	if pair := strings.Split(s[1:len(s)-1], ","); len(pair) == 2 {
		return pair
	}
	return nil
}

// tellsMore reports whether a line is one that a configuration has and a listing of lists of rules has not.
func tellsMore(line []byte) bool {
	w := strings.Fields(string(line))
	return slices.Contains([]string{"hostname", "sysname", "router", "version", "snmp-server", "line", "route-map",
		"username", "enable", "service", "logging"}, w[0])
}

// saysFilter reports whether a line is one of a list of rules or applies one.
func saysFilter(w []string) bool {
	if len(w) < 3 {
		return false
	}
	if name, words, _ := namedEntry(w); name != "" && len(words) > 1 {
		return true
	}
	if name, _, _ := listHeading(w); name != "" {
		return true
	}
	return w[0] == "ip" && w[1] == "access-group" || w[0] == "ipv6" && w[1] == "traffic-filter" ||
		w[0] == "access-group" && len(w) > 4
}

// address takes an interface's own address as configured: a list of states outranks it.
func (r *reader) address(w []string, lo, hi int) error {
	s := w[2]
	if !strings.Contains(s, "/") && len(w) > 3 && w[3] != "link-local" {
		s += "/" + w[3]
	}
	p, err := layout.Prefix([]byte(s), slices.Contains(w, "link-local"))
	if err != nil {
		return err
	}
	r.Facts.Addresses = append(
		r.Facts.Addresses,
		network.Address{Prefix: p, Interface: r.Facts.Interfaces[r.link-1].Name, Table: r.table, Configured: true,
			Mark: layout.Mark(lo, hi)},
	)
	return nil
}
