package capture

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/core/route"
)

var writers = map[string]func(*sheet){
	"lettered":                 writeLettered,
	"lettered, marked":         writeMarked,
	"lettered, below prefixes": writeBelow,
	"lettered, of one length":  writeSubnetted,
	"columns":                  writeColumns,
	"columns, framed":          writeFramed,
	"columns, with masks":      writeMasks,
	"starred":                  writeStarred,
	"starred, terse":           writeTerse,
	"flagged":                  writeFlagged,
	"flagged, in pairs":        writePairs,
	"paragraphs":               writeParagraphs,
	"records":                  writeRecords,
}

// tables are the names of the tables of a text, the default one first.
func (s *sheet) tables() []string {
	out := []string{""}
	if s.chance(30) {
		out = append(out, s.pick("depot", "tickets", "RED-1"))
	}
	return out
}

// upper writes an IPv6 address in capitals, as some devices do.
func (s *sheet) upper(text string) string {
	if s.six && len(s.links)%2 == 0 {
		return strings.ToUpper(text)
	}
	return text
}

const lettersKey = `Codes: C - connected, S - static, R - RIP, B - BGP, L - local
       O - OSPF, IA - OSPF inter area
       E1 - OSPF external type 1, E2 - OSPF external type 2
       i - IS-IS, L1 - IS-IS level-1, L2 - IS-IS level-2, * - candidate default

`

// writeLettered writes rows of letters: next hops on the row or below it, networks under the heading of their parent,
// masks in place of lengths.
func writeLettered(s *sheet) {
	device, command := s.pick(devices...), "show ip route"
	if s.six {
		command = "show ipv6 route"
	}
	letters := map[route.Protocol][]string{route.Direct: {"C"}, route.Static: {"S"}, route.OSPF: {"O", "O IA", "O E2"},
		route.BGP: {"B"}, route.RIP: {"R"}, route.RIPng: {"R"}, route.ISIS: {"i L1", "i L2"}}
	width, masks, behind := 3+s.IntN(8), s.chance(20) && !s.six, s.chance(50)
	for _, table := range s.tables() {
		if table != "" {
			s.asked(device, command+" vrf "+table)
		} else {
			s.asked(device, command)
		}
		s.WriteString(lettersKey)
		if s.chance(50) {
			s.line("Gateway of last resort is not set")
			s.line("")
		}
		for _, r := range s.routes(table) {
			prefix := s.upper(r.prefix.String())
			if masks {
				prefix = r.prefix.Addr().String() + " " + maskOf(r.prefix)
			}
			if !s.six && !masks && s.chance(20) {
				s.line("      %s/8 is variably subnetted, %d subnets, 3 masks", netip.PrefixFrom(r.prefix.Addr(), 8).Masked().Addr(),
					2+s.IntN(9))
			}
			begin := fmt.Sprintf("%-*s %s", max(width, 5), s.pick(letters[r.protocol]...), prefix)
			s.letteredWays(r, begin, behind)
		}
	}
	if s.chance(50) {
		s.asked(device, "")
	}
}

// letteredWays writes a row with its next hops.
func (s *sheet) letteredWays(r wrote, begin string, ageBehind bool) {
	numbers := fmt.Sprintf("[%d/%d] ", r.pref, r.metric)
	if s.six { // the way is on the next line
		s.line("%s [%d/%d]", begin, r.pref, r.metric)
		switch {
		case r.special != route.None:
			s.line("     via Null0, directly connected")
		case r.protocol == route.Direct:
			s.line("     via %s, directly connected", r.hops[0].Interface)
		}
		for _, h := range r.hops {
			if h.Address.IsValid() {
				s.line("     via %s, %s", s.upper(h.Address.String()), h.Interface)
			}
		}
		s.says(r, true, true)
		return
	}
	switch {
	case r.special != route.None:
		told := s.chance(50)
		if !told {
			numbers = ""
		}
		s.line("%s %sis directly connected, Null0", begin, numbers)
		s.says(r, told, told)
		return
	case r.protocol == route.Direct:
		s.line("%s is directly connected, %s", begin, r.hops[0].Interface)
		s.says(r, false, false)
		return
	}
	indent := len(begin) + 1
	if len(begin)+len(numbers) > 45 { // no room: the way is on the next line
		s.line("%s", begin)
		indent = 10 + s.IntN(15)
		begin = strings.Repeat(" ", indent-1)
	}
	for i, h := range r.hops {
		way := fmt.Sprintf("%svia %s, %s, %s", numbers, h.Address, s.age(), h.Interface)
		if ageBehind {
			way = fmt.Sprintf("%svia %s, %s, %s", numbers, h.Address, h.Interface, s.age())
		}
		if i > 0 {
			begin = strings.Repeat(" ", indent-1)
		}
		s.line("%s %s", begin, way)
	}
	s.says(r, true, true)
}

