package compare

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// TestAgreesWithTraces compares random networks with changed ones, and every pair of a list of addresses that lie at
// the boundaries of what either says with what two traces tell: no difference is missed and none invented.
func TestAgreesWithTraces(t *testing.T) {
	asked, differ := 0, 0
	for seed := range uint64(120) {
		rnd := rand.New(rand.NewPCG(seed, 14))
		size := 3 + rnd.IntN(5)
		text := coretest.RandomText(rnd, size)
		if seed%3 == 2 {
			text += coretest.RandomShares(rnd, size)
		}
		changed := disturb(rnd, text)
		x, y := coretest.Build(text), coretest.Build(changed)
		before, after := forward.NewWalker(topology.Build(x)), forward.NewWalker(topology.Build(y))
		b := newBoth(NewBase(before), after, route.IPv4, func(int) {})
		list := boundaries(rnd, 45, x, y)
		for _, src := range list {
			i, ok := b.at(src)
			if !ok || !b.sends(i) {
				continue
			}
			for _, dst := range list {
				k, ok := b.at(dst)
				if !ok || i == k {
					continue
				}
				if b.down(i) || b.down(k) {
					continue // a trace does not know that somebody was there
				}
				if b.neighbours(i, k) {
					continue // no device decides
				}
				d, found := b.differ(i, k)
				one := d.before.OneDirection && d.after.OneDirection
				want, ok := bySlowTwin(before, after, src, dst, one)
				asked++
				if ok {
					differ++
				}
				if ok && found && d.before.OneDirection != d.after.OneDirection {
					want = d.kind // somebody is known there once only; a trace asks the routers beside it for the reply
				}
				if ok != found || ok && want != d.kind {
					p, q := before.Trace(src, dst), after.Trace(src, dst)
					require.Failf(t, "they disagree", "seed %d, %s to %s: compare says %v %s (%+v, %+v), traces say %v %s\nbefore %s out %s, back %s\nafter  %s out %s, back %s",
						seed, src, dst, found, d.kind, d.before, d.after, ok, want,
						p.Verdict, way(&p.Forward), way(p.Return), q.Verdict, way(&q.Forward), way(q.Return))
				}
			}
		}
	}
	t.Logf("%d pairs compared, %d of them differ", asked, differ)
	require.Greater(t, differ, 3000)
}

// disturb takes lines out of a network, puts others in and alters some.
func disturb(rnd *rand.Rand, text string) string {
	lines := strings.Split(strings.TrimSpace(text), "\n")
	for range 1 + rnd.IntN(4) {
		i := rnd.IntN(len(lines))
		if strings.Contains(lines[i], " lan0") { // the networks of hosts mostly stay
			i = rnd.IntN(len(lines))
		}
		switch rnd.IntN(4) {
		case 0:
			lines = slices.Delete(lines, i, i+1)
		case 1:
			dev, _, _ := strings.Cut(lines[i], ":")
			lines = append(lines, fmt.Sprintf("%s: static 10.61.%d.%d/%d blackhole", dev, rnd.IntN(8), rnd.IntN(2)*64, 24+rnd.IntN(4)))
		case 2:
			dev, _, _ := strings.Cut(lines[i], ":")
			from := lines[rnd.IntN(len(lines))] // another device's line on this one
			if _, rest, _ := strings.Cut(from, ": "); strings.HasPrefix(rest, "static") {
				lines = append(lines, dev+": "+rest)
			}
		case 3:
			dev, _, _ := strings.Cut(lines[i], ":")
			lines = append(lines, dev+": link e"+fmt.Sprint(rnd.IntN(8))+" down")
		}
	}
	return strings.Join(lines, "\n")
}

// boundaries picks addresses at and beside the first and last ones of all prefixes that either network names.
func boundaries(rnd *rand.Rand, most int, networks ...*network.Snapshot) []netip.Addr {
	seen := map[netip.Addr]bool{}
	var all []netip.Addr
	add := func(a netip.Addr) {
		if a.Is4() && (a.As4()[0] == 10 || a.As4()[0] == 172) && !seen[a] {
			seen[a] = true
			all = append(all, a)
		}
	}
	for _, n := range networks {
		for _, d := range n.Devices().All() {
			for _, t := range d.Tables().All() {
				for i := range t.Routes().Len() {
					p := t.Routes().Prefix(i)
					if !p.Addr().Is4() {
						continue
					}
					add(p.Addr())
					add(p.Addr().Next())
					add(p.Addr().Prev())
				}
			}
			for _, a := range d.Addresses().All() {
				add(a.Prefix.Addr())
			}
		}
	}
	slices.SortFunc(all, netip.Addr.Compare)
	rnd.Shuffle(len(all), func(i, k int) { all[i], all[k] = all[k], all[i] })
	return all[:min(most, len(all))]
}

