package lab

import (
	"flag"
	"fmt"
	"maps"
	"net/netip"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/rehearse"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// predictions is how many networks of real daemons fail for real; each fails three times.
var (
	predictions     = flag.Int("predictions", 1, "networks in which links really fail and every predicted table is compared")
	onlySpeech      = flag.String("speech", "", "only the networks that speak that way")
	firstPrediction = flag.Int("first-prediction", 0, "the seed of the first of them")
)

var ages = regexp.MustCompile(`, (weight \d+, )?\d\d:\d\d:\d\d`)

// calm waits until no table changes any more, and captures the network.
func (n *spoken) calm(configurations bool) string {
	n.rest("the tables come to rest", 120*time.Second, n.speech.rest, func() (tables string, complete bool) {
		for _, r := range n.routers {
			tables += ages.ReplaceAllString(n.table(r), "")
		}
		return tables, n.allJoined()
	})
	dir := n.t.TempDir()
	if n.moments++; *keep != "" {
		dir = filepath.Join(*keep, filepath.Base(n.t.Name()), fmt.Sprint(n.moments))
	}
	for _, r := range n.routers {
		n.capture(dir, r.name, "table.txt", n.table(r))
		n.capture(dir, r.name, "addresses.txt", n.run(r.name, "ip addr"))
		if n.lists {
			n.capture(dir, r.name, "list.txt", n.ask(r.name, n.speech.list))
		}
		if configurations {
			n.capture(dir, r.name, "configuration.txt", n.ask(r.name, "show running-config"))
		}
	}
	for _, r := range n.routers {
		if n.asks {
			n.capture(dir, r.name, "interfaces.txt", n.ask(r.name, n.speech.interfaces))
		}
	}
	if n.noted {
		require.NoError(n.t, os.WriteFile(filepath.Join(dir, "notes.yaml"), []byte("one-area: [ospf, isis]\n"), 0o600))
	}
	return dir
}

// forwardingOf words what a table forwards by for each prefix; "untold" where that cannot be told.
func forwardingOf(n *network.Snapshot, device string, family route.Family) map[netip.Prefix]string {
	out := map[netip.Prefix]string{}
	t := n.Device(device).Table("default", family)
	for i := 0; i < t.Routes().Len(); i++ {
		switch x := t.Routes().At(i); {
		case x.Is(route.Untold):
			out[x.Prefix] = "untold"
		case x.Is(route.Installed), x.Is(route.Active): // a kernel that just saw a link come up may refuse a choice
			var hops []string
			for _, h := range x.NextHops {
				hops = append(hops, fmt.Sprint(h.Address, "%", h.Interface))
			}
			slices.Sort(hops) // a daemon may name one twice
			out[x.Prefix] = x.Protocol.String() + " " + x.Special.String() + strings.Join(slices.Compact(hops), " ")
		}
	}
	return out
}

// predictedSeeds are the seeds of the networks: those that are asked for, and where nobody asks one that speaks BGP as well
// and one of two parts that hand routes to each other.
func predictedSeeds() (out []uint64) {
	for k := range uint64(*predictions) {
		out = append(out, uint64(*firstPrediction)+k)
	}
	if len(out) == 1 && out[0] == 0 {
		out = append(out, uint64(len(speeches)-1), uint64(len(speeches)+6))
	}
	return out
}

// TestPredictionsAgainstDaemons fails links and devices for real, waits for calm and compares every table, and every
// pair of networks, with what was predicted from the captures before. With tables alone areas are hidden, with
// configurations they are not.
func TestPredictionsAgainstDaemons(t *testing.T) {
	all := map[string]*predicted{}
	sum := &predicted{}
	for _, seed := range predictedSeeds() {
		s := &speeches[seed%uint64(len(speeches))]
		if *onlySpeech != "" && s.name != *onlySpeech {
			continue
		}
		t.Run(fmt.Sprint("seed ", seed, " ", s.name), func(t *testing.T) {
			one := predictAndFail(t, s, seed)
			if all[s.name] == nil {
				all[s.name] = &predicted{}
			}
			all[s.name].add(one)
			sum.add(one)
		})
	}
	for _, name := range slices.Sorted(maps.Keys(all)) {
		t.Logf("%s: %v", name, all[name])
	}
	t.Logf("together: %v", sum)
	require.Positive(t, sum.right)
}

// predicted counts routes that a failure touched or that were said to be touched, and pairs.
type predicted struct {
	failures, touched, right, open int
	pairs, pairsOpen               int
	stale                          int // routes that a daemon keeps though they lead nowhere
}

func (p *predicted) add(o predicted) {
	p.failures += o.failures
	p.touched, p.right, p.open = p.touched+o.touched, p.right+o.right, p.open+o.open
	p.pairs, p.pairsOpen, p.stale = p.pairs+o.pairs, p.pairsOpen+o.pairsOpen, p.stale+o.stale
}

func (p *predicted) String() string {
	return fmt.Sprintf("%d failures and returns, %d routes touched: %d predicted rightly, %d cannot be told (%.1f %%); %d pairs, %d unknown; %d stale",
		p.failures, p.touched, p.right, p.open, 100*float64(p.open)/float64(max(p.touched, 1)), p.pairs, p.pairsOpen, p.stale)
}

// predictAndFail fails something three times in the network of a seed, each restored before the next.
func predictAndFail(t *testing.T, s *speech, seed uint64) (out predicted) {
	n := newSpoken(newBench(t, "vtysh"), s, seed)
	tens := seed / uint64(len(speeches))
	configurations := tens%4 != 3
	n.noted = !configurations && tens/4%3 == 1 && !s.areas && !s.islands && s.exits == 0
	n.asks = !configurations && tens/4%3 == 2 && s.interfaces != ""
	for round := range 3 {
		before := load(t, n.calm(configurations)).Topology()
		f := n.failure()
		what := fmt.Sprintf("round %d, %s down", round, f)
		n.turn(f, "down")
		after := load(t, n.calm(configurations)).Topology()
		guess, err := f.onPaper(before, rehearse.Down)
		require.NoError(t, err)
		one := n.judge(what, before, guess, after.Network)
		t.Logf("%s: %v", what, &one)
		out.add(one)
		n.turn(f, "up")
		back := load(t, n.calm(configurations)).Topology()
		if f.ifname != "" {
			guess, err = f.onPaper(after, rehearse.Up)
			require.NoError(t, err)
			one := n.judge(what+" and up again", after, guess, back.Network)
			t.Logf("%s and up again: %v", what, &one)
			out.add(one)
		}
		if t.Failed() {
			return out
		}
	}
	t.Log(&out)
	return out
}

// hidden reports whether a prefix came up of which the captures before say nothing: that of an interface that was down,
// and had lost its addresses.
func (n *spoken) hidden(before, guess *network.Snapshot, p netip.Prefix) bool {
	return !n.keeps && !slices.ContainsFunc(n.routers, func(r *router) bool {
		return forwardingOf(before, r.name, n.speech.family)[p] != "" ||
			guess.Device(r.name) != nil && forwardingOf(guess, r.name, n.speech.family)[p] != ""
	})
}

// openAt reports whether a table without a route to a prefix leaves open what covers it.
func (n *spoken) openAt(got map[netip.Prefix]string, p netip.Prefix) bool {
	for bits := p.Bits() - 1; bits >= 0; bits-- {
		if s := got[netip.PrefixFrom(p.Addr(), bits).Masked()]; s != "" {
			return s == "untold"
		}
	}
	return false
}

// stale reports whether a router keeps a route to the network of a link at whose ends it is gone: the daemon of OSPF for
// IPv6 does so at times after both ends of a link lost it (seen with version 8.4.4: no router that can be reached
// announces the prefix in its database any more, against RFC 5340 section 4.8). Packets are lost by it too.
func (n *spoken) stale(truth *network.Snapshot, r *router, p netip.Prefix) bool {
	if n.speech.name != "ospf6" {
		return false
	}
	for range len(n.routers) {
		hops := truth.Device(r.name).Table("default", n.speech.family).RoutesTo(p)
		if len(hops) == 0 {
			return true
		}
		if hops[0].Protocol == route.Direct || len(hops[0].NextHops) == 0 {
			return false
		}
		at := slices.IndexFunc(r.ports, func(x *port) bool { return x.name == hops[0].NextHops[0].Interface })
		if at < 0 {
			return false
		}
		for _, q := range r.ports[at].seg.ports {
			if q.router != r {
				r = q.router
				break
			}
		}
	}
	return true
}

// judge compares predicted tables and pairs with those that came. Devices that are not in the prediction failed.
func (n *spoken) judge(what string, before *topology.Topology, guess, truth *network.Snapshot) (out predicted) {
	n.t.Helper()
	out.failures = 1
	for _, r := range n.routers {
		if guess.Device(r.name) == nil {
			continue
		}
		was, got, want := forwardingOf(before.Network, r.name, n.speech.family), forwardingOf(guess, r.name,
			n.speech.family), forwardingOf(truth, r.name, n.speech.family)
		all := maps.Clone(was) // what is lost, as predicted, among it
		maps.Copy(all, want)
		maps.Copy(all, got)
		for p := range all {
			if p.Addr().IsLinkLocalUnicast() {
				continue // attached everywhere; which one a table prints as chosen says nothing
			}
			if was[p] != want[p] || was[p] != got[p] {
				out.touched++
			}
			switch {
			case got[p] == "untold", n.hidden(before.Network, guess, p), got[p] == "" && n.openAt(got, p):
				out.open++
			case got[p] == "" && want[p] != "" && n.stale(truth, r, p):
				out.stale++
			case got[p] != want[p]:
				n.t.Errorf("%s: %s of %s was %q; predicted %q, came %q", what, p, r.name, was[p], got[p], want[p])
			case was[p] != want[p]:
				out.right++
			}
		}
	}
	w, x := forward.NewWalker(topology.Build(guess)), forward.NewWalker(topology.Build(truth))
	f := n.speech.index()
	for _, a := range n.routers {
		for _, z := range n.routers {
			if a == z || guess.Device(a.name) == nil {
				continue
			}
			src, dst := a.stub[f].Addr().Next(), z.stub[f].Addr().Next()
			out.pairs++
			said, came := w.Trace(src, dst).Verdict, x.Trace(src, dst).Verdict
			if said == forward.BothUnknown {
				out.pairsOpen++
			}
			if said == forward.TwoWay && came != forward.TwoWay && came != forward.BothUnknown {
				n.t.Errorf("%s: %s to %s is said to arrive, and is %s", what, src, dst, came)
			}
		}
	}
	return out
}
