package audit

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// standIns puts rules into a network that let single addresses stand for single hosts, with others before, between and
// behind them that treat some of the hosts in another way.
func standIns(rnd *rand.Rand, n *network.Snapshot) *network.Snapshot {
	chance := func(percent int) bool { return rnd.IntN(100) < percent }
	size := n.Devices().Len()
	address := func(net, host int) netip.Addr { return netip.AddrFrom4([4]byte{10, 61, byte(net), byte(host)}) }
	single := func(a netip.Addr) netip.Prefix { return netip.PrefixFrom(a, a.BitLen()) }
	inner, outer := rnd.IntN(size), rnd.IntN(size)
	if chance(40) {
		outer = 200 // nobody's network
	}
	x := n.Draft()
	for i, d := range n.Devices().All() {
		var p network.Policy
		add := func(t network.Translation) {
			t.Mark = route.Mark{File: 9, Off: uint32(100*i + len(p.Translations)), End: uint32(100*i + len(p.Translations) + 1)}
			p.Translations = append(p.Translations, t)
		}
		port := func() string {
			if d.Addresses().Len() == 0 || chance(60) {
				return ""
			}
			return d.Addresses().At(rnd.IntN(d.Addresses().Len())).Interface
		}
		other := func() {
			t := network.Translation{From: single(address(inner, 30+rnd.IntN(6))), Out: port()}
			switch rnd.IntN(6) {
			case 0:
				t.From = netip.PrefixFrom(address(inner, 32), 30)
			case 1:
				t.Keep = true
			case 2:
				t.Becomes = address(outer, 90)
			case 3:
				t = network.Translation{Destination: true, To: single(address(outer, 130+rnd.IntN(6))), Keep: true}
			case 4:
				t.To = netip.PrefixFrom(address(rnd.IntN(size), 0), 24)
			case 5:
				t.Protocol = "tcp"
			}
			add(t)
		}
		if !chance(50) {
			continue
		}
		in, out, both, onLink := port(), port(), chance(70), chance(30)
		for k := range 6 {
			if chance(12) {
				other()
			}
			h, o := address(inner, 30+k), address(outer, 130+k)
			if chance(5) {
				out = port()
			}
			add(network.Translation{From: single(h), Becomes: o, Out: out, OnLink: onLink})
			if both {
				add(network.Translation{Destination: true, To: single(o), Becomes: h, In: in, OnLink: onLink})
			}
		}
		if chance(15) {
			other()
		}
		if chance(30) {
			m := route.Mark{File: 9, Off: uint32(5000 + i), End: uint32(5000 + i + 1)}
			p.Flows = []network.FlowRule{{From: single(address(inner, 30+rnd.IntN(3))), Permit: chance(50), Mark: m}, {Permit: true, Mark: m}}
		}
		if chance(20) {
			p.Stateful = route.Mark{File: 9, Off: uint32(6000 + i), End: uint32(6000 + i + 1)}
		}
		x.SetPolicy(d.Name, p)
	}
	return x.Freeze()
}

// keysOf are the groups of some pairs.
func keysOf(pairs []pair) (out [][2]int32) {
	for _, p := range pairs {
		out = append(out, p.key())
	}
	return out
}

// TestTwinsAgreeWithTraces: hosts that one address each stands for fare as traces have it, though not each of them was
// followed; and no pair of which a stateful device sees one direction only is passed over.
func TestTwinsAgreeWithTraces(t *testing.T) {
	whole, differ, halfSeen := map[forward.Both]int{}, 0, 0
	for seed := range uint64(3 * *seeds) {
		rnd := rand.New(rand.NewPCG(seed, 78))
		text := coretest.RandomText(rnd, 2+rnd.IntN(4))
		if rnd.IntN(3) == 0 { // single hosts that one device forwards elsewhere
			text += fmt.Sprintf("r0: static 10.61.%d.%d/32 blackhole\n", rnd.IntN(3), 30+rnd.IntN(6))
		}
		net := standIns(rnd, coretest.Build(text))
		w := forward.NewWalker(topology.Build(net))
		compare(t, fmt.Sprintf("seed %d\n%s", seed, text), w, route.IPv4)
		a := newAuditor(w, route.IPv4)
		a.run(func(int) {}, untold)
		if a.twins == nil {
			continue
		}
		each := newAuditor(w, route.IPv4)
		each.sweepAll(func(int) {})
		each.lost = each.pairs(untold(0))
		require.Equal(t, keysOf(each.halfSeen), keysOf(a.halfSeen), "seed %d: seen in one direction only", seed)
		halfSeen += len(a.halfSeen)
		for _, v := range a.twins.told {
			if v.all {
				whole[v.both]++
			} else if v.differ {
				differ++
			}
		}
	}
	require.Len(t, whole, 4, "all kinds of endings: %v", whole)
	require.NotZero(t, differ)
	require.NotZero(t, halfSeen)
}
