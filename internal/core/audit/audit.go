// Package audit searches the whole address space of a network for packets that get lost, and the network itself for
// what will lose them later. It exists because an engineer does not know which pair to trace.
//
// It is exhaustive, not sampled: the space is cut at every prefix of every table into ranges, ranges in which every
// device does the same are one class, and each class is solved once for all devices as a graph. What a device does is
// asked of package forward, so that an audit and a trace cannot disagree; where a device looks at more than the
// destination, the pairs that pass it are followed one by one.
//
// No I/O, no clock: the same network gives the same findings, in the same order.
package audit

import (
	"net/netip"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// auditor is the audit of one family.
type auditor struct {
	walker       *forward.Walker
	fam          route.Family
	devices      []*network.Device
	deviceIndex  map[*network.Device]int32
	byName       map[string]int
	tables       [][]int // of each device, in the order of a worker's cursors
	fresh        []bool  // of each device: what it does must be asked anew at every point
	sensitive    []bool
	graph        graph
	addressFacts *addressFacts
	spaces       []span
	starts       []startSet
	startIndex   map[string]int
	reg          *registry
	overlaps     bool
	splitFrom    int // from how many routes of a table on the space is divided among workers
	hinted       *hints
	// ends are told apart by the ways of packets too, and ranges in which nobody can be are kept
	tellWays    bool
	keepsRanges bool                            // all ranges, and one worker finds them
	tableFiles  map[*network.Table][]route.Mark // of tables, as far as asked for
	worths      map[netip.Prefix]Severity       // of networks, as far as asked for
	downs       []int                           // attachments on interfaces that are down

	groups       []*group
	nets         []netip.Prefix // of the groups, in order
	netOf        []int32        // of each group, in nets
	netGroups    netGroups
	hostGroups   []int     // of each network: how many groups of hosts are in it
	worthTelling [][]span  // by cause, in order
	lost         lostPairs // until findings are made of them
	halfSeen     []pair    // of which a stateful device sees one direction only
	lostKinds    []kindOf
	ranges       int
	classes      int
	followed     atomic.Int64
	oneSided     map[[2]int32][]string // stateful devices that see one direction of a pair only
	sideLock     sync.Mutex
	counter      atomic.Pointer[lossCounter] // one that nobody uses
	coarse       map[*network.Device]bool    // devices whose filters name too much to be judged for every pair
	between      []between                   // of each group; nil where filters are not all that devices look at
	standIns     map[netip.Addr]standIn      // of the addresses of each
	twins        *twins                      // nil: no groups may be exchanged
}

// newAuditor compiles one family of a network.
func newAuditor(w *forward.Walker, fam route.Family) *auditor {
	a := &auditor{
		walker:      w,
		lostKinds:   lostKinds(),
		fam:         fam,
		devices:     w.Topology().Network.Devices().Copy(),
		deviceIndex: map[*network.Device]int32{},
		byName:      map[string]int{},
		oneSided:    map[[2]int32][]string{},
		startIndex:  map[string]int{},
		worths:      map[netip.Prefix]Severity{},
		tableFiles:  map[*network.Table][]route.Mark{},
		reg:         newRegistry(),
		spaces:      spaces(fam),
		splitFrom:   1000,
	}
	k := 0
	for i, d := range a.devices {
		a.deviceIndex[d], a.byName[d.Name] = int32(i), i
		var list []int
		fresh := false
		for _, t := range familyTables(d, fam) {
			list = append(list, k)
			fresh = fresh || t.Classful
			k++
		}
		for _, r := range d.Rules().All() {
			fresh = fresh || r.To.IsValid() && (r.Family == 0 || r.Family == fam)
		}
		a.tables, a.fresh = append(a.tables, list), append(a.fresh, fresh)
	}
	a.overlaps = a.overlapping()
	a.findDowns()
	a.weighFilters()
	a.newGraph()
	a.findStandIns()
	a.newGround()
	return a
}

// overlapping reports whether some attached network lies in another one.
func (a *auditor) overlapping() bool {
	topo := a.walker.Topology()
	for _, n := range topo.Networks() {
		if route.FamilyOf(n.Addr()) != a.fam {
			continue
		}
		for range topo.Wider(n) {
			return true
		}
	}
	return false
}

// findDowns lists the attachments on interfaces that are down.
func (a *auditor) findDowns() {
	for i, at := range a.walker.Topology().Attachments() {
		if at.Down && at.Prefix.IsValid() && route.FamilyOf(at.Prefix.Addr()) == a.fam &&
			!at.Prefix.Addr().IsLinkLocalUnicast() {
			a.downs = append(a.downs, i)
		}
	}
}

// run sweeps the space and judges the pairs; judging makes what is told of so many.
func (a *auditor) run(progress func(int), judging func(total int) func(int)) {
	a.sweepAll(progress)
	a.findTwins()
	a.lost = a.pairs(judging(len(a.groups) * len(a.groups)))
}

// sweepAll finds the classes and groups the ends.
func (a *auditor) sweepAll(progress func(int)) []*worker {
	parts := a.parts(runtime.GOMAXPROCS(0))
	workers := make([]*worker, len(parts))
	var wg sync.WaitGroup
	for i := range parts {
		wg.Go(func() {
			workers[i] = a.newWorker()
			for _, s := range parts[i] {
				workers[i].sweep(s, progress)
			}
		})
	}
	wg.Wait()
	var ends []end
	for _, w := range workers {
		ends = append(ends, w.ends...)
		a.addWorthTelling(w.worthTelling)
		a.ranges, a.classes = a.ranges+w.ranges, a.classes+len(w.found)
	}
	a.groups = a.groupEnds(ends)
	for _, w := range workers {
		a.groups = append(a.groups, w.groupBeyond()...)
	}
	a.findBetween()
	return workers
}

// addWorthTelling adds a worker's ranges; those of workers before it lie before.
func (a *auditor) addWorthTelling(worthTelling []spanList) {
	for len(a.worthTelling) < len(worthTelling) {
		a.worthTelling = append(a.worthTelling, nil)
	}
	for c, list := range worthTelling {
		a.worthTelling[c] = append(a.worthTelling[c], slices.Concat(list.pieces...)...)
	}
}

// parts divides the space for workers, so that each has about the same number of prefixes of the largest table.
func (a *auditor) parts(n int) [][]span {
	var largest *network.Table
	for _, d := range a.devices {
		for _, t := range familyTables(d, a.fam) {
			if largest == nil || t.Routes().Len() > largest.Routes().Len() {
				largest = t
			}
		}
	}
	if a.keepsRanges || largest == nil || largest.Routes().Len() < a.splitFrom {
		return [][]span{a.spaces}
	}
	var bounds []number
	for i := 1; i < n; i++ {
		hi, lo, _, _ := largest.Routes().Span(largest.Routes().Len() * i / n)
		bounds = append(bounds, number{hi, lo})
	}
	out := make([][]span, len(bounds)+1)
	for _, s := range a.spaces {
		for i, b := range bounds {
			if !s.first.less(b) {
				continue
			}
			if s.last.less(b) {
				out[i] = append(out[i], s)
				s.first = s.last.next()
				break
			}
			out[i] = append(out[i], span{s.first, b.previous()})
			s.first = b
		}
		if !s.last.less(s.first) {
			out[len(bounds)] = append(out[len(bounds)], s)
		}
	}
	return out
}

// counter returns what adds up what workers did.
func counter(total int, tell func(done, total int)) func(int) {
	var mu sync.Mutex
	done := 0
	return func(n int) {
		mu.Lock()
		defer mu.Unlock()
		done += n
		tell(done, total)
	}
}

// groupOf returns the group that an address belongs to, -1 for none.
func (a *auditor) groupOf(x netip.Addr) int32 {
	n := numberOf(x)
	for i, g := range a.groups {
		for _, s := range g.spans {
			if !n.less(s.first) && !s.last.less(n) {
				return int32(i)
			}
		}
	}
	return -1
}
