package lab

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// sources are the boxes that announce prefixes to the hub, each by one protocol. The hub's interface to a box has the
// box's name.
var sources = []string{"rip", "ospf", "isis", "eigrp", "bgp"}

// announced is where one prefix can come from: boxes by name, and the hub's own static routes by their preference.
type announced struct {
	prefix  netip.Prefix
	boxes   []string
	statics []int
}

// statics lead to one box each, so that the interface tells which one is used.
var preferences = []int{1, 95, 113, 180, 250}

var staticVia = map[int]string{1: "spare1", 95: "spare2", 113: "spare3", 180: "spare4", 250: "spare5"}

// plan spreads prefixes over the sources; the seed makes a failure repeatable.
func plan(seed uint64, n int) []announced {
	rnd := rand.New(rand.NewPCG(seed, 61))
	var out []announced
	for i := range n {
		a := announced{prefix: netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 61, byte(100 + i), 0}), 24)}
		for _, s := range sources {
			if rnd.IntN(2) == 0 {
				a.boxes = append(a.boxes, s)
			}
		}
		for _, d := range preferences {
			if rnd.IntN(4) == 0 {
				a.statics = append(a.statics, d)
			}
		}
		if len(a.boxes)+len(a.statics) == 0 {
			a.boxes = sources[:1]
		}
		out = append(out, a)
	}
	return out
}

// TestChoicesAgainstRoutingDaemons lets five protocols and static routes of many preferences compete in real daemons.
// In each round it captures, asks why, withdraws every winner, and sees what really took over.
func TestChoicesAgainstRoutingDaemons(t *testing.T) {
	const seed, prefixes = 7, 40
	b := newBench(t, "vtysh")
	b.box("hub")
	link := 0
	connect := func(box string) (hub, peer string) {
		b.box(box)
		link++
		hub, peer = fmt.Sprintf("172.20.%d.1", link), fmt.Sprintf("172.20.%d.2", link)
		b.link("hub", box, box, "hub", []string{hub + "/30"}, []string{peer + "/30"})
		return hub, peer
	}
	p := plan(seed, prefixes)
	config := "hostname hub\n"
	spare := map[string]string{}
	for _, d := range preferences {
		box := staticVia[d]
		_, spare[box] = connect(box)
	}
	config += "ip route 0.0.0.0/0 " + spare["spare1"] + "\n"
	for _, a := range p {
		for _, d := range a.statics {
			config += fmt.Sprintf("ip route %s %s %d\n", a.prefix, spare[staticVia[d]], d)
		}
	}
	for _, s := range sources {
		hub, peer := connect(s)
		net := netip.PrefixFrom(netip.MustParseAddr(hub), 30).Masked().String()
		own, theirs := protocolConfig(s, net, hub, peer)
		statics := ""
		for _, a := range p {
			for _, box := range a.boxes {
				switch {
				case box != s:
				case s == "eigrp": // that daemon announces attached networks only
					name := stub(a.prefix)
					b.run(s, "ip link add "+name+" type veth peer name "+name+"x")
					b.run(s, "ip link set "+name+"x up")
					b.run(s, "ip addr add "+netip.PrefixFrom(a.prefix.Addr().Next(), 24).String()+" dev "+name)
					b.run(s, "ip link set "+name+" up")
					theirs = strings.Replace(theirs, "exit\n", " network "+a.prefix.String()+"\nexit\n", 1)
				default:
					statics += fmt.Sprintf("ip route %s blackhole\n", a.prefix)
				}
			}
		}
		b.daemons(s, statics+theirs, s+"d")
		config += own
	}
	b.daemons("hub", config, "ripd", "ospfd", "isisd", "eigrpd", "bgpd")

	compared := 0
	gone := map[netip.Prefix]map[string]bool{}
	for round := 0; ; round++ {
		comeToRest(b, p, gone)
		dir := t.TempDir()
		b.capture(dir, "hub", "routes.txt", b.ask("hub", "show ip route"))
		b.capture(dir, "hub", "configuration.txt", b.ask("hub", "show running-config"))
		b.capture(dir, "hub", "addresses.txt", b.run("hub", "ip addr"))
		if round%2 == 1 { // and what forwards
			b.capture(dir, "hub", "kernel.json", b.run("hub", "ip -j route"))
		}
		c, err := casefile.Load(dir)
		require.NoError(t, err)
		hub := c.Network.Device("hub")
		w := forward.NewWalker(topology.Build(c.Network))
		next := map[netip.Prefix]string{}
		waiting := map[netip.Prefix]forward.Explanation{}
		left := 0
		for _, a := range p {
			dst := a.prefix.Addr().Next()
			x := w.Why(hub, hub.Table("default", route.IPv4), netip.PrefixFrom(dst, 32))
			require.True(t, x.Choice.Match.Found(), "%s", dst)
			used := x.Choice.Resolutions[0].Exits[0].Interface
			require.Equal(t, leaves(b, dst), used, "round %d: %s: what the device chose", round, a.prefix)
			compared++
			if x.Choice.Match.Prefix != a.prefix { // nothing but the default is left
				require.Nil(t, x.Choice.TakesOver)
				continue
			}
			left++
			if used == "eigrp" {
				waiting[a.prefix] = x
				continue
			}
			require.NotNil(t, x.Choice.TakesOver, "%s", a.prefix)
			over := x.Choice.TakesOver.Route
			next[a.prefix] = hopInterface(over, spare)
			lose(gone, a.prefix, used)
			withdraw(b, a, used, spare)
		}
		if left == 0 {
			break
		}
		if len(next) == 0 {
			// That daemon does not withdraw one prefix: all of them go, with the link.
			for prefix, x := range waiting {
				require.NotNil(t, x.Choice.TakesOver, "%s", prefix)
				next[prefix] = hopInterface(x.Choice.TakesOver.Route, spare)
			}
			for _, a := range p {
				lose(gone, a.prefix, "eigrp")
			}
			b.run("eigrp", "ip link set hub down")
		}
		comeToRest(b, p, gone)
		for prefix, want := range next {
			require.Equal(t, leaves(b, prefix.Addr().Next()), want, "round %d: %s: what took over", round, prefix)
			compared++
		}
	}
	t.Logf("%d choices compared with real daemons, all agree", compared)
	require.Greater(t, compared, 150)
}

