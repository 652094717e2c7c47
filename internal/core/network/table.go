package network

import (
	"iter"
	"net/netip"
	"sync"
	"sync/atomic"

	"zarvek/internal/core/prefixes"
	"zarvek/internal/core/route"
)

// A Table is all that the captures say of one routing table of one family, merged. Routes of one prefix are one group.
type Table struct {
	Name        string
	Family      route.Family
	Kernel      bool // what forwards was captured itself, not deduced from what was chosen
	Chosen      bool // a routing table with preferences was captured
	HighestWins bool // of preferences; elsewhere the lowest does
	// nothing but protocol databases or filtered listings was captured: what is used is not known
	Undecided bool
	Classful  bool // a known part of a class A, B or C network bars shorter prefixes for all of it
	// captured with the kernel's own local table: what other tables it names but does not show are empty
	Whole bool
	// it was not captured: it is what a configuration makes, and where it has no route nothing is known
	Supposed bool
	Weak     bool // only a management walk was captured, which may leave routes out
	// the command that asked for a part of it, where no capture shows all; it is undecided then
	Filtered  route.Mark
	Lacks     bool         // Filtered is an address of an interface that is up instead: no row has its network
	ListsBGP  bool         // BGP's own list was captured as a whole, so that all paths that were heard are there
	PathTypes bool         // kinds of OSPF paths are told apart: one without a kind is within an area
	FirstHops bool         // its routes may have next hops beside the one that is shown
	ByRule    bool         // a kernel's table beside the main one; nothing tells that it is a VRF's
	CutAt     netip.Prefix // the last prefix read before the capture ended in the middle; invalid where none did

	rows           route.Rows // sorted by prefix, shorter first
	differences    []Difference
	contradictions map[netip.Prefix]*Difference // those of different moments on what forwards
	more           map[int][]route.Mark         // further evidence, by row of the captured table
	unread         unreadRows
	scopes         []netip.Prefix // of filtered listings

	*index        // of the captured table: an overlay shares it
	patch  *patch // what an overlay has in place of some of the captured routes; nil for a captured table
}

// index finds the groups of a captured table.
type index struct {
	asked atomic.Int32 // lookups that were answered by searching
	once  sync.Once
	half  [2]prefixes.Index // of the groups in order: the first half of a large table, or all; the second half

	measured sync.Once
	lengths  lengths // of the captured table's prefixes
}

// lengths is a set of prefix lengths, 0 to 128. The zero lengths is empty.
type lengths [3]uint64

func (l *lengths) add(bits int)      { l[bits/64] |= 1 << (bits % 64) }
func (l *lengths) has(bits int) bool { return l[bits/64]>>(bits%64)&1 == 1 }

// Routes returns the table's routes, sorted by prefix, shorter first.
func (t *Table) Routes() *route.Rows { return &t.rows }

// Differences returns the contradictions between captures of the table.
func (t *Table) Differences() Items[Difference] { return Items[Difference]{t.differences} }

// DifferenceKind says how two captures of one device differ on a prefix.
type DifferenceKind uint8

const (
	// NotInstalled: chosen in the routing table, absent from what forwards.
	NotInstalled DifferenceKind = iota
	// NotChosen: forwards, though no chosen route of the routing table says so.
	NotChosen
	// OtherNextHops: both have the prefix, by other next hops.
	OtherNextHops
	// OtherChoice: two captures of the routing table disagree on what was chosen.
	OtherChoice
	// OtherMoment: two captures of the same kind lead to other next hops.
	OtherMoment
	// GoneMoment: of two captures of the same kind only one has the prefix; Installed is where the other one begins.
	GoneMoment
)

// A Difference is a contradiction between two captures of one device, each with its line.
type Difference struct {
	Kind              DifferenceKind
	Prefix            netip.Prefix
	Chosen, Installed route.Mark
}

// A Group is the routes of one prefix: the half-open range of indexes into Routes.
type Group struct{ Lo, Hi int }

// Group returns the group whose first route is lo.
func (t *Table) Group(lo int) Group { return t.group(lo) }

func (t *Table) group(lo int) Group {
	hi := lo + 1
	for hi < t.rows.Len() && t.rows.SamePrefix(lo, hi) {
		hi++
	}
	return Group{lo, hi}
}

// manyRoutes is from where on the index is built in two halves side by side.
const manyRoutes = 1 << 17