func maskOf(p netip.Prefix) string {
	n := ^uint32(0) << (32 - p.Bits())
	return fmt.Sprintf("%d.%d.%d.%d", n>>24, n>>16&255, n>>8&255, n&255)
}

// writeMarked writes rows of letters with signs for what is selected and installed.
func writeMarked(s *sheet) {
	device, command := s.pick(devices...), "show ip route"
	if s.six {
		command = "show ipv6 route"
	}
	letters := map[route.Protocol]string{route.Direct: "C", route.Static: "S", route.OSPF: "O", route.BGP: "B", route.RIP: "R",
		route.RIPng: "R", route.ISIS: "I"}
	weights := s.chance(60)
	for _, table := range s.tables() {
		if s.asked(device, strings.TrimSuffix(command+" vrf "+table, " vrf ")); s.chance(90) {
			s.line("Codes: K - kernel route, C - connected, S - static, R - %s,", choose(s.six, "RIPng", "RIP"))
			s.line("       O - OSPF%s, I - IS-IS, B - BGP, A - Babel,", choose(s.six, "v3", ""))
			s.line("       > - selected route, * - FIB route, q - queued, r - rejected")
			s.line("")
		}
		if table != "" {
			s.line("VRF %s:", table)
		}
		for _, r := range s.routes(table) {
			weight := ""
			if weights {
				weight = ", weight 1"
			}
			begin := fmt.Sprintf("%s>* %s", letters[r.protocol], r.prefix)
			switch {
			case r.special != route.None:
				s.line("%s [%d/%d] unreachable (blackhole)%s, %s", begin, r.pref, r.metric, weight, s.age())
				s.says(r, true, true)
				continue
			case r.protocol == route.Direct:
				s.line("%s is directly connected, %s, %s", begin, r.hops[0].Interface, s.age())
				s.says(r, false, false)
				continue
			}
			begin += fmt.Sprintf(" [%d/%d]", r.pref, r.metric)
			for i, h := range r.hops {
				if i > 0 {
					begin = "  *" + strings.Repeat(" ", len(begin)-3)
				}
				s.line("%s via %s, %s%s, %s", begin, h.Address, h.Interface, weight, s.age())
			}
			s.says(r, true, true)
		}
	}
}

// A printed column has a name, a value for each next hop, and a side on which its cells stand.
type printed struct {
	name  string
	value func(r *wrote, h route.NextHop) string
	right bool
}

