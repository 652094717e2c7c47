package settle

import (
	"cmp"
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// ownWeight is what systems that weigh paths give to what they announce themselves: it comes before all that is heard.
const ownWeight = 32768

// usualPreference is the local preference of what nobody gave one (RFC 4271 section 9.1.1 leaves it to the system).
const usualPreference = 100

// bgpPath is a way to a prefix that a speaker heard, or that it announces itself. It is comparable but for its trail.
type bgpPath struct {
	from     int // which peer it was heard from; itself
	weight   uint64
	local    uint64 // preference
	length   uint64
	origin   route.Origin
	med      route.Number
	first    uint32 // the autonomous system before this one; 0: none, or not known
	internal bool
	client   bool         // heard from a client
	far      route.Number // the cost of the way to the next hop; not known where it is of no metric
	by       route.Protocol
	hop      netip.Addr
	// open: whether it is there is not known; then it is no better than it says
	open  bool
	waits bool // it is open because the route stands behind one of BGP
	ready bool // and it is there for sure
	// blurred: it is one of several that came by different ways, whichever it is
	blurred bool
	// vague: it is there, and captures do not show what it is compared by
	vague bool
}

// itself stands in the place of a peer for what a speaker announces itself.
const itself = -1

// heard is a path with the autonomous systems that it went through, nil where they are not known.
type heard struct {
	bgpPath
	trail []uint32
}

// order compares two paths as RFC 4271 section 9.1 has it; negative where a comes first, 0 where nothing here tells.
// Of an open one only what bounds it is asked.
func order(a, b bgpPath) int {
	if (a.vague || b.vague) && a.from != itself && b.from != itself {
		return 0
	}
	if c := cmp.Or(cmp.Compare(b.weight, a.weight), cmp.Compare(b.local, a.local)); c != 0 {
		return c
	}
	if c := cmp.Compare(a.length, b.length); c != 0 || a.open || b.open {
		return c
	}
	if a.origin != 0 && b.origin != 0 && a.origin != b.origin {
		return cmp.Compare(a.origin, b.origin)
	} else if a.origin != b.origin {
		return 0
	}
	if a.first == b.first && a.first != 0 && a.med != b.med {
		if !a.med.Known || !b.med.Known {
			return 0
		}
		return cmp.Compare(a.med.Value, b.med.Value)
	} else if a.first == b.first && a.first != 0 && !a.med.Known {
		return 0
	}
	if a.internal != b.internal {
		if a.internal {
			return 1
		}
		return -1
	}
	if a.by == b.by && a.far.Known && b.far.Known {
		return cmp.Compare(a.far.Value, b.far.Value)
	}
	return 0
}

// still reports whether two paths are one and the same, heard once and again.
func (h heard) still(o heard) bool {
	return h.bgpPath == o.bgpPath && !h.blurred && slices.Equal(h.trail, o.trail)
}

// twin reports whether two paths are the same in all that counts, so that a speaker that uses several uses both.
func (h heard) twin(o heard) bool {
	a, b := h.bgpPath, o.bgpPath
	a.from, a.hop, b.from, b.hop = 0, netip.Addr{}, 0, netip.Addr{}
	return a == b && a.med.Known && !a.open && !a.vague && !a.internal && h.trail != nil && slices.Equal(h.trail, o.trail)
}

// equals reports whether two paths of other ways are equal in all that is compared before who came first.
func (h heard) equals(o heard) bool {
	a, b := h.bgpPath, o.bgpPath
	known := func(p bgpPath) bool { return !p.open && !p.vague && !p.internal && p.med.Known && p.from != itself }
	return known(a) && known(b) && a.weight == b.weight && a.local == b.local && a.length == b.length &&
		a.origin == b.origin && (a.first != b.first || a.med == b.med) && a.far == b.far &&
		h.trail != nil && o.trail != nil && !slices.Equal(h.trail, o.trail)
}

// choice is what a speaker uses: nothing, one path, several at once, or one of several of which nobody knows which.
type choice struct {
	used []heard
	open bool // it is one of used, or may be none
}

func (c choice) equal(o choice) bool {
	return c.open == o.open && slices.EqualFunc(c.used, o.used,
		func(a, b heard) bool { return a.bgpPath == b.bgpPath && slices.Equal(a.trail, b.trail) })
}

func (c choice) has(p bgpPath) bool {
	return slices.ContainsFunc(c.used, func(h heard) bool { return h.bgpPath == p })
}

// choose is what a speaker uses of what it hears now, where it used was before and had heard then. What it used stays
// as long as nothing that is new comes near it: whatever decides between equal paths decided for it.
func choose(was choice, then, now []heard, x *speaker) choice {
	var left choice
	for _, h := range was.used {
		if !was.open && slices.ContainsFunc(now, h.still) {
			left.used = append(left.used, h)
		}
	}
	if len(left.used) > 0 {
		rival := func(h heard) bool {
			if h.waits { // as long as this one stays it goes on waiting
				return false
			}
			fresh := !slices.ContainsFunc(then, h.still)
			waited := len(left.used) < len(was.used) // one that stood behind may be used beside now
			return (fresh || waited) && !left.has(h.bgpPath) && order(left.used[0].bgpPath, h.bgpPath) >= 0 &&
				(waited || !x.keeps || !left.used[0].equals(h))
		}
		if !slices.ContainsFunc(now, rival) {
			return left
		}
	}
	if len(now) == 1 && now[0].ready { // nothing stands before it any more
		h := now[0]
		h.open, h.waits, h.ready = false, false, false
		return choice{used: []heard{h}}
	}
	for i, h := range now {
		if h.open {
			continue
		}
		first := true
		for k, o := range now {
			first = first && (i == k || order(h.bgpPath, o.bgpPath) < 0)
		}
		if first {
			return choice{used: []heard{h}}
		}
	}
	if len(now) == 0 {
		return choice{}
	}
	// One of those that nothing comes before, or of those that may be there.
	out := choice{open: true}
	for _, h := range now {
		if !slices.ContainsFunc(now, func(o heard) bool { return !o.open && order(o.bgpPath, h.bgpPath) < 0 }) {
			out.used = append(out.used, h)
		}
	}
	out.open = len(out.used) > x.several ||
		slices.ContainsFunc(out.used, func(h heard) bool { return !out.used[0].twin(h) })
	return out
}
