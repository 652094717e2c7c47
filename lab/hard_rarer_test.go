package lab

import (
	"fmt"
	"net/netip"
	"regexp"
	"slices"
	"strings"

	"github.com/stretchr/testify/require"
)

// rarer gives a network what is met more seldom: addresses of a loopback interface, some of them on two routers,
// networks of which every address is a router's own, next hops by link-local addresses, routes for some sources alone,
// next-hop objects with weights, a table of local addresses that is asked late, switches that change what is answered.
func (n *hardNet) rarer(routers []*hardNode) {
	for i, d := range routers {
		if n.chance(30) {
			n.toAll(routers, d, netip.AddrFrom4([4]byte{10, 99, byte(i), 1}), "addr add %s dev lo")
			n.toAll(routers, d, netip.MustParseAddr(fmt.Sprintf("fd6b:f00:%x::1", i)), "addr add %s dev lo")
		}
		if n.chance(6) {
			n.toAll(routers, d, netip.AddrFrom4([4]byte{10, 98, byte(i), 9}), "route add local %s dev lo")
		}
	}
	if n.chance(20) {
		both := netip.MustParseAddr("10.97.0.1")
		for range 2 {
			n.toAll(routers, oneOf(n.rnd, routers...), both, "addr add %s dev lo")
		}
	}
	for _, d := range routers {
		n.rarerRoutes(d)
		n.rarerSwitches(d)
		if n.chance(20) {
			n.rarerFilters(d)
		}
		if n.chance(8) {
			n.rarerTranslations(d)
		}
		if n.chance(15) {
			n.rarerOlderRules(d)
		}
	}
	n.secondHomes(routers)
}

// secondHomes gives some hosts a further interface in another router's network, as another host of it, with a default
// route by that router which is better or worse.
func (n *hardNet) secondHomes(routers []*hardNode) {
	for i, h := range n.nodes {
		d := oneOf(n.rnd, routers...)
		bridge := fmt.Sprintf("hb%d", slices.Index(routers, d))
		if !h.host || !n.chance(20) || !n.may(switchBox, "ip link show %s", bridge) {
			continue
		}
		port := fmt.Sprintf("hz%d", i)
		n.cable(h.name, "eth1", switchBox, port)
		n.must(switchBox, fmt.Sprintf("ip link set %s master %s up", port, bridge))
		for _, f := range families {
			raw := d.stub[f].Addr().AsSlice()
			raw[len(raw)-1] = byte(0x80 + i)
			a, _ := netip.AddrFromSlice(raw)
			n.may(h.name, "ip addr add %s dev eth1%s", netip.PrefixFrom(a, d.stub[f].Bits()), []string{"", " nodad"}[f])
			h.more = append(h.more, a)
		}
		n.may(h.name, "ip link set eth1 up")
		for _, f := range families {
			n.may(h.name, "%s route add default via %s metric %d", ipOf(f), d.stub[f].Addr(), oneOf(n.rnd, 10, 2000))
		}
	}
}

