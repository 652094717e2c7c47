package selection_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

const attached = "a: direct 10.0.0.0/24 dev e0\na: direct 10.0.1.0/24 dev e1\na: link e0 up\na: link e1 up\n"

func TestOrderWithinOneProtocol(t *testing.T) {
	for _, tt := range []struct {
		name, won, lost string
		why             selection.Why
	}{
		{"IS-IS levels come before the metric", "isis/level-1 X pref 115 metric 40", "isis/level-2 X pref 115 metric 10", selection.Level},
		{"a level 1 route leaked down comes last", "isis/level-2 X pref 115 metric 40", "isis/inter-area X pref 115 metric 10", selection.Level},
		{"where a level is not shown the metric decides", "isis X pref 115 metric 10", "isis/level-1 X pref 115 metric 40", selection.Metric},
		{"local preference comes before the path", "bgp X pref 20 lp 200 len 5", "bgp X pref 20 lp 100 len 1", selection.LocalPreference},
		{"the shorter path", "bgp X pref 20 lp 100 len 2 origin 3", "bgp X pref 20 lp 100 len 3 origin 1", selection.PathLength},
		{"the better origin", "bgp X pref 20 len 2 origin 1", "bgp X pref 20 len 2 origin 3", selection.Origin},
		{"the lower discriminator from one neighbouring AS", "bgp X pref 20 len 2 as 7 med 5", "bgp X pref 20 len 2 as 7 med 9", selection.MultiExit},
		{"discriminators of two ASes are not compared", "bgp X pref 20 len 2 as 7 med 9 peer 1", "bgp X pref 20 len 2 as 8 med 5 peer 2", selection.ExternalFirst},
		{"without its attributes nothing is claimed of BGP", "bgp X pref 20 metric 0", "bgp X pref 20 metric 5", selection.NotChosen},
		{"by the rules the other should have won", "bgp X pref 20 len 5", "bgp X pref 20 len 2", selection.AgainstRules},
		{"EIGRP's external routes lose by their preference", "eigrp X pref 90 metric 9000", "eigrp/external X pref 170 metric 10", selection.Preference},
	} {
		t.Run(tt.name, func(t *testing.T) {
			line := func(s, hop string) string { return "a: " + replaceX(s) + " via " + hop + " dev e0" }
			c := explain(
				line(tt.won, "10.0.0.2")+"\n"+line(tt.lost, "10.0.0.3")+" candidate",
				netip.MustParsePrefix("10.1.0.1/32"),
			)
			require.Equal(t, tt.why, c.Lost[0].Why)
		})
	}
}

func replaceX(s string) string {
	for i := range s {
		if s[i] == 'X' {
			return s[:i] + "10.1.0.0/16" + s[i+1:]
		}
	}
	return s
}

func TestHighestPreferenceWinsWhereTheTableSaysSo(t *testing.T) {
	var l route.List
	l.AddRoute(route.Route{Prefix: netip.MustParsePrefix("10.1.0.0/16"), State: route.Active | route.Installed,
		Attributes: &route.Attributes{
			Protocol:   route.Static,
			Preference: route.N(200),
			NextHops:   []route.NextHop{{Interface: "e0", Address: netip.MustParseAddr("10.0.0.2")}},
		}})
	l.AddRoute(route.Route{Prefix: netip.MustParsePrefix("10.1.0.0/16"),
		Attributes: &route.Attributes{
			Protocol:   route.OSPF,
			Preference: route.N(150),
			NextHops:   []route.NextHop{{Interface: "e1", Address: netip.MustParseAddr("10.0.1.2")}},
		}})
	var b network.Builder
	b.Add(
		"a",
		network.Facts{
			Tables: []network.TableFacts{{Name: "default", Family: route.IPv4, HighestWins: true, Routes: l}},
		},
		0,
	)
	d := b.Build().Device("a")
	c := selection.Explain(d, d.Table("default", route.IPv4), netip.MustParsePrefix("10.1.0.1/32"))
	require.Equal(t, selection.Preference, c.Lost[0].Why)
	require.Equal(t, route.OSPF, c.TakesOver.Route.Protocol)
	require.Empty(t, c.Remarks)
}