func lose(gone map[netip.Prefix]map[string]bool, p netip.Prefix, source string) {
	if gone[p] == nil {
		gone[p] = map[string]bool{}
	}
	gone[p][source] = true
}

// hopInterface names the interface that a route leaves by.
func hopInterface(r route.Route, spare map[string]string) string {
	h := r.NextHops[0]
	if h.Interface != "" {
		return h.Interface
	}
	for box, addr := range spare {
		if h.Address.String() == addr {
			return box
		}
	}
	return h.Address.String()
}

// leaves asks the kernel by which interface a packet leaves.
func leaves(b *bench, dst netip.Addr) string {
	out := strings.Fields(b.run("hub", "ip route get "+dst.String()))
	for i, w := range out {
		if w == "dev" {
			return out[i+1]
		}
	}
	return ""
}

// withdraw takes the source behind an interface away.
func withdraw(b *bench, a announced, used string, spare map[string]string) {
	for d, box := range staticVia {
		if box == used {
			b.ask("hub", "configure terminal", fmt.Sprintf("no ip route %s %s %d", a.prefix, spare[box], d))
			return
		}
	}
	b.ask(used, "configure terminal", fmt.Sprintf("no ip route %s blackhole", a.prefix))
}

func stub(p netip.Prefix) string { return fmt.Sprintf("net%d", p.Addr().As4()[2]) }

// comeToRest waits until the hub's table holds what is announced and no more.
func comeToRest(b *bench, p []announced, gone map[netip.Prefix]map[string]bool) {
	b.t.Helper()
	var wrong string
	defer func() {
		if b.t.Failed() {
			b.t.Log(wrong)
		}
	}()
	b.until("the hub's table holds what is announced", 90*time.Second, func() bool {
		text := b.ask("hub", "show ip route")
		have := map[string]bool{}
		prefix := ""
		for line := range strings.Lines(text) {
			w := strings.Fields(line)
			for i, x := range w {
				if pre, err := netip.ParsePrefix(x); err == nil && i < 2 {
					prefix = pre.String()
				}
				if x == "via" && i+2 < len(w) && !strings.Contains(line, " inactive") {
					have[prefix+" "+strings.TrimSuffix(w[i+2], ",")] = true
				}
			}
		}
		for _, a := range p {
			for _, s := range sources {
				want := !gone[a.prefix][s] && contains(a.boxes, s)
				if have[a.prefix.String()+" "+s] != want {
					wrong = fmt.Sprintf("%s by %s: announced %v; the table:\n%s", a.prefix, s, want, text)
					return false
				}
			}
			for _, d := range a.statics {
				if have[a.prefix.String()+" "+staticVia[d]] == gone[a.prefix][staticVia[d]] {
					wrong = fmt.Sprintf(
						"%s by %s: gone %v; the table:\n%s",
						a.prefix,
						staticVia[d],
						gone[a.prefix][staticVia[d]],
						text,
					)
					return false
				}
			}
		}
		return true
	})
}

func contains(list []string, s string) bool {
	for _, x := range list {
		if x == s {
			return true
		}
	}
	return false
}

// protocolConfig configures one protocol on the hub and on the box that announces by it.
func protocolConfig(protocol, net, hub, peer string) (own, theirs string) {
	switch protocol {
	case "rip":
		return "router rip\n network " + net + "\n timers basic 5 20 10\nexit\n", "router rip\n network " + net + "\n redistribute static\n timers basic 5 20 10\nexit\n"
	case "ospf":
		quick := "interface %s\n ip ospf hello-interval 1\n ip ospf dead-interval 4\n ip ospf network point-to-point\nexit\n"
		return fmt.Sprintf(quick, "ospf") + "router ospf\n network " + net + " area 0\nexit\n",
			fmt.Sprintf(quick, "hub") + "router ospf\n network " + net + " area 0\n redistribute static\nexit\n"
	case "isis":
		quick := "interface %s\n ip router isis one\n isis hello-interval 1\n isis network point-to-point\nexit\n"
		return "router isis one\n net 49.0001.0000.0000.0001.00\n is-type level-2-only\n lsp-gen-interval 1\n spf-interval 1\nexit\n" + fmt.Sprintf(
				quick,
				"isis",
			),
			"router isis one\n net 49.0001.0000.0000.0002.00\n is-type level-2-only\n lsp-gen-interval 1\n spf-interval 1\n redistribute ipv4 static level-2\nexit\n" + fmt.Sprintf(
				quick,
				"hub",
			)
	case "eigrp":
		return "router eigrp 7\n network " + net + "\nexit\n", "router eigrp 7\n network " + net + "\n redistribute static\nexit\n"
	default:
		return "router bgp 64901\n no bgp ebgp-requires-policy\n neighbor " + peer + " remote-as 64902\n neighbor " + peer + " timers connect 1\nexit\n",
			"router bgp 64902\n no bgp ebgp-requires-policy\n neighbor " + hub + " remote-as 64901\n neighbor " + hub + " timers connect 1\n neighbor " + hub + " advertisement-interval 0\n address-family ipv4 unicast\n  redistribute static\n exit-address-family\nexit\n"
	}
}
