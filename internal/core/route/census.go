package route

import "sync"

// A Census counts the routes of a table by the attributes they share. It is read-only.
type Census struct {
	Routes    []uint32 // by AttrID
	Installed []uint32 // by AttrID: those in the forwarding table
	Own       []uint32 // row numbers, in order, of attached networks and of what is for the device itself
}

// own reports whether routes with these attributes are in Own.
func (a *Attributes) own() bool {
	return a.Special == Receive || a.Protocol == Local || a.Protocol == Direct
}

// census counts n rows.
func census(n, shared int, attributes func(AttrID) *Attributes, used func(int) (AttrID, State)) *Census {
	c := &Census{Routes: make([]uint32, shared), Installed: make([]uint32, shared)}
	own := make([]bool, shared)
	for id := range own {
		own[id] = attributes(AttrID(id)).own()
	}
	for i := range n {
		id, state := used(i)
		c.Routes[id]++
		if state&Installed != 0 {
			c.Installed[id]++
		}
		if own[id] {
			c.Own = append(c.Own, uint32(i))
		}
	}
	return c
}

// Census counts the list, whose order must be that of Sort for the numbers to stay.
func (l *List) Census() *Census {
	if l.census == nil {
		return census(len(l.recs), len(l.attrs), l.Attributes, l.Used)
	}
	return l.census
}

// counted is the census of Rows that replace nothing, taken when it is first asked for.
type counted struct {
	once   sync.Once
	census *Census
}

// Census counts the rows: once, as long as nothing was replaced.
func (r *Rows) Census() *Census {
	if r.counted == nil || r.cuts != nil {
		return census(r.n, r.Shared(), r.Attributes, r.Used)
	}
	r.counted.once.Do(func() {
		if r.counted.census == nil {
			r.counted.census = census(r.n, r.Shared(), r.Attributes, r.Used)
		}
	})
	return r.counted.census
}
