package network

import (
	"cmp"
	"iter"
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// While tables are merged, states also tell what kind of table a route comes from.
const (
	fromKernel route.State = 1 << 7 // one that forwards
	told       route.State = 1 << 6 // a routing table, which tells what was chosen
	firstHop   route.State = 1 << 5 // a table that shows the first next hop of each route
)

// mergeTables makes one table of all captures of it, in the order in which they were first seen.
func mergeTables(facts []TableFacts) []*Table {
	type key struct {
		name string
		fam  route.Family
	}
	var order []key
	parts := map[key][]*TableFacts{}
	for i := range facts {
		f := &facts[i]
		k := key{f.Name, f.Family}
		if parts[k] == nil {
			order = append(order, k)
		}
		parts[k] = append(parts[k], f)
	}
	var out []*Table
	for _, k := range order {
		out = append(out, merge(k.name, k.fam, parts[k]))
	}
	slices.SortFunc(out, func(a, b *Table) int {
		return cmp.Or(
			-boolCompare(a.Name == "default", b.Name == "default"),
			CompareNames(a.Name, b.Name),
			cmp.Compare(a.Family, b.Family),
		)
	})
	return out
}

func boolCompare(a, b bool) int {
	if a == b {
		return 0
	} else if a {
		return 1
	}
	return -1
}

// merge makes one table of all captures of it. A routing table gives candidates, a kernel table what forwards; the
// same route seen twice is one route with two pieces of evidence.
func merge(name string, fam route.Family, parts []*TableFacts) *Table {
	t := &Table{Name: name, Family: fam, more: map[int][]route.Mark{}, index: new(index)}
	if better := slices.DeleteFunc(slices.Clone(parts), func(p *TableFacts) bool { return p.Kind == Walk }); len(
		better,
	) > 0 {
		parts = better
	} else {
		t.Weak = true
	}
	if now := slices.DeleteFunc(slices.Clone(parts), func(p *TableFacts) bool { return p.Superseded }); len(now) > 0 {
		parts = now
	}
	captured := parts
	parts, t.Filtered = withoutFiltered(parts)
	cut, decided := true, false
	t.Supposed = len(parts) > 0
	t.ByRule, t.FirstHops = len(parts) > 0, len(parts) > 0
	for _, p := range parts {
		t.ByRule = t.ByRule && p.ByRule
		t.FirstHops = t.FirstHops && (p.Plain && fam == route.IPv4 || p.Kind == Database)
		t.Supposed = t.Supposed && p.Supposed
		t.Kernel = t.Kernel || p.Kind == ForwardingTable
		t.Chosen = t.Chosen || p.Kind == Candidates
		decided = decided || p.Kind != Database
		t.HighestWins = t.HighestWins || p.HighestWins
		t.PathTypes = t.PathTypes || p.PathTypes
		cut = cut && p.Cut
	}
	t.ListsBGP = slices.ContainsFunc(parts, listsBGP)
	t.Undecided = !decided || t.Filtered.Known()
	for _, p := range parts {
		if t.Filtered.Known() && p.Kind != Database {
			t.scopes = append(t.scopes, p.Scopes...)
		}
	}
	if cut {
		t.CutAt = lastRead(fam, parts)
	}
	t.join(parts)
	plain := func(p *TableFacts) bool { return p.Plain } // which shows others too, without their numbers
	t.Whole = t.whole() && !slices.ContainsFunc(parts, plain)
	t.gatherUnread(parts)
	if len(parts) < len(captured) {
		t.beside(captured)
	}
	return t
}

// join makes the table's rows of those of its captures.
func (t *Table) join(parts []*TableFacts) {
	if len(parts) == 1 {
		parts[0].Routes.Sort()
		if !twins(&parts[0].Routes) { // nothing to merge: the list is used as it is
			if t.Kernel {
				lowestInPlace(&parts[0].Routes)
			}
			t.rows = parts[0].Routes.Freeze()
			return
		}
	}
	var all, out route.List
	for _, p := range parts {
		from := route.State(0)
		switch p.Kind {
		case ForwardingTable:
			from = fromKernel
		case Candidates, Walk:
			from = told
		}
		if p.Plain {
			from |= firstHop
		}
		all.Append(&p.Routes, func(s route.State) route.State { return s | from })
	}
	all.Sort()
	kernels, tells := stretches(parts, ForwardingTable), stretches(parts, Candidates)
	for i := 0; i < all.Len(); {
		g := groupOf(&all, i)
		t.moments(&all, g, kernels, fromKernel)
		t.moments(&all, g, tells, told)
		t.gone(&all, g, kernels, fromKernel)
		t.gone(&all, g, tells, told)
		t.mergeGroup(&all, g, &out)
		i = g.Hi
	}
	t.rows = out.Freeze()
}

// groupOf returns the group of a sorted list whose first route is lo.
func groupOf(l *route.List, lo int) Group {
	hi := lo + 1
	for hi < l.Len() && l.SamePrefix(lo, hi) {
		hi++
	}
	return Group{lo, hi}
}

func members(l *route.List, g Group) iter.Seq2[int, route.Route] {
	return func(yield func(int, route.Route) bool) {
		for i := g.Lo; i < g.Hi; i++ {
			if !yield(i, l.At(i)) {
				return
			}
		}
	}
}

// withoutFiltered leaves out listings that were asked for in part where nothing of their kind was captured whole:
// what they do not show is not missing. A protocol's own list is no table. Where no table was captured whole all
// stay, and the mark says so.
func withoutFiltered(parts []*TableFacts) ([]*TableFacts, route.Mark) {
	whole := map[Kind]bool{}
	asked := route.Mark{}
	for _, p := range parts {
		if p.Filtered.Known() {
			asked = cmp.Or(asked, p.Filtered)
		} else if p.Kind != Database {
			whole[p.Kind] = true
		}
	}
	if !asked.Known() || len(whole) == 0 {
		return parts, asked
	}
	return slices.DeleteFunc(
		slices.Clone(parts),
		func(p *TableFacts) bool { return p.Filtered.Known() && !whole[p.Kind] },
	), route.Mark{}
}

// listsBGP reports whether a capture is BGP's own list, and a whole one.
func listsBGP(p *TableFacts) bool {
	if p.Kind != Database || !p.WholeList || p.Cut || p.Filtered.Known() || len(p.Unread) > 0 || p.Routes.Shared() == 0 {
		return false
	}
	for id := range p.Routes.Shared() {
		if p.Routes.Attributes(route.AttrID(id)).Protocol != route.BGP {
			return false
		}
	}
	return true
}

// whole reports whether a kernel's table was captured together with its local one.
func (t *Table) whole() bool {
	for id := range t.rows.Shared() {
		if t.Kernel && !t.Weak && t.rows.Attributes(route.AttrID(id)).Special == route.Receive {
			return true
		}
	}
	return false
}

// twins reports whether a sorted list shows one route twice, as a capture does that holds a table in two forms.
func twins(l *route.List) bool {
	if l.EachOnce() {
		return false
	}
	for i := 1; i < l.Len(); i++ {
		for j := i - 1; j >= 0 && i-j < 64 && l.SamePrefix(i, j); j-- {
			if sameRoute(l.At(i), l.At(j)) {
				return true
			}
		}
	}
	return false
}

// lastRead returns the last prefix that some capture has before its end; the shortest there is where a capture is not
// in ascending order, so that nothing can be said of what is missing.
func lastRead(fam route.Family, parts []*TableFacts) netip.Prefix {
	last := fam.Default()
	for _, p := range parts {
		n := p.Routes.Len()
		if n > 0 && p.Routes.Sorted() && last.Addr().Less(p.Routes.Prefix(n-1).Addr()) {
			last = p.Routes.Prefix(n - 1)
		}
	}
	return last
}

// merged is one route of a group while it is put together.
type merged struct {
	route.Route
	more []route.Mark
}

// mergeGroup makes one set of rows of all that captures say of one prefix: what chose it and what forwards.
func (t *Table) mergeGroup(src *route.List, g Group, out *route.List) {
	var chosen, kernel []merged
	for _, r := range members(src, g) {
		if r.State&fromKernel != 0 {
			r.State &^= fromKernel
			kernel = addMerged(kernel, r, nil)
		} else {
			chosen = addMerged(chosen, r, t)
		}
	}
	if t.Kernel {
		lowestMetric(kernel)
		chosen = joinEqual(chosen, kernel)
		kernel = joinEqual(kernel, chosen)
		chosen = t.reconcile(chosen, kernel, src.Prefix(g.Lo))
	}
	for _, m := range chosen {
		m.State &^= told | firstHop
		out.AddRoute(m.Route)
		if len(m.more) > 0 {
			t.more[out.Len()-1] = m.more
		}
	}
}

const lastMarks = 8

// addMerged adds r, or only its evidence where the same route is there already. Where t is given, a difference in
// what the two captures chose is kept.
func addMerged(list []merged, r route.Route, t *Table) []merged {
	for i := range list {
		have := &list[i]
		if !sameRoute(have.Route, r) {
			continue
		}
		// A line that tells a route twice does so at once: the last few marks are enough to look at.
		if have.Mark == r.Mark || slices.Contains(have.more[max(0, len(have.more)-lastMarks):], r.Mark) {
			return list
		}
		have.more = append(have.more, r.Mark)
		if t != nil && differ(have.State, r.State) {
			t.differences = append(t.differences, Difference{OtherChoice, r.Prefix, have.Mark, r.Mark})
		}
		have.State |= r.State
		other := r
		if shows(r) > shows(have.Route) || oneOf(have.Route, r) { // it shows more
			other, have.Attributes, have.Metric = have.Route, r.Attributes, r.Metric
			have.Mark, have.more[len(have.more)-1] = r.Mark, have.Mark
		}
		if have.Attributes = completed(have.Attributes, other.Attributes); have.BGP.ByMetric && !have.Metric.Known {
			have.Metric = other.Metric
		}
		return list
	}
	return append(list, merged{Route: r})
}

// completed is what one capture shows of a route with what only the other one does.
func completed(a, b *route.Attributes) *route.Attributes {
	c := *a
	if !c.Preference.Known {
		c.Preference = b.Preference
	}
	if c.BGP == (route.BGPPath{}) {
		c.BGP = b.BGP
	}
	resolves := len(b.Announced()) < len(b.NextHops) && len(a.Announced()) == len(a.NextHops)
	if c.Preference == a.Preference && c.BGP == a.BGP && !resolves {
		return a
	}
	if resolves {
		c.NextHops = b.NextHops
	}
	return &c
}

// shows counts how much a capture shows of a route beside where it leads.
func shows(r route.Route) int {
	n := 0
	for _, known := range [...]bool{r.Preference.Known, r.Metric.Known, r.Protocol != route.Other,
		r.Subtype != "" && r.Protocol != route.Other} {
		if known {
			n++
		}
	}
	return n
}

// differ reports whether two captures that both tell disagree on what was chosen. A protocol's own list does not tell.
func differ(a, b route.State) bool {
	const used = route.Active | route.Installed
	return a&b&told != 0 && a&used != b&used
}

// joinEqual makes one route of several rows that are equal ways of one source where the other listing has just those
// ways as one route: some systems print a row for each way, others one row with all of them.
func joinEqual(rows, other []merged) []merged {
	for _, o := range other {
		ways := o.Forwarding()
		if len(ways) < 2 || o.Special != route.None || !o.Is(route.Installed) && !o.Is(route.Active) {
			continue
		}
		var parts []int
		var hops []route.NextHop
		for i, r := range rows {
			if f := r.Forwarding(); r.Special == route.None && (r.Is(route.Installed) || r.Is(route.Active)) &&
				len(f) == 1 &&
				(len(parts) == 0 || alike(rows[parts[0]].Route, r.Route)) {
				parts, hops = append(parts, i), append(hops, f[0])
			}
		}
		if len(parts) < 2 || !sameHops(hops, ways) {
			continue
		}
		one := rows[parts[0]]
		a := *one.Attributes
		a.NextHops = hops
		one.Attributes = &a
		out := append(make([]merged, 0, len(rows)), one)
		for i, r := range rows {
			switch {
			case i == parts[0]:
			case slices.Contains(parts, i):
				out[0].State |= r.State
				out[0].more = append(append(out[0].more, r.Mark), r.more...)
			default:
				out = append(out, r)
			}
		}
		return out
	}
	return rows
}

// alike reports whether two routes differ in nothing but their next hops.
func alike(a, b route.Route) bool {
	return a.Protocol == b.Protocol && a.Subtype == b.Subtype && a.Preference == b.Preference && a.Metric == b.Metric
}

// lowestMetric marks the routes that the kernel uses: within one prefix the lowest metric wins, nothing else counts.
func lowestMetric(kernel []merged) {
	best := route.Number{}
	for _, k := range kernel {
		if !k.Is(route.Unusable) && (!best.Known || kernelMetric(k.Route) < best.Value) {
			best = route.N(kernelMetric(k.Route))
		}
	}
	for i := range kernel {
		if !kernel[i].Is(route.Unusable) && kernelMetric(kernel[i].Route) == best.Value {
			kernel[i].State |= route.Active | route.Installed
		}
	}
}

// lowestInPlace does the same for a table that only one capture shows.
func lowestInPlace(l *route.List) {
	for i := 0; i < l.Len(); {
		g := groupOf(l, i)
		if _, state := l.Used(i); g.Hi == g.Lo+1 { // nearly all are alone
			if state&route.Unusable == 0 {
				l.SetState(i, state|route.Active|route.Installed)
			}
			i = g.Hi
			continue
		}
		best := route.Number{}
		for _, r := range members(l, g) {
			if m := kernelMetric(r); !r.Is(route.Unusable) && (!best.Known || m < best.Value) {
				best = route.N(m)
			}
		}
		for j, r := range members(l, g) {
			if !r.Is(route.Unusable) && kernelMetric(r) == best.Value {
				l.SetState(j, r.State|route.Active|route.Installed)
			}
		}
		i = g.Hi
	}
}

// kernelMetric is the metric that counts: an IPv4 route printed without one has 0, and the device's own addresses
// are looked up before everything else.
func kernelMetric(r route.Route) uint64 {
	if r.Special == route.Receive {
		return 0
	}
	return r.Metric.Value
}

// reconcile joins what the routing table chose with what forwards. The result lists candidates first.
func (t *Table) reconcile(chosen, kernel []merged, p netip.Prefix) []merged {
	if len(chosen) == 0 {
		if t.Chosen && anyForwards(kernel) && !ownBusiness(p, kernel) {
			t.differences = append(t.differences, Difference{Kind: NotChosen, Prefix: p, Installed: kernel[0].Mark})
		}
		return kernel
	}
	receive := slices.ContainsFunc(kernel, func(k merged) bool { return k.Special == route.Receive })
	wasInstalled := make([]bool, len(chosen))
	for i := range chosen {
		wasInstalled[i] = chosen[i].Is(route.Active) || chosen[i].Is(route.Installed)
		chosen[i].State &^= route.Installed
		if wasInstalled[i] && receive && chosen[i].Protocol == route.Direct {
			chosen[i].State |= route.Installed // an own address: the kernel keeps it among its local routes
		}
	}
	var rest []merged
	for _, k := range kernel {
		at := bestMatch(chosen, wasInstalled, k)
		switch {
		case at >= 0 && (sameForwarding(chosen[at].Attributes, k.Attributes) || oneOf(k.Route, chosen[at].Route)):
			c := &chosen[at]
			c.State |= k.State & route.Installed
			c.more = append(append(c.more, k.Mark), k.more...)
			continue
		case at >= 0 && k.Is(route.Installed):
			t.differences = append(t.differences, Difference{OtherNextHops, p, chosen[at].Mark, k.Mark})
			a := *k.Attributes // what forwards, with the numbers that only the routing table knows
			a.Preference, a.Subtype = chosen[at].Preference, chosen[at].Subtype
			k.Attributes, k.Metric = &a, chosen[at].Metric
		case k.Is(route.Installed) && k.Special != route.Receive && !ownBusiness(p, kernel):
			t.differences = append(t.differences, Difference{Kind: NotChosen, Prefix: p, Installed: k.Mark})
		}
		rest = append(rest, k)
	}
	out := append(chosen, rest...)
	forwards := anyForwards(out)
	for i := range chosen {
		if wasInstalled[i] && chosen[i].Is(route.Active) && !forwards {
			t.differences = append(t.differences, Difference{Kind: NotInstalled, Prefix: p, Chosen: chosen[i].Mark})
		}
	}
	return out
}

func anyForwards(list []merged) bool {
	return slices.ContainsFunc(list, func(m merged) bool { return m.Is(route.Installed) })
}

// ownBusiness tells the prefixes that a kernel keeps for itself and a routing daemon does not list.
func ownBusiness(p netip.Prefix, kernel []merged) bool {
	a := p.Addr()
	if a.IsLoopback() || a.IsLinkLocalUnicast() || a.IsMulticast() {
		return true
	}
	return !slices.ContainsFunc(
		kernel,
		func(k merged) bool { return k.Special == route.None || k.Special == route.Blackhole },
	)
}

// bestMatch finds the chosen route that k most likely stands for: same forwarding first, then the same protocol.
func bestMatch(chosen []merged, used []bool, k merged) int {
	best := -1
	for i, c := range chosen {
		if !used[i] {
			continue
		}
		if sameForwarding(c.Attributes, k.Attributes) || oneOf(k.Route, c.Route) {
			return i
		}
		if c.Protocol == k.Protocol && best < 0 {
			best = i
		}
	}
	return best
}

// sameRoute reports whether two captures show one and the same candidate. What one of them does not show is not held
// against it.
func sameRoute(a, b route.Route) bool {
	if a.Attributes == b.Attributes {
		return agree(a.Metric, b.Metric)
	}
	return (a.Protocol == b.Protocol || a.Protocol == route.Other || b.Protocol == route.Other) &&
		a.Special == b.Special && (a.Subtype == b.Subtype || a.Subtype == "" || b.Subtype == "" ||
		a.Protocol == route.Other || b.Protocol == route.Other) &&
		agree(a.Preference, b.Preference) && agree(a.Metric, b.Metric) &&
		(sameHops(a.NextHops, b.NextHops) || oneOf(a, b) || oneOf(b, a) ||
			a.Protocol == route.BGP && sameHops(a.Announced(), b.Announced()))
}

// oneOf reports whether a comes from a table that shows the first next hop alone, and b has that one among others.
func oneOf(a, b route.Route) bool {
	if a.State&firstHop == 0 || len(b.Forwarding()) < 2 {
		return false
	}
	return slices.ContainsFunc(b.Forwarding(), func(h route.NextHop) bool {
		return sameHops(a.Forwarding(), []route.NextHop{h})
	})
}

func agree(a, b route.Number) bool { return a == b || !a.Known || !b.Known }

// sameForwarding reports whether a packet takes the same ways by both.
func sameForwarding(a, b *route.Attributes) bool {
	if a.Special != route.None || b.Special != route.None {
		return a.Special == b.Special
	}
	return sameHops(a.Forwarding(), b.Forwarding())
}

// sameHops compares next hops as sets; an interface that one side does not show is not held against it.
func sameHops(a, b []route.NextHop) bool {
	if len(a) != len(b) {
		return false
	}
	for _, x := range a {
		if !slices.ContainsFunc(b, func(y route.NextHop) bool {
			return x.Address == y.Address &&
				(x.Interface == y.Interface || x.Address.IsValid() && (x.Interface == "" || y.Interface == ""))
		}) {
			return false
		}
	}
	return true
}
