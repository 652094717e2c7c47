package network_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

func prefix(s string) netip.Prefix { return netip.MustParsePrefix(s) }

// TestClassOf holds the borders of the classes (RFC 791 section 3.2).
func TestClassOf(t *testing.T) {
	for a, want := range map[string]string{
		"127.255.255.255": "127.0.0.0/8", "128.0.0.1": "128.0.0.0/16", "191.255.0.9": "191.255.0.0/16", "192.0.0.9": "192.0.0.0/24",
		"223.255.255.9": "223.255.255.0/24", "224.0.0.1": "invalid Prefix",
	} {
		require.Equal(t, want, network.ClassOf(netip.MustParseAddr(a)).String(), a)
	}
}

func TestTablesStandInOrder(t *testing.T) {
	d := coretest.Build("a: static 10.1.0.0/16 via 10.0.0.2 in blue\na: static fd61::/48 via fd61:1::2\na: static 10.1.0.0/16 via 10.0.0.2 in air\na: static 10.1.0.0/16 via 10.0.0.2").
		Device("a")
	var got []string
	for _, tab := range d.Tables().All() {
		got = append(got, tab.Name+" "+tab.Family.String())
	}
	require.Equal(t, []string{"default ipv4", "default ipv6", "air ipv4", "blue ipv4"}, got)
}

func TestAnAddressPrintedTwiceIsOne(t *testing.T) {
	for _, in := range []string{
		"a: local 10.0.0.1/32 receive dev e0\na: addr 10.0.0.1/24 e0",
		"a: addr 10.0.0.1/32 e0\na: addr 10.0.0.1/24 e0",
		"a: local 10.0.0.1/32 receive\na: addr 10.0.0.1/24 e0",
	} {
		own := coretest.Build(in).Device("a").Own(netip.MustParseAddr("10.0.0.1"))
		require.Len(t, own, 1, in)
		require.Equal(t, "10.0.0.1/24 e0", own[0].Prefix.String()+" "+own[0].Interface, in)
	}
	two := coretest.Build("a: addr 10.0.0.1/24 e0\na: addr 10.0.0.1/24 e1").Device("a")
	require.Len(t, two.Own(netip.MustParseAddr("10.0.0.1")), 2, "it stands on two interfaces")
}

// TestOnlyWhatIsInUseIsAnOwnAddress: an attached host route that the table does not use is none.
func TestOnlyWhatIsInUseIsAnOwnAddress(t *testing.T) {
	d := coretest.Build("a: direct 10.9.9.1/32 dev lo0 candidate\na: static 10.9.9.2/32 dev lo0\na: direct 10.9.9.3/32 dev 7").
		Device("a")
	require.Zero(t, d.Addresses().Len())
}

func TestKernelsOwnBusinessIsNoDifference(t *testing.T) {
	d := coretest.Build(`
		a: direct fd61:1::/64 dev e0
		a: kernel: direct fd61:1::/64 dev e0
		a: kernel: direct fe80::/64 dev e0
		a: kernel: kernel ff00::/8 dev e0
		a: kernel: direct ::1/128 dev lo
		a: kernel: local fd61:1::1/128 receive dev lo
		a: kernel: kernel fd61:1::/128 broadcast dev e0`).Device("a")
	require.Zero(t, d.Table("default", route.IPv6).Differences().Len())
	d = coretest.Build("a: direct 10.1.0.0/24 dev e0\na: kernel: direct 10.1.0.0/24 dev e0\na: kernel: static 10.7.0.0/16 via 10.1.0.2 dev e0").
		Device("a")
	require.Equal(t, 1, d.Table("default", route.IPv4).Differences().Len(), "a route for packets of others is one")
}

