package audit

import (
	"encoding/binary"
	"slices"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// moves is what a device does with the packets of one class: endings and next nodes, ready for the solver.
type moves struct {
	next              []int32
	worst             forward.Verdict // of the endings
	cause             int32
	arrives           bool
	elsewhere         bool
	bad               []int32 // causes that are worth telling even where no captured device is behind
	ways              int
	sum               uint64 // over all of it by names, where ways are told apart; else 0
	beyondDestination bool   // a device at which it ends looks at more than the destination
}

// graph numbers the nodes of one family: every lookupPoint in which a device may meet a packet.
type graph struct {
	lookupPoints      []forward.LookupPoint
	device            []int32 // of each node, in auditor.devices
	index             map[forward.LookupPoint]int32
	byDevice          [][]int32
	transit           int // the nodes below it are met by packets of others, those above send their own
	beyondDestination []bool
	// some interface leads there; a table that only rules for sources name has no packets of its own
	entered []bool
	// of a node that sends its own packets: the one for packets of others in the same table; -1: none
	received []int32
}

// newGraph numbers the places where a packet can be looked up: a device, the table that it asks and the interface that
// the packet came in by, where either differs.
func (a *auditor) newGraph() {
	g := &a.graph
	g.index, g.byDevice = map[forward.LookupPoint]int32{}, make([][]int32, len(a.devices))
	add := func(d int, s forward.LookupPoint) {
		if _, ok := g.index[s]; ok {
			return
		}
		n := int32(len(g.lookupPoints))
		g.index[s] = n
		g.lookupPoints, g.device = append(g.lookupPoints, s), append(g.device, int32(d))
		g.byDevice[d] = append(g.byDevice[d], n)
	}
	topo := a.walker.Topology()
	shared := map[*network.Device]bool{} // an IPv4 device drops what seems to come from itself
	for _, pair := range topo.Shared() {
		if a.fam == route.IPv4 {
			shared[pair[0].Device], shared[pair[1].Device] = true, true
		}
	}
	for i, d := range a.devices {
		a.sensitive = append(a.sensitive, a.walker.Sensitive(d, a.fam) || shared[d])
		for _, s := range a.walker.LookupPoints(d, a.fam) {
			add(i, s)
		}
	}
	g.transit = len(g.lookupPoints)
	g.entered = make([]bool, g.transit)
	for _, d := range a.devices {
		for _, name := range append(topo.Interfaces(d), "") {
			if n := g.node(a.walker.Enters(d, name)); n >= 0 {
				g.entered[n] = true
			}
		}
	}
	for i, d := range a.devices {
		for _, name := range append(topo.Interfaces(d), "") {
			add(i, a.walker.SentBy(d, name))
		}
	}
	for n, s := range g.lookupPoints {
		g.beyondDestination = append(g.beyondDestination, a.sensitive[g.device[n]])
		g.received = append(g.received, g.node(s.Received()))
	}
}

// node returns the number of a lookupPoint, -1 where none was foreseen.
func (g *graph) node(s forward.LookupPoint) int32 {
	if n, ok := g.index[s]; ok {
		return n
	}
	return -1
}

// moveList numbers what devices do by its content.
type moveList struct {
	all    []moves
	below  map[string]int32 // of a list below
	byText map[string]int32
	text   []byte
}

// above returns a list that goes on from b's numbers and leaves it as it is.
func (b *moveList) above() moveList {
	return moveList{all: slices.Clip(b.all), below: b.byText, byText: map[string]int32{}}
}

// record numbers what a device does. Home tells whether a device is where the destination belongs.
func (w *worker) record(list []forward.Move, home func(*network.Device) bool) int32 {
	b := &w.moveSet
	m := moves{cause: -1, ways: len(list)}
	text := b.text[:0]
	var ways []uint64
	for _, v := range list {
		if v.Verdict == forward.GoesOn {
			n := w.graph.node(v.Next)
			text = append(text, 'n')
			text = binary.LittleEndian.AppendUint32(text, uint32(n))
			text = append(text, v.Hop.OutInterface...)
			if w.tellWays {
				next := v.Next.Key()
				next.Ingress = "" // whether rules look at it may differ where the way does not
				ways = append(ways, waySum("goes on", next, v.Hop.OutInterface))
			}
			if n >= 0 {
				if !slices.Contains(m.next, n) {
					m.next = append(m.next, n)
				}
				continue
			}
			v.Verdict = forward.Unknown
		}
		k := keyOf(v.At.Name, v.Verdict, v.Hop, v.Reason)
		if v.Verdict == forward.Arrives {
			k = causeKey{device: v.At.Name, verdict: forward.Arrives, code: v.Reason.Code, home: home(v.At)}
			m.arrives = true
			m.elsewhere = m.elsewhere || !k.home
		}
		m.arrives = m.arrives || v.Verdict == forward.Leaves
		m.beyondDestination = m.beyondDestination || w.sensitive[w.deviceIndex[v.At]]
		id := w.causeID(v, k)
		text = append(text, 'e')
		text = binary.LittleEndian.AppendUint32(text, uint32(id))
		if w.tellWays {
			out := v.Hop.OutInterface
			if v.Delivery == forward.ToDevice && v.Hop.Device == v.At.Name {
				out = "" // where its address is decides nothing
			}
			text = append(text, out...)
			ways = append(ways, waySum("ends", k.named(), out))
		}
		if v.Verdict > m.worst {
			m.worst, m.cause = v.Verdict, id
		}
		if tellsAlone(v.Verdict) && !k.final {
			m.bad = append(m.bad, id)
		}
	}
	slices.Sort(ways)
	for _, sum := range slices.Compact(ways) { // equal next hops of one device may lead the same way
		m.sum += sum
	}
	b.text = text
	id, ok := b.below[string(text)]
	if ok {
		return id
	}
	if id, ok = b.byText[string(text)]; !ok {
		id = int32(len(b.all))
		b.byText[string(text)] = id
		b.all = append(b.all, m)
	}
	return id
}

// tellsAlone reports whether an ending is worth telling though nobody captured is behind.
func tellsAlone(v forward.Verdict) bool {
	return v == forward.NextHopLost || v == forward.Discarded || v == forward.Refused
}

func (w *worker) causeID(v forward.Move, k causeKey) int32 {
	if id, ok := w.causes[k]; ok {
		return id
	}
	id := w.reg.cause(v.At, k, v.Hop, v.Reason)
	w.causes[k] = id
	return id
}

// class numbers are hashes of 128 bits over what every node does; two classes of one number are not expected within
// the 2^64 classes that would make it likely.
type classHash struct{ a, b uint64 }

func mix(node, m int32) classHash {
	x := uint64(uint32(node))<<32 | uint64(uint32(m))
	return classHash{scramble(x + 0x9e3779b97f4a7c15), scramble(x ^ 0xd1b54a32d192ed03)}
}

// scramble is a bijection of 64 bits that spreads every bit over all (the finalizer of SplitMix64).
func scramble(x uint64) uint64 {
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	return x ^ x>>31
}

func familyTables(d *network.Device, fam route.Family) []*network.Table {
	var out []*network.Table
	for _, t := range d.Tables().All() {
		if t.Family == fam {
			out = append(out, t)
		}
	}
	return out
}
