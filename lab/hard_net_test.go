package lab

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"

	"github.com/stretchr/testify/require"
)

// A hardNet is a network of namespaces made from a seed that has what real kernels can do beside routes: unnumbered
// links, IPv4 by IPv6 next hops, next-hop objects, types of service, policy rules, source checks and forwarding by
// interface, filters in every hook, translations, hosts that filter, neighbours written by hand.
type hardNet struct {
	*bench
	rnd    *rand.Rand
	nodes  []*hardNode // routers, then hosts
	links  [][]*hardPort
	nextID int // of next-hop objects
	log    []string
}

type hardNode struct {
	name  string
	host  bool
	stub  [2]netip.Prefix // own address in a network of its own, by family
	ports []*hardPort
	more  []netip.Addr // further addresses that it answers for
}

// hardPort is an interface to other routers.
type hardPort struct {
	node  *hardNode
	name  string
	addr  [2]netip.Addr
	seg   []*hardPort
	style string // "", or how its other end is known on an unnumbered link
}

func newHardNet(b *bench, seed uint64) *hardNet {
	n := &hardNet{bench: b, rnd: rand.New(rand.NewPCG(seed, 1937))}
	b.box(switchBox)
	size := 4 + n.rnd.IntN(4)
	for i := range size {
		d := n.node(fmt.Sprintf("r%d", i))
		n.must(d.name, "echo 1 > /proc/sys/net/ipv4/ip_forward; echo 1 > /proc/sys/net/ipv6/conf/all/forwarding")
		d.stub = [2]netip.Prefix{
			netip.PrefixFrom(netip.AddrFrom4([4]byte{10, byte(61 + i), 0, 1}), oneOf(n.rnd, 16, 20, 24)),
			netip.PrefixFrom(netip.MustParseAddr(fmt.Sprintf("fd6b:%x::1", 0x100+i)), oneOf(n.rnd, 48, 56, 64)),
		}
	}
	routers := slices.Clone(n.nodes)
	for i := 1; i < size; i++ {
		n.connect(routers[n.rnd.IntN(i)], routers[i])
	}
	for range n.rnd.IntN(size) {
		if a, z := oneOf(n.rnd, routers...), oneOf(n.rnd, routers...); a != z {
			n.connect(a, z)
		}
	}
	if n.chance(50) {
		some := slices.Clone(routers)
		n.rnd.Shuffle(size, func(i, j int) { some[i], some[j] = some[j], some[i] })
		n.connect(some[:3]...)
	}
	for i, d := range routers {
		n.attach(d, i)
	}
	n.routes(routers)
	for _, d := range routers {
		n.settings(d)
	}
	for _, d := range n.nodes {
		n.filters(d)
	}
	n.rarer(routers)
	return n
}

func oneOf[T any](rnd *rand.Rand, from ...T) T { return from[rnd.IntN(len(from))] }

// chance is true in so many of a hundred cases.
func (n *hardNet) chance(percent int) bool { return n.rnd.IntN(100) < percent }

func (n *hardNet) router() *hardNode {
	for {
		if d := oneOf(n.rnd, n.nodes...); !d.host {
			return d
		}
	}
}

// script runs a shell script in a box, and keeps it for who has to find out why a seed fails.
func (n *hardNet) script(box, text string) error {
	out, err := n.shell(box, text)
	n.log = append(n.log, box+": "+text)
	if err != nil {
		n.log = append(n.log, "  refused: "+strings.TrimSpace(out))
	}
	return err
}

func (n *hardNet) must(box, text string) {
	n.t.Helper()
	require.NoError(n.t, n.script(box, text), "%s: %s", box, text)
}

// may is for what a kernel refuses in some networks, as a second route to the same.
func (n *hardNet) may(box, format string, args ...any) bool {
	return n.script(box, fmt.Sprintf(format, args...)) == nil
}

func (n *hardNet) node(name string) *hardNode {
	n.box(name)
	n.must(name, "for i in all default; do echo 0 > /proc/sys/net/ipv4/conf/$i/rp_filter; "+
		"echo 0 > /proc/sys/net/ipv6/conf/$i/accept_dad; done; echo 0 > /proc/sys/net/ipv4/icmp_ratelimit")
	d := &hardNode{name: name}
	n.nodes = append(n.nodes, d)
	return d
}

// cable makes a pair of interfaces.
func (n *hardNet) cable(a, aName, z, zName string) {
	n.run(a, fmt.Sprintf("ip link add %s type veth peer name %s netns %s", aName, zName, n.ns[z]))
}

