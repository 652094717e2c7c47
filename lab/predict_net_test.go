package lab

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"regexp"
	"slices"
	"strings"
	"time"

	"zarvek/internal/core/network"
	"zarvek/internal/core/rehearse"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// A speech is a way in which the routers of a predicted network speak with each other.
type speech struct {
	name    string
	family  route.Family
	daemons []string
	rest    time.Duration // how long no table must change before it counts as calm
	areas   bool          // OSPF in two areas
	segment bool          // some routers share a segment
	exits   int           // ways to routers of others, which nobody captures
	islands bool          // two halves that speak OSPF, joined by BGP
	// neighbours ask daemons for those they speak with, if the protocol has such: those that joined matches are joined.
	neighbours []string
	interfaces string // asks for those on which it runs, in some networks in place of configurations
	// port and stub configure an interface towards others and the one of the own network; router is the rest.
	port   func(n *spoken, p *port, cost, area int) string
	stub   func(area int) string
	router func(n *spoken, r *router, i int) string
	// outside lets a static route be announced, by the router of that number.
	outside func(i int) string
	// list is a protocol's own list, captured of every other network; "": none is
	list string
}

// joined matches a neighbour of which all is known.
var joined = regexp.MustCompile(`\s(Full/|2-Way/|Up +\d|\d\d:\d\d:\d\d +\d+ +\d)`)

// quick are the timers with which OSPF notices at once.
const quick = " ip ospf hello-interval 1\n ip ospf dead-interval 4\n"

func ospfPort(n *spoken, p *port, cost, area int) string {
	if n.between(p) {
		return ""
	}
	if n.leads(p) {
		return fmt.Sprintf("interface %s\n ip ospf passive\n ip ospf area 0\nexit\n", p.name)
	}
	kind := " ip ospf network point-to-point\n"
	if len(p.seg.ports) > 2 {
		kind = ""
	}
	return fmt.Sprintf("interface %s\n%s%s ip ospf cost %d\n ip ospf area %d\nexit\n", p.name, kind, quick, cost, area)
}

func ospfStub(area int) string {
	return fmt.Sprintf("interface stub0\n ip ospf passive\n ip ospf area %d\nexit\n", area)
}

func ospfRouter(_ *spoken, _ *router, i int) string {
	return fmt.Sprintf("router ospf\n ospf router-id 10.0.0.%d\nexit\n", i+1)
}

