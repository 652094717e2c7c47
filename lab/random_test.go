package lab

import (
	"flag"
	"fmt"
	"net/netip"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
	"zarvek/internal/casefile/masktest"
	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
)

var (
	seeds     = flag.Int("seeds", 12, "how many random networks are built")
	maskedOf  = flag.Int("masked-of", 3, "of how many random networks one is masked too")
	keep      = flag.String("keep", "", "leave the captures of failing seeds in this folder")
	firstSeed = flag.Uint64("first-seed", 1, "the first seed; failures name theirs")
)

// TestRandomNetworksAgainstRealForwarding builds networks of kernels from seeds, follows every pair of addresses by
// asking each kernel on the way, sends real packets, and compares both with what the captures say.
func TestRandomNetworksAgainstRealForwarding(t *testing.T) {
	var total score
	for i := range *seeds {
		seed := *firstSeed + uint64(i)
		t.Run(fmt.Sprintf("seed %d", seed), func(t *testing.T) {
			s := compareSeed(t, seed)
			total.add(s)
		})
	}
	t.Logf(
		"%d directions (%d known from a walk only and not decided, %d wrong on evidence that was called weak) and %d round trips compared with real forwarding, %d disagree; %d pairs looked up in the audit; with parts withheld %d directions: %d unknown, %d falsely arrive",
		total.directions,
		total.weak,
		total.misled,
		total.trips,
		total.wrong,
		total.audited,
		total.withheld,
		total.unknown,
		total.false,
	)
	require.Zero(t, total.wrong)
	require.Zero(t, total.false)
}

// score counts comparisons.
type score struct{ directions, trips, wrong, withheld, unknown, false, weak, misled, audited int }

func (s *score) add(o score) {
	s.directions, s.trips, s.wrong = s.directions+o.directions, s.trips+o.trips, s.wrong+o.wrong
	s.weak, s.misled, s.audited = s.weak+o.weak, s.misled+o.misled, s.audited+o.audited
	s.withheld, s.unknown, s.false = s.withheld+o.withheld, s.unknown+o.unknown, s.false+o.false
}

// keepFailing leaves the captures of a seed that fails where -keep says.
func keepFailing(t *testing.T, dir, name string) {
	if *keep == "" {
		return
	}
	t.Cleanup(func() {
		if t.Failed() {
			_ = os.CopyFS(filepath.Join(*keep, name), os.DirFS(dir))
		}
	})
}

// compareSeed builds and judges one network.
func compareSeed(t *testing.T, seed uint64) score {
	n := newRandomNet(newBench(t, "ping"), seed)
	var s score
	probes := n.probes()
	n.follow(probes)
	byPair := map[[2]netip.Addr]*probe{}
	for _, p := range probes {
		byPair[[2]netip.Addr{p.src, p.dst}] = p
	}
	form := []string{"text", "json", "walk"}[seed%3]
	if _, err := exec.LookPath("snmpd"); err != nil && form == "walk" {
		form = "text"
	}
	dir := n.captures(form, nil)
	keepFailing(t, dir, fmt.Sprintf("seed-%d", seed))
	if seed/3%uint64(*maskedOf) == 0 { // of each form
		masktest.Laws(t, dir, 1)
	}
	walker := load(t, dir)
	complaints := 0
	complain := func(format string, args ...any) {
		s.wrong++
		if complaints++; complaints <= 6 {
			t.Errorf("seed %d (%s): %s", seed, form, fmt.Sprintf(format, args...))
		}
	}
	for _, p := range probes {
		rt := walker.Trace(p.src, p.dst)
		s.directions++
		if form == "walk" &&
			(rt.Forward.Verdict == forward.Unknown || rt.Weak() && rt.Forward.Verdict != forward.Arrives) {
			s.weak++
			continue // a walk leaves routes out, and says so
		}
		if form == "walk" && rt.Weak() && !agrees(rt.Forward, p.end) {
			s.misled++ // said to be weak evidence
			continue
		}
		if !agrees(rt.Forward, p.end) {
			complain("%s to %s: we say %s, the kernels %v", p.src, p.dst, words(rt.Forward), p.end)
		}
	}
	if form == "walk" {
		return s
	}
	found := audit.Run(walker, audit.Options{})
	exact := allBroken(walker, found)
	for _, p := range probes {
		if rt := walker.Trace(p.src, p.dst); len(rt.Forward.Branches) > 1 || p.end.stranger {
			continue // which branch a packet takes cannot be known, nor who might be there
		}
		s.audited++
		list, reply := found.Of(p.src, p.dst)
		real := p.end.verdict != "arrives"
		if said := inLost(list) && !reply; said != real && !(real && undecided(list)) || len(list) > 1 {
			complain(
				"%s to %s: the kernels %v, and %d findings name the pair (reply %v): %s",
				p.src,
				p.dst,
				p.end,
				len(list),
				reply,
				names(list),
			)
		}
		packets, replies := exact.of(p.src, p.dst, true)
		if len(packets)+len(replies) > 1 || len(packets) > 0 && !real || len(packets) == 0 && inLost(list) && !reply {
			complain("%s to %s: the kernels %v, and by exact addresses the packets are lost by %v, replies by %v; findings %s",
				p.src, p.dst, p.end, packets, replies, names(list))
		}
	}
	for _, pair := range n.pings(seed) {
		rt := walker.Trace(pair.src, pair.dst)
		if rt.Return == nil || len(rt.Forward.Branches) > 1 || len(rt.Return.Branches) > 1 {
			continue // which branch a packet takes cannot be known
		}
		s.trips++
		if (rt.Verdict == forward.TwoWay) != pair.answered {
			complain(
				"ping %s from %s: answered %v, we say %s (%s, back %s)",
				pair.dst,
				pair.src,
				pair.answered,
				rt.Verdict,
				words(rt.Forward),
				words(*rt.Return),
			)
		}
		if packets, replies := exact.of(pair.src, pair.dst, false); len(packets)+len(replies) != map[bool]int{false: 1}[pair.answered] {
			complain("ping %s from %s: answered %v, and by exact addresses the packets are lost by %v, replies by %v",
				pair.dst, pair.src, pair.answered, packets, replies)
		}
		if list, _ := found.Of(pair.src, pair.dst); (len(list) == 0) != pair.answered || len(list) > 1 {
			complain(
				"ping %s from %s: answered %v, and %d findings name the pair: %s",
				pair.dst,
				pair.src,
				pair.answered,
				len(list),
				names(list),
			)
		}
	}
	for _, without := range []string{"addresses", n.pick().name} {
		poor := load(t, n.captures(form, func(box, file string) bool {
			return without == box || without == "addresses" && strings.HasPrefix(file, "addr")
		}))
		for _, p := range probes {
			rt := poor.Trace(p.src, p.dst)
			s.withheld++
			switch {
			case rt.Forward.Verdict == forward.Arrives && p.end.verdict != "arrives" && !reachesOnly(rt.Forward.Branches[0], p.end) && !n.reachedOwner(rt.Forward.Branches[0], p):
				s.false++
				t.Errorf(
					"seed %d without %s: %s to %s: we say it arrives (%s), the kernels %v",
					seed,
					without,
					p.src,
					p.dst,
					words(rt.Forward),
					p.end,
				)
			case rt.Forward.Verdict == forward.Unknown || rt.Forward.Verdict == forward.Leaves:
				s.unknown++
			}
		}
	}
	return s
}