func TestWhatTheTableChoseAndTheKernelLacksDoesNotForward(t *testing.T) {
	tab := coretest.Build("a: direct 10.1.0.0/24 dev e0\na: direct 10.2.0.0/24 dev e1\na: kernel: direct 10.1.0.0/24 dev e0").
		Device("a").
		Table("default", route.IPv4)
	g, ok := tab.Exact(prefix("10.2.0.0/24"))
	require.True(t, ok)
	require.False(t, tab.Routes().At(g.Lo).Is(route.Installed))
	require.Equal(t, network.NotInstalled, tab.Differences().At(0).Kind)
	// One that was not chosen is no difference.
	tab = coretest.Build("a: ospf 10.3.0.0/24 via 10.1.0.2 candidate\na: kernel: direct 10.1.0.0/24 dev e0").
		Device("a").
		Table("default", route.IPv4)
	require.Zero(t, countKind(tab, network.NotInstalled))
}

func countKind(t *network.Table, k network.DifferenceKind) (n int) {
	for _, d := range t.Differences().All() {
		if d.Kind == k {
			n++
		}
	}
	return n
}

// TestMomentsLookAtWhatForwards: a kernel's lower metric is compared, and multicast is not.
func TestMomentsLookAtWhatForwards(t *testing.T) {
	build := func(texts ...string) *network.Table {
		var b network.Builder
		for i, x := range texts {
			b.Add("a", coretest.Facts(x, uint32(i+1)), 0)
		}
		return b.Build().Device("a").Table("default", route.IPv4)
	}
	low := "kernel: static 10.1.0.0/16 metric 20 via 10.0.0.3\nkernel: static 10.1.0.0/16 metric 10 via 10.0.0.2"
	require.False(t, build(low, "kernel: static 10.1.0.0/16 metric 10 via 10.0.0.2").Contradictory())
	require.True(t, build(low, "kernel: static 10.1.0.0/16 metric 10 via 10.0.0.9").Contradictory())
	require.False(
		t,
		build(
			"static 10.1.0.0/16 via 10.0.0.2\nstatic 10.1.0.0/16 via 10.0.0.3",
			"static 10.1.0.0/16 via 10.0.0.3\nstatic 10.1.0.0/16 via 10.0.0.2",
		).Contradictory(),
		"equal ways in two rows",
	)
	require.True(t, build("static 10.1.0.0/16 via 10.0.0.2", "static 10.1.0.0/16 via 10.0.0.3").Contradictory())
}

func TestForwardingOffInAnyCaptureIsOff(t *testing.T) {
	for _, in := range []string{"a: forwarding ipv4 on\na: forwarding ipv4 off", "a: forwarding ipv4 off\na: forwarding ipv4 on", "a: forwarding ipv4 on\na: forwarding ipv4 off\na: forwarding ipv4 on"} {
		s, known := coretest.Build(in).Device("a").Forwards(route.IPv4)
		require.True(t, known)
		require.False(t, s.On, in)
	}
}

// TestSourceChecksCombineAsTheirSystemDoes: a kernel takes the larger of the settings for all and for one interface;
// elsewhere what names the interface counts.
func TestSourceChecksCombineAsTheirSystemDoes(t *testing.T) {
	mode := func(all, one network.CheckMode, combine bool) network.CheckMode {
		var b network.Builder
		b.Add("a", network.Facts{Checks: []network.SourceCheck{
			{
				Mode:    all,
				Combine: combine,
				Mark:    route.Mark{File: 1, End: 1},
			}, {Interface: "e0", Mode: one, Combine: combine, Mark: route.Mark{File: 1, Off: 1, End: 2}}}}, 0)
		return b.Build().Device("a").SourceCheck("e0", route.IPv4).Mode
	}
	require.Equal(t, network.CheckStrict, mode(network.CheckStrict, network.CheckOff, true))
	require.Equal(t, network.CheckLoose, mode(network.CheckStrict, network.CheckLoose, true))
	require.Equal(t, network.CheckOff, mode(network.CheckStrict, network.CheckOff, false))
	require.Equal(t, network.CheckStrict, mode(network.CheckOff, network.CheckStrict, false))
	var b network.Builder // one of each kind: what names the interface
	b.Add("a", network.Facts{Checks: []network.SourceCheck{
		{
			Mode:    network.CheckLoose,
			Combine: true,
			Mark:    route.Mark{File: 1, End: 1},
		}, {Interface: "e0", Mode: network.CheckStrict, Mark: route.Mark{File: 1, Off: 1, End: 2}}}}, 0)
	require.Equal(t, network.CheckStrict, b.Build().Device("a").SourceCheck("e0", route.IPv4).Mode)
}

