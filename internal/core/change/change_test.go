package change_test

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/change"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// two is a device with two links, and a route to a network behind the first.
const two = `
	a: direct 10.0.0.0/24 dev e0
	a: direct 10.0.1.0/24 dev e1
	a: link e0 up
	a: link e1 up
`

func static(p, hop string, pref uint64) network.Static {
	return network.Static{
		Prefix:     netip.MustParsePrefix(p),
		Preference: route.N(pref),
		NextHop:    route.NextHop{Address: netip.MustParseAddr(hop)},
	}
}

func TestTry(t *testing.T) {
	n := coretest.Build(
		two + "a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0\na: ospf 10.2.3.0/24 pref 110 via 10.0.0.2 dev e0\na: static 0.0.0.0/0 pref 1 via 10.0.1.9 dev e1",
	)
	try := func(p, hop string, pref uint64) change.Fare {
		f, err := change.Try(n, change.AddRoute{Device: "a", Static: static(p, hop, pref)})
		require.NoError(t, err)
		return f
	}
	require.Equal(t, change.WouldWait, try("10.1.0.0/16", "10.0.1.2", 130).Outcome)
	require.Equal(t, change.WouldReplace, try("10.1.0.0/16", "10.0.1.2", 5).Outcome)
	require.Equal(t, change.WouldTie, try("10.1.0.0/16", "10.0.1.2", 110).Outcome)
	require.Equal(t, change.CouldNotBeUsed, try("10.1.0.0/16", "10.1.1.2", 110).Outcome)
	require.True(t, try("0.0.0.0/0", "10.0.1.9", 1).Already)
	f := try("10.2.0.0/16", "10.0.1.2", 1)
	require.Equal(t, change.WouldBeAlone, f.Outcome)
	require.Equal(t, "10.2.3.0/24", f.Keeps[0].Prefix.String(), "the longer route goes on")
	require.Equal(t, "0.0.0.0/0", f.Takes.Prefix.String(), "whose addresses it takes")
}

// rows shows a device's IPv4 routes of one prefix: next hop or interface, and whether each forwards.
func rows(n *network.Snapshot, p string) []string {
	var out []string
	t := n.Device("a").Table("default", route.IPv4)
	g, ok := t.Exact(netip.MustParsePrefix(p))
	if !ok {
		return nil
	}
	for _, r := range t.Members(g) {
		where := r.Special.String()
		if len(r.NextHops) > 0 {
			where = r.NextHops[0].Interface
			if a := r.NextHops[0].Address; a.IsValid() {
				where = a.String()
			}
		}
		switch {
		case r.Is(route.Installed):
			where += " forwards"
		case r.Is(route.Rejected):
			where += " unreadable"
		}
		out = append(out, where)
	}
	return out
}

