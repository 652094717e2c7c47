package lab

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"os/exec"
	"slices"
	"strings"
	"sync"

	"github.com/stretchr/testify/require"
)

// A randomNet is a network of namespaces made from a seed: a connected graph of routers with correct and wrong static
// routes in both families.
type randomNet struct {
	*bench
	rnd     *rand.Rand
	routers []*router
	links   []*segment
	script  map[string]*strings.Builder // configuration to be run in each namespace
}

type router struct {
	name   string
	ports  []*port
	stub   [2]netip.Prefix // the own address in a network of its own, with that network's length, for each family
	off    [2]bool         // does not forward the family
	strict bool            // checks IPv4 sources strictly
}

// A port is one interface of a router on a segment.
type port struct {
	router *router
	name   string
	seg    *segment
	addr   [2]netip.Prefix
	down   bool
}

// A segment is a cable between two routers or a bridge between more.
type segment struct {
	ports []*port
	cable bool
}

const switchBox = "switch"

// families are the two indexes of everything that is kept for each family.
var families = []int{0, 1}

// newRandomNet builds the network of a seed.
func newRandomNet(b *bench, seed uint64) *randomNet {
	n := &randomNet{bench: b, rnd: rand.New(rand.NewPCG(seed, 2026)), script: map[string]*strings.Builder{}}
	b.box(switchBox)
	size := 5 + n.rnd.IntN(8)
	for i := range size {
		r := &router{name: fmt.Sprintf("r%d", i)}
		b.box(r.name)
		n.run(
			r.name,
			"sysctl -q -w net.ipv6.conf.default.accept_dad=0 net.ipv6.conf.all.accept_dad=0",
		) // link-local addresses are good at once
		n.do(r.name, "echo 1 > /proc/sys/net/ipv4/ip_forward; echo 1 > /proc/sys/net/ipv6/conf/all/forwarding")
		n.do(
			r.name,
			"echo 0 > /proc/sys/net/ipv4/conf/all/rp_filter; echo 0 > /proc/sys/net/ipv4/conf/default/rp_filter",
		)
		r.stub = [2]netip.Prefix{
			netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 61, byte(i * 8), 1}), 22+n.rnd.IntN(4)),
			netip.MustParsePrefix(fmt.Sprintf("fd6b:%x::1/%d", 0x100+i, []int{48, 56, 64}[n.rnd.IntN(3)])),
		}
		n.routers = append(n.routers, r)
	}
	for i := 1; i < size; i++ { // a tree keeps it connected
		n.connect(n.routers[n.rnd.IntN(i)], n.routers[i])
	}
	for range n.rnd.IntN(size) {
		a, z := n.pick(), n.pick()
		if a != z {
			n.connect(a, z)
		}
	}
	if n.rnd.IntN(2) == 0 {
		some := slices.Clone(n.routers)
		n.rnd.Shuffle(len(some), func(i, j int) { some[i], some[j] = some[j], some[i] })
		n.connect(some[:3+n.rnd.IntN(2)]...)
	}
	for _, r := range n.routers {
		// The own network hangs on a cable whose other end is up in the same namespace: a host could be there.
		n.do(r.name, "ip link add stub0 type veth peer name stub1; ip link set stub1 up")
		for _, f := range families {
			n.do(r.name, "ip addr add "+r.stub[f].String()+" dev stub0"+nodad(r.stub[f]))
		}
		n.do(r.name, "ip link set stub0 up")
	}
	n.run2()
	n.routes()
	n.breakThings()
	n.run2()
	return n
}

func nodad(p netip.Prefix) string {
	if p.Addr().Is6() {
		return " nodad"
	}
	return ""
}

func (n *randomNet) pick() *router { return n.routers[n.rnd.IntN(len(n.routers))] }

// chance is true with a probability of percent in a hundred.
func (n *randomNet) chance(percent int) bool { return n.rnd.IntN(100) < percent }

// do adds a line to what will be run in a namespace.
func (n *randomNet) do(box, line string) {
	if n.script[box] == nil {
		n.script[box] = &strings.Builder{}
	}
	n.script[box].WriteString(line + "\n")
}

