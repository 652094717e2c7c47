package columns

import (
	"cmp"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strings"

	"go4.org/netipx"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// protocolWords are the words, folded, that type and protocol columns use.
var protocolWords = map[string]route.Protocol{
	"direct": route.Direct, "connected": route.Direct, "connect": route.Direct, "attached": route.Direct,
	"interface": route.Direct, "c": route.Direct,
	"local": route.Local, "host": route.Local, "static": route.Static, "s": route.Static, "netmgmt": route.Static,
	"unr": route.Static,
	"rip": route.RIP, "ripng": route.RIPng, "ospf": route.OSPF, "oase": route.OSPF, "onssa": route.OSPF,
	"ointra": route.OSPF, "ointer": route.OSPF,
	"oinra": route.OSPF, "oase1": route.OSPF, "oase2": route.OSPF, "onssa1": route.OSPF, "onssa2": route.OSPF,
	"ospfv3": route.OSPF,
	"isis":   route.ISIS, "isisl1": route.ISIS, "isisl2": route.ISIS, "bgp": route.BGP, "ibgp": route.BGP,
	"ebgp": route.BGP, "eigrp": route.EIGRP,
	"kernel": route.Kernel, "dhcp": route.DHCP, "nat": route.NAT, "stat": route.Static, "loc": route.Local,
	"address": route.Local, "aggregate": route.Aggregate, "babel": route.Babel,
}

var protocolSubtypes = map[string]string{
	"ointra": "intra-area",
	"ointer": "inter-area",
	"oase":   "external",
	"oase1":  "external-1",
	"oase2":  "external-2",
	"onssa":  "nssa-external",
	"onssa1": "nssa-external-1",
	"onssa2": "nssa-external-2",
	"isisl1": "level-1",
	"isisl2": "level-2",
}

// otherTable matches a next hop that is another table of the device: "vr yard".
var otherTable = lazyregexp.New(`(?i)^(?:next-)?(?:vr|vrf|table|virtual[ -]router)[ :](\S+)$`)

// isOtherTable reports whether a cell is that, after a cheap look.
func isOtherTable(s string) bool {
	if s == "" {
		return false
	}
	switch s[0] | 0x20 { // in lower case
	case 'v', 't', 'n':
		return otherTable.MatchString(s)
	}
	return false
}

// stateWords are what a column of states may say in whole words, and whether such a route is in use.
var stateWords = map[string]bool{
	"active": true, "up": true, "true": true, "yes": true, "valid": true, "best": true, "selected": true,
	"installed": true, "used": true, "enabled": true, "reachable": true, "alive": true, "online": true, "ok": true,
	"primary": true, "running": true, "connected": true, "static": true, "dynamic": true, "permanent": true,
	"down": false, "false": false, "inactive": false, "no": false, "backup": false, "standby": false,
	"disabled": false, "invalid": false, "unusable": false, "hidden": false, "alternate": false, "secondary": false,
	"offline": false, "dead": false, "unreachable": false, "unavailable": false, "unresolved": false,
	"suppressed": false, "candidate": false, "passive": false,
}

// gluedAddress matches an address that lost the blank behind it.
var gluedAddress = lazyregexp.New(`^\d+\.\d+\.\d+\.\d+[A-Za-z]`)

// inTunnel matches what stands beside a next hop that a tunnel leads to.
var inTunnel = lazyregexp.New(`^\(tunnel(?:ed|led)?\b[^()]*\)$`)

// wholeWord matches a word that is no letters of a key written together.
var wholeWord = lazyregexp.New(`^(?:[A-Z]?[a-z]{4,}|[A-Z]{6,})$`)

// discardWords stand in the place of a next hop or interface where packets are dropped.
var discardWords = map[string]route.Special{
	"blackhole":   route.Blackhole,
	"discard":     route.Blackhole,
	"drop":        route.Blackhole,
	"reject":      route.Unreachable,
	"unreachable": route.Unreachable,
	"prohibit":    route.Prohibit,
	"noroute":     route.Unreachable,
}

// noWay are words in the place of a next hop that name none: where such a route leads is not known.
var noWay = []string{"unresolved", "incomplete", "invalid", "unusable", "inaccessible", "hidden", "unknown", "pending",
	"no", "n/a"}

// manyWays are kinds of next hops that lead on to several, which such a row does not show.
var manyWays = []string{"pool", "group", "nexthopgroup", "list", "multipath", "ecmp"}

// discardOf is what becomes of packets where a cell has such a word, or the name of an interface that throws them away.
func discardOf(cell string) route.Special {
	if layout.Discards(cell) {
		return route.Blackhole
	}
	return discardWords[fold(cell)]
}

// finish gives a row its meaning and adds the route.
func (r *reader) finish(row *rowCells, p netip.Prefix, a layout.Attributes) error {
	gw, dev, fl := strings.TrimLeft(strings.Trim(row.cell[gateway], "[]"), "+"), row.cell[ifname], row.cell[flags]
	if dev == "-" {
		dev = ""
	}
	h := route.NextHop{Interface: dev}
	onLink := false
	worded := gw != "" && (gw[0] < '0' || gw[0] > '9')
	switch low := strings.ToLower(gw); {
	case gw == "" || gw == "*" || gw == "-" || gw == "0.0.0.0" || gw == "::" || low == "on-link" || low == "direct" ||
		low == "connected" || low == "attached" || low == "none",
		strings.HasPrefix(low, "link#"),
		low == "directly":
		if r.section == netTools && strings.Contains(fl, "G") && !strings.Contains(fl, "!") {
			return fmt.Errorf("%w: its gateway, of the other family, is not shown", layout.ErrNotARoute)
		}
		onLink = true
	case low == "receive", low == "punt":
		a.Special = route.Receive
	case low == "glean":
		onLink = true
	case low == "multicast" && p.Addr().IsMulticast():
		a.Special = route.Multicast
	case worded && slices.Contains(noWay, strings.Trim(low, ":")):
		return fmt.Errorf("%w: %q is no next hop", layout.ErrNotARoute, gw)
	case worded && discardOf(gw) != 0:
		a.Special = discardOf(gw)
	case isOtherTable(low): // what is called its interface is none that packets leave by
		dev, h = "", route.NextHop{Table: otherTable.FindStringSubmatch(gw)[1]}
	default:
		addr, ok := layout.Addr([]byte(gw))
		switch {
		case ok:
			h.Address = addr
			if strings.HasPrefix(dev, "(") && inTunnel.MatchString(dev) {
				dev, h.Interface, h.Encapsulated = "", "", true
			}
			if r.vlans && isNumber(dev) {
				dev, h.Interface = "", ""
			}
			if z := addr.Zone(); z != "" {
				h.Address = addr.WithZone("")
			}
		// the device's own address, with its own
		case strings.Count(gw, ":") == 5 && r.section == bsd && strings.Contains(fl, "l"):
			onLink = true
		case strings.Count(gw, ":") == 5 && r.section == bsd: // a link-layer address: a neighbour, not a route
			n := network.Neighbour{Address: p.Addr(), Interface: dev, State: network.NeighbourAlive,
				Mark: layout.Mark(row.lo, row.hi)}
			n.MAC, _ = layout.Hardware(gw)
			r.Facts.Neighbours = append(r.Facts.Neighbours, n)
			return nil
		case gluedAddress.MatchString(gw), layout.LooksLikeAddress([]byte(gw)),
			strings.Trim(gw, "0123456789.:/") == "" && !r.numbers:
			return fmt.Errorf("%w: %q", layout.ErrAddress, gw)
		default: // an interface's name in place of an address
			if t := row.cell[types]; slices.Contains(manyWays, fold(t)) {
				return fmt.Errorf("%w: which next hops the %s %q has is not shown", layout.ErrNotARoute, t, gw)
			}
			onLink = true
			if h.Interface == "" || isNumber(h.Interface) {
				h.Interface = gw
			}
		}
	}
	if l := strings.TrimSpace(row.cell[labels]); l != "" && l != "-" && !strings.EqualFold(l, "NoLabel") &&
		!strings.EqualFold(l, "Null") {
		h.Encapsulated = h.Address.IsValid()
	}
	if s := cmp.Or(discardOf(dev), discardOf(row.cell[types])); s != 0 {
		a.Special = s
	}
	r.protocol(row, &a, onLink, p, &h)
	if err := r.letters(fl); err != nil {
		return err
	}
	if r.section == device {
		for word := range strings.FieldsSeq(fl) {
			if _, ok := stateWords[strings.ToLower(word)]; !ok && r.legend[word] == "" && wholeWord.MatchString(word) {
				return fmt.Errorf("%w: whether %q is a route in use is not known", layout.ErrNotARoute, word)
			}
		}
	}
	state := r.flags(row, fl, &a, onLink, p, &h)
	if r.section == device && state&route.Active != 0 {
		if err := r.doubts(fl + shortType(row)); err != nil {
			return err
		}
	}
	if a.Special == route.Receive && r.mayBeLast(p, gw, dev) {
		return errWhose
	}
	if own, ok := layout.Addr([]byte(gw)); ok && (r.section == device || r.section == bsd) &&
		a.Protocol == route.Direct && !p.IsSingleIP() &&
		p.Contains(own) &&
		own != p.Addr() &&
		!r.addrSeen[own] {
		r.addrSeen[own] = true // the gateway of an attached network is the device's own address in it
		r.Facts.Addresses = append(
			r.Facts.Addresses,
			network.Address{Prefix: netip.PrefixFrom(own, p.Bits()), Interface: dev, Mark: layout.Mark(row.lo, row.hi)},
		)
	}
	switch r.section {
	case host, persistent:
		r.workstation(row, p, &a, &h, onLink)
	case stored:
		if err := r.fromStore(row, p, &a, onLink); err != nil {
			return err
		}
	}
	if a.Special == route.None || a.Special == route.Receive || a.Special == route.Broadcast {
		if h.Interface != "" || h.Address.IsValid() || h.Table != "" {
			a.NextHops = []route.NextHop{h}
		}
	}
	if r.ofLink(gw, p, &a, &h); a.Special == route.Receive {
		if a.NextHops = nil; h.Interface != "" {
			a.NextHops = []route.NextHop{h}
		}
	}
	m := layout.Mark(row.lo, row.hi)
	if r.section == persistent || r.section == stored && isConfigured(row.cell[store]) {
		r.Facts.Statics = append(
			r.Facts.Statics,
			network.Static{Prefix: p.Masked(), NextHop: h, Special: a.Special, Metric: a.Metric, Mark: m},
		)
		return nil
	}
	table := r.table
	if v := row.cell[instance]; v != "-" && instanceName(v) != "default" {
		table = v
	}
	if r.section == stored && onLink && p.IsSingleIP() && !p.Addr().IsLoopback() {
		r.singles = append(r.singles, held{table: table, prefix: p, attr: a, state: state, lo: row.lo, hi: row.hi})
		return nil
	}
	r.hold(held{table: table, prefix: p, attr: a, state: state, lo: row.lo, hi: row.hi}, row.more)
	return nil
}

// ofLink gives an own address that is reached by the loopback the interface whose link it names: BSD prints "link#1"
// with the attached network of the first interface, and with the address that the interface has in it.
func (r *reader) ofLink(gw string, p netip.Prefix, a *layout.Attributes, h *route.NextHop) {
	if r.section != bsd || !strings.HasPrefix(gw, "link#") {
		return
	}
	if !isLoopbackName(h.Interface) {
		if r.links == nil {
			r.links = map[string]string{}
		}
		r.links[gw] = h.Interface
	} else if a.Special == route.Receive && !p.Addr().IsLoopback() {
		h.Interface = r.links[gw] // "": the row of its network could not be read
	}
}

// protocol reads the type column: a word, or a letter of the capture's key.
func (r *reader) protocol(row *rowCells, a *layout.Attributes, onLink bool, p netip.Prefix, h *route.NextHop) {
	s := strings.Trim(row.cell[protocol], "#*>()")
	text := fold(s)
	if long, ok := r.legend[s]; ok {
		text = fold(long)
	}
	if pr, ok := protocolWords[text]; ok {
		a.Protocol, a.Subtype = pr, protocolSubtypes[text]
	} else if pr, sub, ok := r.twoLetters(s); ok {
		a.Protocol, a.Subtype = pr, sub
	} else if s != "" {
		a.Subtype = s
		longest := 2
		for w, pr := range protocolWords {
			if len(w) > longest && strings.HasPrefix(text, w) {
				a.Protocol, a.Subtype, longest = pr, "", len(w)
			}
		}
	}
	switch text {
	case "broadc", "broadcast":
		a.Protocol, a.Subtype, a.Special = route.Other, "", route.Broadcast
	case "multic", "multicast":
		a.Protocol, a.Subtype, a.Special = route.Other, "", route.Multicast
	}
	if s == "" && onLink && a.Special == route.None && r.section == device && len(r.legend) == 0 {
		a.Protocol = route.Direct
	}
	if a.Special == route.Receive {
		a.Protocol = route.Local
	}
	if a.Protocol == route.RIP && p.Addr().Is6() {
		a.Protocol = route.RIPng
	}
	if gw, ok := layout.Addr([]byte(row.cell[gateway])); ok &&
		(gw.IsLoopback() || r.addrSeen[gw] || gw == p.Addr() && isLoopbackName(h.Interface)) &&
		(a.Protocol == route.Direct || a.Protocol == route.Other && s == "" && (gw.IsLoopback() || gw == p.Addr())) &&
		p.IsSingleIP() {
		a.Protocol, a.Special = route.Local, route.Receive
		for _, n := range r.attached {
			if n.Contains(p.Addr()) && p.Addr() == netipx.PrefixLastIP(n) {
				a.Protocol, a.Subtype, a.Special = route.Other, "", route.Broadcast
			}
		}
	}
	if a.Protocol == route.Local && !p.IsSingleIP() && a.Special == route.None {
		a.Protocol = route.Direct // some devices call their own networks local
	}
	if a.Protocol == route.Local || a.Protocol == route.Direct && p.IsSingleIP() && isLoopbackName(h.Interface) {
		a.Protocol, a.Special = route.Local, route.Receive
	}
	if a.Special == route.Receive || a.Special == route.Broadcast {
		h.Address = netip.Addr{}
	}
	if a.Protocol == route.Direct && !p.IsSingleIP() && p.Addr().Is4() {
		r.attached = append(r.attached, p.Masked())
	}
}

// mayBeLast reports whether an address alone that leads to the device itself may be the last one of a network that the
// table lost, which is that of broadcasts: the row of the network stands above those of its addresses.
func (r *reader) mayBeLast(p netip.Prefix, gw, dev string) bool {
	here, ok := layout.Addr([]byte(gw))
	if !ok || !here.IsLoopback() || !p.IsSingleIP() || !p.Addr().Is4() || isLoopbackName(dev) || p.Addr().As4()[3]&3 != 3 {
		return false
	}
	return !slices.ContainsFunc(r.attached, func(n netip.Prefix) bool { return n.Contains(p.Addr()) })
}

func isLoopbackName(s string) bool {
	s = strings.ToLower(s)
	return s == "lo" || s == "lo0" || strings.HasPrefix(s, "inloop") || strings.HasPrefix(s, "loopback")
}

// twoLetters reads a type of two signs of the key, "O2" or "O/E2": the protocol's and one that makes it more precise.
func (r *reader) twoLetters(s string) (route.Protocol, string, bool) {
	first, rest, parted := strings.Cut(s, "/")
	if !parted && len(s) > 1 {
		first, rest = s[:1], s[1:]
	}
	pr, ok := protocolWords[fold(r.legend[first])]
	if !ok {
		return 0, "", false
	}
	sub := ""
	switch text := r.legend[rest]; {
	case strings.Contains(text, "inter"):
		sub = "inter-area"
	case strings.Contains(text, "external") && strings.HasSuffix(text, "1"):
		sub = "external-1"
	case strings.Contains(text, "external") && strings.HasSuffix(text, "2"):
		sub = "external-2"
	case strings.Contains(text, "internal"), strings.Contains(text, "ibgp"):
		sub = "internal"
	}
	return pr, sub, true
}

// flags reads the flags column. A device's row is in use unless its key has a flag for that and the row lacks it.
func (r *reader) flags(
	row *rowCells,
	s string,
	a *layout.Attributes,
	onLink bool,
	p netip.Prefix,
	h *route.NextHop,
) route.State {
	switch r.section {
	case netTools:
		switch {
		case strings.Contains(s, "!"):
			a.Special = route.Unreachable
		case h.Interface == "*": // no device at all: the kernel's discarding route, which has no flag of its own
			a.Special = route.Blackhole
		case strings.Contains(s, "U") && onLink && !strings.Contains(s, "G"):
			a.Protocol = route.Direct
			if p.IsSingleIP() && strings.Contains(s, "n") || h.Interface == "lo" && p.IsSingleIP() {
				a.Protocol, a.Special = route.Local, route.Receive
			}
		}
		if p.Addr().IsMulticast() {
			a.Special = route.Multicast
		}
		return 0
	case bsd:
		switch {
		case strings.Contains(s, "B"):
			a.Special = route.Blackhole
		case strings.Contains(s, "R"):
			a.Special = route.Unreachable
		case strings.Contains(s, "b") && strings.Contains(s, "H"):
			a.Protocol, a.Special, h.Address = route.Other, route.Broadcast, netip.Addr{}
		case strings.Contains(s, "H") && (onLink && strings.HasPrefix(h.Interface, "lo") || strings.Contains(s, "l")):
			a.Protocol, a.Special = route.Local, route.Receive
		case onLink && !strings.Contains(s, "G"), h.Address.IsValid() && p.Contains(h.Address) &&
			!strings.ContainsAny(s, "GH"), strings.Contains(s, "C") && !strings.ContainsAny(s, "GH"):
			a.Protocol, h.Address = route.Direct, netip.Addr{} // a gateway that stands there is the device itself
		case strings.Contains(s, "S"):
			a.Protocol = route.Static
		}
		if p.Addr().IsMulticast() {
			a.Special = route.Multicast
		}
		return 0
	case host, persistent, stored:
		return 0
	}
	state := route.Active | route.Installed
	if !usedBy(row.cell[protocol]) {
		state = 0
	}
	if r.best != "" && !strings.Contains(row.marks, r.best) {
		state = 0
	}
	if m := r.preferredMarks(); m != "" && !strings.ContainsAny(row.cell[protocol]+s, m) {
		state = 0
	}
	needs := r.inUse()
	var given []string
	s += shortType(row)
	for f := range strings.FieldsSeq(s) {
		if used, ok := stateWords[strings.ToLower(f)]; ok && !used { // without a key: whole words say it
			state = 0
		}
		given = append(given, f)
		if r.legend[f] == "" { // letters written together
			for _, c := range f {
				given = append(given, string(c))
			}
		}
	}
	if needs != "" && !slices.Contains(given, needs) {
		state = 0
	}
	if r.taken != "" && state != 0 && !slices.Contains(given, r.taken) && r.shows(flags) {
		state = route.Active | route.Rejected // chosen, and what forwards has not taken it
	}
	slices.Sort(given)
	given = slices.Compact(given)
	for _, f := range given {
		text := r.legend[f]
		switch {
		case text == "":
		case strings.Contains(text, "inactive"), strings.Contains(text, "disabled"):
			state = route.Unusable
		case strings.HasPrefix(text, "reject"):
			a.Special = route.Unreachable
		case strings.Contains(text, "connected") && a.Protocol == route.Other && onLink:
			a.Protocol = route.Direct
		case strings.HasPrefix(fold(text), "blackhole"):
			a.Special = route.Blackhole
		case text == "relay", strings.HasPrefix(text, "recursive"):
			h.Recursive = h.Address.IsValid() // the interface is that of the route by which it is found
		case text == "host" && onLink:
			a.Protocol, a.Special = route.Local, route.Receive
		default:
			word, rest, _ := strings.Cut(text, " ")
			if pr, ok := protocolWords[fold(word)]; ok && a.Protocol == route.Other {
				a.Protocol = pr
				switch {
				case strings.Contains(rest, "intra"):
					a.Subtype = "intra-area"
				case strings.Contains(rest, "inter"):
					a.Subtype = "inter-area"
				case strings.Contains(rest, "1"):
					a.Subtype = "external-1"
				case strings.Contains(rest, "2"):
					a.Subtype = "external-2"
				}
			}
		}
	}
	if a.Protocol == route.Other && row.cell[protocol] == "" && a.Special == route.None && r.withoutGateway(given) {
		a.Protocol = route.Direct
	}
	if a.Protocol == route.Direct {
		h.Address = netip.Addr{} // what stands there is the device's own address
	}
	return state
}

// shows reports whether a table has a column of a kind.
func (r *reader) shows(k kind) bool {
	return slices.ContainsFunc(r.cols, func(c column) bool { return c.kind == k })
}

// usedBy reports whether the words where a protocol stands, "STATIC (inactive)", let the route be in use.
func usedBy(cell string) bool {
	for w := range strings.FieldsFuncSeq(cell, func(c rune) bool { return c == ' ' || c == '(' || c == ')' || c == ',' }) {
		if used, ok := stateWords[strings.ToLower(w)]; ok && !used {
			return false
		}
	}
	return true
}

// shortType is the cell of a type with a blank before it, where it is letters of a key, as flags are.
func shortType(row *rowCells) string {
	if t := strings.TrimSpace(row.cell[types]); t != "" && t == strings.ToUpper(t) && len(t) <= 4 {
		return " " + t
	}
	return ""
}

// inUse is the letter that the key has for the routes in use, "" where it has none. It finds as well the one for those
// that the forwarding table has taken.
func (r *reader) inUse() string {
	if r.needsKnown {
		return r.needs
	}
	r.needs, r.taken, r.needsKnown = "", "", true
	for _, k := range slices.Sorted(maps.Keys(r.legend)) {
		switch r.legend[k] {
		case "active", "active route", "activated route", "in use", "selected", "best route", "up", "up route",
			"usable":
			r.needs = k
		case "download to fib", "downloaded to fib":
			r.taken = k
		}
	}
	return r.needs
}

// withoutGateway reports whether the key has a flag for routes by a gateway, and those given lack it.
func (r *reader) withoutGateway(given []string) bool {
	for k, text := range r.legend {
		if strings.HasPrefix(text, "gateway") && len(k) == 1 {
			return len(given) > 0 && !slices.Contains(given, k)
		}
	}
	return false
}

// preferredMarks returns the signs that the key has for the routes in use, which stand before the type's letter; ""
// where it has none.
func (r *reader) preferredMarks() string {
	marks := ""
	for k, text := range r.legend {
		if len(k) == 1 && strings.Contains("#*>+@", k) && strings.HasPrefix(text, "preferred") &&
			strings.Contains(text, "unicast") {
			marks += k
		}
	}
	return cmp.Or(marks, r.typeSign)
}

// Rows of a listing whose types stand in front, with and without a sign before the letters.
var (
	signedType = lazyregexp.New(`(?m)^ {0,3}([#*@>])[a-z][a-z0-9]{0,2} +(?:\d+\.\d+\.|[0-9a-f]{1,4}:|Default )`)
	bareType   = lazyregexp.New(`(?m)^ {0,4}[a-z][a-z0-9]{0,2} +(?:\d+\.\d+\.|[0-9a-f]{1,4}:|Default )`)
)

// learnTypeSign finds the sign that stands before the types of some rows and not of others, which no key explains.
func (r *reader) learnTypeSign(text []byte) {
	text = text[:min(len(text), 1<<16)]
	if m := signedType.FindSubmatch(text); m != nil && bareType.Match(text) {
		r.typeSign = string(m[1])
	}
}
