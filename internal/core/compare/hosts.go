package compare

import (
	"net/netip"
	"slices"
	"sync"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// Change is what became of the packets between two networks, either way.
type Change struct {
	Kind Kind
	Sure bool // of Worse: that less arrives is sure
}

// hostsOnce is the sweep of the networks with hosts.
type hostsOnce struct {
	once  sync.Once
	nets  []netip.Prefix
	basis *audit.Basis
	ends  []audit.ReachEnd
}

// ofHosts sweeps the networks with hosts of the base once.
func (b *Base) ofHosts(fam route.Family) *hostsOnce {
	s := b.hosts[fam]
	s.once.Do(func() {
		s.nets = hostNetworks(b.walker.Topology(), fam)
		s.basis = audit.NewBasis(b.walker, fam, s.nets)
		s.ends = s.basis.Ends()
	})
	return s
}

// Hosts compares what becomes of packets between networks with hosts alone, of an overlay of the base's network,
// without asking why. A pair is named by its networks in order.
func (b *Base) Hosts(after *forward.Walker, families ...route.Family) map[Pair]Change {
	out := map[Pair]Change{}
	for _, fam := range families {
		s := b.ofHosts(fam)
		if len(s.nets) == 0 {
			continue
		}
		x := &both{fam: fam, topo: [2]*topology.Topology{b.walker.Topology(), after.Topology()}}
		x.reach = [2]*audit.Reach{s.basis.Reach, s.basis.On(after)}
		x.ends = [2][]audit.ReachEnd{s.ends, x.reach[1].Ends()}
		x.joints = join(x.ends[0], x.ends[1])
		x.hostPairs(out)
	}
	return out
}

// hostPairs adds the pairs of networks with hosts that differ.
func (b *both) hostPairs(out map[Pair]Change) {
	var some []int
	may := make([]bool, len(b.joints))
	nets := make([]netip.Prefix, len(b.joints))
	known := map[netip.Prefix]bool{}
	ends := make([][2]int, len(b.joints))
	for i, j := range b.joints {
		n := b.netOf(j)
		nets[i], ends[i] = n, j.ends
		hosts, seen := known[n]
		if !seen {
			hosts = n.IsValid() && b.hosts(n)
			known[n] = hosts
		}
		if !hosts || b.nobody(j) || b.heardOnce(j) {
			continue
		}
		some, may[i] = append(some, i), true
	}
	all := func(int) []int { return some }
	if alike := b.reach[1].Alike(ends); alike != nil {
		if lists, follows := alike.Doubtful(); !follows {
			all = func(i int) []int { return lists[i] }
		}
	}
	for _, i := range some {
		if !b.source(b.joints[i]) {
			continue
		}
		for _, k := range all(i) {
			if !may[k] {
				continue
			}
			d, ok := b.differ(i, k)
			if !ok {
				continue
			}
			p := Pair{From: nets[i], To: nets[k]}
			if p.To.Compare(p.From) < 0 {
				p.From, p.To = p.To, p.From
			}
			sure := d.kind == Worse && d.after.Both != forward.BothUnknown
			have, seen := out[p]
			if !seen || d.kind < have.Kind {
				have.Kind = d.kind
			}
			have.Sure = have.Sure || sure
			out[p] = have
		}
	}
}

// hostNetworks lists the networks of a family in which hosts may be; one inside of another belongs to that.
func hostNetworks(t *topology.Topology, fam route.Family) []netip.Prefix {
	var out []netip.Prefix
	for _, n := range t.Networks() {
		if route.FamilyOf(n.Addr()) == fam && t.HasHosts(n) {
			out = append(out, n)
		}
	}
	all := slices.Clone(out)
	return slices.DeleteFunc(out, func(n netip.Prefix) bool {
		return slices.ContainsFunc(all,
			func(o netip.Prefix) bool { return o != n && o.Bits() < n.Bits() && o.Contains(n.Addr()) })
	})
}
