package survive

import (
	"fmt"
	"runtime"
	"testing"
	"time"

	"zarvek/internal/core/compare"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/core/settle"
	"zarvek/internal/core/topology"
)

func TestProf(t *testing.T) {
	n := mesh(200, 400, 300)
	w := forward.NewWalker(topology.Build(n))
	all := Failures(w.Topology())
	s := &search{walker: w, base: compare.NewBase(w), settler: settle.New(w.Topology()), families: []route.Family{route.IPv4, route.IPv6}}
	t0 := time.Now()
	s.try(all[0])
	fmt.Println("first", time.Since(t0), len(all))
	runtime.GC()
	t0 = time.Now()
	k := 0
	var tot [5]int
	for i := 3; i < len(all); i += 30 {
		o := s.try(all[i])
		tot[0] += len(o.Lost)
		tot[1] += o.Untold
		tot[2] += o.Rerouted
		tot[3] += o.Predicted
		tot[4] += o.Open
		k++
	}
	fmt.Println("each", time.Since(t0)/time.Duration(k), k, tot)
	var on, host time.Duration
	for i := 3; i < len(all); i += 30 {
		t0 = time.Now()
		after, _ := all[i].On(w, s.settler)
		on += time.Since(t0)
		t0 = time.Now()
		s.base.Hosts(after, s.families...)
		host += time.Since(t0)
	}
	fmt.Println("on", on/time.Duration(k), "host", host/time.Duration(k))
}
