package statements

import (
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// applied keeps what a configuration applies to an interface and what can decide over packets there: filters, policy
// routing, translations, zones. What they say is not read here, so that nothing may be promised of packets that pass
// them; a source check says all on its line.
func (r *reader) applied(w []string, lo, hi int) bool {
	ifname := r.Facts.Interfaces[r.link-1].Name
	line := strings.Join(w, " ")
	fam := route.Family(0)
	switch w[0] {
	case "ip", "ipv4":
		fam = route.IPv4
	case "ipv6":
		fam = route.IPv6
	}
	urpf := slices.Index(w, "urpf")
	switch {
	case w[0] == "description", w[0] == "no", w[0] == "!":
		return false
	case fam != 0 && strings.HasPrefix(line, w[0]+" verify unicast "):
		if exempted(w[3:]) { // what a list permits passes although it fails the check
			r.Restrict(network.FlowRule{Family: fam, In: ifname}, lo, hi)
			break
		}
		r.check(fam, ifname, slices.Contains(w, "any"), !byDefault(w), lo, hi)
	case w[0] == "apply" && slices.Contains(w, "access-list"):
		words := slices.DeleteFunc(slices.Clone(w[1:]), func(s string) bool { return s == "access-list" })
		for i := range words {
			words[i] = strings.TrimPrefix(words[i], "routed-")
		}
		r.apply(words, fam, ifname, lo, hi)
	case len(w) > 1 && besides[w[1]] && slices.Contains(w, "access-group"): // of groups, not of packets
		return false
	case slices.Contains(w, "access-group"), slices.Contains(w, "traffic-filter"), slices.Contains(w, "packet-filter"):
		r.apply(w, fam, ifname, lo, hi)
	case r.detours.apply(w, fam, ifname, layout.Mark(lo, hi)):
	case w[0] == "access-list" && len(w) == 3 && (w[2] == "in" || w[2] == "out"):
		r.restrict(fam, ifname, w[2] == "in", w[2] == "out", lo, hi)
	case urpf > -1 && urpf < 2 && len(w) > urpf+1 && (w[urpf+1] == "strict" || w[urpf+1] == "loose"):
		loose, notByDefault := w[urpf+1] == "loose", !byDefault(w)
		if fam == 0 { // makers differ in whether that asks of IPv6 packets too
			r.check(route.IPv6, ifname, loose, notByDefault, lo, hi)
			r.Facts.Checks[len(r.Facts.Checks)-1].Usual = true
			fam = route.IPv4
		}
		r.check(fam, ifname, loose, notByDefault, lo, hi)
	default:
		return r.decides(w, line, fam, ifname, lo, hi)
	}
	return true
}

// check keeps a source check (RFC 3704), loose or strict. NotByDefault: it was not told to accept a default route.
func (r *reader) check(fam route.Family, ifname string, loose, notByDefault bool, lo, hi int) {
	mode := network.CheckStrict
	if loose {
		mode = network.CheckLoose
	}
	r.Facts.Checks = append(r.Facts.Checks,
		network.SourceCheck{Family: fam, Interface: ifname, Mode: mode, NotByDefault: notByDefault,
			Mark: layout.Mark(lo, hi)})
}

// byDefault reports whether a source check is told to accept a default route.
func byDefault(w []string) bool {
	return slices.Contains(w, "allow-default") || slices.Contains(w, "allow-default-route")
}

// decided is what a line decides over.
type decided uint8

const (
	comesIn decided = iota
	bothWays
	asNamed // by the direction that the line names, else both ways
	whereTo // of what comes in
	passes  // both ways, but not what is for the device itself or from it
)

type decidingLine struct {
	begins string
	over   decided
}

// deciding are lines of an interface's block, by their beginnings, that apply what is not read here: policies,
// translations, zones.
var deciding = []decidingLine{
	{"apply policy ", asNamed},
	{"bridge-group ", comesIn},
	{"cts role-based enforcement", asNamed},
	{"crypto map", asNamed},
	{"epbr ip", whereTo},
	{"ip admission ", comesIn},
	{"ip auth-proxy ", comesIn},
	{"ip ips ", asNamed},
	{"ip nat destination ", bothWays},
	{"ip nat enable", bothWays},
	{"ip nat source ", bothWays},
	{"ip pbr ", whereTo},
	{"ip policy ", whereTo},
	{"ip policy-based-route ", whereTo},
	{"ip redirect-group ", whereTo},
	{"ip traffic-group ", asNamed},
	{"ip source check user-bind", comesIn},
	{"ip verify source", comesIn},
	{"ip vrf select ", asNamed},
	{"ip vrf sitemap ", asNamed},
	{"ipsec apply policy ", asNamed},
	{"ipsec policy ", asNamed},
	{"ipv6 policy ", whereTo},
	{"ipv6 policy-based-route ", whereTo},
	{"ipv6 verify source", comesIn},
	{"management-only", passes},
	{"pbr-policy ", whereTo},
	{"policy-route ", whereTo},
	{"profile ", bothWays},
	{"qos apply policy ", asNamed},
	{"service-policy type", asNamed},
	{"traffic-policy", asNamed},
	{"traffic-redirect ", whereTo},
	{"traffic-secure", asNamed},
	{"xconnect ", comesIn},
	{"zone-member ", passes},
}

// soundsDeciding are words, or parts of such between hyphens, of lines that nobody listed and that stop packets by what
// they say; besides are those of lines that use such words of other things than the packets that go through.
var (
	soundsDeciding = layout.WordSet(`acl acls filter filters firewall deny drop discard block rpf urpf guard zone rule
		ruleset pbr sitemap ips ddos`)
	besides = layout.WordSet(`igmp mld pim multicast ospf ospfv3 isis rip ripng eigrp bgp ldp rsvp dhcp dhcpv6 arp nd
		ra cdp lldp snmp ntp stp rstp mstp spanning-tree bpdu mac lacp lag switchport storm-control storm logging log
		loopback-detect mdns qos queue wred random-detect tail-drop scheduler shaping hold-queue database-filter
		distribute-list vtp udld frame-relay flow netflow sflow statistics counters ptp mvrp gvrp vlan
		broadcast unknown-unicast`)
)

// sounds reports whether a line of an interface's block that nobody listed speaks of packets that are stopped.
func sounds(w []string) bool {
	deciding := false
	for _, word := range w {
		parts := strings.Split(word, "-")
		if besides[word] || slices.ContainsFunc(parts, func(p string) bool { return besides[p] }) {
			return false
		}
		deciding = deciding || slices.ContainsFunc(parts, func(p string) bool { return soundsDeciding[p] })
	}
	return deciding
}

// decides keeps a line that applies what is not read.
func (r *reader) decides(w []string, line string, fam route.Family, ifname string, lo, hi int) bool {
	i := slices.IndexFunc(deciding, func(x decidingLine) bool { return strings.HasPrefix(line, x.begins) })
	in, out := directions(w)
	switch {
	case strings.HasPrefix(line, "ip wccp ") && slices.Contains(w, "redirect"),
		strings.HasPrefix(line, "qos car ") && strings.Contains(line, "green discard"): // of a rate that drops all
		r.restrict(fam, ifname, in || !out, out || !in, lo, hi)
	case i < 0 && sounds(w):
		r.restrict(fam, ifname, in || !out, out || !in, lo, hi)
	case i < 0:
		return false
	case deciding[i].over == whereTo:
		r.Restrict(network.FlowRule{Hook: network.Steered, Family: fam, In: ifname}, lo, hi)
	case deciding[i].over == asNamed:
		r.restrict(fam, ifname, in || !out, out || !in, lo, hi)
	case deciding[i].over == passes:
		r.RestrictForwarded(network.FlowRule{Family: fam, In: ifname}, lo, hi)
		r.RestrictForwarded(network.FlowRule{Family: fam, Out: ifname}, lo, hi)
	default: // what is for the device's own address may be for another; what it sends itself keeps its source
		r.Restrict(network.FlowRule{Family: fam, In: ifname}, lo, hi)
		if deciding[i].over != comesIn {
			r.RestrictForwarded(network.FlowRule{Family: fam, Out: ifname}, lo, hi)
		}
	}
	return true
}

// guards keeps what a line outside of all interfaces says of one by its name, or of all translations: "crypto map M
// interface I", "ip verify reverse-path interface I", "ip I secure filter in 1", "nat (I) 1 …", "static (I,J) …"; and
// "ip receive access-list L", which what is for the device itself meets.
func (r *reader) guards(w []string, lo, hi int) bool {
	at := func(i int) string {
		if i < len(w) {
			return w[i]
		}
		return ""
	}
	switch {
	case w[0] == "crypto" && at(1) == "map" && at(3) == "interface" && len(w) == 5:
		r.sealed.applied = append(r.sealed.applied, sealedAt{w[2], w[4], true, layout.Mark(lo, hi)})
	case w[0] == "ip" && at(1) == "verify" && at(2) == "reverse-path" && at(3) == "interface" && len(w) == 5:
		r.check(0, w[4], false, false, lo, hi)
	case w[0] == "ip" && at(1) == "receive" && (at(2) == "access-list" || at(2) == "acl") && len(w) == 4:
		r.Facts.Applied = append(r.Facts.Applied, network.AppliedFilter{List: w[3],
			Rule: network.FlowRule{Hook: network.ForItself, Family: route.IPv4, Stateless: true, Mark: layout.Mark(lo, hi)}})
	case w[0] == "ip" && at(2) == "secure" && at(3) == "filter" && len(w) > 5:
		r.restrict(route.IPv4, at(1), at(4) == "in", at(4) == "out", lo, hi)
	case w[0] == "wccp" && at(1) == "interface" && slices.Contains(w, "redirect"):
		r.RestrictForwarded(network.FlowRule{In: at(2)}, lo, hi)
	case w[0] == "nat-control":
		r.RestrictForwarded(network.FlowRule{}, lo, hi)
	case (w[0] == "nat" || w[0] == "global") && len(w) > 2 && strings.HasPrefix(w[1], "(") &&
		!strings.Contains(w[1], ","):
		side := strings.Trim(w[1], "()")
		r.Restrict(network.FlowRule{In: side}, lo, hi)
		r.RestrictForwarded(network.FlowRule{Out: side}, lo, hi)
	case w[0] == "static" && len(w) > 2 && translates(w[1]) != nil:
		r.RestrictForwarded(network.FlowRule{Out: translates(w[1])[1]}, lo, hi)
		r.Restrict(network.FlowRule{In: translates(w[1])[1]}, lo, hi)
	default:
		return false
	}
	return true
}

// exempted reports whether a source check names a list behind its own words.
func exempted(w []string) bool {
	return slices.ContainsFunc(w, func(s string) bool {
		return !slices.Contains([]string{"source", "reachable-via", "reverse-path", "rx", "any", "allow-default",
			"allow-self-ping", "l2-src"}, s)
	})
}

// appliesSomewhere reports whether a line is one that stands below an interface alone and applies what decides over
// packets.
func appliesSomewhere(w []string) bool {
	if len(w) > 2 && w[0] == "command" { // what a profile gives to interfaces
		w = w[1:]
	}
	if len(w) < 2 || w[0] == "no" || w[0] == "description" {
		return false
	}
	line := strings.Join(w, " ")
	for _, s := range []string{"ip access-group ", "ipv6 traffic-filter ", "ipv4 access-group ", "ipv6 access-group ",
		"traffic-filter ", "packet-filter ", "traffic-policy ", "ip policy route-map ", "ip nat outside",
		"apply access-list ",
		"zone-member ", "crypto map ", "object-policy apply "} {
		if strings.HasPrefix(line+" ", s) {
			return true
		}
	}
	return false
}

// appliesGlobally reports whether a line outside of all interfaces applies what decides over packets to the whole
// device, or to what it switches.
func appliesGlobally(w []string) bool {
	if len(w) == 1 {
		return slices.Contains([]string{"security-policy", "packet-filter", "nat-policy", "policy-based-route"}, w[0])
	}
	if w[0] == "firewall" && (slices.Contains(w, "default") || slices.Contains(w, "packet-filter")) {
		return slices.Contains(w, "deny") || slices.Contains(w, "drop") || slices.Contains(w, "packet-filter")
	}
	switch line := strings.Join(w, " "); {
	case strings.HasPrefix(line, "policy interzone"), strings.HasPrefix(line,
		"cts role-based enforcement"), strings.HasPrefix(line, "nat-policy interzone"),
		line == "router segment-security", line == "router lisp", strings.HasPrefix(line, "flow-route "),
		strings.HasPrefix(line, "nat static outbound "),
		strings.HasPrefix(line, "nat static global "), strings.HasPrefix(line, "nat server "):
		return true
	}
	if len(w) < 3 {
		return false
	}
	switch w[0] {
	case "traffic-filter", "packet-filter", "traffic-policy":
		in, out := directions(w)
		return in || out || slices.Contains(w, "global")
	case "vlan":
		return w[1] == "filter"
	}
	return false
}

// directions tells which way a line that applies something names.
func directions(w []string) (in, out bool) {
	in = slices.ContainsFunc(w, func(s string) bool { return s == "in" || s == "inbound" || s == "ingress" })
	out = slices.ContainsFunc(w, func(s string) bool { return s == "out" || s == "outbound" || s == "egress" })
	return in, out
}

// apply reads "ip access-group LIST in", "traffic-filter inbound acl LIST", and the like. A filter of frames, or one
// that does not name a list, is one that was not read.
func (r *reader) apply(w []string, fam route.Family, ifname string, lo, hi int) {
	in, out := directions(w)
	// these let pass what fits no rule, or not
	open := (slices.Contains(w, "traffic-filter") || slices.Contains(w, "packet-filter")) && w[0] != "ipv6"
	words := slices.DeleteFunc(slices.Clone(w), func(s string) bool {
		return slices.Contains([]string{"ip", "ipv4", "ipv6", "access-group", "traffic-filter", "packet-filter", "acl",
			"name", "number", "in", "out", "inbound", "outbound",
			"ingress", "egress", "hardware-count", "compress", "interface-statistics"}, s)
	})
	if len(words) != 1 || slices.Contains(w, "mac") || in && out {
		r.restrict(fam, ifname, in || !out, out || !in, lo, hi)
		return
	}
	if slices.Contains(w, "ipv6") {
		fam = route.IPv6
	}
	if fam == 0 {
		fam = route.IPv4
	}
	rule := network.FlowRule{Family: fam, Hook: network.ComingIn, In: ifname, Stateless: true, Undecided: open,
		Mark: layout.Mark(lo, hi)}
	if out {
		rule.Hook, rule.In, rule.Out = network.GoingOut, "", ifname
	}
	r.Facts.Applied = append(r.Facts.Applied, network.AppliedFilter{List: words[0], Rule: rule})
}

// appliedByName reads "access-group LIST in interface NAME", and one that holds for all interfaces.
func (r *reader) appliedByName(w []string, lo, hi int) {
	in, out := w[2] == "in", w[2] == "out" // the interface may be called so too
	i := slices.Index(w, "interface")
	if i < 0 || i+1 >= len(w) || in == out || slices.Contains(w, "per-user-override") ||
		slices.Contains(w, "control-plane") {
		r.guard.mixed = true
		r.restrict(0, "", !out, out, lo, hi)
		return
	}
	rule := network.FlowRule{In: w[i+1], Mark: layout.Mark(lo, hi)}
	if r.guard.first == (route.Mark{}) {
		r.guard.first = rule.Mark
	}
	if in {
		r.guard.applied(w[i+1])
	} else {
		rule.In, rule.Out = "", w[i+1]
	}
	r.Facts.Applied = append(r.Facts.Applied, network.AppliedFilter{List: w[1], Rule: rule})
}

// restrict adds a chain of rules of its own for each direction: what passes the interface may be permitted or not.
func (r *reader) restrict(fam route.Family, ifname string, in, out bool, lo, hi int) {
	if in {
		r.Restrict(network.FlowRule{Family: fam, In: ifname, Hook: network.ComingIn}, lo, hi)
	}
	if out {
		r.Restrict(network.FlowRule{Family: fam, Out: ifname, Hook: network.GoingOut}, lo, hi)
	}
}
