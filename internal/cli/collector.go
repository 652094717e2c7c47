package cli

import (
	"os"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"sync"
	"sync/atomic"
)

// How much garbage may pile up before it is collected, in bytes: while captures are read, and while packets are
// walked, which leaves much behind and keeps little.
const (
	roomToRead = 64 << 20
	roomToWalk = 1 << 30
)

var (
	roomToCollect atomic.Int64 // that is given now
	watching      sync.Once    // collections, to adjust the percentage after each
)

// The parts of what is kept, in percent, between which the room is given: less than the least would collect all the
// time in a large case, more than the most serves nothing in a small one.
const (
	leastPercent = 20
	mostPercent  = 400
)

// tuneCollector gives the garbage collector a room in bytes rather than a part of what is kept: a part is too little
// for a case of some captures, whose time it doubles, and too much for one of twenty full tables. GOGC in the
// environment outranks it.
func tuneCollector() {
	if os.Getenv("GOGC") == "" {
		roomToCollect.Store(roomToRead)
		watching.Do(adjustCollector)
	}
}

// collectLess gives the collector the room for walks.
func collectLess() {
	if os.Getenv("GOGC") == "" {
		roomToCollect.Store(roomToWalk)
		setPercent()
	}
}

// adjustCollector sets the percentage anew after each collection.
func adjustCollector() {
	setPercent()
	tick := &struct{ keep *byte }{}
	runtime.AddCleanup(tick, func(int) { adjustCollector() }, 0)
}

func setPercent() {
	live := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
	metrics.Read(live)
	percent := 100 * roomToCollect.Load() / (int64(live[0].Value.Uint64()) + 1)
	debug.SetGCPercent(int(min(max(percent, leastPercent), mostPercent)))
}
