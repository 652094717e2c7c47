package audit

import (
	"bufio"
	"compress/gzip"
	"flag"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/change"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// realPrefixes are those of the Internet that the LPM library's module ships; the benchmark is skipped without them.
func realPrefixes(b *testing.B) []netip.Prefix {
	dir, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "github.com/gaissmai/bart").Output()
	if err != nil {
		b.Skip(err)
	}
	f, err := os.Open(filepath.Join(strings.TrimSpace(string(dir)), "internal/tests/testdata/prefixes.txt.gz"))
	if err != nil {
		b.Skip(err)
	}
	defer f.Close()
	z, err := gzip.NewReader(f)
	if err != nil {
		b.Fatal(err)
	}
	var out []netip.Prefix
	for s := bufio.NewScanner(z); s.Scan(); {
		if p, err := netip.ParsePrefix(s.Text()); err == nil {
			out = append(out, p)
		}
	}
	return out
}

// fullTables is n devices in a ring with chords, each with every real prefix by a next hop of its own choice.
func fullTables(prefixes []netip.Prefix, n int) *network.Snapshot {
	rnd := rand.New(rand.NewPCG(1, 2))
	var b network.Builder
	type far struct {
		addr [2]string
		dev  string
	}
	links := make([][]far, n)
	text := make([]strings.Builder, n)
	k := 0
	connect := func(x, y int) {
		for i, r := range []int{x, y} {
			for f, net := range []string{"172.28.%d.%d/30", "fd6b:%x::%d/126"} {
				a := netip.MustParsePrefix(fmt.Sprintf(net, k, 1+i))
				fmt.Fprintf(&text[r], "addr %s e%d\ndirect %s dev e%d\n", a, k, a.Masked(), k)
				_ = f
			}
			links[r] = append(
				links[r],
				far{
					[2]string{fmt.Sprintf("172.28.%d.%d", k, 2-i), fmt.Sprintf("fd6b:%x::%d", k, 2-i)},
					fmt.Sprintf("e%d", k),
				},
			)
		}
		k++
	}
	for i := range n {
		connect(i, (i+1)%n)
		if i%4 == 0 {
			connect(i, (i+n/2)%n)
		}
	}
	for i := range n {
		facts := coretest.Facts(strings.TrimSpace(text[i].String()), uint32(i+1))
		for f, fam := range []route.Family{route.IPv4, route.IPv6} {
			var t *network.TableFacts
			for j := range facts.Tables {
				if facts.Tables[j].Family == fam {
					t = &facts.Tables[j]
				}
			}
			var ids []route.AttrID
			for _, l := range links[i] {
				ids = append(
					ids,
					t.Routes.Share(
						&route.Attributes{
							Protocol:   route.BGP,
							Preference: route.N(20),
							NextHops:   []route.NextHop{{Address: netip.MustParseAddr(l.addr[f]), Interface: l.dev}},
						},
					),
				)
			}
			t.Routes.Grow(len(prefixes))
			for _, p := range prefixes {
				if route.FamilyOf(p.Addr()) == fam {
					t.Routes.Add(route.Route{Prefix: p, State: route.Active | route.Installed,
						Mark: route.Mark{File: uint32(i + 1), Off: 1, End: 2}}, ids[rnd.IntN(len(ids))])
				}
			}
		}
		b.Add(fmt.Sprintf("edge%03d", i), facts, 0)
	}
	return b.Build()
}

var huge = flag.Bool("huge", false, "benchmark 100 full tables too, which takes 16 GB")

func BenchmarkFullTables(b *testing.B) {
	prefixes := realPrefixes(b)
	sizes := []int{10, 20}
	if *huge {
		sizes = append(sizes, 100)
	}
	for _, n := range sizes {
		w := forward.NewWalker(topology.Build(fullTables(prefixes, n)))
		b.Run(fmt.Sprintf("%d devices", n), func(b *testing.B) {
			for b.Loop() {
				r := Run(w, Options{})
				for _, c := range r.Families {
					b.ReportMetric(float64(c.Classes), c.Family.String()+"-classes")
					b.ReportMetric(float64(c.Ranges), c.Family.String()+"-ranges")
				}
			}
		})
	}
}

// campus is n devices in a tree with cross links, each with an attached network and a route to about routes networks.
func campus(n, routes int) *network.Snapshot { return campusWith(n, routes, false) }