func TestEdits(t *testing.T) {
	p := netip.MustParsePrefix("10.1.0.0/16")
	for _, tt := range []struct {
		name, in string
		edits    change.Change
		want     []string
	}{
		{"a better route replaces", "a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0", change.Change{change.AddRoute{"a", static("10.1.0.0/16", "10.0.1.2", 5)}},
			[]string{"10.0.0.2", "10.0.1.2 forwards"}},
		{"a worse one waits", "a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0", change.Change{change.AddRoute{"a", static("10.1.0.0/16", "10.0.1.2", 130)}},
			[]string{"10.0.0.2 forwards", "10.0.1.2"}},
		{"one without a way stays out", "", change.Change{change.AddRoute{"a", static("10.1.0.0/16", "10.9.1.2", 5)}}, nil},
		{"the backup comes in when the winner goes", "a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0\na: static 10.1.0.0/16 pref 130 via 10.0.1.2 dev e1 candidate",
			change.Change{change.RemoveRoute{Device: "a", Prefix: p, NextHop: netip.MustParseAddr("10.0.0.2")}}, []string{"10.0.1.2 forwards"}},
		{"a configured backup that no table shows comes in too", "a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0\na: conf 10.1.0.0/16 via 10.0.1.2 pref 130",
			change.Change{change.RemoveRoute{Device: "a", Prefix: p, NextHop: netip.MustParseAddr("10.0.0.2")}}, []string{"10.0.1.2 forwards"}},
		{"nothing is chosen where nothing tells which", "a: bgp 10.1.0.0/16 via 10.0.0.2 dev e0\na: bgp 10.1.0.0/16 via 10.0.1.2 dev e1 candidate\na: bgp 10.1.0.0/16 via 10.0.1.3 dev e1 candidate",
			change.Change{change.RemoveRoute{Device: "a", Prefix: p, NextHop: netip.MustParseAddr("10.0.0.2")}}, []string{"10.0.1.2 unreadable", "10.0.1.3"}},
		{"altered", "a: static 10.1.0.0/16 pref 1 via 10.0.0.2 dev e0",
			change.Change{change.AlterRoute{Remove: change.RemoveRoute{Device: "a", Prefix: p}, Add: static("10.1.0.0/16", "10.0.1.2", 1)}}, []string{"10.0.1.2 forwards"}},
		{"one that waits is tried", "a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0", change.Change{change.Use{"a", "default", route.Route{Prefix: p,
			Attributes: &route.Attributes{Protocol: route.Static, NextHops: []route.NextHop{{Address: netip.MustParseAddr("10.0.1.2"), Interface: "e1"}}}}}},
			[]string{"10.0.0.2", "10.0.1.2 forwards"}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			n := coretest.Build(two + tt.in)
			before := rows(n, "10.1.0.0/16")
			after, err := tt.edits.On(n)
			require.NoError(t, err)
			require.Equal(t, tt.want, rows(after, "10.1.0.0/16"))
			require.Equal(t, before, rows(n, "10.1.0.0/16"), "the snapshot below is as it was")
		})
	}
}

func TestInterfaceDownAndUp(t *testing.T) {
	n := coretest.Build(
		two + "a: addr 10.0.0.1/24 e0\na: addr fd61::1/64 e0\na: direct fd61::/64 dev e0\na: ospf 10.0.0.0/24 pref 110 via 10.0.1.2 dev e1 candidate",
	)
	down, err := change.Change{change.InterfaceDown{"a", "e0"}}.On(n)
	require.NoError(t, err)
	require.Equal(
		t,
		[]string{"10.0.1.2 forwards"},
		rows(down, "10.0.0.0/24"),
		"what was learned of the network comes in",
	)
	require.Equal(t, network.LinkDown, down.Device("a").Interface("e0").State)
	require.NotEmpty(t, down.Device("a").Own(netip.MustParseAddr("10.0.0.1")), "an IPv4 address stays")
	require.Empty(t, down.Device("a").Own(netip.MustParseAddr("fd61::1")), "an IPv6 address does not")
	require.Zero(t, down.Device("a").Table("default", route.IPv6).Routes().Len())
	up, err := change.Change{change.InterfaceUp{"a", "e0"}}.On(down)
	require.NoError(t, err)
	require.Equal(t, []string{"10.0.1.2", "e0 forwards"}, rows(up, "10.0.0.0/24"))
	require.Equal(t, network.LinkUp, up.Device("a").Interface("e0").State)
}

