package compare

import (
	"sync"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// meter counts the routes that a comparison has gone through: each once for what becomes of packets, and once for the
// findings. Workers tell it at once.
type meter struct {
	mu          sync.Mutex
	done, total int
	tell        func(done, total int)
}

// newMeter counts what there is to do; tell may be nil.
func newMeter(tell func(done, total int), fams []route.Family, networks ...*network.Snapshot) *meter {
	m := &meter{tell: tell}
	for _, n := range networks {
		for _, d := range n.Devices().All() {
			for _, t := range d.Tables().All() {
				for _, fam := range fams {
					if t.Family == fam {
						m.total += 2 * t.Routes().Len()
					}
				}
			}
		}
	}
	return m
}

// add tells of n more routes.
func (m *meter) add(n int) {
	if m.tell == nil {
		return
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	m.done += n
	m.tell(m.done, m.total)
}

// audit returns options whose search is counted too.
func (m *meter) audit(opt audit.Options) audit.Options {
	if m.tell == nil {
		return opt
	}
	last := 0
	opt.Progress = func(p audit.Phase, done, _ int) {
		if p == audit.Searching {
			m.add(done - last)
			last = done
		}
	}
	return opt
}
