package lab

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"strings"

	"zarvek/internal/core/network"
)

// policyRule is one rule of a made-up policy between the two sides of a box.
type policyRule struct {
	permit   bool
	outward  bool // from the inner side to the outer one
	from, to string
	protocol string // "", "tcp", "udp", "icmp" (an echo)
	lo, hi   int    // destination ports
}

// randomPolicy makes rules that overlap in every way.
func randomPolicy(rnd *rand.Rand) []policyRule {
	inner := []string{"", "10.61.64.0/24", "10.61.65.0/24", "10.61.64.0/22", "10.61.66.7/32", "10.61.64.128/25"}
	outer := []string{"", "10.61.80.0/24", "10.61.81.0/24", "10.61.80.0/22", "10.61.82.9/32", "10.61.80.0/26"}
	out := []policyRule{}
	for range 8 + rnd.IntN(14) {
		r := policyRule{permit: rnd.IntN(3) > 0, outward: rnd.IntN(3) > 0}
		r.from, r.to = inner[rnd.IntN(len(inner))], outer[rnd.IntN(len(outer))]
		if !r.outward {
			r.from, r.to = outer[rnd.IntN(len(outer))], inner[rnd.IntN(len(inner))]
		}
		switch rnd.IntN(6) {
		case 0:
		case 1:
			r.protocol = "icmp"
		case 2, 3:
			r.protocol = "udp"
		default:
			r.protocol = "tcp"
		}
		if r.protocol == "tcp" || r.protocol == "udp" {
			switch rnd.IntN(4) {
			case 0:
			case 1:
				r.lo = ports[rnd.IntN(len(ports))]
				r.hi = r.lo + 500
			default:
				r.lo = ports[rnd.IntN(len(ports))]
				r.hi = r.lo
			}
		}
		out = append(out, r)
	}
	return out
}

var ports = []int{22, 53, 80, 443, 700, 8000, 8443}

func word(permit bool, yes, no string) string {
	if permit {
		return yes
	}
	return no
}

func sides(r policyRule, in, out string) (string, string) {
	if r.outward {
		return in, out
	}
	return out, in
}

// nftRules writes the policy for the kernel; stateful lets answers back.
func nftRules(policy []policyRule, in, out string, stateful bool) string {
	var b strings.Builder
	b.WriteString("table ip night {\n\tchain forward {\n\t\ttype filter hook forward priority filter; policy drop;\n")
	if stateful {
		b.WriteString("\t\tct state established,related accept\n")
	}
	for _, r := range policy {
		from, to := sides(r, in, out)
		fmt.Fprintf(&b, "\t\tiifname \"%s\" oifname \"%s\"", from, to)
		if r.from != "" {
			b.WriteString(" ip saddr " + r.from)
		}
		if r.to != "" {
			b.WriteString(" ip daddr " + r.to)
		}
		switch {
		case r.protocol == "icmp":
			b.WriteString(" icmp type echo-request")
		case r.lo > 0 && r.hi > r.lo:
			fmt.Fprintf(&b, " %s dport %d-%d", r.protocol, r.lo, r.hi)
		case r.lo > 0:
			fmt.Fprintf(&b, " %s dport %d", r.protocol, r.lo)
		case r.protocol != "":
			b.WriteString(" meta l4proto " + r.protocol)
		}
		b.WriteString(" " + word(r.permit, "accept", "drop") + "\n")
	}
	b.WriteString("\t}\n}\n")
	return b.String()
}

// savedRules writes it as rules that are saved line by line.
func savedRules(policy []policyRule, in, out string) string {
	var b strings.Builder
	b.WriteString("*filter\n:INPUT ACCEPT [0:0]\n:FORWARD DROP [0:0]\n:OUTPUT ACCEPT [0:0]\n-A FORWARD -m conntrack --ctstate RELATED,ESTABLISHED -j ACCEPT\n")
	for _, r := range policy {
		from, to := sides(r, in, out)
		b.WriteString("-A FORWARD")
		if r.from != "" {
			b.WriteString(" -s " + r.from)
		}
		if r.to != "" {
			b.WriteString(" -d " + r.to)
		}
		fmt.Fprintf(&b, " -i %s -o %s", from, to)
		if r.protocol != "" {
			b.WriteString(" -p " + r.protocol)
		}
		switch {
		case r.protocol == "icmp":
			b.WriteString(" -m icmp --icmp-type 8")
		case r.lo > 0 && r.hi > r.lo:
			fmt.Fprintf(&b, " -m %s --dport %d:%d", r.protocol, r.lo, r.hi)
		case r.lo > 0:
			fmt.Fprintf(&b, " -m %s --dport %d", r.protocol, r.lo)
		}
		b.WriteString(" -j " + word(r.permit, "ACCEPT", "DROP") + "\n")
	}
	b.WriteString("COMMIT\n")
	return b.String()
}