// writeColumns writes a table of columns in an order of its own, under names of its own, each on one side of its width.
func writeColumns(s *sheet) {
	device := s.pick(devices...)
	s.asked(device, choose(s.six, "show ipv6 route", "show ip route"))
	direct := s.pick("Direct", "-", "connected")
	protocols := map[route.Protocol]string{route.Direct: s.pick("Direct", "connected", "Local"), route.Static: s.pick("Static", "STATIC"),
		route.OSPF: "OSPF", route.BGP: "BGP", route.RIP: "RIP", route.RIPng: "RIP", route.ISIS: "ISIS"}
	named, paired := s.chance(80), s.chance(30)
	cols := []printed{
		{s.pick("Next Hop", "Gateway", "NextHop", "Nexthop IP", "Next-Hop"), func(r *wrote, h route.NextHop) string {
			if h.Address.IsValid() {
				return h.Address.String()
			}
			return direct
		}, false},
		{s.pick("Interface", "Intf", "Outgoing Interface", "OutInterface"), func(r *wrote, h route.NextHop) string {
			if r.special != route.None {
				return "Null0"
			}
			return h.Interface
		}, false},
	}
	if named {
		cols = append(cols, printed{s.pick("Protocol", "Proto", "Type", "Source"), func(r *wrote, _ route.NextHop) string {
			return protocols[r.protocol]
		}, false})
	}
	if paired {
		cols = append(cols, printed{s.pick("Dist/Metric", "Pref/Metric"), func(r *wrote, _ route.NextHop) string {
			return fmt.Sprintf("%d/%d", r.pref, r.metric)
		}, false})
	} else {
		cols = append(cols, printed{s.pick("Metric", "Cost"), func(r *wrote, _ route.NextHop) string { return fmt.Sprint(r.metric) }, true},
			printed{s.pick("Pref", "Preference", "Distance"), func(r *wrote, _ route.NextHop) string { return fmt.Sprint(r.pref) }, true})
	}
	if s.chance(60) {
		cols = append(cols, printed{s.pick("Age", "Uptime"), func(*wrote, route.NextHop) string { return s.age() }, true})
	}
	s.Shuffle(len(cols), func(i, j int) { cols[i], cols[j] = cols[j], cols[i] })
	for i := range cols {
		cols[i].right = cols[i].right && s.chance(50)
	}
	cols = append([]printed{{s.pick("Destination", "Destination/Mask", "Prefix", "Network"), func(r *wrote, _ route.NextHop) string {
		return r.prefix.String()
	}, s.chance(20)}}, cols...)
	s.columns(cols, s.routes(""), named, s.chance(50))
}

// columns prints rows, further next hops as rows of their own, with the destination or without.
func (s *sheet) columns(cols []printed, list []wrote, named, repeated bool) {
	var rows [][]string
	header := make([]string, len(cols))
	for i, c := range cols {
		header[i] = c.name
	}
	for k := range list {
		r := &list[k]
		hops := r.hops
		if len(hops) == 0 {
			hops = []route.NextHop{{}}
		}
		for i, h := range hops {
			row := make([]string, len(cols))
			for j, c := range cols {
				row[j] = c.value(r, h)
			}
			if i > 0 && !repeated {
				row[0] = ""
			}
			rows = append(rows, row)
		}
		said := *r
		if !named && r.protocol != route.Direct {
			said.protocol = route.Other
		}
		s.says(said, true, true)
	}
	widths := make([]int, len(cols))
	for i := range cols {
		for _, row := range append([][]string{header}, rows...) {
			widths[i] = max(widths[i], len(row[i]))
		}
		widths[i] += 2 + s.IntN(3)
	}
	write := func(row []string) {
		out := ""
		for i, c := range row {
			if cols[i].right {
				out += fmt.Sprintf("%*s  ", widths[i]-2, c)
			} else {
				out += fmt.Sprintf("%-*s", widths[i], c)
			}
		}
		s.line("%s", out)
	}
	write(header)
	if s.chance(50) {
		rule := make([]string, len(cols))
		for i := range rule {
			rule[i] = strings.Repeat("-", widths[i]-2)
		}
		write(rule)
	}
	for _, row := range rows {
		write(row)
	}
	if s.chance(40) {
		s.line("")
		s.line("Total number of routes: %d", len(rows))
	}
}

// starredNames are the protocols as that family writes them.
var starredNames = map[route.Protocol]string{route.Direct: "Direct", route.Static: "Static", route.OSPF: "OSPF", route.BGP: "BGP",
	route.RIP: "RIP", route.RIPng: "RIPng", route.ISIS: "IS-IS"}