// TestNumbersOfInterfacesBecomeNames in every kind of fact.
func TestNumbersOfInterfacesBecomeNames(t *testing.T) {
	n := network.IndexName(3)
	var b network.Builder
	b.Add(
		"a",
		network.Facts{
			Interfaces: []network.Interface{{Name: n, State: network.LinkDown}},
			Addresses:  []network.Address{{Prefix: prefix("10.0.0.1/24"), Interface: n}},
			Neighbours: []network.Neighbour{
				{Address: netip.MustParseAddr("10.0.0.2"), Interface: n},
			},
			Tables: coretest.Facts("direct 10.0.0.0/24 dev x", 1).Tables,
		},
		0,
	)
	f := network.Facts{Indexes: []network.IfIndex{{Index: 3, Name: "e0"}}}
	b.Add("a", f, 0)
	d := b.Build().Device("a")
	require.Equal(t, network.LinkDown, d.Interface("e0").State)
	require.Equal(t, "e0", d.Own(netip.MustParseAddr("10.0.0.1"))[0].Interface)
	_, ok := d.Neighbour(netip.MustParseAddr("10.0.0.2"), "e0")
	require.True(t, ok)
}

func TestDiscardsAreBlackholesUnreachableAndProhibited(t *testing.T) {
	d := coretest.Build("a: static 10.1.0.0/16 blackhole\na: static 10.2.0.0/16 unreachable\na: static 10.3.0.0/16 prohibit\na: static 10.4.0.0/16 dev e0\na: local 10.5.0.1/32 receive dev e0").
		Device("a")
	tab := d.Table("default", route.IPv4)
	n := 0
	for i := range tab.Routes().Len() {
		if (network.Filter{Special: true}).Shows(tab.Routes().At(i)) {
			n++
		}
	}
	require.Equal(t, 3, n)
	require.Equal(t, 3, network.Summarise(tab).Discards)
}

func TestAProtocolThatIsNotShownMergesWithOneThatIs(t *testing.T) {
	var b network.Builder
	b.Add("a", coretest.Facts("other 10.1.0.0/16 via 10.0.0.2", 1), 0)
	b.Add("a", coretest.Facts("static 10.1.0.0/16 pref 1 via 10.0.0.2", 2), 0)
	require.Equal(t, 1, b.Build().Device("a").Table("default", route.IPv4).Routes().Len())
	b = network.Builder{}
	b.Add("a", coretest.Facts("direct 10.1.0.0/16 dev e0", 1), 0)
	b.Add("a", coretest.Facts("static 10.1.0.0/16 dev e0", 2), 0)
	require.Equal(t, 2, b.Build().Device("a").Table("default", route.IPv4).Routes().Len(), "two sources are two routes")
}

// TestCopiesAreTheCallersOwn: a copy that somebody changes leaves the snapshot as it is.
func TestCopiesAreTheCallersOwn(t *testing.T) {
	n := coretest.Build("a: addr 10.0.0.1/24 e0\na: direct 10.0.0.0/24 dev e0")
	c := n.Device("a").Addresses().Copy()
	c[0].Interface = "changed"
	require.Equal(t, "e0", n.Device("a").Addresses().At(0).Interface)
	x := n.Draft()
	r := x.Routes("a", "default", prefix("10.0.0.0/24"))
	r[0].State = 0
	require.True(t, n.Device("a").Table("default", route.IPv4).Routes().At(0).Is(route.Installed))
}

