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
		{"but not where its timers let it change at any time", "rip", none, 2, "10.61.0.0/24", "untold", map[int]string{
			1: "direct 10.98.0.0/24 dev lan9", 3: "direct 10.98.0.0/24 dev lan9",
			2: "hasty rip\nrip 10.98.0.0/24 pref 120 metric 2 via 172.28.2.2 dev e2"}},
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

// linked builds routers a, b, c, d that speak OSPF over links of cost 10 each, of which one is down, and what further
// lines say. Other maps the address by which a link's second end is known: link-local for IPv6.
func linked(family route.Family, links [][2]string, down int, more func(hop func(link int) string) string) *network.Snapshot {
	host := func(net, i int) string { return fmt.Sprintf("172.28.%d.%d", net, i) }
	bits := 30
	if family == route.IPv6 {
		host = func(net, i int) string { return fmt.Sprintf("fe80::%d:%d", net, i) }
		bits = 64
	}
	var s strings.Builder
	for k, ends := range links {
		state := "up"
		if k == down {
			state = "down"
		}
		for i, d := range ends {
			fmt.Fprintf(&s, "%s: addr %s/%d e%d\n%[1]s: runs ospf e%[4]d area 0.0.0.0 cost 10\n", d, host(k, i+1), bits, k)
			fmt.Fprintf(&s, "%s: addr fd02:%d::%d/126 e%[2]d\n%[1]s: link e%[2]d %[4]s\n", d, k, i+1, state)
		}
	}
	s.WriteString(more(func(link int) string { return fmt.Sprintf(" via %s dev e%d", host(link, 2), link) }))
	return coretest.Build(s.String())
}

// waysWhenUp returns by which interfaces a sends to a prefix once a link of its own came up; "untold" where that cannot
// be told.
func waysWhenUp(t *testing.T, n *network.Snapshot, ends [2]string, ifname string, p netip.Prefix) string {
	t.Helper()
	edited, err := change.Change{change.InterfaceUp{Device: ends[0], Interface: ifname},
		change.InterfaceUp{Device: ends[1], Interface: ifname}}.On(n)
	require.NoError(t, err)
	var got []string
	for _, x := range New(topology.Build(n)).Run(edited).Network.Device("a").Table("default", route.FamilyOf(p.Addr())).RoutesTo(p) {
		for _, h := range x.NextHops {
			got = append(got, h.Interface)
		}
		if x.Is(route.Untold) {
			return "untold"
		}
	}
	slices.Sort(got)
	return strings.Join(got, " ")
}

// TestWaysBesideEachOther: a router that has two links to one neighbour, and gets back an equal one to another. All three
// are used, but a daemon of OSPF for IPv6 was seen to leave one out.
func TestWaysBesideEachOther(t *testing.T) {
	links := [][2]string{{"a", "b"}, {"a", "b"}, {"a", "c"}, {"b", "d"}, {"c", "d"}}
	for family, want := range map[route.Family]string{route.IPv4: "e0 e1 e2", route.IPv6: "untold"} {
		t.Run(family.String(), func(t *testing.T) {
			far := netip.MustParsePrefix(map[route.Family]string{route.IPv4: "10.61.9.0/24", route.IPv6: "fd01::/64"}[family])
			n := linked(family, links, 2, func(hop func(int) string) string {
				return fmt.Sprintf("a: ospf %s pref 110 metric 30%s%s\nb: ospf %[1]s pref 110 metric 20%[4]s\nc: ospf %[1]s pref 110 metric 20%[5]s\n",
					far, hop(0), hop(1), hop(3), hop(4)) +
					fmt.Sprintf("d: addr %s/%d lan\nd: direct %s dev lan\nd: runs ospf lan area 0.0.0.0 cost 10\n", far.Addr().Next(), far.Bits(), far) +
					fmt.Sprintf("d: ospf %s pref 110 metric 10 dev lan candidate\n", far)
			})
			require.Equal(t, want, waysWhenUp(t, n, links[2], "e2", far))
		})
	}
}

// TestOriginsThatWereEqual: the network of a link between c and d, which b reaches by either at one metric, and a by b. A
// link of a to d comes back, and c is farther than d from now on: a daemon of OSPF for IPv6 was seen to keep the old path.
func TestOriginsThatWereEqual(t *testing.T) {
	links := [][2]string{{"a", "b"}, {"b", "c"}, {"b", "d"}, {"c", "d"}, {"a", "d"}}
	for _, tt := range []struct {
		name   string
		family route.Family
		both   bool // b reaches the network by c as well
		want   string
	}{
		{"IPv4", route.IPv4, true, "e4"},
		{"IPv6", route.IPv6, true, "untold"},
		{"IPv6, d alone was near", route.IPv6, false, "e4"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			far := netip.MustParsePrefix("172.28.3.0/30")
			if tt.family == route.IPv6 {
				far = netip.MustParsePrefix("fd02:3::/126")
			}
			n := linked(tt.family, links, 4, func(hop func(int) string) string {
				other := ""
				if tt.both {
					other = hop(1)
				}
				return fmt.Sprintf("a: ospf %s pref 110 metric 30%s\nb: ospf %[1]s pref 110 metric 20%[3]s%[4]s\n", far, hop(0), hop(2), other) +
					fmt.Sprintf("c: direct %s dev e3\nc: ospf %[1]s pref 110 metric 10 dev e3 candidate\n", far) +
					fmt.Sprintf("d: direct %s dev e3\nd: ospf %[1]s pref 110 metric 10 dev e3 candidate\n", far)
			})
			require.Equal(t, tt.want, waysWhenUp(t, n, links[4], "e4", far))
		})
	}
}