// rarerOlderRules gives a router rules of iptables for both families: chains of its own, ranges, kinds of addresses,
// translations, packets that belong to no flow.
func (n *hardNet) rarerOlderRules(d *hardNode) {
	f := oneOf(n.rnd, 0, 0, 1)
	tool, icmp := []string{"iptables", "ip6tables"}[f], []string{"icmp", "icmpv6"}[f]
	net, host, to := n.router().stub[f].Masked(), n.router().stub[f].Addr(), oneOf(n.rnd, n.nodes...).stub[f].Addr()
	dev := oneOf(n.rnd, append([]string{"lan0"}, portsOf(d)...)...)
	n.may(d.name, "%s -N SIDE; %[1]s -A SIDE -p tcp --dport 80 -j %s", tool, oneOf(n.rnd, "DROP", "RETURN", "ACCEPT"))
	if f == 1 {
		n.may(d.name, "ip6tables -A INPUT -p icmpv6 --icmpv6-type 135 -j ACCEPT; ip6tables -A INPUT -p icmpv6 --icmpv6-type 136 -j ACCEPT")
	}
	for range 1 + n.rnd.IntN(4) {
		chain := oneOf(n.rnd, "FORWARD", "FORWARD", "INPUT", "OUTPUT")
		asks := oneOf(n.rnd, fmt.Sprintf("-m iprange --src-range %s-%s", net.Addr().Next(), net.Addr().Next().Next()),
			"-m addrtype --dst-type LOCAL", "-m addrtype ! --dst-type LOCAL", "-p tcp -m multiport ! --dports 22,80",
			"-m limit --limit 1000/s", "-m comment --comment hall", fmt.Sprintf("! -d %s", net), fmt.Sprintf("-s %s -d %s", host, net),
			"-p "+icmp, "-m conntrack ! --ctstate NEW", "-m conntrack --ctstate INVALID", "-p udp --sport 1024:65535",
			"-p tcp --tcp-flags SYN,ACK SYN", "-m mark ! --mark 0x1/0x1")
		verb := oneOf(n.rnd, "-j ACCEPT", "-j DROP", "-j REJECT", "-j SIDE", "-g SIDE", "-j RETURN", "")
		n.may(d.name, "%s -A %s %s %s", tool, chain, asks, verb)
	}
	switch out := oneOf(n.rnd, d.ports...).name; n.rnd.IntN(8) {
	case 0:
		n.may(d.name, "%s -t nat -A POSTROUTING -o %s -j MASQUERADE", tool, out)
	case 1:
		n.may(d.name, "%s -t nat -A PREROUTING -i %s -p tcp --dport 80 -j DNAT --to-destination %s", tool, dev, to)
	case 2:
		n.may(d.name, "%s -t nat -A OUTPUT -d %s -j DNAT --to-destination %s", tool, host, to)
	case 3:
		n.may(d.name, "%s -t nat -A PREROUTING -m addrtype --dst-type LOCAL -p tcp --dport 443 -j DNAT --to-destination %s", tool, to)
	case 4:
		n.may(d.name, "%s -t raw -A PREROUTING %s -j NOTRACK", tool, oneOf(n.rnd, "-p udp", "-s "+net.String(), "-i "+dev))
	case 5:
		n.may(d.name, "iptables -t nat -A POSTROUTING -s %s -j NETMAP --to 10.200.0.0/%d", n.router().stub[0].Masked(), 24)
	}
}

// localNetworks are those of routes of type local: their addresses are no interface's.
var localNetworks = netip.MustParsePrefix("10.98.0.0/16")

// toAll gives a router an address, and most of the others a route to it.
func (n *hardNet) toAll(routers []*hardNode, d *hardNode, a netip.Addr, how string) {
	f := 0
	if a.Is6() {
		f = 1
	}
	p := netip.PrefixFrom(a, a.BitLen())
	n.may(d.name, "%s "+how, ipOf(f), p)
	d.more = append(d.more, a)
	for _, g := range routers {
		if hops := toward(g, d); g != d && n.chance(85) {
			n.route(g, p, f, hops, "")
		}
	}
}

var linkLocal = regexp.MustCompile(`fe80::[0-9a-f:]+`)

// linkLocalOf is the address that a port's kernel made for its link.
func (n *hardNet) linkLocalOf(p *hardPort) string {
	out, err := n.shell(p.node.name, "ip -6 -br addr show dev "+p.name+" scope link")
	require.NoError(n.t, err)
	return linkLocal.FindString(out)
}

