package audit

import (
	"net/netip"
	"slices"
	"strings"
	"sync"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A cause is one decision of one device at which packets end, however many packets do. Hop and Reason are those of one
// such packet.
type cause struct {
	key    causeKey
	device *network.Device
	hop    forward.Hop
	reason forward.Reason
	loop   []string // the devices of a loop, in the order of their names
}

// causeKey is what tells two causes apart. Which fields are set depends on the verdict.
type causeKey struct {
	device  string
	verdict forward.Verdict
	code    forward.Code
	table   string
	prefix  netip.Prefix
	address netip.Addr
	ifname  string
	mark    route.Mark
	final   bool // of a lost next hop: it is the destination itself
	home    bool // of an arrival: the device is where the destination belongs
}

// keyOf finds out what decided an ending.
func keyOf(device string, v forward.Verdict, hop forward.Hop, r forward.Reason) causeKey {
	k := causeKey{device: device, verdict: v, code: r.Code}
	switch v {
	case forward.NoRoute:
		k.table = hop.Table
	case forward.Discarded, forward.Refused:
		if k.table, k.prefix = hop.Table, hop.Prefix; !k.prefix.IsValid() || r.Code == forward.RuleDenies {
			k.prefix = netip.Prefix{}
			k.mark = first(r.Marks)
		}
	case forward.NextHopLost:
		k.table, k.address, k.ifname, k.final = hop.Table, r.Address, hop.OutInterface, !hop.NextHop.IsValid()
	case forward.SourceCheck:
		k.ifname = r.Interface
	case forward.Filtered, forward.StateMissing:
		k.mark = first(r.Marks)
	case forward.Leaves, forward.Unknown:
		k.table, k.ifname = hop.Table, hop.OutInterface
		if hop.NextHop.IsValid() {
			k.address = hop.NextHop
		}
	}
	return k
}

func first(m []route.Mark) route.Mark {
	if len(m) == 0 {
		return route.Mark{}
	}
	return m[0]
}

// outcome is what becomes of packets of one class from one lookupPoint: the worst ending, as a direction's verdict
// is. It is comparable.
type outcome struct {
	verdict forward.Verdict
	cause   int32
	// the device at which equal ways part of which one fails, the last one before the end; -1: none
	split             int32
	arrives           bool   // some way does
	elsewhere         bool   // some way arrives at a device where the destination does not belong
	beyondDestination bool   // a device on some way looks at more than the destination
	way               uint64 // of all the ways, by names, where ways are told apart; else 0
}

// fine is the number of the outcome that needs no further look: it arrives.
const fine = 0

// registry numbers causes and outcomes for all workers.
type registry struct {
	mu       sync.Mutex
	causes   []*cause
	byKey    map[causeKey]int32
	byLoop   map[string]int32
	outcomes []outcome
	byWhat   map[outcome]int32
}

func newRegistry() *registry {
	r := &registry{byKey: map[causeKey]int32{}, byLoop: map[string]int32{}, byWhat: map[outcome]int32{}}
	r.outcome(outcome{verdict: forward.Arrives, cause: -1, split: -1, arrives: true})
	return r
}

func (r *registry) outcome(o outcome) int32 {
	r.mu.Lock()
	defer r.mu.Unlock()
	id, ok := r.byWhat[o]
	if !ok {
		id = int32(len(r.outcomes))
		r.byWhat[o] = id
		r.outcomes = append(r.outcomes, o)
	}
	return id
}

// cause numbers an ending.
func (r *registry) cause(d *network.Device, k causeKey, hop forward.Hop, reason forward.Reason) int32 {
	r.mu.Lock()
	defer r.mu.Unlock()
	id, ok := r.byKey[k]
	if !ok {
		id = int32(len(r.causes))
		r.byKey[k] = id
		r.causes = append(r.causes, &cause{key: k, device: d, hop: hop, reason: reason})
	}
	return id
}

// loop numbers a loop by its devices.
func (r *registry) loop(devices []*network.Device) int32 {
	names := make([]string, len(devices))
	for i, d := range devices {
		names[i] = d.Name
	}
	slices.Sort(names)
	names = slices.Compact(names)
	text := strings.Join(names, "\x00")
	r.mu.Lock()
	defer r.mu.Unlock()
	id, ok := r.byLoop[text]
	if !ok {
		id = int32(len(r.causes))
		r.byLoop[text] = id
		i := slices.IndexFunc(devices, func(d *network.Device) bool { return d.Name == names[0] })
		r.causes = append(
			r.causes,
			&cause{
				key:    causeKey{device: names[0], verdict: forward.Loops, code: forward.CameBack},
				device: devices[i],
				loop:   names,
			},
		)
	}
	return id
}