// inLost reports whether a finding says that packets end there.
func inLost(list []*audit.Finding) bool {
	return slices.ContainsFunc(list, func(f *audit.Finding) bool { return f.Kind != audit.MissingData })
}

// undecided reports whether the pair is said to be one that captures cannot tell of.
func undecided(list []*audit.Finding) bool {
	return slices.ContainsFunc(list, func(f *audit.Finding) bool { return f.Kind == audit.MissingData })
}

func names(list []*audit.Finding) string {
	var out []string
	for _, f := range list {
		out = append(out, f.ID+" at "+f.Device)
	}
	return strings.Join(out, ", ")
}

func load(t *testing.T, dir string) *forward.Walker {
	t.Helper()
	c, err := casefile.Load(dir)
	require.NoError(t, err)
	for _, s := range c.Summaries() {
		for _, u := range s.Unread {
			text := c.Files[u.Mark.File-1].Source.Text(u.Mark)
			t.Errorf("not read: %q: %v", text, u.Reason)
		}
	}
	return forward.NewWalker(topology.Build(c.Network))
}

// probes returns a packet for every ordered pair of the routers' own addresses: their networks', and one port's each.
func (n *randomNet) probes() []*probe {
	var out []*probe
	for _, a := range n.routers {
		for _, z := range n.routers {
			if a == z {
				continue
			}
			for _, f := range families {
				for _, dst := range []netip.Addr{z.stub[f].Addr(), z.ports[0].addr[f].Addr()} {
					out = append(out, &probe{src: a.stub[f].Addr(), dst: dst, at: a, seen: map[string]bool{}})
				}
			}
		}
	}
	return out
}

// agrees reports whether a direction tells of the real ending: its only verdict, or one of its branches.
func agrees(d forward.Direction, e ending) bool {
	return slices.ContainsFunc(d.Branches, func(b forward.Branch) bool {
		if e.stranger && b.Verdict == forward.Unknown && b.Where == e.where {
			return true
		}
		if e.verdict == "next-hop-lost" && b.Where == e.where &&
			(b.Verdict == forward.Unknown && b.Reason.Code == forward.OwnerMaybeDown || reachesOnly(b, e)) {
			return true
		}
		if b.Verdict.String() != e.verdict {
			return false
		}
		return b.Where == e.where || e.verdict == "loops"
	})
}

// reachesOnly reports whether a branch promises no more than that the packet reaches the attached network, and it did:
// nobody answered there.
func reachesOnly(b forward.Branch, e ending) bool {
	return b.Verdict == forward.Arrives && b.Delivery == forward.ToAttachedNetwork && e.verdict == "next-hop-lost" &&
		b.Where == e.where
}