// mask writes a prefix as an address and its mask, or its wildcard.
func mask(p string, wild bool) string {
	q := netip.MustParsePrefix(p)
	m := ^uint32(0) << (32 - q.Bits())
	if wild {
		m = ^m
	}
	return fmt.Sprintf("%s %d.%d.%d.%d", q.Addr(), m>>24, m>>16&255, m>>8&255, m&255)
}

// entryWords writes a rule's protocol, addresses and ports as a list of statements has them.
func entryWords(r policyRule, wild bool) string {
	side := func(p string) string {
		switch {
		case p == "":
			return "any"
		case strings.HasSuffix(p, "/32"):
			return "host " + strings.TrimSuffix(p, "/32")
		}
		return mask(p, wild)
	}
	proto := r.protocol
	if proto == "" {
		proto = "ip"
	}
	s := word(r.permit, "permit", "deny") + " " + proto + " " + side(r.from) + " " + side(r.to)
	switch {
	case r.protocol == "icmp":
		s += " echo"
	case r.lo > 0 && r.hi > r.lo:
		s += fmt.Sprintf(" range %d %d", r.lo, r.hi)
	case r.lo > 0:
		s += fmt.Sprintf(" eq %d", r.lo)
	}
	return s
}

// routerLists writes it as lists of a router that keeps no state, one for what comes in on each side.
func routerLists(policy []policyRule, in, out string) string {
	b := "hostname fence\n!\n"
	for _, side := range []struct{ ifname, list, address string }{{in, "INNER", "10.61.79.1/20"}, {out, "OUTER", "10.61.95.1/20"}} {
		b += fmt.Sprintf("interface %s\n ip address %s\n ip access-group %s in\n!\n", side.ifname, mask(side.address, false), side.list)
	}
	for _, list := range []string{"INNER", "OUTER"} {
		b += "ip access-list extended " + list + "\n"
		for _, r := range policy {
			if r.outward == (list == "INNER") {
				b += " " + entryWords(r, true) + "\n"
			}
		}
	}
	return b + "!\nend\n"
}

// namedLists writes it as lists of a firewall that names its interfaces, and keeps state.
func namedLists(policy []policyRule, in, out string) string {
	b := "hostname fence\n"
	for i, side := range []struct{ ifname, address string }{{in, "10.61.79.1/20"}, {out, "10.61.95.1/20"}} {
		b += fmt.Sprintf("interface port%d\n nameif %s\n security-level %d\n ip address %s\n", i, side.ifname, 100-100*i, mask(side.address, false))
	}
	for _, r := range policy {
		b += "access-list " + word(r.outward, "INNER", "OUTER") + " extended " + entryWords(r, false) + "\n"
	}
	return b + "access-group INNER in interface " + in + "\naccess-group OUTER in interface " + out + "\npolicy-map all\n class standard\n  inspect icmp\n"
}

// termLeaves writes it as terms of filters, without state.
func termLeaves(policy []policyRule, in, out string) string {
	var b strings.Builder
	for i, r := range policy {
		at := fmt.Sprintf("set firewall family inet filter %s term t%d ", word(r.outward, "INNER", "OUTER"), i)
		if r.from != "" {
			b.WriteString(at + "from source-address " + r.from + "\n")
		}
		if r.to != "" {
			b.WriteString(at + "from destination-address " + r.to + "\n")
		}
		if r.protocol != "" {
			b.WriteString(at + "from protocol " + r.protocol + "\n")
		}
		switch {
		case r.protocol == "icmp":
			b.WriteString(at + "from icmp-type echo-request\n")
		case r.lo > 0 && r.hi > r.lo:
			fmt.Fprintf(&b, "%sfrom destination-port %d-%d\n", at, r.lo, r.hi)
		case r.lo > 0:
			fmt.Fprintf(&b, "%sfrom destination-port %d\n", at, r.lo)
		}
		b.WriteString(at + "then " + word(r.permit, "accept", "discard") + "\n")
	}
	for _, side := range []struct{ ifname, list string }{{in, "INNER"}, {out, "OUTER"}} {
		name, unit, _ := strings.Cut(side.ifname, ".")
		fmt.Fprintf(&b, "set firewall family inet filter %s term rest then discard\n", side.list)
		fmt.Fprintf(&b, "set interfaces %s unit %s family inet filter input %s\n", name, unit, side.list)
	}
	return b.String()
}

