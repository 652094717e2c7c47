package capture

// A Family tells what a layout is like, for people.
type Family struct {
	Name, About string
	Sample      string // three lines of made-up data
}

// Families describes the layouts, in the order in which they are asked.
var Families = []Family{
	{"lettered", "code letters first; the key printed above the rows defines them (FRR's text and its many relatives)",
		"Codes: C - connected, S - static, O - OSPF\nO    10.61.32.0/24 [110/20] via 172.28.61.6, line1, 00:12:31\nC    10.61.16.0/24 is directly connected, hall0\n"},
	{"iproute JSON", "ip -j route, addr, link, neigh, rule",
		"[{\"dst\":\"10.61.32.0/24\",\"gateway\":\"172.28.61.6\",\"dev\":\"line1\",\"protocol\":\"ospf\",\"flags\":[]},\n {\"type\":\"blackhole\",\"dst\":\"10.61.40.0/21\",\"flags\":[]},\n {\"dst\":\"10.61.16.0/24\",\"dev\":\"hall0\",\"protocol\":\"kernel\",\"scope\":\"link\",\"flags\":[]}]\n"},
	{"iproute text", "ip route, addr, link, neigh, rule",
		"10.61.32.0/24 via 172.28.61.6 dev line1 proto ospf metric 20\nblackhole 10.61.40.0/21 proto static\n10.61.16.0/24 dev hall0 proto kernel scope link src 10.61.16.1\n"},
	{"FRR JSON", "the routing daemons' tables as JSON",
		"{\"10.61.16.0/24\":[{\"prefix\":\"10.61.16.0/24\",\"protocol\":\"connected\",\n  \"selected\":true,\"installed\":true,\n  \"nexthops\":[{\"interfaceName\":\"hall0\",\"active\":true,\"fib\":true}]}]}\n"},
	{"FRR interfaces", "the routing daemons' brief list of interfaces, and whether forwarding is on",
		"Interface       Status  VRF             Addresses\nhall0           up      default         10.61.16.1/24\nIP forwarding is on\n"},
	{"sysctl", "kernel switches, of which those for forwarding count",
		"net.ipv4.conf.all.forwarding = 1\nnet.ipv6.conf.all.forwarding = 0\nnet.inet.ip.forwarding: 1\n"},
	{"SNMP walk", "walks of the IP forwarding, IP and interface MIBs, numeric or by name",
		".1.3.6.1.2.1.4.24.7.1.7.1.4.10.61.16.0.24.3.0.0.2.1.4.0.0.0.0 = INTEGER: 2\n.1.3.6.1.2.1.4.24.7.1.8.1.4.10.61.16.0.24.3.0.0.2.1.4.0.0.0.0 = INTEGER: 3\nIF-MIB::ifName.2 = STRING: hall0\n"},
	{"starred", "*[Protocol/preference] with next hops below, in full, one line a route, or as a forwarding table",
		"inet.0: 1 destinations, 1 routes (1 active, 0 holddown, 0 hidden)\n10.61.32.0/24      *[OSPF/10] 1d 02:03:04, metric 20\n                    >  to 172.28.61.6 via line1\n"},
	{"columns", "any table under a row of known column names: net-tools, BSD netstat, workstations, switches, firewalls",
		"Destination     Gateway         Genmask         Flags Metric Ref    Use Iface\n10.61.32.0      172.28.61.6     255.255.255.0   UG    20     0        0 line1\n10.61.16.0      0.0.0.0         255.255.255.0   U     0      0        0 hall0\n"},
	{"BIRD", "the BIRD daemon's tables, plain or with attributes",
		"Table master4:\n10.61.32.0/24        unicast [ospf1 09:12:31.001] * I (150/20) [10.61.254.3]\n\tvia 172.28.61.6 on line1\n"},
	{"flagged", "flag letters before the columns, or key=value pairs",
		"Flags: A - ACTIVE; c - CONNECT, s - STATIC\n#     DST-ADDRESS       GATEWAY        DISTANCE\n0  As 10.61.32.0/24     172.28.61.6           1\n"},
	{"YANG data", "RFC 8349, 8344 and 8343 as JSON or NETCONF XML; OpenConfig abstract forwarding tables",
		"{\"ietf-routing:routing\":{\"ribs\":{\"rib\":[{\"name\":\"ipv4-master\",\"routes\":{\"route\":[\n {\"destination-prefix\":\"10.61.16.0/24\",\"next-hop\":{\"outgoing-interface\":\"hall0\"},\n  \"source-protocol\":\"direct\",\"active\":[null]}]}}]}}}\n"},
	{"CSV", "comma-separated values with these names in the first line: zarvek help layouts",
		"destination-prefix,source-protocol,route-preference,metric,next-hop-address,outgoing-interface\n10.61.32.0/24,ospf,110,20,172.28.61.6,line1\n10.61.16.0/24,direct,,,,hall0\n"},
	{"own JSON", "what zarvek table -as json writes",
		"{\"device\":\"valley\",\"tables\":[{\"table\":\"default\",\"family\":\"ipv4\",\"best-preference\":\"lowest\",\"routes\":[\n{\"destination-prefix\":\"10.61.16.0/24\",\"source-protocol\":\"direct\",\"active\":true,\"installed\":true,\n \"next-hops\":[{\"outgoing-interface\":\"hall0\"}]}]}]}\n"},
	{"statements", "configured static routes and interface addresses, one statement a line",
		"interface hall0\n ip address 10.61.16.1/24\nip route 10.61.64.0/24 172.28.61.18 130\n"},
	{"liveness sessions", "BFD sessions (RFC 5880) as the open routing daemons list them",
		"SessionId  LocalAddress       PeerAddress      Status\n=========  ============       ===========      ======\n4          172.28.61.5        172.28.61.6      up\n"},
	{"protocol database", "the routing daemons' RIP and BGP tables: candidates only",
		"    Network          Next Hop            Metric LocPrf Weight Path\n *> 10.61.32.0/24    172.28.61.6             20             0 64998 i\n *                   172.28.61.10            30             0 64997 64998 i\n"},
	{"nftables JSON", "the kernel's packet filter (nft -j list ruleset): what it lets through, which addresses it translates",
		"{\"nftables\":[{\"chain\":{\"family\":\"ip\",\"table\":\"f\",\"name\":\"c\",\"type\":\"filter\",\n  \"hook\":\"forward\",\"prio\":0,\"policy\":\"drop\"}},\n {\"rule\":{\"family\":\"ip\",\"table\":\"f\",\"chain\":\"c\",\"expr\":[{\"accept\":null}]}}]}\n"},
	{"lists", "interfaces with addresses and state, and neighbours, under column names",
		"Interface        IP-Address      OK? Method Status   Protocol\nhall16           10.61.16.1      YES manual up       up\ncable0           172.28.61.5     YES manual down     down\n"},
	{"interface details", "a paragraph for each interface: state, addresses, link-layer address",
		"hall16 is up, line protocol is up\n  Hardware is Cable, address is 0200.6b6a.0016\n  Internet address is 10.61.16.1/24\n"},
	{"MRT table dump", "RFC 6396 TABLE_DUMP_V2, also compressed; candidates only", "(binary)\n\n\n"},
}
