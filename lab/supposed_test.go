package lab

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// TestTablesThatConfigurationsMake gives a router random static routes. What is captured is its saved configuration
// alone; the kernel tells by which neighbour it sends, and what is said must be that, or that it is not known.
func TestTablesThatConfigurationsMake(t *testing.T) {
	const rounds, questions = 12, 60
	b := newBench(t, "vtysh")
	b.box("mast")
	config := ""
	for i := range 4 {
		box := fmt.Sprint("way", i)
		b.box(box)
		b.link(box, "up0", "mast", box, []string{fmt.Sprintf("172.28.80.%d/30", 4*i+2)}, nil)
		config += fmt.Sprintf("interface %s\n ip address 172.28.80.%d/30\n", box, 4*i+1)
		if i == 3 {
			config += " shutdown\n"
		}
		config += "exit\n"
	}
	b.daemons("mast", config)
	rnd := rand.New(rand.NewPCG(7, 90))
	asked, unknown := 0, 0
	for range rounds {
		statics := randomStatics(rnd)
		b.ask("mast", slices.Concat([]string{"configure terminal"}, statics, []string{"end"})...)
		time.Sleep(300 * time.Millisecond) // until all of them went to the kernel
		b.rest("the kernel has the routes", 10*time.Second, 600*time.Millisecond, func() (string, bool) { return b.run("mast", "ip route"), true })
		dir := t.TempDir()
		saved := b.ask("mast", "show running-config")
		b.capture(dir, "mast", "saved.txt", saved)
		c, err := casefile.LoadWith(dir, casefile.Options{Suppose: true})
		require.NoError(t, err)
		mast := c.Network.Device("mast")
		table := mast.Table("default", route.IPv4)
		require.NotNil(t, table, saved)
		w := forward.NewWalker(topology.Build(c.Network))
		for range questions {
			dst := netip.AddrFrom4([4]byte{10, 61, byte(rnd.IntN(16)), byte(rnd.IntN(256))})
			does := b.sendsBy("mast", dst)
			asked++
			switch says := saysBy(w.Why(mast, table, netip.PrefixFrom(dst, 32))); {
			case says == "unknown" && does == "nowhere": // that it has no route there is nothing that a configuration tells
			case says == "unknown":
				unknown++
			case says != does:
				t.Errorf("%s goes %s, we say %s\n%s\n%s", dst, does, says, saved, b.run("mast", "ip route"))
			}
		}
		for i := range statics {
			statics[i] = "no " + statics[i]
		}
		b.ask("mast", slices.Concat([]string{"configure terminal"}, statics, []string{"end"})...)
	}
	require.LessOrEqual(t, unknown, asked/20, "most must be told")
	t.Logf("%d destinations, %d unknown that have a route", asked, unknown)
}

// randomStatics are static routes by neighbours, by others of them, by an interface that is down, and to nowhere; some
// are backups.
func randomStatics(rnd *rand.Rand) []string {
	var out []string
	used := map[netip.Prefix]bool{}
	for range 6 + rnd.IntN(14) {
		bits := 20 + rnd.IntN(9)
		p := netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 61, byte(rnd.IntN(16)), byte(rnd.IntN(256))}), bits).Masked()
		if used[p] { // a daemon does not take one that discards and another of one prefix
			continue
		}
		used[p] = true
		to := fmt.Sprintf("172.28.80.%d", 4*rnd.IntN(4)+2)
		switch rnd.IntN(10) {
		case 0:
			to = "blackhole"
		case 1: // looked up again
			to = fmt.Sprintf("10.61.%d.%d", rnd.IntN(16), rnd.IntN(256))
		case 2: // nobody's
			to = fmt.Sprintf("172.28.99.%d", rnd.IntN(256))
		case 3:
			to += fmt.Sprint(" way", rnd.IntN(4))
		}
		line := fmt.Sprintf("ip route %s %s", p, to)
		out = append(out, line)
		if to != "blackhole" && rnd.IntN(4) == 0 {
			out = append(out, fmt.Sprintf("ip route %s 172.28.80.%d %d", p, 4*rnd.IntN(4)+2, 100+rnd.IntN(100)))
		}
	}
	return out
}

// sendsBy is the interface by which a box sends to an address, or nowhere.
func (b *bench) sendsBy(box string, dst netip.Addr) string {
	out, err := b.try(box, "ip route get "+dst.String())
	if _, after, ok := strings.Cut(out, " dev "); err == nil && ok {
		return strings.Fields(after)[0]
	}
	return "nowhere"
}

// saysBy is the same as the program says it, or that it does not know.
func saysBy(x forward.Explanation) string {
	if _, _, not := x.CannotTell(); not {
		return "unknown"
	}
	best := x.Choice.Match.Routes[0]
	if best.Special == route.Blackhole {
		return "nowhere"
	}
	var by []string
	for _, r := range x.Choice.Resolutions {
		for _, e := range r.Exits {
			by = append(by, e.Interface)
		}
	}
	slices.Sort(by)
	if by = slices.Compact(by); len(by) != 1 {
		return "unknown"
	}
	return by[0]
}