// run2 runs the collected lines, the namespaces side by side.
func (n *randomNet) run2() {
	n.t.Helper()
	var wg sync.WaitGroup
	for box, s := range n.script {
		text := s.String()
		wg.Go(func() {
			cmd := exec.Command("ip", "netns", "exec", n.ns[box], "sh", "-e")
			cmd.Stdin = strings.NewReader(text)
			if out, err := cmd.CombinedOutput(); err != nil {
				n.t.Errorf("%s: %v: %s\n%s", box, err, out, text)
			}
		})
	}
	wg.Wait()
	n.script = map[string]*strings.Builder{}
	require.False(n.t, n.t.Failed(), "the network could not be set up")
}

// connect puts routers on a new segment.
func (n *randomNet) connect(routers ...*router) {
	k := len(n.links)
	s := &segment{cable: len(routers) == 2 && n.chance(70)}
	bits4, bits6 := 29, 64
	if len(routers) == 2 {
		bits4 = []int{30, 31, 29}[n.rnd.IntN(3)]
		bits6 = []int{127, 126, 64}[n.rnd.IntN(3)]
	}
	first, first6 := 1, 1
	if bits4 == 31 {
		first = 0
	}
	if bits6 == 127 {
		first6 = 2 // RFC 6164: 2 and 3 share a /127, 1 and 2 do not
	}
	for i, r := range routers {
		p := &port{router: r, name: fmt.Sprintf("e%d", k), seg: s}
		p.addr = [2]netip.Prefix{
			netip.PrefixFrom(netip.AddrFrom4([4]byte{172, 28, byte(k), byte(first + i)}), bits4),
			netip.PrefixFrom(netip.MustParseAddr(fmt.Sprintf("fd6b:ffff:%x::%x", k, first6+i)), bits6),
		}
		s.ports = append(s.ports, p)
		r.ports = append(r.ports, p)
	}
	n.links = append(n.links, s)
	if s.cable {
		a, z := s.ports[0], s.ports[1]
		n.run(
			a.router.name,
			fmt.Sprintf("ip link add %s type veth peer name %s netns %s", a.name, z.name, n.ns[z.router.name]),
		)
	} else {
		bridge := fmt.Sprintf("br%d", k)
		n.do(switchBox, "ip link add "+bridge+" type bridge; ip link set "+bridge+" up")
		for i, p := range s.ports {
			side := fmt.Sprintf("s%d-%d", k, i)
			n.run(p.router.name, fmt.Sprintf("ip link add %s type veth peer name %s netns %s", p.name, side, n.ns[switchBox]))
			n.do(switchBox, "ip link set "+side+" master "+bridge+"; ip link set "+side+" up")
		}
	}
	for _, p := range s.ports {
		for _, f := range families {
			n.do(p.router.name, "ip addr add "+p.addr[f].String()+" dev "+p.name+nodad(p.addr[f]))
		}
		n.do(p.router.name, "ip link set "+p.name+" up")
	}
}

// neighbours returns the ports at the other ends of a router's segments.
func (r *router) neighbours() []*port {
	var out []*port
	for _, p := range r.ports {
		for _, q := range p.seg.ports {
			if q.router != r {
				out = append(out, q)
			}
		}
	}
	return out
}

// toward returns the neighbours of r that are one step nearer to goal.
func (n *randomNet) toward(r, goal *router) []*port {
	dist := map[*router]int{goal: 0}
	queue := []*router{goal}
	for len(queue) > 0 {
		x := queue[0]
		queue = queue[1:]
		for _, p := range x.neighbours() {
			if _, seen := dist[p.router]; !seen {
				dist[p.router] = dist[x] + 1
				queue = append(queue, p.router)
			}
		}
	}
	var out []*port
	for _, p := range r.neighbours() {
		if dist[p.router] == dist[r]-1 {
			out = append(out, p)
		}
	}
	return out
}

// routes gives every router a route to every other one's network: mostly right, sometimes wrong, sometimes none.
func (n *randomNet) routes() {
	for _, r := range n.routers {
		for _, goal := range n.routers {
			if goal == r {
				continue
			}
			for _, f := range families {
				n.route(r, goal.stub[f].Masked(), f, n.toward(r, goal))
				if n.chance(8) { // a longer prefix with a mind of its own
					n.route(
						r,
						netip.PrefixFrom(goal.stub[f].Addr(), goal.stub[f].Bits()+1+n.rnd.IntN(6)).Masked(),
						f,
						r.neighbours(),
					)
				}
			}
		}
		for _, f := range families {
			if n.chance(25) {
				n.route(
					r,
					[]netip.Prefix{netip.MustParsePrefix("0.0.0.0/0"), netip.MustParsePrefix("::/0")}[f],
					f,
					r.neighbours(),
				)
			}
			if n.chance(15) { // a summary
				n.route(
					r,
					[]netip.Prefix{netip.MustParsePrefix("10.61.0.0/16"), netip.MustParsePrefix("fd6b::/20")}[f],
					f,
					nil,
				)
			}
		}
	}
}