// speeches are what seeds take in turn.
var speeches = []speech{
	{name: "ospf", family: route.IPv4, daemons: []string{"ospfd"}, rest: 11 * time.Second,
		neighbours: []string{"show ip ospf neighbor"}, interfaces: "show ip ospf interface", port: ospfPort,
		stub: ospfStub, router: ospfRouter, outside: always("router ospf\n redistribute static\nexit\n")},
	{name: "ospf areas", family: route.IPv4, daemons: []string{"ospfd"}, rest: 11 * time.Second,
		neighbours: []string{"show ip ospf neighbor"}, interfaces: "show ip ospf interface", areas: true,
		port: ospfPort, stub: ospfStub, router: ospfRouter, outside: always("router ospf\n redistribute static\nexit\n")},
	{name: "isis", family: route.IPv4, daemons: []string{"isisd"}, rest: 11 * time.Second,
		neighbours: []string{"show isis neighbor"},
		port: func(_ *spoken, p *port, cost, _ int) string {
			kind := " isis network point-to-point\n"
			return fmt.Sprintf("interface %s\n ip router isis one\n%s isis hello-interval 1\n isis metric %d\nexit\n",
				p.name, kind, cost+1) // 10 is what nobody has to write, and no configuration shows
		},
		stub: func(int) string { return "interface stub0\n ip router isis one\n isis passive\nexit\n" },
		router: func(_ *spoken, _ *router, i int) string {
			return fmt.Sprintf("router isis one\n net 49.0001.0000.0000.%04d.00\n is-type level-2-only\n"+
				" metric-style wide\n lsp-gen-interval 1\n spf-interval 1\nexit\n", i+1)
		},
		outside: always("router isis one\n redistribute ipv4 static level-2\nexit\n")},
	{name: "rip", family: route.IPv4, daemons: []string{"ripd"}, rest: 31 * time.Second,
		port: silent,
		stub: func(int) string { return "" },
		router: func(*spoken, *router, int) string {
			return "router rip\n network 0.0.0.0/0\n passive-interface stub0\n timers basic 5 20 10\nexit\n"
		},
		outside: always("router rip\n redistribute static\nexit\n")},
	{name: "ospf6", family: route.IPv6, daemons: []string{"ospf6d"}, rest: 11 * time.Second,
		neighbours: []string{"show ipv6 ospf6 neighbor"}, interfaces: "show ipv6 ospf6 interface",
		port: func(_ *spoken, p *port, cost, area int) string {
			return fmt.Sprintf("interface %s\n ipv6 ospf6 area %d\n ipv6 ospf6 network point-to-point\n"+
				" ipv6 ospf6 hello-interval 1\n ipv6 ospf6 dead-interval 4\n ipv6 ospf6 cost %d\nexit\n", p.name, area, cost)
		},
		stub: func(area int) string {
			return fmt.Sprintf("interface stub0\n ipv6 ospf6 area %d\n ipv6 ospf6 passive\nexit\n", area)
		},
		router: func(_ *spoken, _ *router, i int) string {
			return fmt.Sprintf("router ospf6\n ospf6 router-id 10.0.0.%d\nexit\n", i+1)
		},
		outside: always("router ospf6\n redistribute static\nexit\n")},
	{name: "ospf segment", family: route.IPv4, daemons: []string{"ospfd"}, rest: 11 * time.Second,
		neighbours: []string{"show ip ospf neighbor"}, interfaces: "show ip ospf interface", segment: true,
		port: ospfPort, stub: ospfStub, router: ospfRouter, outside: always("router ospf\n redistribute static\nexit\n")},
	{name: "islands", family: route.IPv4, daemons: []string{"ospfd", "bgpd"}, rest: 11 * time.Second, islands: true,
		neighbours: []string{"show ip ospf neighbor", "show bgp ipv4 unicast summary"},
		port:       ospfPort, stub: ospfStub, router: islandRouter, outside: always("router ospf\n redistribute static\nexit\n")},
	{name: "ripng", family: route.IPv6, daemons: []string{"ripngd"}, rest: 31 * time.Second,
		port: func(_ *spoken, p *port, _, _ int) string {
			return "router ripng\n network " + p.name + "\nexit\n"
		},
		stub: func(int) string { return "router ripng\n network stub0\n passive-interface stub0\nexit\n" },
		router: func(*spoken, *router, int) string {
			return "router ripng\n timers basic 5 20 10\nexit\n"
		},
		outside: always("router ripng\n redistribute static\nexit\n")},
	{name: "bgp", family: route.IPv4, daemons: []string{"bgpd"}, rest: 8 * time.Second,
		neighbours: []string{"show bgp ipv4 unicast summary"}, port: silent, stub: func(int) string { return "" },
		router: bgpRouter, list: "show bgp ipv4 unicast",
		outside: func(i int) string {
			return fmt.Sprintf("router bgp %d\n address-family ipv4 unicast\n  redistribute static\n exit-address-family\nexit\n",
				64901+i)
		}},
	{name: "exits", family: route.IPv4, daemons: []string{"ospfd", "bgpd"}, rest: 11 * time.Second, exits: 2,
		neighbours: []string{"show ip ospf neighbor"}, port: ospfPort, stub: ospfStub, router: exitRouter, list: "show bgp ipv4 unicast",
		outside: always("router ospf\n redistribute static\nexit\n")},
}

// loopback is a router's address that no link has.
func loopback(i int) string { return fmt.Sprintf("10.60.255.%d", i+1) }

// exitRouter speaks OSPF within and BGP with all others, from loopback address to loopback address, and with a router of
// others where one is attached.
func exitRouter(n *spoken, r *router, i int) string {
	out := ospfRouter(n, r, i) + fmt.Sprintf("interface lo\n ip address %s/32\n ip ospf area 0\nexit\n", loopback(i)) +
		fmt.Sprintf("router bgp 64900\n bgp router-id 10.0.0.%d\n no bgp ebgp-requires-policy\n", i+1)
	self := ""
	for k := range n.routers {
		if k == i {
			continue
		}
		out += fmt.Sprintf(" neighbor %s remote-as 64900\n neighbor %[1]s update-source lo\n neighbor %[1]s timers 1 4\n"+
			" neighbor %[1]s timers connect 1\n neighbor %[1]s advertisement-interval 0\n", loopback(k))
		if n.self {
			self += fmt.Sprintf("  neighbor %s next-hop-self\n", loopback(k))
		}
	}
	for _, p := range r.ports {
		if n.leads(p) {
			out += fmt.Sprintf(" neighbor %s remote-as %d\n neighbor %[1]s timers 5 15\n neighbor %[1]s timers connect 1\n"+
				" neighbor %[1]s advertisement-interval 0\n", p.seg.ports[1].addr[0].Addr(),
				65100+slices.Index(n.others, p.seg.ports[1].router))
		}
	}
	return out + " address-family ipv4 unicast\n" + self + " exit-address-family\nexit\n"
}

