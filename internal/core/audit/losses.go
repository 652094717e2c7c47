package audit

import (
	"cmp"
	"iter"
	"slices"
)

// rows is pairs whose sources are in one network.
type rows struct {
	net   int32
	back  bool // the reply is lost
	split bool // equal ways part, so that no group of hosts is told from others
	from  []int32
	to    runs
}

// lossCounter counts the pairs that stand for two networks: those of groups of hosts, where a network has any.
type lossCounter struct {
	a     *auditor
	place []int32 // of each network: 1 + number in here
	here  []lossCount
	found []lossCount
}

// netPairs is pairs from one network to some in order.
type netPairs struct {
	from         int32
	to           stretch
	back, partly bool
}

type lossCount struct {
	net  int32
	back bool
	n    int
	last int // 1 + the row that counted last
}

// netPair is a Loss by the numbers of the networks.
type netPair struct {
	from, to     int32
	back, partly bool
}

func (a *auditor) lossOf(l netPair) Loss { return Loss{a.nets[l.from], a.nets[l.to], l.back, l.partly} }

// losses yields the pairs of networks, each once and in order. What concerns only some of the groups of hosts in them
// is partly.
func (a *auditor) losses(lost *lostPairs) iter.Seq[netPair] {
	return func(yield func(netPair) bool) {
		a.eachLoss(lost, func(l netPairs) bool {
			for to := l.to.first; to <= l.to.last; to++ {
				if !yield(netPair{l.from, to, l.back, l.partly}) {
					return false
				}
			}
			return true
		})
	}
}

// eachLoss yields the losses in stretches. It goes from one network of sources to the next, so that nothing is kept but
// the rows themselves.
func (a *auditor) eachLoss(lost *lostPairs, yield func(netPairs) bool) {
	c := a.counter.Swap(nil) // somebody else may count at this moment
	if c == nil {
		c = &lossCounter{a: a, place: make([]int32, len(a.nets))}
	}
	defer a.counter.Store(c)
	all := a.rowsOf(lost)
	slices.SortStableFunc(all, func(x, y rows) int { return cmp.Compare(x.net, y.net) })
	for len(all) > 0 {
		n := 1
		for n < len(all) && all[n].net == all[0].net {
			n++
		}
		if !c.add(all[:n], yield) {
			return
		}
		all = all[n:]
	}
}

// rowsOf parts what is lost by the network of the sources.
func (a *auditor) rowsOf(lost *lostPairs) []rows {
	var out []rows
	var at [4][]int32 // by what happens and source: 1 + number in out
	for _, p := range lost.pairs {
		kind := bit(p.back)<<1 | bit(p.split >= 0)
		if at[kind] == nil {
			at[kind] = make([]int32, len(a.groups))
		}
		i := at[kind][p.from]
		if i == 0 {
			out = append(out, rows{a.netOf[p.from], p.back, p.split >= 0, []int32{p.from}, nil})
			i = int32(len(out))
			at[kind][p.from] = i
		}
		out[i-1].to.add(p.to)
	}
	for _, b := range lost.blocks {
		for from := b.from; len(from) > 0; {
			n := 1
			for n < len(from) && a.netOf[from[n]] == a.netOf[from[0]] {
				n++
			}
			out = append(out, rows{a.netOf[from[0]], false, b.split >= 0, from[:n], b.to})
			from = from[n:]
		}
	}
	return out
}

// add yields the losses of rows of one network; false where no more are wanted.
func (c *lossCounter) add(all []rows, yield func(netPairs) bool) bool {
	a, from := c.a, all[0].net
	if r := c.only(all); r != nil {
		return c.addRow(r, yield)
	}
	found := c.found[:0]
	for _, back := range []bool{false, true} {
		c.here = c.here[:0]
		if c.alike(all, back) {
			c.countRows(all, back)
		} else {
			c.countPairs(all, back)
		}
		found = append(found, c.here...)
		for _, x := range c.here {
			c.place[x.net] = 0
		}
	}
	order := func(x, y lossCount) int {
		return cmp.Or(cmp.Compare(x.net, y.net), cmp.Compare(bit(x.back), bit(y.back)))
	}
	if !slices.IsSortedFunc(found, order) {
		slices.SortFunc(found, order)
	}
	c.found = found
	for _, x := range found {
		want := max(a.hostGroups[from], 1) * max(a.hostGroups[x.net], 1)
		if !yield(netPairs{from, stretch{x.net, x.net}, x.back, x.n < want}) {
			return false
		}
	}
	return true
}