// fewLookups is how many lookups in a large table are answered by searching it, and routesALookup how many routes a
// table must have for each of them: up to that an index costs more than it saves (measured of 900,000 routes: 0.1 s
// against 10 µs a search; of 2,500: 0.5 ms against 4 µs).
const (
	fewLookups    = 2000
	routesALookup = 64
)

// searching reports whether the next lookup is answered without an index.
func (t *Table) searching() bool {
	few := int32(min(fewLookups, t.rows.Len()/routesALookup))
	return few > 8 && t.asked.Load() < few && t.asked.Add(1) < few
}

// Search yields the same groups as Covering, without the index that Covering makes when it is first used.
func (t *Table) Search(p netip.Prefix) iter.Seq[Group] {
	return func(yield func(Group) bool) {
		hi := t.rows.Len()
		used := t.used()
		for bits := p.Bits(); bits >= 0; bits-- {
			if !used.has(bits) {
				continue
			}
			q, err := p.Addr().Prefix(bits)
			if err != nil {
				return
			}
			lo, found := t.rows.Find(q, hi)
			if found && !yield(t.group(lo)) {
				return
			}
			hi = lo // what covers p and is shorter stands before
		}
	}
}

// used are the lengths that prefixes of the table may have: most tables have few.
func (t *Table) used() lengths {
	if t.patch == nil {
		t.measured.Do(func() { t.lengths = t.rows.Lengths() })
		return t.lengths
	}
	out := t.patch.over.used()
	for i, l := range t.patch.lengths {
		out[i] |= l
	}
	return out
}

// build makes the index by prefix when it is first asked for, a large one in two halves at once.
func (t *Table) build() {
	base := t
	if t.patch != nil {
		base = t.patch.over
	}
	n := base.rows.Len()
	if n < manyRoutes {
		base.insert(0, 0, n)
		return
	}
	half := base.group(n / 2).Hi
	var wg sync.WaitGroup
	wg.Go(func() { base.insert(1, half, n) })
	base.insert(0, 0, half)
	wg.Wait()
}

func (t *Table) insert(part, lo, hi int) {
	for i := lo; i < hi; i = t.group(i).Hi {
		t.half[part].Put(t.rows.Prefix(i), uint32(i))
	}
}

// Contradictory reports whether captures of different moments contradict each other on any prefix.
func (t *Table) Contradictory() bool { return len(t.contradictions) > 0 }

// Exact returns the group of a prefix.
func (t *Table) Exact(p netip.Prefix) (Group, bool) {
	p = p.Masked()
	if t.patch != nil && t.patch.has(p) {
		return t.patched(p)
	}
	t.once.Do(t.build)
	lo, ok := t.half[1].Exact(p)
	if !ok {
		if lo, ok = t.half[0].Exact(p); !ok {
			return Group{}, false
		}
	}
	return t.captured(lo), true
}

// LongestGroup returns the group of the longest prefix that contains a, whatever the state of its routes.
func (t *Table) LongestGroup(a netip.Addr) (Group, bool) {
	if t.patch != nil || t.searching() {
		for g := range t.Covering(netip.PrefixFrom(a, a.BitLen())) {
			return g, true
		}
		return Group{}, false
	}
	t.once.Do(t.build)
	lo, ok := t.half[1].Longest(a)
	if !ok {
		if lo, ok = t.half[0].Longest(a); !ok {
			return Group{}, false
		}
	}
	return t.group(int(lo)), true
}

// Covering yields the groups whose prefix contains all of p, longest prefix first (RFC 4632 section 5.1).
func (t *Table) Covering(p netip.Prefix) iter.Seq[Group] {
	if t.searching() {
		return t.Search(p)
	}
	t.once.Do(t.build)
	if t.patch != nil {
		return t.coveringPatched(p)
	}
	return func(yield func(Group) bool) {
		for _, lo := range t.supernets(p) {
			if !yield(t.group(int(lo))) {
				return
			}
		}
	}
}

// supernets yields the prefixes of the captured table that contain all of p, longest first, with their first rows.
func (t *Table) supernets(p netip.Prefix) iter.Seq2[netip.Prefix, uint32] {
	return func(yield func(netip.Prefix, uint32) bool) {
		// What covers p in the second half is longer than what does in the first: it begins later, or is sorted behind.
		for part := len(t.half) - 1; part >= 0; part-- {
			for q, lo := range t.half[part].Covering(p) {
				if !yield(q, lo) {
					return
				}
			}
		}
	}
}