// campusWith is campus, on demand with a floating static route beside every learned one.
func campusWith(n, routes int, floating bool) *network.Snapshot {
	rnd := rand.New(rand.NewPCG(3, 4))
	text := make([]strings.Builder, n)
	hops := make([][]string, n)
	parent := make([]int, n)
	k := 0
	connect := func(x, y int) {
		for i, r := range []int{x, y} {
			net := fmt.Sprintf("172.%d.%d", 16+k/256/64, k/64%256)
			fmt.Fprintf(&text[r], "addr %s.%d/30 e%d\ndirect %s.%d/30 dev e%d\n", net, k%64*4+1+i, k, net, k%64*4, k)
			hops[r] = append(hops[r], fmt.Sprintf("via %s.%d dev e%d", net, k%64*4+2-i, k))
		}
		k++
	}
	for i := 1; i < n; i++ {
		parent[i] = (i - 1) / 3
		connect(i, parent[i])
	}
	nets := make([]string, 0, routes)
	for i := range routes - n {
		nets = append(nets, fmt.Sprintf("10.%d.%d.0/24", i/256, i%256))
	}
	toward := func(i, goal int) string { // hops[0] is the parent's, the others the children's in order
		x := goal
		for x != i {
			if x < i {
				return hops[i][0]
			}
			if parent[x] == i {
				child := x - (3*i + 1)
				if i > 0 {
					child++
				}
				return hops[i][child]
			}
			x = parent[x]
		}
		return ""
	}
	var b network.Builder
	for i := range n {
		for j, p := range nets {
			if j%n == i {
				fmt.Fprintf(
					&text[i],
					"addr %s1/24 lan%d\ndirect %s dev lan%d\n",
					strings.TrimSuffix(p, "0/24"),
					j,
					p,
					j,
				)
			}
		}
		facts := coretest.Facts(strings.TrimSpace(text[i].String()), uint32(i+1))
		list := &facts.Tables[0].Routes
		shared := map[string]route.AttrID{}
		learn := func(prefix, hop string) { // readers share what routes have in common
			metric := 10 + rnd.IntN(5)*10
			id, ok := shared[hop]
			if !ok {
				f := strings.Fields(hop)
				id = list.Share(
					&route.Attributes{
						Protocol:   route.OSPF,
						Preference: route.N(110),
						NextHops:   []route.NextHop{{Address: netip.MustParseAddr(f[1]), Interface: f[3]}},
					},
				)
				shared[hop] = id
			}
			r := route.Route{Prefix: netip.MustParsePrefix(prefix), Metric: route.N(uint64(metric)),
				State: route.Active | route.Installed, Mark: route.Mark{File: uint32(i + 1), Off: 1, End: 2}}
			list.Add(r, id)
			if floating {
				a := *list.Attributes(id)
				a.Protocol, a.Preference = route.Static, route.N(200)
				r.State = 0
				list.Add(r, list.Share(&a))
			}
		}
		for j, p := range nets {
			if j%n != i && rnd.IntN(2000) > 0 {
				learn(p, toward(i, j%n))
			}
		}
		for x := 1; x < n; x++ { // the links, each numbered as its lower end but one
			if x != i && parent[x] != i {
				learn(fmt.Sprintf("172.%d.%d.%d/30", 16+(x-1)/256/64, (x-1)/64%256, (x-1)%64*4), toward(i, x))
			}
		}
		b.Add(fmt.Sprintf("d%04d", i), facts, 0)
	}
	return b.Build()
}

func BenchmarkManyDevices(b *testing.B) {
	for _, n := range []int{125, 250, 500} {
		w := forward.NewWalker(topology.Build(campus(n, 2000)))
		b.Run(fmt.Sprintf("%d devices", n), func(b *testing.B) {
			for b.Loop() {
				r := Run(w, Options{Family: route.IPv4})
				b.ReportMetric(float64(r.Families[0].Classes), "classes")
				b.ReportMetric(float64(r.Families[0].Ends), "ends")
				b.ReportMetric(float64(len(r.Findings)), "findings")
			}
		})
	}
}

// BenchmarkTracingEveryPair is what the audit of 500 devices replaces: a trace of every pair of attached networks. It
// follows a sample and tells what all would take.
func BenchmarkTracingEveryPair(b *testing.B) {
	w := forward.NewWalker(topology.Build(campus(500, 2000)))
	var hosts []netip.Addr
	for _, n := range w.Topology().Networks() {
		hosts = append(hosts, n.Addr().Next())
	}
	rnd := rand.New(rand.NewPCG(5, 6))
	pick := func() netip.Addr { return hosts[rnd.IntN(len(hosts))] }
	for b.Loop() {
		w.Trace(pick(), pick())
	}
	each := b.Elapsed().Seconds() / float64(b.N)
	b.ReportMetric(each*float64(len(hosts))*float64(len(hosts)-1), "s/all-pairs")
}

// BenchmarkBackups is 100 devices of which each has a floating static route beside every learned one.
func BenchmarkBackups(b *testing.B) {
	net := campusWith(100, 1000, true)
	w := forward.NewWalker(topology.Build(net))
	for b.Loop() {
		r := Run(w, Options{Family: route.IPv4})
		b.ReportMetric(float64(len(r.Findings)), "findings")
	}
}

// BenchmarkOverlay is one static route added to one of 20 devices with full tables, and a packet followed in what
// results: what it costs is what it changes. B/op says that no table is copied (one has about 34 MB).
func BenchmarkOverlay(b *testing.B) {
	net := fullTables(realPrefixes(b), 20)
	w := forward.NewWalker(topology.Build(net))
	d := net.Devices().At(0)
	hop := netip.Addr{}
	for _, r := range d.Tables().At(0).Routes().At(d.Tables().At(0).Routes().Len() / 2).Forwarding() {
		hop = r.Address
	}
	add := change.AddRoute{
		Device: d.Name,
		Static: network.Static{Prefix: netip.MustParsePrefix("10.61.0.0/16"), NextHop: route.NextHop{Address: hop}},
	}
	dst := netip.MustParseAddr("10.61.1.1")
	over, err := change.Change{add}.On(net) // the index of the table is made once, by whoever asks first
	require.NoError(b, err)
	w.On(over)
	b.ReportAllocs()
	for b.Loop() {
		over, err := change.Change{add}.On(net)
		require.NoError(b, err)
		w.On(over).Onward(over.Device(d.Name), dst)
	}
}
