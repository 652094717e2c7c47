package lab

import (
	"fmt"
	"net/netip"
	"strings"
)

// printers print a device's tables and configuration, each in the shapes of one family of systems: the commands and
// their answers. OneHop tells that of several next hops such a system uses the one that it marks.
var printers = []struct {
	name, prompt string
	print        func(parts []*printedPart) [][2]string
	oneHop       bool
}{
	{"in letters", "%s# ", printLetters, false},
	{"starred", "night@%s> ", printStarred, true},
	{"in columns", "<%s>", printColumns, false},
	{"by prefix", "%s# ", printByPrefix, false},
}

func printLetters(parts []*printedPart) (out [][2]string) {
	for _, p := range parts {
		title, vrf, six := "", "", "default"
		if p.instance != "" {
			title, vrf, six = "\nRouting Table: "+p.instance+"\n", " vrf "+p.instance, p.instance
		}
		text := title + "Codes: L - local, C - connected, S - static, R - RIP, B - BGP\n\n" +
			"Gateway of last resort is not set\n\n"
		for _, r := range p.tables[0] {
			switch begin := fmt.Sprintf("S        %s ", r.prefix); {
			case r.attached():
				text += fmt.Sprintf("C        %s is directly connected, %s\n", r.prefix, p.port(r.Dev))
			case r.discards():
				text += begin + "is directly connected, Null0\n"
			default:
				for i, h := range r.hops() {
					if i > 0 {
						begin = strings.Repeat(" ", len(begin))
					}
					text += begin + "[1/0] via " + h.Gateway + "\n"
				}
			}
		}
		out = append(out, [2]string{"show ip route" + vrf, text})
		text = fmt.Sprintf("IPv6 Routing Table - %s - %d entries\nCodes: C - Connected, L - Local, S - Static\n", six,
			len(p.tables[1]))
		for _, r := range p.tables[1] {
			switch {
			case r.attached():
				text += fmt.Sprintf("C   %s [0/0]\n     via %s, directly connected\n", r.prefix, p.port(r.Dev))
			case r.discards():
				text += fmt.Sprintf("S   %s [1/0]\n     via Null0, directly connected\n", r.prefix)
			default:
				text += fmt.Sprintf("S   %s [1/0]\n", r.prefix)
				for _, h := range r.hops() {
					text += "     via " + h.Gateway + "\n"
				}
			}
		}
		out = append(out, [2]string{"show ipv6 route" + vrf, text})
	}
	return append(out, [2]string{"show running-config", statementsOf(parts, false)})
}

// statementsOf is a configuration of the device, with lengths in place of masks where brief says so.
func statementsOf(parts []*printedPart, brief bool) string {
	text := fmt.Sprintf("!\nhostname %s\n!\nipv6 unicast-routing\n!\n", parts[0].name)
	for _, p := range parts {
		member := map[bool]string{false: " vrf forwarding ", true: "  vrf member "}[brief]
		ports, v4 := p.addresses(0)
		_, v6 := p.addresses(1)
		for i, name := range ports {
			text += "interface " + p.port(name) + "\n"
			if p.instance != "" {
				text += member + p.instance + "\n"
			}
			if brief {
				text += fmt.Sprintf("  ip address %s\n", v4[i])
			} else {
				text += fmt.Sprintf(" ip address %s %s\n", v4[i].Addr(), dotted(v4[i]))
			}
			text += fmt.Sprintf(" ipv6 address %s\n", v6[i])
			if p.strict {
				text += " ip verify unicast source reachable-via rx allow-default\n"
			}
			text += "!\n"
		}
		for _, x := range p.ports {
			if x.down {
				text += "interface " + p.port(x.name) + "\n shutdown\n!\n"
			}
		}
	}
	return text + "end\n"
}

// dotted is the mask of a prefix.
func dotted(p netip.Prefix) netip.Addr {
	bits := ^uint32(0) << (32 - p.Bits())
	return netip.AddrFrom4([4]byte{byte(bits >> 24), byte(bits >> 16), byte(bits >> 8), byte(bits)})
}