// writeStarred writes the form in which a star stands before each protocol and the ways below it.
func writeStarred(s *sheet) {
	s.asked(s.pick(devices...), "show route")
	for _, table := range s.tables() {
		list := s.routes(table)
		name := strings.TrimPrefix(table+".inet.0", ".")
		if s.six {
			name = strings.TrimPrefix(table+".inet6.0", ".")
		}
		s.line("")
		s.line("%s: %d destinations, %d routes (%d active, 0 holddown, 0 hidden)", name, len(list), len(list), len(list))
		s.line("+ = Active Route, - = Last Active, * = Both")
		s.line("")
		for _, r := range list {
			metric := r.protocol == route.OSPF || r.protocol == route.RIP || r.protocol == route.RIPng || r.protocol == route.ISIS
			head := fmt.Sprintf("*[%s/%d] %s", starredNames[r.protocol], r.pref, s.pick("00:00:09", "1d 02:03:04", "5w6d 07:08:09"))
			if metric {
				head += fmt.Sprintf(", metric %d", r.metric)
			}
			if r.protocol == route.BGP {
				head += ", localpref 100"
			}
			if p := r.prefix.String(); len(p) > 18 {
				s.line("%s", p)
				s.line("%-19s%s", "", head)
			} else {
				s.line("%-19s%s", p, head)
			}
			if r.protocol == route.BGP {
				s.line("                      AS path: 64901 I, validation-state: unverified")
			}
			if r.special != route.None {
				s.line("                       Discard")
			}
			best := s.IntN(max(1, len(r.hops)))
			for i, h := range r.hops {
				sign := choose(i == best, ">", " ")
				if h.Address.IsValid() {
					s.line("                    %s  to %s via %s", sign, h.Address, h.Interface)
				} else {
					s.line("                    %s  via %s", sign, h.Interface)
				}
			}
			s.says(r, true, metric)
		}
	}
}

// writeTerse writes that family's rows of one line, of which the interfaces are not shown.
func writeTerse(s *sheet) {
	s.asked(s.pick(devices...), "show route terse")
	list := s.routes("")
	name := choose(s.six, "inet6.0", "inet.0")
	s.line("")
	s.line("%s: %d destinations, %d routes (%d active, 0 holddown, 0 hidden)", name, len(list), len(list), len(list))
	s.line("+ = Active Route, - = Last Active, * = Both")
	s.line("")
	s.line("A V Destination        P Prf   Metric 1   Metric 2  Next hop        AS path")
	letters := map[route.Protocol]string{route.Direct: "D", route.Static: "S", route.OSPF: "O", route.BGP: "B", route.RIP: "R",
		route.RIPng: "R", route.ISIS: "I"}
	for _, r := range list {
		metric := ""
		told := r.protocol == route.OSPF || r.protocol == route.RIP || r.protocol == route.RIPng || r.protocol == route.ISIS
		if told {
			metric = fmt.Sprint(r.metric)
		}
		begin := fmt.Sprintf("* ? %-18s %s %3d %10s           ", r.prefix, letters[r.protocol], r.pref, metric)
		if len(r.prefix.String()) > 18 {
			s.line("* ? %s", r.prefix)
			begin = fmt.Sprintf("    %-18s %s %3d %10s           ", "", letters[r.protocol], r.pref, metric)
		}
		if r.special != route.None {
			s.line("%s Discard", begin)
		}
		r.hops = slices.Clone(r.hops)
		for i := range r.hops {
			h := &r.hops[i]
			sign, way := ">", h.Interface
			if h.Address.IsValid() {
				h.Interface, way = "", h.Address.String()
			}
			if i > 0 {
				begin, sign = strings.Repeat(" ", len(begin)), " "
			}
			s.line("%s%s%s", begin, sign, way)
		}
		s.says(r, true, told)
	}
}

// flagLetters are the letters of protocols in that family.
var flagLetters = map[route.Protocol]string{route.Direct: "c", route.Static: "s", route.OSPF: "o", route.BGP: "b", route.RIP: "r",
	route.RIPng: "r", route.ISIS: "i"}

const flagsKey = "Flags: X - disabled, A - active, D - dynamic, c - connect, s - static, r - rip, b - bgp, o - ospf, i - is-is, B - blackhole"