func (n *hardNet) rarerRoutes(d *hardNode) {
	for range n.rnd.IntN(4) {
		g := n.router()
		hops := toward(d, g)
		if g == d || len(hops) == 0 {
			continue
		}
		h, to := oneOf(n.rnd, hops...), g.stub[1].Masked()
		switch oneOf(n.rnd, 0, 0, 0, 1, 2, 3) {
		case 0:
			if far := n.linkLocalOf(h.to); far != "" {
				n.may(d.name, "ip -6 route add %s via %s dev %s metric 90", to, far, h.from.name)
			}
		case 1:
			n.may(d.name, "ip -6 route add %s from %s %s metric 80", to, n.router().stub[1].Masked(),
				oneOf(n.rnd, neighbours(d)...).words(1))
		case 2:
			other := oneOf(n.rnd, hops...)
			n.nextID += 3
			n.may(d.name, "ip nexthop add id %d %s; ip nexthop add id %d %s; ip nexthop add id %d group %d,%d/%d,5; "+
				"ip route replace %s nhid %d", n.nextID, h.words(0), n.nextID+1, other.words(0), n.nextID+2, n.nextID,
				1+n.rnd.IntN(9), n.nextID+1, g.stub[0].Masked(), n.nextID+2)
		case 3:
			n.nextID++
			n.may(d.name, "ip nexthop add id %d blackhole; ip route replace %s nhid %d", n.nextID,
				netip.PrefixFrom(g.stub[0].Addr(), g.stub[0].Bits()+2).Masked(), n.nextID)
		}
	}
	if n.chance(5) {
		f := n.rnd.IntN(2)
		n.may(d.name, "%s rule add lookup local priority 2000 && %[1]s rule del priority 0", ipOf(f))
	}
	if n.chance(4) {
		n.may(d.name, "ip rule add uidrange %d-%d lookup 77 priority 900", 0, oneOf(n.rnd, 0, 1000))
		n.may(d.name, "ip route add default %s table 77", oneOf(n.rnd, neighbours(d)...).words(0))
	}
	if n.chance(4) {
		n.may(d.name, "ip route add default %s table default", oneOf(n.rnd, neighbours(d)...).words(0))
	}
}

// rarerSwitches sets what decides whether a kernel answers, beside its filters.
func (n *hardNet) rarerSwitches(d *hardNode) {
	some := func(percent int, format string, args ...any) {
		if n.chance(percent) {
			n.may(d.name, format, args...)
		}
	}
	some(4, "echo 1 > /proc/sys/net/ipv4/icmp_echo_ignore_all")
	some(4, "echo 1 > /proc/sys/net/ipv6/icmp/echo_ignore_all")
	for _, p := range d.ports {
		some(4, "echo 1 > /proc/sys/net/ipv4/conf/%s/arp_filter", p.name)
		some(4, "echo 1 > /proc/sys/net/ipv4/conf/%s/accept_local", p.name)
		some(2, "echo 1 > /proc/sys/net/ipv6/conf/%s/disable_ipv6", p.name)
		some(3, "ip addr add 10.96.%d.%d/24 dev %s", len(p.name), 1+n.rnd.IntN(200), p.name)
	}
}