// TestEqualWaysInRowsOfTheirOwn: a daemon's two rows and a kernel's one route with two ways, or the other way about,
// are one route and no difference.
func TestEqualWaysInRowsOfTheirOwn(t *testing.T) {
	rows := "static 10.1.0.0/16 pref 1 via 10.0.0.2 dev e0\na: static 10.1.0.0/16 pref 1 via 10.0.1.2 dev e1"
	for _, in := range []string{
		"a: " + rows + "\na: kernel: static 10.1.0.0/16 via 10.0.0.2 dev e0 via 10.0.1.2 dev e1",
		"a: static 10.1.0.0/16 pref 1 via 10.0.0.2 dev e0 via 10.0.1.2 dev e1\na: kernel: static 10.1.0.0/16 via 10.0.0.2 dev e0\na: kernel: static 10.1.0.0/16 via 10.0.1.2 dev e1",
	} {
		tab := coretest.Build(in).Device("a").Table("default", route.IPv4)
		require.Zero(t, tab.Differences().Len(), in)
		require.Equal(t, 1, tab.Routes().Len(), in)
		require.Len(t, tab.Routes().At(0).Forwarding(), 2)
		require.Equal(t, route.N(1), tab.Routes().At(0).Preference)
		require.Len(t, tab.Evidence(0), 3, "all three lines")
	}
	for _, apart := range []string{"pref 2", "pref 1 metric 7"} { // rows of another preference or metric are no equal ways
		two := "static 10.1.0.0/16 pref 1 via 10.0.0.2 dev e0\na: static 10.1.0.0/16 " + apart + " via 10.0.1.2 dev e1"
		tab := coretest.Build("a: "+two+"\na: kernel: static 10.1.0.0/16 via 10.0.0.2 dev e0 via 10.0.1.2 dev e1").
			Device("a").Table("default", route.IPv4)
		require.Greater(t, tab.Routes().Len(), 1, apart)
	}
	other := coretest.Build("a: "+rows+"\na: kernel: static 10.1.0.0/16 via 10.0.0.2 dev e0 via 10.0.5.2 dev e1").
		Device("a").
		Table("default", route.IPv4)
	require.NotZero(t, other.Differences().Len(), "other ways are a difference")
}

func TestNamesAreOrderedAsPeopleCount(t *testing.T) {
	n := coretest.Build(
		"mast10: direct 10.0.0.0/24 dev e0\nmast2: direct 10.0.0.0/24 dev e0\nMast1: direct 10.0.0.0/24 dev e0\nmast: direct 10.0.0.0/24 dev e0\nmast02: direct 10.0.0.0/24 dev e0",
	)
	var got []string
	for _, d := range n.Devices().All() {
		got = append(got, d.Name)
	}
	require.Equal(t, []string{"Mast1", "mast", "mast02", "mast2", "mast10"}, got)
}

// TestFilteredListings: what one does not show is not missing, whatever was captured beside it.
func TestFilteredListings(t *testing.T) {
	build := func(whole string, filtered ...string) *network.Table {
		var b network.Builder
		if whole != "" {
			b.Add("a", coretest.Facts(whole, 1), 0)
		}
		for i, x := range filtered {
			f := coretest.Facts(x, uint32(i+2))
			for k := range f.Tables {
				f.Tables[k].Filtered = route.Mark{File: uint32(i + 2), Off: 0, End: 9}
			}
			b.Add("a", f, 0)
		}
		return b.Build().Device("a").Table("default", route.IPv4)
	}
	all := "static 10.1.0.0/16 via 10.0.0.2\nstatic 10.2.0.0/16 via 10.0.0.2"
	tab := build(all, "kernel: static 10.1.0.0/16 via 10.0.0.2")
	require.False(
		t,
		tab.Undecided || tab.Filtered.Known() || tab.Kernel,
		"a part of what forwards takes nothing from the whole routing table",
	)
	require.Zero(t, tab.Differences().Len())
	require.True(t, tab.Routes().At(1).Is(route.Installed))
	tab = build("direct 10.0.0.0/24 dev e0\nstatic 10.1.0.0/16 via 10.0.0.2", "kernel: static 10.1.0.0/16 via 10.0.0.9 dev e0")
	require.NotNil(t, tab.Contradiction(netip.MustParsePrefix("10.1.0.0/16")), "what was asked for leads elsewhere than the whole table")
	require.Equal(t, network.OtherMoment, tab.Contradiction(netip.MustParsePrefix("10.1.0.0/16")).Kind)
	tab = build("database: rip 10.1.0.0/16 via 10.0.0.2", "static 10.1.0.0/16 via 10.0.0.2")
	require.True(t, tab.Undecided && tab.Filtered.Known(), "a protocol's own list is no table")
	tab = build("", "static 10.1.0.0/16 via 10.0.0.2", "direct 10.0.0.0/24 dev e0")
	require.True(t, tab.Undecided && tab.Filtered.Known())
	tab = build(all, "static 10.1.0.0/16 via 10.0.0.9")
	require.False(t, tab.Undecided)
	require.True(t, tab.Contradictory(), "another moment of the same kind still contradicts")
}

