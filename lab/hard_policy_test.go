package lab

import (
	"fmt"
	"net/netip"
	"strings"
)

// settings puts what is out of the ordinary on a router: switches, source checks, interfaces down or without requests
// for link-layer addresses, neighbours by hand, policy rules.
func (n *hardNet) settings(d *hardNode) {
	some := func(percent int, format string, args ...any) {
		if n.chance(percent) {
			n.may(d.name, format, args...)
		}
	}
	some(6, "echo 0 > /proc/sys/net/ipv4/ip_forward")
	some(6, "echo 0 > /proc/sys/net/ipv6/conf/all/forwarding")
	for _, p := range d.ports {
		conf := "/proc/sys/net/ipv4/conf/" + p.name
		some(5, "echo 0 > %s/forwarding", conf)
		some(6, "echo %d > %s/rp_filter", oneOf(n.rnd, 1, 2), conf)
		some(3, "ip link set %s down", p.name)
		some(3, "echo 1 > %s/proxy_arp", conf)
		some(3, "echo %d > %s/arp_ignore", oneOf(n.rnd, 1, 2), conf)
		some(3, "ip link set %s arp off", p.name)
		some(3, "echo 1 > %s/ignore_routes_with_linkdown", conf)
	}
	some(4, "echo 1 > /proc/sys/net/ipv4/conf/all/rp_filter")
	some(5, "ip link set lan0 down")
	if h := oneOf(n.rnd, neighbours(d)...); n.chance(4) {
		n.may(d.name, "ip neigh replace %s lladdr 02:00:00:00:de:ad dev %s nud permanent", h.to.addr[0], h.from.name)
	}
	if n.chance(30) {
		n.policyRules(d)
	}
}

// policyRules gives a router rules that choose a table, and routes in those.
func (n *hardNet) policyRules(d *hardNode) {
	for i := range 1 + n.rnd.IntN(3) {
		f := oneOf(n.rnd, 0, 0, 1)
		table, ip := oneOf(n.rnd, 77, 78), ipOf(f)
		net, host := n.router().stub[f].Masked(), n.router().stub[f].Addr()
		port := oneOf(n.rnd, d.ports...).name
		asks := oneOf(n.rnd, fmt.Sprintf("from %s", net), fmt.Sprintf("to %s", net), "iif "+port, "iif lo",
			fmt.Sprintf("not from %s", net), "fwmark 1", "ipproto tcp", "dport 80 ipproto tcp", "dport 443",
			fmt.Sprintf("from %s to %s", host, net), "fwmark 0x10/0xf0",
			"iif lan0", fmt.Sprintf("ipproto udp to %s", net), "oif "+port, "tos 0x10", "sport 33000-40000")
		does := fmt.Sprintf("lookup %d", table)
		if n.chance(50) {
			does = oneOf(n.rnd, "lookup main suppress_prefixlength 0", "lookup main suppress_prefixlength 16", "blackhole",
				"unreachable", "prohibit", "goto 32766", "nop")
		}
		n.may(d.name, "%s rule add %s %s priority %d", ip, asks, does, 1000+10*i)
		if n.chance(50) {
			n.may(d.name, "%s route add default %s table %d", ip, oneOf(n.rnd, neighbours(d)...).words(f), table)
		}
		if n.chance(40) {
			n.route(d, n.router().stub[f].Masked(), f, neighbours(d), fmt.Sprintf(" table %d", table))
		}
		if n.chance(15) {
			n.may(d.name, "%s route add throw %s table %d", ip, n.router().stub[f].Masked(), table)
		}
	}
}

