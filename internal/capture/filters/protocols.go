package filters

import (
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
)

// Protocol reads the name or number of a protocol as flows are told by: "" for any; false for a word that is none.
func Protocol(s string) (string, bool) {
	s = strings.ToLower(s)
	if n, ok := protocolNames[s]; ok {
		return n, true
	}
	switch s {
	case "ip", "ipv4", "ipv6", "any", "all":
		return "", true
	}
	if slices.Contains([]string{"tcp", "udp", "icmp", "icmpv6", "esp", "gre", "sctp"}, s) {
		return s, true
	}
	n, ok := layout.Uint([]byte(s))
	return s, ok && n < 256
}

// HasPorts reports whether a protocol has ports.
func HasPorts(protocol string) bool {
	return slices.Contains([]string{"tcp", "udp", "sctp"}, protocol)
}

// WellKnown is a service by the name that many devices know without being told; false where it is not sure.
func WellKnown(name string) (Services, bool) {
	s := strings.ToLower(name)
	one := func(protocol string, ports ...uint16) (Services, bool) {
		out := Services{Some: true}
		for _, p := range ports {
			out.List = append(out.List, Service{Protocol: protocol, To: portOf(p)})
		}
		if len(ports) == 0 {
			out.List = []Service{{Protocol: protocol}}
		}
		return out, true
	}
	switch s {
	case "any", "all", "all_services":
		return Services{}, true
	case "tcp", "udp", "icmp", "icmpv6", "gre", "esp", "sctp":
		return one(s)
	case "all_tcp", "tcp_all", "tcp-any", "any-tcp":
		return one("tcp")
	case "all_udp", "udp_all", "udp-any", "any-udp":
		return one("udp")
	case "all_icmp", "icmp-all", "icmp-any", "any-icmp":
		return one("icmp")
	case "ping", "icmp-ping":
		return Services{Some: true, List: []Service{{Protocol: "icmp", Type: 9}}}, true
	case "dns", "domain":
		a, _ := one("tcp", 53)
		b, _ := one("udp", 53)
		return a.Join(b), true
	case "dns-udp", "udp-53":
		return one("udp", 53)
	case "dns-tcp":
		return one("tcp", 53)
	case "http", "https", "ssh", "telnet", "smtp", "ftp", "pop3", "imap", "imaps", "pop3s", "smtps", "ldaps", "bgp",
		"rdp":
		n, _ := Port(s, "tcp")
		return one("tcp", n)
	case "ntp", "tftp", "syslog", "snmp":
		n, _ := Port(s, "udp")
		return one("udp", n)
	}
	for _, protocol := range []string{"tcp", "udp"} { // "tcp_8443", "tcp-8000-8010"
		if rest, ok := strings.CutPrefix(s, protocol); ok && len(rest) > 1 && (rest[0] == '-' || rest[0] == '_') {
			if p, ok := PortRanges(rest[1:], protocol); ok && rest[1] >= '0' && rest[1] <= '9' {
				out := Services{Some: true}
				for _, x := range p {
					out.List = append(out.List, Service{Protocol: protocol, To: x})
				}
				return out, true
			}
		}
	}
	return Services{Unsure: true}, false
}