// otherRouter announces what lies behind it, further away or nearer by the length of the path.
func otherRouter(n *spoken, r *router, k int) string {
	p := r.ports[0]
	out := fmt.Sprintf("hostname %s\nip route 10.90.0.0/16 blackhole\nip route 10.91.%d.0/24 blackhole\n"+
		"ip route 10.92.0.0/16 blackhole\nroute-map far permit 10\n set as-path prepend %[3]s\nexit\n", r.name, k,
		strings.TrimSpace(strings.Repeat("65200 ", 1+n.rnd.IntN(3))))
	return out + fmt.Sprintf("router bgp %d\n bgp router-id 10.9.0.%d\n no bgp ebgp-requires-policy\n neighbor %s remote-as 64900\n"+
		" neighbor %[3]s timers 5 15\n neighbor %[3]s timers connect 1\n neighbor %[3]s advertisement-interval 0\n"+
		" address-family ipv4 unicast\n  network 10.90.0.0/16 route-map far\n  network 10.91.%[4]d.0/24\n  network 10.92.0.0/16\n"+
		" exit-address-family\nexit\n", 65100+k, k+1, p.seg.ports[0].addr[0].Addr(), k)
}

// leads reports whether a port leads to a router of others.
func (n *spoken) leads(p *port) bool {
	return slices.Contains(n.others, p.seg.ports[len(p.seg.ports)-1].router)
}

// always is the same for every router.
func always(lines string) func(int) string { return func(int) string { return lines } }

// silent is a port of which a protocol's configuration says nothing.
func silent(*spoken, *port, int, int) string { return "" }

// bgpRouter is an autonomous system of its own that speaks with all others on its links.
func bgpRouter(n *spoken, r *router, i int) string {
	out := fmt.Sprintf("router bgp %d\n bgp router-id 10.0.0.%d\n no bgp ebgp-requires-policy\n", 64901+i, i+1)
	for _, p := range r.ports {
		for _, q := range p.seg.ports {
			if q != p {
				out += fmt.Sprintf(" neighbor %s remote-as %d\n neighbor %[1]s timers 5 15\n neighbor %[1]s timers connect 1\n"+
					" neighbor %[1]s advertisement-interval 0\n", q.addr[0].Addr(), 64901+slices.Index(n.routers, q.router))
			}
		}
	}
	return out + fmt.Sprintf(" address-family ipv4 unicast\n  network %s\n exit-address-family\nexit\n", r.stub[0].Masked())
}

// index is the index of the family in what is kept for each.
func (s *speech) index() int {
	if s.family == route.IPv6 {
		return 1
	}
	return 0
}

// islandRouter lets the routers at the ends of the two ways between the halves speak BGP there, each half its own
// number, and announce each protocol's routes by the other.
func islandRouter(n *spoken, r *router, i int) string {
	out := ospfRouter(n, r, i)
	own := 64901 + n.half(r)
	peers := ""
	for _, p := range r.ports {
		if !n.between(p) {
			continue
		}
		q := p.seg.ports[0]
		if q == p {
			q = p.seg.ports[1]
		}
		peers += fmt.Sprintf(" neighbor %s remote-as %d\n neighbor %[1]s timers 5 15\n neighbor %[1]s timers connect 1\n"+
			" neighbor %[1]s advertisement-interval 0\n", q.addr[0].Addr(), 64901+n.half(q.router))
	}
	if peers == "" {
		return out
	}
	return out + fmt.Sprintf("router bgp %d\n bgp router-id 10.0.0.%d\n no bgp ebgp-requires-policy\n%s"+
		" address-family ipv4 unicast\n  redistribute ospf\n  redistribute connected\n exit-address-family\nexit\n"+
		"router ospf\n redistribute bgp\nexit\n", own, i+1, peers)
}

// spoken is a network of routing daemons of which parts fail.
type spoken struct {
	noted bool // the captures come with a note that there is one area
	asks  bool // for the interfaces on which the protocol runs
	*randomNet
	speech  *speech
	others  []*router
	self    bool // next hops of others are hidden by the router that hears them
	lists   bool // the protocol's own list is captured
	moments int  // how often it was captured
	keeps   bool // the addresses of an interface that is down: a kernel drops those of IPv6, if nobody tells it otherwise
}