// TestMomentsLookAtEveryRow: a row that does not forward, or that a kernel keeps behind another, hides none after it;
// multicast groups are no routes to compare.
func TestMomentsLookAtEveryRow(t *testing.T) {
	build := func(texts ...string) *network.Table {
		var b network.Builder
		for i, x := range texts {
			b.Add("a", coretest.Facts(x, uint32(i+1)), 0)
		}
		return b.Build().Device("a").Table("default", route.IPv4)
	}
	require.True(
		t,
		build(
			"kernel: static 10.1.0.0/16 metric 10 via 10.0.0.2\nkernel: static 10.1.0.0/16 metric 20 via 10.0.0.3",
			"kernel: static 10.1.0.0/16 metric 10 via 10.0.0.9",
		).Contradictory(),
	)
	require.True(
		t,
		build(
			"static 10.1.0.0/16 via 10.0.0.5 candidate\nstatic 10.1.0.0/16 via 10.0.0.2",
			"static 10.1.0.0/16 via 10.0.0.5 candidate\nstatic 10.1.0.0/16 via 10.0.0.3",
		).Contradictory(),
	)
	require.False(t, build("direct 239.1.0.0/16 multicast", "static 239.1.0.0/16 via 10.0.0.2").Contradictory())
}

// TestAKernelsCheckYieldsToNoOtherKind: only two settings of a kernel are compared by their strength.
func TestAKernelsCheckYieldsToNoOtherKind(t *testing.T) {
	var b network.Builder
	b.Add("a", network.Facts{Checks: []network.SourceCheck{
		{
			Interface: "e0",
			Mode:      network.CheckStrict,
			Combine:   true,
			Mark:      route.Mark{File: 1, End: 1},
		}, {Mode: network.CheckLoose, Mark: route.Mark{File: 1, Off: 1, End: 2}}}}, 0)
	require.Equal(t, network.CheckStrict, b.Build().Device("a").SourceCheck("e0", route.IPv4).Mode)
}

// TestAnAddressWithoutItsInterface is the same one as where a later line tells the interface.
func TestAnAddressWithoutItsInterface(t *testing.T) {
	var b network.Builder
	b.Add(
		"a",
		network.Facts{
			Addresses: []network.Address{
				{Prefix: prefix("10.0.0.1/32")},
				{Prefix: prefix("10.0.0.1/24"), Interface: "e0"},
			},
		},
		0,
	)
	own := b.Build().Device("a").Addresses().Copy()
	require.Len(t, own, 1)
	require.Equal(t, "10.0.0.1/24 e0", own[0].Prefix.String()+" "+own[0].Interface)
}

// TestAnOwnAddressGoesWithItsRoute: what a draft takes out of the local routes is no longer the device's.
func TestAnOwnAddressGoesWithItsRoute(t *testing.T) {
	n := coretest.Build("a: local 10.0.0.1/32 receive dev e0\na: static 10.9.0.0/16 via 10.0.0.2 dev e0")
	require.Len(t, n.Device("a").Own(netip.MustParseAddr("10.0.0.1")), 1)
	x := n.Draft()
	x.SetRoutes("a", "default", prefix("10.0.0.1/32"), nil)
	require.Empty(t, x.Freeze().Device("a").Own(netip.MustParseAddr("10.0.0.1")))
	require.Len(t, n.Device("a").Own(netip.MustParseAddr("10.0.0.1")), 1, "the snapshot stays as it was")
}