// only is the row that counts for a network where others, as of a device's own addresses, have the same destinations
// and count for nothing; nil where there is none, or groups of networks are not side by side.
func (c *lossCounter) only(all []rows) *rows {
	if !c.a.netGroups.known {
		return nil
	}
	out := &all[0]
	for i := range all {
		r := &all[i]
		if r.split || r.back != all[0].back || !slices.Equal(r.to, all[0].to) {
			return nil
		}
		if c.weight(r) > 0 {
			if c.weight(out) > 0 && out != r {
				return nil
			}
			out = r
		}
	}
	return out
}

// addRow yields the losses of the only row of a network: of networks that are lost as a whole all at once.
func (c *lossCounter) addRow(r *rows, yield func(netPairs) bool) bool {
	a := c.a
	weight, want := c.weight(r), max(a.hostGroups[r.net], 1)
	more := true
	net, hosts := int32(-1), 0 // of single groups
	flush := func() {
		if net >= 0 && more {
			n := hosts
			if a.hostGroups[net] == 0 {
				n = 1
			}
			more = yield(netPairs{r.net, stretch{net, net}, r.back, n*weight < want*max(a.hostGroups[net], 1)})
		}
		net, hosts = -1, 0
	}
	a.eachNet(r.to, func(nets stretch) {
		if flush(); more {
			more = yield(netPairs{r.net, nets, r.back, weight < want})
		}
	}, func(group int32) {
		if n := a.netOf[group]; n != net {
			flush()
			net = n
		}
		if a.groups[group].owner == nil {
			hosts++
		}
	})
	flush()
	return more
}

// weight is how many sources of rows stand for their network.
func (c *lossCounter) weight(r *rows) int {
	hosts := 0
	for _, f := range r.from {
		if c.a.groups[f].owner == nil {
			hosts++
		}
	}
	switch want := c.a.hostGroups[r.net] > 0; {
	case r.split:
		return int(bit(!want))
	case want:
		return hosts
	}
	return int(bit(hosts < len(r.from)))
}

// alike reports whether no pair of those that stand for networks is in two rows, so that they can be counted by rows.
func (c *lossCounter) alike(all []rows, back bool) bool {
	n := 0
	for i := range all {
		if r := &all[i]; r.back == back && c.weight(r) > 0 {
			n++
		}
	}
	return n <= 1
}

// at is the count of a network.
func (c *lossCounter) at(net int32, back bool) *lossCount {
	if c.place[net] == 0 {
		c.here = append(c.here, lossCount{net: net, back: back})
		c.place[net] = int32(len(c.here))
	}
	return &c.here[c.place[net]-1]
}

// countRows counts by rows, where no pair is in two of them.
func (c *lossCounter) countRows(all []rows, back bool) {
	for i := range all {
		r := &all[i]
		if r.back != back {
			continue
		}
		weight := c.weight(r)
		for t := range r.to.all() {
			net := c.a.netOf[t]
			x := c.at(net, back)
			switch hosts := c.a.groups[t].owner == nil; {
			case hosts != (c.a.hostGroups[net] > 0) && !r.split, r.split && c.a.hostGroups[net] > 0:
			case hosts && !r.split:
				x.n += weight
			case x.last != i+1: // a device's own addresses count once
				x.n, x.last = x.n+weight, i+1
			}
		}
	}
}

// countPairs counts every pair by itself.
func (c *lossCounter) countPairs(all []rows, back bool) {
	type key struct {
		net   int32
		hosts uint64 // the groups
	}
	var keys []key
	for i := range all {
		r := &all[i]
		if r.back != back {
			continue
		}
		for _, f := range r.from {
			for t := range r.to.all() {
				k := key{c.a.netOf[t], noHosts<<32 | noHosts}
				if !r.split {
					k.hosts = c.a.hostGroup(t)<<32 | c.a.hostGroup(f)
				}
				keys = append(keys, k)
			}
		}
	}
	slices.SortFunc(keys, func(x, y key) int {
		return cmp.Or(cmp.Compare(x.net, y.net), cmp.Compare(x.hosts, y.hosts))
	})
	for _, k := range slices.Compact(keys) {
		x := c.at(k.net, back)
		wantFrom, wantTo := c.a.hostGroups[all[0].net] > 0, c.a.hostGroups[k.net] > 0
		if (k.hosts&noHosts != noHosts) == wantFrom && (k.hosts>>32 != noHosts) == wantTo {
			x.n++
		}
	}
}

// noHosts stands for a device's own address among groups of hosts, behind all of them.
const noHosts = 1<<32 - 1

// hostGroup is a group's number where it is of hosts.
func (a *auditor) hostGroup(g int32) uint64 {
	if a.groups[g].owner != nil {
		return noHosts
	}
	return uint64(g)
}

func bit(b bool) uint8 {
	if b {
		return 1
	}
	return 0
}