// TestRoutesWithoutCarrier: a kernel keeps the routes into a link without carrier, and of several next hops leaves the
// dead one out; both are used again once the interface is up.
func TestRoutesWithoutCarrier(t *testing.T) {
	n := coretest.Build("a: kernel: static 10.9.0.0/16 via 172.16.0.2 dev e0\na: addr 172.16.0.1/30 e0\na: link e0 down\n" +
		"a: kernel: direct 172.16.1.0/30 dev e1\na: addr 172.16.1.1/30 e1")
	x := n.Draft()
	rows := n.Device("a").Table("default", route.IPv4).RoutesTo(netip.MustParsePrefix("10.9.0.0/16"))
	attr := *rows[0].Attributes
	attr.NextHops = []route.NextHop{{Address: netip.MustParseAddr("172.16.0.2"), Interface: "e0", Down: true, Inactive: true},
		{Address: netip.MustParseAddr("172.16.1.2"), Interface: "e1"}}
	rows[0].Attributes = &attr
	x.SetRoutes("a", "default", rows[0].Prefix, rows)
	after, err := change.Change{change.InterfaceUp{Device: "a", Interface: "e0"}}.On(x.Freeze())
	require.NoError(t, err)
	got := after.Device("a").Table("default", route.IPv4).RoutesTo(rows[0].Prefix)
	require.Len(t, got, 1)
	for _, h := range got[0].NextHops {
		require.False(t, h.Down || h.Inactive, h)
	}
	require.True(t, attr.NextHops[0].Down, "what was captured stays")

	open, err := change.Change{change.MayComeUp{Device: "a", Interface: "e0"}}.On(x.Freeze())
	require.NoError(t, err)
	require.True(t, open.Device("a").Table("default", route.IPv4).RoutesTo(rows[0].Prefix)[0].Is(route.Untold))
}

func TestSwitches(t *testing.T) {
	n := coretest.Build(two + "a: forwarding ipv4 on\na: check e0 strict\na: check e1 loose")
	after, err := change.Change{
		change.Forwarding{"a", network.Switch{Family: route.IPv4}},
		change.SourceCheck{
			"a",
			network.SourceCheck{Interface: "e0", Mode: network.CheckLoose, Mark: route.Mark{File: 1}},
		},
	}.On(n)
	require.NoError(t, err)
	s, known := after.Device("a").Forwards(route.IPv4)
	require.True(t, known && !s.On)
	require.Equal(t, network.CheckLoose, after.Device("a").SourceCheck("e0", route.IPv4).Mode)
	require.Equal(t, network.CheckLoose, after.Device("a").SourceCheck("e1", route.IPv4).Mode)
	require.Equal(t, network.CheckStrict, n.Device("a").SourceCheck("e0", route.IPv4).Mode)
}

func TestErrorsSayWhatIsNotThere(t *testing.T) {
	n := coretest.Build(two)
	for want, e := range map[string]change.Edit{
		`edit 1: there is no device "b"`:                    change.InterfaceDown{"b", "e0"},
		`edit 1: a has no such route 10.7.0.0/16`:           change.RemoveRoute{Device: "a", Prefix: netip.MustParsePrefix("10.7.0.0/16")},
		`edit 1: no ipv4 table "red" of a was captured`:     change.RemoveRoute{Device: "a", Table: "red", Prefix: netip.MustParsePrefix("10.7.0.0/16")},
		`edit 1: no ipv6 table "default" of a was captured`: change.AddRoute{"a", static("fd61:7::/64", "fd61::2", 1)},
	} {
		_, err := change.Change{e}.On(n)
		require.EqualError(t, err, want)
	}
}

// again builds a snapshot anew from all that another one says.
func again(n *network.Snapshot) *network.Snapshot {
	var b network.Builder
	b.Hosts = n.Hosts().Copy()
	for _, d := range n.Devices().All() {
		f := network.Facts{
			Addresses:  d.Addresses().Copy(),
			Interfaces: d.Interfaces().Copy(),
			Neighbours: d.Neighbours().Copy(),
			Rules:      d.Rules().Copy(),
			Statics:    d.Statics().Copy(),
			Sessions:   d.Sessions().Copy(),
			Checks:     d.Checks().Copy(),
			Virtuals:   d.Virtuals().Copy(),
			Policy: network.Policy{
				Flows:        d.Flows().Copy(),
				Translations: d.Translations().Copy(),
				Tunnels:      d.Tunnels().Copy(),
				Stateful:     d.Stateful(),
			},
		}
		for _, fam := range []route.Family{route.IPv4, route.IPv6} {
			if s, ok := d.Forwards(fam); ok {
				f.Forwarding = append(f.Forwarding, s)
			}
		}
		if d.Classful.Known() {
			f.Classful = []route.Mark{d.Classful}
		}
		for _, t := range d.Tables().All() {
			tf := network.TableFacts{Name: t.Name, Family: t.Family, HighestWins: t.HighestWins, Cut: t.CutAt.IsValid()}
			for i := range t.Routes().Len() {
				tf.Routes.AddRoute(t.Routes().At(i))
			}
			f.Tables = append(f.Tables, tf)
		}
		b.Add(d.Name, f, d.Unread)
	}
	return b.Build()
}