// TestAListAppliedInTwoCapturesIsAppliedOnce, whatever line each shows it on.
func TestAListAppliedInTwoCapturesIsAppliedOnce(t *testing.T) {
	build := func(files ...uint32) int {
		var b network.Builder
		for _, f := range files {
			m := route.Mark{File: f, Off: f, End: f + 1}
			b.Add("a", network.Facts{ListRules: []network.ListRule{{List: "NIGHT", FlowRule: network.FlowRule{Permit: true, Mark: m}}},
				Applied: []network.AppliedFilter{{List: "NIGHT", Rule: network.FlowRule{In: "e0", Permit: f > 1, Mark: m}}}}, 0)
		}
		return b.Build().Device("a").Flows().Len()
	}
	require.Equal(t, build(1), build(1, 2))
}

// TestRulesBetweenZonesThatNobodyTells: a rule may be for any interface where the device has none that it names, and it
// may be a zone's name.
func TestRulesBetweenZonesThatNobodyTells(t *testing.T) {
	m := route.Mark{File: 1, End: 9}
	for _, tt := range []struct {
		in    string
		zones bool
		want  network.FlowRule
	}{
		{"e0", true, network.FlowRule{In: "e0"}},
		{"hall", true, network.FlowRule{Undecided: true}},
		{"hall", false, network.FlowRule{In: "hall"}},
	} {
		var b network.Builder
		b.Add("gate", network.Facts{
			Addresses: []network.Address{{Prefix: netip.MustParsePrefix("10.61.16.1/24"), Interface: "e0", Mark: m}},
			ListRules: []network.ListRule{{List: "NIGHT", Zones: tt.zones, FlowRule: network.FlowRule{In: tt.in, Mark: m}}},
			Applied:   []network.AppliedFilter{{List: "NIGHT", Rule: network.FlowRule{Mark: m}}}}, 0)
		first := b.Build().Device("gate").Flows().At(0)
		require.Equal(t, tt.want, network.FlowRule{In: first.In, Undecided: first.Undecided}, tt.in)
	}
}

// TestWhatAListOfAddressesShows: one that shows the first address of an interface alone is not all of them.
func TestWhatAListOfAddressesShows(t *testing.T) {
	at := func(prefix, ifname string, first bool) network.Address {
		return network.Address{Prefix: netip.MustParsePrefix(prefix), Interface: ifname, First: first, Mark: route.Mark{File: 1, Off: 1, End: 2}}
	}
	four, six, firstFour := at("127.0.0.1/8", "lo", false), at("::1/128", "lo", false), at("127.0.0.1/8", "lo", true)
	for name, c := range map[string]struct {
		all          []network.Address
		fours, sixes bool
	}{
		"none":               {nil, false, false},
		"all":                {[]network.Address{four, six}, true, true},
		"the first alone":    {[]network.Address{firstFour, six}, false, true},
		"the first, and all": {[]network.Address{firstFour, six, four}, true, true},
		"IPv6 alone":         {[]network.Address{six}, false, true},
		"IPv4 alone":         {[]network.Address{four}, true, false},
	} {
		var b network.Builder
		b.Add("r", network.Facts{Addresses: c.all, Interfaces: []network.Interface{{Name: "lo", Mark: route.Mark{File: 1, Off: 1, End: 2}}}}, 0)
		d := b.Build().Device("r")
		require.Equal(t, c.fours, d.ListsAddresses(route.IPv4), name)
		require.Equal(t, c.sixes, d.ListsAddresses(route.IPv6), name)
		require.Equal(t, c.fours, d.ListsAddressesOf(route.IPv4, "lo"), name)
		require.Equal(t, c.sixes, d.ListsAddressesOf(route.IPv6, "lo"), name)
	}
}