// braces writes set lines as a tree in braces.
func braces(lines string) string {
	type node struct {
		word string
		sub  []*node
	}
	root := &node{}
	for line := range strings.Lines(lines) {
		at := root
		for _, w := range strings.Fields(line)[1:] {
			var next *node
			for _, x := range at.sub {
				if x.word == w {
					next = x
				}
			}
			if next == nil {
				next = &node{word: w}
				at.sub = append(at.sub, next)
			}
			at = next
		}
	}
	var b strings.Builder
	var write func(n *node, words string, depth int)
	write = func(n *node, words string, depth int) {
		pad := strings.Repeat("    ", depth)
		words = strings.TrimSpace(words + " " + n.word)
		switch {
		case len(n.sub) == 0:
			b.WriteString(pad + words + ";\n")
		case len(n.sub) == 1 && len(n.sub[0].sub) == 0 || len(n.sub) == 1 && (n.word == "family" || n.word == "filter" || n.word == "term" || n.word == "policy" || n.word == "unit" || n.word == "from-zone" || strings.HasPrefix(words, "from-zone") || n.word == "security-zone" || n.word == "application" || n.word == "address" && depth > 1):
			write(n.sub[0], words, depth)
		case n.word == "family" || n.word == "filter" || n.word == "term" || n.word == "policy" || n.word == "unit" || n.word == "security-zone" || n.word == "application" && depth == 1 || n.word == "address" && len(n.sub[0].sub) > 0:
			for _, x := range n.sub {
				write(x, words, depth)
			}
		default:
			b.WriteString(pad + words + " {\n")
			for _, x := range n.sub {
				write(x, "", depth+1)
			}
			b.WriteString(pad + "}\n")
		}
	}
	for _, n := range root.sub {
		write(n, "", 0)
	}
	return b.String()
}

// zoneLeaves writes it as policies between zones, with named addresses and services.
func zoneLeaves(policy []policyRule, in, out string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "set security zones security-zone inner interfaces %s\nset security zones security-zone outer interfaces %s\n", in, out)
	name := func(p string) string {
		if p == "" {
			return "any"
		}
		n := "net-" + strings.NewReplacer(".", "-", "/", "-").Replace(p)
		fmt.Fprintf(&b, "set security address-book global address %s %s\n", n, p)
		return n
	}
	for i, r := range policy {
		from, to := sides(r, "inner", "outer")
		service := "any"
		if r.protocol != "" {
			service = fmt.Sprintf("svc%d", i)
			fmt.Fprintf(&b, "set applications application %s protocol %s\n", service, r.protocol)
			switch {
			case r.protocol == "icmp":
				fmt.Fprintf(&b, "set applications application %s icmp-type 8\n", service)
			case r.lo > 0:
				fmt.Fprintf(&b, "set applications application %s destination-port %d-%d\n", service, r.lo, r.hi)
			}
		}
		at := fmt.Sprintf("set security policies from-zone %s to-zone %s policy p%d ", from, to, i)
		source, destination := name(r.from), name(r.to)
		b.WriteString(at + "match source-address " + source + "\n" + at + "match destination-address " + destination + "\n" + at + "match application " + service + "\n" +
			at + "then " + word(r.permit, "permit", "deny") + "\n")
	}
	return b.String()
}

// numberedLeaves writes it as rules with numbers of a list for all that is forwarded.
func numberedLeaves(policy []policyRule, in, out string) string {
	var b strings.Builder
	b.WriteString("set firewall ipv4 forward filter default-action drop\nset firewall ipv4 forward filter rule 1 action accept\nset firewall ipv4 forward filter rule 1 state established\n")
	for i, r := range policy {
		from, to := sides(r, in, out)
		at := fmt.Sprintf("set firewall ipv4 forward filter rule %d ", 10*(i+1))
		b.WriteString(at + "action " + word(r.permit, "accept", "drop") + "\n" + at + "inbound-interface name " + from + "\n" + at + "outbound-interface name " + to + "\n")
		if r.from != "" {
			b.WriteString(at + "source address " + r.from + "\n")
		}
		if r.to != "" {
			b.WriteString(at + "destination address " + r.to + "\n")
		}
		if r.protocol != "" {
			b.WriteString(at + "protocol " + r.protocol + "\n")
		}
		switch {
		case r.protocol == "icmp":
			b.WriteString(at + "icmp type-name echo-request\n")
		case r.lo > 0:
			fmt.Fprintf(&b, "%sdestination port %d-%d\n", at, r.lo, r.hi)
		}
	}
	return b.String()
}

