package mend

import (
	"math/rand/v2"
	"net/netip"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/compare"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/rehearse"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// line is three routers in a row, with a network of hosts at either end: a - b - c.
const line = `
	a: addr 10.0.0.1/24 lan
	a: direct 10.0.0.0/24 dev lan
	a: addr 172.16.0.1/30 e0
	a: direct 172.16.0.0/30 dev e0
	b: addr 172.16.0.2/30 e0
	b: direct 172.16.0.0/30 dev e0
	b: addr 172.16.1.1/30 e1
	b: direct 172.16.1.0/30 dev e1
	c: addr 172.16.1.2/30 e1
	c: direct 172.16.1.0/30 dev e1
	c: addr 10.0.2.1/24 lan
	c: direct 10.0.2.0/24 dev lan
	`

func walker(text string) *forward.Walker {
	return forward.NewWalker(topology.Build(coretest.Build(text)))
}

func TestOneTrip(t *testing.T) {
	const good = line + `
	a: static 10.0.2.0/24 pref 1 via 172.16.0.2 dev e0
	b: static 10.0.2.0/24 pref 1 via 172.16.1.2 dev e1
	b: static 10.0.0.0/24 pref 1 via 172.16.0.1 dev e0
	c: static 10.0.0.0/24 pref 1 via 172.16.1.1 dev e1
	`
	without := func(device, prefix string) string {
		var out []string
		for l := range strings.Lines(good) {
			if !strings.Contains(l, device+": static "+prefix) {
				out = append(out, l)
			}
		}
		return strings.Join(out, "")
	}
	for _, tt := range []struct {
		name, text string
		want       []string
	}{
		{"nothing is wrong", good, nil},
		{"the packet has no route in the middle", without("b", "10.0.2.0/24"), []string{"add b: 10.0.2.0/24 via 172.16.1.2"}},
		{"the reply has none at its first router", without("c", "10.0.0.0/24"), []string{"add c: 10.0.0.0/24 via 172.16.1.1"}},
		{"two routers lack one", strings.ReplaceAll(without("a", "10.0.2.0/24"), "b: static 10.0.2.0/24 pref 1 via 172.16.1.2 dev e1", ""),
			[]string{"add a: 10.0.2.0/24 via 172.16.0.2", "add b: 10.0.2.0/24 via 172.16.1.2"}},
		{"a route that leads back is replaced", without("b", "10.0.2.0/24") + "b: static 10.0.2.0/24 pref 1 via 172.16.0.1 dev e0",
			[]string{"remove b: 10.0.2.0/24", "add b: 10.0.2.0/24 via 172.16.1.2"}},
		{"in the table of a kernel too, which has one route of a prefix and metric",
			regexp.MustCompile(`b: (static|direct) `).ReplaceAllString(without("b", "10.0.2.0/24")+"b: static 10.0.2.0/24 via 172.16.0.1 dev e0",
				"b: kernel: $1 "), []string{"remove b: 10.0.2.0/24", "add b: 10.0.2.0/24 via 172.16.1.2"}},
		{"a discard in front of a summary that is right goes", without("b", "10.0.2.0/24") + "b: static 10.0.2.0/25 pref 1 blackhole\nb: static 10.0.0.0/16 pref 1 via 172.16.1.2 dev e1",
			[]string{"remove b: 10.0.2.0/25"}},
		{"a discard in front of a default that leads back stays, and a route joins it", without("b", "10.0.2.0/24") + "b: static 10.0.0.0/16 pref 1 blackhole\nb: static 0.0.0.0/0 pref 1 via 172.16.0.1 dev e0",
			[]string{"add b: 10.0.2.0/24 via 172.16.1.2"}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			w := walker(tt.text)
			src, dst := netip.MustParseAddr("10.0.0.9"), netip.MustParseAddr("10.0.2.9")
			r := New(w, Options{}).Find(Wrong{Trips: []Trip{{Source: src, Destination: dst}}})
			if tt.want == nil {
				require.True(t, r.Right)
				return
			}
			require.NotNil(t, r.Cure, "refused %+v", r.Refused)
			var got []string
			for _, o := range r.Cure.Orders {
				got = append(got, o.Verb.String()+" "+o.Words())
			}
			require.Equal(t, tt.want, got)
			require.Equal(t, forward.TwoWay, r.Cure.After.Trace(src, dst).Verdict)
			require.False(t, r.Cure.Result.Harm())
		})
	}
}

