package present

import (
	"bytes"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture"
	"zarvek/internal/casefile"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// forms are what table writes and a case reads.
var forms = map[string]func(io.Writer, TableQuery, View) error{"json": TableJSON, "csv": TableCSV}

// readBack writes a device's tables and reads them as a capture.
func readBack(t *testing.T, form string, d *network.Device, f network.Filter) network.Facts {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, forms[form](&b, TableQuery{d, f}, View{Evidence: fixed{}}))
	c, err := capture.Read(form, b.Bytes(), 1)
	require.NoError(t, err)
	var out network.Facts
	for _, p := range c.Parts {
		require.Empty(t, p.Unread, form)
		out.Tables = append(out.Tables, p.Facts.Tables...)
	}
	return out
}

// notTables are the lines of a network's text that are no routes.
func notTables(text, device string) string {
	var out []string
	for line := range strings.Lines(text) {
		name, rest, ok := strings.Cut(strings.TrimSpace(line), ": ")
		if word, _, _ := strings.Cut(rest, " "); ok && name == device &&
			strings.Contains(" addr link neigh forwarding check rule stateful session ", " "+word+" ") {
			out = append(out, rest)
		}
	}
	return strings.Join(out, "\n")
}

// TestWhatIsWrittenReadsBackAlike: of random networks, each pair of ends has the same verdict by the tables as captured
// and by the tables as this program has written them.
func TestWhatIsWrittenReadsBackAlike(t *testing.T) {
	compared := 0
	for seed := range uint64(12) {
		rnd := rand.New(rand.NewPCG(seed, 5))
		size := 3 + int(seed)%5
		text := coretest.RandomText(rnd, size)
		n := coretest.Build(text)
		for form := range forms {
			var b network.Builder
			for _, d := range n.Devices().All() {
				f := coretest.Facts(notTables(text, d.Name), 2)
				f.Tables = readBack(t, form, d, network.Filter{Kept: true, All: true}).Tables
				b.Add(d.Name, f, 0)
			}
			was, is := forward.NewWalker(topology.Build(n)), forward.NewWalker(topology.Build(b.Build()))
			for i := range size {
				for j := range size {
					src, dst := netip.AddrFrom4(
						[4]byte{10, 61, byte(i), 9},
					), netip.AddrFrom4(
						[4]byte{10, 61, byte(j), 9},
					)
					want, got := was.Trace(src, dst), is.Trace(src, dst)
					what := fmt.Sprintf("seed %d, %s, %s to %s\n%s", seed, form, src, dst, text)
					require.Equal(t, want.Verdict, got.Verdict, what)
					require.Equal(t, want.Forward.Verdict, got.Forward.Verdict, what)
					compared++
				}
			}
		}
	}
	require.Greater(t, compared, 400)
}

// TestEveryTableOfTheSamplesReadsBackAlike: each route forwards where it did.
func TestEveryTableOfTheSamplesReadsBackAlike(t *testing.T) {
	routes := 0
	for _, dir := range []string{"../demo/case", "../../lab/testdata/first-lab/captures"} {
		c, err := casefile.Load(dir)
		require.NoError(t, err)
		for _, d := range c.Network.Devices().All() {
			for form := range forms {
				var b network.Builder
				b.Add(d.Name, readBack(t, form, d, network.Filter{Kept: true, All: true}), 0)
				back := b.Build().Device(d.Name)
				for _, tab := range d.Tables().All() {
					if tab.Routes().Len() == 0 {
						continue
					}
					got := back.Table(tab.Name, tab.Family)
					what := strings.Join([]string{dir, d.Name, tab.Name, tab.Family.String(), form}, " ")
					require.NotNil(t, got, what)
					require.Equal(t, tab.Undecided || tab.Contradictory(), got.Undecided, what)
					require.Equal(t, forwards(tab), forwards(got), what)
					routes += tab.Routes().Len()
				}
			}
		}
	}
	require.Greater(t, routes, 1000)
}

// forwards writes what a table forwards, a line for each next hop: CSV does not tell several rows from one with several
// ways.
func forwards(t *network.Table) string {
	lines := map[string]bool{}
	for i := range t.Routes().Len() {
		r := t.Routes().At(i)
		if !r.Is(route.Installed) {
			continue
		}
		hops := r.Forwarding()
		if len(hops) == 0 {
			hops = []route.NextHop{{}}
		}
		for _, h := range hops {
			lines[fmt.Sprintf("%s %s %v via %s dev %s in %q weight %d %v %v",
				r.Prefix, r.Protocol, r.Special, h.Address, h.Interface, h.Table, max(h.Weight, 1), h.OnLink, h.Down)] = true
		}
	}
	return strings.Join(slices.Sorted(maps.Keys(lines)), "\n")
}

// TestAPartReadsBackAsAPart: what a filter left out is not missing.
func TestAPartReadsBackAsAPart(t *testing.T) {
	n := coretest.Build(
		"a: static 10.1.0.0/16 via 10.0.0.2 dev e0\na: direct 10.0.0.0/30 dev e0\nb: database: ospf 10.1.0.0/16 via 10.0.0.1\nc: walk: static 10.1.0.0/16 via 10.0.0.2 dev e0",
	)
	for form := range forms {
		for _, narrow := range []bool{false, true} {
			f := network.Filter{All: true}
			if narrow {
				f.Within = netip.MustParsePrefix("10.1.0.0/16")
			}
			var b network.Builder
			b.Add("a", readBack(t, form, n.Device("a"), f), 0)
			require.Equal(t, narrow, b.Build().Device("a").Table("default", route.IPv4).Undecided, form)
		}
		require.True(
			t,
			readBack(t, form, n.Device("b"), network.Filter{All: true}).Tables[0].Filtered.Known(),
			"what is used is not known",
		)
	}
	require.Equal(t, network.Walk, readBack(t, "json", n.Device("c"), network.Filter{All: true}).Tables[0].Kind)
}
