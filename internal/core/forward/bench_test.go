package forward_test

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"sync"
	"testing"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// large is a chain of rings: 200 devices with 10,000 routes each, device i attached to 10.0.i.0/24 (a lan) and to links
// with its neighbours in the chain. Between devices five apart a packet makes six hops.
var large = sync.OnceValue(func() *forward.Walker {
	const devices, routes = 200, 10000
	rnd := rand.New(rand.NewPCG(5, 5))
	var b network.Builder
	lan := func(i int) netip.Prefix { return netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 0, byte(i), 0}), 24) }
	link := func(i int) netip.Prefix {
		return netip.PrefixFrom(netip.AddrFrom4([4]byte{172, 28, byte(i / 64), byte(i % 64 * 4)}), 30)
	}
	at := func(p netip.Prefix, n byte) netip.Addr { a := p.Addr().As4(); a[3] += n; return netip.AddrFrom4(a) }
	for i := range devices {
		var l route.List
		add := func(p netip.Prefix, a *route.Attributes) {
			l.AddRoute(
				route.Route{
					Prefix:     p,
					Attributes: a,
					State:      route.Active | route.Installed,
					Mark:       route.Mark{File: 1, Off: 1, End: 2},
				},
			)
		}
		direct := func(p netip.Prefix, dev string) {
			add(p, &route.Attributes{Protocol: route.Direct, NextHops: []route.NextHop{{Interface: dev}}})
		}
		direct(lan(i), "lan")
		f := network.Facts{
			Addresses: []network.Address{{Prefix: netip.PrefixFrom(at(lan(i), 1), 24), Interface: "lan"}},
		}
		left := &route.Attributes{
			Protocol: route.OSPF,
			NextHops: []route.NextHop{{Interface: "left", Address: at(link(i-1+devices), 1)}},
		}
		right := &route.Attributes{
			Protocol: route.OSPF,
			NextHops: []route.NextHop{{Interface: "right", Address: at(link(i+devices), 2)}},
		}
		if i > 0 {
			direct(link(i-1+devices), "left")
			f.Addresses = append(
				f.Addresses,
				network.Address{Prefix: netip.PrefixFrom(at(link(i-1+devices), 2), 30), Interface: "left"},
			)
		}
		if i < devices-1 {
			direct(link(i+devices), "right")
			f.Addresses = append(
				f.Addresses,
				network.Address{Prefix: netip.PrefixFrom(at(link(i+devices), 1), 30), Interface: "right"},
			)
		}
		for j := range devices {
			if j < i {
				add(lan(j), left)
			} else if j > i {
				add(lan(j), right)
			}
		}
		for l.Len() < routes {
			a := right
			if i == devices-1 || i > 0 && rnd.IntN(2) == 0 {
				a = left
			}
			add(
				netip.PrefixFrom(
					netip.AddrFrom4([4]byte{byte(20 + rnd.IntN(150)), byte(rnd.IntN(256)), byte(rnd.IntN(256)), 0}),
					24,
				),
				a,
			)
		}
		f.Tables = []network.TableFacts{{Name: "default", Family: route.IPv4, Routes: l}}
		b.Add(fmt.Sprintf("d%03d", i), f, 0)
	}
	return forward.NewWalker(topology.Build(b.Build()))
})

// BenchmarkRoundTripOfSixHops is one trace there and back on a loaded case of 200 devices with 10,000 routes each.
func BenchmarkRoundTripOfSixHops(b *testing.B) {
	w := large()
	src, dst := netip.MustParseAddr("10.0.100.9"), netip.MustParseAddr("10.0.105.9")
	if rt := w.Trace(src, dst); rt.Verdict != forward.TwoWay || len(rt.Forward.Branches[0].Hops) != 6 {
		b.Fatal("the case is not what it should be: ", rt.Verdict, len(rt.Forward.Branches[0].Hops))
	}
	b.ReportAllocs()
	for b.Loop() {
		w.Trace(src, dst)
	}
}
