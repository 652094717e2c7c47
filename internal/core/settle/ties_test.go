package settle

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/change"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// openRing is four routers on a ring, of which the link between the last and the first is down. Each has a network of
// its own, and with OSPF r2 has two equal ways to one far away.
func openRing(protocol string, pref, step int) []string {
	out := make([]string, 4)
	for r := range out {
		say := func(format string, args ...any) { out[r] += fmt.Sprintf(format+"\n", args...) }
		left, right := (r+3)%4, r // links
		say("runs %s lan0 area 0.0.0.0 cost 10\naddr 10.61.%d.1/24 lan0\ndirect 10.61.%d.0/24 dev lan0", protocol, r, r)
		for side, k := range []int{right, left} {
			say("runs %s e%d area 0.0.0.0 cost 10\naddr 172.28.%d.%d/30 e%d", protocol, k, k, side+1, k)
			if k == 3 {
				say("link e%d down", k)
				continue
			}
			say("link e%d up\ndirect 172.28.%d.0/30 dev e%d", k, k, k)
		}
		for z := range 4 {
			hop, away := fmt.Sprintf("via 172.28.%d.2 dev e%d", right, right), z-r
			if z < r {
				hop, away = fmt.Sprintf("via 172.28.%d.1 dev e%d", left, left), r-z
			}
			if z != r {
				say("%s 10.61.%d.0/24 pref %d metric %d %s", protocol, z, pref, step*(away+1), hop)
			}
			if z < 3 && z != r && z != r-1 { // the link between z and the next one
				if z < r {
					away--
				}
				say("%s 172.28.%d.0/30 pref %d metric %d %s", protocol, z, pref, step*(away+1), hop)
			}
		}
	}
	if protocol == "rip" {
		return out
	}
	out[2] += fmt.Sprintf("%s 10.99.0.0/24 pref %d metric 90 via 172.28.1.1 dev e1 via 172.28.2.2 dev e2\n", protocol, pref)
	return out
}

// TestEqualWays closes a ring: what each router would use where two ways are equal then.
func TestEqualWays(t *testing.T) {
	none := func(*route.NextHop, int) {}
	for _, tt := range []struct {
		name     string
		protocol string
		mark     func(h *route.NextHop, i int)
		at       int
		to, want string
		more     map[int]string
	}{
		{"of OSPF both", "ospf", none, 2, "10.61.0.0/24", "e1 e2", nil},
		{"of OSPF both, where the table marks every way that forwards", "ospf",
			func(h *route.NextHop, _ int) { h.Installed = true }, 2, "10.61.0.0/24", "e1 e2", nil},
		{"nobody knows which one, where the table marks one of several", "ospf",
			func(h *route.NextHop, i int) { h.Installed = i == 0 }, 2, "10.61.0.0/24", "untold", nil},
		{"nobody knows which one, where the configuration has it use one", "ospf", none, 2, "10.61.0.0/24", "untold",
			map[int]string{2: "paths ospf 1"}},
		{"of OSPF both, where the configuration lets it use as many", "ospf", none, 2, "10.61.0.0/24", "e1 e2",
			map[int]string{2: "paths ospf 2"}},
		{"of RIP nobody knows whether both", "rip", none, 2, "10.61.0.0/24", "untold", nil},
		{"a network on a link has the metric of others that are attached", "rip", none, 0, "172.28.2.0/30", "e3", nil},
		{"and stays where it is nearer", "rip", none, 1, "172.28.2.0/30", "e1", nil},
		{"what was kept of a network that was gone says nothing when that comes back", "ospf", none, 1, "172.28.3.0/30", "e0",
			map[int]string{1: "ospf 172.28.3.0/30 pref 110 metric 30 via 172.28.0.1 dev e0",
				2: "ospf 172.28.3.0/30 pref 110 metric 40 via 172.28.1.1 dev e1"}},
		{"one that was told two equal ways and uses one stays with that", "rip", none, 2, "10.61.0.0/24", "e1", map[int]string{
			1: "direct 10.98.0.0/24 dev lan9", 3: "direct 10.98.0.0/24 dev lan9",
			2: "rip 10.98.0.0/24 pref 120 metric 2 via 172.28.2.2 dev e2"}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			pref, step := 110, 10
			if tt.protocol == "rip" {
				pref, step = 120, 1
			}
			var b network.Builder
			for r, text := range openRing(tt.protocol, pref, step) {
				f := coretest.Facts(tt.more[r]+"\n"+text, uint32(r+1))
				for i := range f.Tables {
					f.Tables[i].Routes.MapAttributes(func(a *route.Attributes) *route.Attributes {
						for k := range a.NextHops {
							tt.mark(&a.NextHops[k], k)
						}
						return a
					})
				}
				b.Add(fmt.Sprint("r", r), f, 0)
			}
			n := b.Build()
			edited, err := change.Change{change.InterfaceUp{Device: "r3", Interface: "e3"},
				change.InterfaceUp{Device: "r0", Interface: "e3"}}.On(n)
			require.NoError(t, err)
			after := New(topology.Build(n)).Run(edited).Network
			var got []string
			for _, x := range after.Device(fmt.Sprint("r", tt.at)).Table("default", route.IPv4).RoutesTo(netip.MustParsePrefix(tt.to)) {
				if x.Is(route.Untold) {
					got = append(got, "untold")
					continue
				}
				for _, h := range x.NextHops {
					got = append(got, h.Interface)
				}
			}
			require.Equal(t, tt.want, strings.Join(got, " "))
		})
	}
}

