package audit

import (
	"fmt"
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

var kindTests = []struct {
	name string // in coretest.Faults
	opt  Options
	want []string // severity kind device, in any order; notes only where named
}{
	{"a sound network has no findings", Options{}, nil},
	{"no route although the network is attached elsewhere", Options{}, []string{"fault no-route b"}},
	{"two static routes at each other", Options{}, []string{"risk loop a"}},
	{"default routes at each other", Options{}, []string{"risk default-loop a"}},
	{"a loop of a network that is attached", Options{}, []string{"fault loop a"}},
	{"a reply leaves by the default route on the wrong side", Options{}, []string{"fault wrong-side b"}},
	{"a discard swallows what is attached", Options{}, []string{"fault swallowed a"}},
	{"a discard swallows what the default would carry", Options{}, []string{"risk swallowed a"}},
	{"a discard alone takes nothing from anybody", Options{}, nil},
	{"a next hop that nothing leads to", Options{}, []string{"fault next-hop-unresolved a"}},
	{"a next hop that nobody has", Options{}, []string{"fault next-hop-unowned a"}},
	{"the next hop's interface is down", Options{}, []string{"fault next-hop-down a", "fault next-hop-down b"}},
	{"a network whose only interface is down", Options{}, []string{"risk network-down b"}},
	{"of two equal next hops one is a dead end", Options{}, []string{"fault dead-branch a"}},
	{"forwarding is off on the path", Options{}, []string{"fault forwarding-off b"}},
	{"a strict check drops what comes by another way", Options{}, []string{"fault source-check b"}},
	{
		"a stateful device sees one direction only",
		Options{Only: []Kind{OneSided}},
		[]string{"fault one-sided a", "fault one-sided a", "risk one-sided a"},
	},
	{"two ends of a link count it differently", Options{Only: []Kind{CostsDiffer}}, []string{"note costs-differ a"}},
	{"metrics that give several costs", Options{Only: []Kind{CostsDisagree}}, []string{"note costs-disagree a"}},
	{"a static route replaces a learned one", Options{}, []string{"risk preference-too-good a"}},
	{"a backup with a longer prefix", Options{Only: []Kind{BackupCannotFloat}}, []string{"risk backup-cannot-float a"}},
	{
		"a backup with an unreachable next hop",
		Options{Only: []Kind{BackupCannotFloat}},
		[]string{"risk backup-cannot-float a"},
	},
	{
		"a backup onto a path that does not know the network",
		Options{Except: []Kind{NoRoute}},
		[]string{"risk backup-fails a"},
	},
	{
		"a backup onto a path whose router lacks the way back",
		Options{Only: []Kind{BackupFails}},
		[]string{"risk backup-fails a"},
	},
	{
		"an unused equal next hop that leads nowhere on",
		Options{Only: []Kind{BackupFails}},
		[]string{"risk backup-fails a"},
	},
	{
		"a backup with a preference that is never used",
		Options{Only: []Kind{BackupCannotFloat}},
		[]string{"risk backup-cannot-float a"},
	},
	{
		"a static over a shared segment in a network that watches its links",
		Options{Only: []Kind{NoDetection, HalfDetection}},
		[]string{"risk no-detection a"},
	},
	{
		"a missing route in a management walk",
		Options{Only: []Kind{NoRoute}},
		[]string{"fault no-route a", "risk no-route c"},
	},
	{"several discards in front of one default", Options{}, []string{"risk swallowed a"}},
	{"a backup in use, and nothing better there", Options{Only: []Kind{BackupInUse}}, []string{"note backup-in-use a"}},
	{
		"replies are delivered to another network of the same addresses",
		Options{Only: []Kind{OneWay}, Except: []Kind{NoRoute}},
		[]string{"fault one-way a"},
	},
	{"a backup that works", Options{Only: []Kind{BackupFails, BackupCannotFloat}}, nil},
	{"a configured static whose next hop nothing leads to", Options{}, []string{"risk static-unusable a"}},
	{"a configured static that could be used", Options{}, []string{"note static-not-shown a"}},
	{"a configured static whose tracked object is down", Options{}, []string{"risk static-unusable a"}},
	{
		"a configured static that should come before another",
		Options{Only: []Kind{StaticNotShown}},
		[]string{"note static-not-shown a"},
	},
	{"chosen and not installed", Options{}, []string{"risk tables-differ a"}},
	{
		"a static over a shared segment without liveness detection",
		Options{Only: []Kind{NoDetection}},
		[]string{"note no-detection a"},
	},
	{"liveness detection on one end only", Options{Only: []Kind{HalfDetection}}, nil}, // no shared segment
	{
		"liveness detection on one end of a shared segment",
		Options{Only: []Kind{HalfDetection, NoDetection}},
		[]string{"risk half-detection a"},
	},
	{"an interface alone on a shared segment", Options{}, []string{"risk interface-only a"}},
	{"an address on two devices", Options{Only: []Kind{DuplicateAddress}}, []string{"risk duplicate-address a"}},
	{"two lengths on one segment", Options{Only: []Kind{MasksDiffer}}, []string{"risk masks-differ b"}},
	{"a network inside another one", Options{Only: []Kind{NetworksOverlap}}, []string{"risk networks-overlap c"}},
	{"paths lead to a device that is not there", Options{}, []string{"risk data-missing a"}},
	{"nobody answers for one host", Options{Only: []Kind{SilentHost}}, []string{"note silent-host b"}},
	{"captures a day apart", Options{Ages: []Age{{"a", 100}, {"b", 100 + 24*60}}}, []string{"note captures-apart a"}},
	{"captures of one evening", Options{Ages: []Age{{"a", 100}, {"b", 130}}}, nil},
	{"a table that changed while it was captured", Options{Moved: []Moved{{"b", "show ip route", 1, 0}}}, []string{"note table-moved b"}},
	{
		"lines that could not be read",
		Options{Unread: []Unread{{"b", []route.Mark{{File: 1, Off: 1, End: 2}}}}},
		[]string{"risk lines-unread b"},
	},
	{
		"tables that are kept apart are worth a note",
		Options{Only: []Kind{NoRoute}, Family: route.IPv4},
		[]string{
			"note no-route a",
			"note no-route b",
			"note no-route c",
			"note no-route c",
			"note no-route c",
			"fault no-route c",
		},
	},
}

func audited(t *testing.T, text string, opt Options) *Result {
	t.Helper()
	return Run(forward.NewWalker(topology.Build(coretest.Build(text))), opt)
}

func TestKinds(t *testing.T) {
	seen := map[Kind]bool{}
	for _, tt := range kindTests {
		t.Run(tt.name, func(t *testing.T) {
			r := audited(t, coretest.Faults[tt.name], tt.opt)
			notes := slices.ContainsFunc(tt.want, func(s string) bool { return strings.HasPrefix(s, "note") })
			var got []string
			for _, f := range r.Findings {
				require.NotEmpty(t, f.ID)
				if f.Severity > Note || notes {
					got = append(got, fmt.Sprintf("%s %s %s", f.Severity, f.Kind, f.Device))
					seen[f.Kind] = true
				}
			}
			if notes { // others are no matter here
				got = slices.DeleteFunc(got, func(s string) bool { return !slices.Contains(tt.want, s) })
			}
			require.ElementsMatch(t, tt.want, got)
		})
	}
	for _, k := range Kinds() {
		if k != Filtered && k != Restricted && k != HostSettings && !seen[k] {
			t.Errorf("no test finds a %s", k)
		}
	}
}

// TestOneCauseOneFinding: one missing route cuts off many networks, and is one finding that names them all.
func TestOneCauseOneFinding(t *testing.T) {
	text := coretest.OutAndBack
	for i := range 6 {
		text += fmt.Sprintf("\na: addr 10.61.%d.1/24 more%d\na: direct 10.61.%d.0/24 dev more%d", 10+i, i, 10+i, i)
	}
	r := audited(t, text, Options{})
	require.Len(t, r.Findings, 1)
	f := r.Findings[0]
	require.Equal(t, NoRoute, f.Kind)
	require.Equal(t, "b", f.Device)
	require.Len(t, f.Missing, 6)
	require.EqualValues(t, 6*256, f.Addresses().Int64())
	require.Equal(t, []Repair{{Kind: AddRoute, Device: "b"}}, f.Repair)
	replies := 0
	for l := range f.Losses() {
		if l.Reply {
			replies++
		}
	}
	require.Equal(t, 6, replies-6, "each of the six, and b's link to each, is asked and gets no reply")
}

// TestLinksAreOneNote: the networks between devices that one lacks a route to are one note, whichever neighbours they lie
// at; a network of hosts is told for itself.
func TestLinksAreOneNote(t *testing.T) {
	text := ""
	for i, name := range []string{"a", "b", "c", "d"} {
		text += fmt.Sprintf(`
			%[1]s: addr 10.61.0.%[2]d/24 seg
			%[1]s: direct 10.61.0.0/24 dev seg
			%[1]s: addr 172.28.%[2]d.1/30 far
			%[1]s: direct 172.28.%[2]d.0/30 dev far
			%[1]sx: addr 172.28.%[2]d.2/30 up
			%[1]sx: direct 172.28.%[2]d.0/30 dev up
			%[1]sx: static 0.0.0.0/0 via 172.28.%[2]d.1 dev up`, name, i+1)
	}
	r := audited(t, text, Options{Only: []Kind{NoRoute}})
	lacking := map[string]int{}
	for _, f := range r.Findings {
		require.Equal(t, Note, f.Severity)
		require.NotContains(t, lacking, f.Device)
		lacking[f.Device] = len(f.Missing)
	}
	require.Equal(t, map[string]int{"a": 3, "b": 3, "c": 3, "d": 3}, lacking)

	r = audited(t, text+"\nb: addr 10.61.9.1/24 lan\nb: direct 10.61.9.0/24 dev lan", Options{Only: []Kind{NoRoute}})
	byHost := 0
	for _, f := range r.Findings {
		if f.Severity > Note {
			require.Len(t, f.Missing, 1)
			byHost++
		}
	}
	require.Equal(t, 3, byHost)
}

// TestLoopByRules: a loop that only packets of one source are in names its devices all the same.
func TestLoopByRules(t *testing.T) {
	r := audited(t, coretest.OutAndBack+`
		b: rule 10 from 10.61.1.0/24 table 7
		b: rule 20 table default
		b: static 0.0.0.0/0 via 172.28.1.1 dev up in 7`, Options{Only: []Kind{Loop}})
	require.Len(t, r.Findings, 1)
	f := r.Findings[0]
	require.Equal(t, Fault, f.Severity)
	require.Len(t, f.Loop, 2)
	require.Equal(t, "b", f.Loop[1].Device)
	require.Equal(t, "7", f.Loop[1].Table)
}

// TestFiltered: what rules deny may be meant so, and is worth a note.
func TestFiltered(t *testing.T) {
	n := coretest.Build(coretest.OutAndBack)
	x := n.Draft()
	x.SetPolicy(
		"b",
		network.Policy{
			Flows: []network.FlowRule{
				{From: netip.MustParsePrefix("10.61.1.0/24"), Mark: route.Mark{File: 1, Off: 1, End: 2}},
				{Permit: true},
			},
		},
	)
	r := Run(forward.NewWalker(topology.Build(x.Freeze())), Options{})
	require.Len(t, r.Findings, 1)
	require.Equal(
		t,
		[]any{Filtered, Note, "b"},
		[]any{r.Findings[0].Kind, r.Findings[0].Severity, r.Findings[0].Device},
	)
	require.Positive(t, r.Families[0].Followed)
}

// TestRestricted: what hangs on a filter is worth a note, with the pairs that it concerns.
func TestRestricted(t *testing.T) {
	n := coretest.Build(coretest.OutAndBack)
	for _, rule := range []network.FlowRule{{Protocol: "tcp"}, {Undecided: true}, {Undecided: true, NotRead: true}} {
		rule.From, rule.Mark = netip.MustParsePrefix("10.61.1.0/24"), route.Mark{File: 1, Off: 1, End: 2}
		x := n.Draft()
		x.SetPolicy("b", network.Policy{Flows: []network.FlowRule{rule, {Permit: true}}})
		r := Run(forward.NewWalker(topology.Build(x.Freeze())), Options{})
		require.Len(t, r.Findings, 1)
		f := r.Findings[0]
		require.Equal(t, []any{Restricted, Note, "b"}, []any{f.Kind, f.Severity, f.Device})
		require.Positive(t, f.Pairs)
		require.Equal(t, PermitFlow, f.Repair[0].Kind)
	}
}

// TestHostSettings: a host's own mask and gateway, which only the notes tell.
func TestHostSettings(t *testing.T) {
	for _, h := range []network.Host{
		{Name: "till", Address: netip.MustParseAddr("10.61.2.7"), Prefix: netip.MustParsePrefix("10.61.0.0/16"), Gateway: netip.MustParseAddr("10.61.2.1")},
		{Name: "till", Address: netip.MustParseAddr("10.61.2.7"), Prefix: netip.MustParsePrefix("10.61.2.0/24"), Gateway: netip.MustParseAddr("10.61.3.1")},
		{Name: "till", Address: netip.MustParseAddr("10.61.2.7"), Prefix: netip.MustParsePrefix("10.61.2.0/24"), Gateway: netip.MustParseAddr("10.61.2.1")},
	} {
		n := coretest.Build(coretest.OutAndBack)
		x := n.Draft()
		x.SetHosts([]network.Host{h})
		n = x.Freeze()
		var got []string
		for _, f := range Run(forward.NewWalker(topology.Build(n)), Options{}).Findings {
			got = append(got, fmt.Sprint(f.Severity, f.Kind, f.Device))
		}
		if h.Prefix.Bits() == 24 && h.Prefix.Contains(h.Gateway) {
			require.Empty(t, got)
		} else {
			require.Equal(t, []string{"riskhost-settingstill"}, got)
		}
	}
}

// TestIdentifiersAreStable: another fault or device elsewhere does not rename a finding, and neither does another run.
func TestIdentifiersAreStable(t *testing.T) {
	text := coretest.Sound + "a: static 10.61.2.0/24 via 172.28.1.2 dev up"
	one := audited(t, text, Options{}).Findings[0].ID
	require.Equal(t, one, audited(t, text, Options{}).Findings[0].ID)
	more := audited(
		t,
		"aa: direct 10.69.0.0/24 dev x\n"+text+"\na: static 10.61.2.64/26 blackhole\nb: neigh 10.61.2.9 lan failed",
		Options{},
	)
	require.True(
		t,
		slices.ContainsFunc(more.Findings, func(f Finding) bool { return f.ID == one }),
		"%v",
		more.Findings,
	)
}

// TestOnlyAndExcept choose kinds; one-way means every finding that loses replies alone.
func TestOnlyAndExcept(t *testing.T) {
	text := strings.Replace(
		coretest.Sound,
		"b: addr 172.28.1.2/30 up",
		"b: addr 172.28.1.2/30 up\nb: forwarding ipv4 on",
		1,
	) + `
		a: static 10.61.2.0/24 via 172.28.1.2 dev up
		b: static 10.61.1.0/24 blackhole`
	require.Len(t, audited(t, text, Options{Only: []Kind{Swallowed}}).Findings, 1)
	require.Empty(t, audited(t, text, Options{Except: []Kind{Swallowed}}).Findings)
	require.Empty(t, audited(t, text, Options{Only: []Kind{Loop}}).Findings)
}

// TestCoverage: nothing of the space is left out, and nothing is looked at twice.
func TestSpacesAndPartsCoverEverything(t *testing.T) {
	for _, fam := range []route.Family{route.IPv4, route.IPv6} {
		all := spaces(fam)
		require.Len(t, all, map[route.Family]int{route.IPv4: 3, route.IPv6: 2}[fam])
		var b network.Builder
		facts := network.Facts{Tables: []network.TableFacts{{Name: "default", Family: fam}}}
		for i := range 3000 {
			n := number{0, uint64(i) << 20}
			if fam == route.IPv6 {
				n = number{uint64(i) << 50, 0}
			}
			p, err := n.addr(fam).Prefix(map[route.Family]int{route.IPv4: 14, route.IPv6: 20}[fam])
			require.NoError(t, err)
			facts.Tables[0].Routes.AddRoute(
				route.Route{
					Prefix:     p,
					Attributes: &route.Attributes{Special: route.Blackhole},
					State:      route.Active | route.Installed,
				},
			)
		}
		b.Add("a", facts, 0)
		a := newAuditor(forward.NewWalker(topology.Build(b.Build())), fam)
		parts := slices.Concat(a.parts(7)...)
		slices.SortFunc(parts, func(x, y span) int { return x.first.compare(y.first) })
		var joined []span
		for _, s := range parts {
			require.False(t, s.last.less(s.first), "%v", s)
			if n := len(joined); n > 0 && joined[n-1].last.next() == s.first &&
				!slices.ContainsFunc(all, func(x span) bool { return x.first == s.first }) {
				joined[n-1].last = s.last
				continue
			}
			joined = append(joined, s)
		}
		require.Equal(t, all, joined)
	}
}
