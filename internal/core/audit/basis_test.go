package audit

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go4.org/netipx"

	"zarvek/internal/core/change"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/settle"
	"zarvek/internal/core/topology"
)

// TestGoingOnFromABasis: what is found by going on from a basis is what a sweep of the overlay finds by itself, on
// random networks with things that fail, for every pair of ends. Numbers that say that nothing changed are right.
func TestGoingOnFromABasis(t *testing.T) {
	wentOn, alike, all := 0, 0, 0
	for seed := range uint64(150) {
		rnd := rand.New(rand.NewPCG(seed, 77))
		size := 3 + rnd.IntN(6)
		text := coretest.RandomText(rnd, size)
		if seed%3 == 1 {
			text += coretest.RandomShares(rnd, size)
		}
		if seed%5 > 0 {
			text = plainLines(text)
		}
		n := coretest.Build(text)
		topo := topology.Build(n)
		w, settler := forward.NewWalker(topo), settle.New(topo)
		nets := networksOfHosts(topo)
		basis := NewBasis(w, route.IPv4, nets)
		for range 4 {
			after, err := randomFailure(rnd, n).On(n)
			if err != nil {
				continue
			}
			walker := w.On(settler.Run(after).Network)
			x, y := basis.On(walker), NewReachOf(walker, route.IPv4, nets)
			a := assertAlike(t, seed, text, basis, x, y)
			if x.above != nil {
				wentOn, alike, all = wentOn+1, alike+a[0], all+a[1]
			}
			if t.Failed() {
				return
			}
		}
	}
	t.Logf("%d overlays went on from their basis; %d of %d pairs were told to be alike by numbers", wentOn, alike, all)
	require.Greater(t, wentOn, 150)
	require.Greater(t, alike, all/10)
}

// plainLines leaves out what makes devices look at more than destinations.
func plainLines(text string) string {
	return strings.Join(slices.DeleteFunc(strings.Split(text, "\n"), func(l string) bool {
		return strings.Contains(l, ": check ") || strings.HasSuffix(l, ": stateful")
	}), "\n")
}

// networksOfHosts lists the networks in which hosts may be, those inside of others left out.
func networksOfHosts(topo *topology.Topology) []netip.Prefix {
	var b netipx.IPSetBuilder
	for _, p := range topo.Networks() {
		if topo.HasHosts(p) {
			b.AddPrefix(p)
		}
	}
	set, _ := b.IPSet()
	return set.Prefixes()
}

// randomFailure takes down an interface, both ends of a link or a device, or takes routes out.
func randomFailure(rnd *rand.Rand, n *network.Snapshot) change.Change {
	d := n.Devices().At(rnd.IntN(n.Devices().Len()))
	address := d.Addresses().At(rnd.IntN(d.Addresses().Len()))
	switch rnd.IntN(5) {
	case 0:
		return change.Change{change.DeviceDown{Device: d.Name}}
	case 1:
		return change.Change{change.InterfaceDown{Device: d.Name, Interface: address.Interface}}
	case 2:
		r := d.Table("default", route.IPv4).Routes()
		return change.Change{change.RemoveRoute{Device: d.Name, Prefix: r.Prefix(rnd.IntN(r.Len()))}}
	}
	out := change.Change{change.CarrierLost{Device: d.Name, Interface: address.Interface}}
	for _, o := range n.Devices().All() {
		for _, a := range o.Addresses().All() {
			if o != d && a.Prefix.Masked() == address.Prefix.Masked() {
				out = append(out, change.CarrierLost{Device: o.Name, Interface: a.Interface})
			}
		}
	}
	return out
}

// assertAlike compares two reaches of one network by the first and the last address of every range of either. It counts
// the pairs that numbers alone tell to be as in the basis, of all.
func assertAlike(t *testing.T, seed uint64, text string, basis *Basis, x, y *Reach) (counts [2]int) {
	ends := [3][]ReachEnd{basis.Ends(), x.Ends(), y.Ends()}
	type place struct {
		at  netip.Addr
		end [3]int
	}
	var places []place
	for _, list := range ends[1:] {
		for _, e := range list {
			for _, r := range e.Ranges {
				for _, a := range []netip.Addr{r.From(), r.To()} {
					p := place{at: a}
					for i := range ends {
						p.end[i] = slices.IndexFunc(ends[i], func(e ReachEnd) bool {
							return slices.ContainsFunc(e.Ranges, func(r netipx.IPRange) bool { return r.Contains(a) })
						})
					}
					if e.Nobody && p.end[1] < 0 {
						continue // left out
					}
					if !slices.Contains(places, p) {
						places = append(places, p)
					}
				}
			}
		}
	}
	joints := make([][2]int, len(places))
	for i, p := range places {
		joints[i] = [2]int{p.end[0], p.end[1]}
		e, f := ends[1][p.end[1]], ends[2][p.end[2]]
		e.Ranges, f.Ranges = nil, nil
		assert.Equal(t, f, e, "seed %d, %v\n%s", seed, p.at, text)
	}
	told := x.Alike(joints)
	var doubtful [][]int
	follows := true
	if told != nil {
		doubtful, follows = told.Doubtful()
	}
	for i, s := range places {
		for k, d := range places {
			one, two := x.Fate(s.end[1], d.end[1], s.at, d.at), y.Fate(s.end[2], d.end[2], s.at, d.at)
			if one != two {
				assert.Equal(t, two, one, "seed %d, %v to %v\n%s", seed, s.at, d.at, text)
				return counts
			}
			counts[1]++
			if told != nil && !follows && i != k {
				require.Equal(t, !alikeByNumbers(told, i, k), slices.Contains(doubtful[i], k), "seed %d, %v to %v", seed, s.at, d.at)
			}
			if told == nil || !alikeByNumbers(told, i, k) {
				continue
			}
			counts[0]++
			was := basis.Fate(s.end[0], d.end[0], s.at, d.at)
			if was.Device, one.Device = "", ""; was != one && !(was.Followed || one.Followed) {
				assert.Equal(t, was, one, fmt.Sprint("told to be alike: seed ", seed, ", ", s.at, " to ", d.at, "\n", text))
				return counts
			}
		}
	}
	return counts
}

// alikeByNumbers is the slow twin of Doubtful, for one pair: both columns say what they said.
func alikeByNumbers(x *Alike, i, k int) bool {
	s, d := &x.ends[i], &x.ends[k]
	return s.start >= 0 && d.start >= 0 && !x.follows &&
		d.was[s.start] == d.is[s.start] && s.was[d.start] == s.is[d.start]
}