// editBlocks writes it as policies in blocks.
func editBlocks(policy []policyRule, in, out string) string {
	var objects, services, policies strings.Builder
	seen := map[string]bool{}
	name := func(p string) string {
		if p == "" {
			return "all"
		}
		if !seen[p] {
			seen[p] = true
			fmt.Fprintf(&objects, "    edit \"%s\"\n        set subnet %s\n    next\n", p, mask(p, false))
		}
		return p
	}
	for i, r := range policy {
		from, to := sides(r, in, out)
		service := "ALL"
		if r.protocol != "" {
			service = fmt.Sprintf("svc%d", i)
			fmt.Fprintf(&services, "    edit \"%s\"\n", service)
			switch {
			case r.protocol == "icmp":
				services.WriteString("        set protocol ICMP\n        set icmptype 8\n")
			case r.lo > 0:
				fmt.Fprintf(&services, "        set %s-portrange %d-%d\n", r.protocol, r.lo, r.hi)
			default:
				fmt.Fprintf(&services, "        set %s-portrange 1-65535\n", r.protocol)
			}
			services.WriteString("    next\n")
		}
		source, destination := name(r.from), name(r.to)
		fmt.Fprintf(&policies, "    edit %d\n        set srcintf \"%s\"\n        set dstintf \"%s\"\n%s        set srcaddr \"%s\"\n        set dstaddr \"%s\"\n        set schedule \"always\"\n        set service \"%s\"\n    next\n",
			i+1, from, to, word(r.permit, "        set action accept\n", ""), source, destination, service)
	}
	return "config firewall address\n" + objects.String() + "end\nconfig firewall service custom\n" + services.String() + "end\nconfig firewall policy\n" + policies.String() + "end\n"
}

// addLines writes it as lines that add to a path.
func addLines(policy []policyRule, in, out string) string {
	var b strings.Builder
	b.WriteString("/ip firewall filter\nadd action=accept chain=forward connection-state=established,related\n")
	for i, r := range policy {
		from, to := sides(r, in, out)
		fmt.Fprintf(&b, "add action=%s chain=forward comment=\"rule %d\" in-interface=%s out-interface=%s", word(r.permit, "accept", "drop"), i, from, to)
		if r.from != "" {
			b.WriteString(" src-address=" + r.from)
		}
		if r.to != "" {
			b.WriteString(" dst-address=" + r.to)
		}
		if r.protocol != "" {
			b.WriteString(" protocol=" + r.protocol)
		}
		switch {
		case r.protocol == "icmp":
			b.WriteString(" icmp-options=8:0")
		case r.lo > 0 && r.hi > r.lo:
			fmt.Fprintf(&b, " \\\n    dst-port=%d-%d", r.lo, r.hi)
		case r.lo > 0:
			fmt.Fprintf(&b, " \\\n    dst-port=%d", r.lo)
		}
		b.WriteString("\n")
	}
	b.WriteString("add action=drop chain=forward\n/system identity\nset name=fence\n")
	return b.String()
}

// writtenShapes are the shapes of configurations, each with whether it keeps state.
var writtenShapes = []struct {
	name     string
	stateful bool
	write    func(policy []policyRule, in, out string) string
}{
	{"lists of a router", false, routerLists},
	{"terms as set lines", false, termLeaves},
	{"terms in braces", false, func(p []policyRule, in, out string) string { return braces(termLeaves(p, in, out)) }},
	{"rules of the kernel as text", false, func(p []policyRule, in, out string) string { return nftRules(p, in, out, false) }},
	{"lists of a firewall", true, namedLists},
	{"zones as set lines", true, zoneLeaves},
	{"zones in braces", true, func(p []policyRule, in, out string) string { return braces(zoneLeaves(p, in, out)) }},
	{"rules with numbers", true, numberedLeaves},
	{"blocks", true, editBlocks},
	{"paths with add", true, addLines},
	{"saved rules", true, savedRules},
	{"rules of the kernel with state as text", true, func(p []policyRule, in, out string) string { return nftRules(p, in, out, true) }},
}

// flowTo is a flow that is sent.
type flowTo struct {
	src, dst netip.Addr
	flow     network.Flow
}

// randomFlows makes flows between the two sides, no two alike.
func randomFlows(rnd *rand.Rand, n int) []flowTo {
	seen := map[flowTo]bool{}
	var out []flowTo
	for len(out) < n {
		f := flowTo{
			src: netip.AddrFrom4([4]byte{10, 61, byte(64 + rnd.IntN(4)), byte(2 + rnd.IntN(250))}),
			dst: netip.AddrFrom4([4]byte{10, 61, byte(80 + rnd.IntN(4)), byte(2 + rnd.IntN(250))}),
		}
		if rnd.IntN(3) == 0 {
			f.src, f.dst = f.dst, f.src
		}
		switch rnd.IntN(5) {
		case 0:
			f.flow.Protocol = "icmp"
		case 1, 2:
			f.flow.Protocol = "udp"
		default:
			f.flow.Protocol = "tcp"
		}
		if f.flow.Protocol != "icmp" {
			f.flow.SourcePort = uint16(20000 + rnd.IntN(30000))
			f.flow.DestinationPort = uint16(ports[rnd.IntN(len(ports))] + rnd.IntN(3)*rnd.IntN(300))
		}
		if !seen[f] {
			seen[f], out = true, append(out, f)
		}
	}
	return out
}