func TestNoCure(t *testing.T) {
	src, dst := netip.MustParseAddr("10.0.0.9"), netip.MustParseAddr("10.0.2.9")
	for _, tt := range []struct {
		name, text string
		to         netip.Addr
		want       Outside
	}{
		{"a filter or switch is no matter of routes", line + "a: static 10.0.2.0/24 pref 1 via 172.16.0.2 dev e0\nb: static 10.0.2.0/24 pref 1 via 172.16.1.2 dev e1\nb: forwarding ipv4 off", dst, NotRoutes},
		{"nobody beside it leads there", line, netip.MustParseAddr("10.9.0.1"), NoWay},
		{"what is missing is a capture", line + "a: static 10.0.2.0/24 pref 1 via 172.16.0.2 dev e0\nb: static 10.0.2.0/24 pref 1 via 172.16.1.2 dev e1\nb: rule 1 undecided table default", dst, NotKnown},
	} {
		t.Run(tt.name, func(t *testing.T) {
			r := New(walker(tt.text), Options{}).Find(Wrong{Trips: []Trip{{Source: src, Destination: tt.to}}})
			require.Nil(t, r.Cure)
			require.False(t, r.Right)
			require.Equal(t, tt.want.String(), r.Outside.String())
		})
	}
}

// TestADefaultIsAddedOnlyWhereItMayBe: b knows the rest of the world by its default route alone.
func TestADefaultIsAddedOnlyWhereItMayBe(t *testing.T) {
	text := line + "b: static 0.0.0.0/0 pref 1 via 172.16.1.2 dev e1\nc: static 0.0.0.0/0 pref 1 via 10.0.2.254 dev lan\n" +
		"b: static 10.0.0.0/24 pref 1 via 172.16.0.1 dev e0\nc: static 10.0.0.0/24 pref 1 via 172.16.1.1 dev e1\nc: neigh 10.0.2.254 lan alive"
	wrong := Wrong{Trips: []Trip{{Source: netip.MustParseAddr("10.0.0.9"), Destination: netip.MustParseAddr("93.0.0.1")}}}
	require.Nil(t, New(walker(text), Options{}).Find(wrong).Cure)
	r := New(walker(text), Options{Defaults: true}).Find(wrong)
	require.NotNil(t, r.Cure, "%+v %+v", r.Refused, r.Stuck)
	require.Equal(t, "a: 0.0.0.0/0 via 172.16.0.2", r.Cure.Orders[0].Words())
}

// TestAPairPastWhatWasNotCaptured: b hands packets to a box on a shared segment of which nothing is known; a route past
// it makes sure, and that is offered to whoever asks for the pair, not as a cure of what is missing in the captures.
func TestAPairPastWhatWasNotCaptured(t *testing.T) {
	w := walker(line + `
	a: static 10.0.2.0/24 pref 1 via 172.16.0.2 dev e0
	b: addr 10.0.9.1/24 lan9
	b: direct 10.0.9.0/24 dev lan9
	b: static 0.0.0.0/0 pref 1 via 10.0.9.254 dev lan9
	b: static 10.0.0.0/24 pref 1 via 172.16.0.1 dev e0
	c: static 10.0.0.0/16 pref 1 via 172.16.1.1 dev e1
	c: static 172.16.0.0/30 pref 1 via 172.16.1.1 dev e1
	`)
	src, dst := netip.MustParseAddr("10.0.0.9"), netip.MustParseAddr("10.0.2.9")
	require.Equal(t, forward.BothUnknown, w.Trace(src, dst).Verdict)
	r := New(w, Options{}).Find(Wrong{Trips: []Trip{{Source: src, Destination: dst}}})
	require.NotNil(t, r.Cure)
	require.Equal(t, "b: 10.0.2.0/24 via 172.16.1.2", r.Cure.Orders[0].Words())
	for _, f := range audit.Run(w, audit.Options{Only: []audit.Kind{audit.MissingData}}).Findings {
		require.Nil(t, New(w, Options{}).Find(WrongOf(&f)).Cure)
	}
}

// TestRefusalsSayWhy: the discard at b keeps a default route from leading round.
func TestRefusalsSayWhy(t *testing.T) {
	w := walker(line + `
	a: static 0.0.0.0/0 pref 1 via 172.16.0.2 dev e0
	b: static 10.0.0.0/16 pref 1 blackhole
	b: static 10.0.0.0/24 pref 1 via 172.16.0.1 dev e0
	b: static 0.0.0.0/0 pref 1 via 172.16.0.1 dev e0
	`)
	for _, f := range audit.Run(w, audit.Options{Only: []audit.Kind{audit.Swallowed}}).Findings {
		if f.Pairs > 0 {
			continue
		}
		r := New(w, Options{}).Find(WrongOf(&f))
		require.Nil(t, r.Cure)
		require.NotEmpty(t, r.Refused)
	}
}