// connect puts routers on a segment: two on a cable, with or without addresses on it, more on a bridge.
func (n *hardNet) connect(routers ...*hardNode) {
	k := len(n.links)
	style, bits := "cable", [2]int{29, 64}
	if len(routers) == 2 {
		style = oneOf(n.rnd, "cable", "cable", "cable", "cable", "bridge", "unnumbered", "second", "own bridge")
		bits = [2]int{oneOf(n.rnd, 30, 31, 29, 24), oneOf(n.rnd, 127, 126, 64)}
	} else {
		style = "bridge"
	}
	dev := fmt.Sprintf("e%d", k)
	if style == "bridge" {
		n.must(switchBox, fmt.Sprintf("ip link add br%d type bridge; ip link set br%d up", k, k))
		for i, d := range routers {
			n.cable(d.name, dev, switchBox, fmt.Sprintf("s%d-%d", k, i))
			n.must(switchBox, fmt.Sprintf("ip link set s%d-%d master br%d up", k, i, k))
		}
	} else {
		n.cable(routers[0].name, dev, routers[1].name, dev)
	}
	base := [2]netip.Addr{netip.AddrFrom4([4]byte{172, 28, byte(k), 1}),
		netip.MustParseAddr(fmt.Sprintf("fd6b:ffff:%x::1", k))}
	if bits[0] == 31 {
		base[0] = base[0].Prev()
	}
	if bits[1] == 127 {
		base[1] = base[1].Next()
	}
	var seg []*hardPort
	for i, d := range routers {
		p := &hardPort{node: d, name: dev, addr: base}
		if style == "own bridge" && i == 0 {
			p.name = fmt.Sprintf("bridge%d", k)
			n.must(d.name, fmt.Sprintf("ip link add %s type bridge; ip link set %s up; ip link set %s master %[1]s up", p.name,
				p.name, dev))
		}
		if style == "unnumbered" {
			p.addr[0] = d.stub[0].Addr()
			n.must(d.name, fmt.Sprintf("ip link set %s up; ip addr add %s/%d dev %s nodad", dev, base[1], bits[1], dev))
		} else {
			n.must(d.name, fmt.Sprintf("ip addr add %s/%d dev %s; ip addr add %s/%d dev %s nodad; ip link set %s up",
				base[0], bits[0], p.name, base[1], bits[1], p.name, p.name))
		}
		if style == "second" {
			n.must(d.name, fmt.Sprintf("ip addr add 192.168.%d.%d/30 dev %s", 100+k, i+1, dev))
		}
		base = [2]netip.Addr{base[0].Next(), base[1].Next()}
		seg, d.ports = append(seg, p), append(d.ports, p)
	}
	how := oneOf(n.rnd, "peer", "route", "onlink")
	for i, p := range seg {
		if p.seg = seg; style != "unnumbered" {
			continue
		}
		far := seg[1-i].addr[0]
		switch p.style = how; how {
		case "peer":
			n.must(p.node.name, fmt.Sprintf("ip addr add %s peer %s/32 dev %s", p.addr[0], far, dev))
		case "route":
			n.must(p.node.name, fmt.Sprintf("ip route add %s/32 dev %s", far, dev))
		}
	}
	n.links = append(n.links, seg)
}

// attach gives a router its network, in which up to two hosts are.
func (n *hardNet) attach(d *hardNode, i int) {
	hosts := oneOf(n.rnd, 0, 0, 1, 1, 2)
	if hosts == 0 {
		n.must(d.name, "ip link add lan0 type veth peer name lan1; ip link set lan1 up")
	} else {
		n.must(switchBox, fmt.Sprintf("ip link add hb%d type bridge; ip link set hb%d up", i, i))
		n.cable(d.name, "lan0", switchBox, fmt.Sprintf("hr%d", i))
		n.must(switchBox, fmt.Sprintf("ip link set hr%d master hb%d up", i, i))
	}
	const add = "ip addr add %s dev %s; ip addr add %s dev %[2]s nodad; ip link set %[2]s up"
	n.must(d.name, fmt.Sprintf(add, d.stub[0], "lan0", d.stub[1]))
	for j := range hosts {
		h := n.node(fmt.Sprintf("h%d%d", i, j))
		h.host = true
		port := fmt.Sprintf("hh%d%d", i, j)
		n.cable(h.name, "eth0", switchBox, port)
		n.must(switchBox, fmt.Sprintf("ip link set %s master hb%d up", port, i))
		for _, f := range families {
			raw := d.stub[f].Addr().AsSlice()
			raw[len(raw)-1] = byte(0x10 + j)
			a, _ := netip.AddrFromSlice(raw)
			h.stub[f] = netip.PrefixFrom(a, d.stub[f].Bits())
		}
		n.must(h.name, fmt.Sprintf(add, h.stub[0], "eth0", h.stub[1]))
		for _, f := range families {
			via := d.stub[f].Addr()
			if n.chance(8) {
				via = h.stub[f].Addr().Next().Next().Next() // nobody
			}
			if n.chance(93) {
				n.must(h.name, fmt.Sprintf("%s route add default via %s", ipOf(f), via))
			}
			if f == 0 && n.chance(4) { // it takes more for its own network than is
				n.may(h.name, "ip addr add %s dev eth0; ip addr del %s dev eth0", netip.PrefixFrom(h.stub[0].Addr(), 8), h.stub[0])
			}
		}
	}
}

