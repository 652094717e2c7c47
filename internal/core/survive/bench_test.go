package survive

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"zarvek/internal/core/compare"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/settle"
	"zarvek/internal/core/topology"
)

// mesh is a network of routers with links between them, a network of hosts at some, and OSPF routes by the shortest way
// to every network; costs are 10.
func mesh(size, links, lans int) *network.Snapshot {
	rnd := rand.New(rand.NewPCG(1, 2))
	type port struct{ far, link, end int }
	ports := make([][]port, size)
	var b strings.Builder
	connect := func(k, x, y int) {
		for i, r := range []int{x, y} {
			far := []int{y, x}[i]
			ports[r] = append(ports[r], port{far, k, 2 - i})
			fmt.Fprintf(&b, "r%d: addr 172.%d.%d.%d/30 e%d\nr%d: direct 172.%d.%d.0/30 dev e%d\nr%d: link e%d up\nr%d: ospf/intra-area 172.%d.%d.0/30 pref 110 metric 10 dev e%d candidate\n",
				r, 16+k/256, k%256, i+1, k, r, 16+k/256, k%256, k, r, k, r, 16+k/256, k%256, k)
		}
	}
	for i := 1; i < size; i++ {
		connect(i-1, rnd.IntN(i), i)
	}
	for k := size - 1; k < links; k++ {
		x, y := rnd.IntN(size), rnd.IntN(size)
		if x == y {
			y = (x + 1) % size
		}
		connect(k, x, y)
	}
	for d := range lans {
		at := d * size / lans
		p := fmt.Sprintf("10.%d.%d.0/24", d/250, d%250)
		fmt.Fprintf(&b, "r%d: addr 10.%d.%d.1/24 lan%d\nr%d: direct %s dev lan%d\nr%d: ospf/intra-area %s pref 110 metric 10 dev lan%d candidate\n",
			at, d/250, d%250, d, at, p, d, at, p, d)
		dist := map[int]int{at: 0}
		for todo := []int{at}; len(todo) > 0; todo = todo[1:] {
			for _, q := range ports[todo[0]] {
				if _, ok := dist[q.far]; !ok {
					dist[q.far] = dist[todo[0]] + 1
					todo = append(todo, q.far)
				}
			}
		}
		for r := range size {
			hops := ""
			for _, q := range ports[r] {
				if r != at && dist[q.far] == dist[r]-1 {
					hops += fmt.Sprintf(" via 172.%d.%d.%d dev e%d", 16+q.link/256, q.link%256, q.end, q.link)
				}
			}
			if hops != "" {
				fmt.Fprintf(&b, "r%d: ospf/intra-area %s pref 110 metric %d%s\n", r, p, 10+10*dist[r], hops)
			}
		}
	}
	return coretest.Build(b.String())
}

// BenchmarkSurvive tries every failure of 40 devices with 80 links and 60 networks.
func BenchmarkSurvive(b *testing.B) {
	n := mesh(40, 80, 60)
	for b.Loop() {
		r := Run(context.Background(), forward.NewWalker(topology.Build(n)), Options{})
		b.ReportMetric(float64(len(r.Outcomes)), "failures")
	}
}

// BenchmarkSurviveOf200 tries every failure of 200 devices with 400 links and 300 networks.
func BenchmarkSurviveOf200(b *testing.B) {
	n := mesh(200, 400, 300)
	for b.Loop() {
		r := Run(context.Background(), forward.NewWalker(topology.Build(n)), Options{})
		b.ReportMetric(float64(len(r.Outcomes)), "failures")
	}
}

// BenchmarkRehearsingOneOf200 is what one of those failures costs that shares nothing with others: it is settled, swept
// and compared from the beginning.
func BenchmarkRehearsingOneOf200(b *testing.B) {
	n := mesh(200, 400, 300)
	k := 0
	for b.Loop() {
		t := topology.Build(n)
		w, all := forward.NewWalker(t), Failures(t)
		after, _ := all[k*37%len(all)].On(w, settle.New(t))
		compare.Run(w, after, compare.Options{OneNetwork: true})
		k++
	}
}