// reachedOwner reports whether a branch promises no more than the attached network, and the packet ended at the router
// that has the address: one that was not captured, which dropped it itself.
func (n *randomNet) reachedOwner(b forward.Branch, p *probe) bool {
	return b.Delivery == forward.ToAttachedNetwork &&
		slices.ContainsFunc(n.routers, func(r *router) bool { return r.name == p.end.where && r.owns(p.dst) })
}

func words(d forward.Direction) string {
	var out []string
	for _, b := range d.Branches {
		s := b.Verdict.String() + " at " + b.Where + " by"
		for _, h := range b.Hops {
			s += " " + h.Device
		}
		out = append(out, s)
	}
	return strings.Join(out, "; ")
}

// captures writes what an engineer would capture; withheld tells what is left out.
func (n *randomNet) captures(form string, withheld func(box, file string) bool) string {
	n.t.Helper()
	dir := n.t.TempDir()
	var wg sync.WaitGroup
	for _, r := range n.routers {
		commands := [][2]string{
			{"routes4.txt", "ip route show table all"},
			{"routes6.txt", "ip -6 route show table all"},
			{"addresses.txt", "ip addr"},
			{"rules4.txt", "ip rule"},
			{"rules6.txt", "ip -6 rule"},
		}
		if form == "json" {
			commands = [][2]string{
				{"routes4.json", "ip -j route show table all"},
				{"routes6.json", "ip -j -6 route show table all"},
				{"addresses.json", "ip -j addr"},
				{"rules4.json", "ip -j rule"},
				{"rules6.json", "ip -j -6 rule"},
			}
		}
		if form == "walk" {
			commands = [][2]string{
				{"walk.txt", ""},
				{"rules4.txt", "ip rule"},
				{"rules6.txt", "ip -6 rule"},
				{"addresses.txt", "ip addr"},
			}
		}
		commands = append(
			commands,
			[2]string{"switches.txt", "sysctl net.ipv4.ip_forward net.ipv6.conf.all.forwarding"},
			[2]string{"checks.txt", "sysctl -a -r net.ipv4.conf.*.rp_filter$"},
		)
		wg.Go(func() {
			for _, c := range commands {
				if c[1] == "" {
					n.capture(dir, r.name, c[0], n.walk(r.name))
				} else if withheld == nil || !withheld(r.name, c[0]) {
					n.capture(dir, r.name, c[0], n.run(r.name, c[1]))
				}
			}
		})
	}
	wg.Wait()
	return dir
}

// pinged is one real exchange.
type pinged struct {
	src, dst netip.Addr
	answered bool
}

// pings sends real packets between some pairs.
func (n *randomNet) pings(seed uint64) []pinged {
	const most = 60
	var out []pinged
	for range most {
		a, z := n.pick(), n.pick()
		if f := n.rnd.IntN(2); a != z {
			out = append(out, pinged{src: a.stub[f].Addr(), dst: z.stub[f].Addr()})
		}
	}
	box := func(a netip.Addr) string {
		for _, r := range n.routers {
			if r.owns(a) {
				return r.name
			}
		}
		return ""
	}
	var wg sync.WaitGroup
	room := make(chan bool, 24)
	for i := range out {
		room <- true
		wg.Go(func() {
			defer func() { <-room }()
			p := &out[i]
			// Three tries: the first packets may wait for the resolution of addresses.
			err := exec.Command("ip", "netns", "exec", n.ns[box(p.src)], "ping", "-n", "-c", "3", "-i", "0.3", "-W", "1", "-I", p.src.String(), p.dst.String()).
				Run()
			p.answered = err == nil
		})
	}
	wg.Wait()
	return out
}

// walk asks an agent in the box for its forwarding table, interfaces and addresses.
func (n *randomNet) walk(box string) string {
	conf := filepath.Join(n.dir, "snmpd-"+box+".conf")
	if err := os.WriteFile(conf, []byte("rocommunity public\nagentaddress udp:127.0.0.1:161\n"), 0o644); err != nil {
		n.t.Errorf("%v", err)
		return ""
	}
	agent := exec.Command(
		"ip",
		"netns",
		"exec",
		n.ns[box],
		"snmpd",
		"-f",
		"-Lo",
		"-C",
		"-c",
		conf,
		"-p",
		filepath.Join(n.dir, "snmpd-"+box+".pid"),
	)
	agent.Env = append(os.Environ(), "SNMP_PERSISTENT_DIR="+filepath.Join(n.dir, "snmp-"+box))
	if err := agent.Start(); err != nil {
		n.t.Errorf("%v", err)
		return ""
	}
	defer func() { _ = agent.Process.Kill(); _ = agent.Wait() }()
	text := ""
	for _, oid := range []string{".1.3.6.1.2.1.4.24", ".1.3.6.1.2.1.31.1.1.1.1", ".1.3.6.1.2.1.2.2.1", ".1.3.6.1.2.1.4.34"} {
		out := ""
		for range 20 {
			var err error
			if out, err = n.try(box, "snmpwalk -v2c -c public -On -t 2 -r 0 127.0.0.1 "+oid); err == nil {
				break
			}
			time.Sleep(200 * time.Millisecond)
		}
		text += out
	}
	return text
}