func TestConfiguredStatics(t *testing.T) {
	for _, tt := range []struct {
		name, in string
		fate     selection.Fate
	}{
		{"in use", attached + "a: static 10.1.0.0/16 pref 1 via 10.0.0.2 dev e0\na: conf 10.1.0.0/16 via 10.0.0.2", selection.InUse},
		{"a floating one in the table", attached + "a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0\na: static 10.1.0.0/16 pref 130 via 10.0.1.2 dev e1 candidate\na: conf 10.1.0.0/16 via 10.0.1.2 pref 130", selection.Standby},
		{"a floating one that the table does not print", attached + "a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0\na: conf 10.1.0.0/16 via 10.0.1.2 pref 130", selection.Standby},
		{"it should have replaced the learned route", attached + "a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0\na: conf 10.1.0.0/16 via 10.0.1.2 pref 5", selection.AgainstTheOrder},
		{"nothing leads to its next hop", attached + "a: conf 10.1.0.0/16 via 10.9.0.2", selection.HopUnresolved},
		{"nothing but the default does", attached + "a: static 0.0.0.0/0 via 10.0.0.1 dev e0\na: conf 10.1.0.0/16 via 10.9.0.2", selection.HopByDefault},
		{"its next hop lies in itself", attached + "a: conf 10.1.0.0/16 via 10.1.0.2", selection.HopUnresolved},
		{"its interface is down", "a: link e7 down\na: direct 10.0.0.0/24 dev e0\na: conf 10.1.0.0/16 dev e7", selection.InterfaceDown},
		{"the interface of its next hop is down", "a: link e0 down\na: direct 10.0.0.0/24 dev e0\na: conf 10.1.0.0/16 via 10.0.0.2", selection.InterfaceDown},
		{"there is no such interface", attached + "a: conf 10.1.0.0/16 via 10.0.0.2 dev e7", selection.InterfaceGone},
		{"deactivated", attached + "a: static 10.1.0.0/16 via 10.0.0.2 dev e0 inactive\na: conf 10.1.0.0/16 via 10.0.0.2", selection.Deactivated},
		{"chosen, and refused by what forwards", attached + "a: static 10.1.0.0/16 via 10.0.0.2 dev e0 rejected\na: conf 10.1.0.0/16 via 10.0.0.2", selection.RefusedToUse},
		{"valid, and missing", attached + "a: conf 10.1.0.0/16 via 10.0.0.2", selection.NotShown},
		{"a discard needs no next hop", attached + "a: conf 10.1.0.0/16 blackhole", selection.NotShown},
	} {
		t.Run(tt.name, func(t *testing.T) {
			c := explain(tt.in, netip.MustParsePrefix("10.1.2.3/32"))
			require.Len(t, c.Statics, 1)
			require.Equal(t, tt.fate, c.Statics[0].Fate)
		})
	}
}

func TestAnUnprintedFloatingStaticTakesOver(t *testing.T) {
	c := explain(
		attached+"a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0\na: conf 10.1.0.0/16 via 10.0.1.2 pref 130\na: static 0.0.0.0/0 via 10.0.0.1 dev e0",
		netip.MustParsePrefix("10.1.2.3/32"),
	)
	require.Equal(t, "10.0.1.2", c.TakesOver.Route.NextHops[0].Address.String())
	require.Equal(t, -1, c.TakesOver.Index)
	c = explain(
		attached+"a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0\na: conf 10.1.0.0/16 via 10.9.1.2 pref 130",
		netip.MustParsePrefix("10.1.2.3/32"),
	)
	require.Nil(t, c.TakesOver, "its next hop leads nowhere")
}

func TestABackupThroughTheWinnerDoesNotTakeOver(t *testing.T) {
	c := explain(
		attached+"a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0\na: static 10.1.0.0/16 pref 130 via 10.1.7.7 candidate",
		netip.MustParsePrefix("10.1.2.3/32"),
	)
	require.Nil(t, c.TakesOver)
	require.Equal(t, selection.ThroughSelf, c.Lost[0].Failure)
}