// filters gives some routers filters and translations, and some hosts filters.
func (n *hardNet) filters(d *hardNode) {
	switch {
	case d.host && n.chance(15):
		n.may(d.name, "nft -f - <<'X'\ntable inet own {\n chain in {\n  type filter hook input priority 0; policy drop;\n"+
			"  ct state established,related accept\n  iif lo accept\n"+
			"  icmpv6 type { nd-neighbor-solicit, nd-neighbor-advert } accept\n  %s\n }\n}\nX",
			oneOf(n.rnd, "tcp dport 22 accept", "icmp type echo-request accept",
				fmt.Sprintf("ip saddr %s accept", n.router().stub[0].Masked()),
				"meta l4proto { icmp, ipv6-icmp } accept", "tcp dport { 22, 80 } ct state new accept"))
	case d.host:
	case n.chance(22):
		n.ruleset(d)
	case n.chance(15):
		n.olderRules(d)
	}
	if !d.host && n.chance(20) {
		n.translate(d)
	}
}

// asked writes what a rule asks for, in the words of nftables; ifnames are the interfaces that it may name, as in or
// out.
func (n *hardNet) asked(d *hardNode, f int, ifname string) string {
	net, other, host := n.router().stub[f].Masked(), n.router().stub[f].Masked(), n.router().stub[f].Addr()
	ip, icmp := []string{"ip", "ip6"}[f], []string{"icmp", "icmpv6"}[f]
	dev := oneOf(n.rnd, append([]string{"lan0"}, portsOf(d)...)...)
	one := func() string {
		return oneOf(n.rnd,
			fmt.Sprintf("%s saddr %s", ip, net), fmt.Sprintf("%s daddr %s", ip, other), fmt.Sprintf("%s daddr != %s", ip, net),
			fmt.Sprintf("%s saddr { %s, %s }", ip, net.Masked(), other.Addr().Next().Next()), ifname+" "+dev,
			fmt.Sprintf("%s { %s, lo }", ifname, dev), "tcp dport 80", "tcp dport { 22, 443 }", "udp dport 53",
			ifname+" != "+dev, "tcp dport != 80", "meta l4proto "+[]string{"icmp", "ipv6-icmp"}[f], icmp+" type echo-request",
			"ct state new", "ct state established,related",
			"meta l4proto tcp", "th dport 5000", "tcp sport 1024-65535", "tcp flags syn", "meta mark 1", "ct status dnat",
			fmt.Sprintf("%s saddr . %s daddr { %s . %s }", ip, ip, host, other.Addr().Next()))
	}
	if n.chance(50) {
		return one()
	}
	return one() + " " + one()
}

func portsOf(d *hardNode) []string {
	var out []string
	for _, p := range d.ports {
		out = append(out, p.name)
	}
	return out
}

// ruleset gives a router chains of nftables in one or two hooks.
func (n *hardNet) ruleset(d *hardNode) {
	var t strings.Builder
	fmt.Fprintf(&t, "table inet guard {\n chain side {\n  %s %s\n }\n", n.asked(d, 0, "iifname"),
		oneOf(n.rnd, "accept", "drop", "return"))
	hooks := []string{oneOf(n.rnd, "forward", "forward", "input", "output"),
		oneOf(n.rnd, "prerouting", "postrouting", "input")}
	for i, hook := range hooks {
		if i > 0 && n.chance(50) {
			break
		}
		early := hook == "prerouting" || hook == "postrouting"
		policy := oneOf(n.rnd, "accept", "accept", "drop")
		if early {
			policy = "accept"
		}
		ifname := "iifname"
		if hook == "output" || hook == "postrouting" {
			ifname = "oifname"
		}
		fmt.Fprintf(&t, " chain c%d {\n  type filter hook %s priority %d; policy %s;\n", i, hook,
			oneOf(n.rnd, 0, -10, 10), policy)
		if policy == "drop" || n.chance(40) {
			if n.chance(80) {
				t.WriteString("  ct state established,related accept\n")
			}
			t.WriteString("  icmpv6 type { nd-neighbor-solicit, nd-neighbor-advert, nd-router-advert } accept\n")
		}
		for range 1 + n.rnd.IntN(5) {
			verb := oneOf(n.rnd, "accept", "accept", "drop", "counter accept", "counter drop", "log", "meta mark set 1",
				"return", "jump side")
			if ifname == "oifname" && verb == "jump side" || n.chance(10) && !early {
				verb = "reject"
			}
			if early && verb == "reject" {
				verb = "drop"
			}
			fmt.Fprintf(&t, "  %s %s\n", n.asked(d, oneOf(n.rnd, 0, 0, 1), ifname), verb)
		}
		t.WriteString(" }\n")
	}
	n.may(d.name, "nft -f - <<'X'\n%s}\nX", t.String())
}