// half is 0 or 1: the part of the ring in which a router stands.
func (n *spoken) half(r *router) int {
	if slices.Index(n.routers, r) >= len(n.routers)/2 {
		return 1
	}
	return 0
}

// between reports whether a port is on a way between the islands.
func (n *spoken) between(p *port) bool {
	return n.speech.islands && n.half(p.seg.ports[0].router) != n.half(p.seg.ports[1].router)
}

// newSpoken builds a network: a ring with chords, costs of their own at both ends of each link, one area or several,
// networks from outside and static backups.
func newSpoken(b *bench, s *speech, seed uint64) *spoken {
	n := &spoken{randomNet: &randomNet{bench: b, rnd: rand.New(rand.NewPCG(seed, 7)),
		script: map[string]*strings.Builder{}}, speech: s, keeps: s.family == route.IPv4 || seed/uint64(len(speeches))%2 == 1}
	n.lists = s.list != "" && seed/uint64(len(speeches))%2 == 0
	b.box(switchBox)
	size := 4 + n.rnd.IntN(3)
	for i := range size {
		r := &router{name: fmt.Sprintf("r%d", i)}
		r.stub[0] = netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 61, byte(i * 8), 1}), 24)
		r.stub[1] = netip.MustParsePrefix(fmt.Sprintf("fd6b:%x::1/64", 0x100+i))
		b.box(r.name)
		n.run(r.name, "sysctl -q -w net.ipv6.conf.default.accept_dad=0 net.ipv6.conf.all.accept_dad=0")
		if n.keeps {
			n.run(r.name, "sysctl -q -w net.ipv6.conf.all.keep_addr_on_down=1")
		}
		n.do(r.name, "echo 1 > /proc/sys/net/ipv4/ip_forward; echo 1 > /proc/sys/net/ipv6/conf/all/forwarding")
		n.do(r.name, "ip link add stub0 type veth peer name stub1; ip link set stub1 up; ip addr add "+
			r.stub[s.index()].String()+" dev stub0"+nodad(r.stub[s.index()])+"; ip link set stub0 up")
		n.routers = append(n.routers, r)
	}
	for i := range size {
		n.cable(n.routers[i], n.routers[(i+1)%size])
	}
	for range n.rnd.IntN(3) {
		if x, y := n.pick(), n.pick(); x != y {
			n.cable(x, y)
		}
	}
	if s.segment {
		n.cable(n.routers[0], n.routers[1], n.routers[2+n.rnd.IntN(size-2)])
	}
	for k := range s.exits {
		x := &router{name: fmt.Sprintf("x%d", k)}
		b.box(x.name)
		n.others = append(n.others, x)
		n.cable(n.routers[k*size/s.exits], x)
		n.self = n.chance(50)
	}
	n.run2()
	area := func(k int) int { // the first half of the ring is the backbone
		if s.areas && k >= size/2 && k < size {
			return 1
		}
		return 0
	}
	for k, x := range n.others {
		b.daemons(x.name, otherRouter(n, x, k), "bgpd")
	}
	for i, r := range n.routers {
		config := "hostname " + r.name + "\n"
		for _, p := range r.ports {
			cost := []int{10, 10, 10, 1 + n.rnd.IntN(30)}[n.rnd.IntN(4)]
			config += s.port(n, p, cost, area(slices.Index(n.links, p.seg))) + n.addressed(p)
		}
		config += s.stub(area(i)) + s.router(n, r, i)
		b.daemons(r.name, config+n.statics(r, i), s.daemons...)
	}
	return n
}

// addressed has the address of a port in the configuration, where a kernel forgets it with the link: a device that is to
// have it after the next start has it there.
func (n *spoken) addressed(p *port) string {
	if n.keeps {
		return ""
	}
	return fmt.Sprintf("interface %s\n ipv6 address %s\nexit\n", p.name, p.addr[1])
}

// statics is a network from outside of the protocol, a static backup, or neither.
func (n *spoken) statics(r *router, i int) string {
	six := n.speech.family == route.IPv6
	outside := n.chance(40)
	switch {
	case outside && six:
		return fmt.Sprintf("ipv6 route fd6c:%x::/64 blackhole\n%s", i, n.speech.outside(i))
	case outside:
		return fmt.Sprintf("ip route 10.70.%d.0/24 blackhole\n%s", i, n.speech.outside(i))
	case n.chance(50) && !six:
		if goal := n.pick(); goal != r {
			return fmt.Sprintf("ip route %s %s 200\n", goal.stub[0].Masked(), r.neighbours()[0].addr[0].Addr())
		}
	}
	return ""
}