func printStarred(parts []*printedPart) [][2]string {
	text, conf := "", []string{"set version 18.4", "set system host-name " + parts[0].name}
	for _, p := range parts {
		for f := range families {
			name := []string{"inet.0", "inet6.0"}[f]
			if p.instance != "" {
				name = p.instance + "." + name
			}
			ports, own := p.addresses(f)
			rows := ""
			for _, r := range p.tables[f] {
				switch begin := fmt.Sprintf("%-18s ", r.prefix); {
				case r.attached():
					rows += fmt.Sprintf("%s*[Direct/0] 1w0d 00:00:00\n                    > via %s.0\n", begin, p.port(r.Dev))
				case r.discards():
					rows += begin + "*[Static/5] 1w0d 00:00:00\n                      Discard\n"
				default:
					rows += begin + "*[Static/5] 1w0d 00:00:00\n"
					for i, h := range r.hops() {
						rows += fmt.Sprintf("                    %s to %s via %s.0\n", []string{">", " "}[min(i, 1)], h.Gateway,
							p.port(h.Dev))
					}
				}
			}
			for i, a := range own {
				rows += fmt.Sprintf("%-18s *[Local/0] 1w0d 00:00:00\n                      Local via %s.0\n",
					netip.PrefixFrom(a.Addr(), a.Addr().BitLen()), p.port(ports[i]))
			}
			count := len(p.tables[f]) + len(own)
			text += fmt.Sprintf("\n%s: %d destinations, %d routes (%d active, 0 holddown, 0 hidden)\n"+
				"+ = Active Route, - = Last Active, * = Both\n\n%s", name, count, count, count, rows)
			for i, a := range own {
				line := fmt.Sprintf("set interfaces %s unit 0 family %s ", p.port(ports[i]), []string{"inet", "inet6"}[f])
				conf = append(conf, line+"address "+a.String())
				if f == 0 && p.strict {
					conf = append(conf, line+"rpf-check")
				}
				if f == 0 && p.instance != "" {
					conf = append(conf, fmt.Sprintf("set routing-instances %s interface %s.0", p.instance, p.port(ports[i])))
				}
			}
		}
		if p.instance != "" {
			conf = append(conf, "set routing-instances "+p.instance+" instance-type virtual-router")
		}
	}
	return [][2]string{{"show route", text}, {"show configuration | display set", strings.Join(conf, "\n") + "\n"}}
}

func printColumns(parts []*printedPart) (out [][2]string) {
	for _, p := range parts {
		name, of := "Public", ""
		if p.instance != "" {
			name, of = p.instance, " vpn-instance "+p.instance
		}
		rows, count := "", 0
		row := func(prefix, protocol string, preference int, hop, port string) {
			rows += fmt.Sprintf("%18s  %-6s  %-3d  0           D   %-15s %s\n", prefix, protocol, preference, hop, port)
			count++
		}
		ports, own := p.addresses(0)
		for _, r := range p.tables[0] {
			switch {
			case r.attached():
				for i, a := range own {
					if ports[i] == r.Dev {
						row(r.prefix.String(), "Direct", 0, a.Addr().String(), p.port(r.Dev))
						row(a.Addr().String()+"/32", "Direct", 0, "127.0.0.1", p.port(r.Dev))
					}
				}
			case r.discards():
				row(r.prefix.String(), "Static", 60, "0.0.0.0", "NULL0")
			default:
				for i, h := range r.hops() {
					row([]string{r.prefix.String(), ""}[min(i, 1)], "Static", 60, h.Gateway, p.port(h.Dev))
				}
			}
		}
		text := fmt.Sprintf("Route Flags: R - relay, D - download to fib\n%s\nRouting Tables: %s\n"+
			"         Destinations : %-8d Routes : %-8d\n\n"+
			"Destination/Mask    Proto   Pre  Cost      Flags NextHop         Interface\n\n%s",
			strings.Repeat("-", 78), name, count, count, rows)
		out = append(out, [2]string{"display ip routing-table" + of, text})
	}
	text := "#\n sysname " + parts[0].name + "\n#\n"
	for _, p := range parts {
		ports, own := p.addresses(0)
		for i, a := range own {
			text += "interface " + p.port(ports[i]) + "\n"
			if p.instance != "" {
				text += " ip binding vpn-instance " + p.instance + "\n"
			}
			text += fmt.Sprintf(" ip address %s %s\n", a.Addr(), dotted(a))
			if p.strict {
				text += " urpf strict allow-default-route\n"
			}
			text += "#\n"
		}
	}
	return append(out, [2]string{"display current-configuration", text + "return\n"})
}

func printByPrefix(parts []*printedPart) [][2]string {
	var tables [2]string
	for _, p := range parts {
		vrf := "default"
		if p.instance != "" {
			vrf = p.instance
		}
		for f := range families {
			tables[f] += []string{"IP Route Table for VRF", "IPv6 Routing Table for VRF"}[f] + " \"" + vrf + "\"\n" +
				"'*' denotes best ucast next-hop\n'[x/y]' denotes [preference/metric]\n\n"
			ports, own := p.addresses(f)
			for _, r := range p.tables[f] {
				switch {
				case r.attached():
					for i, a := range own {
						if ports[i] == r.Dev {
							tables[f] += fmt.Sprintf("%s, ubest/mbest: 1/0, attached\n    *via %s, %s, [0/0], 3w2d, direct\n", r.prefix,
								a.Addr(), p.port(r.Dev))
						}
					}
				case r.discards():
					tables[f] += fmt.Sprintf("%s, ubest/mbest: 1/0\n    *via Null0, [1/0], 3w2d, static\n", r.prefix)
				default:
					tables[f] += fmt.Sprintf("%s, ubest/mbest: %d/0\n", r.prefix, len(r.hops()))
					for _, h := range r.hops() {
						tables[f] += fmt.Sprintf("    *via %s, [1/0], 3w2d, static\n", h.Gateway)
					}
				}
			}
			tables[f] += "\n"
		}
	}
	return [][2]string{{"show ip route vrf all", tables[0]}, {"show ipv6 route vrf all", tables[1]},
		{"show running-config", statementsOf(parts, true)}}
}