// TestOverlayIsBuildingAnew: on random networks with random edits, one on the other, everything that can be asked of
// an overlay is as if the network had been built from what it says.
func TestOverlayIsBuildingAnew(t *testing.T) {
	edits, pairs, lookups := 0, 0, 0
	for seed := range uint64(40) {
		rnd := rand.New(rand.NewPCG(seed, 61))
		size := 3 + rnd.IntN(6)
		text := coretest.RandomText(rnd, size)
		if seed%2 == 1 {
			text += coretest.RandomShares(rnd, size)
		}
		n := coretest.Build(text)
		topo := topology.Build(n)
		w := forward.NewWalker(topo)
		for range 6 {
			e := randomEdit(rnd, n)
			next, err := change.Change{e}.On(n)
			if err != nil {
				continue
			}
			edits++
			n = next
			w = w.On(n)
			fresh := again(n)
			compareTables(t, n, fresh, rnd, &lookups)
			w2 := forward.NewWalker(topology.Build(fresh))
			require.Equal(t, attachments(w2), attachments(w), "seed %d after %T %v", seed, e, e)
			for range 60 {
				src, dst := someone(rnd, n), someone(rnd, n)
				if !src.IsValid() || !dst.IsValid() {
					continue
				}
				pairs++
				require.Equal(
					t,
					told(w2.Trace(src, dst)),
					told(w.Trace(src, dst)),
					"seed %d, %s to %s after %T %v",
					seed,
					src,
					dst,
					e,
					e,
				)
			}
		}
		require.Equal(
			t,
			ids(audit.Run(forward.NewWalker(topology.Build(again(n))), audit.Options{})),
			ids(audit.Run(w, audit.Options{})),
			"seed %d",
			seed,
		)
	}
	require.Greater(t, edits, 150)
	require.Greater(t, pairs, 5000)
	require.Greater(t, lookups, 5000)
}

func ids(r *audit.Result) (out []string) {
	for _, f := range r.Findings {
		out = append(out, f.ID+" "+f.Severity.String())
	}
	slices.Sort(out)
	return out
}

func attachments(w *forward.Walker) (out []string) {
	for _, a := range w.Topology().Attachments() {
		out = append(out, fmt.Sprint(a.Device.Name, a.Table, a.Interface, a.Prefix, a.Address, a.Down))
	}
	slices.Sort(out)
	return out
}

// told is all of a round trip that does not depend on which snapshot it was walked in.
func told(rt forward.RoundTrip) (out []string) {
	direction := func(d *forward.Direction) {
		if d == nil {
			return
		}
		for _, b := range d.Branches {
			line := fmt.Sprint(b.Verdict, b.Where, b.Delivery, b.Reason.Code, fmt.Sprintf("%.3f", b.Share))
			for _, h := range b.Hops {
				line += fmt.Sprint(" ", h.Device, h.Table, h.Prefix, h.NextHop, h.OutInterface, h.Owner)
			}
			out = append(out, line)
		}
	}
	direction(&rt.Forward)
	direction(rt.Return)
	return append(out, rt.Verdict.String())
}

func someone(rnd *rand.Rand, n *network.Snapshot) netip.Addr {
	d := n.Devices().At(rnd.IntN(n.Devices().Len()))
	if d.Addresses().Len() == 0 {
		return netip.Addr{}
	}
	a := d.Addresses().At(rnd.IntN(d.Addresses().Len())).Prefix
	if rnd.IntN(2) == 0 || a.Bits() > 29 {
		return a.Addr()
	}
	return a.Masked().Addr().Next().Next().Next().Next()
}