// ip is the command for a family.
func ip(f int) string { return []string{"ip", "ip -6"}[f] }

// route adds one route to one of the next hops given, unless chance wants it otherwise.
func (n *randomNet) route(r *router, p netip.Prefix, f int, hops []*port) {
	metric := ""
	if f == 1 {
		metric = " metric 512" // apart from what the kernel adds by itself
	}
	begin := ip(f) + " route replace "
	switch {
	case n.chance(6):
		return
	case n.chance(4) || len(hops) == 0:
		n.do(r.name, begin+[]string{"blackhole ", "unreachable ", "prohibit "}[n.rnd.IntN(3)]+p.String()+metric)
		return
	case n.chance(6):
		hops = r.neighbours()
	}
	h := hops[n.rnd.IntN(len(hops))]
	if n.chance(10) {
		if other := hops[n.rnd.IntN(len(hops))]; other != h {
			n.do(
				r.name,
				fmt.Sprintf(
					"%s%s%s nexthop via %s dev %s nexthop via %s dev %s",
					begin,
					p,
					metric,
					h.addr[f].Addr(),
					port2(r, h),
					other.addr[f].Addr(),
					port2(r, other),
				),
			)
			return
		}
	}
	via := h.addr[f].Addr()
	if n.chance(2) && !pointToPoint(h.addr[f]) { // an address that nobody has
		via = []netip.Addr{netip.AddrFrom4([4]byte{172, 28, h.addr[0].Addr().As4()[2], 6}), netip.MustParseAddr(strings.Replace(h.addr[1].Masked().Addr().String(), "::", "::ee", 1))}[f]
	}
	n.do(r.name, fmt.Sprintf("%s%s via %s dev %s%s", begin, p, via, port2(r, h), metric))
}

func pointToPoint(p netip.Prefix) bool { return p.Addr().BitLen()-p.Bits() <= 2 }

// port2 names r's own interface to a neighbour's port.
func port2(r *router, h *port) string {
	for _, p := range r.ports {
		if p.seg == h.seg {
			return p.name
		}
	}
	return ""
}

// breakThings switches forwarding off, takes interfaces down, adds policy rules and source checks.
func (n *randomNet) breakThings() {
	for _, r := range n.routers {
		if n.chance(6) {
			r.off[0] = true
			n.do(r.name, "echo 0 > /proc/sys/net/ipv4/ip_forward")
		}
		if n.chance(6) {
			r.off[1] = true
			n.do(r.name, "echo 0 > /proc/sys/net/ipv6/conf/all/forwarding")
		}
		if n.chance(10) {
			r.strict = true
			n.do(r.name, "for i in /proc/sys/net/ipv4/conf/*/rp_filter; do echo 1 > $i; done")
		}
		if n.chance(15) {
			n.rules(r)
		}
	}
	if n.chance(50) {
		s := n.links[n.rnd.IntN(len(n.links))]
		p := s.ports[n.rnd.IntN(len(s.ports))]
		p.down = true
		n.do(p.router.name, "ip link set "+p.name+" down")
	}
}

// rules sends some packets of a router to a table of their own.
func (n *randomNet) rules(r *router) {
	hops := r.neighbours()
	h := hops[n.rnd.IntN(len(hops))]
	for _, f := range families {
		from := n.pick().stub[f].Masked().String()
		match := []string{"from " + from, "to " + from, "iif " + r.ports[n.rnd.IntN(len(r.ports))].name}[n.rnd.IntN(3)]
		n.do(r.name, fmt.Sprintf("%s rule add %s lookup 77 priority 1000", ip(f), match))
		switch {
		case n.chance(60):
			n.do(
				r.name,
				fmt.Sprintf("%s route add default via %s dev %s table 77", ip(f), h.addr[f].Addr(), port2(r, h)),
			)
		case n.chance(50):
			n.do(
				r.name,
				fmt.Sprintf(
					"%s route add %s via %s dev %s table 77",
					ip(f),
					n.pick().stub[f].Masked(),
					h.addr[f].Addr(),
					port2(r, h),
				),
			)
		default:
			n.do(r.name, fmt.Sprintf("%s route add throw default table 77", ip(f)))
		}
	}
}