// ipOf is the tool's command for a family.
func ipOf(f int) string { return []string{"ip -4", "ip -6"}[f] }

// hop is where a route may lead: out of a port, to another one.
type hop struct{ from, to *hardPort }

func (h hop) words(f int) string {
	onlink := ""
	if f == 0 && h.from.style == "onlink" {
		onlink = " onlink"
	}
	return fmt.Sprintf("via %s dev %s%s", h.to.addr[f], h.from.name, onlink)
}

func neighbours(d *hardNode) []hop {
	var out []hop
	for _, p := range d.ports {
		for _, q := range p.seg {
			if q.node != d {
				out = append(out, hop{p, q})
			}
		}
	}
	return out
}

// toward returns the next hops of the shortest ways to a router.
func toward(d, goal *hardNode) []hop {
	far := map[*hardNode]int{goal: 0}
	for queue := []*hardNode{goal}; len(queue) > 0; queue = queue[1:] {
		for _, h := range neighbours(queue[0]) {
			if _, known := far[h.to.node]; !known {
				far[h.to.node] = far[queue[0]] + 1
				queue = append(queue, h.to.node)
			}
		}
	}
	return slices.DeleteFunc(neighbours(d), func(h hop) bool { return far[h.to.node] != far[d]-1 })
}

// routes gives each router static routes to the networks of the others, some of them wrong.
func (n *hardNet) routes(routers []*hardNode) {
	all := [2]netip.Prefix{netip.MustParsePrefix("0.0.0.0/0"), netip.MustParsePrefix("::/0")}
	most := [2]netip.Prefix{netip.MustParsePrefix("10.0.0.0/8"), netip.MustParsePrefix("fd6b::/20")}
	for _, d := range routers {
		for _, g := range routers {
			for _, f := range families {
				if g == d {
					continue
				}
				n.route(d, g.stub[f].Masked(), f, toward(d, g), "")
				if n.chance(5) {
					n.route(d, netip.PrefixFrom(g.stub[f].Masked().Addr(), g.stub[f].Bits()+1+n.rnd.IntN(5)), f, neighbours(d), "")
				}
				if n.chance(3) {
					n.route(d, netip.PrefixFrom(g.stub[f].Addr(), g.stub[f].Addr().BitLen()), f, neighbours(d), "")
				}
			}
		}
		for _, f := range families {
			if n.chance(40) {
				n.route(d, all[f], f, neighbours(d), "")
			}
			if n.chance(10) {
				n.route(d, most[f], f, nil, "")
			}
		}
		for _, seg := range n.links {
			if n.chance(50) && seg[0].style == "" && len(toward(d, seg[0].node)) > 0 && seg[0].node != d {
				n.route(d, netip.PrefixFrom(seg[0].addr[0], 29).Masked(), 0, toward(d, seg[0].node), "")
			}
		}
	}
}

// route adds a route by one of some next hops; what else it says is in extra.
func (n *hardNet) route(d *hardNode, to netip.Prefix, f int, hops []hop, extra string) {
	add := fmt.Sprintf("%s route add ", ipOf(f))
	metric := ""
	if f == 1 || n.chance(30) {
		metric = fmt.Sprintf(" metric %d", oneOf(n.rnd, 300, 512, 700))
	}
	if n.chance(5) {
		return
	}
	if n.chance(3) || len(hops) == 0 {
		n.may(d.name, "%s%s %s%s%s", add, oneOf(n.rnd, "blackhole", "unreachable", "prohibit"), to, metric, extra)
		return
	}
	if n.chance(5) {
		hops = neighbours(d)
	}
	h, other := oneOf(n.rnd, hops...), oneOf(n.rnd, hops...)
	switch x := n.rnd.IntN(100); {
	case x < 8 && other.to != h.to:
		n.may(d.name, "%s%s%s nexthop %s nexthop %s%s", add, to, metric, h.words(f), other.words(f), extra)
	case x < 12 && f == 0 && h.from.style == "":
		n.may(d.name, "%s%s via inet6 %s dev %s%s%s", add, to, h.to.addr[1], h.from.name, metric, extra)
	case x < 20:
		n.nextID++
		if n.may(d.name, "ip nexthop add id %d %s", n.nextID, h.words(f)) {
			n.may(d.name, "%s%s nhid %d%s%s", add, to, n.nextID, metric, extra)
		}
	case x < 22:
		n.may(d.name, "%s%s dev %s%s%s", add, to, h.from.name, metric, extra)
	case x < 24 && f == 0:
		n.may(d.name, "%s%s %s tos 0x10%s%s", add, to, h.words(f), metric, extra)
	default:
		src := ""
		if n.chance(15) {
			src = " src " + d.stub[f].Addr().String()
		}
		n.may(d.name, "%s%s %s%s%s%s", add, to, h.words(f), src, metric, extra)
		if n.chance(10) {
			n.may(d.name, "%s%s %s metric %d%s", add, to, oneOf(n.rnd, neighbours(d)...).words(f), oneOf(n.rnd, 50, 900), extra)
		}
	}
}