// rarerFilters gives a router a table of nftables in one family, with sets, maps of verdicts, limits and lookups.
func (n *hardNet) rarerFilters(d *hardNode) {
	f := oneOf(n.rnd, 0, 0, 1)
	ip, kind, icmp := []string{"ip", "ip6"}[f], []string{"ipv4_addr", "ipv6_addr"}[f], []string{"icmp", "icmpv6"}[f]
	net, other := n.router().stub[f].Masked(), n.router().stub[f]
	hook := oneOf(n.rnd, "forward", "forward", "input", "output", "prerouting")
	dev := oneOf(n.rnd, append([]string{"lan0"}, portsOf(d)...)...)
	ifname := "iifname"
	if hook == "output" {
		ifname = "oifname"
	}
	var t strings.Builder
	fmt.Fprintf(&t, "table %s rare {\n set some {\n  type %s; flags interval; auto-merge\n  elements = { %s, %s }\n }\n", ip, kind,
		net, other.Addr().Next())
	fmt.Fprintf(&t, " map verdicts {\n  type %s : verdict\n  elements = { %s : drop, %s : accept }\n }\n", kind, other.Addr(),
		other.Addr().Next().Next())
	fmt.Fprintf(&t, " chain aside {\n  tcp dport vmap { 22 : accept, 80 : drop }\n  %s type echo-request accept\n }\n", icmp)
	priority := oneOf(n.rnd, "0", "-5", "filter", "filter + 10")
	if hook == "prerouting" {
		priority = oneOf(n.rnd, "-300", "-150", "-50", "0")
	}
	fmt.Fprintf(&t, " chain main {\n  type filter hook %s priority %s; policy accept;\n", hook, priority)
	if f == 1 {
		t.WriteString("  icmpv6 type { nd-neighbor-solicit, nd-neighbor-advert } accept\n")
	}
	for range 1 + n.rnd.IntN(4) {
		t.WriteString("  " + oneOf(n.rnd,
			ip+" saddr @some accept", ip+" daddr @some drop", ip+" saddr != @some drop", ip+" daddr vmap @verdicts",
			"goto aside", "jump aside", "tcp dport vmap { 22-53 : drop, 443 : jump aside }",
			"limit rate 1000/second accept", "limit rate over 1000/second drop",
			fmt.Sprintf("%s vmap { %s : jump aside, lo : accept }", ifname, dev),
			"fib saddr . iif oif missing drop", "fib daddr type local accept", "ct direction reply accept",
			"meta nfproto ipv4 drop", fmt.Sprintf("%s daddr . tcp dport { %s . 80, %s . 22 } drop", ip, other.Addr(), net.Addr().Next()),
			fmt.Sprintf("%s saddr %s-%s drop", ip, net.Addr().Next(), net.Addr().Next().Next().Next()),
			"ct state invalid drop", "ct state { new, untracked } accept", "notrack", "ct mark 0x1 drop", "meta length > 20000 drop",
			"meta l4proto { tcp, udp } th dport { 53, 80 } drop", ifname+` "e*" drop`, ifname+" "+dev+" return", ifname+" "+dev+" goto aside", ifname+" != "+dev+" drop",
			"tcp flags & (syn|ack) == syn drop",
			ip+" daddr != "+net.String()+" return", "meta pkttype broadcast drop", "counter", "ct mark set 7") + "\n")
	}
	t.WriteString(" }\n}\n")
	n.may(d.name, "nft -f - <<'X'\n%sX", t.String())
}

func (n *hardNet) rarerTranslations(d *hardNode) {
	out := oneOf(n.rnd, d.ports...).name
	own, to := d.stub[0].Addr(), oneOf(n.rnd, n.nodes...).stub[0].Addr()
	own6, net6 := d.stub[1].Addr(), n.router().stub[1].Masked()
	chain := func(family, name, hook string, priority int, rule string) string {
		return fmt.Sprintf("nft add table %s rtr; nft add chain %[1]s rtr %s '{ type nat hook %s priority %d; }'; "+
			"nft 'add rule %[1]s rtr %[2]s %[5]s'", family, name, hook, priority, rule)
	}
	n.may(d.name, "%s", oneOf(n.rnd,
		chain("ip6", "po", "postrouting", 100, "oifname "+out+" masquerade"),
		chain("ip6", "po", "postrouting", 100, fmt.Sprintf("ip6 saddr %s snat to %s", net6, own6)),
		chain("ip", "po", "postrouting", 100, fmt.Sprintf("oifname %s snat to %s-%s", out, own, own.Next())),
		chain("ip", "pr", "prerouting", -100, fmt.Sprintf("dnat to tcp dport map { 80 : %s, 443 : %s }", to, own)),
		chain("ip", "pr", "prerouting", -100, fmt.Sprintf("iifname %s ip daddr %s dnat to %s", out, own, to)),
		chain("ip", "ou", "output", -100, fmt.Sprintf("ip daddr %s dnat to %s", to, own.Next())),
		chain("ip", "po", "postrouting", 100, fmt.Sprintf("ip saddr %s meta l4proto tcp masquerade to :40000-50000", d.stub[0].Masked()))))
}
