package capture

import (
	"fmt"
	"strings"

	"zarvek/internal/core/route"
)

// writeBelow writes the form in which each prefix is a heading and its next hops stand below it.
func writeBelow(s *sheet) {
	s.asked(s.pick(devices...), choose(s.six, "show ipv6 route vrf all", "show ip route vrf all"))
	names := map[route.Protocol]string{route.Direct: "direct", route.Static: "static", route.OSPF: "ospf-1, intra",
		route.BGP: "bgp-64900, external, tag 64901", route.RIP: "rip-1, rip", route.RIPng: "rip-1, rip", route.ISIS: "isis-1, L2"}
	for _, table := range s.tables() {
		name := table
		if name == "" {
			name = "default"
		}
		s.line(choose(s.six, "IPv6 Routing Table for VRF %q", "IP Route Table for VRF %q"), name)
		s.line("'*' denotes best ucast next-hop")
		s.line("'**' denotes best mcast next-hop")
		s.line("'[x/y]' denotes [preference/metric]")
		s.line("")
		for _, r := range s.routes(table) {
			s.line("%s, ubest/mbest: %d/0%s", r.prefix, max(1, len(r.hops)), choose(r.protocol == route.Direct, ", attached", ""))
			if r.special != route.None {
				s.line("    *via Null0, [%d/%d], %s, %s", r.pref, r.metric, s.age(), names[r.protocol])
			}
			for _, h := range r.hops {
				via := h.Address.String()
				if r.protocol == route.Direct {
					via = s.hop().String()
				}
				s.line("    *via %s, %s, [%d/%d], %s, %s", via, h.Interface, r.pref, r.metric, s.age(), names[r.protocol])
			}
			s.says(r, true, true)
		}
		s.line("")
	}
}

// writeSubnetted writes rows without a length, below the heading of the network whose parts have all one.
func writeSubnetted(s *sheet) {
	s.six = false
	s.asked(s.pick(devices...), "show ip route")
	s.WriteString(lettersKey)
	letters := map[route.Protocol]string{route.Direct: "C", route.Static: "S", route.OSPF: "O", route.BGP: "B", route.RIP: "R",
		route.ISIS: "i L2"}
	used := map[byte]bool{}
	for _, r := range s.routes("") {
		first := r.prefix.Addr().As4()[0]
		if first != 10 && first != 11 && first != 100 || used[first] || r.protocol == route.Direct && s.chance(50) {
			continue
		}
		used[first] = true
		s.line("     %d.0.0.0/%d is subnetted, 1 subnets", first, r.prefix.Bits())
		s.letteredWays(r, fmt.Sprintf("%-9s%s", letters[r.protocol], r.prefix.Addr()), s.chance(50))
	}
}

// writeFramed writes columns with bars between the cells.
func writeFramed(s *sheet) {
	s.asked(s.pick(devices...), "show ip route")
	header := []string{s.pick("Destination", "Prefix"), s.pick("Gateway", "Next Hop"), "Interface", s.pick("Protocol", "Route Type"), "Metric", "Pref"}
	var rows [][]string
	for _, r := range s.routes("") {
		if r.special != route.None || len(r.hops) > 1 {
			continue
		}
		via := "-"
		if r.hops[0].Address.IsValid() {
			via = r.hops[0].Address.String()
		}
		name := strings.ToLower(starredNames[r.protocol])
		rows = append(rows, []string{r.prefix.String(), via, r.hops[0].Interface, strings.ReplaceAll(name, "-", ""), fmt.Sprint(r.metric), fmt.Sprint(r.pref)})
		s.says(r, true, true)
	}
	widths := make([]int, len(header))
	for _, row := range append([][]string{header}, rows...) {
		for i, c := range row {
			widths[i] = max(widths[i], len(c))
		}
	}
	rule, write := "+", func(row []string) {
		out := "|"
		for i, c := range row {
			out += fmt.Sprintf(" %-*s |", widths[i], c)
		}
		s.line("%s", out)
	}
	for _, w := range widths {
		rule += strings.Repeat("-", w+2) + "+"
	}
	s.line("%s", rule)
	write(header)
	s.line("%s", rule)
	for _, row := range rows {
		write(row)
	}
	s.line("%s", rule)
}

// writeMasks writes columns in which a mask stands behind the destination, below a title for each table.
func writeMasks(s *sheet) {
	s.six = false
	s.asked(s.pick(devices...), "show ip route")
	for _, table := range s.tables() {
		if table != "" {
			s.line("")
			s.line(s.pick("VRF: %s", "Routing Table: %s", "VRF Name: %s"), table)
			s.line("")
		}
		gap := 16 + s.IntN(4)
		s.line("%-*s%-*s%-*s%-12s%-10s%-10s%s", gap, s.pick("Destination", "Network"), gap, s.pick("Netmask", "Mask", "Subnet Mask"), gap, "Gateway",
			s.pick("Protocol", "Proto"), "Pref", "Metric", "Interface")
		for _, r := range s.routes(table) {
			for i, h := range append(r.hops, route.NextHop{})[:max(1, len(r.hops))] {
				via, link := "0.0.0.0", h.Interface
				if h.Address.IsValid() {
					via = h.Address.String()
				}
				if r.special != route.None {
					link = "Null0"
				}
				if i == 0 {
					s.says(r, true, true)
				}
				s.line("%-*s%-*s%-*s%-12s%-10d%-10d%s", gap, r.prefix.Addr(), gap, maskOf(r.prefix), gap, via, strings.ReplaceAll(starredNames[r.protocol], "-", ""),
					r.pref, r.metric, link)
			}
		}
	}
}

// writeRecords writes a record of names and values for each next hop.
func writeRecords(s *sheet) {
	s.asked(s.pick(devices...), choose(s.six, "display ipv6 routing-table verbose", "display ip routing-table verbose"))
	names := map[route.Protocol]string{route.Direct: "Direct", route.Static: "Static", route.OSPF: "OSPF", route.BGP: "BGP", route.RIP: "RIP",
		route.RIPng: "RIPng", route.ISIS: "ISIS"}
	for _, r := range s.routes("") {
		hops := r.hops
		if r.special != route.None {
			hops = []route.NextHop{{Interface: "NULL0"}}
		}
		for _, h := range hops {
			via := choose(s.six, "::", "0.0.0.0")
			if h.Address.IsValid() {
				via = h.Address.String()
			}
			if s.six {
				s.line("Destination  : %-32sPrefixLength : %d", strings.ToUpper(r.prefix.Addr().String()), r.prefix.Bits())
				s.line("NextHop      : %-32sPreference   : %d", strings.ToUpper(via), r.pref)
				s.line("Cost         : %-32dProtocol     : %s", r.metric, names[r.protocol])
				s.line("RelayNextHop : %-32sTunnelID     : 0x0", "::")
				s.line("Interface    : %-32sFlags        : D", h.Interface)
			} else {
				s.line("Destination: %s", r.prefix)
				s.line("     Protocol: %-18sProcess ID: %d", names[r.protocol], s.IntN(9))
				s.line("   Preference: %-18dCost: %d", r.pref, r.metric)
				s.line("      NextHop: %-18sNeighbour: 0.0.0.0", via)
				s.line("        State: Active Adv        Age: 00h12m31s")
				s.line(" RelayNextHop: 0.0.0.0           Interface: %s", h.Interface)
				s.line("     TunnelID: 0x0                 Flags: D")
			}
			s.line("")
		}
		s.says(r, true, true)
	}
}