// cable joins two routers by a link for two, or more by a bridge.
func (n *spoken) cable(routers ...*router) {
	k := len(n.links)
	s := &segment{cable: len(routers) == 2}
	for i, r := range routers {
		p := &port{router: r, name: fmt.Sprintf("e%d", k), seg: s}
		bits, long := 30, 126
		if !s.cable {
			bits, long = 29, 64
		}
		p.addr[0] = netip.PrefixFrom(netip.AddrFrom4([4]byte{172, 28, byte(k), byte(1 + i)}), bits)
		p.addr[1] = netip.PrefixFrom(netip.MustParseAddr(fmt.Sprintf("fd6b:ffff:%x::%x", k, 1+i)), long)
		s.ports, r.ports = append(s.ports, p), append(r.ports, p)
	}
	n.links = append(n.links, s)
	if s.cable {
		n.run(s.ports[0].router.name, fmt.Sprintf("ip link add %s type veth peer name %s netns %s", s.ports[0].name,
			s.ports[1].name, n.ns[s.ports[1].router.name]))
	} else {
		bridge := fmt.Sprintf("br%d", k)
		n.do(switchBox, "ip link add "+bridge+" type bridge; ip link set "+bridge+" up")
		for i, p := range s.ports {
			side := fmt.Sprintf("s%d-%d", k, i)
			n.run(p.router.name, fmt.Sprintf("ip link add %s type veth peer name %s netns %s", p.name, side, n.ns[switchBox]))
			n.do(switchBox, "ip link set "+side+" master "+bridge+"; ip link set "+side+" up")
		}
	}
	a := n.speech.index()
	for _, p := range s.ports {
		n.do(p.router.name, fmt.Sprintf("ip addr add %s dev %s%s; ip link set %s up", p.addr[a], p.name, nodad(p.addr[a]),
			p.name))
	}
}

// table is a router's table in the family that is spoken.
func (n *spoken) table(r *router) string {
	if n.speech.family == route.IPv6 {
		return n.ask(r.name, "show ipv6 route")
	}
	return n.ask(r.name, "show ip route")
}

// A failing is what really fails: a device, or one interface of it. The way back of a device is not predicted.
type failing struct {
	router *router
	ports  []*port
	ifname string
}

func (f failing) String() string { return strings.TrimSuffix(f.router.name+":"+f.ifname, ":") }

// onPaper is what becomes of a network by the order that turns what fails, with what follows.
func (f failing) onPaper(t *topology.Topology, verb rehearse.Verb) (*network.Snapshot, error) {
	settled, err := rehearse.Predict(t, []rehearse.Step{{Orders: []rehearse.Order{{Verb: verb, Device: f.router.name,
		Interface: f.ifname}}}})
	if err != nil {
		return nil, err
	}
	return settled.Network, nil
}

// failure picks a link, an interface on a segment, or a device.
func (n *spoken) failure() failing {
	if n.chance(20) {
		r := n.pick()
		return failing{router: r, ports: r.ports}
	}
	s := n.links[n.rnd.IntN(len(n.links))]
	p := s.ports[n.rnd.IntN(len(s.ports))]
	if n.leads(p) {
		p = s.ports[0]
	}
	return failing{p.router, []*port{p}, p.name}
}

// allJoined reports whether all that may speak with each other do.
func (n *spoken) allJoined() bool {
	if len(n.speech.neighbours) == 0 {
		return true
	}
	want := 0
	for _, s := range n.links {
		if n.leads(s.ports[0]) {
			continue
		}
		up := 0
		for _, p := range s.ports {
			if !p.down {
				up++
			}
		}
		want += up * (up - 1)
	}
	got := 0
	for _, r := range n.routers {
		for _, ask := range n.speech.neighbours {
			got += len(joined.FindAllString(n.ask(r.name, ask), -1))
		}
	}
	return got == want
}

// turn takes what fails down, or brings it up again.
func (n *spoken) turn(f failing, state string) {
	for _, p := range f.ports {
		n.run(p.router.name, "ip link set "+p.name+" "+state)
		p.down = state == "down"
		// An interface that goes down loses its IPv6 addresses.
		if a := p.addr[1]; state == "up" && n.speech.family == route.IPv6 {
			n.run(p.router.name, "ip addr replace "+a.String()+" dev "+p.name+nodad(a))
		}
	}
}
