package lab

import (
	"flag"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/mend"
	"zarvek/internal/core/rehearse"
	"zarvek/internal/core/topology"
	"zarvek/internal/statement"
)

// mendings counts what was mended, and the packets that were sent to see it.
type mendings struct{ wrongs, cured, sent, refused int }

// repairs is in how many random networks what an audit finds is mended by the printed lines.
var repairs = flag.Int("repairs", 2, "networks of which findings are really mended")

// TestRepairsAgainstRealForwarding lets mend propose cures for what is wrong in random networks of kernels, types the
// printed lines into those kernels, and sends the packets again: what was to be mended must be, and nothing that
// arrived before may be lost. What is typed back must leave all as it was.
func TestRepairsAgainstRealForwarding(t *testing.T) {
	var all mendings
	for i := range *repairs {
		seed := *firstSeed + uint64(i)
		t.Run(fmt.Sprintf("seed %d", seed), func(t *testing.T) {
			s := repairSeed(t, seed)
			all.wrongs, all.cured, all.sent, all.refused = all.wrongs+s.wrongs, all.cured+s.cured, all.sent+s.sent, all.refused+s.refused
		})
	}
	t.Logf("%d wrongs, %d cures typed into kernels, %d mended packets sent, %d changes refused", all.wrongs, all.cured, all.sent, all.refused)
	require.Positive(t, all.cured)
}

// endings follows every probe anew.
func (n *randomNet) endings() map[[2]netip.Addr]ending {
	all := n.probes()
	n.follow(all)
	out := map[[2]netip.Addr]ending{}
	for i, p := range n.probes() {
		out[[2]netip.Addr{p.src, p.dst}] = all[i].end
	}
	return out
}

func repairSeed(t *testing.T, seed uint64) mendings {
	var s mendings
	n := newRandomNet(newBench(t, "ping"), seed)
	dir := n.captures([]string{"text", "json"}[seed%2], nil)
	keepFailing(t, dir, fmt.Sprintf("seed-%d", seed))
	c, err := casefile.Load(dir)
	require.NoError(t, err)
	w := forward.NewWalker(topology.Build(c.Network))
	found := audit.Run(w, audit.Options{})
	m := mend.New(w, mend.Options{})
	before := n.endings()
	for i := range found.Findings {
		f := &found.Findings[i]
		if f.Severity == audit.Note {
			continue
		}
		s.wrongs++
		wrong := mend.WrongOf(f)
		r := m.Find(wrong)
		s.refused += len(r.Refused)
		if r.Cure == nil {
			continue
		}
		s.cured++
		undo := n.typeIn(t, c, r)
		after := n.endings()
		told := func(p [2]netip.Addr) string {
			rt := r.Cure.After.Trace(p[0], p[1])
			return words(rt.Forward)
		}
		for p, was := range before {
			is := after[p]
			if was.verdict == "arrives" && is.verdict != "arrives" {
				t.Errorf("seed %d, %s by %s: %s to %s arrived before and ends %v now; we say %s", seed, f.ID, inWords(r.Cure.Orders), p[0], p[1], is, told(p))
			}
		}
		for _, trip := range wrong.Trips {
			p := [2]netip.Addr{trip.Source, trip.Destination}
			if trip.Way == mend.Back {
				p = [2]netip.Addr{trip.Destination, trip.Source}
			}
			is, ok := after[p]
			if s.sent++; !ok {
				s.sent--
			} else if is.verdict != "arrives" {
				t.Errorf("seed %d, %s by %s: %s to %s is not mended, it ends %v; we say %s", seed, f.ID, inWords(r.Cure.Orders), p[0], p[1], is, told(p))
			}
		}
		if s.cured == 1 { // the lines beside take it back
			n.typeLines(t, undo)
			for p, is := range n.endings() {
				require.Equal(t, before[p], is, "%s to %s after %v", p[0], p[1], undo)
			}
			n.typeIn(t, c, r)
		}
		before, m = after, m.With(r.Cure)
	}
	return s
}

// typeIn types the lines of orders into the kernels, and returns those that take them back.
func (n *randomNet) typeIn(t *testing.T, c *casefile.Case, r *mend.Result) [][2]string {
	var lines, undo [][2]string
	for _, o := range r.Cure.Orders {
		d := r.Before.Topology().Network.Device(o.Device)
		all := make([]statement.Line, 1)
		ok := false
		if o.Verb == rehearse.Add {
			all[0], ok = statement.Add(o.Static, c.Statements(d), c.System(d))
		} else {
			all, ok = statement.Remove(mend.Removed(d, o), c.Statements(d), c.System(d))
		}
		require.True(t, ok, "no line for %s %s: %+v", o.Verb, o.Text, mend.Removed(d, o))
		for _, l := range all {
			lines = append(lines, [2]string{o.Device, l.Text})
			undo = slices.Insert(undo, 0, [2]string{o.Device, l.Undo})
		}
	}
	n.typeLines(t, lines)
	return undo
}

func (n *randomNet) typeLines(t *testing.T, lines [][2]string) {
	for _, l := range lines {
		out, err := n.try(l[0], l[1])
		require.NoError(t, err, "%s on %s: %s", l[1], l[0], out)
	}
}

func inWords(orders []rehearse.Order) string {
	var out []string
	for _, o := range orders {
		out = append(out, o.Verb.String()+" "+o.Text)
	}
	return strings.Join(out, "; ")
}