func randomEdit(rnd *rand.Rand, n *network.Snapshot) change.Edit {
	d := n.Devices().At(rnd.IntN(n.Devices().Len()))
	t := d.Tables().At(rnd.IntN(d.Tables().Len()))
	ifname := func() string {
		if d.Addresses().Len() == 0 {
			return "e0"
		}
		return d.Addresses().At(rnd.IntN(d.Addresses().Len())).Interface
	}
	prefix := func() netip.Prefix {
		if l := t.Routes().Len(); l > 0 && rnd.IntN(4) > 0 {
			return t.Routes().Prefix(rnd.IntN(l))
		}
		p, _ := netip.AddrFrom4([4]byte{10, 61, byte(rnd.IntN(9)), 0}).Prefix(8 + rnd.IntN(25))
		return p
	}
	hop := func() netip.Addr {
		if l := t.Routes().Len(); l > 0 {
			if hops := t.Routes().At(rnd.IntN(l)).NextHops; len(hops) > 0 && hops[0].Address.IsValid() {
				return hops[0].Address
			}
		}
		return netip.AddrFrom4([4]byte{172, 28, byte(rnd.IntN(9)), 2})
	}
	add := network.Static{
		Prefix:     prefix(),
		Table:      t.Name,
		Preference: route.N(uint64(rnd.IntN(200))),
		NextHop:    route.NextHop{Address: hop()},
		Mark:       route.Mark{File: 3, Off: 1, End: 2},
	}
	switch rnd.IntN(9) {
	case 0, 1, 2:
		return change.AddRoute{d.Name, add}
	case 3, 4:
		return change.RemoveRoute{Device: d.Name, Table: t.Name, Prefix: prefix()}
	case 5:
		return change.AlterRoute{Remove: change.RemoveRoute{Device: d.Name, Table: t.Name, Prefix: prefix()}, Add: add}
	case 6:
		return change.InterfaceDown{d.Name, ifname()}
	case 7:
		if rnd.IntN(3) == 0 && n.Devices().Len() > 2 {
			return change.DeviceDown{d.Name}
		}
		return change.InterfaceUp{d.Name, ifname()}
	}
	return change.Forwarding{
		d.Name,
		network.Switch{Family: route.IPv4, On: rnd.IntN(3) > 0, Mark: route.Mark{File: 3, Off: 1, End: 2}},
	}
}

func compareTables(t *testing.T, n, fresh *network.Snapshot, rnd *rand.Rand, lookups *int) {
	t.Helper()
	for _, d := range n.Devices().All() {
		for _, a := range d.Tables().All() {
			b := fresh.Device(d.Name).Table(a.Name, a.Family)
			if a.Routes().Len() == 0 {
				continue
			}
			require.NotNil(t, b)
			require.Equal(t, list(b), list(a))
			for range 20 {
				p, _ := netip.AddrFrom4([4]byte{10, 61, byte(rnd.IntN(9)), byte(rnd.IntN(256))}).Prefix(rnd.IntN(33))
				if l := a.Routes().Len(); rnd.IntN(2) == 0 {
					p = a.Routes().Prefix(rnd.IntN(l))
				}
				if route.FamilyOf(p.Addr()) != a.Family {
					continue
				}
				*lookups++
				require.Equal(t, slices.Collect(b.Covering(p)), slices.Collect(a.Covering(p)), p)
				require.Equal(t, slices.Collect(b.Search(p)), slices.Collect(a.Search(p)), p)
				require.Equal(t, slices.Collect(b.Inside(p)), slices.Collect(a.Inside(p)), p)
				bg, bok := b.Exact(p)
				ag, aok := a.Exact(p)
				require.Equal(t, []any{bg, bok}, []any{ag, aok}, p)
				bg, bok = b.LongestGroup(p.Addr())
				ag, aok = a.LongestGroup(p.Addr())
				require.Equal(t, []any{bg, bok}, []any{ag, aok}, p)
			}
		}
	}
}

func list(t *network.Table) (out []string) {
	for i := range t.Routes().Len() {
		r := t.Routes().At(i)
		out = append(out, fmt.Sprint(r.Prefix, *r.Attributes, r.State, r.Mark))
	}
	return out
}