// TestKeepRefuses: what must hold speaks against a cure.
func TestKeepRefuses(t *testing.T) {
	wrong := Wrong{Trips: []Trip{{Source: netip.MustParseAddr("10.0.0.9"), Destination: netip.MustParseAddr("10.0.2.9")}}}
	r := New(walker(line), Options{Keep: func(w *forward.Walker) bool {
		return w.Topology().Network.Device("b").Table("default", route.IPv4).Routes().Len() == 2
	}}).Find(wrong)
	require.Nil(t, r.Cure)
	require.Equal(t, MakesWorse, r.Refused[0].Why)
}

// TestCuresOfRandomNetworks: whatever is mended, traces of every pair of interesting addresses show nothing that worked
// before and does not now, and what the finding broke works.
func TestCuresOfRandomNetworks(t *testing.T) {
	cures, asked := 0, 0
	for seed := range uint64(12) {
		rnd := rand.New(rand.NewPCG(seed, 15))
		w := walker(coretest.RandomText(rnd, 3+rnd.IntN(5)))
		m := New(w, Options{})
		ends := someEnds(w)
		for i, f := range audit.Run(w, audit.Options{}).Findings {
			if f.Severity == audit.Note || i > 6 {
				continue
			}
			r := m.Find(WrongOf(&f))
			if r.Cure == nil {
				continue
			}
			cures++
			after := r.Cure.After
			again, err := rehearse.Run(w, []rehearse.Step{{Orders: r.Cure.Orders}}, nil, compare.Options{})
			require.NoError(t, err, "a change file takes it")
			require.Zero(t, again.Whole.Count(compare.Worse))
			for _, src := range ends {
				for _, dst := range ends {
					asked++
					was, is := w.Trace(src, dst), after.Trace(src, dst)
					if was.Verdict == forward.TwoWay || was.Verdict == forward.OneWay && is.Verdict == forward.Broken {
						require.Equal(t, was.Verdict, is.Verdict, "seed %d, %s: %s to %s", seed, f.ID, src, dst)
					}
				}
			}
			for trip := range f.Trips() {
				rt := after.Trace(trip.Source, trip.Destination)
				if trip.Reply {
					require.Equal(t, forward.Arrives, rt.Return.Verdict, "seed %d, %s: %s to %s", seed, f.ID, trip.Source, trip.Destination)
				} else {
					require.Contains(t, []forward.Verdict{forward.Arrives, forward.Leaves}, rt.Forward.Verdict, "seed %d, %s: %s to %s", seed, f.ID, trip.Source, trip.Destination)
				}
			}
		}
	}
	t.Logf("%d cures, %d pairs traced before and after", cures, asked)
	require.Greater(t, cures, 8)
}

// someEnds are a host of each network and every device's own addresses.
func someEnds(w *forward.Walker) []netip.Addr {
	var out []netip.Addr
	for _, a := range w.Topology().Attachments() {
		if a.Address.Is4() {
			out = append(out, a.Address)
			if !a.Prefix.IsSingleIP() && a.Prefix.Bits() < 30 {
				out = append(out, a.Prefix.Masked().Addr().Next().Next().Next())
			}
		}
	}
	return out
}

// TestARouteIsTakenOutOnce: the same order twice is one; another one stays, and so does one for the next of two routes.
func TestARouteIsTakenOutOnce(t *testing.T) {
	text := line + "a: static 10.0.2.0/24 via 172.16.0.2 dev e0\na: static 10.0.3.0/24 via 172.16.0.2 dev e0\n"
	s := &search{Mender: &Mender{edited: coretest.Build(text)}}
	out := func(p string) rehearse.Order {
		return rehearse.Order{Verb: rehearse.Remove, Device: "a", Table: "default", Prefix: netip.MustParsePrefix(p)}
	}
	require.Equal(t, []rehearse.Order{out("10.0.2.0/24"), out("10.0.3.0/24")},
		s.tidied([]rehearse.Order{out("10.0.2.0/24"), out("10.0.2.0/24"), out("10.0.3.0/24"), out("10.0.4.0/24")}))
}