// olderRules gives a router rules of iptables.
func (n *hardNet) olderRules(d *hardNode) {
	if n.chance(50) {
		n.may(d.name, "iptables -P FORWARD DROP; iptables -A FORWARD -m conntrack --ctstate ESTABLISHED,RELATED -j ACCEPT")
	}
	for range 1 + n.rnd.IntN(5) {
		net, port := n.router().stub[0].Masked(), oneOf(n.rnd, append([]string{"lan0"}, portsOf(d)...)...)
		chain := oneOf(n.rnd, "FORWARD", "FORWARD", "FORWARD", "INPUT", "OUTPUT")
		dev := "-i " + port
		if chain == "OUTPUT" || chain == "FORWARD" && n.chance(50) {
			dev = "-o " + port
		}
		asks := oneOf(n.rnd, fmt.Sprintf("-s %s", net), fmt.Sprintf("-d %s", net), dev, "-p tcp --dport 80", "-p icmp",
			"-p udp", "-p tcp -m multiport --dports 22,443", fmt.Sprintf("! -s %s", net), "-m conntrack --ctstate NEW",
			fmt.Sprintf("-p tcp -d %s", net),
			"-p icmp --icmp-type echo-request", "-m mark --mark 1", "-p tcp --syn")
		n.may(d.name, "iptables -A %s %s -j %s", chain, asks, oneOf(n.rnd, "ACCEPT", "DROP", "REJECT", "RETURN"))
	}
	if n.chance(30) {
		n.may(d.name, "iptables -t mangle -A PREROUTING %s -j MARK --set-mark 1",
			oneOf(n.rnd, "-p tcp", "-i lan0", "-s 10.0.0.0/8"))
	}
}

// translate gives a router one translation of addresses.
func (n *hardNet) translate(d *hardNode) {
	out := oneOf(n.rnd, d.ports...).name
	net, to := n.router().stub[0].Masked(), oneOf(n.rnd, n.nodes...).stub[0].Addr()
	own := d.stub[0]
	const source = "nft add table ip tr; nft add chain ip tr po '{ type nat hook postrouting priority 100; }'; " +
		"nft add rule ip tr po "
	const destination = "nft add table ip tr; nft add chain ip tr pr '{ type nat hook prerouting priority -100; }'; " +
		"nft add rule ip tr pr "
	n.may(d.name, "%s", oneOf(n.rnd,
		source+fmt.Sprintf("oifname %s masquerade", out),
		source+fmt.Sprintf("ip saddr %s ip daddr != %s masquerade", own.Masked(), net),
		source+fmt.Sprintf("ip saddr %s oifname %s snat to %s", net, out, own.Addr()),
		destination+fmt.Sprintf("ip daddr %s tcp dport %d dnat to %s", own.Addr(), oneOf(n.rnd, 80, 443), to),
		destination+fmt.Sprintf("ip daddr %s tcp dport 80 dnat to %s:22", own.Addr(), to),
		destination+fmt.Sprintf("iifname %s tcp dport 80 redirect to :22", out)))
}

// own lists the addresses of a node that others may ask for.
func (n *hardNet) own(d *hardNode) []netip.Addr {
	out := append([]netip.Addr{d.stub[0].Addr(), d.stub[1].Addr()}, d.more...)
	for _, p := range d.ports {
		out = append(out, p.addr[0], p.addr[1])
	}
	return out
}