func TestRemarks(t *testing.T) {
	for _, tt := range []struct {
		name, in string
		want     []selection.RemarkKind
	}{
		{"a static route in front of a learned one", attached + "a: static 10.1.0.0/16 pref 1 via 10.0.0.2 dev e0\na: ospf 10.1.0.0/16 pref 110 via 10.0.1.2 dev e1 candidate", []selection.RemarkKind{selection.ReplacesLearned}},
		{"a longer prefix wins whatever its preference", attached + "a: static 10.1.2.0/24 pref 130 via 10.0.0.2 dev e0\na: ospf 10.1.0.0/16 pref 110 via 10.0.1.2 dev e1", []selection.RemarkKind{selection.LongerThanLearned}},
		{"a usual static route is longer than a learned one: no backup", attached + "a: static 10.1.2.0/24 pref 1 via 10.0.0.2 dev e0\na: ospf 10.1.0.0/16 pref 110 via 10.0.1.2 dev e1", nil},
		{"a backup that is in use", attached + "a: static 10.1.2.0/24 pref 200 via 10.0.0.2 dev e0", []selection.RemarkKind{selection.BackupInUse}},
		{"a backup that leads nowhere", attached + "a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0\na: static 10.1.0.0/16 pref 130 via 10.9.0.1 candidate", []selection.RemarkKind{selection.BackupUseless}},
		{"a discard in front of the default", attached + "a: static 0.0.0.0/0 via 10.0.0.2 dev e0\na: static 10.1.0.0/16 pref 1 blackhole", []selection.RemarkKind{selection.Swallows}},
		{"a discard with nothing behind it", attached + "a: static 10.1.0.0/16 pref 1 blackhole", nil},
	} {
		t.Run(tt.name, func(t *testing.T) {
			var got []selection.RemarkKind
			for _, m := range explain(tt.in, netip.MustParsePrefix("10.1.2.3/32")).Remarks {
				got = append(got, m.Kind)
			}
			require.Equal(t, tt.want, got)
		})
	}
	c := explain(
		attached+"a: static 10.1.0.0/16 pref 1 via 10.0.0.2 dev e0\na: ospf 10.1.0.0/16 pref 110 via 10.0.1.2 dev e1 candidate",
		netip.MustParsePrefix("10.1.2.3/32"),
	)
	require.EqualValues(t, 110, c.Remarks[0].Number)
}

func TestClassfulLookup(t *testing.T) {
	in := attached + "a: static 0.0.0.0/0 via 10.0.0.2 dev e0\na: static 10.1.0.0/16 via 10.0.0.2 dev e0\na: classful"
	d := coretest.Build(in).Device("a")
	tab := d.Table("default", route.IPv4)
	require.False(t, selection.Longest(tab, netip.MustParseAddr("10.2.0.1")).Found(), "a part of 10.0.0.0/8 is known")
	require.Equal(t, "10.1.0.0/16", selection.Longest(tab, netip.MustParseAddr("10.1.0.1")).Prefix.String())
	require.Equal(t, "0.0.0.0/0", selection.Longest(tab, netip.MustParseAddr("172.20.0.1")).Prefix.String())
	c := selection.Explain(d, tab, netip.MustParsePrefix("10.2.0.1/32"))
	require.Equal(t, "0.0.0.0/0", c.Match.Barred.String())
	require.Equal(t, selection.ClassBarred, c.Lost[0].Why)
}

func TestReverseCheck(t *testing.T) {
	d := coretest.Build(attached + "a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0\na: static 10.1.0.0/16 pref 130 via 10.0.1.2 dev e1 candidate\n" +
		"a: static 0.0.0.0/0 via 10.0.1.9\na: static 10.7.0.0/16 blackhole").
		Device("a")
	tab := d.Table("default", route.IPv4)
	for _, tt := range []struct {
		src, in                                string
		strict, feasible, loose, onlyByDefault bool
	}{
		{"10.1.2.3", "e0", true, true, true, false},
		{"10.1.2.3", "e1", false, true, true, false},
		{"10.1.2.3", "e2", false, false, true, false},
		{"10.0.0.9", "e0", true, true, true, false},
		{"10.200.0.1", "e1", true, true, true, true},
		{"10.200.0.1", "e0", false, false, true, true},
		{"10.7.0.1", "e0", false, false, false, false},
	} {
		r := selection.ReverseCheck(tab, netip.MustParseAddr(tt.src), tt.in)
		require.Equal(
			t,
			[]bool{tt.strict, tt.feasible, tt.loose, tt.onlyByDefault},
			[]bool{r.Strict, r.Feasible, r.Loose, r.DefaultOnly},
			tt.src+" "+tt.in,
		)
	}
}