// at finds the joint end of an address.
func (b *both) at(a netip.Addr) (int, bool) {
	for i, j := range b.joints {
		for _, r := range j.all {
			if r.Contains(a) {
				return i, true
			}
		}
	}
	return 0, false
}

func (b *both) sends(i int) bool {
	return b.ends[0][b.joints[i].ends[0]].Sends && b.ends[1][b.joints[i].ends[1]].Sends
}

func (b *both) down(i int) bool {
	return b.ends[0][b.joints[i].ends[0]].Down || b.ends[1][b.joints[i].ends[1]].Down
}

// neighbours reports whether two ends are of one device or network, in either of the snapshots.
func (b *both) neighbours(i, k int) bool {
	for n := range 2 {
		x, y := b.ends[n][b.joints[i].ends[n]], b.ends[n][b.joints[k].ends[n]]
		if x.Owner == y.Owner && x.Net == y.Net || x.Owner != "" && x.Owner == y.Owner || x.Net == y.Net && (x.Owner == "" || y.Owner == "") {
			return true
		}
	}
	return false
}

// bySlowTwin judges a pair by two traces alone.
func bySlowTwin(before, after *forward.Walker, src, dst netip.Addr, oneDirection bool) (Kind, bool) {
	p, q := before.Trace(src, dst), after.Trace(src, dst)
	good := func(rt *forward.RoundTrip) (grade int) {
		if oneDirection {
			switch v := rt.Forward.Verdict; {
			case v == forward.Arrives || v == forward.Leaves:
				return 3
			case v == forward.Unknown:
				return -1
			}
			return 1
		}
		return map[forward.Both]int{forward.TwoWay: 3, forward.OneWay: 2, forward.Broken: 1, forward.BothUnknown: -1}[rt.Followed()]
	}
	a, b := good(&p), good(&q)
	ways := func(rt *forward.RoundTrip) string {
		s := way(&rt.Forward)
		if rt.Forward.Verdict == forward.Arrives && !oneDirection {
			s += " and " + way(rt.Return)
		}
		return s
	}
	switch {
	case a == 3 && b == -1:
		return Worse, true
	case a == -1 && b == 3:
		return Better, true
	case a == -1 && b != -1, b == -1 && a != -1:
		return Unclear, true
	case a != b:
		if b < a {
			return Worse, true
		}
		return Better, true
	case a == 3:
		return OtherWay, ways(&p) != ways(&q)
	}
	if ending(&p, oneDirection) != ending(&q, oneDirection) {
		return OtherEnd, true
	}
	if a == 2 {
		return OtherWay, ways(&p) != ways(&q)
	}
	return OtherEnd, a != -1 && ways(&p) != ways(&q)
}

func ending(rt *forward.RoundTrip, oneDirection bool) string {
	d := &rt.Forward
	if d.Verdict == forward.Arrives && rt.Return != nil && !oneDirection {
		d = rt.Return
	}
	return fmt.Sprint(d.Verdict, d == rt.Return)
}

// namesOf are the devices of hops by name, each once.
func namesOf(hops []forward.Hop) []string {
	var out []string
	for _, h := range hops {
		out = append(out, h.Device)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// way is all branches of a direction in words.
func way(d *forward.Direction) string {
	if d == nil {
		return "none"
	}
	seen := map[string]bool{}
	for _, b := range d.Branches {
		s := fmt.Sprint(b.Verdict, "@", b.Where)
		hops := b.Hops
		if b.Verdict == forward.Loops { // where one enters it makes no other loop
			last := hops[len(hops)-1].Device
			at := slices.IndexFunc(hops, func(h forward.Hop) bool { return h.Device == last })
			s = "loops " + strings.Join(namesOf(hops[at:]), " ")
			hops = hops[:at]
		}
		for i, h := range hops {
			if b.Delivery == forward.ToDevice && i == len(b.Hops)-1 {
				h.OutInterface = ""
			}
			s += " " + h.Device + "/" + h.Table + "/" + h.OutInterface
		}
		if n := len(b.Hops); n > 0 {
			switch last := b.Hops[n-1]; b.Verdict {
			case forward.Discarded, forward.Refused:
				s += fmt.Sprint(" by ", last.Prefix)
			case forward.NextHopLost:
				s += fmt.Sprint(" for ", b.Reason.Code, b.Reason.Address)
			case forward.Leaves, forward.Unknown:
				s += fmt.Sprint(" to ", b.Reason.Code, last.NextHop)
			case forward.Arrives: // that the host was seen as a neighbour makes no other way
			default:
				s += fmt.Sprint(" ", b.Reason.Code)
			}
		}
		seen[s] = true
	}
	var all []string
	for s := range seen {
		all = append(all, s)
	}
	slices.Sort(all)
	return strings.Join(all, " | ")
}