// writeFlagged writes numbered rows with flags before the columns.
func writeFlagged(s *sheet) {
	s.line("[oper@%s] > /%s route print", s.pick(devices...), choose(s.six, "ipv6", "ip"))
	s.line(flagsKey)
	s.line(" #      %-44s%-40sDISTANCE", "DST-ADDRESS", "GATEWAY")
	for i, r := range s.routes("") {
		way := []string{}
		hops := []route.NextHop{}
		for _, h := range r.hops {
			switch link := s.chance(40); {
			case !h.Address.IsValid():
				way = append(way, h.Interface)
			case link || h.Address.IsLinkLocalUnicast():
				way = append(way, h.Address.String()+"%"+h.Interface)
			default:
				way, h.Interface = append(way, h.Address.String()), ""
			}
			if len(strings.Join(way, ",")) > 38 {
				way = way[:len(way)-1]
				break
			}
			hops = append(hops, h)
		}
		if r.hops = hops; len(hops) == 0 && r.special == route.None {
			continue
		}
		letters := "A" + flagLetters[r.protocol]
		if r.special != route.None {
			letters += "B"
		}
		s.line("%2d %-5s%-44s%-40s%8d", i, letters, r.prefix, strings.Join(way, ","), r.pref)
		s.says(r, true, false)
	}
}

// writePairs writes each route as pairs of names and values.
func writePairs(s *sheet) {
	s.line("[oper@%s] > /%s route print detail", s.pick(devices...), choose(s.six, "ipv6", "ip"))
	s.line(flagsKey)
	for i, r := range s.routes("") {
		letters := "A" + flagLetters[r.protocol]
		if r.special != route.None {
			letters += "B"
		}
		var way []string
		for _, h := range r.hops {
			if h.Address.IsValid() {
				way = append(way, h.Address.String()+"%"+h.Interface)
			} else {
				way = append(way, h.Interface)
			}
		}
		pairs := []string{fmt.Sprint("dst-address=", r.prefix), "gateway=" + strings.Join(way, ","), fmt.Sprint("distance=", r.pref), "scope=30",
			"target-scope=10"}
		if len(way) == 0 {
			pairs = slices.Delete(pairs, 1, 2)
		}
		out := fmt.Sprintf("%2d %-4s", i, letters)
		for _, p := range pairs {
			if len(out) > 60 {
				s.line("%s", out)
				out = "       "
			}
			out += " " + p
		}
		s.line("%s", out)
		s.line("")
		s.says(r, true, false)
	}
}

// writeParagraphs writes one paragraph about each route, each asked for by itself.
func writeParagraphs(s *sheet) {
	device := s.pick(devices...)
	names := map[route.Protocol]string{route.Static: "static", route.OSPF: "ospf 1", route.BGP: "bgp 64900", route.RIP: "rip",
		route.RIPng: "rip", route.ISIS: "isis"}
	for _, r := range s.routes("") {
		if s.six {
			s.asked(device, fmt.Sprint("show ipv6 route ", r.prefix))
		} else {
			s.asked(device, fmt.Sprint("show ip route ", r.prefix.Addr(), " ", maskOf(r.prefix)))
		}
		if r.protocol == route.Direct {
			s.line("Routing entry for %s", r.prefix)
			s.line("  Known via \"connected\", distance 0, metric 0 (connected, via interface)")
			s.line("  Routing Descriptor Blocks:")
			s.line("  * directly connected, via %s", r.hops[0].Interface)
			s.line("      Route metric is 0, traffic share count is 1")
			s.says(r, true, true)
			continue
		}
		s.line("Routing entry for %s", r.prefix)
		s.line("  Known via \"%s\", distance %d, metric %d", names[r.protocol], r.pref, r.metric)
		if s.chance(50) {
			s.line("  Last update from %s on %s, %s ago", s.hop(), s.links[0], s.age())
		}
		s.line("  Routing Descriptor Blocks:")
		if r.special != route.None {
			s.line("  * directly connected, via Null0")
			s.line("      Route metric is %d, traffic share count is 1", r.metric)
		}
		best := s.IntN(max(1, len(r.hops)))
		for i, h := range r.hops {
			s.line("  %s %s, from %s, %s ago, via %s", choose(i == best, "*", " "), h.Address, s.hop(), s.age(), h.Interface)
			s.line("      Route metric is %d, traffic share count is 1", r.metric)
		}
		s.says(r, true, true)
	}
}