func TestWhatAStaticIsTiedTo(t *testing.T) {
	const conf = "a: conf 10.3.0.0/16 via 10.0.0.2 pref 10 tied "
	backup := "a: static 10.3.0.0/16 via 10.0.1.2 dev e1 pref 200\n"
	for _, tt := range []struct {
		name, text string
		want       selection.Fate
	}{
		{"its object is down", conf + "1\na: tracked 1 down\n", selection.ObjectDown},
		{"and a backup is used", conf + "1\n" + backup + "a: tracked 1 down\n", selection.ObjectDown},
		{"its object is up", conf + "1\na: tracked 1 up\n", selection.NotShown},
		{"another object is down", conf + "1\na: tracked 2 down\n", selection.NotShown},
		{"two captures do not agree", conf + "1\na: tracked 1 down\na: tracked 1 up\n", selection.NotShown},
		{"its session is down", conf + "session\na: session 10.0.0.2 e0 down\n", selection.SessionDown},
		{"another's session is down", conf + "session\na: session 10.0.0.3 e0 down\n", selection.NotShown},
		{"the session is not its own", conf + "1\na: session 10.0.0.2 e0 down\n", selection.NotShown},
		{"its object is down, and its next hop's route is not told", "a: conf 10.3.0.0/16 via 10.9.0.2 pref 10 tied 1\n" +
			"a: tracked 1 down\na: cut\n", selection.ObjectDown},
		{"it is in use all the same", conf + "1\na: static 10.3.0.0/16 via 10.0.0.2 dev e0 pref 10\na: tracked 1 down\n",
			selection.InUse},
	} {
		t.Run(tt.name, func(t *testing.T) {
			c := explain(attached+tt.text, netip.MustParsePrefix("10.3.0.1/32"))
			require.Len(t, c.Statics, 1)
			require.Equal(t, tt.want, c.Statics[0].Fate)
		})
	}
}

func TestTwoStaticsOfOneNextHopAreTwo(t *testing.T) {
	c := explain(attached+"a: conf 10.3.0.0/16 via 10.0.0.2 pref 10\na: conf 10.3.0.0/16 via 10.0.0.2 pref 200\n"+
		"a: static 10.3.0.0/16 via 10.0.0.2 dev e0 pref 200\n", netip.MustParsePrefix("10.3.0.1/32"))
	require.Len(t, c.Statics, 2)
	require.Equal(t, selection.AgainstTheOrder, c.Statics[0].Fate)
	require.Equal(t, selection.InUse, c.Statics[1].Fate)
}

func TestAnAssumedPreferenceDoesNotOrderWhatSystemsDoDifferently(t *testing.T) {
	for pref, want := range map[string]selection.Fate{"20": selection.NotShown, "200": selection.AgainstTheOrder} {
		c := explain(attached+"a: conf 10.3.0.0/16 via 10.0.0.2\na: conf 10.3.0.0/16 via 10.0.1.2 pref "+pref+
			"\na: static 10.3.0.0/16 via 10.0.1.2 dev e1 pref "+pref+"\n", netip.MustParsePrefix("10.3.0.1/32"))
		require.Equal(t, want, c.Statics[0].Fate, pref)
	}
}

func TestTheUsualPreferenceIsNotOneThatAStatementGives(t *testing.T) {
	for _, tt := range []struct {
		name, text string
		want       uint64
		assumed    bool
	}{
		{"given by the only one there is", "a: conf 10.4.0.0/16 via 10.0.0.3 pref 200\n" +
			"a: static 10.4.0.0/16 via 10.0.0.3 dev e0 pref 200\n", 1, true},
		{"another without shows it", "a: conf 10.5.0.0/16 via 10.0.0.3\na: static 10.5.0.0/16 via 10.0.0.3 dev e0 pref 60\n" +
			"a: static 10.6.0.0/16 via 10.0.0.3 dev e0 pref 5\n", 60, false},
		{"nobody gives it", "a: conf 10.4.0.0/16 via 10.0.0.3 pref 5\na: static 10.4.0.0/16 via 10.0.0.3 dev e0 pref 5\n" +
			"a: static 10.6.0.0/16 via 10.0.0.3 dev e0 pref 60\n", 60, false},
	} {
		t.Run(tt.name, func(t *testing.T) {
			c := explain(attached+"a: conf 10.3.0.0/16 via 10.0.0.2\n"+tt.text, netip.MustParsePrefix("10.3.0.1/32"))
			require.Equal(t, tt.want, c.Statics[0].Route.Preference.Value)
			require.Equal(t, tt.assumed, c.Statics[0].Assumed)
		})
	}
}