// TestWaysBesideEachOther: a router that has two links to one neighbour, and gets back an equal one to another. All three
// are used, but a daemon of OSPF for IPv6 was seen to leave one out.
func TestWaysBesideEachOther(t *testing.T) {
	for family, want := range map[route.Family]string{route.IPv4: "e0 e1 e2", route.IPv6: "untold"} {
		t.Run(family.String(), func(t *testing.T) {
			host := func(net string, i int) string { return fmt.Sprintf("172.28.%s.%d", net, i) }
			far, bits := "10.61.9.0/24", 30
			if family == route.IPv6 {
				host = func(net string, i int) string { return fmt.Sprintf("fe80::%s:%d", net, i) }
				far, bits = "fd01::/64", 64
			}
			var s strings.Builder
			links := [][2]string{{"a", "b"}, {"a", "b"}, {"a", "c"}, {"b", "d"}, {"c", "d"}}
			for k, ends := range links {
				for i, d := range ends {
					fmt.Fprintf(&s, "%s: addr %s/%d e%d\n%[1]s: runs ospf e%[4]d area 0.0.0.0 cost 10\n", d, host(fmt.Sprint(k), i+1), bits, k)
					fmt.Fprintf(&s, "%s: addr fd02:%d::%d/126 e%[2]d\n", d, k, i+1)
					state := "up"
					if k == 2 {
						state = "down"
					}
					fmt.Fprintf(&s, "%s: link e%d %s\n", d, k, state)
				}
			}
			row := func(d string, metric int, ways ...int) {
				fmt.Fprintf(&s, "%s: ospf %s pref 110 metric %d", d, far, metric)
				for _, k := range ways {
					fmt.Fprintf(&s, " via %s dev e%d", host(fmt.Sprint(k), 2), k)
				}
				s.WriteByte('\n')
			}
			row("a", 30, 0, 1)
			row("b", 20, 3)
			row("c", 20, 4)
			own := netip.MustParsePrefix(far)
			fmt.Fprintf(&s, "d: addr %s/%d lan\nd: direct %s dev lan\nd: runs ospf lan area 0.0.0.0 cost 10\n", own.Addr().Next(), own.Bits(), far)
			fmt.Fprintf(&s, "d: ospf %s pref 110 metric 10 dev lan candidate\n", far)
			n := coretest.Build(s.String())
			edited, err := change.Change{change.InterfaceUp{Device: "a", Interface: "e2"}, change.InterfaceUp{Device: "c", Interface: "e2"}}.On(n)
			require.NoError(t, err)
			var got []string
			for _, x := range New(topology.Build(n)).Run(edited).Network.Device("a").Table("default", family).RoutesTo(own) {
				for _, h := range x.NextHops {
					got = append(got, h.Interface)
				}
				if x.Is(route.Untold) {
					got = []string{"untold"}
				}
			}
			slices.Sort(got)
			require.Equal(t, want, strings.Join(got, " "))
		})
	}
}
