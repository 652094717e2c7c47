package audit

import (
	"fmt"
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

// two routers a and b on a link, each with a network: whole and sound.
const sound = `
	a: addr 172.28.1.1/30 up
	a: direct 172.28.1.0/30 dev up
	a: addr 10.61.1.1/24 lan
	a: direct 10.61.1.0/24 dev lan
	b: addr 172.28.1.2/30 up
	b: direct 172.28.1.0/30 dev up
	b: addr 10.61.2.1/24 lan
	b: direct 10.61.2.0/24 dev lan
`

const outAndBack = sound + `
	a: static 10.61.2.0/24 via 172.28.1.2 dev up
	b: static 10.61.1.0/24 via 172.28.1.1 dev up
`

var kindTests = []struct {
	name, text string
	opt        Options
	want       []string // severity kind device, in any order; notes only where named
}{
	{"a sound network has no findings", outAndBack, Options{}, nil},
	{"no route although the network is attached elsewhere", sound + "a: static 10.61.2.0/24 via 172.28.1.2 dev up", Options{}, []string{"fault no-route b"}},
	{"two static routes at each other", outAndBack + `
		a: static 10.61.9.0/24 via 172.28.1.2 dev up
		b: static 10.61.9.0/24 via 172.28.1.1 dev up`, Options{}, []string{"risk loop a"}},
	{"default routes at each other", outAndBack + `
		a: static 0.0.0.0/0 via 172.28.1.2 dev up
		b: static 0.0.0.0/0 via 172.28.1.1 dev up`, Options{}, []string{"risk default-loop a"}},
	{"a loop of a network that is attached", outAndBack + `
		a: static 10.61.2.128/25 via 172.28.1.2 dev up
		b: static 10.61.2.128/25 via 172.28.1.1 dev up`, Options{}, []string{"fault loop a"}},
	{"a reply leaves by the default route on the wrong side", sound + `
		a: static 10.61.2.0/24 via 172.28.1.2 dev up
		b: static 0.0.0.0/0 via 10.61.2.254 dev lan
		b: neigh 10.61.2.254 lan alive`, Options{}, []string{"fault wrong-side b"}},
	{"a discard swallows what is attached", outAndBack + "a: static 10.61.2.64/26 blackhole", Options{}, []string{"fault swallowed a"}},
	{"a discard swallows what the default would carry", outAndBack + `
		a: static 10.61.64.0/18 blackhole
		a: static 0.0.0.0/0 via 172.28.1.2 dev up
		b: static 0.0.0.0/0 via 10.61.2.254 dev lan
		b: neigh 10.61.2.254 lan alive`, Options{}, []string{"risk swallowed a"}},
	{"a discard alone takes nothing from anybody", outAndBack + "a: static 10.61.64.0/18 blackhole", Options{}, nil},
	{"a next hop that nothing leads to", sound + `
		a: static 10.61.2.0/24 via 172.28.9.9
		b: static 10.61.1.0/24 via 172.28.1.1 dev up`, Options{}, []string{"fault next-hop-unresolved a"}},
	{"a next hop that nobody has", sound + `
		a: static 10.61.2.0/24 via 10.61.1.77 dev lan
		a: neigh 10.61.1.77 lan failed
		b: static 10.61.1.0/24 via 172.28.1.1 dev up`, Options{}, []string{"fault next-hop-unowned a"}},
	{"the next hop's interface is down", strings.Replace(outAndBack, "b: direct 172.28.1.0/30 dev up", "b: link up down", 1), Options{}, []string{"fault next-hop-down a", "fault next-hop-down b"}},
	{"a network whose only interface is down", strings.Replace(outAndBack, "b: direct 10.61.2.0/24 dev lan", "b: link lan down", 1), Options{}, []string{"risk network-down b"}},
	{"of two equal next hops one is a dead end", outAndBack + `
		c: addr 172.28.2.2/30 e
		c: direct 172.28.2.0/30 dev e
		a: addr 172.28.2.1/30 side
		a: direct 172.28.2.0/30 dev side
		a: ospf 10.61.2.0/24 via 172.28.1.2 dev up via 172.28.2.2 dev side`, Options{}, []string{"fault dead-branch a"}},
	{"forwarding is off on the path", outAndBack + "b: forwarding ipv4 off", Options{}, []string{"fault forwarding-off b"}},
	{"a strict check drops what comes by another way", outAndBack + `
		a: addr 172.28.2.1/30 side
		a: direct 172.28.2.0/30 dev side
		b: addr 172.28.2.2/30 side
		b: direct 172.28.2.0/30 dev side
		b: static 10.61.1.128/25 via 172.28.2.1 dev side
		b: check up strict`, Options{}, []string{"fault source-check b"}},
	{"a stateful device sees one direction only", outAndBack + `
		a: stateful
		c: addr 172.28.2.2/30 x
		c: direct 172.28.2.0/30 dev x
		c: addr 10.61.2.2/24 lan
		c: direct 10.61.2.0/24 dev lan
		c: addr 10.61.1.2/24 far
		c: direct 10.61.1.0/24 dev far
		c: static 10.61.1.0/24 via 172.28.2.1 candidate`, Options{Only: []Kind{OneSided}}, []string{"fault one-sided a", "risk one-sided a"}},
	{"a static route replaces a learned one", outAndBack + `
		a: ospf 10.61.7.0/24 pref 110 via 172.28.1.2 dev up candidate
		a: static 10.61.7.0/24 pref 1 via 172.28.1.2 dev up`, Options{}, []string{"risk preference-too-good a"}},
	{"a backup with a longer prefix", outAndBack + `
		a: ospf 10.61.7.0/24 pref 110 via 172.28.1.2 dev up
		a: static 10.61.7.0/25 pref 200 via 172.28.1.2 dev up`, Options{Only: []Kind{BackupCannotFloat}}, []string{"risk backup-cannot-float a"}},
	{"a backup with an unreachable next hop", outAndBack + `
		a: ospf 10.61.7.0/24 pref 110 via 172.28.1.2 dev up
		a: static 10.61.7.0/24 pref 200 via 172.28.9.9 candidate`, Options{Only: []Kind{BackupCannotFloat}}, []string{"risk backup-cannot-float a"}},
	{"a backup onto a path that does not know the network", sound + `
		a: addr 172.28.2.1/30 side
		a: direct 172.28.2.0/30 dev side
		c: addr 172.28.2.2/30 side
		c: direct 172.28.2.0/30 dev side
		a: ospf 10.61.2.0/24 pref 110 via 172.28.1.2 dev up
		a: static 10.61.2.0/24 pref 200 via 172.28.2.2 dev side candidate
		b: static 10.61.1.0/24 via 172.28.1.1 dev up`, Options{Except: []Kind{NoRoute}}, []string{"risk backup-fails a"}},
	{"a backup onto a path whose router lacks the way back", sound + `
		a: addr 172.28.2.1/30 side
		a: direct 172.28.2.0/30 dev side
		c: addr 172.28.2.2/30 side
		c: direct 172.28.2.0/30 dev side
		c: addr 10.61.2.3/24 lan
		c: direct 10.61.2.0/24 dev lan
		a: ospf 10.61.2.0/24 pref 110 via 172.28.1.2 dev up
		a: static 10.61.2.0/24 pref 200 via 172.28.2.2 dev side candidate
		b: static 10.61.1.0/24 via 172.28.1.1 dev up`, Options{Only: []Kind{BackupFails}}, []string{"risk backup-fails a"}},
	{"a backup that works", sound + `
		a: addr 172.28.2.1/30 side
		a: direct 172.28.2.0/30 dev side
		b: addr 172.28.2.2/30 side
		b: direct 172.28.2.0/30 dev side
		a: ospf 10.61.2.0/24 pref 110 via 172.28.1.2 dev up
		a: static 10.61.2.0/24 pref 200 via 172.28.2.2 dev side candidate
		b: static 10.61.1.0/24 via 172.28.1.1 dev up`, Options{Only: []Kind{BackupFails, BackupCannotFloat}}, nil},
	{"a configured static whose next hop nothing leads to", outAndBack + "a: conf 10.61.8.0/24 via 172.28.9.9", Options{}, []string{"risk static-unusable a"}},
	{"chosen and not installed", outAndBack + `
		a: kernel: static 10.61.2.0/24 via 172.28.1.2 dev up
		a: kernel: direct 10.61.1.0/24 dev lan
		a: kernel: direct 172.28.1.0/30 dev up
		a: static 10.61.7.0/24 via 172.28.1.2 dev up`, Options{}, []string{"risk tables-differ a"}},
	{"a static over a shared segment without liveness detection", outAndBack + `
		a: static 10.61.7.0/24 via 10.61.1.9 dev lan
		a: neigh 10.61.1.9 lan alive`, Options{Only: []Kind{NoDetection}}, []string{"note no-detection a"}},
	{"liveness detection on one end only", outAndBack + "a: session 172.28.1.2 up up", Options{Only: []Kind{HalfDetection}}, nil}, // no shared segment
	{"liveness detection on one end of a shared segment", `
		a: addr 10.61.5.1/24 seg
		a: direct 10.61.5.0/24 dev seg
		b: addr 10.61.5.2/24 seg
		b: direct 10.61.5.0/24 dev seg
		a: static 10.61.7.0/24 via 10.61.5.2 dev seg
		a: session 10.61.5.2 seg up`, Options{Only: []Kind{HalfDetection, NoDetection}}, []string{"risk half-detection a"}},
	{"an interface alone on a shared segment", outAndBack + "a: static 10.61.7.0/24 dev lan", Options{}, []string{"risk interface-only a"}},
	{"an address on two devices", outAndBack + `
		a: addr 10.62.0.1/32 lo
		b: addr 10.62.0.1/32 lo`, Options{Only: []Kind{DuplicateAddress}}, []string{"risk duplicate-address a"}},
	{"two lengths on one segment", `
		a: addr 10.61.5.1/24 seg
		a: direct 10.61.5.0/24 dev seg
		b: addr 10.61.5.2/25 seg
		b: direct 10.61.5.0/25 dev seg`, Options{Only: []Kind{MasksDiffer}}, []string{"risk masks-differ b"}},
	{"a network inside another one", outAndBack + `
		c: addr 10.61.2.129/25 lan
		c: direct 10.61.2.128/25 dev lan`, Options{Only: []Kind{NetworksOverlap}}, []string{"risk networks-overlap c"}},
	{"paths lead to a device that is not there", sound + `
		a: static 10.61.2.0/24 via 10.61.1.9 dev lan
		b: static 10.61.1.0/24 via 172.28.1.1 dev up`, Options{}, []string{"risk data-missing a"}},
	{"nobody answers for one host", outAndBack + "b: neigh 10.61.2.7 lan failed", Options{Only: []Kind{SilentHost}}, []string{"note silent-host b"}},
	{"captures a day apart", outAndBack, Options{Ages: []Age{{"a", 100}, {"b", 100 + 24*60}}}, []string{"note captures-apart a"}},
	{"captures of one evening", outAndBack, Options{Ages: []Age{{"a", 100}, {"b", 130}}}, nil},
	{"lines that could not be read", outAndBack, Options{Unread: []Unread{{"b", []route.Mark{{File: 1, Off: 1, End: 2}}}}}, []string{"note lines-unread b"}},
	{"tables that are kept apart are worth a note", outAndBack + `
		c: addr 10.61.3.1/24 lan
		c: direct 10.61.3.0/24 dev lan in red
		c: addr 10.61.1.3/24 up
		c: direct 10.61.1.0/24 dev up`, Options{Only: []Kind{NoRoute}, Family: route.IPv4}, []string{"note no-route a", "note no-route b", "note no-route c", "fault no-route c"}},
}

func audited(t *testing.T, text string, opt Options) *Result {
	t.Helper()
	return Run(forward.NewWalker(topology.Build(coretest.Build(text))), opt)
}

func TestKinds(t *testing.T) {
	seen := map[Kind]bool{}
	for _, tt := range kindTests {
		t.Run(tt.name, func(t *testing.T) {
			r := audited(t, tt.text, tt.opt)
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
		if k != OneWay && k != Filtered && k != BackupInUse && !seen[k] {
			t.Errorf("no test finds a %s", k)
		}
	}
}

// TestOneCauseOneFinding: one missing route cuts off many networks, and is one finding that names them all.
func TestOneCauseOneFinding(t *testing.T) {
	text := outAndBack
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
	for _, rep := range f.Repair {
		require.Equal(t, "172.28.1.1", rep.NextHop.String())
		require.Equal(t, "a", rep.Other)
	}
	replies := 0
	for _, l := range f.Losses {
		if l.Reply {
			replies++
		}
	}
	require.Equal(t, 6, replies-6, "each of the six, and b's link to each, is asked and gets no reply: %v", f.Losses)
}

// TestIdentifiersAreStable: another fault elsewhere does not rename a finding, and neither does another run.
func TestIdentifiersAreStable(t *testing.T) {
	text := sound + "a: static 10.61.2.0/24 via 172.28.1.2 dev up"
	one := audited(t, text, Options{}).Findings[0].ID
	require.Equal(t, one, audited(t, text, Options{}).Findings[0].ID)
	more := audited(t, text+"\na: static 10.61.2.64/26 blackhole\nb: neigh 10.61.2.9 lan failed", Options{})
	require.True(t, slices.ContainsFunc(more.Findings, func(f Finding) bool { return f.ID == one }), "%v", more.Findings)
}

// TestOnlyAndExcept choose kinds; one-way means every finding that loses replies alone.
func TestOnlyAndExcept(t *testing.T) {
	text := strings.Replace(sound, "b: addr 172.28.1.2/30 up", "b: addr 172.28.1.2/30 up\nb: forwarding ipv4 on", 1) + `
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
			facts.Tables[0].Routes.AddRoute(route.Route{Prefix: p, Attributes: &route.Attributes{Special: route.Blackhole}, State: route.Active | route.Installed})
		}
		b.Add("a", facts, 0)
		a := newAuditor(forward.NewWalker(topology.Build(b.Build())), fam)
		parts := slices.Concat(a.parts(7)...)
		slices.SortFunc(parts, func(x, y span) int { return x.first.compare(y.first) })
		var joined []span
		for _, s := range parts {
			require.False(t, s.last.less(s.first), "%v", s)
			if n := len(joined); n > 0 && joined[n-1].last.next() == s.first && !slices.ContainsFunc(all, func(x span) bool { return x.first == s.first }) {
				joined[n-1].last = s.last
				continue
			}
			joined = append(joined, s)
		}
		require.Equal(t, all, joined)
	}
}