// Members yields the routes of a group.
func (t *Table) Members(g Group) iter.Seq2[int, route.Route] {
	return func(yield func(int, route.Route) bool) {
		for i := g.Lo; i < g.Hi; i++ {
			if !yield(i, t.rows.At(i)) {
				return
			}
		}
	}
}

// At returns the routes of a group.
func (t *Table) At(g Group) []route.Route {
	var out []route.Route
	for _, r := range t.Members(g) {
		out = append(out, r)
	}
	return out
}

// RoutesTo returns the routes of just that prefix.
func (t *Table) RoutesTo(p netip.Prefix) []route.Route {
	if g, ok := t.Exact(p); ok {
		return t.At(g)
	}
	return nil
}

// Evidence returns every line that shows route i, the first one first. What an overlay put in has the evidence it was
// given.
func (t *Table) Evidence(i int) []route.Mark {
	out := []route.Mark{t.rows.At(i).Mark}
	if in, ok := t.rows.InList(i); ok {
		return append(out, t.more[in]...)
	}
	return append(out, t.patch.more[i]...)
}

// DifferencesAt returns the contradictions on one prefix.
func (t *Table) DifferencesAt(p netip.Prefix) []Difference {
	var out []Difference
	for _, d := range t.differences {
		if d.Prefix == p {
			out = append(out, d)
		}
	}
	return out
}

// NotTaken returns the longest prefix with a that the routing table chose and what forwards does not have.
func (t *Table) NotTaken(a netip.Addr) (Difference, bool) {
	if len(t.differences) == 0 {
		return Difference{}, false
	}
	for g := range t.Covering(netip.PrefixFrom(a, a.BitLen())) {
		for _, d := range t.DifferencesAt(t.rows.At(g.Lo).Prefix) {
			if d.Kind == NotInstalled {
				return d, true
			}
		}
	}
	return Difference{}, false
}

// Incomplete reports whether the capture may have ended before every route that covers a was read. Tables are
// printed in ascending order, and a prefix that covers a starts at or before it, so a later last line is proof.
func (t *Table) Incomplete(a netip.Addr) bool {
	return t.CutAt.IsValid() && !a.Less(t.CutAt.Addr())
}

// Barred reports whether a classful lookup of a may not use a route of the given prefix: it is shorter than the class
// A, B or C network of a (RFC 791 section 3.2), of which the table knows a part.
func (t *Table) Barred(p netip.Prefix, a netip.Addr) bool {
	if !t.Classful || !a.Is4() {
		return false
	}
	major := ClassOf(a)
	if !major.IsValid() || p.Bits() >= major.Bits() {
		return false
	}
	_, exact := t.Exact(major)
	for range t.Inside(major) {
		return true
	}
	return exact
}

// ClassOf4 is ClassOf for any address: an invalid prefix for one of IPv6.
func ClassOf4(a netip.Addr) netip.Prefix {
	if !a.Is4() {
		return netip.Prefix{}
	}
	return ClassOf(a)
}

// ClassOf returns the class A, B or C network of an address, an invalid prefix for others.
func ClassOf(a netip.Addr) netip.Prefix {
	bits := 0
	switch first := a.As4()[0]; {
	case first < 128:
		bits = 8
	case first < 192:
		bits = 16
	case first < 224:
		bits = 24
	default:
		return netip.Prefix{}
	}
	return netip.PrefixFrom(a, bits).Masked()
}

// Inside yields the groups whose prefix lies inside of p and is longer, in order.
func (t *Table) Inside(p netip.Prefix) iter.Seq[Group] {
	t.once.Do(t.build)
	if t.patch != nil {
		return t.insidePatched(p)
	}
	return func(yield func(Group) bool) {
		for q, lo := range t.subnets(p) {
			if q.Bits() > p.Bits() && !yield(t.group(int(lo))) {
				return
			}
		}
	}
}

// subnets yields the prefixes of the captured table that lie in p, in order, with their first rows.
func (t *Table) subnets(p netip.Prefix) iter.Seq2[netip.Prefix, uint32] {
	return func(yield func(netip.Prefix, uint32) bool) {
		for part := range t.half {
			for q, lo := range t.half[part].Inside(p) {
				if !yield(q, lo) {
					return
				}
			}
		}
	}
}
