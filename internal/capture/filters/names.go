package filters

// portNames are the names of ports, whatever the protocol.
var portNames = map[string]uint16{
	"echo": 7, "discard": 9, "daytime": 13, "chargen": 19, "ftp-data": 20, "ftp": 21, "ssh": 22, "telnet": 23,
	"smtp": 25,
	"time": 37, "nameserver": 42, "whois": 43, "tacacs": 49, "domain": 53, "dns": 53, "bootps": 67, "bootpc": 68,
	"dhcps": 67, "dhcpc": 68,
	"tftp": 69, "gopher": 70, "finger": 79, "http": 80, "www": 80, "kerberos": 88, "hostname": 101, "pop2": 109,
	"pop3":   110,
	"sunrpc": 111, "ident": 113, "nntp": 119, "ntp": 123, "netbios-ns": 137, "netbios-dgm": 138, "netbios-ssn": 139,
	"netbios-ss": 139, "imap": 143, "imap2": 143, "imap4": 143, "snmp": 161, "snmptrap": 162, "snmp-trap": 162,
	"xdmcp": 177, "bgp": 179,
	"irc": 194, "ldap": 389, "mobile-ip": 434, "https": 443, "microsoft-ds": 445, "isakmp": 500, "ike": 500,
	"syslog": 514, "lpd": 515,
	"printer": 515, "talk": 517, "rip": 520, "ripng": 521, "uucp": 540, "klogin": 543, "kshell": 544, "rtsp": 554,
	"ldaps": 636,
	"imaps": 993, "pop3s": 995, "sqlnet": 1521, "l2tp": 1701, "h323": 1720, "pptp": 1723, "radius": 1812,
	"radius-acct": 1813, "nfs": 2049,
	"ms-wbt-server": 3389, "rdp": 3389, "non500-isakmp": 4500, "ipsec-nat-t": 4500, "sip": 5060, "sips": 5061,
	"submission": 587, "smtps": 465,
	"domain-s": 853, "mysql": 3306, "postgresql": 5432, "vxlan": 4789, "bfd-control": 3784,
}

// portsOf are names that mean another port by protocol.
var portsOf = map[string]uint16{
	"tcp exec": 512, "udp biff": 512, "tcp login": 513, "udp who": 513, "tcp cmd": 514, "tcp shell": 514,
	"tcp rsh": 514, "udp route": 520,
	"tcp efs": 520, "udp radius": 1812, "tcp pim-auto-rp": 496, "udp pim-auto-rp": 496,
}

// protocolNames are the names of protocols beside those that flows are told by (the IANA registry of protocol numbers).
var protocolNames = map[string]string{
	"1": "icmp", "6": "tcp", "17": "udp", "47": "gre", "50": "esp", "58": "icmpv6", "132": "sctp",
	"ipv6-icmp": "icmpv6", "icmpv4": "icmp", "icmp6": "icmpv6",
	"igmp": "2", "ipip": "4", "ipinip": "4", "egp": "8", "igp": "9", "rsvp": "46", "ah": "51", "ahp": "51",
	"eigrp": "88", "ospf": "89", "pim": "103", "pcp": "108",
	"vrrp": "112", "l2tp": "115", "nos": "94",
}

type icmpType struct {
	number uint16
	names  []string
}

var icmpNames = []icmpType{
	{0, []string{"echo-reply", "echoreply", "ping-reply", "echorep"}},
	{3, []string{"unreachable", "destination-unreachable", "unreach", "net-unreachable", "network-unreachable",
		"host-unreachable",
		"protocol-unreachable", "port-unreachable", "administratively-prohibited", "fragmentation-needed",
		"packet-too-big", "host-unknown",
		"network-unknown", "net-tos-unreachable", "host-tos-unreachable", "host-precedence-unreachable",
		"host-isolated", "source-route-failed",
		"net-redirect-unreachable", "dod-host-prohibited", "dod-net-prohibited", "precedence-unreachable"}},
	{4, []string{"source-quench"}},
	{5, []string{"redirect", "host-redirect", "net-redirect", "host-tos-redirect", "net-tos-redirect"}},
	{8, []string{"echo", "echo-request", "echoreq", "ping"}},
	{9, []string{"router-advertisement"}},
	{10, []string{"router-solicitation"}},
	{11, []string{"time-exceeded", "ttl-exceeded", "reassembly-timeout", "ttl-zero-during-transit"}},
	{12, []string{"parameter-problem", "general-parameter-problem", "option-missing", "no-room-for-option"}},
	{13, []string{"timestamp", "timestamp-request"}},
	{14, []string{"timestamp-reply"}},
	{15, []string{"information-request"}},
	{16, []string{"information-reply"}},
	{17, []string{"mask-request", "address-mask-request"}},
	{18, []string{"mask-reply", "address-mask-reply"}},
	{30, []string{"traceroute"}},
	{31, []string{"conversion-error"}},
}

var icmpv6Names = []icmpType{
	{1, []string{"unreachable", "destination-unreachable", "no-route", "no-admin", "beyond-scope",
		"address-unreachable", "port-unreachable"}},
	{2, []string{"packet-too-big"}},
	{3, []string{"time-exceeded", "hop-limit", "reassembly-timeout"}},
	{4, []string{"parameter-problem", "parameter-option", "header", "next-header"}},
	{128, []string{"echo-request", "echo", "ping", "echoreq"}},
	{129, []string{"echo-reply", "echorep"}},
	{130, []string{"mld-query", "membership-query", "mld-listener-query"}},
	{131, []string{"mld-report", "membership-report", "mld-listener-report"}},
	{132, []string{"mld-reduction", "membership-termination", "mld-listener-done", "mld-listener-reduction"}},
	{133, []string{"router-solicitation", "router-solicit", "nd-router-solicit"}},
	{134, []string{"router-advertisement", "router-advert", "nd-router-advert"}},
	{135, []string{"nd-ns", "neighbour-solicitation", "neighbor-solicitation", "neighbor-solicit",
		"nd-neighbor-solicit"}},
	{136, []string{"nd-na", "neighbour-advertisement", "neighbor-advertisement", "neighbor-advert",
		"nd-neighbor-advert"}},
	{137, []string{"redirect", "nd-redirect"}},
	{138, []string{"router-renumbering"}},
	{143, []string{"mldv2-listener-report", "mld2-listener-report"}},
}
